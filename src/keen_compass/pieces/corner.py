"""Lines near a corner of the stock, at stated distances from its edges: where zero really is.

The lines are short and the next pair goes further along the edges, so that a second round needs no new sheet.
"""

from __future__ import annotations

from dataclasses import dataclass

from keen_compass.errors import PieceError
from keen_compass.language import tr
from keen_compass.pieces.job import Job
from keen_compass.pieces.placement import visited
from keen_compass.pieces.toolpath import Stroke
from keen_compass.pieces.where import EdgeLine
from keen_compass.quantities.geometry import Box, Point

LINE = 40.0  # mm
APPROACH = 6.0
SHOWN = 2.2  # of what lies between corner and the lines' far ends, how much is drawn


@dataclass(frozen=True, slots=True)
class CornerLines:
    """One line across each axis, `distance` from the stock's edge. All in mm, from the corner of the stock.

    along: where on the edge the lines begin. high_x, high_y: the edge at the highest end is meant.
    stock: (along X, along Y), where the high edges are. edge: where its low edges lie on the bed.
    """

    distance: float
    along: float = 30.0
    high_x: bool = False
    high_y: bool = False
    stock: tuple[float, float] = (0.0, 0.0)
    edge: tuple[float, float] = (0.0, 0.0)

    def __post_init__(self) -> None:
        if not self.distance > APPROACH:
            raise PieceError(
                tr("must be larger than {approach:g} mm, or the tool leaves the stock", approach=APPROACH), "distance"
            )
        if self.along < 0:
            raise PieceError(tr("must not be negative"), "along")
        for high, size, name in ((self.high_x, self.stock[0], "stock_x"), (self.high_y, self.stock[1], "stock_y")):
            if high and not size > self.distance:
                raise PieceError(tr("say how large the stock is, to measure from its far edge"), name)

    @property
    def origin(self) -> Point:
        """Where its (0, 0), the stock's low corner, lies on the bed."""
        return self.edge

    def nominal(self, measurand: str) -> float:
        """How far each line lies from the bed's edge, mm."""
        return self.distance

    def where(self, axis: str) -> EdgeLine:
        """Where a line is read: from the edge that is meant, which lies there on the bed."""
        k = 0 if axis == "x" else 1
        high = (self.high_x, self.high_y)[k]
        return EdgeLine(axis, k, self.edge[k] + (self.stock[k] if high else 0.0), -1 if high else 1)

    def at(self, axis: str, distance: float) -> float:
        """Coordinate of a line that lies `distance` from its edge."""
        high, size = (self.high_x, self.stock[0]) if axis == "x" else (self.high_y, self.stock[1])
        return size - distance if high else distance

    def outline(self, **actual: float) -> tuple[Point, ...]:
        """The corner of the stock, as much of it as is shown."""
        (x0, x1), (y0, y1) = self._span("x"), self._span("y")
        return (x0, y0), (x1, y0), (x1, y1), (x0, y1)

    def lines(self, **actual: float) -> tuple[tuple[Point, Point], ...]:
        """The two lines, where they were read to be."""
        x = self.at("x", actual.get("x_edge", self.distance))
        y = self.at("y", actual.get("y_edge", self.distance))
        return (
            ((x, self._start("y")), (x, self._start("y") + LINE)),
            ((self._start("x"), y), (self._start("x") + LINE, y)),
        )

    def line(self, measurand: str) -> tuple[Point, Point]:
        """From the edge to the line."""
        middle = LINE / 2
        if measurand == "x_edge":
            y = self._start("y") + middle
            return (self.at("x", 0.0), y), (self.at("x", self.distance), y)
        x = self._start("x") + middle
        return (x, self.at("y", 0.0)), (x, self.at("y", self.distance))

    def boxes(self) -> tuple[Box, ...]:
        """Where on the bed the two lines go, and the tool on its way to them."""
        return tuple(visited((stroke,)).moved(*self.origin) for stroke in self._strokes())

    def footprint(self) -> tuple[float, float]:
        """Room on the stock, mm."""
        size = self.along + LINE + APPROACH
        return size, size

    def job(self, number: int) -> Job:
        """Both lines, drawn."""
        return Job.marking(f"piece {number}, lines {self.distance:g} mm from the stock's edges", self._strokes())

    def _strokes(self) -> tuple[Stroke, ...]:
        """Each met from below."""
        return tuple(Stroke((a, b), approach=(a[0] - APPROACH, a[1] - APPROACH)) for a, b in self.lines())

    def _start(self, axis: str) -> float:
        high, size = (self.high_x, self.stock[0]) if axis == "x" else (self.high_y, self.stock[1])
        return size - self.along - LINE if high else self.along

    def _span(self, axis: str) -> tuple[float, float]:
        high, size = (self.high_x, self.stock[0]) if axis == "x" else (self.high_y, self.stock[1])
        shown = max(SHOWN * self.distance, self.along + LINE + 10)
        return (size - shown, size) if high else (0.0, shown)
