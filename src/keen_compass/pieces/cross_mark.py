"""A cross for a camera to look at, alone in what it sees (arithmetic.md §9)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from keen_compass.errors import PieceError
from keen_compass.language import tr
from keen_compass.pieces.job import Job
from keen_compass.pieces.toolpath import Stroke, figures
from keen_compass.quantities.geometry import Box, Point

ARM, ACROSS, FIGURE, MARGIN = 4.0, 44.0, 4.0, 2.0  # mm
COME_FROM = 3.0  # mm below and left of a line
LEAST, MOST = 3, 60  # pictures


@dataclass(frozen=True, slots=True)
class CrossMark:
    """picture: (width, height) in px. moves: of the head before each picture, mm. origin: where it lies on the bed."""

    picture: tuple[float, float]
    moves: tuple[Point, ...]
    origin: Point = (0.0, 0.0)

    def __post_init__(self) -> None:
        if not LEAST <= len(self.moves) <= MOST:
            raise PieceError(tr("expected {least} to {most} moves", least=LEAST, most=MOST), "moves")

    def nominal(self, _measurand: str) -> float:
        """None: where a cross is seen is no length."""
        return 0.0

    @property
    def names(self) -> tuple[str, ...]:
        """``picture_1`` and so on."""
        return tuple(f"picture_{i}" for i in range(1, len(self.moves) + 1))

    @property
    def middle(self) -> Point:
        """Where the strokes of the cross meet, mm."""
        return ACROSS / 2, ACROSS / 2

    def lines(self, **_actual: float) -> Sequence[tuple[Point, Point]]:
        """Both strokes of the cross."""
        x, y = self.middle
        return ((x - ARM, y), (x + ARM, y)), ((x, y - ARM), (x, y + ARM))

    def outline(self, **_actual: float) -> tuple[Point, ...]:
        """Round all that the camera may see."""
        return (0, 0), (ACROSS, 0), (ACROSS, ACROSS), (0, ACROSS)

    def footprint(self) -> tuple[float, float]:
        """Room on the stock, mm."""
        return ACROSS, ACROSS

    def boxes(self) -> tuple[Box, ...]:
        """What it marks, on the bed, mm."""
        return (Box(*self.origin, ACROSS, ACROSS),)

    def stands_at(self, held: Point) -> tuple[Point, ...]:
        """Where the head is to stand for each picture, mm: the camera over the cross by the offset that is held."""
        x, y = (o + m - h for o, m, h in zip(self.origin, self.middle, held, strict=True))
        return tuple((x + dx, y + dy) for dx, dy in self.moves)

    def job(self, number: int) -> Job:
        """The cross, and its number in a corner, out of the picture."""
        strokes = tuple(Stroke((a, b), (a[0] - COME_FROM, a[1] - COME_FROM)) for a, b in self.lines())
        return Job.marking(f"piece {number}, a cross", (*strokes, *figures(number, (MARGIN, MARGIN), FIGURE)))
