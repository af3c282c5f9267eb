"""Reads HP-GL as a plain plotter would: PA and PR, PU, PD, SP, IN; refusing what it doesn't know.

Written apart from the writer on purpose. 40 plotter units are 1 mm unless the plotter is set otherwise.
"""

from __future__ import annotations

import re

from keen_compass.errors import FileFormatError
from keen_compass.standin.gcode_reader import Move

UNITS_PER_MM = 40.0
_INSTRUCTION = re.compile(r"\s*([A-Za-z]{2})\s*([-+0-9.,\s]*?)\s*(?:;|(?=[A-Za-z]{2}))")
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
                    moves.append(Move(x, y, DOWN, False, True, 1.0))
                x, y = (nx, ny) if absolute else (x + nx, y + ny)
                moves.append(Move(x, y, DOWN if down else UP, not down, down, 1.0))
    return moves
