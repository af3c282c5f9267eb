"""A job: what a piece is to look like, nominal, and the tool's path that is composed from it when it is made.

Contours are the lines that parts and holes are to have. Only `composed` moves them, by what is in force at that
moment: each correction once, by the file or by the controller, and the path says by whom. Nothing else may.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

from keen_compass.errors import PieceError
from keen_compass.language import tr
from keen_compass.pieces.blade import led
from keen_compass.pieces.toolpath import Arc, Does, Layer, Span, Stroke, ToolPath, circle
from keen_compass.quantities.geometry import Point

OVERLAP = 4.0  # mm
MIDDLE = 0.5  # of an edge
LEAST_AWAY = 1e-9  # mm; nearer, a line lies where it was


class Side(StrEnum):
    """Of a contour, where the tool runs."""

    OUTSIDE = "outside"  # what lies within is kept
    INSIDE = "inside"  # a hole
    ON = "on"


class Applies(StrEnum):
    """Who applies a correction."""

    FILE = "file"
    CONTROLLER = "controller"
    REGISTRATION = "registration"


@dataclass(frozen=True, slots=True)
class Contour:
    """A closed line of a part, nominal, mm.

    corners: anticlockwise; of a round one none. centre, radius: of a round one.
    start: (edge number, share of it) where the tool comes onto it; a round one begins at its rightmost point.
    lead: from there back to where the tool goes down, as a vector in the scrap. tail: the same for how it leaves.
    overlap: how far past its start it is followed before it leaves. approach: vector from where the tool goes down
        to where it comes from raised.
    tabs: (edge number, share of it, width) of bridges; of a round one the edge is 0.
    clockwise: the trip goes the other way round; its lead becomes its tail.
    room: full width by which this line alone is given room, mm; None where it is the piece's.
    trails: by how much a blade trails that follows this line alone, mm; None where it is the piece's.
    """

    side: Side
    corners: tuple[Point, ...] = ()
    centre: Point = (0.0, 0.0)
    radius: float = 0.0
    start: tuple[int, float] = (0, 0.0)
    lead: Point = (0.0, 0.0)
    tail: Point = (0.0, 0.0)
    overlap: float = 0.0
    approach: Point | None = None
    tabs: tuple[tuple[int, float, float], ...] = ()
    clockwise: bool = False
    room: float | None = None
    trails: float | None = None

    def moved_off(self, distance: float) -> Contour:
        """The same line `distance` away, on its side. Raises PieceError where nothing of that shape is left."""
        away = {Side.OUTSIDE: distance, Side.INSIDE: -distance, Side.ON: 0.0}[self.side]
        if abs(away) < LEAST_AWAY:
            return self
        if self.radius:
            if self.radius + away <= 0:
                raise PieceError(
                    tr(
                        "a hole of {radius:g} mm is too small for a cut {distance:g} mm wide",
                        radius=2 * self.radius,
                        distance=2 * distance,
                    )
                )
            return replace(self, radius=self.radius + away)
        return replace(self, corners=offset(self.corners, away))

    def for_controller(self, width: float) -> Contour:
        """On the line, led straight onto an edge, as a controller wants it that moves the tool off by half of `width`.

        Where it would come onto a corner it comes onto the middle of the edge that is cut last, or first.
        """
        if self.side is Side.ON:
            return self
        edge, share = self.start
        if self.radius:
            normal = (1.0, 0.0)
        else:
            n = len(self.corners)
            if not share:
                edge, share = (edge - 1) % n if self.clockwise else edge, MIDDLE
            (ax, ay), (bx, by) = self.corners[edge], self.corners[(edge + 1) % n]
            long = math.dist((ax, ay), (bx, by))
            normal = (by - ay) / long, (ax - bx) / long
        away = (math.hypot(*self.lead) or width) + width / 2
        away *= 1.0 if self.side is Side.OUTSIDE else -1.0
        return replace(
            self,
            start=(edge, share),
            overlap=self.overlap or OVERLAP,
            lead=(0.0, 0.0) if self.clockwise else (away * normal[0], away * normal[1]),
            tail=(away * normal[0], away * normal[1]) if self.clockwise else (0.0, 0.0),
        )

    @property
    def beside(self) -> str:
        """On which hand of its way the tool runs."""
        if self.side is Side.ON:
            return ""
        return "left" if (self.side is Side.OUTSIDE) is self.clockwise else "right"

    def stroke(self) -> Stroke:
        """One trip round it, led in and out."""
        trip = self._anticlockwise()
        return _turned(trip) if self.clockwise else trip

    def _anticlockwise(self) -> Stroke:
        ring, before = (self._round() if self.radius else self._trip()), 0.0
        first = ring.points[0]
        points, arcs = ring.points, ring.arcs
        if self.lead != (0.0, 0.0):
            down = (first[0] + self.lead[0], first[1] + self.lead[1])
            points, before = (down, *points), math.hypot(*self.lead)
            arcs = tuple(replace(arc, end=arc.end + 1) for arc in arcs)
        if self.tail != (0.0, 0.0):
            leaves = points[-1] if self.clockwise else first
            points = (*points, (leaves[0] + self.tail[0], leaves[1] + self.tail[1]))
        before += self.overlap if self.clockwise else 0.0
        at = points[0]
        come = (at[0] + self.approach[0], at[1] + self.approach[1]) if self.approach else None
        return Stroke(points, come, tuple((a + before, b + before) for a, b in self._bridges()), arcs)

    def _round(self) -> Stroke:
        return circle(self.centre, self.radius, overlap=self.overlap)

    def _trip(self) -> Stroke:
        (edge, share), n = self.start, len(self.corners)
        begin = Span(self.corners[edge], self.corners[(edge + 1) % n]).at(share)
        rest = [self.corners[(edge + 1 + k) % n] for k in range(n)]
        around = [begin, *rest, begin] if share else [*self.corners[edge:], *self.corners[:edge], begin]
        if self.overlap:
            # Turned round, it follows the line past its start at what is the beginning here.
            along = Span(around[-1], around[-2]) if self.clockwise else Span(around[0], around[1])
            past = along.at(min(self.overlap / along.length, 1.0))
            around = [past, *around] if self.clockwise else [*around, past]
        return Stroke(tuple(around))

    def _bridges(self) -> Sequence[tuple[float, float]]:
        """(start, end) of each tab along the trip."""
        if self.radius:
            around = math.tau * self.radius
            centres = [(share * around, width) for _, share, width in self.tabs]
        else:
            n = len(self.corners)
            lengths = [math.dist(self.corners[i], self.corners[(i + 1) % n]) for i in range(n)]
            first, share0 = self.start
            centres = []
            for edge, share, width in self.tabs:
                between = sum(lengths[(first + k) % n] for k in range((edge - first) % n))
                at = between - share0 * lengths[first] + share * lengths[edge]
                centres.append((at % sum(lengths), width))
        return [(at - width / 2, at + width / 2) for at, width in centres]


def _turned(stroke: Stroke) -> Stroke:
    """The same line from its other end."""
    n, length = len(stroke.points), sum(span.length for span in stroke.spans())
    points = stroke.points[::-1]
    come = None
    if stroke.approach:
        (x, y), (ax, ay) = stroke.points[0], stroke.approach
        come = points[0][0] + ax - x, points[0][1] + ay - y
    return Stroke(
        points,
        come,
        tuple((length - b, length - a) for a, b in stroke.tabs[::-1]),
        tuple(Arc(n - arc.end, arc.centre, not arc.anticlockwise) for arc in stroke.arcs[::-1]),
    )


@dataclass(frozen=True, slots=True)
class JobLayer:
    """What is made alike: strokes on the line, and contours with the tool beside them, in order.

    power (%), feed (mm/min), height (of a lens, mm): where they are not those of the machine.
    """

    does: Does
    items: tuple[Stroke | Contour, ...]
    pen: int = 1
    power: float | None = None
    feed: float | None = None
    height: float | None = None


@dataclass(frozen=True, slots=True)
class Job:
    """A piece nominal, lowest corner at (0, 0), layers in the order in which they are made."""

    title: str
    layers: tuple[JobLayer, ...]

    @classmethod
    def marking(cls, title: str, strokes: tuple[Stroke, ...]) -> Job:
        """Lines that are drawn or scribed where they are ordered."""
        return cls(title, (JobLayer(Does.MARK, strokes),))


@dataclass(frozen=True, slots=True)
class Corrections:
    """What is in force when a job is made.

    compensation: full width by which contours are given room, mm; applied_by: file or controller.
    hole_bias: by how much round holes come out larger, mm, which the file takes off them.
    inside: full width by which insides are given room where that is known apart: with play left, less than outsides.
    trails: by how much the blade trails that the file leads round corners, mm; 0 where none does, or the controller.
    """

    compensation: float = 0.0
    applied_by: Applies = Applies.FILE
    hole_bias: float = 0.0
    inside: float | None = None
    trails: float = 0.0

    def off(self, contour: Contour) -> float:
        """By how much the file moves a contour, mm, to its side."""
        by_file = self.applied_by is Applies.FILE
        if contour.room is not None:  # what the controller adds is the same for all
            return (contour.room - (0.0 if by_file else self.compensation)) / 2
        off = self.compensation / 2 if by_file else 0.0
        if contour.side is not Side.INSIDE:
            return off
        if self.inside is not None:  # what the controller adds is the same for all
            off = self.inside / 2 if by_file else (self.inside - self.compensation) / 2
        return off + (self.hole_bias / 2 if contour.radius else 0.0)


def composed(job: Job, corrections: Corrections) -> ToolPath:
    """The tool's path. Raises PieceError where a contour leaves no room for the cut."""
    compensated = trailed = False
    layers = []
    for layer in job.layers:
        strokes = []
        for item in layer.items:
            if isinstance(item, Contour):
                compensated = compensated or item.side is not Side.ON
                moved = item.moved_off(corrections.off(item))
                if corrections.applied_by is Applies.CONTROLLER:
                    moved = moved.for_controller(corrections.compensation)
                    strokes.append(replace(moved.stroke(), beside=moved.beside))
                else:
                    trails = corrections.trails if item.trails is None else item.trails
                    trailed = trailed or trails > 0
                    strokes.append(led(moved.stroke(), trails))
            else:
                strokes.append(item)
        layers.append(Layer(layer.does, tuple(strokes), layer.pen, layer.power, layer.feed, layer.height))
    applied = {"compensation": str(corrections.applied_by)} if compensated and corrections.compensation else {}
    if corrections.hole_bias:
        applied["hole_bias"] = str(Applies.FILE)
    if trailed:
        applied["drag"] = str(Applies.FILE)
    return ToolPath(job.title, tuple(layers), applied)


def offset(corners: Sequence[Point], distance: float) -> tuple[Point, ...]:
    """A closed outline, anticlockwise, moved outwards (inwards where negative), corners kept sharp and in their order.

    Raises PieceError where the shape that is left has other corners.
    """
    from shapely.geometry import LinearRing, Polygon

    grown = Polygon(corners).buffer(distance, join_style="mitre", mitre_limit=10.0)
    moved = list(grown.exterior.coords)[:-1] if grown.geom_type == "Polygon" and not grown.is_empty else []
    if len(moved) != len(corners) or grown.interiors:
        raise PieceError(tr("too small for a cut {distance:g} mm wide", distance=2 * abs(distance)))
    if not LinearRing(moved).is_ccw:
        moved.reverse()
    n = len(moved)
    first = min(range(n), key=lambda k: sum(math.dist(moved[(k + i) % n], corners[i]) for i in range(n)))
    return tuple((float(x), float(y)) for x, y in (moved[(first + i) % n] for i in range(n)))
