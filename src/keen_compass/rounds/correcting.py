"""Correct: settings kept first, the new lines, and what the controller shows afterwards."""

from __future__ import annotations

from dataclasses import replace

from keen_compass.errors import InputError
from keen_compass.formats.listing import means, number_in
from keen_compass.language import tr
from keen_compass.machines.limits import SETTING_OF
from keen_compass.procedures.case import number
from keen_compass.quantities.bodies import JsonObject
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.families import Lives
from keen_compass.quantities.findings import Finding
from keen_compass.quantities.lengths import parse_length, plain_number
from keen_compass.quantities.stored import StoredAmount, StoredValue, same_size
from keen_compass.quantities.verdict import Verdict
from keen_compass.rounds.context import RoundContext
from keen_compass.rounds.holding import bytes_of, read_back, write
from keen_compass.rounds.measuring import Measuring
from keen_compass.rounds.undo import Undo
from keen_compass.shop.marks import Decided
from keen_compass.words.doing import amount_of, task_of

FAR_OFF = (0.5, 2.0)  # ratio new/old outside of which a typed number is a slip of the finger


class Correcting:
    """The third step of a round."""

    def __init__(self, context: RoundContext, measuring: Measuring) -> None:
        self._c = context
        self._measuring = measuring

    def keep_settings(self) -> None:
        """Before a number is touched, all that is known of the controller goes into the logbook."""
        c = self._c
        in_controller = {q: v for q, v in c.values().items() if c.machine.in_controller(q)}
        text = "; ".join(c.machine.setting(q, c.machine.place(q).text(v)) for q, v in in_controller.items())
        kept = self.kept_settings()
        if kept is None or kept[1] != text:
            c.shop.put_event(c.machine.uid, "settings_kept", text)

    def kept_settings(self) -> tuple[str, str] | None:
        """(when, which lines) were last kept of the controller."""
        kept = [e for e in self._c.shop.events(self._c.kept.machine) if e[1] == "settings_kept"]
        return (kept[-1][0], kept[-1][2]) if kept else None

    def proposed(self, finding: Finding) -> str:
        """The new number as the controller keeps it; of a pair the member that changes."""
        return self._c.machine.place(finding.quantity).number(self._new(finding))

    def line(self, finding: Finding) -> str:
        """The controller's line with the new number."""
        place = self._c.machine.place(finding.quantity)
        return self._c.machine.setting(finding.quantity, place.text(self._new(finding)))

    def _new(self, finding: Finding) -> StoredValue:
        return self._c.values()[finding.quantity].renewed(finding.new)

    def enters(self, finding: Finding) -> bool:
        """Whether the new number is to be entered: the technician's word, else where it is worth it."""
        chosen = self._decided().enter.get(finding.quantity)
        if finding.new is None:
            return False
        if chosen is not None:
            return bool(chosen)
        return finding.worth_correcting and self._c.procedure.for_logbook(finding).verdict is not Verdict.IN

    def decide(self, quantity: str, enter: bool) -> None:
        """Enter the new number, or leave the old (undoable)."""
        before, piece = self._decided(), self._piece_id()

        def change() -> Undo:
            self._c.put_mark(Decided({**before.enter, quantity: enter}), piece)
            return lambda: self._c.put_mark(before, piece)

        self._c.do(change)

    def enter(self, quantity: str, text: str, how: str = "typed") -> None:
        """What the controller shows now. Raises InputError where that is no such number. Not undoable."""
        c = self._c
        old = c.values()[quantity]
        try:
            if "for" in text:  # a whole pair
                stored = c.machine.place(quantity).typed(text)
            else:
                stored = old.renewed(number(plain_number(text), ""))
        except (ValueError, InputError):
            like = c.machine.place(quantity).number(old)
            if QUANTITIES[quantity].lives is Lives.BY_HAND:
                raise InputError(tr("Type how much it is in all, like {like}.", like=like)) from None
            raise InputError(tr("Type the number that the controller shows, like {like}.", like=like)) from None
        low, high = FAR_OFF
        if not low < same_size(old, stored) < high and not c.procedure.starting:
            raise InputError(tr("Half or double the old number: look again, digit by digit."))
        piece = c.piece
        found = [f for f in self._measuring.findings() if f.quantity == quantity]
        with c.shop.writing():
            c.shop.put_findings(
                c.kept.machine, c.kept.id, piece.id if piece else 0, [c.procedure.for_logbook(f) for f in found]
            )
            c.shop.put_value(c.kept.machine, quantity, stored, how, round_id=c.kept.id, subject=c.subject)
            if quantity in SETTING_OF and isinstance(stored, StoredAmount):
                changed: JsonObject = {SETTING_OF[quantity]: stored.value}
                c.shop.put_machine(replace(c.machine, **changed))
        c.history.forget()
        c.changed()

    def do_by_hand(self, finding: Finding, really: str = "") -> None:
        """It was done by hand: as much as was asked, or as much as it really was (a length, in the machine's unit).

        What is kept is the sum of all that was done. Raises InputError where it is no length, or far from what was
        asked.
        """
        c, task = self._c, task_of(finding)
        stored, new = c.values()[finding.quantity], self._new(finding)
        if really.strip() and task and isinstance(stored, StoredAmount) and isinstance(new, StoredAmount):
            done = parse_length(really, c.machine.shown_in).mm
            share = done / amount_of(task)
            if not 0 <= share <= FAR_OFF[1]:
                raise InputError(
                    tr("{typed} is far from what was asked: look again, digit by digit.", typed=really.strip())
                )
            place = c.machine.place(finding.quantity)
            new = StoredAmount.of(
                finding.quantity, stored.base + share * (new.base - stored.base), stored.unit, place.decimals
            )
        self.enter(finding.quantity, c.machine.place(finding.quantity).number(new))

    def take_into_files(self, finding: Finding) -> None:
        """The files that are written from now on carry the new number."""
        self.enter(finding.quantity, self.proposed(finding), "taken")

    def file_of(self, quantity: str) -> str:
        """The file in which its number can be changed; empty where it is entered at the controller."""
        return self._c.machine.file_of(quantity)

    def write_into_file(self, finding: Finding) -> None:
        """The new number into the file that the controller's program reads; what is there then is what counts.

        Raises InputError, with nothing changed, where the file can't take it.
        """
        c, quantity = self._c, finding.quantity
        file = self.file_of(quantity)
        old = c.machine.place(quantity).number(c.values()[quantity])
        if not means(stands := read_back(c.machine, quantity, file), old):
            raise InputError(
                tr("holds {stands} where the logbook says {old}: say first which is right", stands=stands, old=old),
                file,
            )
        write(c.shop, c.machine, quantity, self._new(finding), file, bytes_of(file))
        place = c.machine.place(quantity)
        near = float(place.number(self._new(finding)))
        value = number_in(read_back(c.machine, quantity, file), near)
        if value is None:
            raise InputError(tr("holds no number there any more: look at it"), file)
        self.enter(quantity, place.number(c.values()[quantity].renewed(value)), "read_back")

    def send_to_stand_in(self, quantity: str, text: str) -> None:
        """The practice controller takes the number and shows what it keeps; that is what counts."""
        place = self._c.machine.place(quantity)
        held = self._c.values()[quantity].renewed(float(text), place.decimals)
        self.enter(quantity, place.number(held), "read_back")

    def entered(self, quantity: str) -> StoredValue | None:
        """What was entered for the piece shown, if anything."""
        piece = self._c.piece
        value = self._c.value(quantity)
        if value and piece and value.at > piece.at and value.round == self._c.kept.id:
            return value.stored
        return None

    def done(self) -> bool:
        """Whether every number that is to be entered has been."""
        findings = self._measuring.findings()
        return bool(findings) and all(not self.enters(f) or self.entered(f.quantity) is not None for f in findings)

    def _decided(self) -> Decided:
        return self._c.mark(Decided, self._piece_id()) or Decided()

    def _piece_id(self) -> int:
        return self._c.piece.id if self._c.piece else 0
