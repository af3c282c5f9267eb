"""The file as it lies: in its own coordinates until the marks say where the print is, then on the machine."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPainterPath, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import painter_on_card
from keen_compass.app.round.sheet_picture import FOOT, draw_foot
from keen_compass.app.round.surface import words_at
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.standpoint import Standpoint

RIM = 44.0  # px about what is drawn
SIGN = 9.0  # px, arm of a mark's cross
HIT = 30.0  # px about a mark
ARROW = 50.0  # px, of the longest residual
MOST_MAGNIFIED = 200.0


class FitCanvas(QWidget):
    """`chosen` carries a mark that was clicked."""

    chosen = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(380, 260)
        self._paths: Sequence[Sequence[Point]] = ()
        self._marks: Sequence[Point] = ()
        self._off: Mapping[int, Point] = {}
        self._done: frozenset[int] = frozenset()
        self._now: int | None = None
        self._standpoint = Standpoint()
        self._bed: Point | None = None
        self._words = "Drop a cut file here: HP-GL, SVG, DXF or G-code"

    def show_file(
        self,
        paths: Sequence[Sequence[Point]],
        marks: Sequence[Point],
        standpoint: Standpoint,
        *,
        done: frozenset[int],
        now: int | None,
        off: Mapping[int, Point],
        bed: Point | None,
        words: str,
    ) -> None:
        """paths, marks: mm, of the file, or of the machine where `bed` is given. done: marks that were aimed at, now:
        the one whose turn it is. off: mark → residual, mm.
        """
        self._paths, self._marks, self._standpoint = paths, marks, standpoint
        self._done, self._now, self._off, self._bed, self._words = done, now, off, bed, words
        self.setAccessibleName(words)
        self.update()

    def _extent(self) -> tuple[float, float, float, float]:
        points = [p for path in self._paths for p in path] + list(self._marks)
        if self._bed is not None:
            points += [(0.0, 0.0), self._bed]
        seen = [self._standpoint.to_view(*p) for p in points] or [(0.0, 0.0), (1.0, 1.0)]
        us, vs = [u for u, _ in seen], [v for _, v in seen]
        return min(us), min(vs), max(us), max(vs)

    def _frame(self) -> tuple[float, QPointF]:
        """px per mm, and where the view’s zero is."""
        left, near, right, far = self._extent()
        room = QRectF(RIM, RIM, self.width() - 2 * RIM, self.height() - 2 * RIM - FOOT)
        scale = min(room.width() / max(right - left, 1e-6), room.height() / max(far - near, 1e-6))
        middle = room.center()
        return scale, QPointF(middle.x() - scale * (left + right) / 2, middle.y() + scale * (near + far) / 2)

    def _at(self, place: Point, frame: tuple[float, QPointF]) -> QPointF:
        (u, v), (scale, zero) = self._standpoint.to_view(*place), frame
        return QPointF(zero.x() + scale * u, zero.y() - scale * v)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """A mark that is clicked is aimed at next."""
        frame = self._frame()
        off = [(self._at(m, frame) - event.position()).manhattanLength() for m in self._marks]
        near = min(range(len(off)), key=off.__getitem__, default=None)
        if near is not None and off[near] < HIT:
            self.chosen.emit(near)

    def paintEvent(self, _event: object) -> None:
        """Bed, strokes, marks, residuals."""
        p = painter_on_card(self)
        p.setFont(th.font(17))
        p.setPen(th.color("soft"))
        if not self._paths:
            p.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self._words)
            return
        frame = self._frame()
        if self._bed is not None:
            x, y = self._bed
            corners = [self._at(c, frame) for c in ((0.0, 0.0), (x, 0.0), (x, y), (0.0, y))]
            p.setPen(QPen(th.color("line"), 1.4))
            p.setBrush(th.color("paper"))
            p.drawPolygon(QPolygonF(corners))
        strokes = QPainterPath()
        for path in self._paths:
            strokes.addPolygon(QPolygonF([self._at(point, frame) for point in path]))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(th.color("ink"), 1.6))
        p.drawPath(strokes)
        largest = max((max(abs(x), abs(y)) for x, y in self._off.values()), default=0.0)
        factor = min(ARROW / (largest * frame[0]), MOST_MAGNIFIED) if largest > 0 else 1.0
        for i, mark in enumerate(self._marks):
            at = self._at(mark, frame)
            self._mark(p, i, at)
            dx, dy = self._off.get(i, (0.0, 0.0))
            u, v = self._standpoint.to_view(dx, dy)
            tip = at + QPointF(u, -v) * (frame[0] * factor)
            if (tip - at).manhattanLength() > 4:
                p.setPen(QPen(th.color("bad"), 3))
                p.drawLine(at, tip)
        draw_foot(p, self, self._standpoint, self._words)

    def _mark(self, p: QPainter, i: int, at: QPointF) -> None:
        now, done = i == self._now, i in self._done
        p.setPen(QPen(th.color("focus" if now else "good" if done else "soft"), 3.0 if now else 2.0))
        p.drawLine(at - QPointF(SIGN, 0), at + QPointF(SIGN, 0))
        p.drawLine(at - QPointF(0, SIGN), at + QPointF(0, SIGN))
        if now:
            p.drawEllipse(at, 2 * SIGN, 2 * SIGN)
        p.setFont(th.font(th.VERDICT if now else 17, bold=True))
        words_at(p, at + QPointF(0, -28), f"✓ {i + 1}" if done and not now else str(i + 1), width=60)
