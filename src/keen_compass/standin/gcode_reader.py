"""Reads G-code as a plain controller would: word by word, modal, refusing what it doesn't know.

Written apart from the writer on purpose; it knows ISO 6983, not our habits. Arcs are driven as controllers do it: in
short straight moves, the centre given from where the arc begins.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from keen_compass.errors import FileFormatError

_WORD = re.compile(r"([A-Z])\s*([+-]?(?:[0-9]+\.?[0-9]*|\.[0-9]+))")
_COMMENT = re.compile(r"\([^()]*\)|;.*$")
FULL = 10.0  # S for each % of a beam's power
ARC_STEP = 0.001  # mm, that a short move may lie off its arc
ARC_MISFIT = 0.02  # mm, by which its two radii may differ: more, and a controller stops
_IGNORED = {"G4", "G17", "G49", "G54", "G80", "G94", "M6", "M8", "M9"}


@dataclass(frozen=True, slots=True)
class Move:
    """A straight move to (x, y, z), mm, the spindle's state in `spinning`; or a stop there, until told to go on.

    pen: that a plotter held. dwell: s that it stays there. beside: "left" or "right" of its way, where the controller
    moves the tool off it by half of the kerf that it keeps. power: % of a beam's, where something was said of it.
    """

    x: float
    y: float
    z: float
    rapid: bool
    spinning: bool
    feed: float
    waits: bool = False
    pen: int = 1
    dwell: float = 0.0
    beside: str = ""
    power: float = 0.0


def read_gcode(text: str) -> list[Move]:
    """All moves in order. Raises FileFormatError naming the line."""
    return list(_moves(text))


def _moves(text: str) -> Iterator[Move]:
    unit: float | None = None
    absolute: bool | None = None
    way, spinning, ended, feed, beside, power, tool = "G0", False, False, 0.0, "", 0.0, 1
    at = {"X": 0.0, "Y": 0.0, "Z": 0.0}
    for number, line in enumerate(text.splitlines(), 1):
        words = _words(line, number)
        if ended and words:
            raise FileFormatError(f"line {number}: something follows the end of the program")
        target: dict[str, float] = {}
        dwell, waits, seconds = ("G", 4.0) in words, False, 0.0
        tool = next((int(value) for letter, value in words if letter == "T"), tool)
        for letter, value in words:
            code = f"{letter}{value:g}"
            if code in ("G0", "G1", "G2", "G3"):
                way = code
            elif code in ("G20", "G21"):
                unit = 25.4 if code == "G20" else 1.0
            elif code in ("G40", "G41", "G42"):
                beside = {"G41": "left", "G42": "right"}.get(code, "")
            elif code in ("G90", "G91"):
                absolute = code == "G90"
            elif code in ("M3", "M5"):
                spinning = code == "M3"
            elif code in ("M2", "M30"):
                ended = True
            elif code == "M0":
                waits = True
            elif letter in at or letter in "IJ":
                target[letter] = value
            elif letter in "FS":
                feed, power = (value * (unit or 1.0), power) if letter == "F" else (feed, value / FULL)
            elif letter == "P" and dwell:
                seconds = value
            elif not (letter in "NT" or (letter == "P" and dwell) or code in _IGNORED):
                raise FileFormatError(f"line {number}: {code} is not known to this controller")
        if target:
            if unit is None or absolute is None:
                raise FileFormatError(f"line {number}: a move before units and distance mode are set")
            if way != "G0" and feed <= 0:
                raise FileFormatError(f"line {number}: a feed move without a feed")
            middle = [target.pop(letter, 0.0) * unit for letter in "IJ"]
            before = at["X"], at["Y"]
            for letter, value in target.items():
                at[letter] = value * unit + (0.0 if absolute else at[letter])
            ends = at["X"], at["Y"]
            points = _round(before, ends, middle, 1 if way == "G3" else -1, number) if way in ("G2", "G3") else ()
            for x, y in (*points, ends):
                yield Move(x, y, at["Z"], way == "G0", spinning, feed, pen=tool, beside=beside, power=power)
        if dwell:
            yield Move(at["X"], at["Y"], at["Z"], False, spinning, feed, dwell=seconds, beside=beside, power=power)
        if waits:
            yield Move(at["X"], at["Y"], at["Z"], way == "G0", spinning, feed, waits=True)
    if not ended:
        raise FileFormatError("the program has no end (M2)")


def _round(
    a: tuple[float, float], b: tuple[float, float], middle: Sequence[float], way: int, number: int
) -> Iterator[tuple[float, float]]:
    """Points between the ends of an arc. middle: its centre, from where it begins."""
    centre = a[0] + middle[0], a[1] + middle[1]
    r, r_end = math.dist(a, centre), math.dist(b, centre)
    if r <= 0 or abs(r - r_end) > ARC_MISFIT:
        raise FileFormatError(f"line {number}: no circle goes round that centre through both ends of the arc")
    start = math.atan2(a[1] - centre[1], a[0] - centre[0])
    turn = way * (math.atan2(b[1] - centre[1], b[0] - centre[0]) - start) % math.tau or math.tau
    count = math.ceil(turn / (2 * math.acos(max(1 - ARC_STEP / r, -1.0))))
    for i in range(1, count):
        angle = start + way * turn * i / count
        yield centre[0] + r * math.cos(angle), centre[1] + r * math.sin(angle)


def _words(line: str, number: int) -> list[tuple[str, float]]:
    plain = _COMMENT.sub(" ", line).strip().upper()
    rest = _WORD.sub(" ", plain).strip()
    if rest:
        raise FileFormatError(f"line {number}: can't read {rest[:20]!r}")
    return [(letter, float(value)) for letter, value in _WORD.findall(plain)]
