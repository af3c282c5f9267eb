"""The machine from above, with its axes as they point from where the technician is; turned by mouse or keys."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF

from keen_compass.app import theme as th
from keen_compass.app.parts import ShowsFocus, painter_on_card
from keen_compass.language import tr
from keen_compass.quantities.standpoint import Standpoint

TURNED = {"right": "away", "away": "left", "left": "toward", "toward": "right"}  # a quarter turn, anticlockwise
OPPOSITE = {"right": "left", "left": "right", "away": "toward", "toward": "away"}
VECTOR = {"right": (1.0, 0.0), "left": (-1.0, 0.0), "away": (0.0, -1.0), "toward": (0.0, 1.0)}  # on the screen


class StandpointPicture(ShowsFocus):
    """Click a side of the bed to point +X there; click it again, or press ↑, to flip +Y. ← → turn both."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(300, 300)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.standpoint = Standpoint()
        self.set_standpoint(self.standpoint)

    def set_standpoint(self, standpoint: Standpoint) -> None:
        """Show where one is and where the axes point."""
        self.standpoint = standpoint
        s = standpoint
        self.setAccessibleName(
            tr("Where the axes point: +X {words}, +Y {y_words}", words=s.words("x", 1), y_words=s.words("y", 1))
        )
        self.setAccessibleDescription(tr("Left and Right turn both axes, Up or Down flips Y"))
        self.update()

    def turn(self, quarters: int) -> None:
        """Both axes by quarter turns, anticlockwise."""
        x, y = self.standpoint.x_points, self.standpoint.y_points
        for _ in range(quarters % 4):
            x, y = TURNED[x], TURNED[y]
        self._set(Standpoint(x, y))

    def flip(self) -> None:
        """+Y the other way."""
        self._set(Standpoint(self.standpoint.x_points, OPPOSITE[self.standpoint.y_points]))

    def _set(self, standpoint: Standpoint) -> None:
        self.set_standpoint(standpoint)
        self.changed.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrow keys turn the axes."""
        match event.key():
            case Qt.Key.Key_Left:
                self.turn(1)
            case Qt.Key.Key_Right:
                self.turn(-1)
            case Qt.Key.Key_Up | Qt.Key.Key_Down:
                self.flip()
            case _:
                super().keyPressEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """The side that was clicked."""
        rel = event.position() - self._bed().center()
        side = max(VECTOR, key=lambda d: VECTOR[d][0] * rel.x() + VECTOR[d][1] * rel.y())
        if side == self.standpoint.x_points:
            self.flip()
        else:
            while self.standpoint.x_points != side:
                self.turn(1)

    def _bed(self) -> QRectF:
        return QRectF(58, 40, self.width() - 116, self.height() - 132)

    def paintEvent(self, _event: object) -> None:
        """Bed, technician, arrows, words."""
        p = painter_on_card(self)
        bed = self._bed()
        p.setPen(QPen(th.color("ink"), 2))
        p.setBrush(th.color("material"))
        p.drawRect(bed)
        s = self.standpoint
        start = bed.center() - QPointF(
            *(0.5 * (a + b) for a, b in zip(self._reach(s.x_points), self._reach(s.y_points), strict=True))
        )
        for letter, points, colour in (("X", s.x_points, "focus"), ("Y", s.y_points, "good")):
            self._arrow(p, start, points, f"+{letter}", colour)
        p.setBrush(th.color("ink"))
        p.setPen(Qt.PenStyle.NoPen)
        at = QPointF(bed.center().x(), bed.bottom() + 14)
        p.drawPolygon(QPolygonF([at, at + QPointF(11, 16), at + QPointF(-11, 16)]))
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("soft"))
        p.drawText(QRectF(at.x() + 16, at.y(), 150, 22), Qt.AlignmentFlag.AlignVCenter, tr("you stand here"))
        p.setFont(th.font(16, bold=True))
        p.setPen(th.color("ink"))
        words = f"+X {s.words('x', 1)}, +Y {s.words('y', 1)}"
        p.drawText(QRectF(0, self.height() - 44, self.width(), 28), Qt.AlignmentFlag.AlignCenter, words)
        if self.hasFocus():
            p.setPen(QPen(th.color("focus"), 3))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRoundedRect(QRectF(self.rect()).adjusted(2, 2, -2, -2), 10, 10)

    def _reach(self, points: str) -> tuple[float, float]:
        """The arrow's length and way, px."""
        bed = self._bed()
        x, y = VECTOR[points]
        return 0.6 * bed.width() * x, 0.6 * bed.height() * y

    def _arrow(self, p: QPainter, start: QPointF, points: str, words: str, colour: str) -> None:
        tip = start + QPointF(*self._reach(points))
        way = QPointF(*VECTOR[points])
        across = QPointF(-way.y(), way.x())
        p.setPen(QPen(th.color(colour), 4))
        p.drawLine(start, tip)
        p.setBrush(th.color(colour))
        p.setPen(Qt.PenStyle.NoPen)
        p.drawPolygon(QPolygonF([tip + way * 12, tip - way * 6 + across * 9, tip - way * 6 - across * 9]))
        p.setFont(th.font(20, bold=True))
        p.setPen(th.color(colour))
        label = tip + way * 12 + across * (22 if math.fabs(way.x()) else -24)
        p.drawText(QRectF(label.x() - 24, label.y() - 14, 48, 28), Qt.AlignmentFlag.AlignCenter, words)
