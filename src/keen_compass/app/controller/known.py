"""What the logbook knows in a listing: which key is which, what differs, what was left so, what is the same."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QHBoxLayout, QLayout, QVBoxLayout, QWidget

from keen_compass.app.controller.leaving import DifferenceRow
from keen_compass.app.controller.model import ControllerModel
from keen_compass.app.parts import Button, Card, Line, Text, empty
from keen_compass.language import tr
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.rounds.holding import last_seen, ours_of, why_otherwise
from keen_compass.shop.key_guesses import Guess, guesses
from keen_compass.shop.listings import Left, Lit, left, lefts
from keen_compass.words.logbook import day_of
from keen_compass.words.say import say, show_for

MOST = 6  # guesses that are shown at once


class KnownCard(Card):
    """Built again after every change."""

    def __init__(self, model: ControllerModel) -> None:
        super().__init__()
        self._model = model
        self._refused: set[tuple[str, str]] = set()  # guesses that were none
        self._rows = QVBoxLayout()
        self._rows.setSpacing(8)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 12, 16, 14)
        layout.addWidget(Text(tr("Values known from the logbook"), 17, bold=True))
        layout.addLayout(self._rows)

    def refresh(self) -> None:
        """Show every known number and where it is."""
        empty(self._rows)
        model = self._model
        if model.listing is None:
            self._rows.addWidget(Text(tr("Read a file."), colour="soft"))
            return
        guessed = self._guesses()
        self._add_guesses(guessed)
        same, stays, known_left = [], [], lefts(model.shop, model.machine.uid)
        for one in model.found:
            was_left = left(known_left, one.quantity, one.text, ours_of(model.machine, one))
            if one.same:
                same.append(QUANTITIES[one.quantity].label)
            elif was_left:
                stays.append((one, was_left))
            else:
                self._rows.addWidget(self._difference(one))
        for one, was_left in stays:
            add_left(
                self._rows,
                model,
                QUANTITIES[one.quantity].label,
                one.quantity,
                tr("{text} here, {ours_of} in the logbook", text=one.text, ours_of=ours_of(model.machine, one)),
                was_left,
            )
        found = {one.quantity for one in model.found}
        gone = [QUANTITIES[q].label for q, s in model.machine.spots.items() if s.file == model.file and q not in found]
        if gone:
            self._rows.addWidget(
                Text(tr("Not where it was, point at it again: {gone}.", gone=", ".join(gone)), colour="warn")
            )
        if same:
            self._rows.addWidget(Text(tr("The same in both: {same}.", same=", ".join(same)), colour="good"))
        if not model.found and not guessed:
            self._rows.addWidget(
                Text(tr("None of the logbook’s values were recognised: point at one in the text."), colour="soft")
            )

    def _guesses(self) -> list[Guess]:
        model = self._model
        assert model.listing is not None
        known = frozenset(one.quantity for one in model.found)
        held = model.shop.values(model.machine.uid)
        found = guesses(model.machine, held, model.listing, known)
        return [g for g in found if (g.quantity, model.listing.name_of(g.entry)) not in self._refused]

    def _add_guesses(self, guessed: list[Guess]) -> None:
        model = self._model
        if not guessed or not model.editable:
            return
        assert model.listing is not None
        self._rows.addWidget(Text(tr("Is this correct?"), bold=True))
        for g in guessed[:MOST]:
            key, label = model.listing.name_of(g.entry), QUANTITIES[g.quantity].label
            why = "" if g.same else tr(", by its name")
            row = QHBoxLayout()
            words = QVBoxLayout()
            words.setSpacing(0)
            words.addWidget(Line(f"{label} = {g.entry.value}", bold=True))
            words.addWidget(Line(tr("{key}, line {line}{why}", key=key, line=g.entry.line, why=why), colour="soft"))
            row.addLayout(words, 1)
            yes = Button(tr("Yes"), partial(model.name_key, (g.quantity, key)), "quiet")
            yes.setAccessibleName(tr("{label} is {key}", label=label, key=key))
            no = Button(tr("No"), partial(self._refuse, [g]), "quiet")
            no.setAccessibleName(tr("{label} is not {key}", label=label, key=key))
            row.addWidget(yes)
            row.addWidget(no)
            self._rows.addLayout(row)
        shown = guessed[:MOST]
        if len(shown) > 1:
            pairs = [(g.quantity, model.listing.name_of(g.entry)) for g in shown]
            buttons = QHBoxLayout()
            buttons.addWidget(Button(tr("Accept all {n}", n=len(shown)), lambda: model.name_key(*pairs)))
            buttons.addWidget(Button(tr("None of these"), partial(self._refuse, shown), "quiet"))
            self._rows.addLayout(buttons)

    def _refuse(self, some: list[Guess]) -> None:
        assert self._model.listing is not None
        self._refused |= {(g.quantity, self._model.listing.name_of(g.entry)) for g in some}
        self._model.look()

    def _difference(self, one: Lit) -> QWidget:
        """A known number that differs: as it is here, as the logbook has it, and what can be done."""
        model, machine = self._model, self._model.machine
        label, place, ours = QUANTITIES[one.quantity].label, machine.place(one.quantity), ours_of(machine, one)
        take = (
            tr("Accept {text}", text=one.text),
            tr("{label}: {text} is in the controller", label=label, text=one.text),
            partial(model.take, one),
        )
        title = f"{label}: {one.text}"
        if one.held is None:
            return DifferenceRow(
                title, [(tr("The logbook has no value for it."), "soft")], [take], label, None, editable=model.editable
            )
        since = last_seen(model.shop, machine.uid, one.quantity, one.held)
        lines = [(tr("The logbook says {ours} since {day}.", ours=ours, day=day_of(since)), "ink")]
        if why := why_otherwise(machine, one.quantity, one.text, ours):
            lines.append((say(why, show_for(machine)), "warn"))
        verb, where = (tr("Send"), tr("over the cable")) if model.by_cable else (tr("Write"), tr("into the file"))
        write = (f"{verb} {ours}", f"{label}: {verb.lower()} {ours} {where}", partial(model.write, one))
        line = machine.setting(one.quantity, place.text(one.held.stored))
        copy = (
            tr("Copy line"),
            tr("{label}: copy the line {line}", label=label, line=line),
            lambda: QGuiApplication.clipboard().setText(line),
        )
        offered: list[tuple[str, str, Callable[[], object]]] = [write, take]
        if not model.live:
            offered.append(copy)
        return DifferenceRow(
            title,
            lines,
            offered,
            label,
            lambda why: model.leave(one.quantity, one.text, ours, why),
            editable=model.editable,
        )


def add_left(rows: QLayout, model: ControllerModel, label: str, what: str, numbers: str, was: Left) -> None:
    """A difference that was left: what it is, why, and the way back."""
    line = QWidget()
    row = QHBoxLayout(line)
    row.setContentsMargins(0, 0, 0, 0)
    row.addWidget(
        Text(
            tr(
                "{label}: {numbers}. Left so, {day}: {reason}.",
                label=label,
                numbers=numbers,
                day=day_of(was.at),
                reason=was.reason,
            ),
            colour="soft",
        ),
        1,
    )
    again = Button(tr("Ask again"), partial(model.ask_again, what), "quiet")
    again.setAccessibleName(tr("{label}: ask again", label=label))
    again.setEnabled(model.editable)
    row.addWidget(again)
    rows.addWidget(line)
