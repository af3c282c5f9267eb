"""What is asked above the picture while one measures: which piece it is, how it is judged."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import Button, Card, Text
from keen_compass.app.round.model import RoundModel
from keen_compass.language import tr
from keen_compass.words.say import say

if TYPE_CHECKING:
    pass


class JudgedBar(QWidget):
    """How what was read is judged: one button for each way, or a click on the edges that are meant."""

    def __init__(self, model: RoundModel) -> None:
        super().__init__()
        self._model = model
        self.buttons: dict[tuple[str, object], Button] = {}
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        context = model.session.context
        for choice in context.procedure.choices(context.machine):
            if choice.name not in context.procedure.judged_by:
                continue
            label = Text(f"{say(choice.label)}:", colour="soft")
            label.setWordWrap(False)
            row.addWidget(label)
            for words, value in choice.options:
                button = Button(say(words), partial(self._judge, choice.name, value), "quiet")
                button.setCheckable(True)
                button.setAccessibleName(f"{say(choice.label)}: {say(words)}")
                self.buttons[choice.name, value] = button
                row.addWidget(button)
        row.addStretch(1)

    def refresh(self, *, editable: bool) -> None:
        """Which way is chosen."""
        chosen = self._model.session.context.chosen
        for (name, value), button in self.buttons.items():
            button.setChecked(chosen.get(name) == value)
            button.setEnabled(editable)
        self.setVisible(bool(self.buttons))

    def point_at(self, value: str) -> None:
        """Edges on the picture."""
        for name, way in self.buttons:
            if way == value and self.buttons[name, way].isEnabled():
                self._judge(name, value)

    def _judge(self, name: str, value: object) -> None:
        self._model.attempt("measure", lambda: self._model.session.measuring.judge(name, value))


class IdentityBar(Card):
    """Before the first reading: is it the right piece? It asks, and never is in the way of typing.

    `answered`: it may be read now.
    """

    answered = Signal()

    def __init__(self, model: RoundModel) -> None:
        super().__init__()
        self._model = model
        self._asks = Text(tr("Which piece is it?"), 17, bold=True)
        self._asks.setWordWrap(False)
        self.line = QLineEdit()
        self.line.setFont(th.font(th.VERDICT, bold=True))
        self.line.setFixedWidth(96)
        self.line.setMinimumHeight(th.HAND)
        self.line.setMaxLength(40)
        self.line.setAccessibleName(tr("Number on the piece"))
        self.line.setPlaceholderText(tr("no."))
        self.line.returnPressed.connect(self._give)
        self.none = Button(tr("No number on it"), lambda: self._identify(""), "quiet")
        self._complaint = Text(colour="bad")
        row = QHBoxLayout()
        for widget in (self._asks, self.line, Button(tr("Confirm"), self._give), self.none):
            row.addWidget(widget)
        row.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 8, 14, 8)
        layout.addLayout(row)
        layout.addWidget(self._complaint)

    def refresh(self, *, editable: bool) -> None:
        """Shown until it is answered, or a reading is kept."""
        asked = editable and not self._model.session.measuring.identified
        if asked and self.isHidden():
            self.line.clear()
        self.setVisible(asked)
        self._complaint.say(self._model.trouble.get("identity", ""))

    def _give(self) -> None:
        if self.line.text().strip():
            self._identify(self.line.text())

    def _identify(self, text: str) -> None:
        self._model.attempt("identity", lambda: self._model.session.measuring.identify(text))
        self.answered.emit()
