"""What falls out of a sheet when it is cut: parts with their holes, as they are above and below.

Each cut clears its own width. A torch leans: less on the good side of its way, which lies to the right, than on the
other, and more on tight arcs. Heat lets the sheet grow while it is cut, so that what is cut late is small when it has
cooled; and it bows long parts. A cutter is pushed to the left of its way.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from keen_compass.errors import FileFormatError
from keen_compass.quantities.geometry import Area, Point
from keen_compass.standin.beside import pushed
from keen_compass.standin.truth import Truth

ROUND = 0.97  # of a circle's area for its girth: a hole is round


@dataclass(frozen=True)
class Cut:
    """One way through the stock, and how wide it clears, mm."""

    way: Sequence[Point]
    width: float


@dataclass(frozen=True)
class Part:
    """What came loose. shape: a shapely polygon, at its upper edges. good: of its outside and of each of its holes,
    whether the good side of the cut lies on it."""

    shape: Area
    good: tuple[bool, ...]

    def below(self, truth: Truth) -> Area:
        """The same at its lower edges: where it leans outwards, outsides are larger there and holes smaller."""
        from shapely.geometry import Polygon

        outside = Polygon(self.shape.exterior).buffer(_leans(truth, self.good[0], 0.0), join_style="mitre")
        holes = []
        for ring, good in zip(self.shape.interiors, self.good[1:], strict=True):
            hole = Polygon(ring)
            radius = math.sqrt(hole.area / math.pi) if _round(hole) else 0.0
            holes.append(hole.buffer(-_leans(truth, good, radius), join_style="mitre").exterior)
        return Polygon(outside.exterior, holes)


def fallen(cuts: Sequence[Cut], truth: Truth) -> tuple[Part, ...]:
    """Largest first: parts with their holes, and what came out of the holes."""
    from shapely import affinity
    from shapely.geometry import LineString, Polygon, box
    from shapely.ops import unary_union

    lines = [LineString(pushed(cut.way, truth.deflection)) for cut in cuts]
    if truth.heat:
        x0, y0, x1, y1 = unary_union(lines).bounds
        middle = (x0 + x1) / 2, (y0 + y1) / 2
        shrunk = [1 / (1 + truth.heat * (i + 1) / len(lines)) for i in range(len(lines))]
        lines = [affinity.scale(line, s, s, origin=middle) for line, s in zip(lines, shrunk, strict=True)]
    widest = max(cut.width for cut in cuts)
    cleared = unary_union(
        [line.buffer(cut.width / 2, cap_style="round") for line, cut in zip(lines, cuts, strict=True)]
    )
    x0, y0, x1, y1 = cleared.bounds
    left = box(x0 - widest, y0 - widest, x1 + widest, y1 + widest).difference(cleared)
    regions = [part for part in getattr(left, "geoms", [left]) if isinstance(part, Polygon)]
    loose = [part for part in regions if part.area > widest**2 and part.bounds[0] > x0 - widest / 2]
    if not loose:
        raise FileFormatError("the file cut no closed outline: nothing came loose")
    found = []
    for shape in sorted(loose, key=lambda part: -part.area):
        rings = (shape.exterior, *shape.interiors)
        good = tuple(_good(ring, lines, outside=i == 0) for i, ring in enumerate(rings))
        found.append(Part(_bowed(_with_holes(shape, truth.hole_bias), truth.bow), good))
    return tuple(found)


def _good(ring: Area, lines: Sequence[Area], *, outside: bool) -> bool:
    """Whether the part lies to the right of the way that cut this edge of it."""
    from shapely.geometry import LinearRing, Point

    some = [Point(ring.coords[k * (len(ring.coords) - 1) // 5]) for k in range(5)]
    line = min(lines, key=lambda line: sum(line.distance(p) for p in some))
    return bool(LinearRing(line.coords).is_ccw is not outside) if len(line.coords) > 3 else True


def _leans(truth: Truth, good: bool, radius: float) -> float:
    """By how much an edge lies further out below, mm."""
    angle = truth.bevel + (0.0 if good else truth.bad_side)
    return truth.thickness * math.tan(angle) * (1 + truth.leans_on_arcs / radius if radius else 1.0)


def _round(hole: Area) -> bool:
    return bool(4 * math.pi * hole.area > ROUND * hole.length**2)


def _with_holes(part: Area, bias: float) -> Area:
    """A part whose round holes come out larger by so much."""
    from shapely.geometry import Polygon

    if not bias or not part.interiors:
        return part
    holes = [Polygon(ring) for ring in part.interiors]
    return Polygon(part.exterior, [(h.buffer(bias / 2) if _round(h) else h).exterior for h in holes])


def _bowed(part: Area, bow: float) -> Area:
    """A part whose middle is pushed aside, across its longer side."""
    from shapely import segmentize, transform

    if not bow:
        return part
    x0, y0, x1, y1 = part.bounds

    along, low, high = (0, x0, x1) if x1 - x0 >= y1 - y0 else (1, y0, y1)

    def bent(places: Area) -> Any:
        u = (2 * places[:, along] - low - high) / (high - low)
        places[:, 1 - along] += bow * (1 - u * u)
        return places

    return transform(segmentize(part, (high - low) / 200), bent)
