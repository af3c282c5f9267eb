"""The rose itself: one spoke for each calibrated value, the ring is the tolerance."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPen

from keen_compass.app import theme as th
from keen_compass.app.parts import STATE_COLOUR, ShowsFocus, draw_state
from keen_compass.machines.profile import Machine
from keen_compass.shop.standing import Spoke, State
from keen_compass.words.standing import figure, reason

RING = 0.62  # of the outermost radius
LABEL_GAP = 12.0
LABEL_WIDTH = 130.0
HIT = 34.0  # px around a spoke's line or label


def radius_of(reach: float) -> float:
    """Share of the outermost radius: linear up to the ring, compressed beyond, never past 1."""
    if reach <= 1:
        return RING * reach
    return RING + (1 - RING) * (1 - 1 / (1 + 0.6 * (reach - 1)))


SIGN_ROOM = 22.0  # px that a state's sign needs beside the next


class Rose(ShowsFocus):
    """`small` roses live in the rail: no labels, no focus."""

    opened = Signal(str)

    def __init__(self, *, small: bool = False) -> None:
        super().__init__()
        self._small = small
        self._spokes: list[Spoke] = []
        self._machine: Machine | None = None
        self._selected = 0
        if not small:
            self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
            self.setMinimumSize(320, 300)
            self.setMouseTracking(True)

    def show_spokes(self, spokes: list[Spoke], machine: Machine | None = None) -> None:
        """What to draw, and of which machine where it can be opened."""
        self._spokes, self._machine = spokes, machine
        self._selected = min(self._selected, max(len(spokes) - 1, 0))
        self._say_selected()
        self.update()

    def _say_selected(self) -> None:
        if self._spokes and self._machine:
            s = self._spokes[self._selected]
            self.setAccessibleName(f"Rose. {s.label}: {figure(s)}. {reason(s, self._machine)}")

    def angle(self, index: int) -> float:
        """Screen angle of a spoke, rad, clockwise from up; the first points up."""
        return 2 * math.pi * index / max(len(self._spokes), 1) + (math.pi / 6 if len(self._spokes) == 2 else 0)

    def geometry_of(self) -> tuple[QPointF, float]:
        """(centre, outermost radius) in px."""
        if self._small:
            return QPointF(self.width() / 2, self.height() / 2), min(self.width(), self.height()) / 2 - 2
        middle = QPointF(self.width() / 2, self.height() / 2 + 4)
        return middle, max(60.0, min(self.width() / 2 - LABEL_WIDTH - LABEL_GAP, self.height() / 2 - 62))

    def _direction(self, index: int) -> QPointF:
        a = self.angle(index)
        return QPointF(math.sin(a), -math.cos(a))

    def paintEvent(self, _event: object) -> None:
        """Draw ring, spokes and labels."""
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle, R = self.geometry_of()
        p.setBrush(th.color("good_fill"))
        p.setPen(QPen(th.color("good"), 1.2 if self._small else 2.2))
        p.drawEllipse(middle, RING * R, RING * R)
        if not self._small:
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(th.color("line"), 1, Qt.PenStyle.DotLine))
            p.drawEllipse(middle, R, R)
            p.drawEllipse(middle, RING * R / 2, RING * R / 2)
            self._draw_key(p)
        for i, spoke in enumerate(self._spokes):
            self._draw_spoke(p, i, spoke, middle, R)
        if not self._small:
            for i, spoke in enumerate(self._spokes):
                self._draw_label(p, i, spoke, middle, R)

    def _draw_key(self, p: QPainter) -> None:
        """What the ring is, in the corner where no spoke ever comes."""
        at = QPointF(20, self.height() - 18)
        p.setBrush(th.color("good_fill"))
        p.setPen(QPen(th.color("good"), 2.2))
        p.drawEllipse(at, 9, 9)
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("soft"))
        p.drawText(
            QRectF(at.x() + 18, at.y() - 12, 240, 24), Qt.AlignmentFlag.AlignVCenter, "the ring is the tolerance"
        )

    def _draw_spoke(self, p: QPainter, index: int, spoke: Spoke, middle: QPointF, R: float) -> None:
        d = self._direction(index)
        across = QPointF(-d.y(), d.x())
        state_colour = th.color(STATE_COLOUR[spoke.state])
        if not self._small:
            p.setPen(QPen(th.color("line"), 1))
            p.drawLine(middle, middle + d * R)
        if spoke.state is State.NEVER:
            sign_at = middle + d * max(0.3 * R, (2 if self._small else SIGN_ROOM) * len(self._spokes) / (2 * math.pi))
            draw_state(p, State.NEVER, sign_at, 3 if self._small else 9, state_colour, th.color("good_fill"))
            return
        tip = middle + d * (R * radius_of(spoke.reach))
        half = 2.2 if self._small else 11.0
        blade = QPainterPath(middle + across * half)
        blade.lineTo(tip)
        blade.lineTo(middle - across * half)
        blade.closeSubpath()
        fill = th.color(STATE_COLOUR[spoke.state])
        fill.setAlpha(255 if self._small else 90)
        p.setBrush(fill)
        p.setPen(QPen(state_colour, 1.0 if self._small else 1.4))
        p.drawPath(blade)
        if self._small:
            return
        low = middle + d * (R * radius_of(max(spoke.reach - spoke.U_reach, 0)))
        high = middle + d * (R * radius_of(spoke.reach + spoke.U_reach))
        # Small errors all point at the middle: their signs stand where they have room beside each other.
        clear = SIGN_ROOM * len(self._spokes) / (2 * math.pi)
        sign_at = middle + d * max(R * radius_of(spoke.reach), clear)
        draw_state(p, spoke.state, sign_at, 7, state_colour, th.color("card"))
        p.setPen(QPen(state_colour, 3, Qt.PenStyle.SolidLine, Qt.PenCapStyle.FlatCap))
        p.drawLine(low, high)
        for end in (low, high):
            p.drawLine(end - across * 13, end + across * 13)

    def _label_box(self, index: int, middle: QPointF, R: float) -> QRectF:
        d = self._direction(index)
        at = middle + d * (R + LABEL_GAP)
        width, height = LABEL_WIDTH, 48.0
        aside = min(max(2.2 * d.x(), -1.0), 1.0)  # labels near the top and bottom lean out of each other's way
        x = at.x() - width / 2 + aside * width / 2
        y = at.y() - height / 2 + d.y() * height / 2
        return QRectF(min(max(x, 2.0), self.width() - width - 2), y, width, height)

    def _draw_label(self, p: QPainter, index: int, spoke: Spoke, middle: QPointF, R: float) -> None:
        box = self._label_box(index, middle, R)
        if index == self._selected and self.hasFocus():
            p.setPen(QPen(th.color("focus"), 2.5))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRoundedRect(box.adjusted(-2, -2, 2, 2), 8, 8)
        d = self._direction(index)
        side = Qt.AlignmentFlag.AlignHCenter
        if abs(d.x()) > 0.2:
            side = Qt.AlignmentFlag.AlignLeft if d.x() > 0 else Qt.AlignmentFlag.AlignRight
        inner = box.adjusted(8, 2, -8, -2)
        p.setFont(th.font(17, bold=True))
        p.setPen(th.color("ink"))
        p.drawText(inner, side | Qt.AlignmentFlag.AlignTop, spoke.label)
        p.setFont(th.font(16))
        p.setPen(th.color(STATE_COLOUR[spoke.state]))
        words = "re-check" if spoke.state is State.RECHECK else figure(spoke)
        p.drawText(inner, side | Qt.AlignmentFlag.AlignBottom, words)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows choose a spoke, Enter opens it."""
        step = {
            Qt.Key.Key_Right: 1, Qt.Key.Key_Down: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Up: -1,
        }.get(Qt.Key(event.key()))  # fmt: skip
        if self._spokes and step:
            self._selected = (self._selected + step) % len(self._spokes)
            self._say_selected()
            self.update()
        elif self._spokes and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.opened.emit(self._spokes[self._selected].quantity)
        else:
            super().keyPressEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """A click on a spoke or its label opens it."""
        hit = self._hit(event.position())
        if hit is not None and not self._small:
            self._selected = hit
            self.opened.emit(self._spokes[hit].quantity)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Show what can be clicked."""
        hand = not self._small and self._hit(event.position()) is not None
        self.setCursor(Qt.CursorShape.PointingHandCursor if hand else Qt.CursorShape.ArrowCursor)

    def _hit(self, at: QPointF) -> int | None:
        middle, R = self.geometry_of()
        for i in range(len(self._spokes)):
            if self._label_box(i, middle, R).contains(at):
                return i
        rel = at - middle
        for i in range(len(self._spokes)):
            d = self._direction(i)
            along = QPointF.dotProduct(rel, d)
            off = abs(rel.x() * -d.y() + rel.y() * d.x())
            if 0 < along < R and off < HIT / 2:
                return i
        return None
