"""HP-GL laid onto a print: PA, PR, PU, PD, arcs and circles, with the scale that a file sets for itself.

A number keeps a tenth of a plotter unit (2.5 µm). What has a size or a direction without a place (text, fills, turned
pages) is refused with where it is.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass, field

from keen_compass.errors import FileFormatError, InputError
from keen_compass.formats.fit import Drawn, Fitted, written
from keen_compass.language import tr
from keen_compass.progress import tell
from keen_compass.quantities.geometry import Point
from keen_compass.solve.warp import Warp, along

UNIT = 0.025  # mm
DECIMALS = 1
USUAL_CHORD = 5.0  # degrees
_PART = re.compile(r"\s*([A-Za-z]{2})([-+0-9.,\s]*?)(\s*)(;|(?=[A-Za-z]{2})|$)")
_NUMBER = re.compile(r"[-+]?(?:\d+\.?\d*|\.\d+)")
# Say how, not where: pens, speeds, forces, lines, the end.
KEPT = frozenset(
    {
        "IN",
        "DF",
        "SP",
        "VS",
        "FS",
        "AS",
        "AP",
        "PW",
        "LT",
        "NR",
        "PG",
        "CT",
        "TR",
        "WU",
        "CO",
        "NP",
        "PT",
        "PS",
        "UL",
        "LA",
        "PC",
        "MC",
        "EC",
    }
)


AT_ONCE = 1000  # instructions, after which it is told how far it is


@dataclass
class _State:
    """What holds from instruction to instruction; places in mm, as the file has them and as they are written."""

    absolute: bool = True
    down: bool = False
    at: Point = (0.0, 0.0)
    out: Point = (0.0, 0.0)
    drawing: bool = False
    corners: list[float] = field(default_factory=list)  # P1 and P2, plotter units
    scale: tuple[Point, Point] | None = None  # (mm of one, mm of zero) by axis, where the file has units of its own


def fit_hpgl(data: bytes, warp: Warp) -> Fitted:
    """Every place where the map says. Raises FileFormatError with the line of what can't be mapped."""
    text, state, drawn = data.decode("latin-1"), _State(), Drawn()
    found: list[str] = []
    at, line, end = 0, 1, len(text.rstrip())
    while at < end:
        if len(found) % AT_ONCE == 0:
            tell(at / end)
        match = _PART.match(text, at)
        begins = match.start(1) if match else at
        line += text.count("\n", at, begins)
        if match is None:
            raise FileFormatError(
                tr("line {line}: can’t read {typed!r}", line=line, typed=text[at : at + 40].strip()[:20])
            )
        try:
            found.append(_instruction(match, state, warp, drawn))
        except InputError as error:
            raise FileFormatError(tr("line {line}: {message}", line=line, message=error.message)) from None
        line += text.count("\n", begins, match.end())
        at = match.end()
    return Fitted(("".join(found) + text[at:]).encode("latin-1"), drawn)


def _instruction(match: re.Match[str], state: _State, warp: Warp, drawn: Drawn) -> str:
    """One instruction as it will be."""
    name, numbers = match[1].upper(), [float(n) for n in _NUMBER.findall(match[2])]
    head, tail = match[0][: match.start(2) - match.start()], match[0][match.end(2) - match.start() :]
    if name in ("PA", "PR", "PU", "PD"):
        if name in ("PA", "PR"):
            state.absolute = name == "PA"
        else:
            state.down = name == "PD"
            state.drawing = False
        if len(numbers) % 2:
            raise InputError(tr("{name}: an X without its Y", name=name))
        return head + _moved(match[2], numbers, state, warp, drawn) + tail
    if name in ("AA", "AR"):
        return _arc(name, numbers, state, warp, drawn, (head, match[2], tail))
    if name == "CI":
        return _circle(numbers, state, warp, drawn, (head, match[2], tail))
    if name == "IP":
        state.corners = numbers
        return match[0]
    if name == "SC":
        _scaled(numbers, state)
        return head + tail  # what is written counts in plotter units
    if name not in KEPT and not (name == "RO" and numbers in ([], [0.0])):
        raise InputError(tr("{name} can’t be mapped", name=name))
    if name in ("IN", "DF"):
        state.scale, state.absolute = None, True
    return match[0]


def _scaled(numbers: list[float], state: _State) -> None:
    """SC: user units between the corners that IP gave."""
    if not numbers:
        state.scale = None
        return
    if len(numbers) != 4 or len(state.corners) != 4 or numbers[0] == numbers[1] or numbers[2] == numbers[3]:
        raise InputError(tr("SC: a scale between corners that the file doesn’t give (IP) can’t be mapped"))
    (x1, y1, x2, y2), (u1, u2, v1, v2) = state.corners, numbers
    sx, sy = (x2 - x1) / (u2 - u1), (y2 - y1) / (v2 - v1)
    state.scale = ((sx * UNIT, (x1 - u1 * sx) * UNIT), (sy * UNIT, (y1 - v1 * sy) * UNIT))


def _mm(state: _State, x: float, y: float, *, relative: bool) -> Point:
    """Two numbers of the file as a place, or as a way."""
    (sx, ox), (sy, oy) = state.scale or ((UNIT, 0.0), (UNIT, 0.0))
    return (x * sx, y * sy) if relative else (x * sx + ox, y * sy + oy)


def _there(state: _State, p: Point, *, absolute: bool) -> tuple[str, str]:
    """A place as it is written; what is written is what counts."""
    base = (0.0, 0.0) if absolute else state.out
    texts = written((p[0] - base[0]) / UNIT, DECIMALS), written((p[1] - base[1]) / UNIT, DECIMALS)
    state.out = base[0] + float(texts[0]) * UNIT, base[1] + float(texts[1]) * UNIT
    return texts


def _moved(text: str, numbers: list[float], state: _State, warp: Warp, drawn: Drawn) -> str:
    """The numbers of a move, one by one, as they are between what separates them."""
    texts: list[str] = []
    for x, y in zip(numbers[::2], numbers[1::2], strict=True):
        before, way = state.at, _mm(state, x, y, relative=not state.absolute)
        state.at = way if state.absolute else (before[0] + way[0], before[1] + way[1])
        texts += _there(state, warp.at(state.at), absolute=state.absolute)
        if state.down:
            drawn.draw((before, state.at), (warp.at(before), warp.at(state.at)), begins=not state.drawing)
            state.drawing = True
    return _with_numbers(text, texts)


def _with_numbers(text: str, numbers: list[str]) -> str:
    """The parameters with these for their first numbers; further ones stay."""
    new = iter(numbers)
    spread = re.sub(r"(?<=\d)(?=[-+])", ",", text)  # a sign may separate numbers, too
    return _NUMBER.sub(lambda m: next(new, m[0]), spread)


def _arc(name: str, numbers: list[float], state: _State, warp: Warp, drawn: Drawn, parts: tuple[str, str, str]) -> str:
    if len(numbers) not in (3, 4):
        raise InputError(tr("{name}: expected the centre, an angle and perhaps a chord", name=name))
    centre = _mm(state, numbers[0], numbers[1], relative=name == "AR")
    if name == "AR":
        centre = state.at[0] + centre[0], state.at[1] + centre[1]
    _same_both_ways(state, name)
    start, turn = state.at, math.radians(numbers[2])
    head, text, tail = parts
    end = along(start, centre, turn, 1)[1]
    kept = warp.arc(start, centre, turn)
    state.at = end
    if kept is None:
        points = warp.chords(start, centre, turn)
        _drawn(drawn, state, along(start, centre, turn, len(points)), [warp.at(start), *points])
        back = "" if state.absolute else "PR;"
        return f"{head[: -len(name)]}PA{_list(state, points)};{back}{tail.replace(';', '', 1)}"
    middle, turn_there = kept
    count = max(math.ceil(abs(turn) / 0.05), 2)
    _drawn(drawn, state, along(start, centre, turn, count), along(warp.at(start), middle, turn_there, count))
    base = state.out if name == "AR" else (0.0, 0.0)
    new = [written((middle[k] - base[k]) / UNIT, DECIMALS) for k in (0, 1)]
    state.out = warp.at(end)
    return head + _with_numbers(text, [*new, written(math.degrees(turn_there), 4)]) + tail


def _circle(numbers: list[float], state: _State, warp: Warp, drawn: Drawn, parts: tuple[str, str, str]) -> str:
    """CI: round the place where the pen is, which comes back to it."""
    if len(numbers) not in (1, 2):
        raise InputError(tr("CI: expected a radius and perhaps a chord"))
    _same_both_ways(state, "CI")
    (sx, _), _ = state.scale or ((UNIT, 0.0), (UNIT, 0.0))
    r, centre, (head, text, tail) = abs(numbers[0] * sx), state.at, parts
    start = centre[0] + r, centre[1]
    kept = warp.arc(start, centre, math.tau)
    points = warp.chords(start, centre, math.tau)
    drawn.draw(along(start, centre, math.tau, len(points)), (warp.at(start), *points), begins=True)
    state.drawing = False
    if kept is not None and math.dist(kept[0], warp.at(centre)) < UNIT * 0.1:
        new = iter([written(math.dist(warp.at(start), kept[0]) / UNIT, DECIMALS)])
        return head + _NUMBER.sub(lambda m: next(new, m[0]), text, count=1) + tail
    ring = _list(state, points)
    first = _list(state, [warp.at(start)])
    back = _list(state, [warp.at(centre)])
    again = ("PD" if state.down else "PU") + ("" if state.absolute else ";PR")
    return f"{head[:-2]}PU;PA{first};PD{ring};PU{back};{again};{tail.replace(';', '', 1)}"


def _same_both_ways(state: _State, name: str) -> None:
    if state.scale and abs(state.scale[0][0] - state.scale[1][0]) > 1e-9:
        raise InputError(tr("{name}: a circle whose units differ along X and Y can’t be mapped", name=name))


def _list(state: _State, points: list[Point]) -> str:
    return ",".join(text for p in points for text in _there(state, p, absolute=True))


def _drawn(drawn: Drawn, state: _State, before: list[Point], after: list[Point]) -> None:
    if state.down:
        drawn.draw(before, after, begins=not state.drawing)
        state.drawing = True
