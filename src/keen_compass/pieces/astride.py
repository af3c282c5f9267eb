"""What two tools leave beside one another on the material: lines astride a cut, or two scales (arithmetic.md §9).

The first tool makes one layer, the second the other; by how much the second is off is read between them.
"""

from __future__ import annotations

from dataclasses import dataclass

from keen_compass.errors import PieceError
from keen_compass.language import tr
from keen_compass.pieces.in_picture import Pattern
from keen_compass.pieces.job import Job, JobLayer
from keen_compass.pieces.toolpath import Does, Stroke, figures
from keen_compass.quantities.geometry import Point

WAYS = ("gaps", "vernier")
LARGEST_PITCH = 50.0  # mm
MOST_DIVISIONS = 100
SPACING = 10.0  # mm, of a pair where none is said
ACROSS, ARM = 60.0, 22.0  # mm: of the whole, and of the cross from its middle
PAIR = (8.0, 18.0)  # mm from the middle of the cross, between which the lines astride it run
COME_FROM = 4.0  # mm below and left of a line, so that both axes come to all of them the same way
FIGURE, MARGIN = 5.0, 3.0  # mm
TICK, ZERO = 5.0, 8.0  # mm, of a scale
FIRST, SECOND = 1, 2  # pens


@dataclass(frozen=True, slots=True)
class Astride:
    """way: gaps or vernier. pitch (mm) and divisions of a vernier; spacing: of the drawn lines, mm, 0 where unknown."""

    way: str
    pitch: float = 1.0
    divisions: int = 20
    spacing: float = 0.0

    def __post_init__(self) -> None:
        if self.way not in WAYS:
            raise PieceError(tr("expected gaps or vernier"), "way")
        if not 0 < self.pitch <= LARGEST_PITCH:
            raise PieceError(tr("larger than 0 and at most {largest_pitch:g} mm", largest_pitch=LARGEST_PITCH), "pitch")
        if not 2 <= self.divisions <= MOST_DIVISIONS:
            raise PieceError(f"2 to {MOST_DIVISIONS}", "divisions")

    def nominal(self, _measurand: str) -> float:
        """Half the spacing of a gap; nothing of a vernier."""
        return self.spacing / 2 if self.way == "gaps" else 0.0

    @property
    def reach(self) -> int:
        """How many ticks stand on either side of a scale's middle one."""
        return self.divisions // 2

    @property
    def half(self) -> float:
        """From the middle to each edge, mm."""
        return ACROSS / 2 if self.way == "gaps" else (self.reach + 2) * self.pitch

    @property
    def pattern(self) -> Pattern:
        """Of a cross and pairs astride it."""
        return Pattern((self.half, self.half), ARM, self._spacing, PAIR)

    @property
    def _spacing(self) -> float:
        return self.spacing or SPACING

    def scale_at(self, axis: str) -> Point:
        """The middle of the scale that tells about an axis: X, and Y to the right of it."""
        h, y = self.half, max(self.half, ZERO) + FIGURE + 2 * MARGIN
        return (h + MARGIN, y) if axis == "x" else (2 * h + 2 * ZERO + MARGIN, y)

    def named(self) -> tuple[tuple[str, tuple[Point, Point]], ...]:
        """(name, ends) of every line but the numbers, first tool first: ``cut_x``, ``high_x``, ``first_x_-3`` …"""
        return self._astride() if self.way == "gaps" else self._scales()

    def _astride(self) -> tuple[tuple[str, tuple[Point, Point]], ...]:
        c, s, (low, high) = self.half, self._spacing / 2, PAIR
        return (
            ("cut_x", ((c, c - ARM), (c, c + ARM))),
            ("cut_y", ((c - ARM, c), (c + ARM, c))),
            ("low_x", ((c - s, c + low), (c - s, c + high))),
            ("high_x", ((c + s, c + low), (c + s, c + high))),
            ("low_y", ((c + low, c - s), (c + high, c - s))),
            ("high_y", ((c + low, c + s), (c + high, c + s))),
        )

    def _scales(self) -> tuple[tuple[str, tuple[Point, Point]], ...]:
        found = []
        for name, pitch, side in (("first", self.pitch, 1.0), ("second", self.pitch * (1 - 1 / self.divisions), -1.0)):
            for axis in "xy":
                x, y = self.scale_at(axis)
                for k in range(-self.reach, self.reach + 1):
                    long, at = side * (ZERO if k == 0 else TICK), k * pitch
                    ends = ((x + at, y), (x + at, y + long)) if axis == "x" else ((x, y + at), (x + long, y + at))
                    found.append((f"{name}_{axis}_{k}", ends))
        return tuple(found)

    def lines(self, **_actual: float) -> tuple[tuple[Point, Point], ...]:
        """All of them, without their names."""
        return tuple(ends for _, ends in self.named())

    def order_of(self, name: str) -> int:
        """Which of all lines it is, from 0."""
        return [n for n, _ in self.named()].index(name)

    def outline(self, **_actual: float) -> tuple[Point, ...]:
        """Round all of it."""
        size = self.footprint()
        return (0, 0), (size[0], 0), size, (0, size[1])

    def footprint(self) -> tuple[float, float]:
        """Room on the stock, mm; with as much besides as the second tool may be off."""
        if self.way == "gaps":
            return ACROSS, ACROSS
        x, y = self.scale_at("y")
        return x + ZERO + 2 * MARGIN, y + max(self.half, ZERO) + MARGIN

    def job(self, number: int) -> Job:
        """The first tool's lines, then the second's, which writes the number, too."""
        first: list[Stroke] = []
        second: list[Stroke] = []
        for name, (a, b) in self.named():
            stroke = Stroke((a, b), (a[0] - COME_FROM, a[1] - COME_FROM))
            (first if name.startswith(("cut", "first")) else second).append(stroke)
        second += figures(number, (MARGIN, MARGIN), FIGURE)
        title = f"piece {number}, two tools, {self.way}"
        return Job(title, (JobLayer(Does.MARK, tuple(first), FIRST), JobLayer(Does.MARK, tuple(second), SECOND)))
