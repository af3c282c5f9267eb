"""The ladder of feeds: one rung for each, how far it missed, and the limits drawn across."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from keen_compass.app import theme as th
from keen_compass.app.parts import draw_state, painter_on_card
from keen_compass.app.round.callout import WIDTH
from keen_compass.app.round.surface import FloatingSurface, mean_of, words_at
from keen_compass.language import tr
from keen_compass.pieces.where import Return
from keen_compass.quantities.charts import Feeds
from keen_compass.rounds.half_typed import Callout
from keen_compass.shop.standing import State

WITHIN = 0.1  # mm, until the procedure says
LEFT, TOP, FOOT = 128.0, 40.0, 40.0  # px


class LadderSurface(FloatingSurface):
    """Feeds rise from the bottom up."""

    def places(self) -> dict[str, QPointF]:
        """The middle of each rung."""
        x = (LEFT + self._right()) / 2
        return {c.measurand.name: QPointF(x, self._y(self._feed(c))) for c in self.callouts}

    def box_at(self, place: QPointF) -> QPointF:
        """Right of the ladder."""
        return QPointF(self.width() - WIDTH / 2 - 10, place.y())

    def _right(self) -> float:
        return self.width() - WIDTH - 120.0

    def _feed(self, c: Callout) -> float:
        where = c.measurand.where
        return where.feed if isinstance(where, Return) else 0.0

    def _y(self, feed: float) -> float:
        feeds = [self._feed(c) for c in self.callouts]
        low, high = min(feeds), max(feeds)
        room = self.height() - TOP - FOOT - 20
        return self.height() - FOOT - 10 - room * (feed - low) / ((high - low) or 1.0)

    def paintEvent(self, _event: object) -> None:
        """Both rails, the rungs and how far they may be off."""
        p = painter_on_card(self)
        if self.session is None or not self.callouts:
            return
        chart = self.chart()
        feeds = chart if isinstance(chart, Feeds) else Feeds(WITHIN)
        within = max(feeds.within, 0.01)
        right = self._right()
        p.setPen(QPen(th.color("ink"), 3))
        for x in (LEFT, right):
            p.drawLine(QPointF(x, TOP - 10), QPointF(x, self.height() - FOOT + 8))
        for c in self.callouts:
            self._draw_rung(p, c, within, right)
        safe, limit, now = feeds.safe, feeds.rate_limit, feeds.in_force
        if safe and now and abs(self._y(safe) - self._y(now)) < 22:
            safe_words, now = (
                (
                    tr("safe, as in force")
                    if safe == now
                    else tr("in force {feed_number}, safe", feed_number=self.as_shown.feed_number(now))
                ),
                None,
            )
        else:
            safe_words = "safe"
        for feed, words, colour, share in (
            (limit, tr("step rate ends"), "bad", 0.74),
            (now, tr("in force"), "soft", 0.68),
            (safe, safe_words, "good", 0.45),
        ):
            if feed:
                self._draw_limit(p, float(feed), words, colour, LEFT + 40 + share * (right - LEFT - 60))
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("soft"))
        words_at(
            p,
            QPointF(16, self.height() - 20),
            tr("Feeds in {feed_unit}, rising; ● back on its mark, ▲ missed it", feed_unit=self.as_shown.feed_unit),
            width=self.width() - 30,
            side="right",
        )

    def _draw_rung(self, p: QPainter, c: Callout, within: float, right: float) -> None:
        y, miss = self._y(self._feed(c)), mean_of(c)
        colour = "focus" if c.current else "line" if miss is None else "good" if abs(miss) <= within else "bad"
        p.setPen(QPen(th.color(colour), 5 if c.current else 3))
        p.drawLine(QPointF(LEFT, y), QPointF(right, y))
        p.setFont(th.font(17, bold=True))
        p.setPen(th.color("ink"))
        words_at(p, QPointF(LEFT - 12, y), self.as_shown.feed_number(self._feed(c)), width=90, side="left")
        if miss is not None:
            state = State.IN if abs(miss) <= within else State.OUT
            behind = th.color("card")
            draw_state(p, state, QPointF(LEFT + 26, y), 7, th.color("good" if state is State.IN else "bad"), behind)
            p.setPen(th.color("ink"))
            area = QRectF(right + 8, y - 11, 104, 22)
            p.drawText(area, Qt.AlignmentFlag.AlignVCenter, self.as_shown.number(miss, signed=True))
        elif c.skipped:
            p.setPen(th.color("soft"))
            words_at(p, QPointF(right + 8, y), tr("left out"), width=100, side="right")

    def _draw_limit(self, p: QPainter, feed: float, words: str, colour: str, x: float) -> None:
        """A line across at its feed, its words centred on x; beyond the ladder it is said at the edge."""
        right = self._right()
        y = self._y(feed)
        above, below = y < TOP - 12, y > self.height() - FOOT + 2
        y = min(max(y, TOP - 22), self.height() - FOOT + 6)
        p.setPen(QPen(th.color(colour), 2, Qt.PenStyle.DashLine))
        if not above and not below:
            p.drawLine(QPointF(LEFT + 44, y), QPointF(right - 4, y))
        p.setFont(th.font(th.TEXT, bold=True))
        text = f"{'↑ ' if above else '↓ ' if below else ''}{words} {self.as_shown.feed_number(feed)}"
        width = p.fontMetrics().horizontalAdvance(text) + 12
        if width > right - LEFT - 60:  # a narrow ladder: over it where it has no line there, else beside it
            x = max((LEFT + right) / 2, 12 + width / 2) if above or below else self.width() - 12 - width / 2
        at = QPointF(x, y)
        p.fillRect(QRectF(at.x() - width / 2, y - 11, width, 22), th.color("card"))
        p.setPen(th.color(colour))
        words_at(p, at, text, width=width)
