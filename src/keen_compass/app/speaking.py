"""The language of the window: as the desktop asks, or as someone chose; changed while it is open."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QLibraryInfo, QLocale, QSettings, QTranslator
from PySide6.QtWidgets import QApplication

from keen_compass.language import ENGLISH, asked_for, language, speak

if TYPE_CHECKING:
    from keen_compass.app.window import MainWindow

KEPT = "language"  # in the settings; empty: as the desktop asks
_of_qt: list[QTranslator] = []  # Qt keeps no reference to a translator


def begin_to_speak(app: QApplication, code: str = "") -> None:
    """In that language, else in the one that was chosen, else as the desktop asks; Qt’s own dialogs too."""
    speak(code or str(QSettings().value(KEPT, "") or "") or asked_for())
    while _of_qt:
        app.removeTranslator(_of_qt.pop())
    translator = QTranslator()
    folder = QLibraryInfo.path(QLibraryInfo.LibraryPath.TranslationsPath)
    if language() != ENGLISH and translator.load(QLocale(language()), "qtbase", "_", folder):
        app.installTranslator(translator)
        _of_qt.append(translator)


def choose_language(window: MainWindow, code: str) -> None:
    """Another window in that language takes this one’s place, with the shop and the round that are open; remembered.

    code: of a language, or empty: as the desktop asks.
    """
    if window.stays():
        return
    from keen_compass.app.start import show_window

    app = QApplication.instance()
    assert isinstance(app, QApplication)
    QSettings().setValue(KEPT, code)
    begin_to_speak(app)
    QSettings().setValue("window", window.saveGeometry())
    another = show_window(window.shop, window.shop_title)
    if window.machine_uid:
        another.show_rose(window.machine_uid)
    if window.round_page is not None:
        another.show_again(window.round_page.model.session)
    window.hand_over()
