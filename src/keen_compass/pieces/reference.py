"""Lines with figures that a corrected machine leaves on its own bed, for quick checks later.

│20
├─
│10                        Each figure is the distance from the first line in cm. Every line is met from
├─                         below, so none holds lost motion.
┼──┬─────┬──
0  10    20
"""

from __future__ import annotations

from dataclasses import dataclass

from keen_compass.errors import PieceError
from keen_compass.language import tr
from keen_compass.pieces.job import Job
from keen_compass.pieces.placement import visited
from keen_compass.pieces.toolpath import Stroke, figures
from keen_compass.pieces.where import Lines
from keen_compass.quantities.geometry import Box, Point

TICK = 12.0  # mm
APPROACH = 6.0
FIGURE = 6.0  # mm high
MOST_LINES = 60


@dataclass(frozen=True, slots=True)
class ReferenceLines:
    """Lines every `spacing` mm over `x_span` and `y_span`, the first one of each at `origin` on the bed; all in mm."""

    x_span: float
    y_span: float
    spacing: float = 100.0
    origin: Point = (30.0, 30.0)

    def __post_init__(self) -> None:
        if not self.spacing >= 3 * FIGURE:
            raise PieceError(tr("must be at least {figure:g} mm, or the figures meet", figure=3 * FIGURE), "spacing")
        for name in ("x_span", "y_span"):
            span = getattr(self, name)
            if not self.spacing <= span <= MOST_LINES * self.spacing:
                raise PieceError(tr("must hold 1 to {most_lines} spacings", most_lines=MOST_LINES), name)

    def nominal(self, measurand: str) -> float:
        """From the first to the last line of an axis."""
        span = self.x_span if measurand == "x_lines" else self.y_span
        return self.spacing * int(span / self.spacing + 1e-9)

    def outline(self, **actual: float) -> tuple[Point, ...]:
        """The angle that they stand on."""
        x, y = (actual.get(m, self.nominal(m)) for m in ("x_lines", "y_lines"))
        return (0, 0), (x, 0), (x, TICK), (TICK, TICK), (TICK, y), (0, y)

    def line(self, measurand: str) -> tuple[Point, Point]:
        """From the first line to the last."""
        if measurand == "x_lines":
            return (0, TICK / 2), (self.nominal("x_lines"), TICK / 2)
        return (TICK / 2, 0), (TICK / 2, self.nominal("y_lines"))

    def where(self, axis: str) -> Lines:
        """The first and the last line of an axis, by their numbers in the file."""
        first = 0 if axis == "x" else self.count("x") + 1
        return Lines(axis, first, first + self.count(axis))

    def lines(self, **actual: float) -> tuple[tuple[Point, Point], ...]:
        """Every line as drawn on the picture."""
        return tuple((s.points[0], s.points[-1]) for s in self._ticks())

    def boxes(self) -> tuple[Box, ...]:
        """Where on the bed they go: the strip along X and the one along Y."""
        strokes = self._strokes()
        along_x = tuple(s for s in strokes if max(y for _, y in s.points) <= TICK + APPROACH)
        along_y = tuple(s for s in strokes if s not in along_x)
        return tuple(visited(part).moved(*self.origin) for part in (along_x, along_y) if part)

    def footprint(self) -> tuple[float, float]:
        """The room that it takes on the bed, mm."""
        return self.nominal("x_lines") + 4 * FIGURE, self.nominal("y_lines") + 2 * FIGURE

    def job(self, number: int) -> Job:
        """Its ticks and the figures beside them."""
        title = f"piece {number}, reference lines every {self.spacing:g} mm, figures in cm"
        return Job.marking(title, self._strokes())

    def _strokes(self) -> tuple[Stroke, ...]:
        strokes = [*self._ticks()]
        for axis in ("x", "y"):
            for k in range(1, self.count(axis) + 1):
                p, words = k * self.spacing, round(k * self.spacing / 10)
                at = (p + 2, TICK / 2) if axis == "x" else (TICK + 3, p - FIGURE / 2)
                strokes += figures(words, at, FIGURE)
        return tuple(strokes)

    def count(self, axis: str) -> int:
        """How many spacings an axis has."""
        return round(self.nominal(f"{axis}_lines") / self.spacing)

    def _ticks(self) -> list[Stroke]:
        strokes = []
        for axis in ("x", "y"):
            for k in range(self.count(axis) + 1):
                p = k * self.spacing
                a, b = ((p, 0.0), (p, TICK)) if axis == "x" else ((0.0, p), (TICK, p))
                strokes.append(Stroke((a, b), approach=(a[0] - APPROACH, a[1] - APPROACH)))
        return strokes
