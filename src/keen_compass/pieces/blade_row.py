"""A row of squares, each cut for a blade that trails a little more than the one before (arithmetic.md §9)."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

from keen_compass.errors import PieceError
from keen_compass.language import tr
from keen_compass.pieces.job import Contour, Job, JobLayer, Side
from keen_compass.pieces.toolpath import Does, Stroke, figures
from keen_compass.quantities.geometry import Box, Point
from keen_compass.quantities.readings import picked_of

MOST_SQUARES = 40
LARGEST = 5.0  # mm, that a blade can trail
SIDE, GAP, FIGURE, MARGIN = 12.0, 8.0, 5.0, 4.0  # mm
PER_ROW = 10
LONGEST_OVERCUT = 5.0  # mm
MIDDLE = 0.5  # of an edge, where a square begins: no corner may hide its start


@dataclass(frozen=True, slots=True)
class BladeRow:
    """values: by how much the blade trails, as each square takes it, mm, rising. overcut: past a square's start, mm."""

    values: tuple[float, ...]
    overcut: float = 0.0

    def __post_init__(self) -> None:
        if not 2 <= len(self.values) <= MOST_SQUARES:
            raise PieceError(tr("expected 2 to {most_squares} offsets", most_squares=MOST_SQUARES), "values")
        if any(not 0 <= v <= LARGEST for v in self.values):
            raise PieceError(tr("a blade trails by 0 to {largest:g} mm", largest=LARGEST), "values")
        if any(b <= a for a, b in pairwise(self.values)):
            raise PieceError(tr("must rise from corner to corner"), "values")
        if not 0 <= self.overcut <= LONGEST_OVERCUT:
            raise PieceError(f"0 to {LONGEST_OVERCUT:g} mm", "overcut")

    def nominal(self, _measurand: str) -> float:
        """None: a pick is no length."""
        return 0.0

    def at(self, pick: float) -> float:
        """The offset of a square, or halfway between two."""
        return picked_of(self.values, pick)

    def half_step(self, pick: float) -> float:
        """By how much it can be something else, mm."""
        steps = [b - a for a, b in pairwise(self.values)]
        low = math.floor(pick)
        if pick % 1:
            return steps[low - 1] / 4
        return max(steps[max(low - 2, 0) : low]) / 2

    def box(self, i: int) -> Box:
        """Where square number `i` (from 0) lies; the first row is the uppermost."""
        row, column = divmod(i, PER_ROW)
        rows = -(-len(self.values) // PER_ROW)
        pitch = SIDE + GAP + FIGURE
        return Box(MARGIN + column * (SIDE + GAP), MARGIN + FIGURE + 2 + (rows - 1 - row) * pitch, SIDE, SIDE)

    def outline(self, **_actual: float) -> tuple[Point, ...]:
        """Round all of them."""
        boxes = [self.box(i) for i in range(len(self.values))]
        x, y = max(b.x_high for b in boxes) + MARGIN, max(b.y_high for b in boxes) + MARGIN
        return (0, 0), (x, 0), (x, y), (0, y)

    def footprint(self) -> tuple[float, float]:
        """Room on the stock, mm."""
        return self.outline()[2]

    def _numbers(self) -> tuple[Stroke, ...]:
        found: list[Stroke] = []
        for i in range(len(self.values)):
            box = self.box(i)
            found += figures(i + 1, (box.x, box.y - FIGURE - 2), FIGURE)
        return tuple(found)

    def order_of(self, i: int) -> int:
        """Which of all lines square number `i` is, from 0."""
        return len(self._numbers()) + i

    def job(self, number: int) -> Job:
        """Numbers, then square by square."""
        squares = tuple(
            Contour(
                Side.ON,
                ((b.x, b.y), (b.x_high, b.y), (b.x_high, b.y_high), (b.x, b.y_high)),
                start=(0, MIDDLE),
                overlap=self.overcut,
                trails=value,
            )
            for value, b in ((v, self.box(i)) for i, v in enumerate(self.values))
        )
        title = f"piece {number}, blade row, {len(squares)} squares"
        return Job(title, (JobLayer(Does.MARK, self._numbers()), JobLayer(Does.MARK, squares)))
