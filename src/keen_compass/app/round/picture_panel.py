"""A picture that is looked at: beside it what was found, each with a tick, before any of it counts."""

from __future__ import annotations

from functools import partial
from typing import Any

from PySide6.QtCore import QBuffer, QRectF, Signal
from PySide6.QtGui import QImage, QImageReader, QPainter, QResizeEvent
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QVBoxLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import Button, Text
from keen_compass.app.round.model import RoundModel
from keen_compass.language import tr
from keen_compass.rounds.seen_pictures import SeenPictures

LIST, NARROW_LIST, NARROW = 330, 262, 640  # px, of the ticks beside the picture; the same where there is less in all
RIM = 12.0  # px about a picture


def read_image(data: bytes) -> QImage:
    """Turned as its tag says, as it was read; none of nothing."""
    buffer = QBuffer()
    buffer.setData(data)
    reader = QImageReader(buffer)
    reader.setAutoTransform(True)
    return reader.read() if data else QImage()


def draw_whole(p: QPainter, image: QImage, widget: QWidget) -> QRectF:
    """All of a picture, as large as there is room; where it is, then."""
    p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    room = QRectF(widget.rect()).adjusted(RIM, RIM, -RIM, -RIM)
    scale = min(room.width() / image.width(), room.height() / image.height())
    area = QRectF(0.0, 0.0, image.width() * scale, image.height() * scale)
    area.moveCenter(room.center())
    p.drawImage(area, image)
    return area


class PicturePanel(QWidget):
    """`done`: it was taken, or left. What a tick stands for is the key of `ticks`."""

    done = Signal()

    def __init__(self, model: RoundModel, seen: SeenPictures[Any], heading: str, picture: QWidget) -> None:
        super().__init__()
        self._model, self._seen = model, seen
        self._shown: object = None
        self.ticks: dict[Any, QCheckBox] = {}
        self.rows = QVBoxLayout()
        self.rows.setSpacing(0)
        self._said = Text("", colour="warn")
        self.take = Button(tr("Use these"), self._take, "primary")
        self.leave = Button(tr("Cancel"), self._leave, "quiet")
        self._complaint = Text("", colour="bad")
        self.below = QVBoxLayout()  # the rows, for whoever has more to show
        self.column = QWidget()
        column = QVBoxLayout(self.column)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.heading = Text(heading, 17, bold=True)
        column.addWidget(self.heading)
        column.addWidget(self._said)
        column.addLayout(self.rows)
        column.addLayout(self.below, 1)
        column.addWidget(self._complaint)
        buttons = QHBoxLayout()
        buttons.addWidget(self.leave)
        buttons.addWidget(self.take, 1)
        column.addLayout(buttons)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(10)
        layout.addWidget(picture, 1)
        layout.addWidget(self.column)
        self.hide()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """The picture has what the list leaves."""
        super().resizeEvent(event)
        self.column.setFixedWidth(LIST if self.width() >= NARROW else NARROW_LIST)

    def refresh(self) -> None:
        """The picture that is looked at now, if any."""
        looked = self._seen.looked
        self.setVisible(looked is not None)
        self._complaint.say(self._model.trouble.get("picture", ""))
        if looked is not self._shown:
            self._shown = looked
            self._show_anew()

    def _show_anew(self) -> None:
        """Another picture, or none."""
        raise NotImplementedError

    def add_tick(self, key: object, words: str, *, on: bool = True) -> QCheckBox:
        """A row that is taken where it is ticked."""
        tick = QCheckBox(words)
        tick.setFont(th.font(th.TEXT))
        tick.setMinimumHeight(th.HAND)
        tick.setChecked(on)
        self.ticks[key] = tick
        self.rows.addWidget(tick)
        return tick

    def take_focus(self) -> None:
        """On what leads on."""
        self.take.setFocus()

    def ticked(self) -> list[Any]:
        """What is to be taken."""
        return [key for key, tick in self.ticks.items() if tick.isChecked()]

    def _take(self) -> None:
        if self._model.attempt("picture", partial(self._seen.take, self.ticked())):
            self.done.emit()

    def _leave(self) -> None:
        self._model.attempt("picture", self._seen.leave)
        self.done.emit()
