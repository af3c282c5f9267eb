"""Which way the controller's axes point, as seen by the technician (arithmetic.md §2).

The picture's frame has +right and +away (up on the screen). A standpoint maps controller X, Y to it.
"""

from __future__ import annotations

from dataclasses import dataclass

from keen_compass.errors import InputError
from keen_compass.language import marked, tr

DIRECTIONS: dict[str, tuple[int, int]] = {"right": (1, 0), "left": (-1, 0), "away": (0, 1), "toward": (0, -1)}
WORDS = {
    "right": marked("to the right"),
    "left": marked("to the left"),
    "away": marked("away from you"),
    "toward": marked("towards you"),
}
_OPPOSITE = {"right": "left", "left": "right", "away": "toward", "toward": "away"}


@dataclass(frozen=True, slots=True)
class Standpoint:
    """Where +X and +Y point: a key of `DIRECTIONS` each, at right angles to one another."""

    x_points: str = "right"
    y_points: str = "away"

    def __post_init__(self) -> None:
        for name in (self.x_points, self.y_points):
            if name not in DIRECTIONS:
                raise InputError(tr("{name!r} is not one of {directions}", name=name, directions=", ".join(DIRECTIONS)))
        (a, b), (c, d) = DIRECTIONS[self.x_points], DIRECTIONS[self.y_points]
        if a * c + b * d:
            raise InputError(
                tr(
                    "+X {x_points} and +Y {y_points} are not at right angles",
                    x_points=self.x_points,
                    y_points=self.y_points,
                )
            )

    @property
    def left_handed(self) -> bool:
        """Whether X and Y run the other way round than on paper, seen from above."""
        (a, b), (c, d) = DIRECTIONS[self.x_points], DIRECTIONS[self.y_points]
        return a * d - b * c < 0

    def to_view(self, x: float, y: float) -> tuple[float, float]:
        """Controller (x, y) → (right, away), same unit."""
        (a, b), (c, d) = DIRECTIONS[self.x_points], DIRECTIONS[self.y_points]
        return a * x + c * y, b * x + d * y

    def turned_over(self) -> Standpoint:
        """As it is seen when what lies there is turned over, its left side to the right."""
        swapped = {"right": "left", "left": "right"}
        return Standpoint(swapped.get(self.x_points, self.x_points), swapped.get(self.y_points, self.y_points))

    def turned(self, quarters: int) -> Standpoint:
        """As it is seen when what lies there is turned anticlockwise by so many right angles."""
        order = ("right", "away", "left", "toward")

        def on(points: str) -> str:
            return order[(order.index(points) + quarters) % 4]

        return Standpoint(on(self.x_points), on(self.y_points))

    def to_machine(self, right: float, away: float) -> tuple[float, float]:
        """Inverse of `to_view`."""
        (a, b), (c, d) = DIRECTIONS[self.x_points], DIRECTIONS[self.y_points]
        return a * right + b * away, c * right + d * away

    def level(self, axis: str) -> bool:
        """Whether an axis runs to the left and right, not away."""
        return (self.x_points if axis == "x" else self.y_points) in ("right", "left")

    def words(self, axis: str, sign: float) -> str:
        """``words("x", -0.5)`` → ``to the left``."""
        points = self.x_points if axis == "x" else self.y_points
        return tr(WORDS[points if sign >= 0 else _OPPOSITE[points]])
