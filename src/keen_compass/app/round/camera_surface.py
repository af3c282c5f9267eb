"""Pictures that a camera took: dropped, pasted, from a file or a watched folder; what was found in them, put right.

The place of the cross is in the callout, in pixels; a click finds the cross nearby, with Shift it is that very
place, the arrow keys move it by single pixels under the loupe.
"""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QEvent, QObject, QPointF, QRectF, Qt, QTimer
from PySide6.QtGui import (
    QDragEnterEvent,
    QDropEvent,
    QGuiApplication,
    QImage,
    QKeyEvent,
    QKeySequence,
    QMouseEvent,
    QPainter,
    QPen,
    QResizeEvent,
)
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import ARROWS, Button, painter_on_card
from keen_compass.app.round.callout import HEIGHT
from keen_compass.app.round.picture_source import PictureSource
from keen_compass.app.round.surface import FloatingSurface, words_at
from keen_compass.errors import LengthError
from keen_compass.language import tr
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.readings import Picture, Spot, parse_pixel
from keen_compass.rounds import RoundSession
from keen_compass.rounds.half_typed import Callout
from keen_compass.words.say import say
from keen_compass.words.sheets import position_in_words

WIDE = 210  # px, of a callout that holds both numbers
STRIP, HEAD, GAP = 208, 40.0, 10.0  # px: right of the picture, for words above it, between things
LOUPE, SMALLEST_LOUPE, MAGNIFIED = 190.0, 80.0, 6.0  # px, px, times
THUMB = 36.0  # px, of a small picture
FINE, COARSE = 1.0, 10.0  # px of the picture, by which an arrow key moves, and with Shift
PICTURES = (".png", ".jpg", ".jpeg", ".webp", ".tif", ".tiff")
SOON = 30  # ms
SETTLES = 400  # ms, after which a file that appears in a folder is whole


class CameraSurface(FloatingSurface):
    """The picture whose turn it is; all of them small beneath the loupe."""

    def __init__(self) -> None:
        super().__init__(WIDE)
        self.setAcceptDrops(True)
        self._image = QImage()
        self._blob = ""
        self._frozen = False
        self._said = ""
        self.source = PictureSource(self)
        self.source.given.connect(self.take)
        self.source.refused.connect(self.wanted.emit)
        self.other = Button(tr("Other cross"), self._other, "quiet")
        self._tools = QWidget(self)
        column = QVBoxLayout(self._tools)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        row = QHBoxLayout()
        row.setSpacing(6)
        for button in (self.other, self.source.paste):
            button.setStyleSheet("QPushButton { padding: 0 4px; }")
            row.addWidget(button)
        column.addLayout(row)
        column.addWidget(self.source.file)
        self.box.edit.installEventFilter(self)

    # What is shown

    def show_session(self, session: RoundSession, callouts: list[Callout], *, frozen: bool) -> None:
        """The picture of the callout whose turn it is; where all are read, the last one."""
        self._frozen = frozen
        self._tools.setEnabled(not frozen)
        self.session, self.callouts = session, callouts
        name = self._shown()
        blob = session.pictures.taken.blobs.get(name, "")
        if blob != self._blob:
            self._blob = blob
            data = session.pictures.data(name)
            self._image = QImage.fromData(data) if data else QImage()
            self._image.setDevicePixelRatio(1.0)
        self._say_doubt()
        if blob and not session.pictures.looked_at(name):  # the picture is there first
            QTimer.singleShot(SOON, self, self._look_again)
        self.other.setEnabled(bool(blob))
        super().show_session(session, callouts, frozen=frozen)

    def _look_again(self) -> None:
        """What is to be looked at in the picture that is shown now."""
        if self.session is not None and not self.session.context.shop.closed and self._blob:
            self.session.pictures.says(self._shown())
            self._say_doubt()
            self.update()

    def _say_doubt(self) -> None:
        pictures, name = self.session.pictures if self.session else None, self._shown()
        doubt = pictures.says(name) if pictures and pictures.looked_at(name) else None
        self._said = say(doubt) if doubt else ""

    def _shown(self) -> str:
        current = self.current()
        return current.measurand.name if current else self.callouts[-1].measurand.name if self.callouts else ""

    def place_in(self, c: Callout) -> Point | None:
        """Where the cross is, px: as it is typed, else as it was kept."""
        if c.draft:
            try:
                return parse_pixel(c.draft)
            except LengthError:
                return None
        for kept in reversed(c.readings):
            reading = kept.reading
            if isinstance(reading, Picture):
                return reading.at
            if isinstance(reading, Spot):
                return reading.x, reading.y
        return None

    def _place(self) -> Point | None:
        c = next((c for c in self.callouts if c.measurand.name == self._shown()), None)
        return self.place_in(c) if c else None

    # Taking pictures

    def take(self, data: bytes, name: str) -> None:
        """A picture for the callout whose turn it is."""
        if self.session is not None and not self._frozen and (shown := self._shown()):
            self.wanted.emit(partial(self.session.pictures.put, shown, data, name))

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """Pictures may be dropped."""
        if not self._frozen and (event.mimeData().hasImage() or event.mimeData().hasUrls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """The picture whose turn it is."""
        if self.source.take_from(event.mimeData()):
            event.acceptProposedAction()

    # Putting right

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Arrow keys move the place; a picture in the clipboard is pasted."""
        if watched is self.box.edit and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            if event.matches(QKeySequence.StandardKey.Paste):
                given = QGuiApplication.clipboard().mimeData()
                return (given.hasImage() or given.hasUrls()) and self.source.take_from(given)
            arrow, at = ARROWS.get(Qt.Key(event.key())), self._place()
            if arrow and at and self._blob and not event.modifiers() & Qt.KeyboardModifier.ControlModifier:
                step = COARSE if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else FINE
                self._point((at[0] + step * arrow[0], at[1] - step * arrow[1]), exactly=True)
                return True
        return super().eventFilter(watched, event)

    def _point(self, at: Point, *, exactly: bool) -> None:
        shown = self._shown()
        if self.session is not None and not self._frozen and shown:
            inside = min(max(at[0], 0.0), self._image.width()), min(max(at[1], 0.0), self._image.height())
            session = self.session
            if self.current() is None:
                self.chosen.emit(shown)
            self.wanted.emit(lambda: session.pictures.point_at(shown, inside, exactly=exactly))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """A small picture is gone to; in the large one the cross near there is meant, with Shift that very place."""
        for name, rect in self._thumbs().items():
            if rect.contains(event.position()):
                self.chosen.emit(name)
                return
        area = self.picture_rect()
        if self._blob and area.contains(event.position()):
            scale = self._image.width() / area.width()
            at = (event.position() - area.topLeft()) * scale
            self._point((at.x(), at.y()), exactly=bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
            self.box.edit.setFocus()

    def _other(self) -> None:
        """The other cross, where there are several."""
        session, shown = self.session, self._shown()
        if session is None or not shown:
            return
        self.wanted.emit(lambda: session.pictures.other_cross(shown))

    # Where things are drawn

    def picture_rect(self) -> QRectF:
        """Of the large picture."""
        room = QRectF(GAP, HEAD, self.width() - STRIP - 3 * GAP, self.height() - HEAD - HEIGHT - 2 * GAP)
        if self._image.isNull():
            return room
        scale = min(room.width() / self._image.width(), room.height() / self._image.height())
        size = (self._image.width() * scale, self._image.height() * scale)
        return QRectF(room.center().x() - size[0] / 2, room.top(), *size)

    def _loupe(self) -> float:
        """px of its side: what small pictures and tools leave."""
        rows = -(-len(self.callouts) // int(STRIP // (THUMB + 6)))
        room = self.height() - HEAD - rows * (THUMB + 6) - self._tools.sizeHint().height() - 4 * GAP
        return float(min(max(room, SMALLEST_LOUPE), LOUPE))

    def _thumbs(self) -> dict[str, QRectF]:
        """One small square for each picture, in rows, under the loupe."""
        left, top, side = self.width() - STRIP - GAP, HEAD + self._loupe() + GAP, THUMB
        per_row = int(STRIP // (side + 6))
        return {
            c.measurand.name: QRectF(left + i % per_row * (side + 6), top + i // per_row * (side + 6), side, side)
            for i, c in enumerate(self.callouts)
        }

    def places(self) -> dict[str, QPointF]:
        """The callout stands beneath the picture."""
        at = QPointF(self.picture_rect().center().x(), self.height() - HEIGHT / 2 - GAP)
        return {c.measurand.name: at for c in self.callouts}

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Tools at the foot of the strip."""
        super().resizeEvent(event)
        high = self._tools.sizeHint().height()
        self._tools.setGeometry(self.width() - STRIP - 4, self.height() - high - 10, STRIP - 4, high)

    def paintEvent(self, _event: object) -> None:
        """Picture, cross, loupe, what is to be done."""
        p = painter_on_card(self)
        if self.session is None or not self.callouts:
            return
        area, at = self.picture_rect(), self._place()
        p.setFont(th.font(17, bold=True))
        head = QRectF(GAP, 6, self.width() - 2 * GAP, 28)
        p.setPen(th.color("warn" if self._said else "ink"))
        p.drawText(head, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, self._said or self._where())
        if self._image.isNull():
            p.setPen(QPen(th.color("line"), 2, Qt.PenStyle.DashLine))
            p.drawRoundedRect(area, 8, 8)
            p.setFont(th.font(th.TEXT))
            p.setPen(th.color("soft"))
            words = say("camera.drop")
            p.drawText(area.adjusted(20, 0, -20, 0), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, words)
        else:
            p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            p.drawImage(area, self._image)
            if at is not None:
                scale = area.width() / self._image.width()
                self._cross_hair(p, area.topLeft() + QPointF(*at) * scale, area, 14.0)
                self._draw_loupe(p, at)
        self._draw_thumbs(p)

    def _where(self) -> str:
        """Where the head is to stand for this picture."""
        assert self.session is not None
        stands = self.session.pictures.stands_at(self._shown()) if self.current() else None
        if stands is None:
            return ""
        number = self._shown().removeprefix("picture_")
        return tr(
            "Picture {number}: bring the head to {place}",
            number=number,
            place=position_in_words(stands, self.session.context.machine),
        )

    def _cross_hair(self, p: QPainter, at: QPointF, within: QRectF, gap: float) -> None:
        p.save()
        p.setClipRect(within)
        for colour, wide in (("card", 3.6), ("focus", 1.6)):
            p.setPen(QPen(th.color(colour), wide))
            for dx, dy in ((1, 0), (-1, 0), (0, 1), (0, -1)):
                way = QPointF(dx, dy)
                p.drawLine(at + way * gap, at + way * (gap + 26))
        p.restore()

    def _draw_loupe(self, p: QPainter, at: Point) -> None:
        """Around the place, each pixel as a square."""
        side = self._loupe()
        area, half = QRectF(self.width() - STRIP - GAP, HEAD, side, side), side / MAGNIFIED / 2
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, on=False)
        p.fillRect(area, th.color("line"))
        p.drawImage(area, self._image, QRectF(at[0] - half, at[1] - half, 2 * half, 2 * half))
        self._cross_hair(p, area.center(), area, 5.0)
        p.setPen(QPen(th.color("line"), 2))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRect(area)

    def _draw_thumbs(self, p: QPainter) -> None:
        assert self.session is not None
        taken, shown = self.session.pictures.taken.blobs, self._shown()
        for c in self.callouts:
            rect = self._thumbs()[c.measurand.name]
            here = c.measurand.name == shown
            p.setPen(QPen(th.color("focus" if here else "ink"), 3 if here else 1.4))
            p.setBrush(th.color("good_fill" if c.readings else "material" if c.measurand.name in taken else "card"))
            p.drawRoundedRect(rect, 4, 4)
            p.setFont(th.font(17, bold=True))
            p.setPen(th.color("ink"))
            words_at(p, rect.center(), c.measurand.name.removeprefix("picture_"), width=rect.width())
