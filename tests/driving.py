"""Driving the real window as a person does: keys to whatever has the keyboard, words as they are seen."""

from __future__ import annotations

from datetime import datetime

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLabel, QWidget
from pytestqt.qtbot import QtBot

from keen_compass.app.start import application
from keen_compass.app.window import MainWindow
from keen_compass.shop.standing import State, spokes
from keen_compass.shop.store import Shop

NO_MODIFIER = Qt.KeyboardModifier.NoModifier


def opened(qtbot: QtBot, shop: Shop) -> MainWindow:
    """A window on a shop, with the keyboard."""
    application("light")
    window = MainWindow(shop, "Lantern Quay")
    qtbot.addWidget(window)
    window.resize(1280, 800)
    with qtbot.waitActive(window):
        window.show()
        window.activateWindow()
    return window


def press(*keys: Qt.Key | str, modifier: Qt.KeyboardModifier = NO_MODIFIER) -> None:
    """Keys, one after the other, to whatever has the keyboard then."""
    for key in keys:
        target = QApplication.focusWidget()
        assert target is not None, "nothing has the keyboard"
        if isinstance(key, str):
            QTest.keyClicks(target, key)
        else:
            QTest.keyClick(target, key, modifier)
        QApplication.processEvents()


def focus() -> str:
    """The accessible name of what has the keyboard."""
    widget = QApplication.focusWidget()
    return widget.accessibleName() if widget else ""


def tab_to(name: str) -> None:
    """Tab until the control of that name has the keyboard."""
    for _ in range(80):
        if focus() == name:
            return
        press(Qt.Key.Key_Tab)
    raise AssertionError(f"Tab never reached {name}")


STEPS = ("x_steps", "y_steps")


def states(shop: Shop, machine: str, quantities: tuple[str, ...] = STEPS, at: datetime | None = None) -> list[State]:
    """How some quantities of a machine stand."""
    standing = {s.quantity: s.state for s in spokes(shop, shop.machine(machine), at)}
    return [standing[q] for q in quantities]


def shown(widget: QWidget) -> str:
    """All words that can be seen in a widget."""
    return "\n".join(w.text() for w in widget.findChildren(QLabel) if w.isVisible())
