"""What the readings of a round say: of each piece, with its equals and what was half typed; of a signed round what was
said then.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from keen_compass.errors import InputError, KeenCompassError
from keen_compass.language import tr
from keen_compass.machines.instrument_record import instrument_from_json
from keen_compass.procedures.base import AnyPiece
from keen_compass.procedures.case import Case, Previous
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.stages import Makes
from keen_compass.quantities.catalogue import QUANTITIES, beneath
from keen_compass.quantities.families import Lives
from keen_compass.quantities.findings import Finding, Solution
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.notes import note, plain
from keen_compass.quantities.readings import Reading
from keen_compass.quantities.verdict import Verdict
from keen_compass.rounds.context import RoundContext
from keen_compass.shop.kept import PICTURE, KeptPiece, KeptReading
from keen_compass.shop.marks import Confirmed, PicturesTaken, SheetSeen, Signed, Skipped


class Answers:
    """Of one round, from what is kept; `Measuring` adds what is half typed."""

    def __init__(self, context: RoundContext) -> None:
        self._c = context
        self._solved: dict[int, tuple[Case, Solution]] = {}  # piece → what was solved of it last

    def shape(self) -> AnyPiece:
        """The piece or run shown; raises InputError where there is none yet."""
        piece = self._c.piece
        if piece is None:
            raise InputError(tr("Cut the piece first."))
        return self._c.steady("shape", lambda: self._c.shape(piece.parameters))

    def measurands(self) -> tuple[Measurand, ...]:
        """What is read on the piece shown."""
        return self._c.steady("measurands", lambda: self._c.procedure.measurands(self.shape()))

    def answer(self, piece: KeptPiece | None = None) -> Solution | None:
        """What the readings say now, what is in the callout included where it can be a reading.

        Of a settled round: what was said then.
        """
        piece = piece or self._c.piece
        if piece is None or self.instrument() is None:
            return None

        def read() -> Solution | None:
            return (self._as_signed(piece) if self._c.kept.status != "open" else None) or self._solve(piece)

        return self._c.remembered(("answer", piece.id), read)

    def findings(self) -> list[Finding]:
        """The findings of the piece shown."""
        solution = self.answer()
        return list(solution.findings) if solution else []

    def history(self) -> list[tuple[int, Solution | None]]:
        """(piece number, what it said) for each piece of the round."""
        return [(p.number, self.answer(p)) for p in self._c.pieces]

    def counted_with(self, piece: KeptPiece) -> list[KeptPiece]:
        """The earlier equal pieces whose readings count with this one's, the newest first."""
        return [p for p in self._c.equal_to(piece)[-2::-1] if self._by_measurand(p)]

    def cut_before_change(self) -> bool:
        """Whether a number that this round is about has been changed since the piece shown was made."""
        piece = self._c.piece
        if piece is None:
            return False
        held, then = self._c.values(), self._c.in_force(piece)
        return any(q in then and held.get(q) != then[q] for q in self._c.yields)

    def instrument(self) -> Instrument | None:
        """What it is read with; counting and judging take none. Of a signed round: as it was then."""
        signed = self._c.mark(Signed)
        if signed and signed.instrument:
            return instrument_from_json(signed.instrument)
        by_eye = self._c.procedure.read_by.by_eye or self._c.procedure.makes is Makes.NOTHING
        return Instrument("eye", 1e-6) if by_eye and self._c.procedure.read_by.eye is None else self._c.instrument

    # Inside

    def _as_signed(self, piece: KeptPiece) -> Solution | None:
        """What a settled round said of a piece then: that is never computed again, with today's instrument."""
        signed = self._c.mark(Signed)
        if signed and signed.answer and piece.id == self._c.pieces[-1].id:
            return Solution.from_json(signed.answer)
        found = [kept.finding for kept in self._c.shop.findings_of(self._c.kept.id) if kept.piece == piece.id]
        return Solution(tuple(found)) if found else None

    def _solve(self, piece: KeptPiece) -> Solution | None:
        case = self.case_of(piece)
        if case is None:
            return None
        before = self._solved.get(piece.id)
        if before is None or before[0] != case:  # a digit that can't be a reading yet says nothing new
            before = self._solved[piece.id] = case, self._computed(case)
        solution = before[1]
        # What a piece only shows has no place on the machine.
        kept = tuple(f for f in solution.findings if QUANTITIES[f.quantity].lives is not Lives.READ)
        solution = replace(solution, findings=kept)
        doubtful = {q for p in (piece, *self.counted_with(piece)) for q in p.doubtful}
        return in_doubt(solution, doubtful) if doubtful else solution

    def _computed(self, case: Case) -> Solution:
        try:
            return self._c.procedure.solve(case)
        except KeenCompassError as error:
            return Solution((), (), (plain(str(error)),))

    def case_of(self, piece: KeptPiece) -> Case | None:
        """What was read on a piece, with the earlier equal ones that count with it; None where nothing was."""
        readings = {m: [r.reading for r in rs] for m, rs in self._by_measurand(piece).items()}
        half_typed = ""
        if self._c.piece and piece.id == self._c.piece.id:
            half_typed = self._add_draft(readings)
        skipped = self._skipped(piece)
        lengths = {m: tuple(v) for m, v in readings.items() if v and m not in skipped}
        pieces = dict.fromkeys(lengths, 1)
        for other in self.counted_with(piece):
            for m, kept in self._by_measurand(other).items():
                alike = tuple(r.reading for r in kept if r.instrument == self._c.choices.instrument)
                if alike and m not in self._skipped(other):
                    lengths[m] = (*alike, *lengths.get(m, ()))
                    pieces[m] = pieces.get(m, 0) + 1
        if not lengths and self._c.procedure.makes is not Makes.NOTHING:
            return None
        return replace(
            self._c.case(self._judged(piece), self._c.in_force(piece), lengths, piece.snapshot.subject, piece),
            stated=self._stated(piece, lengths),
            confirmed=self._c.mark(Confirmed, piece.id) is not None,
            half_typed=half_typed,
            pieces=min(pieces.values(), default=1),
            previous_errors=self._previous_errors(piece),
        )

    def _stated(self, piece: KeptPiece, counted: Mapping[str, tuple[Reading, ...]]) -> dict[str, float]:
        """What was read from a picture, and nothing else was since: to what, 95 %, mm."""
        seen, kept = self._c.mark(SheetSeen, piece.id) or SheetSeen(), self._by_measurand(piece)
        return {
            m: U
            for m, U in seen.U.items()
            if [r.reading for r in kept.get(m, ()) if r.instrument == PICTURE] == list(counted.get(m, ()))[-1:]
            and len(counted[m]) == 1
        }

    def _add_draft(self, readings: dict[str, list[Reading]]) -> str:
        """What is half typed, where it can be a reading; the measurand of which it may not be the whole yet."""
        raise NotImplementedError

    def _judged(self, piece: KeptPiece) -> Mapping[str, object]:
        """A piece's parameters, with what is chosen by now of how it is judged."""
        chosen = {name: self._c.chosen[name] for name in self._c.procedure.judged_by if name in self._c.chosen}
        taken = self._c.mark(PicturesTaken, piece.id) if self._c.procedure.read_by.pictured else None
        return {**piece.parameters, **chosen, **({"picture": list(taken.size)} if taken else {})}

    def _previous_errors(self, piece: KeptPiece) -> dict[str, Previous]:
        """Errors of the piece before, for those quantities whose number was changed in between."""
        earlier = [p for p in self._c.pieces if (p.at, p.id) < (piece.at, piece.id)]
        if not earlier:
            return {}
        before = earlier[-1]
        then = before.snapshot.held
        changed = {q for q, v in piece.snapshot.held.items() if v != then.get(q, v)}
        solution = self.answer(before)
        found = solution.findings if solution else ()
        return {
            f.quantity: Previous(f.error, f.expanded_uncertainty)
            for f in found
            if f.error is not None and f.quantity in changed
        }

    def _by_measurand(self, piece: KeptPiece | None = None) -> dict[str, list[KeptReading]]:
        shown = piece or self._c.piece
        if shown is None:
            return {}

        def read() -> dict[str, list[KeptReading]]:
            grouped: dict[str, list[KeptReading]] = {}
            for reading in self._c.shop.readings(shown.id):
                grouped.setdefault(reading.measurand, []).append(reading)
            return grouped

        return self._c.remembered(("readings", shown.id), read)

    def _skipped(self, piece: KeptPiece | None = None) -> set[str]:
        piece = piece or self._c.piece
        mark = self._c.mark(Skipped, piece.id) if piece else None
        return set(mark.skipped) if mark else set()


def in_doubt(solution: Solution, doubtful: set[str]) -> Solution:
    """What a piece says of which nobody knows with which numbers it was made: how far it is
    off, but not what to enter."""

    def of(f: Finding) -> Finding:
        unsure = [q for q in (f.quantity, *beneath(f.quantity)) if q in doubtful]
        if not unsure or f.error is None:
            return f
        why = note("made_in_doubt", quantity=unsure[0])
        return replace(
            f,
            new=None,
            new_expanded_uncertainty=None,
            worth_correcting=False,
            verdict=Verdict.CANNOT_TELL,
            notes=(why, *f.notes),
        )

    return replace(solution, findings=tuple(map(of, solution.findings)))
