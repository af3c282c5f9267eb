"""Paths of a tool over the bed, before any file format.

Coordinates are the controller's X and Y in mm. A `Stroke` is one continuous line with the tool down.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from keen_compass.quantities.geometry import Point


@dataclass(frozen=True, slots=True)
class Stroke:
    """One line with the tool down.

    points: corners in order.
    approach: where the raised tool comes from just before, so that the slack of both axes is taken
        up in a known direction.
    through: cut down to below the stock in passes, else marked on its surface.
    tabs: (start, end) along the stroke in mm where the last pass stays above the bottom.
    """

    points: tuple[Point, ...]
    approach: Point | None = None
    through: bool = False
    tabs: tuple[tuple[float, float], ...] = ()


@dataclass(frozen=True, slots=True)
class ToolPath:
    """All strokes of a piece, in order, with a name that ends up in the file."""

    title: str
    strokes: tuple[Stroke, ...]

    def moved(self, dx: float, dy: float) -> ToolPath:
        """The same path elsewhere on the bed."""
        return replace(self, strokes=tuple(_moved(s, dx, dy) for s in self.strokes))

    def extents(self) -> tuple[float, float, float, float]:
        """(x low, y low, x high, y high) of everything the tool's centre visits while down."""
        xs = [x for s in self.strokes for x, _ in s.points]
        ys = [y for s in self.strokes for _, y in s.points]
        return min(xs), min(ys), max(xs), max(ys)


def _moved(stroke: Stroke, dx: float, dy: float) -> Stroke:
    def shift(p: Point) -> Point:
        return p[0] + dx, p[1] + dy

    approach = shift(stroke.approach) if stroke.approach else None
    return replace(stroke, points=tuple(map(shift, stroke.points)), approach=approach)


def offset_outward(outline: Sequence[Point], distance: float) -> tuple[Point, ...]:
    """A closed rectilinear outline, anticlockwise, moved outwards by `distance`, corners kept square.

    Each corner moves by the outward normals of the two edges that meet there.
    """
    n = len(outline)
    moved = []
    for i in range(n):
        (px, py), (x, y), (qx, qy) = outline[i - 1], outline[i], outline[(i + 1) % n]
        n1, n2 = _outward((x - px, y - py)), _outward((qx - x, qy - y))
        moved.append((x + distance * (n1[0] + n2[0]), y + distance * (n1[1] + n2[1])))
    return tuple(moved)


def _outward(edge: Point) -> Point:
    dx, dy = edge
    length = abs(dx) + abs(dy)  # one of them is zero
    return dy / length, -dx / length


# A digit as strokes on a 2 wide × 4 high grid; our own lettering, drawn with any tool.
_DIGITS: dict[str, tuple[tuple[Point, ...], ...]] = {
    "0": (((0, 0), (2, 0), (2, 4), (0, 4), (0, 0)),),
    "1": (((1, 0), (1, 4)),),
    "2": (((0, 4), (2, 4), (2, 2), (0, 2), (0, 0), (2, 0)),),
    "3": (((0, 4), (2, 4), (2, 0), (0, 0)), ((0, 2), (2, 2))),
    "4": (((0, 4), (0, 2), (2, 2)), ((2, 4), (2, 0))),
    "5": (((2, 4), (0, 4), (0, 2), (2, 2), (2, 0), (0, 0)),),
    "6": (((2, 4), (0, 4), (0, 0), (2, 0), (2, 2), (0, 2)),),
    "7": (((0, 4), (2, 4), (2, 0)),),
    "8": (((0, 0), (2, 0), (2, 4), (0, 4), (0, 0)), ((0, 2), (2, 2))),
    "9": (((2, 2), (0, 2), (0, 4), (2, 4), (2, 0), (0, 0)),),
}


def figures(number: int, at: Point, height: float) -> tuple[Stroke, ...]:
    """The strokes that write `number` with its lower left corner at `at`."""
    unit = height / 4
    strokes = []
    for i, digit in enumerate(str(number)):
        left = at[0] + i * 3.2 * unit
        strokes += [Stroke(tuple((left + unit * x, at[1] + unit * y) for x, y in line)) for line in _DIGITS[digit]]
    return tuple(strokes)
