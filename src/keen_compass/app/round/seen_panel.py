"""A photo or scan: where it is taken in, and, looked at, what was found in it of a sheet, each target with a tick.

The picture is shown as it was taken, with each target and the tool's cross drawn where they were found; under the loupe
is the target whose tick has the keyboard, or that the pointer is over; there the cross can be put right.
"""

from __future__ import annotations

from collections.abc import Mapping
from contextlib import suppress
from functools import partial

from PySide6.QtCore import QEvent, QObject, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QImage, QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import Button, ShowsFocus, Text, empty, painter_on_card
from keen_compass.app.round.model import RoundModel
from keen_compass.app.round.picture_panel import PicturePanel, draw_whole, read_image
from keen_compass.app.round.picture_source import PictureSource
from keen_compass.app.round.surface import words_at
from keen_compass.app.waiting import Dropped, beside
from keen_compass.language import tr
from keen_compass.pieces.page import ARM
from keen_compass.practice import stand_in
from keen_compass.quantities.geometry import Point
from keen_compass.rounds.seen_sheets import Looked
from keen_compass.words.say import capital, say, show_for

LONG = 4.0  # mm, half of a line that is shown in the picture
ABOUT = 8.0  # mm to each side of a target that the loupe shows


class PictureBar(QWidget):
    """One row: a file or folder, what was copied, or a picture that the stand-in takes; of a sheet, or of a piece that
    lies on a scanner's glass. `done`: one was looked at.
    """

    done = Signal()

    def __init__(self, model: RoundModel) -> None:
        super().__init__()
        self._model = model
        self.wanted = False  # of a piece, which is mostly measured by hand
        self.setAcceptDrops(True)
        self.source = PictureSource(self)
        self.source.given.connect(self._look)
        self.source.refused.connect(lambda run: model.attempt("picture", run))
        self.practice = Button(tr("Take a practice picture"), self._practise, "quiet")
        self._complaint = Text(colour="bad")
        self._complaint.hide()
        row = QHBoxLayout()
        row.setSpacing(8)
        self.source.file.setAccessibleName(tr("Photo or scan"))
        row.addWidget(self.source.file, 1)
        row.addWidget(self.source.paste)
        row.addWidget(self.practice)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addLayout(row)
        layout.addWidget(self._complaint)

    def refresh(self, *, editable: bool) -> None:
        """There where a sheet can be read so, and nothing is looked at yet."""
        session = self._model.session
        sheet, on_glass = session.seen_sheet.possible, session.seen_piece.possible
        looked = session.seen_sheet.looked or session.seen_piece.looked
        possible = editable and looked is None and (sheet or (on_glass and self.wanted))
        self.setVisible(possible)
        self.source.file.setPlaceholderText(
            tr("photo or scan: drop it, or name its file or folder")
            if sheet
            else tr("scan of the piece: drop it, or name it")
        )
        piece = session.context.piece
        self.practice.setVisible(possible and piece is not None and bool(piece.practice))
        self._complaint.say(self._model.trouble.get("picture", ""))
        self._complaint.setVisible(bool(self._complaint.text()))

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """Pictures may be dropped."""
        if event.mimeData().hasImage() or event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """The sheet is in it."""
        if self.source.take_from(event.mimeData()):
            event.acceptProposedAction()

    def _look(self, data: bytes, name: str) -> None:
        session = self._model.session

        def run() -> None:
            try:
                if session.seen_sheet.possible:
                    session.seen_sheet.look(data, name, partial(beside, tr("The sheet is read")))
                else:
                    session.seen_piece.look(data, name, partial(beside, tr("The piece is read")))
            except Dropped:  # whoever waited left it
                session.seen_sheet.leave()
                session.seen_piece.leave()

        if self._model.attempt("picture", run):
            self.source.file.clear()
            self.done.emit()

    def _practise(self) -> None:
        session = self._model.session
        take = stand_in.photo(session) if session.seen_sheet.possible else stand_in.scan(session)
        if take is not None:
            with suppress(Dropped):
                self._look(beside(tr("A practice picture is taken"), take), "picture")


class SeenPanel(PicturePanel):
    """Its keys are numbers of targets, from 1, and measurands that are read from line to line."""

    def __init__(self, model: RoundModel) -> None:
        self.picture = SeenPicture()
        super().__init__(model, model.session.seen_sheet, "", self.picture)
        self.picture.loupe.placed.connect(self._correct)
        self.below.addWidget(self.picture.loupe, 1)

    def _show_anew(self) -> None:
        session = self._model.session
        looked = session.seen_sheet.looked
        show = show_for(session.context.machine)
        labels = {m.name: m for m in session.measuring.measurands()}
        called: dict[int | str, str] = {key: str(key) for key in (looked.keys if looked else ())}
        called |= {key: capital(say(labels[key].label, show)) for key in called if isinstance(key, str)}
        self.picture.show_looked(looked, called)
        self.heading.say(tr("In the picture, {units}", units=show.units))
        left_out = {key for key, tick in self.ticks.items() if not tick.isChecked()} if looked else set()
        empty(self.rows)
        self.ticks = {}
        if looked is None:
            return
        self._said.say(" ".join(say(n, show) for n in (*looked.sheet.notes, *looked.readings.notes)))
        self._said.setVisible(bool(self._said.text()))
        read = {r.measurand: r for r in looked.readings.read}
        for key in looked.keys:
            names = looked.names(key)
            if not names:
                if looked.may_be_pointed_at(key):
                    show_it = partial(self._point_at, key)
                    self.rows.addWidget(
                        Button(tr("{called}   point at it below", called=called[key]), show_it, "quiet")
                    )
                else:
                    self.rows.addWidget(Text(tr("{called}   not read", called=called[key]), colour="soft"))
                continue
            values = ",  ".join(show.number(read[n].mm, signed=not isinstance(key, str)) for n in names)
            U = show.number(max(read[n].U for n in names))
            tick = self.add_tick(key, f"{called[key]}   {values}  ± {U}", on=key not in left_out)
            what = called[key] if isinstance(key, str) else tr("target {key}", key=key)
            tick.setAccessibleName(tr("Take {what}: {values}, give or take {U}", what=what, values=values, U=U))
            tick.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """What has the keyboard, or the pointer over it, is under the loupe."""
        if event.type() in (QEvent.Type.FocusIn, QEvent.Type.Enter):
            self.picture.look_at(next((key for key, tick in self.ticks.items() if tick is watched), 0))
        return super().eventFilter(watched, event)

    def _point_at(self, key: int | str) -> None:
        self.picture.look_at(key)
        self.picture.loupe.setFocus()

    def _correct(self, key: int | str, at: QPointF) -> None:
        sheet = self._model.session.seen_sheet
        self._model.attempt("picture", partial(sheet.correct, key, (at.x(), at.y())))


class SeenPicture(QWidget):
    """The picture with what was found drawn over it; its loupe is a widget for whoever lays it out."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(250, 230)
        self._image = QImage()
        self._looked: Looked | None = None
        self._called: Mapping[int | str, str] = {}
        self._key: int | str = 0
        self.loupe = Loupe(self)

    def show_looked(self, looked: Looked | None, called: Mapping[int | str, str]) -> None:
        """Another picture, or none. called: what there is to be read in it, in words."""
        before, self._looked, self._called = self._looked, looked, called
        if looked is None:
            self._image, self._key = QImage(), 0
        elif before is None or before.data is not looked.data:
            self._image = read_image(looked.data)
            self._key = next((key for key in looked.keys if looked.names(key)), looked.keys[0])
        self._show_anew()

    def look_at(self, key: int | str) -> None:
        """That target, or line, under the loupe."""
        if key and key != self._key:
            self._key = key
            self._show_anew()

    def _show_anew(self) -> None:
        self.update()
        self.loupe.update()

    def paintEvent(self, _event: object) -> None:
        """Picture, targets and lines."""
        p = painter_on_card(self)
        if self._looked is None or self._image.isNull():
            return
        area = draw_whole(p, self._image, self)
        scale = area.width() / self._image.width()
        p.setBrush(Qt.BrushStyle.NoBrush)
        for key in self._looked.keys:
            here = key == self._key
            p.setPen(QPen(th.color("focus" if self._looked.names(key) else "bad"), 3.2 if here else 1.8))
            for x, y in self._looked.places(key):
                if not isinstance(key, str):
                    p.drawEllipse(area.topLeft() + self._at((x, y)) * scale, 14.0, 14.0)
                    continue
                ((u, v),) = self._looked.ways(key)
                ends = (self._at((x + r * u, y + r * v)) * scale for r in (-LONG, LONG))
                p.drawLine(*(area.topLeft() + end for end in ends))

    def _at(self, place: Point) -> QPointF:
        """Where a place of the paper is in the picture, px."""
        import numpy as np

        assert self._looked is not None
        u, v = self._looked.sheet.map.to_picture(np.array([place]))[0].tolist()
        return QPointF(u, v)

    @property
    def key(self) -> int | str:
        """The target under the loupe, from 1, or the measurand; 0 for none."""
        return self._key

    def _under_loupe(self) -> tuple[Point, QPointF, float]:
        """Its middle on the paper, mm; where that is in the picture, and how far the loupe shows about it, px."""
        assert self._looked is not None
        at = self._looked.places(self._key)[-1]
        return at, self._at(at), ABOUT * self._looked.sheet.px_per_mm

    def beside_at(self, spot: QPointF, area: QRectF) -> QPointF:
        """What lies at a place of the loupe: mm beside its middle, on the paper."""
        import numpy as np

        assert self._looked is not None
        (x, y), middle, half = self._under_loupe()
        at = middle + (spot - area.center()) * (2 * half / area.width())
        found = self._looked.sheet.map.to_sheet(np.array([[at.x(), at.y()]]))[0].tolist()
        return QPointF(found[0] - x, found[1] - y)

    def spot_of(self, beside_target: Point, area: QRectF) -> QPointF:
        """Where that is in the loupe."""
        (x, y), middle, half = self._under_loupe()
        return area.center() + (self._at((x + beside_target[0], y + beside_target[1])) - middle) * (
            area.width() / (2 * half)
        )

    def pixel(self, area: QRectF) -> float:
        """How large a pixel of the picture is in the loupe."""
        return area.width() / (2 * self._under_loupe()[2])

    def cross_now(self) -> Point:
        """Where the tool’s cross or line is taken to lie, mm beside its place; on it where it was not seen."""
        return self._looked.lies(self._key) if self._looked and self._key else (0.0, 0.0)

    def draw_loupe(self, p: QPainter, area: QRectF, held: Point | None) -> None:
        """About a target or line, with what was found there, or is held."""
        if self._looked is None or self._image.isNull() or not self._key:
            return
        _, middle, half = self._under_loupe()
        p.save()
        p.setClipRect(area)
        p.fillRect(area, th.color("line"))
        p.drawImage(area, self._image, QRectF(middle.x() - half, middle.y() - half, 2 * half, 2 * half))
        if held is not None or self._looked.names(self._key):
            ex, ey = held or self.cross_now()
            p.setPen(QPen(th.color("focus"), 1.6))
            for dx, dy in self._looked.ways(self._key):
                for side in (-1, 1):
                    ends = ((ex + side * r * dx, ey + side * r * dy) for r in (1.0, ARM + 1.5))
                    first, last = (self.spot_of(end, area) for end in ends)
                    p.drawLine(first, last)
        p.restore()
        p.setPen(QPen(th.color("line"), 2))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRect(area)
        p.setFont(th.font(17, bold=True))
        p.setPen(th.color("ink"))
        what = self._called[self._key] if isinstance(self._key, str) else tr("Target {key}", key=self._key)
        words_at(p, QPointF(area.center().x(), area.top() - 12), what, width=self.loupe.width())


class Loupe(ShowsFocus):
    """A target, or a line, as large as there is room. What the tool left is dragged, or moved with the arrow keys by a
    pixel of the picture, ten with Shift: `placed` carries its key and where it lies then, mm on the paper.
    """

    placed = Signal(object, QPointF)

    def __init__(self, picture: SeenPicture) -> None:
        super().__init__()
        self._picture = picture
        self._held: Point | None = None
        self.setMinimumHeight(90)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.setAccessibleName(tr("Loupe: drag the cross or line, or move it with the arrow keys"))

    def area(self) -> QRectF:
        """Of the target."""
        room = QRectF(self.rect()).adjusted(0, 26, 0, -2)
        side = min(room.width(), room.height())
        return QRectF(room.center().x() - side / 2, room.top(), side, side)

    def paintEvent(self, _event: object) -> None:
        """Its number, and the target."""
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        self._picture.draw_loupe(p, self.area(), self._held)
        if self.hasFocus():
            p.setPen(QPen(th.color("focus"), 3))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRect(self.area())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """The cross is where the pointer is."""
        if self._picture.key and self.area().contains(event.position()):
            self._hold(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """It follows."""
        if self._held is not None:
            self._hold(event.position())

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        """There it stays."""
        if self._held is not None:
            self._place(self._held)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrow keys, as the picture is seen."""
        ways = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}
        way = ways.get(Qt.Key(event.key()))
        if way is None or not self._picture.key:
            super().keyPressEvent(event)
            return
        area = self.area()
        step = self._picture.pixel(area) * (10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1)
        spot = self._picture.spot_of(self._picture.cross_now(), area) + QPointF(*way) * step
        moved = self._picture.beside_at(spot, area)
        self._place((moved.x(), moved.y()))

    def _hold(self, spot: QPointF) -> None:
        at = self._picture.beside_at(spot, self.area())
        self._held = at.x(), at.y()
        self.update()

    def _place(self, at: Point) -> None:
        self._held = None
        self.placed.emit(self._picture.key, QPointF(*at))
