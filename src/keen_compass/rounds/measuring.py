"""Measure: readings onto the callouts, pass by pass, and what they say at every keystroke."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from keen_compass.errors import InputError, LengthError
from keen_compass.language import tr
from keen_compass.procedures.stages import Makes
from keen_compass.quantities.lengths import plain_number
from keen_compass.quantities.readings import Reading
from keen_compass.rounds.half_typed import Typing
from keen_compass.rounds.undo import Change, Undo
from keen_compass.shop.kept import PICTURE, KeptPiece, KeptReading
from keen_compass.shop.marks import Confirmed, Editing, SheetSeen, Skipped, Warmth

COLDEST, WARMEST = -20.0, 60.0  # °C, of a shop


class Measuring(Typing):
    """The second step of a round (and the measuring of each confirming piece)."""

    def keep(self) -> bool:
        """Keep what is in the callout and go on; False, with a complaint, where it can't be read."""
        current, piece = self.current(), self._c.piece
        if current is None or piece is None:
            return False
        try:
            read = {name: self._understood(text, name) for name, text in self._half_typed().items()}
        except LengthError as error:
            self.complaint = self.complaint or error.message
            self._c.changed()
            return False
        if self._c.shop.read_only:
            self.complaint = self._c.shop.why_read_only
            self._c.changed()
            return False
        before = {name: self._replaced(name) for name in read}
        self._forget_draft()  # the row goes in the reading's own transaction
        instruments = {name: self._instrument_for(name) for name in read}
        self._c.do(self._putting(piece, read, before, instruments))
        return True

    def put_seen(self, read: Mapping[str, Reading], seen: SheetSeen) -> None:
        """Keep what a picture shows, in the place of whatever was read of it last (undoable)."""
        piece = self._c.piece
        if piece is None:
            return
        kept, before = self._by_measurand(), self._c.mark(SheetSeen, piece.id) or SheetSeen()
        replaced = {name: kept[name][-1] if kept.get(name) else None for name in read}
        put = self._putting(piece, read, replaced, dict.fromkeys(read, PICTURE))
        self._clear()

        def change() -> Undo:
            self._c.put_mark(replace(seen, U={**before.U, **seen.U}), piece.id)
            back = put()

            def undo() -> None:
                back()
                self._c.put_mark(before, piece.id)

            return undo

        self._c.do(change)

    def _putting(
        self,
        piece: KeptPiece,
        read: Mapping[str, Reading],
        before: Mapping[str, KeptReading | None],
        instruments: Mapping[str, str],
    ) -> Change:
        """Readings by measurand, each in the place of the one that it replaces; done again: where it stood then."""
        slots = {name: r.slot if r else None for name, r in before.items()}

        def change() -> Undo:
            undone = []
            for name, reading in read.items():
                instrument = instruments[name]
                slot = slots[name] = self._c.shop.put_reading(piece.id, name, reading, instrument, slot=slots[name])
                undone.append((before[name] or KeptReading(slot, name, reading, instrument, ""), before[name] is None))
            return lambda: self._all_back(piece, undone)

        return change

    def _instrument_for(self, name: str) -> str:
        """Which one a reading is kept with; none where it is counted, or judged by eye."""
        procedure = self._c.procedure
        by_eye = procedure.makes is Makes.NOTHING or procedure.read_by.eye is not None or self._measurand(name).by_eye
        return "" if by_eye else self._c.choices.instrument

    def _all_back(self, piece: KeptPiece, undone: Sequence[tuple[KeptReading, bool]]) -> None:
        for reading, withdrawn in undone:
            self._put_back(piece, reading, withdrawn=withdrawn)

    def mark(self, measurand: str, text: str) -> bool:
        """Keep a judgement of one thing, in the place of the one that was kept of it before."""
        kept = self._by_measurand().get(measurand)
        if kept:
            self.edit(kept[-1].slot)
        else:
            self.choose(measurand)
        self.type(text)
        return self.keep()

    def take_back(self) -> None:
        """Take the last kept reading of this piece back (undoable)."""
        piece = self._c.piece
        readings = self._c.shop.readings(piece.id) if piece else []
        if readings:
            self.remove(max(readings, key=lambda r: r.slot).slot)

    def remove(self, slot: int) -> None:
        """Take one reading back (undoable)."""
        piece, reading = self._c.piece, self._in_slot(slot)
        if piece is None or reading is None:
            return

        def change() -> Undo:
            self._put_back(piece, reading, withdrawn=True)
            return lambda: self._put_back(piece, reading, withdrawn=False)

        self._clear()
        self._c.do(change)

    def edit(self, slot: int) -> None:
        """Put a kept reading into its callout; what is kept next replaces it."""
        piece = self._c.piece
        if piece and (reading := self._in_slot(slot)):
            self._chosen, self._editing = reading.measurand, reading
            if not self._c.shop.read_only:
                self._c.shop.put_mark(self._c.kept.id, Editing(piece.id, slot))
            self.type(reading.text)

    def skip(self, measurand: str) -> None:
        """Say that a dimension can't be read, or that it can after all (undoable)."""
        piece = self._c.piece
        if piece is None:
            return

        def flip() -> None:
            skipped = self._skipped() ^ {measurand}
            self._c.put_mark(Skipped(tuple(sorted(skipped))), piece.id)

        def change() -> Undo:
            flip()
            return flip

        self._clear()
        self._c.do(change)

    def warmth(self) -> Warmth:
        """How warm the piece shown and its instrument are said to be."""
        piece = self._c.piece
        return (self._c.mark(Warmth, piece.id) if piece else None) or Warmth()

    def put_warmth(self, material: str, part: str, instrument: str) -> None:
        """Say the temperature, °C as typed; an empty material leaves it off (undoable). Raises InputError."""
        piece = self._c.piece
        if piece is None:
            return
        said = Warmth()
        if material:
            degrees = [_degrees(text) for text in (part, instrument or part)]
            said = Warmth(material, *degrees)
        before = self.warmth()

        def change() -> Undo:
            self._c.put_mark(said, piece.id)
            return lambda: self._c.put_mark(before, piece.id)

        self._c.do(change)

    def another_pass(self) -> None:
        """One more reading of every dimension."""
        self._c.put_mark(replace(self._c.choices, passes=self._c.choices.passes + 1))

    def undo(self) -> None:
        """Take the last change back; half a reading goes first."""
        half_typed = bool(self.draft)
        self._clear()
        if not half_typed:
            self._c.history.undo()
        self._c.changed()

    def redo(self) -> None:
        """Do again what was taken back; half a reading stays in its callout."""
        at, half_typed = self.current(), self.draft
        if self._c.history.redo():
            if half_typed and at and (piece := self._c.piece):
                self._chosen = at
                self._c.shop.put_draft(piece.id, at, half_typed)  # a reading that is put back takes the row away
            self._c.changed()

    def confirm_odd(self) -> None:
        """The technician says that odd-looking readings are right."""
        if piece := self._c.piece:
            self._c.put_mark(Confirmed(), piece.id)

    # Inside

    def judge(self, name: str, value: object) -> None:
        """Another of the choices that say how it is judged (undoable); what was read stays."""
        before = self._c.choices

        def change() -> Undo:
            self._c.put_mark(replace(before, chosen={**before.chosen, name: value}))
            return lambda: self._c.put_mark(before)

        if self._c.chosen.get(name) != value:
            self.type("")  # what was half typed was meant for something else
            self._c.do(change)

    def _put_back(self, piece: KeptPiece, r: KeptReading, *, withdrawn: bool) -> None:
        self._c.shop.put_reading(piece.id, r.measurand, r.reading, r.instrument, slot=r.slot, withdrawn=withdrawn)


def _degrees(text: str) -> float:
    """Degrees Celsius as typed. Raises InputError."""
    try:
        value = plain_number(text.strip().removesuffix("°C"))
    except ValueError:
        raise InputError(tr("type degrees Celsius, like 23.5")) from None
    if not COLDEST <= value <= WARMEST:
        raise InputError(
            tr(
                "expected {coldest:g} to {warmest:g} °C; a shop is not {value:g} °C",
                coldest=COLDEST,
                warmest=WARMEST,
                value=value,
            )
        )
    return value
