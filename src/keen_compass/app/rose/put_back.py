"""What the controller holds of something else than what is fitted now, and this one's own numbers to put back."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import Signal
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from keen_compass.app import theme as th
from keen_compass.app.parts import Button, Card, Text
from keen_compass.language import tr
from keen_compass.machines.profile import Machine
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.subjects import Subject
from keen_compass.shop.library import Misplaced
from keen_compass.shop.standing import subject_in_names


class PutBackCard(Card):
    """`entered` says that the numbers that it proposes are in the controller now."""

    entered = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._title = Text("", 17, bold=True)
        self._held = Text()
        self._lines = Text("", th.TEXT, bold=True)
        self.copy = Button(tr("Copy"), lambda: QGuiApplication.clipboard().setText(self._lines.text()), "quiet")
        self.copy.setAccessibleName(tr("Copy the lines"))
        self.is_in = Button(tr("Values entered"), self.entered.emit)
        row = QHBoxLayout()
        row.addWidget(self.is_in)
        row.addWidget(self.copy)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 12, 16, 14)
        for widget in (self._title, self._held, self._lines):
            layout.addWidget(widget)
        layout.addLayout(row)
        self.hide()

    def show_found(
        self, found: Mapping[str, Misplaced], machine: Machine, names: Mapping[str, str], *, read_only: bool
    ) -> None:
        """names: of things by uid. Hidden where everything is in its place, or nothing is known to put there."""
        wanted = {q: m for q, m in found.items() if m.wanted is not None}
        self.setVisible(bool(wanted))
        if not wanted:
            return
        rests_on = {thing for q in wanted for thing in QUANTITIES[q].depends}
        fitted = {"accessory": machine.fitting("accessory"), "tool": machine.tool}
        whose = next((one.name for thing, one in fitted.items() if one and thing in rests_on), "")
        own = all(m.own for m in wanted.values())
        self._title.say(
            tr("Put back: {whose}", whose=whose)
            if own and whose
            else tr("Starting value: {whose}", whose=whose)
            if whose
            else tr("Put back")
        )
        held = []
        for q, m in wanted.items():
            if m.held:
                of = subject_in_names(Subject.from_key(m.held.subject), names, machine)
                number = machine.place(q).text(m.held.stored)
                held.append(f"{QUANTITIES[q].label} {number}{tr(' of {of}', of=of) if of else ''}")
        self._held.say(tr("{name} holds {held}.", name=machine.name, held=", ".join(held)) if held else "")
        self._held.setVisible(bool(held))
        lines = [machine.setting(q, machine.place(q).text(m.wanted)) for q, m in wanted.items() if m.wanted]
        self._lines.say("\n".join(lines))
        self.is_in.name(tr("Values entered") if len(lines) > 1 else tr("Value entered"))
        self.is_in.setEnabled(not read_only)
