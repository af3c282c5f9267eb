"""Copies of the open shop: kept by themselves in idle moments, and a list from which one is taken back."""

from __future__ import annotations

import os
from datetime import datetime
from functools import partial
from pathlib import Path
from threading import Thread
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QSettings, QTimer, Signal
from PySide6.QtWidgets import QDialog, QFileDialog, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.other_shop import open_shop
from keen_compass.app.parts import Button, Line, Text, empty, scrolling
from keen_compass.errors import KeenCompassError
from keen_compass.language import tr, written
from keen_compass.shop.copies import Copy, copies_of, is_due, keep_copy, taken_back
from keen_compass.shop.store import Shop
from keen_compass.words.copies import about, when

if TYPE_CHECKING:
    from keen_compass.app.window import MainWindow

AFTER, AGAIN = 60_000, 3_600_000  # ms until it is looked whether a copy is due, and between two looks
SHOWN = 12  # copies
UNDER = "copies/under"  # what is remembered: the folder that was named


def under() -> Path | None:
    """In which folder copies are kept, where not beside the shop file."""
    named = str(QSettings().value(UNDER, ""))
    return Path(named) if named else None


class CopyKeeper(QObject):
    """`said` carries why none could be kept."""

    said = Signal(str)

    def __init__(self, shop: Shop, parent: QObject) -> None:
        super().__init__(parent)
        self._shop = shop
        self._thread: Thread | None = None
        self._timer = QTimer(self)
        self._timer.timeout.connect(self.look)

    def begin(self) -> None:
        """Look for the first time in a while."""
        self._timer.start(AFTER)

    def look(self) -> None:
        """Keep a copy where one is due: beside the window, which goes on."""
        self._timer.setInterval(AGAIN)
        if self._shop.closed or self._shop.read_only or self._shop.gone or self._thread is not None:
            return
        now = datetime.now().astimezone()
        try:
            due = is_due(self._shop.file, now, under())
        except OSError:
            return
        if due:
            self._thread = Thread(target=self._keep, args=(self._shop.file, now, under()))
            self._thread.start()

    def stop(self) -> None:
        """The shop is about to be closed: a copy that was begun is made whole."""
        self._timer.stop()
        if self._thread is not None:
            self._thread.join()

    def _keep(self, file: Path, now: datetime, where: Path | None) -> None:
        try:
            keep_copy(file, now, where)
        except KeenCompassError as error:
            self.said.emit(str(error))
        finally:
            self._thread = None


class CopiesDialog(QDialog):
    """Every copy with its day and size; one is opened beside the shop, which stays as it is."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._window = window
        self.setWindowTitle(tr("Earlier copies"))
        self.setMinimumWidth(560)
        self._about = Text(colour="soft")
        self._rows = QVBoxLayout()
        self._said = Text(colour="bad")
        buttons = QHBoxLayout()
        buttons.addWidget(Button(tr("Keep a copy now"), self._keep), 1)
        buttons.addWidget(Button(tr("Keep them elsewhere…"), self._choose))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 18, 24, 18)
        layout.setSpacing(12)
        layout.addWidget(Line(tr("Earlier copies"), th.TITLE, bold=True))
        layout.addWidget(self._about)
        layout.addLayout(self._rows, 1)
        layout.addWidget(self._said)
        layout.addLayout(buttons)
        layout.addWidget(Button(tr("Close"), self.reject, "quiet"))
        self._show()

    def _show(self) -> None:
        """Those that lie where copies are kept now."""
        copies = copies_of(self._window.shop.file, under())
        self._about.say(about(len(copies), str(under() or "")))
        empty(self._rows)
        rows = QWidget()
        grid = QGridLayout(rows)
        for i, copy in enumerate(copies[:SHOWN]):
            grid.addWidget(Text(when(copy.at)), i, 0)
            grid.addWidget(Text(written(f"{copy.file.stat().st_size / 1e6:.1f} MB"), colour="soft"), i, 1)
            grid.addWidget(Button(tr("Open"), partial(self._open, copy), "quiet"), i, 2)
        grid.setColumnStretch(0, 1)
        self._rows.addWidget(scrolling(rows))

    def _choose(self) -> None:
        """A folder on another disk, or the one beside the shop file again."""
        before = under() or self._window.shop.file.parent
        if name := QFileDialog.getExistingDirectory(self, tr("Folder for copies"), str(before)):
            QSettings().setValue(UNDER, "" if Path(name) == self._window.shop.file.parent else name)
            self._show()

    def _keep(self) -> None:
        try:
            made = keep_copy(self._window.shop.file, datetime.now().astimezone(), under())
        except KeenCompassError as error:
            self._said.say(str(error))
            return
        self._said.say(tr("Kept: {file}", file=os.path.relpath(made, made.parent.parent)), "good")
        self._show()

    def _open(self, copy: Copy) -> None:
        try:
            file = taken_back(self._window.shop.file, copy)
        except KeenCompassError as error:
            self._said.say(str(error))
            return
        if open_shop(self._window, file):
            self.accept()
