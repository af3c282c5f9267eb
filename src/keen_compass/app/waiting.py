"""Work that takes more than a moment, how far it is, and a way out."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from threading import Thread
from time import sleep
from typing import Any, TypeVar

from PySide6.QtCore import Qt
from PySide6.QtGui import QCloseEvent
from PySide6.QtWidgets import QApplication, QProgressBar, QVBoxLayout, QWidget

from keen_compass.app.parts import Button, Text
from keen_compass.language import tr
from keen_compass.progress import heard

T = TypeVar("T")
AT_ONCE = 0.25  # s, after which it is said that something takes its time


class Dropped(Exception):  # noqa: N818 (no error: someone changed their mind)
    """The wait was ended by whoever waited."""


class Waiting(QWidget):
    """Work that takes more than a moment, how far it is, and a way out."""

    def __init__(self, words: str) -> None:
        super().__init__()
        self.setWindowTitle("Keen Compass")
        # What is typed elsewhere meanwhile would belong to the very transaction that may be dropped.
        self.setWindowModality(Qt.WindowModality.ApplicationModal)
        self._dropped = self._ended = False
        self._before = QApplication.focusWidget()
        self._bar = QProgressBar()
        self._bar.setRange(0, 0)  # busy, until a share is told
        self._bar.setAccessibleName(words)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(28, 22, 28, 22)
        layout.setSpacing(14)
        text = Text(words, 17, bold=True)
        text.setFixedWidth(420)
        layout.addWidget(text)
        layout.addWidget(self._bar)
        layout.addWidget(Button(tr("Cancel"), self.drop, "quiet"))
        self.show()
        QApplication.processEvents()

    def drop(self) -> None:
        """End it at the next step."""
        self._dropped = True

    def end(self) -> None:
        """It is done: the keyboard goes back to where it was."""
        self._ended = True
        self.close()
        if self._before is not None:  # not every desktop does that
            self._before.window().activateWindow()
            self._before.setFocus()
            QApplication.processEvents()

    def closeEvent(self, event: QCloseEvent) -> None:
        """Closing it means the same, while it runs."""
        self._dropped = self._dropped or not self._ended
        super().closeEvent(event)

    def show_share(self, share: float) -> None:
        """How much of it is done, 0 … 1. Raises Dropped where it is to end."""
        self._bar.setRange(0, 100)
        self._bar.setValue(round(100 * share))
        self.look()

    def look(self) -> None:
        """Go on waiting. Raises Dropped where it is to end."""
        QApplication.processEvents()
        if self._dropped:
            raise Dropped


@dataclass
class _Work:
    """What goes on in the other thread. share: that is done, where it was told. given_up: nobody waits for it."""

    found: list[Any] = field(default_factory=list)
    share: float | None = None
    given_up: bool = False

    def told(self, share: float) -> None:
        """Ends it where it was given up."""
        if self.given_up:
            raise Dropped
        self.share = share


def beside(words: str, run: Callable[[], T]) -> T:
    """Out of the window's thread: what takes long says so, how far it is where it can tell, and can be left. Raises
    Dropped then; what was begun in a process of its own is ended.
    """
    at = _Work()
    found = at.found

    def work() -> None:
        try:
            with heard(at.told):
                found.append(run())
        except BaseException as error:
            found.append(error)

    thread = Thread(target=work, daemon=True)
    thread.start()
    thread.join(AT_ONCE)
    if not found:
        _wait_for(words, at)
    if isinstance(found[0], BaseException):
        raise found[0]
    answer: T = found[0]
    return answer


def _wait_for(words: str, work: _Work) -> None:
    from keen_compass.formats.apart import give_up

    waiting = Waiting(words)
    try:
        while not work.found:
            sleep(0.02)
            if work.share is None:
                waiting.look()
            else:
                waiting.show_share(work.share)
    except Dropped:
        work.given_up = True
        give_up()
        raise
    finally:
        waiting.end()
