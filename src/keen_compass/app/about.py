"""What the program is, and under which licences."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QVBoxLayout, QWidget

from keen_compass import __version__
from keen_compass.app import theme as th
from keen_compass.app.parts import Button, Text
from keen_compass.language import tr


def about_dialog(parent: QWidget) -> QDialog:
    """Its name, version, purpose and licences."""
    dialog = QDialog(parent)
    dialog.setWindowTitle(tr("Keen Compass {version}", version=__version__))
    layout = QVBoxLayout(dialog)
    layout.setContentsMargins(28, 22, 28, 22)
    layout.setSpacing(12)
    layout.addWidget(Text(dialog.windowTitle(), th.TITLE, bold=True))
    for words, px, colour in (
        (tr("Make a test piece, measure it, get the corrected number."), 17, "ink"),
        (tr("MIT licence. The Inter typeface is under the SIL Open Font License 1.1."), 15, "soft"),
    ):
        text = Text(words, px, colour)
        text.setFixedWidth(620)
        layout.addWidget(text)
    layout.addSpacing(6)
    layout.addWidget(Button(tr("Close"), dialog.accept, "primary"), 0, Qt.AlignmentFlag.AlignRight)
    return dialog
