"""What is burnt before a kerf is sought: a row of lines at rising focus, and squares at power against feed (§8)."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

from keen_compass.errors import PieceError
from keen_compass.language import tr
from keen_compass.pieces.job import Job, JobLayer
from keen_compass.pieces.toolpath import Does, Stroke, figures
from keen_compass.quantities.geometry import Point

FIGURE, MARGIN = 5.0, 4.0  # mm
PITCH, LONG = 10.0, 30.0  # mm: from line to line, and of each
MOST_LINES, MOST_CELLS = 21, 9  # cells each way
LEAST_CELL, GAP = 5.0, 6.0  # mm


def _rising(values: tuple[float, ...], name: str, most: int) -> None:
    if not 3 <= len(values) <= most:
        raise PieceError(tr("expected 3 to {most} of them", most=most), name)
    if not all(a < b for a, b in pairwise(values)):
        raise PieceError(tr("each must be larger than the one before"), name)


@dataclass(frozen=True, slots=True)
class FocusRow:
    """Lines that only mark, each with the lens a little higher than the one before; below each its number.

    heights: of the lens as the controller counts it, mm, rising.
    """

    heights: tuple[float, ...]

    def __post_init__(self) -> None:
        _rising(self.heights, "heights", MOST_LINES)

    def nominal(self, _measurand: str) -> float:
        """Nobody knows how wide a line will be."""
        return 0.0

    @property
    def names(self) -> tuple[str, ...]:
        """``line_1`` and so on."""
        return tuple(f"line_{i}" for i in range(1, len(self.heights) + 1))

    def line(self, i: int) -> tuple[Point, Point]:
        """Line number `i` (from 0)."""
        x = MARGIN + FIGURE + i * PITCH
        return (x, MARGIN + 2 * FIGURE), (x, MARGIN + 2 * FIGURE + LONG)

    def outline(self, **_actual: float) -> tuple[Point, ...]:
        """Round all of them."""
        x = 2 * (MARGIN + FIGURE) + (len(self.heights) - 1) * PITCH
        y = 2 * MARGIN + 2 * FIGURE + LONG
        return (0, 0), (x, 0), (x, y), (0, y)

    def footprint(self) -> tuple[float, float]:
        """Room on the stock, mm."""
        return self.outline()[2]

    def _numbers(self) -> tuple[Stroke, ...]:
        found: list[Stroke] = []
        for i in range(len(self.heights)):
            (x, _), _ = self.line(i)
            found += figures(i + 1, (x - FIGURE / 2, MARGIN), FIGURE)
        return tuple(found)

    def order_of(self, i: int) -> int:
        """Which of all that is burnt line number `i` is, from 0."""
        return len(self._numbers()) + i

    def job(self, number: int) -> Job:
        """Numbers at the height that is held, then line by line."""
        lines = tuple(JobLayer(Does.MARK, (Stroke(self.line(i)),), height=h) for i, h in enumerate(self.heights))
        title = f"piece {number}, focus row, {len(self.heights)} lines"
        return Job(title, (JobLayer(Does.MARK, self._numbers()), *lines))


@dataclass(frozen=True, slots=True)
class BurnGrid:
    """Squares that are cut out, each with its own power (rows, from below) and feed (columns); numbers beside them.

    powers: %, rising; feeds: mm/min, rising. cell: side of a square, mm. compensation: nothing is given room here.
    """

    powers: tuple[float, ...]
    feeds: tuple[float, ...]
    cell: float = 10.0

    def __post_init__(self) -> None:
        _rising(self.powers, "powers", MOST_CELLS)
        _rising(self.feeds, "feeds", MOST_CELLS)
        if not self.powers[0] > 0 or self.powers[-1] > 100:
            raise PieceError(tr("a power is larger than 0 and at most 100 %"), "powers")
        if not self.feeds[0] > 0:
            raise PieceError(tr("a feed is larger than 0"), "feeds")
        if not self.cell >= LEAST_CELL:
            raise PieceError(tr("must be at least {least_cell:g} mm", least_cell=LEAST_CELL), "cell")

    def nominal(self, _measurand: str) -> float:
        """What a clean square is counted as."""
        return 1.0

    @property
    def cells(self) -> tuple[tuple[int, int], ...]:
        """(row, column), from 0, in the order in which they are cut: the coolest first, to keep the sheet cool."""
        found = [(r, c) for r in range(len(self.powers)) for c in range(len(self.feeds))]
        return tuple(sorted(found, key=lambda rc: (self.powers[rc[0]] / self.feeds[rc[1]], rc)))

    def corner(self, row: int, column: int) -> Point:
        """Lower left corner of a square."""
        pitch = self.cell + GAP
        return 2 * MARGIN + 2 * FIGURE + column * pitch, 2 * MARGIN + 2 * FIGURE + row * pitch

    def outline(self, **_actual: float) -> tuple[Point, ...]:
        """Round all of them."""
        x, y = self.corner(len(self.powers) - 1, len(self.feeds) - 1)
        x, y = x + self.cell + MARGIN, y + self.cell + MARGIN
        return (0, 0), (x, 0), (x, y), (0, y)

    def footprint(self) -> tuple[float, float]:
        """Room on the stock, mm."""
        return self.outline()[2]

    def _numbers(self) -> tuple[Stroke, ...]:
        """Rows on the left, columns below."""
        found: list[Stroke] = []
        for r in range(len(self.powers)):
            found += figures(r + 1, (MARGIN, self.corner(r, 0)[1] + self.cell / 2 - FIGURE / 2), FIGURE)
        for c in range(len(self.feeds)):
            found += figures(c + 1, (self.corner(0, c)[0] + self.cell / 2 - FIGURE / 4, MARGIN), FIGURE)
        return tuple(found)

    def order_of(self, row: int, column: int) -> int:
        """Which of all that is burnt this square is, from 0."""
        return len(self._numbers()) + self.cells.index((row, column))

    def job(self, number: int) -> Job:
        """Numbers as usual, then square by square."""
        title = f"piece {number}, clean cuts, {len(self.powers)} powers by {len(self.feeds)} feeds"
        return Job(title, (JobLayer(Does.MARK, self._numbers()), *(self._square(r, c) for r, c in self.cells)))

    def _square(self, row: int, column: int) -> JobLayer:
        x, y = self.corner(row, column)
        s = self.cell
        around = (
            (x, y),
            (x + s, y),
            (x + s, y + s),
            (x, y + s),
            (x, y),
            (x + min(2.0, s / 2), y),
        )  # a bit past its start
        return JobLayer(Does.CUT, (Stroke(around),), power=self.powers[row], feed=self.feeds[column])
