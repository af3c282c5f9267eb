"""Kinds of machines, drawn: what carries the tool, the tool at work, what it leaves."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QKeyEvent, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QPushButton, QSizePolicy

from keen_compass.app import theme as th
from keen_compass.quantities.kinds import MachineKind

ACROSS = 3  # kinds in a row


class KindButton(QPushButton):
    """A kind of machine, drawn; arrow keys go to the others."""

    def __init__(self, kind: MachineKind) -> None:
        super().__init__()
        self.kind = kind
        self.setAccessibleName(kind.said)
        self.setAutoDefault(True)
        self.setStyleSheet("QPushButton { min-height: 150px; min-width: 180px; }")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter chooses; arrows go to what is drawn there."""
        step = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Down: ACROSS, Qt.Key.Key_Up: -ACROSS}
        page = self.parentWidget()
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.click()
        elif (by := step.get(Qt.Key(event.key()))) and page is not None:
            buttons = page.findChildren(KindButton)
            at = buttons.index(self) + by
            if 0 <= at < len(buttons):
                buttons[at].setFocus()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, _event: object) -> None:
        """The machine from the front, its name below."""
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        here = self.hasFocus() or self.underMouse()
        p.setPen(QPen(th.color("focus" if here else "line"), 3 if here else 1.4))
        p.setBrush(th.color("card"))
        p.drawRoundedRect(QRectF(self.rect()).adjusted(2, 2, -2, -2), 10, 10)
        size = min(self.width() - 40, (self.height() - 60) * 1.6)
        area = QRectF((self.width() - size) / 2, 16, size, size / 1.6)
        draw_kind(p, self.kind, area)
        p.setFont(th.font(17, bold=True))
        p.setPen(th.color("ink"))
        p.drawText(QRectF(0, self.height() - 40, self.width(), 28), Qt.AlignmentFlag.AlignCenter, self.kind.said)


def draw_kind(p: QPainter, kind: MachineKind, area: QRectF) -> None:
    """What it cuts or draws on, what carries the tool, and the tool at work."""
    p.save()
    p.translate(area.topLeft())
    p.scale(area.width() / 160, area.height() / 100)
    p.setPen(QPen(th.color("ink"), 2.4))
    if kind.plots:
        p.setBrush(th.color("film"))
        p.drawRect(QRectF(22, 44, 116, 50))  # what hangs down in front
        p.setBrush(th.color("quiet_fill"))
        p.drawRoundedRect(QRectF(10, 26, 140, 18), 9, 9)
        p.drawRect(QRectF(70, 16, 22, 30))
    else:
        p.setBrush(th.color("material"))
        p.drawPolygon(QPolygonF([QPointF(30, 58), QPointF(148, 58), QPointF(130, 92), QPointF(12, 92)]))
        p.setBrush(th.color("quiet_fill"))
        p.drawRect(QRectF(18, 20, 122, 12))
        p.drawLine(QPointF(22, 32), QPointF(22, 74))
        p.drawLine(QPointF(136, 32), QPointF(136, 74))
        p.drawRect(QRectF(66, 12, 26, 34))
    _draw_tool(p, kind)
    p.restore()


def _draw_tool(p: QPainter, kind: MachineKind) -> None:
    made = QPen(th.color("focus"), 2.4)
    match kind:
        case MachineKind.ROUTER:
            p.drawRect(QRectF(75, 46, 8, 22))
            p.drawLine(QPointF(75, 52), QPointF(83, 57))
            p.drawLine(QPointF(75, 60), QPointF(83, 65))
            p.setPen(made)
            p.drawLine(QPointF(46, 72), QPointF(79, 72))
        case MachineKind.PLASMA:
            p.drawPolygon(QPolygonF([QPointF(72, 46), QPointF(86, 46), QPointF(81, 58), QPointF(77, 58)]))
            p.setPen(QPen(th.color("bad"), 2.4))
            for dx in (-9, -4, 0, 4, 9):
                p.drawLine(QPointF(79, 60), QPointF(79 + dx, 72))
            p.setPen(made)
            p.drawLine(QPointF(46, 74), QPointF(79, 74))
        case MachineKind.LASER:
            p.drawEllipse(QPointF(79, 48), 11, 4)
            p.setPen(QPen(th.color("bad"), 1.8))
            p.drawLine(QPointF(70, 50), QPointF(79, 73))
            p.drawLine(QPointF(88, 50), QPointF(79, 73))
            p.setPen(made)
            p.drawLine(QPointF(46, 74), QPointF(79, 74))
        case MachineKind.PEN:
            p.drawPolygon(
                QPolygonF([QPointF(77, 46), QPointF(85, 46), QPointF(85, 56), QPointF(81, 64), QPointF(77, 56)])
            )
            p.setPen(made)
            p.drawEllipse(QPointF(66, 74), 15, 10)
        case _:
            p.drawPolygon(QPolygonF([QPointF(78, 46), QPointF(84, 46), QPointF(84, 60), QPointF(78, 66)]))
            if kind is MachineKind.PRINT_AND_CUT:
                p.setPen(Qt.PenStyle.NoPen)
                p.setBrush(th.color("bad"))
                p.drawEllipse(QPointF(62, 74), 10, 8)
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.setPen(QPen(th.color("ink"), 2))
                for x in (32, 126):
                    p.drawLine(QPointF(x, 54), QPointF(x + 6, 54))
                    p.drawLine(QPointF(x + 3, 51), QPointF(x + 3, 57))
            p.setPen(made)
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawEllipse(QPointF(62, 74), 16, 13)
