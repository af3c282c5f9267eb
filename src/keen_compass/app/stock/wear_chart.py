"""Kerf over the use of what cuts: every kerf that was found, the drift with its U, and where to change them."""

from __future__ import annotations

import math
from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import painter_on_card
from keen_compass.app.stock.grid import width_words
from keen_compass.language import tr
from keen_compass.quantities.uncertainty import K_95
from keen_compass.shop.consumables import Consumables
from keen_compass.words.wear import counted_in_words, uses

LEFT, TOP, RIGHT, BOTTOM = 72, 40, 22, 46  # px round the plot
MARGIN = 0.12  # of the range, that stays free above and below
STEPS = 40  # of the drift's band
Place = Callable[[float, float], QPointF]  # of an age and a width


class WearChart(QWidget):
    """Use runs to the right."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumHeight(230)
        self._c: Consumables | None = None
        self._units = "mm"

    def show_wear(self, c: Consumables, units: str) -> None:
        """What is known of it."""
        self._c, self._units = c, units
        line = tr(", change them at {uses}", uses=uses(max(c.line.age, 0.0), c.counted)) if c.line else ""
        self.setAccessibleName(
            tr(
                "Kerf over use: {n} found, these have {uses}{line}",
                n=len(c.found),
                uses=uses(c.age, c.counted),
                line=line,
            )
        )
        self.update()

    def paintEvent(self, _event: object) -> None:
        """Band of what is tolerable, drift, points, the line."""
        p = painter_on_card(self)
        p.setFont(th.font(th.TEXT, bold=True))
        p.setPen(th.color("ink"))
        c = self._c
        title = tr("Kerf over use, {counted}", counted=counted_in_words(c.counted)) if c else tr("Kerf over use")
        p.drawText(QRectF(14, 8, self.width() - 28, 24), Qt.AlignmentFlag.AlignVCenter, title)
        p.setFont(th.font(th.TEXT))
        if c is None or not c.found:
            p.setPen(th.color("soft"))
            p.drawText(QRectF(self.rect()), Qt.AlignmentFlag.AlignCenter, tr("No kerf was found with it yet."))
            return
        plot = QRectF(LEFT, TOP, self.width() - LEFT - RIGHT, self.height() - TOP - BOTTOM)
        widths = [q.width + s * K_95 * math.hypot(q.u, *(u for _, u in q.shared)) for q in c.found for s in (1, -1)]
        if c.width:
            widths += [c.width - c.tolerance, c.width + c.tolerance]
        low, high = min(widths), max(widths)
        room = max(high - low, 0.1) * MARGIN
        low, high = low - room, high + room
        last = max([c.age, *(q.age for q in c.found), *([min(c.line.age, 4 * c.age + 1)] if c.line else [])])
        last = max(last * 1.12, 1.0)

        def at(age: float, width: float) -> QPointF:
            return QPointF(
                plot.left() + age / last * plot.width(), plot.bottom() - (width - low) / (high - low) * plot.height()
            )

        p.save()
        p.setClipRect(plot.adjusted(-1, -1, 1, 1))
        if c.width:
            top, bottom = at(0, c.width + c.tolerance).y(), at(0, c.width - c.tolerance).y()
            p.fillRect(QRectF(plot.left(), top, plot.width(), bottom - top), th.color("good_fill"))
            p.setPen(QPen(th.color("good"), 1.2, Qt.PenStyle.DashLine))
            p.drawLine(at(0, c.width), at(last, c.width))
        self._drift(p, c, last, at)
        p.restore()
        self._axes(p, plot, c, (low, high), last, at)
        for q in c.found:
            here, U = at(q.age, q.width), K_95 * math.hypot(q.u, *(u for _, u in q.shared))
            mine = q.set == c.set
            p.setPen(QPen(th.color("ink" if mine else "soft"), 1.8))
            p.drawLine(at(q.age, q.width - U), at(q.age, q.width + U))
            p.setBrush(th.color("ink" if mine else "card"))
            p.drawEllipse(here, 5, 5)
        self._now(p, plot, c, at)

    def _drift(self, p: QPainter, c: Consumables, last: float, at: Place) -> None:
        """Of the set that is in now."""
        if c.wear is None:
            return
        ages = [last * i / STEPS for i in range(STEPS + 1)]
        kerfs = [c.wear.at(age, c.set) for age in ages]
        band = [at(a, k.value + k.U) for a, k in zip(ages, kerfs, strict=True)]
        band += [at(a, k.value - k.U) for a, k in reversed(list(zip(ages, kerfs, strict=True)))]
        shade = QColor(th.color("focus"))
        shade.setAlpha(46)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(shade)
        p.drawPolygon(QPolygonF(band))
        p.setPen(QPen(th.color("focus"), 2))
        p.drawPolyline(QPolygonF([at(a, k.value) for a, k in zip(ages, kerfs, strict=True)]))

    def _axes(
        self, p: QPainter, plot: QRectF, c: Consumables, span: tuple[float, float], last: float, at: Place
    ) -> None:
        p.setPen(QPen(th.color("line"), 1))
        p.drawLine(plot.bottomLeft(), plot.bottomRight())
        p.setPen(th.color("soft"))
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        low, high = span
        for share in (0.12, 0.88):
            w = low + share * (high - low)
            p.drawText(QRectF(4, at(0, w).y() - 11, LEFT - 12, 22), right, width_words(w, self._units))
        p.drawText(QRectF(plot.left(), plot.bottom() + 22, 60, 20), Qt.AlignmentFlag.AlignLeft, tr("new"))
        words = uses(last, c.counted)
        p.drawText(QRectF(plot.right() - 160, plot.bottom() + 22, 160, 20), Qt.AlignmentFlag.AlignRight, words)

    def _now(self, p: QPainter, plot: QRectF, c: Consumables, at: Place) -> None:
        """How far these are, and the line at which they are changed."""
        x = at(c.age, 0).x()
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(th.color("ink"))
        p.drawPolygon(
            QPolygonF(
                [QPointF(x, plot.bottom() + 1), QPointF(x - 6, plot.bottom() + 12), QPointF(x + 6, plot.bottom() + 12)]
            )
        )
        if c.line is None or at(c.line.age, 0).x() > plot.right() or c.line.age < 0:
            return
        x = at(c.line.age, 0).x()
        p.setPen(QPen(th.color("bad"), 2, Qt.PenStyle.DashLine))
        p.drawLine(QPointF(x, plot.top()), QPointF(x, plot.bottom()))
        p.setPen(th.color("bad"))
        p.setFont(th.font(th.TEXT, bold=True))
        wide = p.fontMetrics().horizontalAdvance(tr("change them")) + 6
        left = x - wide if x - wide > plot.left() else x + 6
        p.drawText(QRectF(left, plot.top() - 2, wide, 20), Qt.AlignmentFlag.AlignLeft, tr("change them"))
