"""Log an event to a machine: one line above the rose, that goes into its logbook."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit

from keen_compass.app import theme as th
from keen_compass.app.parts import Button, Card
from keen_compass.language import tr
from keen_compass.words.logbook import HAPPENINGS


class HappeningBar(Card):
    """`given` carries the kind of event and its words."""

    given = Signal(str, str)

    def __init__(self) -> None:
        super().__init__()
        self.kind = QComboBox()
        self.kind.setAccessibleName(tr("What happened"))
        self.kind.setFont(th.font(16))
        for kind, words in HAPPENINGS.items():
            self.kind.addItem(tr(words), kind)
        self.words = QLineEdit()
        self.words.setAccessibleName(tr("In a few words"))
        self.words.setPlaceholderText(tr("in a few words, if you like"))
        self.words.setFont(th.font(16))
        self.words.setMinimumHeight(th.HAND)
        self.words.setMaxLength(200)
        self.words.returnPressed.connect(self._give)
        layout = QHBoxLayout(self)
        layout.addWidget(self.kind)
        layout.addWidget(self.words, 1)
        layout.addWidget(Button(tr("Save"), self._give, "primary"))
        layout.addWidget(Button(tr("Cancel"), self.hide, "quiet"))
        self.hide()

    def ask(self) -> None:
        """Show the line in which it is told."""
        self.words.clear()
        self.show()
        self.kind.setFocus()

    def _give(self) -> None:
        kind = self.kind.currentData()
        self.hide()
        self.given.emit(kind, self.words.text().strip() or tr(HAPPENINGS[kind]))
