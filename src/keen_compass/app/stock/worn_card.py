"""What cuts, and how far it was used: put right by hand where the machine's own counter knows better."""

from __future__ import annotations

import math

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout

from keen_compass.app import theme as th
from keen_compass.app.parts import Button, Card, Text
from keen_compass.language import tr
from keen_compass.quantities.lengths import parse_count
from keen_compass.shop.consumables import Consumables
from keen_compass.words.logbook import day_of
from keen_compass.words.say import Show
from keen_compass.words.wear import age_in_words, counted_in_words, drift_in_words, uses


class WornCard(Card):
    """`changed` when new ones are in, `told` carries how much these were used."""

    changed = Signal()
    told = Signal(float)

    def __init__(self) -> None:
        super().__init__()
        self._counted = "pierces"
        self._age = Text("", 17, bold=True)
        self._drift = Text()
        self._complaint = Text(colour="bad")
        self._asks = Text(colour="soft")
        self._asks.setWordWrap(False)
        self.new = Button(tr("New ones fitted"), self.changed.emit)
        self.counter = QLineEdit()
        self.counter.setFixedWidth(96)
        self.counter.setMinimumHeight(th.HAND)
        self.counter.setMaxLength(12)
        self.counter.setFont(th.font())
        self.counter.returnPressed.connect(self._tell)
        self.tell = Button(tr("Save"), self._tell, "quiet")
        self.tell.setAccessibleName(tr("Keep what its counter says"))
        row = QHBoxLayout()
        row.setSpacing(8)
        row.addWidget(self._asks)
        row.addWidget(self.counter)
        row.addWidget(self.tell)
        row.addStretch(1)
        head = QHBoxLayout()
        head.setSpacing(8)
        head.addWidget(self._age, 1)
        head.addWidget(self.new)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 10, 16, 12)
        layout.setSpacing(6)
        layout.addLayout(head)
        for widget in (self._drift, self._complaint):
            layout.addWidget(widget)
        layout.addLayout(row)

    def show_wear(self, c: Consumables | None, tool: str, show: Show, *, read_only: bool) -> None:
        """What is known of a tool's; hidden where nothing wears."""
        self.setVisible(c is not None)
        if c is None:
            return
        self._counted = c.counted
        age = age_in_words(c, day_of(c.since) if c.since else "")
        self._age.say(f"{tool}: {age}", "bad" if c.worn else "ink")
        self._asks.say(tr("Used so far, {counted}", counted=counted_in_words(c.counted)))
        self._drift.say(drift_in_words(c, show))
        self._complaint.say("")
        self.counter.clear()
        self.counter.setPlaceholderText(uses(c.age, c.counted).partition(" ")[0])
        self.counter.setAccessibleName(tr("How many {counted} they have had", counted=counted_in_words(c.counted)))
        for widget in (self.new, self.tell, self.counter):
            widget.setEnabled(not read_only)

    def complain(self, words: str) -> None:
        """What was wrong with what was typed."""
        self._complaint.say(words)

    def _tell(self) -> None:
        try:
            age = parse_count(self.counter.text())
        except ValueError:
            age = math.nan
        if not math.isfinite(age) or age < 0:
            self.complain(
                tr("Type how many {counted} they have had, as a number.", counted=counted_in_words(self._counted))
            )
            return
        self.told.emit(age)
