"""Fields with their complaint beside them, for the machine and instrument pages."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QGridLayout, QLineEdit, QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import Text


class Form(QWidget):
    """Rows of label, field, complaint. `changed` after every edit."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(12)
        self._grid.setVerticalSpacing(8)
        self._grid.setColumnStretch(1, 1)
        self._rows = 0
        self.edits: dict[str, QLineEdit] = {}
        self.combos: dict[str, QComboBox] = {}
        self._complaints: dict[str, Text] = {}

    def heading(self, words: str) -> None:
        """A line between groups of fields."""
        title = Text(words, 17, bold=True)
        title.setContentsMargins(0, 8 if self._rows else 0, 0, 0)
        self._grid.addWidget(title, self._rows, 0, 1, 2)
        self._rows += 1

    def field(self, name: str, label: str, hint: str = "") -> None:
        """A field for text."""
        edit = QLineEdit()
        edit.setFont(th.font(16))
        edit.setMinimumHeight(th.HAND - 4)
        edit.setMaxLength(200)
        edit.setPlaceholderText(hint)
        edit.textEdited.connect(lambda _: self.changed.emit())
        self.edits[name] = edit
        self._row(name, label, edit)

    def choice(self, name: str, label: str, items: Mapping[str, str]) -> None:
        """A field with a few choices: value → words."""
        combo = QComboBox()
        combo.setFont(th.font(16))
        combo.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        for value, words in items.items():
            combo.addItem(words, value)
        combo.currentIndexChanged.connect(lambda _: self.changed.emit())
        self.combos[name] = combo
        self._row(name, label, combo)

    def _row(self, name: str, label: str, widget: QWidget) -> None:
        words = Text(label, colour="soft")
        words.setWordWrap(False)
        words.setBuddy(widget)
        widget.setAccessibleName(label)
        self._grid.addWidget(words, self._rows, 0)
        self._grid.addWidget(widget, self._rows, 1)
        complaint = Text(colour="bad")
        complaint.hide()
        self._grid.addWidget(complaint, self._rows + 1, 1)
        self._complaints[name] = complaint
        self._rows += 2

    def values(self) -> dict[str, str]:
        """What stands in every field."""
        texts = {name: edit.text() for name, edit in self.edits.items()}
        return texts | {name: str(combo.currentData()) for name, combo in self.combos.items()}

    def fill(self, values: Mapping[str, str]) -> None:
        """Show these values; complaints go."""
        self.blockSignals(True)
        for name, edit in self.edits.items():
            edit.setText(values.get(name, ""))
            edit.setCursorPosition(0)
        for name, combo in self.combos.items():
            combo.setCurrentIndex(max(combo.findData(values.get(name, "")), 0))
        self.blockSignals(False)
        self.complain({})

    def complain(self, complaints: Mapping[str, str]) -> None:
        """Each complaint below its field; the first one gets the keyboard."""
        for name, text in self._complaints.items():
            text.say(complaints.get(name, ""))
        first = next((n for n in self._complaints if n in complaints), None)
        if first:
            (self.edits.get(first) or self.combos[first]).setFocus()
