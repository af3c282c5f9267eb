"""Digits typed anywhere in the window go to where they are meant, as from a caliper that types; arrows lead there."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QKeyEvent, QKeySequence, QShortcut
from PySide6.QtWidgets import QApplication, QWidget

UP_OR_DOWN = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}


def take_stray_keys(page: QWidget, typed: Callable[[str], bool], stepped: Callable[[int], bool]) -> None:
    """A digit for which no field has the keyboard is `typed`, up and down are `stepped`; what these don't take goes on
    to whatever has the keyboard.

    These are shortcuts and no filter of all events: Qt sends some from objects that are half destroyed, and Python that
    is handed one of them crashes.
    """
    for number in "0123456789":
        _Key(page, Qt.Key(ord(number)), number, partial(typed, number))
    for key, by in UP_OR_DOWN.items():
        _Key(page, key, "", partial(stepped, by))


class _Key(QShortcut):
    """A key that is taken by `take`, or else left to whatever has the keyboard."""

    def __init__(self, page: QWidget, key: Qt.Key, text: str, take: Callable[[], bool]) -> None:
        super().__init__(QKeySequence(key), page)
        self._key, self._text, self._take = key, text, take
        self.activated.connect(self._pressed)

    def _pressed(self) -> None:
        focus = None if self._take() else QApplication.focusWidget()
        if focus is None:
            return
        event = QKeyEvent(QEvent.Type.KeyPress, self._key, Qt.KeyboardModifier.NoModifier, self._text)
        self.setEnabled(False)  # else it is this shortcut again
        try:
            QApplication.sendEvent(focus, event)
        finally:
            self.setEnabled(True)
