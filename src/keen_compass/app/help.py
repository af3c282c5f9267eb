"""The list of keys, and what the program is."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QGridLayout, QVBoxLayout, QWidget

from keen_compass import __version__
from keen_compass.app import theme as th
from keen_compass.app.parts import Button, Text

KEYS = (
    ("Digits", "go to the current callout, wherever the keyboard is"),
    ("Enter", "keep the reading and go on; press the button that is marked"),
    ("Backspace", "on an empty callout: take the last reading back"),
    ("↑ ↓", "another callout; on the rose, another spoke"),
    ("F8", "type what the stand-in’s caliper shows"),
    ("F9", "this length can’t be read, or can after all"),
    ("Ctrl+Return", "go on: the main button of the screen"),
    ("Alt+1 … Alt+4", "Make, Measure, Correct, Confirm"),
    ("Escape", "back to the rose"),
    ("Ctrl+Z, Ctrl+Shift+Z", "undo, redo"),
    ("Ctrl+O", "open a shop file"),
    ("F11", "full screen"),
    ("F1", "this list"),
    ("Ctrl+Q", "quit; everything is kept already"),
)


def keys_dialog(parent: QWidget) -> QDialog:
    """The list of keys."""
    dialog = QDialog(parent)
    dialog.setWindowTitle("Keys")
    layout = QVBoxLayout(dialog)
    layout.setContentsMargins(26, 20, 26, 20)
    layout.addWidget(Text("Keys", th.TITLE, bold=True))
    grid = QGridLayout()
    grid.setHorizontalSpacing(24)
    grid.setVerticalSpacing(8)
    for row, (key, does) in enumerate(KEYS):
        name = Text(key, 16, bold=True)
        name.setWordWrap(False)
        grid.addWidget(name, row, 0)
        words = Text(does, 16)
        words.setWordWrap(False)
        grid.addWidget(words, row, 1)
    layout.addLayout(grid)
    layout.addSpacing(10)
    layout.addWidget(Button("Close", dialog.accept, "primary"), 0, Qt.AlignmentFlag.AlignRight)
    return dialog


def about_dialog(parent: QWidget) -> QDialog:
    """What this is, and under which licences."""
    dialog = QDialog(parent)
    dialog.setWindowTitle("About Keen Compass")
    layout = QVBoxLayout(dialog)
    layout.setContentsMargins(26, 20, 26, 20)
    layout.addWidget(Text(f"Keen Compass {__version__}", th.TITLE, bold=True))
    words = Text(
        "Make a test piece, measure it, get the corrected number.\n\n"
        "MIT licence. The Inter typeface is under the SIL Open Font License 1.1.", 16,
    )  # fmt: skip
    words.setMinimumWidth(420)
    layout.addWidget(words)
    layout.addWidget(Button("Close", dialog.accept, "primary"), 0, Qt.AlignmentFlag.AlignRight)
    return dialog
