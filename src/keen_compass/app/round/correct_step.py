"""Correct: what was kept, the new lines, and what the controller shows after they were entered."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import Button, Card, Line, Text, scrolling
from keen_compass.app.port_link import PortLink
from keen_compass.app.round import words
from keen_compass.app.round.model import RoundModel
from keen_compass.language import tr
from keen_compass.procedures.stages import Step
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.families import Lives
from keen_compass.quantities.findings import Finding
from keen_compass.quantities.verdict import Verdict
from keen_compass.words.doing import doing_in_words
from keen_compass.words.say import capital, show_for


class NumberCard(Card):
    """One quantity: enter the new number or leave the old, and say what the controller shows."""

    def __init__(self, model: RoundModel, quantity: str, link: PortLink) -> None:
        super().__init__()
        self._model, self._quantity, self._link = model, quantity, link
        self._title = Line("", 18, bold=True)
        self._old = Text("", 22, "soft")
        self._new = Text("", th.NEW_VALUE, bold=True)
        for t in (self._old, self._new):
            t.setWordWrap(False)
        self.enter = Button(tr("Use new"), lambda: self._decide(enter=True))
        self.leave = Button(tr("Keep old"), lambda: self._decide(enter=False))
        for b in (self.enter, self.leave):
            b.setCheckable(True)
        self._line = Line("", 17)
        self._what = Text("", 18)
        self._task = Text("", 17)
        self.copy = Button(tr("Copy line"), self._copy, "quiet", "copy")
        self.send = Button(tr("Send"), self._send, "", "send")
        self.send.setAccessibleName(tr("Send it to the practice controller"))
        self.send.setToolTip(self.send.accessibleName())
        self.put = Button(tr("Write it"), self._put)
        self._asks = Text(tr("Controller shows"), colour="soft")
        self._asks.setWordWrap(False)
        self.shows = QLineEdit()
        self.shows.setFont(th.font(th.CALLOUT, bold=True))
        self.shows.setMinimumHeight(th.HAND)
        self.shows.setMaxLength(40)
        self.shows.setMinimumWidth(130)
        self.shows.returnPressed.connect(self._typed)
        self.confirm = Button(tr("Confirm"), self._typed)
        self._said = Text()
        self._lay_out()

    def _lay_out(self) -> None:
        numbers = QHBoxLayout()
        numbers.setSpacing(14)
        numbers.addWidget(self._old)
        numbers.addWidget(self._new)
        numbers.addStretch(1)
        numbers.addWidget(self.enter)
        numbers.addWidget(self.leave)
        entry = QGridLayout()
        entry.setHorizontalSpacing(10)
        entry.addWidget(self._task, 0, 0, 1, 4)
        entry.addWidget(self._line, 1, 0, 1, 2)
        entry.addWidget(self.copy, 1, 2)
        entry.addWidget(self.put, 1, 3)
        entry.addWidget(self._asks, 2, 0)
        entry.addWidget(self.shows, 2, 1)
        entry.addWidget(self.confirm, 2, 2)
        entry.addWidget(self.send, 2, 3)
        entry.setColumnStretch(1, 2)
        entry.setColumnStretch(3, 3)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 10, 16, 12)
        layout.setSpacing(6)
        layout.addWidget(self._title)
        layout.addLayout(numbers)
        layout.addWidget(self._what)
        layout.addLayout(entry)
        layout.addWidget(self._said)

    def show_finding(self, f: Finding) -> None:
        """Old, new, what was decided and entered."""
        correcting, context = self._model.session.correcting, self._model.session.context
        machine, editable = context.machine, not context.shop.read_only
        stored = context.values()[f.quantity]
        name = machine.place(f.quantity).name(stored)
        self._title.say(name)
        enters, entered = correcting.enters(f), correcting.entered(f.quantity)
        old = words.number(stored, f.old, machine.place(f.quantity).decimals) if f.old is not None else "–"
        by_hand, by_file = QUANTITIES[f.quantity].lives is Lives.BY_HAND, machine.place(f.quantity).in_file
        now, what = doing_in_words(f, show_for(machine, f.quantity)) if by_hand and enters else ("", "")
        self._old.say("" if by_hand else f"{old}  →" if enters else "")
        nothing_new = f.new is None and f.verdict is not Verdict.IN  # it is made again, or looked after
        left = "–" if nothing_new else tr("No change")
        plain = correcting.proposed(f).replace("-", "−") if enters else left if by_hand else old
        self._new.say((now or tr("Do this")) if by_hand and enters else plain)
        if by_file and enters and entered is None:
            what = tr("Files use it from now on: nothing to enter at the machine.")
        self._what.say(capital(what))
        self._what.setVisible(bool(what))
        self.enter.setChecked(enters)
        self.leave.setChecked(not enters)
        undecided = entered is None and editable
        self.enter.setEnabled(undecided and f.new is not None)
        self.leave.setEnabled(undecided)
        asking = enters and undecided
        self._asks.say(tr("Corrected by") if by_hand else tr("Controller shows"))
        for asked in (self._asks, self.shows):
            asked.setVisible(asking and not by_file and (bool(now) or not by_hand))
        self.confirm.setVisible(asking)
        self.confirm.setText(tr("Done") if by_hand else tr("Use it") if by_file else tr("Confirm"))
        self._line.say(self._line_of(f) if enters else "")
        self._line.setVisible(asking and not by_hand and not by_file)
        self.copy.setVisible(asking and not by_hand and not by_file)
        task = words.to_do(f, machine) if by_hand and (asking or nothing_new) else ""
        self._task.say(task)
        self._task.setVisible(bool(task))
        self.enter.setText(tr("Corrected") if by_hand else tr("Use new"))
        self.leave.setText(tr("Leave as it is") if by_hand else tr("Keep old"))
        cable = self._link.ready
        practice = context.stand_in is not None and not machine.port
        self.send.setVisible(asking and not by_hand and not by_file and (cable or practice))
        self.send.setAccessibleName(
            tr("{name}: send it over the cable", name=name) if cable else tr("Send it to the practice controller")
        )
        file = Path(correcting.file_of(f.quantity)).name
        self._show_file(name, file, asking=asking and not by_hand and not by_file)
        self.shows.setAccessibleName(
            tr("{name}: how much it really was", name=name)
            if by_hand
            else tr("{name}: what the controller shows now", name=name)
        )
        self.shows.setPlaceholderText(now if by_hand else correcting.proposed(f) if enters else "")
        done = (
            tr("done") if by_hand else tr("use it in the files") if by_file else tr("that is what the controller shows")
        )
        self.confirm.setAccessibleName(f"{name}: {done}")
        self._say(f, enters=enters)

    def _line_of(self, f: Finding) -> str:
        """What is entered, or sent where there is a cable: what is sent is what is shown."""
        correcting, dialect = self._model.session.correcting, self._link.dialect if self._link.ready else None
        if dialect is None or not dialect.set_value:
            return correcting.line(f).replace("-", "−")
        place = self._model.session.context.machine.place(f.quantity)
        return dialect.set_value.format(key=place.key, value=correcting.proposed(f))

    def _show_file(self, name: str, file: str, *, asking: bool) -> None:
        self.put.setVisible(asking and bool(file))
        self.put.setText(tr("Write it into {file}", file=file))
        self.put.setAccessibleName(tr("{name}: write it into {file}", name=name, file=file))

    def _say(self, f: Finding, *, enters: bool) -> None:
        """What is wrong, or what it is by now."""
        correcting, context = self._model.session.correcting, self._model.session.context
        machine, entered = context.machine, correcting.entered(f.quantity)
        by_hand, by_file = QUANTITIES[f.quantity].lives is Lives.BY_HAND, machine.place(f.quantity).in_file
        trouble = self._model.trouble.get(self._quantity)
        if trouble:
            self._said.say(trouble, "bad")
        elif entered is not None:
            holds = (
                tr("Done; in all it is now") if by_hand else tr("Files take") if by_file else tr("The controller holds")
            )
            self._said.say(f"✓ {holds} {machine.place(f.quantity).text(entered)}", "good")
        elif not enters:
            why = "" if self._task.text() else words.consequence(context.procedure.for_logbook(f), machine)
            self._said.say(tr("Stays as it is.") if f.new is not None else why, "soft")
        else:
            self._said.say("")

    def _decide(self, *, enter: bool) -> None:
        correcting = self._model.session.correcting
        self._model.attempt(self._quantity, lambda: correcting.decide(self._quantity, enter))

    def _finding(self) -> Finding | None:
        return next((f for f in self._model.session.measuring.findings() if f.quantity == self._quantity), None)

    def _copy(self) -> None:
        if f := self._finding():
            QGuiApplication.clipboard().setText(self._model.session.correcting.line(f))
            self._said.say(tr("Copied."), "good")

    def _put(self) -> None:
        if f := self._finding():
            self._model.attempt(self._quantity, lambda: self._model.session.correcting.write_into_file(f))

    def _send(self) -> None:
        if f := self._finding():
            correcting = self._model.session.correcting
            if self._link.ready:
                key = self._model.session.context.machine.place(self._quantity).key
                self._said.say(tr("Sending…"), "soft")
                self._model.session.holding.keep_told(
                    tr("Before {label} was sent", label=QUANTITIES[self._quantity].label)
                )
                self._link.send(key, correcting.proposed(f), self._read_back)
                return
            self._model.attempt(
                self._quantity, lambda: correcting.send_to_stand_in(self._quantity, correcting.proposed(f))
            )

    def _read_back(self, back: tuple[str, object]) -> None:
        """What the controller said, asked after it was sent, that it holds."""
        correcting = self._model.session.correcting
        self._model.attempt(self._quantity, lambda: correcting.enter(self._quantity, back[0], "read_back"))

    def _typed(self) -> None:
        correcting, text, found = self._model.session.correcting, self.shows.text(), self._finding()
        if found and QUANTITIES[self._quantity].lives is Lives.BY_HAND:
            if self._model.attempt(self._quantity, lambda: correcting.do_by_hand(found, text)):
                self.shows.clear()
        elif found and self._model.session.context.machine.place(self._quantity).in_file:
            self._model.attempt(self._quantity, lambda: correcting.take_into_files(found))
        elif self._model.attempt(self._quantity, lambda: correcting.enter(self._quantity, text)):
            self.shows.clear()


class CorrectStep(QWidget):
    """All numbers of this piece."""

    go_on = Signal()

    def __init__(self, model: RoundModel, link: PortLink) -> None:
        super().__init__()
        self._model, self._link = model, link
        self._kept = Text(colour="soft")
        self.anew = Button(tr("Restart the controller"), lambda: link.reset(), "quiet")  # noqa: PLW0108 - clicked(bool)
        self._effect = Text(colour="warn", bold=True)
        self.cards = {q: NumberCard(model, q, link) for q in model.session.context.procedure.yields}
        self.onward = Button(tr("To Confirm"), self.go_on.emit, "primary")
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(self.onward)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(10)
        numbers = QWidget()
        column = QVBoxLayout(numbers)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(10)
        column.addWidget(self._kept)
        for card in self.cards.values():
            column.addWidget(card)
        column.addWidget(self._effect)
        column.addWidget(self.anew, 0, Qt.AlignmentFlag.AlignLeft)
        column.addStretch(1)
        layout.addWidget(scrolling(numbers), 1)
        layout.addLayout(foot)

    def refresh(self) -> None:
        """Show a card for each finding."""
        session = self._model.session
        kept = session.correcting.kept_settings()
        if kept:
            count = kept[1].count(";") + 1
            numbers = (
                tr("{count} numbers of the controller", count=count) if count > 1 else tr("the controller’s number")
            )
            self._kept.say(
                tr("Kept in the logbook, {moment}: {numbers}", moment=words.day_and_time(kept[0]), numbers=numbers)
            )
            self._kept.setToolTip(kept[1])
        found = {f.quantity: f for f in session.measuring.findings()}
        for quantity, card in self.cards.items():
            card.setVisible(quantity in found)
            if quantity in found:
                card.show_finding(found[quantity])
        machine = session.context.machine
        in_controller = any(machine.in_controller(q) and session.correcting.enters(f) for q, f in found.items())
        self._effect.say(machine.takes_effect if in_controller else "")
        dialect = self._link.dialect if self._link.ready else None
        sent = any(session.correcting.entered(q) is not None for q in found)
        self.anew.setVisible(dialect is not None and bool(dialect.reset) and in_controller and sent)
        self.onward.setEnabled(session.correcting.done())
        none = not any(session.correcting.enters(f) for f in found.values())
        last = Step.CONFIRM not in session.context.procedure.steps
        self.onward.setText(
            tr("Nothing to enter: sign off") if none and not last else tr("Sign off") if last else tr("To Confirm")
        )

    def take_focus(self) -> None:
        """The first number still to be entered, else the way on."""
        for card in self.cards.values():
            for asks in (card.put, card.shows, card.confirm):
                if asks.isVisibleTo(self) and card.isVisibleTo(self):
                    asks.setFocus()
                    return
        self.onward.setFocus()
