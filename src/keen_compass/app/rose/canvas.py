"""The rose itself: one spoke for each calibrated value, the ring is the tolerance."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPen

from keen_compass.app import theme as th
from keen_compass.app.parts import STATE_COLOUR, ShowsFocus, draw_state
from keen_compass.language import tr
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
    """`opened` carries the quantity of a spoke."""

    opened = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self._spokes: list[Spoke] = []
        self._machine: Machine | None = None
        self._due: Mapping[str, str] = {}
        self._selected = 0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(320, 300)
        self.setMouseTracking(True)

    def show_spokes(self, spokes: list[Spoke], machine: Machine | None = None) -> None:
        """What to draw, and of which machine where it can be opened."""
        self._spokes, self._machine, self._due = spokes, machine, {}
        self._selected = min(self._selected, max(len(spokes) - 1, 0))
        self._say_selected()
        self.update()

    def show_due(self, days: Mapping[str, str]) -> None:
        """Of what is due in the days ahead, the day in words, by quantity."""
        self._due = days
        self._say_selected()
        self.update()

    def _say_selected(self) -> None:
        if self._spokes and self._machine:
            s = self._spokes[self._selected]
            due = tr(" Due {due}.", due=self._due[s.quantity]) if s.quantity in self._due else ""
            self.setAccessibleName(
                tr(
                    "Rose. {label}: {figure}. {reason}{due}",
                    label=s.label,
                    figure=figure(s, self._machine),
                    reason=reason(s, self._machine),
                    due=due,
                )
            )

    def angle(self, index: int) -> float:
        """Screen angle of a spoke, rad, clockwise from up; the first points up."""
        return _angle(index, len(self._spokes))

    def geometry_of(self) -> tuple[QPointF, float]:
        """(centre, outermost radius) in px."""
        middle = QPointF(self.width() / 2, self.height() / 2 + 4)
        return middle, max(60.0, min(self.width() / 2 - LABEL_WIDTH - LABEL_GAP, self.height() / 2 - 62))

    def _direction(self, index: int) -> QPointF:
        return _direction(index, len(self._spokes))

    def paintEvent(self, _event: object) -> None:
        """Draw ring, spokes and labels."""
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle, R = self.geometry_of()
        _draw_ring(p, middle, R, 2.2)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(th.color("line"), 1, Qt.PenStyle.DotLine))
        p.drawEllipse(middle, R, R)
        p.drawEllipse(middle, RING * R / 2, RING * R / 2)
        self._draw_key(p)
        for i, spoke in enumerate(self._spokes):
            self._draw_spoke(p, i, spoke, middle, R)
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
            QRectF(at.x() + 18, at.y() - 12, 240, 24), Qt.AlignmentFlag.AlignVCenter, tr("the ring is the tolerance")
        )

    def _draw_spoke(self, p: QPainter, index: int, spoke: Spoke, middle: QPointF, R: float) -> None:
        d = self._direction(index)
        across = QPointF(-d.y(), d.x())
        state_colour = th.color(STATE_COLOUR[spoke.state])
        p.setPen(QPen(th.color("line"), 1))
        p.drawLine(middle, middle + d * R)
        # Small errors all point at the middle: their signs stand where they have room beside each other.
        clear = SIGN_ROOM * len(self._spokes) / (2 * math.pi)
        if spoke.state is State.NEVER:
            draw_state(p, State.NEVER, middle + d * max(0.3 * R, clear), 9, state_colour, th.color("good_fill"))
            return
        fill = th.color(STATE_COLOUR[spoke.state])
        fill.setAlpha(90)
        p.setBrush(fill)
        p.setPen(QPen(state_colour, 1.4))
        p.drawPath(_blade(middle, d, R * radius_of(spoke.reach), 11.0))
        low = middle + d * (R * radius_of(max(spoke.reach - spoke.U_reach, 0)))
        high = middle + d * (R * radius_of(spoke.reach + spoke.U_reach))
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
        d = self._direction(index)
        side = Qt.AlignmentFlag.AlignHCenter
        if abs(d.x()) > 0.2:
            side = Qt.AlignmentFlag.AlignLeft if d.x() > 0 else Qt.AlignmentFlag.AlignRight
        inner = box.adjusted(8, 2, -8, -2)
        assert self._machine is not None
        words = tr("re-check") if spoke.state is State.RECHECK else figure(spoke, self._machine)
        due = spoke.quantity in self._due
        words = tr("due {due}", due=self._due[spoke.quantity]) if due else words
        if index == self._selected and self.hasFocus():
            p.setPen(QPen(th.color("focus"), 2.5))
            p.setBrush(Qt.BrushStyle.NoBrush)
            name, value = (QFontMetricsF(th.font(px, bold=px == 17)) for px in (17, 16))
            wide = QRectF(
                0, 0, max(name.horizontalAdvance(spoke.label), value.horizontalAdvance(words)), inner.height()
            )
            wide.moveCenter(inner.center())
            if side is Qt.AlignmentFlag.AlignLeft:
                wide.moveLeft(inner.left())
            elif side is Qt.AlignmentFlag.AlignRight:
                wide.moveRight(inner.right())
            p.drawRoundedRect(wide.adjusted(-8, -3, 8, 3), 8, 8)
        p.setFont(th.font(17, bold=True))
        p.setPen(th.color("ink"))
        p.drawText(inner, side | Qt.AlignmentFlag.AlignTop, spoke.label)
        p.setFont(th.font(16))
        p.setPen(th.color("warn" if due else STATE_COLOUR[spoke.state]))
        p.drawText(inner, side | Qt.AlignmentFlag.AlignBottom, words)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows choose a spoke, Enter opens it."""
        step = {Qt.Key.Key_Right: 1, Qt.Key.Key_Down: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Up: -1}.get(
            Qt.Key(event.key())
        )
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
        if hit is not None:
            self._selected = hit
            self.opened.emit(self._spokes[hit].quantity)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Show what can be clicked."""
        hand = self._hit(event.position()) is not None
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


def draw_small_rose(p: QPainter, spokes: Sequence[Spoke], middle: QPointF, R: float) -> None:
    """Ring and blades alone, with no label and no sign; R: px.

    A path for each colour: a rail has many roses.
    """
    _draw_ring(p, middle, R, 1.2)
    blades: dict[str, QPainterPath] = {}
    never = QPainterPath()
    for i, spoke in enumerate(spokes):
        d = _direction(i, len(spokes))
        if spoke.state is State.NEVER:
            never.addEllipse(middle + d * max(0.3 * R, len(spokes) / math.pi), 3, 3)
        else:
            path = blades.setdefault(STATE_COLOUR[spoke.state], QPainterPath())
            path.addPath(_blade(middle, d, R * radius_of(spoke.reach), 2.2))
    p.setPen(QPen(th.color(STATE_COLOUR[State.NEVER]), 1.6, Qt.PenStyle.DotLine))
    p.setBrush(th.color("good_fill"))
    p.drawPath(never)
    for colour, path in blades.items():
        path.setFillRule(Qt.FillRule.WindingFill)  # they meet in the middle
        p.setBrush(th.color(colour))
        p.setPen(QPen(th.color(colour), 1.0))
        p.drawPath(path)


def _draw_ring(p: QPainter, middle: QPointF, R: float, line: float) -> None:
    """The tolerance; line: its width, px."""
    p.setBrush(th.color("good_fill"))
    p.setPen(QPen(th.color("good"), line))
    p.drawEllipse(middle, RING * R, RING * R)


def _angle(index: int, count: int) -> float:
    return 2 * math.pi * index / max(count, 1) + (math.pi / 6 if count == 2 else 0)


def _direction(index: int, count: int) -> QPointF:
    a = _angle(index, count)
    return QPointF(math.sin(a), -math.cos(a))


def _blade(middle: QPointF, d: QPointF, length: float, half: float) -> QPainterPath:
    """From the middle in a direction; half: of its width at the foot."""
    across = QPointF(-d.y(), d.x())
    blade = QPainterPath(middle + across * half)
    blade.lineTo(middle + d * length)
    blade.lineTo(middle - across * half)
    blade.closeSubpath()
    return blade
