"""The bed from above with a height typed at every point, coloured by height; and the head with its dial on an arm."""

from __future__ import annotations

from collections.abc import Iterable
from itertools import pairwise

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QLinearGradient, QPainter, QPen, QPolygonF, QResizeEvent

from keen_compass.app import theme as th
from keen_compass.app.parts import Button, painter_on_card
from keen_compass.app.round.callout import HEIGHT, WIDTH
from keen_compass.app.round.piece_canvas import draw_axes
from keen_compass.app.round.surface import FloatingSurface, mean_of, words_at
from keen_compass.language import tr
from keen_compass.pieces.where import Gap
from keen_compass.quantities.charts import Heights
from keen_compass.rounds import RoundSession
from keen_compass.rounds.half_typed import Callout
from keen_compass.words.say import say

FOOT = 74.0  # px below the grid: the scale of colours and the standpoint


class GridSurface(FloatingSurface):
    """Seen from where the technician is."""

    def __init__(self) -> None:
        super().__init__()
        self.level = Button(tr("Level it"), self.update, "quiet")
        self.level.setCheckable(True)
        self.level.setParent(self)
        self.level.setToolTip(tr("Show what is left with the plane removed"))
        self.level.hide()

    def places(self) -> dict[str, QPointF]:
        """Each point, or the four places of the arm."""
        if self.session is None or not self.callouts:
            return {}
        s = self.session.context.machine.standpoint
        seen = {c.measurand.name: s.to_view(*c.measurand.at) for c in self.callouts}
        right, away = [u for u, _ in seen.values()], [v for _, v in seen.values()]
        if self._swung():
            room, dx, dy = QRectF(84, 44, self.width() - 168, self.height() - 60 - FOOT), 0.0, 0.0
        else:  # half a cell sticks out all round
            room = QRectF(14, 12, self.width() - 28, self.height() - 16 - FOOT)
            dx, dy = _spacing(right), _spacing(away)
        wide, deep = max(right) - min(right) + dx, max(away) - min(away) + dy
        scale = min(room.width() / (wide or 1), room.height() / (deep or 1))
        u0, v0, at = (max(right) + min(right)) / 2, (max(away) + min(away)) / 2, room.center()
        return {name: QPointF(at.x() + scale * (u - u0), at.y() - scale * (v - v0)) for name, (u, v) in seen.items()}

    def box_at(self, place: QPointF) -> QPointF:
        """Above its point, or below where it is at the top, so that the neighbours stay in sight."""
        above = place.y() - HEIGHT / 2 - 20
        return QPointF(place.x(), above if above > HEIGHT / 2 + 4 else place.y() + HEIGHT / 2 + 20)

    def show_session(self, session: RoundSession, callouts: list[Callout], *, frozen: bool) -> None:
        """Everything that is drawn; the plane can be taken off once there is one."""
        super().show_session(session, callouts, frozen=frozen)
        self.level.setVisible(self.chart() is not None)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """The button stays at the foot."""
        super().resizeEvent(event)
        self.level.resize(self.level.sizeHint())
        self.level.move(self.width() - 130 - self.level.width(), self.height() - self.level.height() - 12)

    def _levelled(self) -> dict[str, float]:
        """Measurand → what is left of it above the plane; empty while that isn't shown."""
        chart = self.chart() if self.level.isChecked() else None
        return dict(chart.rest) if isinstance(chart, Heights) else {}

    def _swung(self) -> bool:
        return bool(self.callouts) and isinstance(self.callouts[0].measurand.where, Gap)

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
        places = self.places()
        # Cells touch, so that the picture is a map.
        width, height = _spacing(at.x() for at in places.values()), _spacing(at.y() for at in places.values())
        for i, c in enumerate(self.callouts):
            at, h = places[c.measurand.name], heights[c.measurand.name]
            cell = QRectF(at.x() - width / 2, at.y() - height / 2, width, height)
            p.setPen(QPen(th.color("focus" if c.current else "line"), 3 if c.current else 1))
            p.setBrush(th.color("paper") if h is None else heat((h - low) / ((high - low) or 1.0)))
            p.drawRect(cell)
            self._draw_height(p, c, i + 1, cell, h)
        unread = [i for i, c in enumerate(self.callouts) if heights[c.measurand.name] is None and not c.skipped]
        below = QPointF(0, 0.3 * height)  # clear of the figures
        way = QPolygonF([at + below for at in list(places.values())[min(unread, default=10**6) :]])
        p.setPen(QPen(th.color("soft"), 1, Qt.PenStyle.DotLine))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawPolyline(way)
        self._draw_scale(p, low, high, any_read=bool(known))

    def _draw_height(self, p: QPainter, c: Callout, number: int, cell: QRectF, h: float | None) -> None:
        if c.skipped:
            p.setPen(th.color("soft"))
            p.drawText(cell, Qt.AlignmentFlag.AlignCenter, tr("left out"))
            return
        words = f"{number}." if h is None else self.as_shown.number(h, signed=True)
        large = th.font(19, bold=True)
        fits = QFontMetricsF(large).horizontalAdvance(words) < cell.width() - 4 and cell.height() > 30
        p.setFont(large if fits else th.font(bold=True))
        p.setPen(th.color("soft" if h is None else "ink"))
        p.drawText(cell, Qt.AlignmentFlag.AlignCenter, words)

    def _draw_scale(self, p: QPainter, low: float, high: float, *, any_read: bool) -> None:
        """Low to high in the colours used, with the numbers at both ends."""
        y = self.height() - FOOT + 24
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("soft"))
        if not any_read:
            words_at(
                p,
                QPointF(16, y),
                tr("Dotted: the order of points. Higher than the first point is +."),
                width=430,
                side="right",
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
        words_at(
            p,
            QPointF(bar.left() - 8, y),
            tr("low {number}", number=self.as_shown.number(low, signed=True)),
            width=96,
            side="left",
        )
        words_at(
            p,
            QPointF(bar.right() + 8, y),
            tr("{length} high", length=self.as_shown.length(high, signed=True)),
            width=130,
            side="right",
        )

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
        words_at(p, middle, tr("head"), width=60)
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
            value = say(c.measurand.label) if h is None else self.as_shown.number(h, signed=True)
            words_at(p, beside, value, width=110)
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("soft"))
        words_at(
            p,
            QPointF(16, self.height() - 22),
            tr("Swing the arm there. Larger is a smaller gap."),
            width=self.width() - WIDTH,
            side="right",
        )


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
