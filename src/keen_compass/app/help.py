"""Help: a page about the screen that is shown, the list of keys, and what the program is."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QGridLayout, QVBoxLayout, QWidget

from keen_compass import __version__
from keen_compass.app import theme as th
from keen_compass.app.help_pages import KEYS, OF_SHEETS, PAGES, PROCEDURE_PAGES
from keen_compass.app.parts import Button, Text


def _dialog(parent: QWidget, title: str) -> tuple[QDialog, QVBoxLayout]:
    dialog = QDialog(parent)
    dialog.setWindowTitle(title)
    layout = QVBoxLayout(dialog)
    layout.setContentsMargins(28, 22, 28, 22)
    layout.setSpacing(12)
    layout.addWidget(Text(title, th.TITLE, bold=True))
    return dialog, layout


def _close(dialog: QDialog, layout: QVBoxLayout) -> QDialog:
    layout.addSpacing(6)
    layout.addWidget(Button("Close", dialog.accept, "primary"), 0, Qt.AlignmentFlag.AlignRight)
    return dialog


def page_dialog(parent: QWidget, place: str, procedure: str = "") -> QDialog:
    """About the screen that is shown, and about the procedure while its readings are given."""
    reading = place in ("measure", "confirm")
    own = reading or (place == "make" and procedure in OF_SHEETS)  # what is made there is no piece of any size
    page = PROCEDURE_PAGES.get(procedure, PAGES[place]) if own else PAGES[place]
    dialog, layout = _dialog(parent, page.title)
    for sentence in page.sentences:
        layout.addWidget(_wide(sentence, 17))
    if page.formula:
        layout.addWidget(_wide(page.formula, 18, bold=True))
    if page.source:
        layout.addWidget(_wide(page.source, 15, "soft"))
    return _close(dialog, layout)


def _wide(words: str, px: int, colour: str = "ink", *, bold: bool = False) -> Text:
    text = Text(words, px, colour, bold=bold)
    text.setFixedWidth(620)
    return text


def keys_dialog(parent: QWidget) -> QDialog:
    """The list of keys."""
    dialog, layout = _dialog(parent, "Keys")
    grid = QGridLayout()
    grid.setHorizontalSpacing(24)
    grid.setVerticalSpacing(8)
    for row, (key, does) in enumerate(KEYS):
        for column, words in enumerate((Text(key, 16, bold=True), Text(does, 16))):
            words.setWordWrap(False)
            grid.addWidget(words, row, column)
    layout.addLayout(grid)
    return _close(dialog, layout)


def about_dialog(parent: QWidget) -> QDialog:
    """What this is, and under which licences."""
    dialog, layout = _dialog(parent, f"Keen Compass {__version__}")
    layout.addWidget(_wide("Make a test piece, measure it, get the corrected number.", 17))
    layout.addWidget(_wide("MIT licence. The Inter typeface is under the SIL Open Font License 1.1.", 15, "soft"))
    return _close(dialog, layout)
