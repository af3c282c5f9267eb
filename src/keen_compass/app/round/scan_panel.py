"""A scan of a cut piece, looked at: its sizes, each with a tick; the scanner’s record where the piece can give one."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QBuffer, QRectF, Qt, Signal
from PySide6.QtGui import QImage, QImageReader, QPainter
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QVBoxLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import Button, Text, empty, painter_on_card
from keen_compass.app.round.model import RoundModel
from keen_compass.rounds.seen_pieces import Scanned
from keen_compass.words.say import capital, say, show_for

LIST = 330  # px, of the ticks beside the picture
RIM = 12.0  # px


class ScanPanel(QWidget):
    """`done`: its sizes were taken, or left."""

    done = Signal()

    def __init__(self, model: RoundModel) -> None:
        super().__init__()
        self._model = model
        self._shown: Scanned | None = None
        self.picture = ScanPicture()
        self.ticks: dict[str, QCheckBox] = {}
        self._rows = QVBoxLayout()
        self._rows.setSpacing(0)
        self._said = Text("", colour="soft")
        self._complaint = Text("", colour="bad")
        self.calibrate = Button("Calibrate scanner by this piece", self._calibrate)
        self.take = Button("Use these", self._take, "primary")
        self.leave = Button("Cancel", self._leave, "quiet")
        column = QVBoxLayout()
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(Text("Sizes on the glass", 17, bold=True))
        column.addLayout(self._rows)
        column.addWidget(self._said)
        column.addWidget(self._complaint)
        column.addStretch(1)
        column.addWidget(self.calibrate)
        buttons = QHBoxLayout()
        buttons.addWidget(self.leave)
        buttons.addWidget(self.take, 1)
        column.addLayout(buttons)
        beside = QWidget()
        beside.setLayout(column)
        beside.setFixedWidth(LIST)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(10)
        layout.addWidget(self.picture, 1)
        layout.addWidget(beside)
        self.hide()

    def refresh(self) -> None:
        """The scan that is looked at now, if any."""
        session = self._model.session
        looked = session.seen_piece.looked
        self.setVisible(looked is not None)
        self._complaint.say(self._model.trouble.get("picture", ""))
        if looked is self._shown:
            return
        self._shown = looked
        self.picture.show_scan(looked.data if looked else b"")
        empty(self._rows)
        self.ticks = {}
        if looked is None:
            return
        show = show_for(session.context.machine)
        names = {m.name: capital(say(m.label, show)) for m in session.measuring.measurands()}
        for r in looked.readings.read:
            tick = QCheckBox(f"{names.get(r.measurand, r.measurand)}   {show.length(r.mm)} ± {show.small(r.U)}")
            tick.setFont(th.font(th.TEXT))
            tick.setMinimumHeight(th.HAND)
            tick.setChecked(True)
            self.ticks[r.measurand] = tick
            self._rows.addWidget(tick)
        self._said.say(" ".join(say(n, show) for n in looked.notes))
        self.calibrate.setVisible(session.seen_piece.calibrates and not session.context.shop.read_only)

    def take_focus(self) -> None:
        """On what leads on."""
        self.take.setFocus()

    def _take(self) -> None:
        ticked = [name for name, tick in self.ticks.items() if tick.isChecked()]
        if self._model.attempt("picture", partial(self._model.session.seen_piece.take, ticked)):
            self.done.emit()

    def _calibrate(self) -> None:
        self._model.attempt("picture", self._model.session.seen_piece.calibrate)

    def _leave(self) -> None:
        self._model.attempt("picture", self._model.session.seen_piece.leave)
        self.done.emit()


class ScanPicture(QWidget):
    """The scan, whole."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(250, 230)
        self._image = QImage()

    def show_scan(self, data: bytes) -> None:
        """Another one; empty for none."""
        buffer = QBuffer()
        buffer.setData(data)
        reader = QImageReader(buffer)
        reader.setAutoTransform(True)
        self._image = reader.read() if data else QImage()
        self.update()

    def paintEvent(self, _event: object) -> None:
        """As large as there is room."""
        p = painter_on_card(self)
        if self._image.isNull():
            return
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        room = QRectF(self.rect()).adjusted(RIM, RIM, -RIM, -RIM)
        size = self._image.size().scaled(room.size().toSize(), Qt.AspectRatioMode.KeepAspectRatio)
        area = QRectF(0, 0, size.width(), size.height())
        area.moveCenter(room.center())
        p.drawImage(area, self._image)
