"""Squares at power against feed, as they lie: each marked clean or not with a click, or by keyboard."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QMouseEvent, QPainter, QPen

from keen_compass.app import theme as th
from keen_compass.app.parts import painter_on_card
from keen_compass.app.round.callout import HEIGHT
from keen_compass.app.round.surface import FloatingSurface, mean_of, words_at
from keen_compass.language import tr, written
from keen_compass.pieces.burns import BurnGrid
from keen_compass.quantities.charts import Cells
from keen_compass.rounds.half_typed import Callout

LEFT, TOP, RIGHT, FOOT = 86.0, 34.0, 20.0, 92.0  # px
GAP = 8.0
LARGEST = 92.0  # px, of a square


class CellsSurface(FloatingSurface):
    """Power grows upwards, feed to the right."""

    def _size(self) -> float:
        grid = self.shape_of(BurnGrid)
        if grid is None:
            return 1.0
        wide = (self.width() - LEFT - RIGHT) / len(grid.feeds) - GAP
        tall = (self.height() - TOP - FOOT) / len(grid.powers) - GAP
        return max(min(wide, tall, LARGEST), 14.0)

    def box_of(self, row: float, column: float) -> QRectF:
        """Where a square is drawn; between two of them for fractions."""
        grid, size = self.shape_of(BurnGrid), self._size()
        rows = len(grid.powers) if grid else 1
        columns = len(grid.feeds) if grid else 1
        left = LEFT + (self.width() - LEFT - RIGHT - columns * (size + GAP)) / 2
        bottom = TOP + rows * (size + GAP)
        return QRectF(left + column * (size + GAP), bottom - (row + 1) * (size + GAP), size, size)

    def places(self) -> dict[str, QPointF]:
        """The middle of each square."""
        return {c.measurand.name: self.box_of(*_cell(c)).center() for c in self.callouts}

    def box_at(self, place: QPointF) -> QPointF:
        """At the foot, so that no square is hidden."""
        return QPointF(self.width() / 2, self.height() - HEIGHT / 2 - 10)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """A click turns a square from clean to not clean, or back."""
        for c in self.callouts:
            if self.box_of(*_cell(c)).adjusted(-GAP / 2, -GAP / 2, GAP / 2, GAP / 2).contains(event.position()):
                self.turn(c)

    def turn(self, c: Callout) -> None:
        """Clean, or not clean any more."""
        self.marked.emit(c.measurand.name, "0" if mean_of(c) == 1 else "1")

    def paintEvent(self, _event: object) -> None:
        """Squares with what they came out as; what is proposed, and what is set now."""
        p = painter_on_card(self)
        grid = self.shape_of(BurnGrid)
        if grid is None:
            return
        for c in self.callouts:
            self._square(p, c)
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("ink"))
        for r, power in enumerate(grid.powers):
            box = self.box_of(r, 0)
            words_at(p, QPointF(box.left() - 10, box.center().y()), written(f"{power:g} %"), width=76, side="left")
        every = -(-64 // max(round(self._size() + GAP), 1))  # where columns are narrow, only some are named
        for i, feed in enumerate(grid.feeds):
            box = self.box_of(0, i)
            if i % every == 0:
                words_at(
                    p,
                    QPointF(box.center().x(), box.bottom() + 14),
                    self.as_shown.feed_number(feed),
                    width=(box.width() + GAP) * every,
                )
        p.setPen(th.color("soft"))
        words_at(
            p,
            QPointF(16, 18),
            tr(
                "Power, and feed in {feed_unit}. A click, or 1 and 0: clean and not clean.",
                feed_unit=self.as_shown.feed_unit,
            ),
            width=self.width() - 32,
            side="right",
        )
        chart = self.chart()
        if isinstance(chart, Cells):
            if chart.now:
                p.setPen(QPen(th.color("soft"), 2, Qt.PenStyle.DashLine))
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.drawEllipse(self.box_of(*chart.now).center(), 0.34 * self._size(), 0.34 * self._size())
            if chart.proposed:
                p.setPen(QPen(th.color("focus"), 3))
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.drawRoundedRect(self.box_of(*chart.proposed).adjusted(-3, -3, 3, 3), 6, 6)

    def _square(self, p: QPainter, c: Callout) -> None:
        box, clean = self.box_of(*_cell(c)), mean_of(c)
        if clean == 1:
            p.setPen(QPen(th.color("good"), 2))
            p.setBrush(th.color("good_fill"))
        else:
            p.setPen(QPen(th.color("line"), 1.6, Qt.PenStyle.SolidLine if clean is not None else Qt.PenStyle.DotLine))
            p.setBrush(th.color("bad_fill" if clean is not None else "card"))
        if c.current:
            p.setPen(QPen(th.color("ink"), 3))
        p.drawRoundedRect(box, 4, 4)
        colour = "good" if clean == 1 else "bad"
        if clean is None:
            return
        inner = box.adjusted(0.36 * box.width(), 0.36 * box.height(), -0.36 * box.width(), -0.36 * box.height())
        p.setPen(QPen(th.color(colour), 3))
        if clean == 1:  # a square that fell out
            p.setBrush(th.color(colour))
            p.drawRect(inner)
        else:
            p.drawLine(inner.topLeft(), inner.bottomRight())
            p.drawLine(inner.bottomLeft(), inner.topRight())


def _cell(c: Callout) -> tuple[int, int]:
    """(row, column), from 0, of ``cell_3_1``."""
    _, row, column = c.measurand.name.split("_")
    return int(row) - 1, int(column) - 1
