"""A row of squares by their corners: cut short, closed, run over. The one that closes is picked, or halfway."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPainterPath, QPen

from keen_compass.app import theme as th
from keen_compass.app.round.row_surface import RowSurface
from keen_compass.pieces.blade_row import BladeRow
from keen_compass.quantities.charts import Rungs

INSET, LINE = 0.2, 3.0  # share of a box, px
ROUND, SPIKE, MOST = 0.11, 0.07, 3.0  # of a box for each square away from the one that closes; no more than so many


class CornersSurface(RowSurface):
    """Each shows a corner as it must look where the picked one closes; before that, as if the middle one did."""

    CAPTION = "drag_blade.row"
    WORDS = 36.0
    PER_ROW = 4  # large: it is the picture that is compared

    def _count(self) -> int:
        return len(self._values())

    def _values(self) -> tuple[float, ...]:
        row = self.shape_of(BladeRow)
        return row.values if row else ()

    def _draw_thing(self, p: QPainter, i: int, box: QRectF, rungs: Rungs | None) -> None:
        closes = rungs.pick if rungs and rungs.pick is not None else (self._count() + 1) / 2
        p.setPen(QPen(th.color("ink"), LINE, Qt.PenStyle.SolidLine, Qt.PenCapStyle.FlatCap, Qt.PenJoinStyle.MiterJoin))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawPath(corner(box, i + 1 - closes))
        p.setFont(th.font(20, bold=True))
        area = QRectF(box.left(), box.top(), 0.66 * box.width(), 0.62 * box.height())
        p.drawText(area, Qt.AlignmentFlag.AlignCenter, str(i + 1))


def corner(box: QRectF, off: float) -> QPainterPath:
    """A corner at the lower right: cut in from the left, out upwards. off: in squares from the one that closes."""
    x, y = box.right() - INSET * box.width(), box.bottom() - INSET * box.height()
    path = QPainterPath(QPointF(box.left() + 0.08 * box.width(), y))
    top = QPointF(x, box.top() + 0.08 * box.height())
    by = min(abs(off), MOST) * min(box.width(), box.height())
    if off < -0.5:
        path.lineTo(x - ROUND * by, y)
        path.quadTo(QPointF(x, y), QPointF(x, y - ROUND * by))
    elif off > 0.5:
        over = SPIKE * by
        path.lineTo(x + over, y)
        path.cubicTo(QPointF(x + over, y - over), QPointF(x, y - over), QPointF(x, y - 3 * over))
    else:
        path.lineTo(x, y)
    path.lineTo(top)
    return path
