"""A worksheet that was filled in beside the machine: a picture of it, each box beside the field that it is typed in."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QImage, QPixmap
from PySide6.QtWidgets import QHBoxLayout, QLabel, QWidget

from keen_compass.app.parts import Button, Text
from keen_compass.app.round.model import RoundModel
from keen_compass.app.round.picture_source import PictureSource
from keen_compass.app.waiting import Dropped, beside
from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.words.say import say, show_for

HIGH = 54  # px, of what is written


class PaperBar(QWidget):
    """Asks for a picture of the worksheet; then shows what is written for the reading whose turn it is."""

    def __init__(self, model: RoundModel) -> None:
        super().__init__()
        self._model = model
        self._written: dict[tuple[str, int], bytes] = {}
        self._piece: int | None = None  # whose worksheet it is
        self._missing = False  # boxes of another page
        self.wanted = False
        self.setAcceptDrops(True)
        self.source = PictureSource(self)
        self.source.file.setPlaceholderText(tr("photo or scan of the worksheet: drop it, or name it"))
        self.source.given.connect(self._read)
        self.source.refused.connect(self._try)
        self._label, self._box = Text("", 17, bold=True), QLabel()
        self._box.setAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self._complaint = Text("", colour="bad")
        self.leave = Button(tr("Put it away"), self._leave, "quiet")
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        for widget, share in (
            (self.source.file, 1),
            (self.source.paste, 0),
            (self._label, 0),
            (self._box, 1),
            (self._complaint, 1),
            (self.leave, 0),
        ):
            row.addWidget(widget, share)
        self.hide()

    def ask(self) -> None:
        """For a picture, or no more."""
        self.wanted = not self.wanted
        self.refresh()
        if self.wanted:
            self.source.file.setFocus()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """A picture of the worksheet may be dropped."""
        if self.wanted and (event.mimeData().hasUrls() or event.mimeData().hasImage()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """It is read."""
        if self.source.take_from(event.mimeData()):
            event.acceptProposedAction()

    def refresh(self) -> None:
        """The box of the reading whose turn it is; of one that was read, the last."""
        session = self._model.session
        piece = session.context.piece
        if piece is None or (self._piece is not None and piece.id != self._piece):
            self._written, self._piece, self._missing = {}, None, False
        there = bool(self._written)
        asked = self.wanted and (self._missing or not there)
        self.setVisible(asked or there)
        for widget in (self.source.file, self.source.paste):
            widget.setVisible(asked)
        self._label.setVisible(there)
        self._box.setVisible(there)
        self._complaint.setVisible(bool(self._complaint.text()))
        if there:
            self._show_current()

    def _show_current(self) -> None:
        session = self._model.session
        current = next((c for c in session.measuring.callouts() if c.current), None)
        name = current.measurand.name if current else ""
        counts = [count for of, count in self._written if of == name]
        if current is None or not counts:
            self._label.say(tr("Nothing is written for this one.") if current else "")
            self._box.clear()
            return
        count = min(len(current.readings), max(counts))
        label = say(current.measurand.label, show_for(session.context.machine))
        self._label.say(tr("Written:"))
        self._box.setAccessibleName(tr("Written for {label}, reading {count}", label=label, count=count + 1))
        picture = QPixmap.fromImage(QImage.fromData(self._written[name, count]))
        self._box.setPixmap(picture.scaledToHeight(HIGH, Qt.TransformationMode.SmoothTransformation))

    def _read(self, data: bytes, name: str) -> None:
        session = self._model.session

        def take() -> None:
            from keen_compass.formats.apart import run_apart
            from keen_compass.formats.worksheet_picture import read_boxes
            from keen_compass.reports.worksheet import layout_of

            layout = layout_of(session)  # the shop file is asked here, not beside
            read = partial(run_apart, read_boxes, data, layout, name, name=name)
            self._written |= beside(tr("The worksheet is read"), read)
            self._missing = len(layout.boxes) > len(self._written)
            self._piece = session.context.piece.id if session.context.piece else None
            self.source.file.clear()

        self._try(take)

    def _try(self, run: Callable[[], None]) -> None:
        self._complaint.say("")
        try:
            run()
        except Dropped:
            return
        except InputError as error:
            self._complaint.say(str(error))
        self.refresh()

    def _leave(self) -> None:
        self._written, self.wanted, self._missing = {}, False, False
        self._complaint.say("")
        self.refresh()
