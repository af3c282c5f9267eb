"""One line above the page that asks something, with its answers as buttons; never a pop-up."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

from PySide6.QtWidgets import QHBoxLayout

from keen_compass.app import theme as th
from keen_compass.app.parts import Button, Card, Text

Answer = tuple[str, Callable[[], object]]


class NoticeBar(Card):
    """Shown by `ask`, gone with the first answer."""

    def __init__(self) -> None:
        super().__init__()
        self.words = Text("", th.TEXT, "warn", bold=True)
        self.answers: list[Button] = []
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(16, 8, 12, 8)
        self._row.setSpacing(10)
        self._row.addWidget(self.words, 1)
        self.hide()

    def ask(self, words: str, answers: Sequence[Answer]) -> None:
        """Say something and offer what can be done about it, the likely thing first."""
        for button in self.answers:
            self._row.removeWidget(button)
            button.deleteLater()
        self.answers = [
            Button(label, partial(self._answered, run), "primary" if i == 0 else "quiet")
            for i, (label, run) in enumerate(answers)
        ]
        for button in self.answers:
            self._row.addWidget(button)
        self.words.say(words)
        self.show()

    def _answered(self, run: Callable[[], object]) -> None:
        self.hide()
        run()
