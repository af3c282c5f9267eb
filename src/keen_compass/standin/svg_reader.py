"""Reads the paths of an SVG drawing as a plotting program would: in order, pen up between them.

Y points down in SVG and up on the machine; the drawing's lower left corner is taken as the origin. Lines and circular
arcs are known (M, L, A in absolute coordinates); what else a drawing may hold is refused.
"""

from __future__ import annotations

import math
import re
from xml.etree import ElementTree

from keen_compass.errors import FileFormatError
from keen_compass.standin.gcode_reader import Move
from keen_compass.standin.hpgl_reader import DOWN, UP

_SVG = "{http://www.w3.org/2000/svg}"
_PART = re.compile(r"([A-Za-z])([^A-Za-z]*)")
PENS = {"black": 1, "red": 2}  # a program that plots drawings tells tools apart by the colours of lines
ARC_STEP = 0.005  # mm, that a chord may lie off its arc


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
    colours = {path: group.get("stroke", "") for group in root.iter(f"{_SVG}g") for path in group}
    for path in root.iter(f"{_SVG}path"):
        pen = PENS.get(colours.get(path, ""), 1)
        points = [(scale * x, scale * (box[3] - y)) for x, y in _points(path.get("d", ""))]
        if points:
            moves.append(Move(*points[0], UP, True, False, 1.0, pen=pen))
            moves += [Move(x, y, DOWN, False, True, 1.0, pen=pen) for x, y in points]
    return moves


def _points(d: str) -> list[tuple[float, float]]:
    points: list[tuple[float, float]] = []
    for letter, rest in _PART.findall(d):
        numbers = [float(v) for v in rest.replace(",", " ").split()]
        if letter in "ML" and len(numbers) == 2:
            points.append((numbers[0], numbers[1]))
        elif letter == "A" and len(numbers) == 7 and points:
            points += _arc(points[-1], numbers)
        else:
            raise FileFormatError(f"can't plot {letter}{rest.strip()[:30]!r}")
    return points


def _arc(a: tuple[float, float], numbers: list[float]) -> list[tuple[float, float]]:
    """A circular arc from `a`; the centre as SVG 1.1, appendix F.6.5, has it."""
    r, _, _, large, sweep, x, y = numbers
    half = math.dist(a, (x, y)) / 2
    r = max(r, half)
    mx, my = (a[0] + x) / 2, (a[1] + y) / 2
    off = math.sqrt(max(r * r - half * half, 0.0)) * (1 if bool(large) != bool(sweep) else -1)
    ux, uy = (x - a[0]) / (2 * half), (y - a[1]) / (2 * half)
    cx, cy = mx - off * uy, my + off * ux
    start = math.atan2(a[1] - cy, a[0] - cx)
    turn = math.atan2(y - cy, x - cx) - start
    turn = turn % math.tau if sweep else -(-turn % math.tau)
    count = max(math.ceil(abs(turn) / (2 * math.acos(max(1 - ARC_STEP / r, -1.0)))), 1)
    return [
        (cx + r * math.cos(start + turn * i / count), cy + r * math.sin(start + turn * i / count))
        for i in range(1, count)
    ] + [(x, y)]
