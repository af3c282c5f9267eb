"""Work that takes more than a moment, how far it is, and a way out."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QCloseEvent
from PySide6.QtWidgets import QApplication, QProgressBar, QVBoxLayout, QWidget

from keen_compass.app.parts import Button, Text


class Dropped(Exception):  # noqa: N818 (no error: somebody changed their mind)
    """The wait was ended by whoever waited."""


class Waiting(QWidget):
    """Work that takes more than a moment, how far it is, and a way out."""

    def __init__(self, words: str) -> None:
        super().__init__()
        self.setWindowTitle("Keen Compass")
        # What is typed elsewhere meanwhile would belong to the very transaction that may be dropped.
        self.setWindowModality(Qt.WindowModality.ApplicationModal)
        self._dropped = False
        self._before = QApplication.focusWidget()
        self._bar = QProgressBar()
        self._bar.setRange(0, 100)
        self._bar.setAccessibleName(words)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(28, 22, 28, 22)
        layout.setSpacing(14)
        text = Text(words, 17, bold=True)
        text.setFixedWidth(420)
        layout.addWidget(text)
        layout.addWidget(self._bar)
        layout.addWidget(Button("Never mind", self.drop, "quiet"))
        self.show()
        QApplication.processEvents()

    def drop(self) -> None:
        """End it at the next step."""
        self._dropped = True

    def end(self) -> None:
        """It is done: the keyboard goes back to where it was."""
        self.close()
        if self._before is not None:  # not every desktop does that
            self._before.window().activateWindow()
            self._before.setFocus()
            QApplication.processEvents()

    def closeEvent(self, event: QCloseEvent) -> None:
        """Closing it means the same, while it runs."""
        self._dropped = self._dropped or self._bar.value() < 100
        super().closeEvent(event)

    def show_share(self, share: float) -> None:
        """How much of it is done, 0 … 1. Raises Dropped where it is to end."""
        self._bar.setValue(round(100 * share))
        QApplication.processEvents()
        if self._dropped:
            raise Dropped
