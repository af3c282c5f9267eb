"""A printed sheet as it is seen from the standpoint: its marks and targets, where they were found, what is next."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from typing import TYPE_CHECKING

from PySide6.QtCore import QBuffer, QIODevice, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QImage, QImageReader, QMouseEvent, QPainter, QPainterPath, QPen, QPolygonF, QTransform
from PySide6.QtWidgets import QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import painter_on_card
from keen_compass.app.round.piece_canvas import draw_axes
from keen_compass.app.round.surface import words_at
from keen_compass.language import tr
from keen_compass.pieces.page import Page
from keen_compass.pieces.sticker import Sticker, to_sheet
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.standpoint import Standpoint

if TYPE_CHECKING:
    from keen_compass.formats.artwork import Artwork

AROUND = 3.0  # mm about stickers that are looked at closely
MOST_SHOWN = 1600  # px, of a picture either way
SIGN = 9.0  # px, arm of a mark's cross
HIT = 30.0  # px about a mark
FOOT = 34.0  # px below, for words and axes
MOST_MAGNIFIED = 200.0  # more would draw what nobody can aim better
MOST_OF_HEAD = 5.0  # px per mm of the head
MOST_ARROW = 60.0  # px, of the longest residual


@dataclass(frozen=True)
class Seen:
    """What is drawn. lies: sheet → machine, mm. aimed: marks that are done; now: the one whose turn it is.

    off: mark → where it was found beside where the map has it, mm. lit: whether marks, targets or bars are meant now.
    sticker: what is cut on it; art: its artwork; layer: print, cut, or both of them. near: only what lies about the
    stickers is seen, as large as can be. movable: its marks may be dragged.
    """

    page: Page
    standpoint: Standpoint
    lies: Callable[[Point], Point] = lambda at: at
    aimed: frozenset[int] = frozenset()
    now: int | None = None
    off: Mapping[int, Point] = field(default_factory=dict)
    lit: str = "marks"
    sticker: Sticker | None = None
    art: Artwork | None = None
    layer: str = "both"
    near: bool = False
    movable: bool = False


class FromAbove:
    """Places of the machine on the screen, as they are seen from the standpoint and as large as there is room."""

    def __init__(self, standpoint: Standpoint, places: Iterable[Point], room: QRectF) -> None:
        """places: mm; all of them are to be seen."""
        self._standpoint = standpoint
        viewed = [standpoint.to_view(*place) for place in places]
        left, right = min(u for u, _ in viewed), max(u for u, _ in viewed)
        near, far = min(v for _, v in viewed), max(v for _, v in viewed)
        self.scale = min(room.width() / max(right - left, 1e-9), room.height() / max(far - near, 1e-9))
        self.middle = room.center()
        self._origin = (left + right) / 2, (near + far) / 2

    def at(self, place: Point) -> QPointF:
        """Where a place is, px."""
        u, v = self._standpoint.to_view(*place)
        return self.middle + QPointF((u - self._origin[0]) * self.scale, -(v - self._origin[1]) * self.scale)

    def place_at(self, at: QPointF) -> Point:
        """Which place is there."""
        off = at - self.middle
        u, v = off.x() / self.scale + self._origin[0], -off.y() / self.scale + self._origin[1]
        return self._standpoint.to_machine(u, v)

    def magnified(self, off: Iterable[Point]) -> float:
        """A round factor that draws the longest of these, mm, as an arrow that can be seen."""
        largest = max((max(abs(x), abs(y)) for x, y in off), default=0.0)
        wanted = MOST_ARROW / (largest * self.scale) if largest > 0 else 1.0
        return _round_factor(min(wanted, MOST_MAGNIFIED))

    def draw_arrow(self, p: QPainter, at: QPointF, off: Point, factor: float) -> None:
        """From there, so many times as long as it is; none where it could not be seen."""
        u, v = self._standpoint.to_view(*off)
        way = QPointF(u, -v) * (self.scale * factor)
        length = (way.x() ** 2 + way.y() ** 2) ** 0.5
        if length < 3:
            return
        along, tip = way / length, at + way
        across = QPointF(-along.y(), along.x())
        p.setPen(QPen(th.color("bad"), 3))
        p.setBrush(th.color("bad"))
        p.drawLine(at, tip)
        head = min(10.0, length / 2)
        p.drawPolygon(QPolygonF([tip, tip - head * (along - across / 2), tip - head * (along + across / 2)]))


def draw_mark(p: QPainter, at: QPointF, *, now: bool, done: bool) -> None:
    """A cross; the one whose turn it is stands out by a ring."""
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setPen(QPen(th.color("focus" if now else "good" if done else "ink"), 3.0 if now else 2.0))
    p.drawLine(at - QPointF(SIGN, 0), at + QPointF(SIGN, 0))
    p.drawLine(at - QPointF(0, SIGN), at + QPointF(0, SIGN))
    if now:
        p.drawEllipse(at, 2 * SIGN, 2 * SIGN)


def number_mark(p: QPainter, at: QPointF, i: int, *, now: bool, done: bool) -> None:
    """Its number, from 0 as marks are counted, about a place; a tick where it is done."""
    p.setFont(th.font(th.VERDICT if now else 17, bold=True))
    words_at(p, at, f"✓ {i + 1}" if done and not now else str(i + 1), width=60)


class Drawing:
    """Where on the screen a sheet lies, and how it is painted there."""

    def __init__(self, seen: Seen, room: QRectF) -> None:
        self.seen, page = seen, seen.page
        corners = [(0.0, 0.0), (page.width, 0.0), (page.width, page.height), (0.0, page.height)]
        self._corners = [seen.lies(c) for c in corners]
        self._frame = FromAbove(seen.standpoint, self._about_stickers() if seen.near else self._corners, room)
        self.magnified = self._frame.magnified(seen.off.values())

    def _about_stickers(self) -> list[Point]:
        """Corners of what all stickers take, on the machine."""
        seen = self.seen
        assert seen.sticker is not None
        left, top, right, bottom = seen.sticker.box
        box = ((left - AROUND, top - AROUND), (right + AROUND, bottom + AROUND))
        return [seen.lies(to_sheet(place, seen.page, at)) for place in seen.page.art for at in box]

    def at(self, place: Point) -> QPointF:
        """A place on the sheet."""
        return self.on_machine(self.seen.lies(place))

    def place_at(self, at: QPointF) -> Point:
        """The place of a sheet that lies nowhere yet."""
        return self._frame.place_at(at)

    def on_machine(self, place: Point) -> QPointF:
        """A place on the machine."""
        return self._frame.at(place)

    def paint(self, p: QPainter) -> None:
        """Paper, bars, code, targets, marks, arrows."""
        seen, page = self.seen, self.seen.page
        p.setPen(QPen(th.color("soft"), 1.4))
        p.setBrush(th.color("paper"))
        p.drawPolygon(QPolygonF([self.on_machine(c) for c in self._corners]))
        self._bars(p, lit=seen.lit == "bars")
        x, y = page.code_at
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(th.color("line"))
        code = [(x, y), (x + 22, y), (x + 22, y + 22), (x, y + 22)]
        p.drawPolygon(QPolygonF([self.at(c) for c in code]))
        for place in page.art if seen.sticker else ():
            self._stuck(p, place)
        for i, target in enumerate(page.targets, 1):
            self._target(p, self.at(target), str(i), lit=seen.lit == "targets")
        for i, mark in enumerate(page.marks):
            self._mark(p, i, self.at(mark.at), square=mark.unlike)
        for i, off in seen.off.items():
            self._frame.draw_arrow(p, self.at(page.marks[i].at), off, self.magnified)

    def _stuck(self, p: QPainter, place: Point) -> None:
        """One sticker, its corner there on paper: the artwork, and the line that is cut."""
        seen = self.seen
        assert seen.sticker is not None
        o, x, y = (self.at(to_sheet(place, seen.page, at)) for at in ((0.0, 0.0), (1.0, 0.0), (0.0, 1.0)))
        p.save()
        p.setTransform(QTransform(x.x() - o.x(), x.y() - o.y(), y.x() - o.x(), y.y() - o.y(), o.x(), o.y()), True)
        if seen.art is not None and seen.layer != "cut":
            fill_film(p, seen.sticker)
            paint_artwork(p, seen.art)
        if seen.layer != "print":
            pen = QPen(th.color("focus"), 2.2)
            pen.setCosmetic(True)
            p.setPen(pen)
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawPath(cut_path(seen.sticker))
        p.restore()

    def _bars(self, p: QPainter, *, lit: bool) -> None:
        p.setPen(QPen(th.color("focus" if lit else "soft"), 3.0 if lit else 1.4))
        p.setFont(th.font(th.TEXT, bold=lit))
        for name, (a, b) in zip("XY", self.seen.page.bars, strict=True):
            p.drawLine(self.at(a), self.at(b))
            if lit:
                x, y = (a[0] + b[0]) / 2, (a[1] + b[1]) / 2
                edge = self.at((x, 0.0) if a[1] == b[1] else (0.0, y))
                out = edge - self.at((x, y))
                words_at(p, edge + out * (14 / max((out.x() ** 2 + out.y() ** 2) ** 0.5, 1.0)), name, width=24)

    def _target(self, p: QPainter, at: QPointF, number: str, *, lit: bool) -> None:
        p.setPen(QPen(th.color("focus" if lit else "soft"), 2.4 if lit else 1.4))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawEllipse(at, SIGN, SIGN)
        p.drawLine(at - QPointF(SIGN, 0), at + QPointF(SIGN, 0))
        p.drawLine(at - QPointF(0, SIGN), at + QPointF(0, SIGN))
        p.setFont(th.font(th.TEXT))
        if self.seen.lit != "bars":
            words_at(p, at + QPointF(SIGN + 5, 0), number, width=30, side="right")

    def _mark(self, p: QPainter, i: int, at: QPointF, *, square: bool) -> None:
        """Its cross, in a square where it is the one that is different, and its number."""
        now, done = i == self.seen.now, i in self.seen.aimed
        draw_mark(p, at, now=now, done=done)
        if square:
            p.drawRect(QRectF(at.x() - SIGN, at.y() - SIGN, 2 * SIGN, 2 * SIGN))
        if self.seen.lit == "bars":
            return  # their words need the room
        inwards = self._frame.middle - at
        beside = at + QPointF(28 if inwards.x() > 0 else -28, -16 if inwards.y() < 0 else 16)
        number_mark(p, beside, i, now=now, done=done)


def cut_path(sticker: Sticker) -> QPainterPath:
    """Its lines, in its own frame."""
    path = QPainterPath()
    for ring in sticker.rings:
        path.addPolygon(QPolygonF([QPointF(x, y) for x, y in (*ring.points, ring.points[0])]))
    return path


def fill_film(p: QPainter, sticker: Sticker) -> None:
    """What it is printed on: light in any light."""
    p.fillPath(cut_path(sticker), th.color("film"))


def paint_artwork(p: QPainter, art: Artwork) -> None:
    """As it is printed, mm from its upper left corner, Y down."""
    from keen_compass.formats.drawn import Drawing

    p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    seen = art.picture if isinstance(art, Drawing) else art.data
    p.drawImage(QRectF(0, 0, art.width, art.height), _image_of(seen))


@lru_cache(maxsize=2)
def _image_of(data: bytes) -> QImage:
    """A picture, small enough for a screen, turned as its tag says."""
    reader = QBuffer()
    reader.setData(data)
    reader.open(QIODevice.OpenModeFlag.ReadOnly)
    images = QImageReader(reader)
    images.setAutoTransform(True)
    images.setAllocationLimit(0)  # its pixels were counted when it was read
    size = images.size()
    if max(size.width(), size.height()) > MOST_SHOWN:
        images.setScaledSize(size.scaled(MOST_SHOWN, MOST_SHOWN, Qt.AspectRatioMode.KeepAspectRatio))
    return images.read()


def _round_factor(factor: float) -> float:
    """A factor that can be said: 1, 2, 5, 10, 20 …"""
    steps = [m * 10**k for k in range(-1, 5) for m in (1, 2, 5)]
    return float(max((s for s in steps if s <= factor), default=steps[0]))


def draw_foot(p: QPainter, widget: QWidget, standpoint: Standpoint, words: str = "") -> None:
    """Where one stands, and where the axes point; words at the left."""
    y = widget.height() - FOOT + 4
    p.setFont(th.font(th.TEXT))
    p.setPen(th.color("soft"))
    p.drawText(QRectF(16, y, widget.width() / 2 - 40, 24), Qt.AlignmentFlag.AlignVCenter, words)
    at = QPointF(widget.width() / 2, y + 6)
    p.setBrush(th.color("ink"))
    p.setPen(Qt.PenStyle.NoPen)
    p.drawPolygon(QPolygonF([at, at + QPointF(9, 13), at + QPointF(-9, 13)]))
    p.setPen(th.color("soft"))
    p.drawText(QRectF(at.x() + 14, y, 150, 24), Qt.AlignmentFlag.AlignVCenter, tr("you stand here"))
    draw_axes(p, QPointF(widget.width() - 92.0, widget.height() - 14.0), standpoint)


class HeadPicture(QWidget):
    """The head from above as it is seen: the tool, and where the controller has what sits beside it."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(300, 150)
        self._standpoint, self._offset, self._name, self._words = Standpoint(), (0.0, 0.0), "", ""

    def show_head(self, standpoint: Standpoint, offset: Point, name: str, words: str) -> None:
        """offset: from the tool, mm along the machine's axes; words: how far that is, as it is seen."""
        self._standpoint, self._offset, self._name, self._words = standpoint, offset, name, words
        self.setAccessibleName(tr("The controller has the {name} {words} of the tool", name=name, words=words))
        self.update()

    def paintEvent(self, _event: object) -> None:
        """Both, the vector from one to the other, where one is."""
        p = painter_on_card(self)
        right, away = self._standpoint.to_view(*self._offset)
        room = QRectF(150, 52, self.width() - 300, self.height() - 84 - FOOT)
        scale = min(room.width() / max(abs(right), 20.0), room.height() / max(abs(away), 20.0), MOST_OF_HEAD)
        half = QPointF(right * scale / 2, -away * scale / 2)
        tool, dot = room.center() - half, room.center() + half
        p.setPen(QPen(th.color("line"), 1.4))
        p.setBrush(th.color("paper"))
        p.drawRoundedRect(QRectF(tool, dot).normalized().adjusted(-44, -30, 44, 30), 12, 12)
        p.setPen(QPen(th.color("soft"), 1.6, Qt.PenStyle.DashLine))
        p.drawLine(tool, dot)
        p.setPen(QPen(th.color("ink"), 2))
        p.setBrush(th.color("card"))
        p.drawEllipse(tool, 15, 15)
        p.drawEllipse(tool, 4, 4)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(th.color("bad"))
        p.drawEllipse(dot, 7, 7)
        p.setFont(th.font(th.TEXT, bold=True))
        p.setPen(th.color("ink"))
        words_at(p, tool + QPointF(0, 27), tr("tool"), width=80)
        words_at(p, dot + QPointF(0, 22), self._name, width=110)
        p.setFont(th.font(17, bold=True))
        p.drawText(QRectF(14, 8, self.width() - 28, 26), Qt.AlignmentFlag.AlignCenter, self._words)
        draw_foot(p, self, self._standpoint)


class SheetPicture(QWidget):
    """Only the picture; `chosen` carries a mark that was clicked, `moved` one and where it was dragged to, mm."""

    chosen = Signal(int)
    moved = Signal(int, QPointF)

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(360, 150)
        self._seen: Seen | None = None
        self._words = ""
        self._held: tuple[int, QPointF] | None = None  # a mark under the hand, and where it is

    def show_sheet(self, seen: Seen | None, words: str = "") -> None:
        """Another state of it; none where there is only a mark on the bed."""
        self._seen, self._words = seen, words
        self.setAccessibleName(words or tr("The sheet as you see it"))
        self.update()

    def drawing(self) -> Drawing | None:
        """Where everything is now."""
        room = QRectF(24, 28, self.width() - 48, self.height() - 34 - FOOT)
        return Drawing(self._seen, room) if self._seen else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """A mark that is clicked is aimed at next."""
        drawing = self.drawing()
        if drawing is None or self._seen is None:
            return
        marks = [(drawing.at(m.at) - event.position()).manhattanLength() for m in self._seen.page.marks]
        near = min(range(len(marks)), key=marks.__getitem__, default=None)
        if near is not None and marks[near] < HIT:
            self._held = (near, event.position())
            self.chosen.emit(near)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Where it would go is shown as a cross, where marks can be moved."""
        if self._held and self._seen and self._seen.movable:
            self._held = (self._held[0], event.position())
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """There it is to stand."""
        held, self._held = self._held, None
        drawing = self.drawing()
        if held and drawing is not None and self._seen is not None and self._seen.movable:
            before = drawing.at(self._seen.page.marks[held[0]].at)
            if (before - event.position()).manhattanLength() > SIGN:
                x, y = drawing.place_at(event.position())
                self.moved.emit(held[0], QPointF(x, y))
        self.update()

    def paintEvent(self, _event: object) -> None:
        """The sheet, what is meant on it, where one is."""
        p = painter_on_card(self)
        drawing = self.drawing()
        if drawing is None or self._seen is None:
            p.setFont(th.font(17))
            p.setPen(th.color("soft"))
            p.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self._words)
            return
        p.save()
        p.setClipRect(QRectF(2, 2, self.width() - 4, self.height() - 2 - FOOT))
        drawing.paint(p)
        p.restore()
        if self._held and self._seen.movable:
            at = self._held[1]
            p.setPen(QPen(th.color("focus"), 2.4))
            p.drawLine(at - QPointF(2 * SIGN, 0), at + QPointF(2 * SIGN, 0))
            p.drawLine(at - QPointF(0, 2 * SIGN), at + QPointF(0, 2 * SIGN))
        draw_foot(p, self, self._seen.standpoint, self._words)
