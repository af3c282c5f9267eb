"""Fields with their complaint beside them, for the machine and instrument pages."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLineEdit, QSizePolicy, QWidget

from keen_compass.app import theme as th
from keen_compass.app.combo import Combo
from keen_compass.app.parts import Button, Text
from keen_compass.language import tr


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
        self._lines: list[tuple[tuple[str, ...], list[QWidget], str]] = []  # of each row: names, widgets, fold
        self._fold = ""
        self._folds: dict[str, Button] = {}
        self._absent: set[str] = set()

    def heading(self, words: str) -> None:
        """A line between groups of fields."""
        title = Text(words, 17, bold=True)
        title.setContentsMargins(0, 8 if self._rows else 0, 0, 0)
        self._grid.addWidget(title, self._rows, 0, 1, 2)
        self._lines.append(((), [title], self._fold))
        self._rows += 1

    def fold(self, words: str) -> None:
        """What follows is hidden until someone wants it: it has sensible values. Empty words end that."""
        self._fold = words
        if not words:
            return
        button = self._folds[words] = Button(f"▸ {words}", lambda: self._turn_fold(words), "quiet")
        button.setCheckable(True)
        self._grid.addWidget(button, self._rows, 0, 1, 2)
        self._rows += 1

    def _turn_fold(self, words: str) -> None:
        button = self._folds[words]
        button.name(f"{'▾' if button.isChecked() else '▸'} {words}")
        self.show_present(self._absent)

    def show_present(self, absent: set[str]) -> None:
        """Hide fields that make no sense here, and what is folded."""
        self._absent = absent
        for names, widgets, fold in self._lines:
            there = not names or bool(set(names) - absent)
            opened = not fold or self._folds[fold].isChecked()
            for widget in widgets:
                widget.setVisible(there and opened and not (isinstance(widget, Text) and widget in self._said_below()))
            for name in set(names) & absent & self.edits.keys():  # of a row that has others
                self.edits[name].hide()

    def _said_below(self) -> set[Text]:
        """Complaints that have nothing to say."""
        return {text for text in self._complaints.values() if not text.text()}

    def relabel(self, name: str, words: str) -> None:
        """Another label of a field."""
        label = next(widgets[0] for names, widgets, _ in self._lines if name in names)
        assert isinstance(label, Text)
        label.say(words)
        (self.edits.get(name) or self.combos[name]).setAccessibleName(words)

    def field(self, name: str, label: str, hint: str = "") -> None:
        """A field for text."""
        self._row(name, label, self._edit(name, hint))

    def _edit(self, name: str, hint: str = "") -> QLineEdit:
        edit = QLineEdit()
        edit.setFont(th.font(16))
        edit.setMinimumHeight(th.HAND - 4)
        edit.setMaxLength(200)
        edit.setPlaceholderText(hint)
        edit.textEdited.connect(lambda _: self.changed.emit())
        self.edits[name] = edit
        return edit

    def choice(self, name: str, label: str, items: Mapping[str, str]) -> None:
        """A field with a few choices: value → words."""
        combo = Combo(label)
        combo.setFont(th.font(16))
        for value, words in items.items():
            combo.addItem(tr(words), value)
        combo.currentIndexChanged.connect(lambda _: self.changed.emit())
        self.combos[name] = combo
        self._row(name, label, combo)

    def row(self, label: str, names: Mapping[str, str], shares: Sequence[int] = ()) -> None:
        """Several narrow fields in one row: name → what it is, for who can't see the heading above it.

        shares: of the width, where they aren't alike; as in `columns`.
        """
        words = Text(label, colour="soft")
        words.setWordWrap(False)
        self._grid.addWidget(words, self._rows, 0)
        box = QHBoxLayout()
        box.setSpacing(6)
        complaints = Text(colour="bad")
        complaints.hide()
        for (name, what), share in zip(names.items(), shares or [1] * len(names), strict=True):
            if not what:
                box.addStretch(share)
                continue
            edit = self._edit(name)
            edit.setAccessibleName(f"{label}, {what}")
            edit.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
            box.addWidget(edit, share)
            self._complaints[name] = complaints
        self._grid.addLayout(box, self._rows, 1)
        self._grid.addWidget(complaints, self._rows + 1, 1)
        own = tuple(name for name, what in names.items() if what)
        self._lines.append((own, [words, *(self.edits[name] for name in own), complaints], self._fold))
        self._rows += 2

    def columns(self, *heads: str, of: str = "", shares: Sequence[int] = ()) -> None:
        """Headings above rows of several fields; of: a field of the row that they belong to alone."""
        box = QHBoxLayout()
        box.setSpacing(6)
        for words, share in zip(heads, shares or [1] * len(heads), strict=True):
            text = Text(words, colour="soft")
            text.setWordWrap(False)
            text.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
            box.addWidget(text, share)
            self._lines.append(((of,) if of else (), [text], self._fold))
        self._grid.addLayout(box, self._rows, 1)
        self._rows += 1

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
        self._lines.append(((name,), [words, widget, complaint], self._fold))
        self._rows += 2

    def values(self) -> dict[str, str]:
        """What is in every field."""
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
        said: dict[Text, list[str]] = {}
        for name, text in self._complaints.items():
            said.setdefault(text, []).extend([complaints[name]] if name in complaints else [])
        for text, words in said.items():
            text.say("; ".join(words))
        for names, _, fold in self._lines:
            if fold and set(names) & complaints.keys() and not self._folds[fold].isChecked():
                self._folds[fold].setChecked(True)  # what is wrong is shown
                self._turn_fold(fold)
        first = next((n for n in self._complaints if n in complaints), None)
        if first:
            (self.edits.get(first) or self.combos[first]).setFocus()
