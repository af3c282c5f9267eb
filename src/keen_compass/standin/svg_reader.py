"""Reads the polylines of an SVG drawing as a plotting program would: in order, pen up between them.

Y points down in SVG and up on the machine; the drawing's lower left corner is taken as the origin.
"""

from __future__ import annotations

import re
from xml.etree import ElementTree

from keen_compass.errors import FileFormatError
from keen_compass.standin.gcode_reader import Move
from keen_compass.standin.hpgl_reader import DOWN, UP

_SVG = "{http://www.w3.org/2000/svg}"


def read_svg(text: str) -> list[Move]:
    """All moves in order, mm. Raises FileFormatError for what is no drawing in mm at actual size."""
    try:
        root = ElementTree.fromstring(text)
    except ElementTree.ParseError as error:
        raise FileFormatError(f"line {error.position[0]}: can't read the drawing") from None
    width = re.fullmatch(r"([0-9.]+)mm", root.get("width", ""))
    box = [float(v) for v in root.get("viewBox", "").split()]
    if root.tag != f"{_SVG}svg" or width is None or len(box) != 4:
        raise FileFormatError("the drawing doesn't state its size in mm")
    scale = float(width[1]) / box[2]
    moves: list[Move] = []
    for line in root.iter(f"{_SVG}polyline"):
        numbers = [float(v) for v in line.get("points", "").replace(",", " ").split()]
        points = [(scale * x, scale * (box[3] - y)) for x, y in zip(numbers[::2], numbers[1::2], strict=True)]
        if points:
            moves.append(Move(*points[0], UP, True, False, 1.0))
            moves += [Move(x, y, DOWN, False, True, 1.0) for x, y in points]
    return moves
