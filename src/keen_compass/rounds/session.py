"""A round as a whole: begun, stepped through, signed or given up."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.machines.instrument_record import instrument_to_json
from keen_compass.machines.profile import Machine
from keen_compass.procedures import load
from keen_compass.procedures.stages import Makes, Step
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.notes import Note, note
from keen_compass.quantities.verdict import Verdict
from keen_compass.rounds.cable_runs import CableRuns
from keen_compass.rounds.context import RoundContext
from keen_compass.rounds.correcting import Correcting
from keen_compass.rounds.holding import Holding
from keen_compass.rounds.making import Making
from keen_compass.rounds.measuring import Measuring
from keen_compass.rounds.pictures import Pictures
from keen_compass.rounds.seen_pieces import SeenPieces
from keen_compass.rounds.seen_sheets import SeenSheets
from keen_compass.rounds.trouble import answer_complaints
from keen_compass.shop.kept import KeptRound
from keen_compass.shop.machines import key_for
from keen_compass.shop.mark import StepShown
from keen_compass.shop.marks import Computed, GivenUp, Signed
from keen_compass.shop.store import Shop
from keen_compass.words.say import say

STILL_OUT = "still_out"  # code of why a round can't be signed yet, after which one corrects again


class RoundSession:
    """One machine's round of one procedure: context, and a part for each step."""

    def __init__(self, shop: Shop, kept: KeptRound) -> None:
        self.context = RoundContext(shop, kept)
        self.making = Making(self.context)
        self.cable_runs = CableRuns(self.context, self.making)
        self.measuring = Measuring(self.context)
        self.holding = Holding(self.context)
        self.correcting = Correcting(self.context, self.measuring)
        self.pictures = Pictures(self.context, self.measuring)
        self.seen_sheet = SeenSheets(self.context, self.measuring)
        self.seen_piece = SeenPieces(self.context, self.measuring)

    @classmethod
    def begin(cls, shop: Shop, machine: Machine, procedure: str, quantity: str = "") -> RoundSession:
        """The round that is open already, or a new one, which copies the tolerances now.

        quantity: what it is to be about, where the procedure can do several; the procedure's own first otherwise.
        """
        for kept in shop.open_rounds(machine.uid, procedure):
            session = cls(shop, kept)
            if not quantity or QUANTITIES[quantity].about in session.context.yields:
                return session
        known = load(procedure)
        tolerances = {q: machine.tolerance(q) for q in known.yields}
        with shop.writing():  # a round without its tool or instrument would be worse than none
            session = cls(shop, shop.begin_round(machine.uid, procedure, tolerances, machine.reference_length))
            session.making.choose(chosen=known.chosen_for(quantity) if quantity else {})
            session.making.choose(tool=session.making.proposed_tool(), instrument=session.making.proposed_instrument())
            session.making.choose(size=session.making.proposed_size())
            if not session.making.way.made:
                session.making.count_parts()
                session.go(Step.MEASURE)
        return session

    @contextmanager
    def together(self) -> Iterator[None]:
        """What a command writes is kept whole or not at all; what raises leaves the session as it was before."""
        c, history, typed = self.context, self.context.history.remember(), self.measuring.remember()
        if c.shop.read_only:
            yield
            return
        try:
            with c.shop.writing():
                yield
        except BaseException:
            c.history.put_back(history)
            self.measuring.put_back(typed)
            c.nothing_kept()
            raise

    @property
    def step(self) -> Step:
        """The step that is shown."""
        mark = self.context.mark(StepShown)
        return Step(mark.step) if mark else self.context.procedure.steps[0]

    @property
    def settled(self) -> bool:
        """Whether the round is signed or given up."""
        return self.context.kept.status != "open"

    @property
    def confirming(self) -> bool:
        """Whether the piece shown was made after a correction; one more like the last confirms nothing yet."""
        c = self.context
        return c.piece is not None and len(c.equal_to(c.piece)) < len(c.pieces)

    def blocked(self, step: Step) -> Note | None:
        """Why a step can't be shown yet, if anything."""
        if step is Step.MAKE:
            return None
        if not self.context.pieces:
            return note(self.making.way.first)
        if step is Step.CORRECT and not any(f.error is not None for f in self.measuring.findings()):
            return note("measure_first")
        if step is Step.CONFIRM and not self.confirming and not self.correcting.done():
            return note("correct_first")
        return None

    def go(self, step: Step) -> None:
        """Show another step. Raises InputError, saying what is missing."""
        if reason := self.blocked(step):
            raise InputError(say(reason))
        if step is Step.CORRECT:
            self.correcting.keep_settings()
        self.context.put_mark(StepShown(step))

    def after_making(self) -> None:
        """The piece is there: on to its readings."""
        self.measuring.next_piece()
        self.go(Step.CONFIRM if self.confirming else Step.MEASURE)

    def waits_for_piece(self) -> bool:
        """In Confirm: whether the same piece is still to be cut again, with the numbers now entered."""
        return self.step is Step.CONFIRM and self.measuring.cut_before_change()

    def may_not_sign(self) -> Note | None:
        """None where the round may be signed, else why not. *Can't tell* needs a reason, which `sign` takes."""
        verdicts = [self.context.procedure.for_logbook(f).verdict for f in self.measuring.findings()]
        for verdict, refusal in (
            (Verdict.IMPLAUSIBLE, "answer_first"),
            (Verdict.UNRESOLVED, "still_to_read"),
            (Verdict.OUT, STILL_OUT),
        ):
            if verdict in verdicts:
                return note(refusal)
        if self.measuring.cut_before_change():
            return note("changed_since_cut")
        return None if verdicts else note("measure_first")

    def one_more_helps(self) -> bool:
        """Whether it can't be told, all is read, and one more equal piece would count with this one."""
        c = self.context
        return (
            c.procedure.makes is Makes.PIECE
            and not self.settled
            and not c.procedure.starting
            and self.measuring.current() is None
            and not self.measuring.cut_before_change()
            and any(c.procedure.for_logbook(f).verdict is Verdict.CANNOT_TELL for f in self.measuring.findings())
        )

    def goes_again(self) -> bool:
        """Whether a job was proven, and another print of it can be cut."""
        c = self.context
        read = c.piece is not None and self.measuring.current() is None
        return c.procedure.on_paper.artwork and read and not self.settled

    def print_again(self) -> None:
        """The same job on another sheet; a stand-in has printed it already."""
        self.go(Step.MAKE)
        if self.context.practised:
            self.making.sheets.printed()

    def needs_reason(self) -> bool:
        """Whether signing needs a reason: something can't be told. A starting value never can."""
        return not self.context.procedure.starting and any(
            f.verdict is Verdict.CANNOT_TELL for f in self.measuring.findings()
        )

    def sign(self, reason: str = "") -> None:
        """Write the findings into the logbook and end the round. Raises InputError where it may not be."""
        if refusal := self.may_not_sign():
            raise InputError(say(refusal))
        if self.needs_reason() and not reason.strip():
            raise InputError(tr("“Can’t tell” may be signed, but say why."))
        answer, instrument = self.measuring.answer(), self.measuring.instrument()
        self._end(
            Signed(
                reason.strip(),
                answer.to_json() if answer else None,
                instrument_to_json(instrument) if instrument else None,
            )
        )

    def give_up(self, reason: str) -> None:
        """End the round without a result; what it found so far stays in the logbook."""
        if not reason.strip():
            raise InputError(tr("Say why, so that the logbook knows."))
        self._end(GivenUp(reason.strip()))

    def _end(self, end: Signed | GivenUp) -> None:
        c = self.context
        found = [c.procedure.for_logbook(f) for f in self.measuring.findings() if f.error is not None]
        with c.shop.writing():
            self._remember_parts()
            if isinstance(end, Signed):
                self._take_as_its_own()
            # What a correction made stale is in the logbook already, with the number that answered it.
            if found and c.piece and not self.measuring.cut_before_change():
                c.shop.put_findings(c.kept.machine, c.kept.id, c.piece.id, found)
            c.shop.put_mark(c.kept.id, end)
            if isinstance(end, Signed):
                answer_complaints(c.shop, c.machine, c.kept.id)
        c.kept = c.shop.round(c.kept.id)
        c.history.forget()
        c.changed()

    def _take_as_its_own(self) -> None:
        """A number of another subject that was found to do for this one as well is now its own."""
        c = self.context
        for f in self.measuring.findings():
            held = c.value(f.quantity)
            if held and held.subject != key_for(f.quantity, c.subject) and c.machine.in_controller(f.quantity):
                c.shop.put_value(c.kept.machine, f.quantity, held.stored, "put_back", subject=c.subject)

    def _remember_parts(self) -> None:
        """What the parts give goes on being compared with what rounds find."""
        solution, c = self.measuring.answer(), self.context
        if c.procedure.starting and solution and "steps_per_mm" in solution.figures:
            computed = {k: solution.figures[k] for k in ("steps_per_mm", "teeth")}
            c.shop.put_mark(c.kept.id, Computed({f.quantity: computed for f in solution.findings}))
