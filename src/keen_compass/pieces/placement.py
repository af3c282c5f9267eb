"""Where on the stock the next piece goes: beside the last, never on top of it."""

from __future__ import annotations

from collections.abc import Sequence

from keen_compass.errors import PieceError
from keen_compass.language import tr
from keen_compass.pieces.toolpath import Stroke, ToolPath
from keen_compass.quantities.geometry import Box

GAP = 10.0  # mm between pieces, and to the edge of the stock


def visited(strokes: Sequence[Stroke]) -> Box:
    """The box of everything that the tool visits, down or up."""
    points = [p for s in strokes for p in s.visits()]
    x, y = min(x for x, _ in points), min(y for _, y in points)
    return Box(x, y, max(x for x, _ in points) - x, max(y for _, y in points) - y)


def check_on_bed(path: ToolPath, bed: Box, what: str = "bed") -> None:
    """Raise PieceError, with the way out, where the tool's centre would leave the bed (or roll, or sheet)."""
    for stroke in path.strokes:
        for x, y in stroke.visits():
            if not (bed.x <= x <= bed.x_high and bed.y <= y <= bed.y_high):
                raise PieceError(
                    tr(
                        "the tool would go to X{x:.1f} Y{y:.1f} and leave the {what} ({width:g} × {height:g} "
                        "mm); make the piece smaller or place it elsewhere",
                        x=x,
                        y=y,
                        what=what,
                        width=bed.width,
                        height=bed.height,
                    )
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
