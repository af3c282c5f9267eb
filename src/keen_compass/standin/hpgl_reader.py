"""Reads HP-GL as a plain plotter would: PA and PR, PU, PD, AA, SP, IN; refusing what it doesn't know.

Written apart from the writer on purpose. 40 plotter units are 1 mm unless the plotter is set otherwise.
"""

from __future__ import annotations

import math
import re

from keen_compass.errors import FileFormatError
from keen_compass.standin.gcode_reader import Move

UNITS_PER_MM = 40.0
_INSTRUCTION = re.compile(r"\s*([A-Za-z]{2})\s*([-+0-9.,\s]*?)\s*(?:;|(?=[A-Za-z]{2}))")
USUAL_CHORD = 5.0  # degrees
UP, DOWN = 1.0, 0.0  # pen heights; at 0 it marks the surface


def read_hpgl(text: str, units_per_mm: float = UNITS_PER_MM) -> list[Move]:
    """All moves in order, mm. Raises FileFormatError naming the instruction."""
    moves: list[Move] = []
    x = y = 0.0
    down, absolute, pen = False, True, 0
    at = 0
    text = text.strip()
    while at < len(text):
        match = _INSTRUCTION.match(text, at)
        if match is None:
            raise FileFormatError(f"character {at + 1}: can't read {text[at : at + 20]!r}")
        name, numbers = match[1].upper(), [float(n) for n in re.findall(r"[-+]?[0-9]+\.?[0-9]*", match[2])]
        at = match.end()
        if name in ("PU", "PD"):
            down = name == "PD"
        elif name in ("PA", "PR"):
            absolute = name == "PA"
        elif name == "SP":
            pen = int(numbers[0]) if numbers else 0
        elif name == "AA":
            points = _arc((x, y), numbers, units_per_mm)
            if down and not pen:
                raise FileFormatError("AA: drawing without a pen")
            if down and (not moves or moves[-1].z > 0):
                moves.append(Move(x, y, DOWN, False, True, 1.0, pen=pen))
            moves += [Move(px, py, DOWN if down else UP, not down, down, 1.0, pen=pen) for px, py in points]
            x, y = points[-1]
        elif name != "IN":
            raise FileFormatError(f"{name} is not known to this plotter")
        if name in ("PU", "PD", "PA", "PR"):
            if len(numbers) % 2:
                raise FileFormatError(f"{name}: an X without its Y")
            if numbers and down and not pen:
                raise FileFormatError(f"{name}: drawing without a pen")
            for px, py in zip(numbers[::2], numbers[1::2], strict=True):
                nx, ny = px / units_per_mm, py / units_per_mm
                if down and (not moves or moves[-1].z > 0):
                    moves.append(Move(x, y, DOWN, False, True, 1.0, pen=pen))
                x, y = (nx, ny) if absolute else (x + nx, y + ny)
                moves.append(Move(x, y, DOWN if down else UP, not down, down, 1.0, pen=pen))
    return moves


def _arc(at: tuple[float, float], numbers: list[float], units_per_mm: float) -> list[tuple[float, float]]:
    """Points of an arc round a centre, through so many degrees, in chords of so many."""
    if len(numbers) not in (3, 4):
        raise FileFormatError("AA: expected the centre, an angle and perhaps a chord")
    cx, cy, turn = numbers[0] / units_per_mm, numbers[1] / units_per_mm, math.radians(numbers[2])
    chord = math.radians(numbers[3] if len(numbers) > 3 else USUAL_CHORD)
    r, start = math.dist(at, (cx, cy)), math.atan2(at[1] - cy, at[0] - cx)
    count = max(math.ceil(abs(turn) / chord - 1e-6), 1)
    angles = [start + turn * i / count for i in range(1, count + 1)]
    return [(cx + r * math.cos(a), cy + r * math.sin(a)) for a in angles]
