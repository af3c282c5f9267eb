"""One value's history: each finding with its U against the tolerance band, by date."""

from __future__ import annotations

from datetime import UTC, datetime

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import STATE_COLOUR, VERDICT_STATE, draw_state, painter_on_card
from keen_compass.language import dated, tr, written
from keen_compass.quantities.lengths import format_mm
from keen_compass.shop.due import Due
from keen_compass.shop.kept import KeptFinding
from keen_compass.solve.forecast import band
from keen_compass.words.errors import ErrorUnit, shown_in

STEPS = 24  # of the band until it is due
SECONDS_PER_DAY = 86_400.0
MOST = 200  # newest findings drawn; more would be a grey bar


class HistoryChart(QWidget):
    """Time runs to the right."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumHeight(210)
        self._findings: list[KeptFinding] = []
        self._ahead: Due | None = None
        self._title = ""
        self._unit = shown_in("mm", "mm")

    def show_history(self, title: str, unit: ErrorUnit, findings: list[KeptFinding], ahead: Due | None = None) -> None:
        """Findings that have a number, oldest first. unit: in which their errors are shown. ahead: the day on which it
        is due, and how it may move until then.
        """
        self._title, self._unit = f"{title}, {unit.words}", unit
        self._findings = [f for f in findings if f.finding.error is not None and f.finding.tolerance][-MOST:]
        last = self._findings[-1] if self._findings else None
        self._ahead = ahead if ahead and ahead.wander and last and last.at == ahead.spoke.at else None
        due = tr(", due {on}", on=dated(self._ahead.on)) if self._ahead else ""
        self.setAccessibleName(tr("{title}: {n} findings{due}", title=title, n=len(self._findings), due=due))
        self.update()

    def paintEvent(self, _event: object) -> None:
        """The band of what is allowed, dates below it, findings with their U."""
        p = painter_on_card(self)
        p.setFont(th.font(16, bold=True))
        p.setPen(th.color("ink"))
        p.drawText(QRectF(14, 8, self.width() - 28, 24), Qt.AlignmentFlag.AlignVCenter, self._title)
        p.setFont(th.font(th.TEXT))
        if not self._findings:
            p.setPen(th.color("soft"))
            p.drawText(QRectF(self.rect()), Qt.AlignmentFlag.AlignCenter, tr("Not measured yet."))
            return
        plot = QRectF(62, 44, self.width() - 84, self.height() - 84)
        T = self._findings[-1].finding.tolerance
        reach = max(
            [1.4 * T, *(abs(f.finding.harm or 0) + (f.finding.expanded_uncertainty or 0) for f in self._findings)]
        )
        scale, middle = plot.height() / 2 / reach, plot.center().y()
        p.fillRect(QRectF(plot.left(), middle - T * scale, plot.width(), 2 * T * scale), th.color("good_fill"))
        p.setPen(QPen(th.color("good"), 1.2, Qt.PenStyle.DashLine))
        p.drawLine(QPointF(plot.left(), middle), QPointF(plot.right(), middle))
        p.setPen(th.color("soft"))
        for value in (T, -T):
            box = QRectF(4, middle - value * scale - 11, 52, 22)
            words = written(format_mm(value / self._unit.size, 2, signed=True))
            p.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, words)
        times = [datetime.fromisoformat(f.at).timestamp() for f in self._findings]
        ends = _noon(self._ahead) if self._ahead else times[-1]
        first, last = times[0], max(ends, times[-1], times[0] + 1)

        def across(t: float) -> float:
            return plot.left() + 12 + (plot.width() - 24) * (t - first) / (last - first)

        if self._ahead is not None and ends > times[-1]:
            self._draw_ahead(p, self._ahead, [across(t) for t in (times[-1], ends)], middle, scale)
        for t, kept in zip(times, self._findings, strict=True):
            f = kept.finding
            at = QPointF(across(t), middle - (f.harm or 0) * scale)
            state = VERDICT_STATE[f.verdict]
            colour = th.color(STATE_COLOUR[state])
            p.setPen(QPen(colour, 2))
            reach_px = QPointF(0, (f.expanded_uncertainty or 0) * scale)
            p.drawLine(at - reach_px, at + reach_px)
            draw_state(p, state, at, 5.5, colour, th.color("card"))
        p.setPen(th.color("soft"))
        for t, side in ((first, Qt.AlignmentFlag.AlignLeft), (last, Qt.AlignmentFlag.AlignRight)):
            day = dated(datetime.fromtimestamp(t))
            p.drawText(QRectF(plot.left(), plot.bottom() + 10, plot.width(), 22), side, day)

    def _draw_ahead(self, p: QPainter, due: Due, between: list[float], middle: float, scale: float) -> None:
        """Where 95 % of what may come of it lie until it is due. between: px, from the last finding to that day."""
        finding, wander = self._findings[-1].finding, due.wander
        assert wander is not None
        days = (_noon(due) - datetime.fromisoformat(self._findings[-1].at).timestamp()) / SECONDS_PER_DAY
        upper, lower = [], []
        for i in range(STEPS + 1):
            share = i / STEPS
            mean, U = band(finding.harm or 0.0, finding.expanded_uncertainty or 0.0, wander, days * share)
            x = between[0] + share * (between[1] - between[0])
            upper.append(QPointF(x, middle - (mean + U) * scale))
            lower.append(QPointF(x, middle - (mean - U) * scale))
        fill = th.color("warn")
        fill.setAlpha(50)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(fill)
        p.drawPolygon(QPolygonF([*upper, *reversed(lower)]))
        p.setPen(QPen(th.color("warn"), 1.4, Qt.PenStyle.DotLine))
        p.drawLine(upper[-1], lower[-1])
        p.setPen(th.color("warn"))
        p.drawText(
            QRectF(between[1] - 130, 34, 124, 20),
            Qt.AlignmentFlag.AlignRight,
            tr("due {on}", on=dated(due.on, "%-d %b")),
        )


def _noon(due: Due) -> float:
    """Of the day on which it is due, s."""
    return datetime(due.on.year, due.on.month, due.on.day, 12, tzinfo=UTC).timestamp()
