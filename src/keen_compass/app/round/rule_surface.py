"""The rule beside an axis, with the marks where it stops; below it deviation against position, both directions."""

from __future__ import annotations

import math
from itertools import pairwise

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF

from keen_compass.app import theme as th
from keen_compass.app.parts import painter_on_card
from keen_compass.app.round.callout import HEIGHT
from keen_compass.app.round.surface import FloatingSurface, mean_of, words_at
from keen_compass.language import tr, written
from keen_compass.pieces.where import Return
from keen_compass.quantities.charts import Deviations
from keen_compass.quantities.lengths import format_mm
from keen_compass.quantities.notes import Note
from keen_compass.quantities.standpoint import DIRECTIONS
from keen_compass.rounds.half_typed import Callout
from keen_compass.words.errors import ErrorUnit, shown_in
from keen_compass.words.say import say

RULE_HEIGHT = 46.0  # px
SIDE = 74.0  # px left and right of the plot
DOT = 5.0


class RuleSurface(FloatingSurface):
    """Readings going up are above the rule, coming back below it."""

    def places(self) -> dict[str, QPointF]:
        """Marks on the rule: above it going up, below it coming back."""
        rule = self._rule()
        x = {position: self._to_x(position) for position in set(self._positions())}
        return {
            c.measurand.name: QPointF(
                x[self._position(c)], rule.bottom() + 9 if c.measurand.way < 0 else rule.top() - 9
            )
            for c in self.callouts
        }

    def box_at(self, place: QPointF) -> QPointF:
        """Above or below the rule, clear of its figures."""
        rule = self._rule()
        below = place.y() > rule.center().y()
        return QPointF(place.x(), rule.bottom() + 24 + HEIGHT / 2 if below else rule.top() - 24 - HEIGHT / 2)

    def _rule(self) -> QRectF:
        # Room for a callout on either side, and no less for the chart than it needs.
        top = HEIGHT + 58.0
        return QRectF(SIDE - 24, top, self.width() - 2 * SIDE + 48, RULE_HEIGHT)

    def _chart(self) -> QRectF:
        top = self._rule().bottom() + (HEIGHT + 36 if self._current_is_below() else 40)
        return QRectF(SIDE, top + 12, self.width() - 2 * SIDE, max(self.height() - top - 56, 10))

    def _current_is_below(self) -> bool:
        current = self.current()
        return bool(current and current.measurand.way < 0)

    def _positions(self) -> list[float]:
        if self._trips():
            return [float(i) for i in range(1, len(self.callouts) + 1)]
        return [c.measurand.nominal for c in self.callouts]

    def _trips(self) -> bool:
        return bool(self.callouts) and isinstance(self.callouts[0].measurand.where, Return)

    def _position(self, c: Callout) -> float:
        return float(self.callouts.index(c) + 1) if self._trips() else c.measurand.nominal

    def _to_x(self, position: float) -> float:
        positions = self._positions()
        low, high = min(positions), max(positions)
        share = (position - low) / ((high - low) or 1.0)
        width = self.width() - 2 * SIDE
        return SIDE + width * (1 - share if self._leftwards() else share)

    def _axis(self) -> str:
        return self.callouts[0].measurand.axis if self.callouts else "x"

    def _points(self) -> str:
        assert self.session is not None
        s = self.session.context.machine.standpoint
        return {"x": s.x_points, "y": s.y_points}.get(self._axis(), "up")

    def _leftwards(self) -> bool:
        return DIRECTIONS.get(self._points(), (1, 0))[0] < 0

    def paintEvent(self, _event: object) -> None:
        """The rule, the marks read on it, and the chart of what they say."""
        p = painter_on_card(self)
        if self.session is None or not self.callouts:
            return
        self._draw_rule(p)
        for c, place in zip(self.callouts, self.places().values(), strict=True):
            self._draw_mark(p, c, place)
        self._draw_way(p)
        chart = self._chart()
        if chart.height() > 60:
            self._draw_chart(p, chart)

    def _draw_rule(self, p: QPainter) -> None:
        rule = self._rule()
        p.setPen(QPen(th.color("ink"), 1.6))
        p.setBrush(th.color("material"))
        p.drawRect(rule)
        p.setPen(QPen(th.color("soft"), 1))
        positions = sorted(set(self._positions()))
        spacing = min((b - a for a, b in pairwise(positions)), default=1.0)
        fine = int((positions[-1] - positions[0]) / spacing * 10)
        if fine <= 240 and not self._trips():
            for i in range(fine + 1):
                x = self._to_x(positions[0] + i * spacing / 10)
                tall = 15 if i % 10 == 0 else 10 if i % 5 == 0 else 6
                p.drawLine(QPointF(x, rule.top()), QPointF(x, rule.top() + tall))
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("ink"))
        room = (self.width() - 2 * SIDE) / max(len(positions) - 1, 1)
        every = max(1, math.ceil(54 / room))
        for i, position in enumerate(positions):
            if i % every == 0:
                label = next(c.measurand.label for c in self.callouts if self._position(c) == position)
                target = label.values.get("at") if isinstance(label, Note) else None
                words = say(label) if target is None else str(target)
                words_at(p, QPointF(self._to_x(position), rule.bottom() - 13), words, width=70)

    def _draw_mark(self, p: QPainter, c: Callout, place: QPointF) -> None:
        """One dot for each reading that is wanted, filled where it was kept."""
        assert self.session is not None
        up = c.measurand.way >= 0
        colour = th.color("focus" if c.current else "ink")
        p.setPen(QPen(colour, 2.4 if c.current else 1.3))
        rule = self._rule()
        edge = rule.top() if up else rule.bottom()
        p.drawLine(QPointF(place.x(), edge), QPointF(place.x(), edge + (-6 if up else 6)))
        wanted = max(c.wanted, len(c.readings))
        for i in range(min(wanted, 6)):
            at = QPointF(place.x(), edge + (-1 if up else 1) * (11 + 6 * i if wanted <= 3 else 10 + 4.5 * i))
            p.setPen(QPen(colour, 1.2))
            p.setBrush(colour if i < len(c.readings) else th.color("card"))
            p.drawEllipse(at, 2.0, 2.0)
        if c.skipped:
            p.setPen(QPen(th.color("soft"), 2))
            p.drawLine(place + QPointF(-7, -7), place + QPointF(7, 7))
        if c.current:
            p.setPen(QPen(colour, 2.4))
            p.drawLine(QPointF(place.x(), edge), self.box_at(place))

    def _draw_way(self, p: QPainter) -> None:
        """Which way the axis goes, as the technician sees it."""
        assert self.session is not None
        axis, s = self._axis(), self.session.context.machine.standpoint
        where = tr("up") if axis == "z" else s.words(axis, 1)
        p.setPen(th.color("soft"))
        p.setFont(th.font(th.TEXT, bold=True))
        arrow = "◀" if self._leftwards() else "▶"
        if self._trips():
            words_at(
                p,
                QPointF(16, 20),
                tr("+{upper} runs {where}. Past the first mark is +, short of it −.", upper=axis.upper(), where=where),
                width=self.width() - 30,
                side="right",
            )
            return
        up = self.current() is None or (self.current() or self.callouts[0]).measurand.way > 0
        back = "▶" if arrow == "◀" else "◀"
        going = (
            tr("going up, +{upper} {where}  {arrow}", upper=axis.upper(), where=where, arrow=arrow)
            if up
            else tr("{back}  coming back", back=back)
        )
        words_at(p, QPointF(16, 20), going, width=self.width() - 30, side="right")

    # The chart

    def _draw_chart(self, p: QPainter, plot: QRectF) -> None:
        chart = self.chart()
        p.setFont(th.font(th.TEXT))
        series: dict[int, list[tuple[float, float | None]]]
        if self._trips():
            series = {1: [(self._position(c), mean_of(c)) for c in self.callouts]}
        elif isinstance(chart, Deviations):
            series = {way: list(zip(chart.positions, v, strict=True)) for way, v in ((1, chart.up), (-1, chart.down))}
        else:
            p.setPen(th.color("soft"))
            p.drawText(
                plot, Qt.AlignmentFlag.AlignCenter, tr("Deviation against position appears once two targets are read.")
            )
            return
        values = [v for points in series.values() for _, v in points if v is not None]
        if not values:
            return
        scale, lost = (chart.scale, chart.lost_motion) if isinstance(chart, Deviations) else (0.0, 0.0)
        ends = [scale * q for q in (min(self._positions()), max(self._positions()))] if not self._trips() else []
        low, high = min([*values, *ends, 0.0]), max([*values, *ends, 0.0])
        pad = max((high - low) * 0.12, 0.005)
        low, high = low - pad, high + pad

        def at(position: float, value: float) -> QPointF:
            return QPointF(self._to_x(position), plot.bottom() - (value - low) / (high - low) * plot.height())

        self._draw_scale(p, plot, low, high)
        for way in series:
            if self._trips():
                continue
            p.setPen(QPen(th.color("soft"), 1.2, Qt.PenStyle.DashLine))
            p.drawLine(*(at(q, scale * q - lost / 2 * way) for q in (min(self._positions()), max(self._positions()))))
        for way, points in series.items():
            known = [at(q, v) for q, v in points if v is not None]
            p.setPen(QPen(th.color("focus" if way > 0 else "warn"), 2))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawPolyline(QPolygonF(known))
            for point in known:
                self._sign(p, point, way)
        self._draw_legend(p, plot)

    def _sign(self, p: QPainter, at: QPointF, way: int) -> None:
        p.setPen(QPen(th.color("focus" if way > 0 else "warn"), 2))
        p.setBrush(th.color("focus" if way > 0 else "card"))
        if way > 0:
            p.drawRect(QRectF(at.x() - DOT, at.y() - DOT, 2 * DOT, 2 * DOT))
        else:
            p.drawEllipse(at, DOT + 0.5, DOT + 0.5)

    def _unit(self) -> ErrorUnit:
        assert self.session is not None
        return shown_in("mm", self.session.context.machine.shown_in)

    def _draw_scale(self, p: QPainter, plot: QRectF, low: float, high: float) -> None:
        """Zero line and round values at the left, in the unit that errors are shown in."""
        size = self._unit().size
        step = 10 ** math.floor(math.log10(max((high - low) / size, 1e-6)))
        steps = (step / 5, step / 2, step, 2 * step)  # the last where the chart is too low for any of them
        step = next((s for s in steps if (high - low) / size / s <= max(plot.height() / 34, 2)), 5 * step)
        decimals = max(0, -math.floor(math.log10(step)))
        value = math.ceil(low / size / step) * step
        while value * size <= high:
            y = plot.bottom() - (value * size - low) / (high - low) * plot.height()
            zero = abs(value) < step / 10
            p.setPen(QPen(th.color("soft" if zero else "grid"), 1.4 if zero else 1))
            p.drawLine(QPointF(plot.left(), y), QPointF(plot.right(), y))
            p.setPen(th.color("soft"))
            text = "0" if zero else written(format_mm(value, decimals, signed=True))
            words_at(p, QPointF(plot.left() - 8, y), text, width=64, side="left")
            value += step

    def _draw_legend(self, p: QPainter, plot: QRectF) -> None:
        p.setPen(th.color("soft"))
        y, unit = plot.bottom() + 22, self._unit().words
        if self._trips():
            words_at(
                p,
                QPointF(plot.left(), y),
                tr("how far each trip misses its first mark, {unit}", unit=unit),
                width=360,
                side="right",
            )
            return
        words_at(p, QPointF(plot.left() - 56, y), tr("deviation, {unit}", unit=unit), width=120, side="right")
        x = plot.left() + 70
        for way, words in ((1, tr("going up")), (-1, tr("coming back"))):
            self._sign(p, QPointF(x, y), way)
            p.setPen(th.color("soft"))
            words_at(p, QPointF(x + 12, y), words, width=110, side="right")
            x += 112
        if plot.width() > 500:
            words_at(p, QPointF(x + 4, y), tr("dashed: scale and lost motion found"), width=280, side="right")
