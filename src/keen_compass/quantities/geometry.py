"""Points and boxes on the bed, in the controller's X and Y, mm."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

Point = tuple[float, float]
Area = Any  # what shapely makes: loaded late, and it has no types


@dataclass(frozen=True, slots=True)
class Box:
    """A rectangle on the bed, in the controller's X and Y, mm."""

    x: float
    y: float
    width: float
    height: float

    @property
    def x_high(self) -> float:
        """The highest X of the box, mm."""
        return self.x + self.width

    @property
    def y_high(self) -> float:
        """The highest Y of the box, mm."""
        return self.y + self.height

    def moved(self, dx: float, dy: float) -> Box:
        """A box of the same size elsewhere."""
        return Box(self.x + dx, self.y + dy, self.width, self.height)

    def overlaps(self, other: Box, gap: float = 0.0) -> bool:
        """Whether they come closer than `gap`."""
        return (
            self.x < other.x_high + gap
            and other.x < self.x_high + gap
            and self.y < other.y_high + gap
            and other.y < self.y_high + gap
        )

    def within(self, other: Box) -> Box:
        """What both have in common; nothing wide where they don't meet."""
        x, y = max(self.x, other.x), max(self.y, other.y)
        return Box(x, y, max(min(self.x_high, other.x_high) - x, 0.0), max(min(self.y_high, other.y_high) - y, 0.0))

    def holds(self, other: Box) -> bool:
        """Whether `other` lies inside, edges touching allowed."""
        return self.x <= other.x and self.y <= other.y and other.x_high <= self.x_high and other.y_high <= self.y_high
