"""Where on the stock the next piece goes: beside the last, never on top of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from keen_compass.errors import PieceError
from keen_compass.pieces.toolpath import ToolPath

GAP = 10.0  # mm between pieces, and to the edge of the stock


@dataclass(frozen=True, slots=True)
class Box:
    """A rectangle on the bed, in the controller's X and Y, mm."""

    x: float
    y: float
    width: float
    height: float

    @property
    def x_high(self) -> float:
        """Highest X."""
        return self.x + self.width

    @property
    def y_high(self) -> float:
        """Highest Y."""
        return self.y + self.height

    def overlaps(self, other: Box, gap: float = 0.0) -> bool:
        """Whether they come closer than `gap`."""
        return (
            self.x < other.x_high + gap and other.x < self.x_high + gap
            and self.y < other.y_high + gap and other.y < self.y_high + gap
        )  # fmt: skip

    def within(self, other: Box) -> Box:
        """What both have in common; nothing wide where they don't meet."""
        x, y = max(self.x, other.x), max(self.y, other.y)
        return Box(x, y, max(min(self.x_high, other.x_high) - x, 0.0), max(min(self.y_high, other.y_high) - y, 0.0))

    def holds(self, other: Box) -> bool:
        """Whether `other` lies inside, edges touching allowed."""
        return (
            self.x <= other.x and self.y <= other.y
            and other.x_high <= self.x_high and other.y_high <= self.y_high
        )  # fmt: skip


def visited(path: ToolPath) -> Box:
    """The box of everything that the tool visits, down or up."""
    points = [p for s in path.strokes for p in (*s.points, *((s.approach,) if s.approach else ()))]
    x, y = min(x for x, _ in points), min(y for _, y in points)
    return Box(x, y, max(x for x, _ in points) - x, max(y for _, y in points) - y)


def marked(path: ToolPath) -> Box:
    """The box of everything that the tool marks or cuts."""
    x, y, x_high, y_high = path.extents()
    return Box(x, y, x_high - x, y_high - y)


def check_on_bed(path: ToolPath, bed: Box, what: str = "bed") -> None:
    """Raise PieceError, with the way out, where the tool's centre would leave the bed (or roll, or sheet)."""
    for stroke in path.strokes:
        for x, y in (*stroke.points, *((stroke.approach,) if stroke.approach else ())):
            if not (bed.x <= x <= bed.x_high and bed.y <= y <= bed.y_high):
                raise PieceError(
                    f"the tool would go to X{x:.1f} Y{y:.1f} and leave the {what} "
                    f"({bed.width:g} × {bed.height:g} mm); make the piece smaller or place it elsewhere"
                )


def next_free(stock: Box, taken: Sequence[Box], size: tuple[float, float]) -> Box | None:
    """The free place nearest the stock's low corner, or None where it doesn't fit.

    Candidates are the corners that the stock and the earlier pieces leave; if any place is free,
    pushing it down and left ends at one of them.
    """
    width, height = size
    xs = sorted({stock.x + GAP, *(b.x_high + GAP for b in taken)})
    ys = sorted({stock.y + GAP, *(b.y_high + GAP for b in taken)})
    inner = Box(stock.x + GAP, stock.y + GAP, stock.width - 2 * GAP, stock.height - 2 * GAP)
    for y in ys:
        for x in xs:
            place = Box(x, y, width, height)
            if inner.holds(place) and not any(place.overlaps(b, GAP - 1e-9) for b in taken):
                return place
    return None
