"""What parts can look like, each drawn small: dashed as meant, solid as it comes out."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QPainter, QPen, QPolygonF

from keen_compass.app import theme as th

WIDE, TALL = 100.0, 60.0  # of every drawing, in its own units


class Pencil:
    """Draws in units of the picture, in the colours of the theme."""

    def __init__(self, p: QPainter, area: QRectF) -> None:
        self.p = p
        p.save()
        scale = min(area.width() / WIDE, area.height() / TALL)
        p.translate(area.center().x() - scale * WIDE / 2, area.center().y() - scale * TALL / 2)
        p.scale(scale, scale)

    def end(self) -> None:
        """The painter as it was."""
        self.p.restore()

    def pen(self, colour: str, width: float = 1.8, *, dashed: bool = False) -> None:
        """For lines from now on."""
        pen = QPen(th.color(colour), width)
        pen.setCosmetic(False)
        if dashed:
            pen.setDashPattern([2.5, 2.0])
        self.p.setPen(pen)
        self.p.setBrush(Qt.BrushStyle.NoBrush)

    def meant(self) -> None:
        """The pen for what was meant."""
        self.pen("soft", 1.2, dashed=True)

    def real(self) -> None:
        """The pen for what came out."""
        self.pen("ink", 2.2)

    def rect(self, x: float, y: float, w: float, h: float) -> None:
        """Its upper left corner and size."""
        self.p.drawRect(QRectF(x, y, w, h))

    def ring(self, x: float, y: float, rx: float, ry: float) -> None:
        """About a middle."""
        self.p.drawEllipse(QPointF(x, y), rx, ry)

    def line(self, *points: tuple[float, float]) -> None:
        """From one to the next."""
        self.p.drawPolyline(QPolygonF([QPointF(x, y) for x, y in points]))

    def area(self, points: Sequence[tuple[float, float]], colour: str) -> None:
        """A filled shape."""
        self.p.setPen(Qt.PenStyle.NoPen)
        self.p.setBrush(QBrush(th.color(colour)))
        self.p.drawPolygon(QPolygonF([QPointF(x, y) for x, y in points]))

    def print_of(self, x: float, y: float, w: float, h: float) -> None:
        """Something printed."""
        self.area([(x, y), (x + w, y), (x + w, y + h), (x, y + h)], "line")


def _outside(d: Pencil) -> None:
    d.meant()
    d.rect(26, 16, 48, 28)
    d.real()
    d.rect(20, 11, 60, 38)


def _inside(d: Pencil) -> None:
    d.area([(14, 8), (86, 8), (86, 52), (14, 52)], "material")
    d.meant()
    d.ring(40, 30, 15, 15)
    d.rect(66, 16, 10, 28)
    d.real()
    d.ring(40, 30, 11, 11)
    d.rect(68.5, 18, 5, 24)


def _diagonals(d: Pencil) -> None:
    d.meant()
    d.rect(22, 10, 52, 40)
    d.real()
    corners = [(22.0, 50.0), (74.0, 50.0), (84.0, 10.0), (32.0, 10.0), (22.0, 50.0)]
    d.line(*corners)
    d.pen("focus", 1.2)
    d.line(corners[0], corners[2])
    d.line(corners[1], corners[3])


def _oval(d: Pencil) -> None:
    d.meant()
    d.ring(50, 30, 21, 21)
    d.real()
    d.ring(50, 30, 30, 20)


def _slanted(d: Pencil) -> None:
    d.area([(30, 14), (70, 14), (80, 46), (20, 46)], "material")
    d.meant()
    d.line((30, 8), (30, 52))
    d.line((70, 8), (70, 52))
    d.real()
    d.line((30, 14), (70, 14), (80, 46), (20, 46), (30, 14))


def _meets(d: Pencil) -> None:
    d.real()
    d.line((48, 50), (20, 50), (20, 12), (80, 12), (80, 44), (55, 44))
    d.pen("bad", 1.4)
    d.ring(51, 47, 8, 8)


def _lost(d: Pencil) -> None:
    d.meant()
    d.line((10, 30), (90, 30))
    d.real()
    d.line((10, 30), (28, 30), (28, 24), (50, 24), (50, 17), (70, 17), (70, 9), (90, 9))


def _depth(d: Pencil) -> None:
    d.area([(10, 16), (90, 16), (90, 50), (10, 50)], "material")
    d.meant()
    d.line((20, 30), (80, 30))
    d.real()
    d.line((10, 16), (20, 16), (20, 26), (80, 42), (80, 16), (90, 16))


def _beside(d: Pencil) -> None:
    d.print_of(26, 16, 42, 28)
    d.real()
    d.rect(35, 11, 42, 28)


def _drifts(d: Pencil) -> None:
    for i in range(3):
        d.print_of(8 + 30 * i, 20, 20, 20)
        d.real()
        d.rect(8 + 33 * i, 20, 20, 20)


def _corners(d: Pencil) -> None:
    d.meant()
    d.rect(12, 14, 32, 32)
    d.rect(56, 14, 32, 32)
    d.real()
    d.p.drawRoundedRect(QRectF(12, 14, 32, 32), 9, 9)
    d.line((56, 46), (56, 14), (84, 14), (93, 10), (88, 19), (88, 46), (56, 46))


def _bands(d: Pencil) -> None:
    for i in range(4):
        d.print_of(16, 6 + 12.5 * i, 68, 10.5)
    d.area([(16, 29), (84, 29), (84, 31.5), (16, 31.5)], "ink")


def _misses(d: Pencil) -> None:
    d.pen("ink", 2.2)
    d.line((20, 30), (80, 30))
    d.line((50, 6), (50, 54))
    d.pen("focus", 2.2)
    d.line((26, 22), (86, 22))
    d.line((62, 4), (62, 52))


def _shifted(d: Pencil) -> None:
    d.pen("soft", 1.6)
    d.line((12, 6), (12, 54), (92, 54))
    d.meant()
    d.rect(20, 22, 36, 24)
    d.real()
    d.rect(36, 14, 36, 24)


DRAWINGS: dict[str, Callable[[Pencil], None]] = {
    "outside_size": _outside,
    "inside_size": _inside,
    "diagonals": _diagonals,
    "oval": _oval,
    "slanted": _slanted,
    "does_not_meet": _meets,
    "lost_steps": _lost,
    "depth": _depth,
    "beside_print": _beside,
    "drifts_along_print": _drifts,
    "corners": _corners,
    "bands": _bands,
    "tools_miss": _misses,
    "shifted": _shifted,
}


def draw_complaint(p: QPainter, what: str, area: QRectF) -> None:
    """One of them, as large as the area takes."""
    pencil = Pencil(p, area)
    DRAWINGS[what](pencil)
    pencil.end()
