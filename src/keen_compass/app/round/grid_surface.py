"""The bed from above with a height typed at every point, coloured by height; and the head with its dial on an arm."""

from __future__ import annotations

from collections.abc import Iterable
from itertools import pairwise

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QLinearGradient, QPainter, QPen, QPolygonF, QResizeEvent

from keen_compass.app import theme as th
from keen_compass.app.parts import Button, painter_on_card
from keen_compass.app.round.callout import HEIGHT, WIDTH
from keen_compass.app.round.piece_canvas import draw_axes
from keen_compass.app.round.surface import FloatingSurface, mean_of, words_at
from keen_compass.procedures.rounds import RoundSession
from keen_compass.procedures.rounds.measuring import Callout

FOOT = 74.0  # px below the grid: the scale of colours and the standpoint


class GridSurface(FloatingSurface):
    """Seen from where the technician stands."""

    def __init__(self) -> None:
        super().__init__()
        self.level = Button("Level it", self.update, "quiet")
        self.level.setCheckable(True)
        self.level.setParent(self)
        self.level.setToolTip("Show what is left when the plane is taken off")
        self.level.hide()

    def places(self) -> dict[str, QPointF]:
        """Each point, or the four places of the arm."""
        return {c.measurand.name: self._at(*c.measurand.at) for c in self.callouts}

    def box_at(self, place: QPointF) -> QPointF:
        """Above its point, or below where it is at the top, so that the neighbours stay in sight."""
        above = place.y() - HEIGHT / 2 - 20
        return QPointF(place.x(), above if above > HEIGHT / 2 + 4 else place.y() + HEIGHT / 2 + 20)

    def show_session(self, session: RoundSession, callouts: list[Callout], *, frozen: bool) -> None:
        """Everything that is drawn; the plane can be taken off once there is one."""
        super().show_session(session, callouts, frozen=frozen)
        solution = session.measuring.answer()
        self.level.setVisible(bool(solution and solution.figures.get("rest")))

    def resizeEvent(self, event: QResizeEvent) -> None:
        """The button stays at the foot."""
        super().resizeEvent(event)
        self.level.resize(self.level.sizeHint())
        self.level.move(self.width() - 130 - self.level.width(), self.height() - self.level.height() - 12)

    def _levelled(self) -> dict[str, float]:
        """Measurand → what is left of it above the plane; empty while that isn't shown."""
        solution = self.session.measuring.answer() if self.session and self.level.isChecked() else None
        return dict(solution.figures.get("rest", {})) if solution else {}

    def _swung(self) -> bool:
        return bool(self.callouts) and self.callouts[0].measurand.name.endswith(("high", "low"))

    def _at(self, x: float, y: float) -> QPointF:
        assert self.session is not None
        s = self.session.context.machine.standpoint
        seen = [s.to_view(*c.measurand.at) for c in self.callouts]
        left, right = min(u for u, _ in seen), max(u for u, _ in seen)
        near, far = min(v for _, v in seen), max(v for _, v in seen)
        if self._swung():
            room, dx, dy = QRectF(84, 44, self.width() - 168, self.height() - 60 - FOOT), 0.0, 0.0
        else:  # half a cell sticks out all round
            room = QRectF(14, 12, self.width() - 28, self.height() - 16 - FOOT)
            dx, dy = _spacing(u for u, _ in seen), _spacing(v for _, v in seen)
        scale_x, scale_y = room.width() / ((right - left + dx) or 1), room.height() / ((far - near + dy) or 1)
        scale = min(scale_x, scale_y)
        u, v = s.to_view(x, y)
        middle = room.center()
        return QPointF(middle.x() + scale * (u - (left + right) / 2), middle.y() - scale * (v - (near + far) / 2))

    def paintEvent(self, _event: object) -> None:
        """Cells, their numbers, the way walked."""
        p = painter_on_card(self)
        if self.session is None or not self.callouts:
            return
        if self._swung():
            self._draw_arm(p)
        else:
            self._draw_cells(p)
        p.setFont(th.font(th.TEXT))
        draw_axes(p, QPointF(self.width() - 92.0, self.height() - 12.0), self.session.context.machine.standpoint)

    # The bed

    def _draw_cells(self, p: QPainter) -> None:
        levelled = self._levelled()
        heights = {c.measurand.name: levelled.get(c.measurand.name) if levelled else mean_of(c) for c in self.callouts}
        known = [h for h in heights.values() if h is not None]
        low, high = (min(known), max(known)) if known else (0.0, 0.0)
        width, height = self._cell()
        for c in self.callouts:
            at, h = self._at(*c.measurand.at), heights[c.measurand.name]
            cell = QRectF(at.x() - width / 2, at.y() - height / 2, width, height)
            p.setPen(QPen(th.color("focus" if c.current else "line"), 3 if c.current else 1))
            p.setBrush(th.color("paper") if h is None else heat((h - low) / ((high - low) or 1.0)))
            p.drawRect(cell)
            self._draw_height(p, c, cell, h)
        unread = [i for i, c in enumerate(self.callouts) if heights[c.measurand.name] is None and not c.skipped]
        below = QPointF(0, 0.3 * height)  # clear of the figures
        way = QPolygonF([self._at(*c.measurand.at) + below for c in self.callouts[min(unread, default=10**6) :]])
        p.setPen(QPen(th.color("soft"), 1, Qt.PenStyle.DotLine))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawPolyline(way)
        self._draw_scale(p, low, high, any_read=bool(known))

    def _cell(self) -> tuple[float, float]:
        """Cells touch, so that the picture is a map."""
        places = list(self.places().values())
        return _spacing(at.x() for at in places), _spacing(at.y() for at in places)

    def _draw_height(self, p: QPainter, c: Callout, cell: QRectF, h: float | None) -> None:
        if c.skipped:
            p.setPen(th.color("soft"))
            p.drawText(cell, Qt.AlignmentFlag.AlignCenter, "left out")
            return
        px = 19 if cell.width() > 74 and cell.height() > 30 else th.TEXT
        p.setFont(th.font(px, bold=True))
        p.setPen(th.color("soft" if h is None else "ink"))
        words = str(self.callouts.index(c) + 1) + "." if h is None else f"{h:+.2f}".replace("-", "−")
        p.drawText(cell, Qt.AlignmentFlag.AlignCenter, "0.00" if words in ("+0.00", "−0.00") else words)

    def _draw_scale(self, p: QPainter, low: float, high: float, *, any_read: bool) -> None:
        """Low to high in the colours used, with the numbers at both ends."""
        y = self.height() - FOOT + 24
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("soft"))
        if not any_read:
            words_at(
                p, QPointF(16, y), "Dotted: the way to walk. Higher than the first point is +.", width=430, side="right"
            )
            return
        bar = QRectF(104, y - 10, min(180.0, self.width() - 460.0), 20)
        ramp = QLinearGradient(bar.topLeft(), bar.topRight())
        for i in range(11):
            ramp.setColorAt(i / 10, heat(i / 10))
        p.setBrush(ramp)
        p.setPen(QPen(th.color("line"), 1))
        p.drawRect(bar)
        p.setPen(th.color("ink"))
        words_at(p, QPointF(bar.left() - 8, y), f"low {low:+.2f}".replace("-", "−"), width=96, side="left")
        words_at(p, QPointF(bar.right() + 8, y), f"{high:+.2f} mm high".replace("-", "−"), width=130, side="right")

    # The head

    def _draw_arm(self, p: QPainter) -> None:
        places = self.places()
        middle = QPointF(
            sum(at.x() for at in places.values()) / len(places), sum(at.y() for at in places.values()) / len(places)
        )
        r = max((at - middle).manhattanLength() for at in places.values())
        p.setPen(QPen(th.color("soft"), 1.4, Qt.PenStyle.DashLine))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawEllipse(middle, r, r)
        p.setPen(QPen(th.color("ink"), 2))
        p.setBrush(th.color("material"))
        p.drawEllipse(middle, 26, 26)
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("ink"))
        words_at(p, middle, "head", width=60)
        current = self.current()
        if current:
            p.setPen(QPen(th.color("focus"), 6, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
            tip = places[current.measurand.name]
            start = middle + (tip - middle) * (26 / max(r, 1))
            p.drawLine(start, tip)
        for c in self.callouts:
            at, h = places[c.measurand.name], mean_of(c)
            p.setPen(QPen(th.color("focus" if c.current else "ink"), 2))
            p.setBrush(th.color("card"))
            p.drawEllipse(at, 13, 13)
            p.setFont(th.font(19, bold=True))
            p.setPen(th.color("ink" if h is not None else "soft"))
            out = (at - middle) / max(r, 1)
            beside = at + QPointF(out.x() * 66, out.y() * 30)
            value = c.measurand.label if h is None else f"{h:+.2f}".replace("-", "−")
            words_at(p, beside, value, width=110)
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("soft"))
        words_at(p, QPointF(16, self.height() - 22), "Swing the arm to the marked side. Larger is a smaller gap.",
                 width=self.width() - WIDTH, side="right")  # fmt: skip


def _spacing(values: Iterable[float]) -> float:
    """The smallest distance between two different values."""
    rounded = sorted({round(v, 3) for v in values})
    return min((b - a for a, b in pairwise(rounded)), default=60.0)


def heat(share: float) -> QColor:
    """A colour for 0 (low) to 1 (high): blue to orange by way of a neutral, told apart by every kind of eye."""
    low, middle, high = (QColor(c) for c in th.theme().heat)
    a, b, t = (low, middle, 2 * share) if share < 0.5 else (middle, high, 2 * share - 1)

    def mixed(u: int, v: int) -> int:
        return round(u + t * (v - u))

    return QColor(mixed(a.red(), b.red()), mixed(a.green(), b.green()), mixed(a.blue(), b.blue()))
