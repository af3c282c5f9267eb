"""Paths of a tool over the bed, before any file format.

Coordinates are the controller's X and Y in mm. A `Stroke` is one continuous line with the tool down; strokes that are
made alike stand in one `Layer`.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum

from keen_compass.quantities.geometry import Point

FLAT_WITHIN = 0.002  # mm, that a chord may lie off its arc: below what any machine here can do


class Does(StrEnum):
    """What the tool does along a layer's strokes."""

    MARK = "mark"  # draws, scribes or engraves on the surface
    CUT = "cut"  # through the stock


@dataclass(frozen=True, slots=True)
class Arc:
    """The span that ends at point number `end` of its stroke runs round `centre`, through less than a full turn."""

    end: int
    centre: Point
    anticlockwise: bool = True


@dataclass(frozen=True, slots=True)
class Span:
    """From one point of a stroke to the next, straight or round an arc's centre."""

    a: Point
    b: Point
    arc: Arc | None = None

    @property
    def sweep(self) -> float:
        """Angle that an arc turns through, rad, positive anticlockwise; 0 for a straight span."""
        if self.arc is None:
            return 0.0
        cx, cy = self.arc.centre
        turn = math.atan2(self.b[1] - cy, self.b[0] - cx) - math.atan2(self.a[1] - cy, self.a[0] - cx)
        return turn % math.tau if self.arc.anticlockwise else -(-turn % math.tau)

    @property
    def radius(self) -> float:
        """Of an arc, mm; 0 for a straight span."""
        return math.dist(self.a, self.arc.centre) if self.arc else 0.0

    @property
    def length(self) -> float:
        """How long the way is, mm."""
        return abs(self.sweep) * self.radius if self.arc else math.dist(self.a, self.b)

    def at(self, share: float) -> Point:
        """The point at a share of its length."""
        if self.arc is None:
            return self.a[0] + share * (self.b[0] - self.a[0]), self.a[1] + share * (self.b[1] - self.a[1])
        cx, cy = self.arc.centre
        angle, r = math.atan2(self.a[1] - cy, self.a[0] - cx) + share * self.sweep, self.radius
        return cx + r * math.cos(angle), cy + r * math.sin(angle)

    def flat(self) -> Iterator[Point]:
        """Points after `a`, up to and with `b`, whose chords lie within `FLAT_WITHIN` of it."""
        if self.arc and self.radius > FLAT_WITHIN:
            most = 2 * math.acos(1 - FLAT_WITHIN / self.radius)
            count = max(math.ceil(abs(self.sweep) / most), 1)
            yield from (self.at(i / count) for i in range(1, count))
        yield self.b


@dataclass(frozen=True, slots=True)
class Stroke:
    """One line with the tool down.

    points: corners in order. arcs: spans between them that are no straight lines.
    approach: where the raised tool comes from just before, so that the slack of both axes is taken
        up in a known direction.
    tabs: (start, end) along the stroke in mm where the last pass stays above the bottom.
    beside: "left" or "right" of the way, where the controller is to move the tool off it by half of its own kerf.
    """

    points: tuple[Point, ...]
    approach: Point | None = None
    tabs: tuple[tuple[float, float], ...] = ()
    arcs: tuple[Arc, ...] = ()
    beside: str = ""

    def spans(self) -> Iterator[Span]:
        """Straight or round, in order."""
        arcs = {arc.end: arc for arc in self.arcs}
        for i in range(1, len(self.points)):
            yield Span(self.points[i - 1], self.points[i], arcs.get(i))

    def flat(self) -> tuple[Point, ...]:
        """Corners of the same line without arcs."""
        if not self.arcs:
            return self.points
        return (self.points[0], *(p for span in self.spans() for p in span.flat()))

    def visits(self) -> tuple[Point, ...]:
        """Everything that bounds where the tool goes for it, its approach included."""
        return (*self.flat(), *((self.approach,) if self.approach else ()))


@dataclass(frozen=True, slots=True)
class Layer:
    """Strokes that are made alike. pen: that draws them, on machines that hold several.

    power (%), feed (mm/min), height (of a lens, mm): of a beam, where they are not those of the machine.
    """

    does: Does
    strokes: tuple[Stroke, ...]
    pen: int = 1
    power: float | None = None
    feed: float | None = None
    height: float | None = None


@dataclass(frozen=True, slots=True)
class ToolPath:
    """All strokes of a piece, layer by layer in order, with a name that ends up in the file.

    applied: correction → who applies it; what isn't applied is absent.
    """

    title: str
    layers: tuple[Layer, ...]
    applied: Mapping[str, str] = field(default_factory=dict)

    @property
    def strokes(self) -> tuple[Stroke, ...]:
        """Of all layers, in order."""
        return tuple(stroke for layer in self.layers for stroke in layer.strokes)

    @property
    def cuts(self) -> bool:
        """Whether any stroke goes through the stock."""
        return any(layer.does is Does.CUT and layer.strokes for layer in self.layers)

    def moved(self, dx: float, dy: float) -> ToolPath:
        """The same path elsewhere on the bed."""
        return replace(
            self,
            layers=tuple(
                replace(layer, strokes=tuple(_moved(s, dx, dy) for s in layer.strokes)) for layer in self.layers
            ),
        )

    def extents(self) -> tuple[float, float, float, float]:
        """(x low, y low, x high, y high) of everything the tool's centre visits while down."""
        points = [p for s in self.strokes for p in s.flat()]
        xs, ys = [x for x, _ in points], [y for _, y in points]
        return min(xs), min(ys), max(xs), max(ys)


def drawn(title: str, strokes: tuple[Stroke, ...]) -> ToolPath:
    """A path that only marks."""
    return ToolPath(title, (Layer(Does.MARK, strokes),))


def _moved(stroke: Stroke, dx: float, dy: float) -> Stroke:
    def shift(p: Point) -> Point:
        return p[0] + dx, p[1] + dy

    return replace(
        stroke,
        points=tuple(map(shift, stroke.points)),
        approach=shift(stroke.approach) if stroke.approach else None,
        arcs=tuple(replace(arc, centre=shift(arc.centre)) for arc in stroke.arcs),
    )


def circle(centre: Point, radius: float, *, overlap: float = 0.0, anticlockwise: bool = True) -> Stroke:
    """All the way round from the rightmost point, in quarters, and `overlap` mm further."""
    way = 1 if anticlockwise else -1
    turns = [k * math.pi / 2 for k in range(5)] + ([math.tau + overlap / radius] if overlap else [])
    points = tuple((centre[0] + radius * math.cos(t), centre[1] + way * radius * math.sin(t)) for t in turns)
    return Stroke(points, arcs=tuple(Arc(i, centre, anticlockwise) for i in range(1, len(points))))


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
