"""The picture of the shop-floor view: the piece as it is seen from the standpoint, what is to be read now lit."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from keen_compass.app import theme as th
from keen_compass.app.round.piece_canvas import inner_of
from keen_compass.procedures.base import Outlined
from keen_compass.procedures.measurand import Measurand
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.standpoint import Standpoint

MARGIN = 34.0  # px
HEAD = 16.0  # px, of an arrow


class FloorPicture(QWidget):
    """Only a picture: an outline with its dimension line, or the places that are visited."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(260, 160)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self._outline: tuple[Point, ...] = ()
        self._inner: tuple[tuple[Point, ...], ...] = ()
        self._lit: tuple[Point, Point] | None = None
        self._places: tuple[Point, ...] = ()
        self._here: Point | None = None
        self._standpoint = Standpoint()

    def show_piece(
        self, shape: object, measurands: tuple[Measurand, ...], now: Measurand | None, s: Standpoint
    ) -> None:
        """What was made or is visited, and which of its measurands is read now."""
        self._standpoint = s
        self._lit = now.line if now and now.line[0] != now.line[1] else None
        self._outline = shape.outline() if isinstance(shape, Outlined) else ()
        self._inner = inner_of(shape, {})
        self._places, self._here = (), None
        if not self._outline:
            along = {m.name: m.at if m.at != (0.0, 0.0) else _along(m) for m in measurands}
            self._places = tuple(dict.fromkeys(along.values()))
            self._here = along[now.name] if now else None
        elif now is not None and now.by_eye:  # places on what has an outline
            self._places = tuple(dict.fromkeys(m.at for m in measurands if m.by_eye))
            self._here = now.at
        self.setVisible(len(self._outline) > 2 or len(self._places) > 2)
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Draw it as large as there is room."""
        points = [*self._outline, *self._places, *(self._lit or ())]
        if not points:
            return
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        seen = [self._standpoint.to_view(*at) for at in points]
        left, right = min(x for x, _ in seen), max(x for x, _ in seen)
        near, far = min(y for _, y in seen), max(y for _, y in seen)
        room = QRectF(MARGIN, MARGIN, self.width() - 2 * MARGIN, self.height() - 2 * MARGIN)
        scale = min(room.width() / max(right - left, 1e-9), room.height() / max(far - near, 1e-9))

        def to(at: Point) -> QPointF:
            u, v = self._standpoint.to_view(*at)
            middle = room.center()
            return QPointF(middle.x() + scale * (u - (left + right) / 2), middle.y() - scale * (v - (near + far) / 2))

        p.setPen(QPen(th.color("ink"), 3))
        p.setBrush(th.color("material"))
        if self._outline:
            p.drawPolygon(QPolygonF([to(at) for at in self._outline]))
            p.setBrush(th.color("paper"))
            for ring in self._inner:
                p.drawPolygon(QPolygonF([to(at) for at in ring]))
        p.setPen(Qt.PenStyle.NoPen)
        for at in self._places:
            lit = at == self._here
            p.setBrush(th.color("focus" if lit else "line"))
            p.drawEllipse(to(at), 22 if lit else 9, 22 if lit else 9)
        if self._lit and self._outline:
            self._draw_dimension(p, to(self._lit[0]), to(self._lit[1]))

    def _draw_dimension(self, p: QPainter, a: QPointF, b: QPointF) -> None:
        """A thick arrow from face to face."""
        length = math.hypot(b.x() - a.x(), b.y() - a.y())
        if not length:
            return
        along = (b - a) / length
        across = QPointF(-along.y(), along.x())
        p.setPen(QPen(th.color("focus"), 9, Qt.PenStyle.SolidLine, Qt.PenCapStyle.FlatCap))
        p.drawLine(a + along * HEAD, b - along * HEAD)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(th.color("focus"))
        for tip, back in ((a, along), (b, -along)):
            p.drawPolygon(
                QPolygonF([tip, tip + back * 2 * HEAD + across * HEAD, tip + back * 2 * HEAD - across * HEAD])
            )


def _along(m: Measurand) -> Point:
    """Where on its axis a stop of a run lies."""
    return (0.0, m.nominal) if m.axis == "y" else (m.nominal, 0.0)
