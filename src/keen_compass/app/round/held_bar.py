"""A file of the machine holds another number than the logbook: asked before anything is made with it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from keen_compass.app.parts import Button, Card, Text, plain_line
from keen_compass.app.port_link import PortLink
from keen_compass.app.round.model import RoundModel
from keen_compass.language import tr
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.rounds.holding import Otherwise, ours_of
from keen_compass.words.logbook import day_of

PLACE = "held"  # where what goes wrong is said


class HeldBar(Card):
    """One difference at a time: what is there is right, or the logbook's number is, or it is left with a reason."""

    def __init__(self, model: RoundModel, link: PortLink, look: Callable[[], None]) -> None:
        """look: asks the controller again, after something was sent."""
        super().__init__()
        self._model, self._link, self._look = model, link, look
        self._asks = Text("", 17, bold=True)
        self._said = Text(colour="bad")
        self.take = Button("", lambda: self._answer(model.session.holding.take))
        self.write = Button("", self._write)
        self.reason = plain_line(tr("Keep it, because"), tr("or keep it, because…"), 200)
        self.reason.returnPressed.connect(self._leave)
        buttons = QHBoxLayout()
        buttons.addWidget(self.take)
        buttons.addWidget(self.write)
        buttons.addWidget(self.reason, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 8, 14, 10)
        layout.addWidget(self._asks)
        layout.addWidget(self._said)
        layout.addLayout(buttons)

    def wanted(self) -> bool:
        """Whether something differs that still needs an answer."""
        return bool(self._model.session.holding.found.otherwise)

    def refresh(self) -> None:
        """Shown while it is to be answered, or where a file can't be seen."""
        found = self._model.session.holding.found
        one = self._first()
        missing = ", ".join(QUANTITIES[q].label for q in found.missing)
        self.setVisible(one is not None or bool(found.trouble or missing))
        for widget in (self.take, self.write, self.reason):
            widget.setVisible(one is not None)
            widget.setEnabled(not self._model.session.context.shop.read_only)
        if one is None:
            words = [f"{Path(f).name} {why}." for f, why in found.trouble.items()]
            words += [tr("Not where it was in the controller’s files: {missing}.", missing=missing)] if missing else []
            self._asks.say(" ".join(words), "warn")
        else:
            machine = self._model.session.context.machine
            name, ours = machine.place(one.quantity).name(one.held.stored), ours_of(machine, one.lit)
            more = len(found.otherwise) - 1
            others = tr(" {more} more after it.", more=more) if more else ""
            self._asks.say(
                tr(
                    "{name}: {where} holds {text}, the logbook says {ours} since {day}.{others}",
                    name=name,
                    where=Path(one.file).name or tr("the controller"),
                    text=one.text,
                    ours=ours,
                    day=day_of(one.since),
                    others=others,
                ),
                "warn",
            )
            self.take.name(tr("{text} is right", text=one.text))
            self.write.name(tr("Write {ours} back", ours=ours) if one.file else tr("Send {ours} back", ours=ours))
        trouble = self._model.trouble.get(PLACE, "")
        self._said.say(trouble)
        self._said.setVisible(bool(trouble))

    def take_focus(self) -> None:
        """No answer is likelier: the keyboard begins at the first."""
        self.take.setFocus()

    def _first(self) -> Otherwise | None:
        return next(iter(self._model.session.holding.found.otherwise), None)

    def _answer(self, run: Callable[[Otherwise], None]) -> None:
        if (one := self._first()) is not None:
            self._model.attempt(PLACE, lambda: run(one))

    def _write(self) -> None:
        """Into the file at once; over the cable when it answers."""
        one, session = self._first(), self._model.session
        if one is None or one.file:
            self._answer(session.holding.write_back)
            return
        place = session.context.machine.place(one.quantity)
        if self._model.attempt(PLACE, lambda: session.holding.before_sending(one)):
            self._link.send(place.key, place.number(one.held.stored), lambda _: self._look())

    def _leave(self) -> None:
        one, reason = self._first(), self.reason.text()
        if one is not None and self._model.attempt(PLACE, lambda: self._model.session.holding.leave(one, reason)):
            self.reason.clear()
