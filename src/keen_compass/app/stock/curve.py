"""Kerf over the thickness of one material: what was found with its U, what is charted, and the line between."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from itertools import pairwise

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen
from PySide6.QtWidgets import QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import painter_on_card
from keen_compass.app.stock.grid import width_words
from keen_compass.language import tr
from keen_compass.machines.shown import show_length
from keen_compass.shop.library import KerfEntry, Known

LEFT, TOP, RIGHT, BOTTOM = 60, 40, 22, 44  # px round the plot
Place = Callable[[float, float], QPointF]  # of a thickness and a width
MARGIN = 0.15  # of the range, that stays free above and below


class KerfCurve(QWidget):
    """Thickness runs to the right."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumHeight(190)
        self._entries: list[KerfEntry] = []
        self._guess: tuple[float, float] | None = None
        self._units, self._title = "mm", ""

    def show_kerfs(
        self, title: str, entries: Sequence[KerfEntry], guess: tuple[float, float] | None, units: str
    ) -> None:
        """guess: (thickness, width) of a starting value that is looked at."""
        self._entries = sorted(entries, key=lambda e: e.subject.thickness)
        self._guess, self._units, self._title = guess, units, title
        self.setAccessibleName(tr("{title}: {n} thicknesses", title=title, n=len(entries)))
        self.update()

    def paintEvent(self, _event: object) -> None:
        """The axes, the fitted line and the points."""
        p = painter_on_card(self)
        p.setFont(th.font(th.TEXT, bold=True))
        p.setPen(th.color("ink"))
        words = p.fontMetrics().elidedText(self._title, Qt.TextElideMode.ElideRight, self.width() - 28)
        p.drawText(QRectF(14, 8, self.width() - 28, 24), Qt.AlignmentFlag.AlignVCenter, words)
        points = [(e.subject.thickness, e.width) for e in self._entries] + ([self._guess] if self._guess else [])
        p.setFont(th.font(th.TEXT))
        if not points:
            p.setPen(th.color("soft"))
            p.drawText(QRectF(self.rect()), Qt.AlignmentFlag.AlignCenter, tr("Nothing is known of it."))
            return
        plot = QRectF(LEFT, TOP, self.width() - LEFT - RIGHT, self.height() - TOP - BOTTOM)
        widths = [w for _, w in points] + [e.width + s * (e.U or 0.0) for e in self._entries for s in (1, -1)]
        low, high = min(widths), max(widths)
        room = max(high - low, 0.1) * MARGIN
        low, high = low - room, high + room
        thick = [t for t, _ in points]
        t0, t1 = min(thick), max(thick)

        def at(t: float, w: float) -> QPointF:
            share = (t - t0) / (t1 - t0) if t1 > t0 else 0.5
            return QPointF(
                plot.left() + 16 + share * (plot.width() - 32), plot.bottom() - (w - low) / (high - low) * plot.height()
            )

        self._axes(p, plot, (low, high), thick, at)
        p.setPen(QPen(th.color("soft"), 1.4, Qt.PenStyle.DashLine))
        found = [e for e in self._entries if e.known is not Known.CHARTED]
        for some in (found, self._entries if len(found) < 2 else []):
            for a, b in pairwise(some):
                p.drawLine(at(a.subject.thickness, a.width), at(b.subject.thickness, b.width))
        for e in self._entries:
            self._point(p, e, at)
        if self._guess:
            p.setPen(QPen(th.color("focus"), 2, Qt.PenStyle.DotLine))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawEllipse(at(*self._guess), 8, 8)

    def _axes(self, p: QPainter, plot: QRectF, span: tuple[float, float], thick: list[float], at: Place) -> None:
        p.setPen(QPen(th.color("line"), 1))
        p.drawLine(plot.bottomLeft(), plot.bottomRight())
        p.setPen(th.color("soft"))
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        low, high = span
        for share in (0.15, 0.85):
            w = low + share * (high - low)
            y = at(thick[0], w).y()
            p.drawText(QRectF(4, y - 11, LEFT - 12, 22), right, width_words(w, self._units))
        last = -1e9
        for t in sorted(set(thick)):
            x = at(t, low).x()
            if x - last > 64:
                area = QRectF(x - 40, plot.bottom() + 6, 80, 22)
                p.drawText(area, Qt.AlignmentFlag.AlignCenter, show_length(t, self._units))
                last = x

    def _point(self, p: QPainter, e: KerfEntry, at: Place) -> None:
        here = at(e.subject.thickness, e.width)
        charted = e.known is Known.CHARTED
        p.setPen(QPen(th.color("soft" if charted else "ink"), 1.8))
        p.setBrush(th.color("card" if charted else "ink"))
        if charted:
            p.drawRect(QRectF(here.x() - 4.5, here.y() - 4.5, 9, 9))
            return
        if e.U:
            p.drawLine(at(e.subject.thickness, e.width - e.U), at(e.subject.thickness, e.width + e.U))
        p.drawEllipse(here, 5, 5)
