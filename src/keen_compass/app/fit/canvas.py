"""The file as it lies: in its own coordinates until the marks say where the print is, then on the machine."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainterPath, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import painter_on_card
from keen_compass.app.round.sheet_picture import FOOT, HIT, FromAbove, draw_foot, draw_mark, number_mark
from keen_compass.language import tr
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.standpoint import Standpoint

SEEN = 0.001  # mm, a misfit that is drawn
RIM = 44.0  # px about what is drawn


class FitCanvas(QWidget):
    """`chosen` carries a mark that was clicked; `pointed` a place beside them, and how far it may be off, mm."""

    chosen = Signal(int)
    pointed = Signal(float, float, float)

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(380, 260)
        self._paths: Sequence[Sequence[Point]] = ()
        self._marks: Sequence[Point] = ()
        self._off: Mapping[int, Point] = {}
        self._done: frozenset[int] = frozenset()
        self._now: int | None = None
        self._points = False
        self._standpoint = Standpoint()
        self._bed: Point | None = None
        self._words = tr("Drop a cut file here: HP-GL, SVG, DXF or G-code")

    def show_file(
        self,
        paths: Sequence[Sequence[Point]],
        marks: Sequence[Point],
        standpoint: Standpoint,
        *,
        done: frozenset[int],
        now: int | None,
        points: bool,
        off: Mapping[int, Point],
        bed: Point | None,
        words: str,
    ) -> None:
        """paths, marks: mm, of the file, or of the machine where `bed` is given. done: marks that were aimed at, now:
        the one whose turn it is. points: places are pointed at. off: mark → residual, mm.
        """
        self._paths, self._marks, self._standpoint = paths, marks, standpoint
        self._done, self._now, self._off, self._bed, self._words = done, now, off, bed, words
        self._points = points
        self.setAccessibleName(words)
        self.update()

    def frame(self) -> FromAbove:
        """Where everything is now."""
        places = [p for path in self._paths for p in path] + list(self._marks)
        if self._bed is not None:
            places += [(0.0, 0.0), self._bed]
        room = QRectF(RIM, RIM, self.width() - 2 * RIM, self.height() - 2 * RIM - FOOT)
        return FromAbove(self._standpoint, places or [(0.0, 0.0)], room)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """A mark that is clicked is aimed at next; where places are pointed at, any other becomes a mark."""
        frame = self.frame()
        off = [(frame.at(m) - event.position()).manhattanLength() for m in self._marks]
        near = min(range(len(off)), key=off.__getitem__, default=None)
        if near is not None and off[near] < HIT:
            self.chosen.emit(near)
        elif self._points:
            self.pointed.emit(*frame.place_at(event.position()), HIT / frame.scale)

    def paintEvent(self, _event: object) -> None:
        """Bed, strokes, marks, residuals."""
        p = painter_on_card(self)
        p.setFont(th.font(17))
        p.setPen(th.color("soft"))
        if not self._paths:
            p.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self._words)
            return
        frame = self.frame()
        if self._bed is not None:
            x, y = self._bed
            corners = [frame.at(c) for c in ((0.0, 0.0), (x, 0.0), (x, y), (0.0, y))]
            p.setPen(QPen(th.color("line"), 1.4))
            p.setBrush(th.color("paper"))
            p.drawPolygon(QPolygonF(corners))
        strokes = QPainterPath()
        for path in self._paths:
            strokes.addPolygon(QPolygonF([frame.at(point) for point in path]))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(th.color("ink"), 1.6))
        p.drawPath(strokes)
        factor = frame.magnified(self._off.values())
        for i, mark in enumerate(self._marks):
            at, now, done = frame.at(mark), i == self._now, i in self._done
            draw_mark(p, at, now=now, done=done)
            number_mark(p, at + QPointF(0, -28), i, now=now, done=done)
            frame.draw_arrow(p, at, self._off.get(i, (0.0, 0.0)), factor)
        draw_foot(p, self, self._standpoint, self._words)
        if any(max(map(abs, off)) > SEEN for off in self._off.values()):
            p.setPen(th.color("bad"))
            p.setFont(th.font(17))
            p.drawText(QPointF(16, 26), tr("Arrows: misfit × {factor:g}", factor=factor))
