"""Reads G-code as a plain controller would: word by word, modal, refusing what it doesn't know.

Written apart from the writer on purpose; it knows ISO 6983, not our habits.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass

from keen_compass.errors import FileFormatError

_WORD = re.compile(r"([A-Z])\s*([+-]?(?:[0-9]+\.?[0-9]*|\.[0-9]+))")
_COMMENT = re.compile(r"\([^()]*\)|;.*$")
_IGNORED = {"G4", "G17", "G40", "G49", "G54", "G80", "G94", "M6", "M8", "M9"}


@dataclass(frozen=True, slots=True)
class Move:
    """A straight move to (x, y, z), mm, the spindle's state in `spinning`; or a stop there, until told to go on."""

    x: float
    y: float
    z: float
    rapid: bool
    spinning: bool
    feed: float
    waits: bool = False


def read_gcode(text: str) -> list[Move]:
    """All moves in order. Raises FileFormatError naming the line."""
    return list(_moves(text))


def _moves(text: str) -> Iterator[Move]:
    unit: float | None = None
    absolute: bool | None = None
    rapid, spinning, ended, feed = True, False, False, 0.0
    at = {"X": 0.0, "Y": 0.0, "Z": 0.0}
    for number, line in enumerate(text.splitlines(), 1):
        words = _words(line, number)
        if ended and words:
            raise FileFormatError(f"line {number}: something follows the end of the program")
        target: dict[str, float] = {}
        dwell, waits = ("G", 4.0) in words, False
        for letter, value in words:
            code = f"{letter}{value:g}"
            if code in ("G0", "G1"):
                rapid = code == "G0"
            elif code in ("G20", "G21"):
                unit = 25.4 if code == "G20" else 1.0
            elif code in ("G90", "G91"):
                absolute = code == "G90"
            elif code in ("M3", "M5"):
                spinning = code == "M3"
            elif code in ("M2", "M30"):
                ended = True
            elif code == "M0":
                waits = True
            elif letter in at:
                target[letter] = value
            elif letter == "F":
                feed = value * (unit or 1.0)
            elif not (letter in "SNT" or (letter == "P" and dwell) or code in _IGNORED):
                raise FileFormatError(f"line {number}: {code} is not known to this controller")
        if target:
            if unit is None or absolute is None:
                raise FileFormatError(f"line {number}: a move before units and distance mode are set")
            if not rapid and feed <= 0:
                raise FileFormatError(f"line {number}: a feed move without a feed")
            for letter, value in target.items():
                at[letter] = value * unit + (0.0 if absolute else at[letter])
            yield Move(at["X"], at["Y"], at["Z"], rapid, spinning, feed)
        if waits:
            yield Move(at["X"], at["Y"], at["Z"], rapid, spinning, feed, waits=True)
    if not ended:
        raise FileFormatError("the program has no end (M2)")


def _words(line: str, number: int) -> list[tuple[str, float]]:
    plain = _COMMENT.sub(" ", line).strip().upper()
    rest = _WORD.sub(" ", plain).strip()
    if rest:
        raise FileFormatError(f"line {number}: can't read {rest[:20]!r}")
    return [(letter, float(value)) for letter, value in _WORD.findall(plain)]
