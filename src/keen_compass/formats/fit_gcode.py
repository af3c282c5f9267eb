"""G-code laid onto a print: X, Y, I, J and R of each line; G2, G3 and the sides of a cutter where the map mirrors.

What is for a place without saying it (offsets that a program sets, polar moves, subprograms, arithmetic) is
refused with its line.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

from keen_compass.errors import FileFormatError, InputError
from keen_compass.formats.fit import Drawn, Fitted, written
from keen_compass.language import tr
from keen_compass.progress import counted
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.lengths import MM_PER_INCH
from keen_compass.solve.warp import Warp, along, turned

_REMARK = re.compile(r"\([^()]*\)|;.*|^%.*")
_WORD = re.compile(r"([A-Za-z])\s*([-+]?(?:\d+\.?\d*|\.\d+))")
DECIMALS = {1.0: 4, MM_PER_INCH: 6}  # by mm of a unit; what a word had before where that is more
MISFIT = 0.05  # mm, by which the two radii of an arc may differ
MODES = {"G0", "G1", "G2", "G3"}
# Code → why a place that follows it is not what it seems, or what it stands for.
REFUSED = {
    "G5": "splines",
    "G6": "splines",
    "G7": "a lathe’s diameters",
    "G10": "offsets set by the program",
    "G16": "polar coordinates",
    "G18": "arcs in another plane",
    "G19": "arcs in another plane",
    "G28": "a move by way of a place",
    "G30": "a move by way of a place",
    "G33": "threads",
    "G51": "scaling",
    "G52": "offsets set by the program",
    "G53": "places of the machine itself",
    "G65": "subprograms",
    "G66": "subprograms",
    "G68": "turned coordinates",
    "G92": "offsets set by the program",
    "M97": "subprograms",
    "M98": "subprograms",
    "M99": "subprograms",
}
CYCLE = re.compile(r"G(7[36]|8[1-9])")  # a hole at each place that follows
ZEROS = ("G54", "G55", "G56", "G57", "G58", "G59")  # of which one may be used, wherever it is
BY_WAY = ("G28", "G30", "G53")  # refused only with a place
SIDES = {"G41": "G42", "G42": "G41"}


@dataclass
class _State:
    """What holds from line to line; places in mm, as the file has them and as they are written."""

    unit: float = 1.0
    absolute: bool = True
    centres_absolute: bool = False
    mode: str = "G0"
    mode_out: str = "G0"
    at: Point = (0.0, 0.0)
    out: Point = (0.0, 0.0)
    drawing: bool = False
    zero: str = ""


def fit_gcode(data: bytes, warp: Warp) -> Fitted:
    """Every place where the map says. Raises FileFormatError with the line of what can't be mapped."""
    state, drawn = _State(), Drawn()
    found = []
    for number, line in enumerate(counted(data.decode("latin-1").splitlines(keepends=True)), 1):
        try:
            found.append(_line(line, state, warp, drawn))
        except InputError as error:
            raise FileFormatError(tr("line {number}: {message}", number=number, message=error.message)) from None
    return Fitted("".join(found).encode("latin-1"), drawn)


def _line(line: str, state: _State, warp: Warp, drawn: Drawn) -> str:
    """One line as it will be."""
    plain = _REMARK.sub(lambda m: " " * len(m[0]), line)
    if re.search(r"[#\[\]=]", plain) or re.match(r"\s*[Oo]\s*\d", plain):
        raise InputError(tr("arithmetic and subprograms can’t be mapped"))
    words = [(m[1].upper(), float(m[2]), m) for m in _WORD.finditer(plain)]
    codes = [f"{letter}{value:g}" for letter, value, _ in words if letter in "GM"]
    values = {letter: (value, m) for letter, value, m in words if letter not in "GM"}
    placed = bool(values.keys() & {"X", "Y"})
    for code in codes:
        plain_code = code.partition(".")[0]
        if plain_code in REFUSED and not (plain_code in BY_WAY and not placed):
            raise InputError(tr("{code}: {refused} can’t be mapped", code=code, refused=REFUSED[plain_code]))
        if plain_code in ZEROS and state.zero not in ("", code):
            raise InputError(tr("{code}: places that count from several zeros can’t be mapped", code=code))
        state.zero = code if plain_code in ZEROS else state.zero
        state.unit = {"G20": MM_PER_INCH, "G21": 1.0}.get(code, state.unit)
        state.absolute = {"G90": True, "G91": False}.get(code, state.absolute)
        state.centres_absolute = {"G90.1": True, "G91.1": False}.get(code, state.centres_absolute)
        state.mode = code if code in MODES else state.mode
        if CYCLE.fullmatch(code) and not state.absolute:
            raise InputError(tr("{code}: holes counted from one another can’t be mapped", code=code))
    edits = [(m.start(), m.end(), SIDES[f"G{v:g}"]) for c, v, m in words if warp.mirrored and f"{c}{v:g}" in SIDES]
    arcs = state.mode in ("G2", "G3") and (placed or values.keys() & {"I", "J", "R"})
    if "G4" in codes or not (placed or arcs):
        state.mode_out = state.mode if any(c in MODES for c in codes) else state.mode_out
        state.drawing = state.drawing and not any(c in MODES for c in codes)
        return _edited(line, edits)
    start, end = state.at, _end(state, values)
    if arcs:
        return _arc(line, state, values, codes, edits, (start, end), warp, drawn)
    cuts = state.mode == "G1"
    there = warp.at(end)
    edits += _placed(line, values, state, there)
    if not any(c in MODES for c in codes) and state.mode_out != state.mode and _moves(codes):
        edits.append((_first(values), _first(values), f"{state.mode} "))
    state.mode_out = state.mode
    if cuts:
        drawn.draw((start, end), (warp.at(start), there), begins=not state.drawing)
    state.at, state.drawing = end, cuts
    return _edited(line, edits)


def _moves(codes: list[str]) -> bool:
    return not any(CYCLE.fullmatch(c) for c in codes)


def _end(state: _State, values: dict[str, tuple[float, re.Match[str]]]) -> Point:
    """Where a line leads, mm as the file has it."""
    old = (0.0, 0.0) if state.absolute else state.at
    x, y = (
        values[letter][0] * state.unit + old[k] if letter in values else state.at[k] for k, letter in enumerate("XY")
    )
    return x, y


def _there(state: _State, there: Point, decimals: int) -> list[str]:
    """X and Y as they are written for a place; where the head is then is what was written, not what was meant."""
    base = (0.0, 0.0) if state.absolute else state.out
    texts = [written((there[k] - base[k]) / state.unit, decimals) for k in (0, 1)]
    x, y = (base[k] + float(texts[k]) * state.unit for k in (0, 1))
    state.out = x, y
    return texts


def _placed(
    line: str, values: dict[str, tuple[float, re.Match[str]]], state: _State, there: Point
) -> list[tuple[int, int, str]]:
    """Edits that have a line lead to a place; both X and Y, for a turn needs both."""
    decimals = max(DECIMALS[state.unit], *(len(m[2].partition(".")[2]) for k, (_, m) in values.items() if k in "XY"), 0)
    texts = _there(state, there, decimals)
    edits = [(values[c][1].start(2), values[c][1].end(2), texts[k]) for k, c in enumerate("XY") if c in values]
    last = max((values[c][1].end() for c in "XY" if c in values), default=_first(values))
    missing = [f"{c}{texts[k]}" for k, c in enumerate("XY") if c not in values]
    if missing:
        tight = last > 0 and line[last - 1 : last] not in ("", " ")
        edits.append((last, last, (" " if tight else "") + " ".join(missing) + (" " if not tight else "")))
    return edits


def _first(values: dict[str, tuple[float, re.Match[str]]]) -> int:
    """Where the first word that is no code begins; a line's number is none."""
    return min(m.start() for letter, (_, m) in values.items() if letter != "N")


def _edited(line: str, edits: list[tuple[int, int, str]]) -> str:
    for start, end, text in sorted(edits, key=lambda e: (e[0], e[1]), reverse=True):
        line = line[:start] + text + line[end:]
    return line


def _arc(
    line: str,
    state: _State,
    values: dict[str, tuple[float, re.Match[str]]],
    codes: list[str],
    edits: list[tuple[int, int, str]],
    ends: tuple[Point, Point],
    warp: Warp,
    drawn: Drawn,
) -> str:
    """An arc that stays one, or straight moves that follow what becomes of it."""
    start, end = ends
    way = 1 if state.mode == "G3" else -1
    centre = _centre(state, values, start, end, way)
    turn = turned(start, end, centre, way)
    if abs(math.dist(start, centre) - math.dist(end, centre)) > MISFIT:
        raise InputError(tr("no circle goes round that centre through both ends of the arc"))
    begins, written_from = not state.drawing, state.out
    state.at, state.drawing = end, True
    kept = warp.arc(start, centre, turn)
    if kept is not None:
        middle, turn_there = kept
        mode = "G3" if turn_there > 0 else "G2"
        edits += _placed(line, values, state, warp.at(end))
        edits += _centred(line, values, state, written_from, middle, warp)
        code = next((m for m in _WORD.finditer(line) if f"{m[1].upper()}{float(m[2]):g}" in MODES), None)
        if code is not None and codes:
            if f"{code[1].upper()}{float(code[2]):g}" != mode:
                edits.append((code.start(), code.end(), mode))
        elif state.mode_out != mode:
            edits.append((_first(values), _first(values), f"{mode} "))
        state.mode_out = mode
        count = max(math.ceil(abs(turn) / 0.05), 2)
        drawn.draw(along(start, centre, turn, count), along(warp.at(start), middle, turn_there, count), begins=begins)
        return _edited(line, edits)
    points = warp.chords(start, centre, turn)
    drawn.draw(along(start, centre, turn, len(points)), (warp.at(start), *points), begins=begins)
    return _as_lines(line, state, edits, points)


def _centre(state: _State, values: dict[str, tuple[float, re.Match[str]]], start: Point, end: Point, way: int) -> Point:
    """Of an arc, from I and J or from its radius, mm as the file has it."""
    if "R" in values:
        r, half = values["R"][0] * state.unit, math.dist(start, end) / 2
        if half < 1e-9 or abs(r) < half - MISFIT:
            raise InputError(tr("no arc of that radius leads there"))
        rise = math.sqrt(max(r * r - half * half, 0.0)) * (1 if (r > 0) == (way > 0) else -1)
        ux, uy = (end[0] - start[0]) / (2 * half), (end[1] - start[1]) / (2 * half)
        return (start[0] + end[0]) / 2 - rise * uy, (start[1] + end[1]) / 2 + rise * ux
    if not values.keys() & {"I", "J"}:
        raise InputError(tr("an arc without its centre"))
    base = (0.0, 0.0) if state.centres_absolute else start
    i, j = (values[c][0] * state.unit if c in values else 0.0 for c in "IJ")
    return base[0] + i, base[1] + j


def _centred(
    line: str, values: dict[str, tuple[float, re.Match[str]]], state: _State, begins: Point, middle: Point, warp: Warp
) -> list[tuple[int, int, str]]:
    """Edits that put an arc's centre, or its radius, where it is now. begins: where the arc does, as it was written."""
    decimals = DECIMALS[state.unit]
    if "R" in values:
        r, m = values["R"]
        now = math.copysign(math.dist(warp.at(state.at), middle) / state.unit, r)
        return [(m.start(2), m.end(2), written(now, decimals))]
    base = (0.0, 0.0) if state.centres_absolute else begins
    texts = [written((middle[k] - base[k]) / state.unit, decimals) for k in (0, 1)]
    edits = [(values[c][1].start(2), values[c][1].end(2), texts[k]) for k, c in enumerate("IJ") if c in values]
    last = max(values[c][1].end() for c in "IJ" if c in values)
    return edits + [(last, last, f" {c}{texts[k]}") for k, c in enumerate("IJ") if c not in values]


def _as_lines(line: str, state: _State, edits: list[tuple[int, int, str]], points: list[Point]) -> str:
    """The line with the arc taken out of it, and a straight move for each stretch; other words stay with the first."""
    ending = line[len(line.rstrip("\r\n")) :] or "\n"
    remark = "".join(m[0] for m in _REMARK.finditer(line.rstrip("\r\n")))
    kept = _edited(line.rstrip("\r\n"), edits) if edits else line.rstrip("\r\n")
    kept = _REMARK.sub("", kept)
    for word in list(_WORD.finditer(kept))[::-1]:
        if word[1].upper() in "XYIJRZ" or f"{word[1].upper()}{float(word[2]):g}" in MODES:
            if word[1].upper() == "Z":
                raise InputError(tr("an arc that rises can’t be mapped by a map that bends it"))
            kept = kept[: word.start()] + kept[word.end() :]
    found, decimals = [], DECIMALS[state.unit]
    for i, p in enumerate(points):
        texts = _there(state, p, decimals)
        first = " ".join(part for part in (kept.strip(), f"G1 X{texts[0]} Y{texts[1]}", remark) if part)
        found.append((first if i == 0 else f"X{texts[0]} Y{texts[1]}") + ending)
    state.mode_out = "G1"
    return "".join(found)
