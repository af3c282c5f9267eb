"""One shape several times, each with a little more room for the cut than the one before (arithmetic.md §8).

Outsides are coupons of their own, in rows; insides are slots in one plate. Each carries its number. What is in force
doesn't matter to them: every rung says itself how much room it is given.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

from keen_compass.errors import PieceError
from keen_compass.language import tr
from keen_compass.pieces.job import Contour, Job, JobLayer, Side
from keen_compass.pieces.toolpath import Does, Stroke, figures
from keen_compass.quantities.geometry import Box, Point

MOST = 15
LEAD_IN, OVERLAP, TAB, APPROACH = 5.0, 3.0, 5.0, 6.0  # mm
FIGURE, MARGIN, WALL = 6.0, 4.0, 8.0  # mm
LEAST, TALLEST = 24.0, 60.0  # mm, a coupon's height
SLOT_LONG = 26.0  # mm


@dataclass(frozen=True, slots=True)
class KerfLadder:
    """size: along X, that is read, mm. side: outside or inside. compensations: full widths, rising, mm.

    compensation: what is in force, mm, which a controller adds to all of them alike. thermal: cut so that the good side
    of the cut lies on the part, without tabs.
    """

    size: float
    side: str
    compensations: tuple[float, ...]
    compensation: float = 0.0
    thermal: bool = False

    def __post_init__(self) -> None:
        if not self.size > 0:
            raise PieceError(tr("must be larger than 0"), "nominal")
        if self.side not in ("outside", "inside"):
            raise PieceError(tr("expected outside or inside"), "side")
        if not 2 <= len(self.compensations) <= MOST:
            raise PieceError(tr("expected 2 to {most} of them", most=MOST), "compensations")
        rising = all(a < b for a, b in pairwise(self.compensations))
        if not rising or self.compensations[0] < 0:
            raise PieceError(tr("each must be larger than the one before, and none below 0"), "compensations")
        widest = self.compensations[-1]
        if self.inside and self.size <= 1.2 * widest:
            raise PieceError(tr("too small for a cut {widest:g} mm wide", widest=widest), "nominal")
        if not self.inside and self.size < 5:
            raise PieceError(tr("must be at least 5 mm, or nothing can hold it"), "nominal")

    @property
    def inside(self) -> bool:
        """Whether slots are cut."""
        return self.side == "inside"

    def nominal(self, _measurand: str) -> float:
        """What each rung is ordered as: all alike, mm."""
        return self.size

    @property
    def names(self) -> tuple[str, ...]:
        """``rung_1`` and so on."""
        return tuple(f"rung_{i}" for i in range(1, len(self.compensations) + 1))

    @property
    def step(self) -> float:
        """By how much neighbours differ at most, mm."""
        return max(b - a for a, b in pairwise(self.compensations))

    def box(self, i: int) -> Box:
        """Where rung number `i` (from 0) lies, nominal."""
        columns, pitch_x, pitch_y = self._grid()
        row, column = divmod(i, columns)
        if self.inside:
            return Box(WALL + column * pitch_x, WALL + row * pitch_y, self.size, SLOT_LONG)
        return Box(column * pitch_x, row * pitch_y, self.size, self._tall())

    def _tall(self) -> float:
        return min(max(self.size * 0.6, LEAST), TALLEST)

    def _grid(self) -> tuple[int, float, float]:
        """(columns, pitch along X, along Y)."""
        wide, tall = (
            (self.size + WALL, SLOT_LONG + WALL + FIGURE + MARGIN)
            if self.inside
            else (self.size + 2 * LEAD_IN + APPROACH, self._tall() + 2 * LEAD_IN + APPROACH)
        )
        room = 2 * self.compensations[-1]
        n = len(self.compensations)
        columns = max(min(math.ceil(math.sqrt(n * (tall + room) / (wide + room))), n), 1)
        return columns, wide + room, tall + room

    def line(self, i: int) -> tuple[Point, Point]:
        """Where jaws go at a rung."""
        b = self.box(i)
        y = b.y + (b.height / 2 if self.inside else 0.7 * b.height)
        return (b.x, y), (b.x_high, y)

    def outline(self, **_actual: float) -> tuple[Point, ...]:
        """Round all of them."""
        boxes = [self.box(i) for i in range(len(self.compensations))]
        x, y = max(b.x_high for b in boxes), max(b.y_high for b in boxes)
        if self.inside:
            x, y = x + WALL, y + WALL + FIGURE + MARGIN
        return (0, 0), (x, 0), (x, y), (0, y)

    def extent(self) -> Box:
        """The same as a box."""
        (_, _), (_, _), (x, y), (_, _) = self.outline()
        return Box(0.0, 0.0, x, y)

    def footprint(self) -> tuple[float, float]:
        """Room on the stock, mm."""
        b, extra = self.extent(), 2 * (self.compensations[-1] + LEAD_IN + APPROACH)
        return b.width + extra, b.height + extra

    def job(self, number: int) -> Job:
        """Marks, then rung by rung; the plate that slots are in comes last."""
        title = f"piece {number}, kerf ladder, {len(self.compensations)} {self.side}s of {self.size:g}"
        marks = tuple(s for i in range(len(self.compensations)) for s in self._label(i))
        marks = (Stroke(((1.5, 1.5), (2.0, 1.5))), *marks) if self.inside else marks
        rungs = tuple(self._rung(i, c) for i, c in enumerate(self.compensations))
        layers = (JobLayer(Does.MARK, marks), JobLayer(Does.CUT, rungs))
        return Job(title, (*layers, *((JobLayer(Does.CUT, (self._plate(),)),) if self.inside else ())))

    def _label(self, i: int) -> tuple[Stroke, ...]:
        b = self.box(i)
        at = (b.x, b.y_high + MARGIN) if self.inside else (b.x + MARGIN + 2, b.y + MARGIN + 1)
        return figures(i + 1, at, FIGURE)

    def _rung(self, i: int, room: float) -> Contour:
        b = self.box(i)
        corners = ((b.x, b.y), (b.x_high, b.y), (b.x_high, b.y_high), (b.x, b.y_high))
        if self.inside:
            lead = 0.4 * (self.size - room)
            return Contour(Side.INSIDE, corners, start=(1, 0.5), lead=(-lead, 0.0), overlap=OVERLAP, room=room)
        tabs = () if self.thermal else ((0, 0.3, TAB), (2, 0.6, TAB))
        return Contour(
            Side.OUTSIDE,
            corners,
            lead=(-LEAD_IN, 0.0),
            tail=(0.0, -LEAD_IN),
            approach=(APPROACH, -APPROACH) if self.thermal else (-APPROACH, APPROACH),
            tabs=tabs,
            clockwise=self.thermal,
            room=room,
        )

    def _plate(self) -> Contour:
        return Contour(
            Side.OUTSIDE,
            self.outline(),
            lead=(-LEAD_IN, 0.0),
            tail=(0.0, -LEAD_IN),
            approach=(APPROACH, -APPROACH) if self.thermal else (-APPROACH, APPROACH),
            tabs=() if self.thermal else ((0, 0.3, TAB), (2, 0.3, TAB)),
            clockwise=self.thermal,
        )


@dataclass(frozen=True, slots=True)
class KerfComb:
    """Strips between parallel cuts on the line, the first and last of which are the edges of a window of known width.

    strips: how many. window: from the first cut's middle to the last one's, mm. What the strips leave free when they
    are pushed together in it is one cut more than there are strips. thickness: mm.
    """

    strips: int
    window: float
    thickness: float = 0.0

    def __post_init__(self) -> None:
        if not 1 <= self.strips <= 60:
            raise PieceError(tr("expected 1 to 60"), "strips")
        if not self.window / self.strips >= 3:
            raise PieceError(tr("strips of less than 3 mm can't be held; make the window wider"), "window")
        if self.thickness < 0:
            raise PieceError(tr("must not be negative"), "thickness")

    @property
    def tall(self) -> float:
        """Length of the strips, mm."""
        return min(max(0.5 * self.window, 30.0), 80.0)

    def nominal(self, _measurand: str) -> float:
        """0: nobody knows before which of them fits."""
        return 0.0

    def middle(self) -> tuple[Point, Point]:
        """Across the window, half way up."""
        y = FRAME + self.tall / 2
        return (FRAME, y), (FRAME + self.window, y)

    def outline(self, **_actual: float) -> tuple[Point, ...]:
        """The frame that holds the rungs."""
        x, y = self.window + 2 * FRAME, self.tall + 2 * FRAME
        return (0, 0), (x, 0), (x, y), (0, y)

    def inner(self, **actual: float) -> tuple[tuple[Point, ...], ...]:
        """The free room, with the strips pushed to the left."""
        free, right = actual.get("slack", FREE * self.window), FRAME + self.window
        left = right - min(max(free, 0.0), self.window)
        return (((left, FRAME), (right, FRAME), (right, FRAME + self.tall), (left, FRAME + self.tall)),)

    def lines(self, **actual: float) -> tuple[tuple[Point, Point], ...]:
        """Between the strips, as they lie once the free room was read."""
        if "slack" not in actual:
            return ()
        free = actual["slack"]
        wide = (self.window - min(max(free, 0.0), self.window)) / self.strips
        at = [FRAME + k * wide for k in range(self.strips)]
        return tuple(((x, FRAME), (x, FRAME + self.tall)) for x in at)

    def footprint(self) -> tuple[float, float]:
        """Room on the stock, mm."""
        x, y = self.outline()[2]
        return x + 2 * (LEAD_IN + APPROACH), y + 2 * (LEAD_IN + APPROACH)

    def job(self, number: int) -> Job:
        """Number, the parallel cuts from the same side, the ends of the strips, the frame."""
        low, high = FRAME, FRAME + self.tall
        wide = self.window / self.strips
        cuts = tuple(
            Stroke(((FRAME + k * wide, low), (FRAME + k * wide, high)), (FRAME + k * wide - APPROACH, low - APPROACH))
            for k in range(self.strips + 1)
        )
        ends = tuple(
            Stroke(((FRAME, y), (FRAME + self.window, y)), (FRAME - APPROACH, y - APPROACH)) for y in (low, high)
        )
        frame = Contour(Side.ON, self.outline(), overlap=OVERLAP)
        marks = figures(number, (MARGIN, MARGIN), FIGURE)
        title = f"piece {number}, kerf comb, {self.strips} strips in {self.window:g}"
        return Job(
            title,
            (
                JobLayer(Does.MARK, marks),
                JobLayer(Does.CUT, cuts),
                JobLayer(Does.CUT, ends),
                JobLayer(Does.CUT, (frame,)),
            ),
        )


FRAME = 16.0  # mm, width of the comb's frame
FREE = 0.12  # of the window, as it is pictured before it was read
