"""Make: what is chosen, how large the piece is, where it goes on the sheet, its file, and that it was made or run."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from keen_compass.errors import InputError, KeenCompassError, PieceError
from keen_compass.language import tr
from keen_compass.pieces.toolpath import ToolPath
from keen_compass.quantities.bodies import JsonMapping, JsonObject
from keen_compass.quantities.geometry import Box
from keen_compass.quantities.notes import Note, note
from keen_compass.quantities.stored import StoredAmount
from keen_compass.rounds.choosing import Choosing
from keen_compass.rounds.undo import Undo
from keen_compass.shop.kept import KeptPiece
from keen_compass.shop.mark import Choices
from keen_compass.shop.marks import CableRun, FileWritten, WornIn
from keen_compass.shop.pieces import NewPiece
from keen_compass.words.logbook import HAPPENINGS
from keen_compass.words.say import say

if TYPE_CHECKING:
    from keen_compass.formats.playback import DryRun


class Making(Choosing):
    """The first step of a round."""

    def choose_option(self, name: str, value: object) -> None:
        """Choose one of the procedure's choices (undoable); what no longer fits is proposed again."""
        before = self._c.choices
        if before.chosen.get(name) == value:
            return

        def change() -> Undo:
            self.choose(chosen={**before.chosen, name: value})
            if not self._c.piece or not self._c.shop.readings(self._c.piece.id):
                self.choose(instrument=self.proposed_instrument())
            if self._c.procedure.sizes.slider:
                self.choose(size=self.proposed_size())
            if not self.way.made:
                self.count_parts()
            return lambda: self._choose_again(before)

        self._c.do(change)

    def _choose_again(self, before: Choices) -> None:
        self._c.put_mark(before)
        if not self.way.made:
            self.count_parts()

    def refusal(self) -> Note | None:
        """Why the next piece can't be made, if anything."""
        if first := self.way.refusal():
            return first
        try:
            if self.way.marks_stock and not self.spots():
                return note("no_place")
            if self.way.has_file:
                self.file_text()
                return next(iter(self.misfits()), None)
        except InputError as error:
            name = error.place.rpartition(".")[2].replace("_", " ")
            return note("too_little_room", name=name, why=error.message) if name else note("refused", why=error.message)
        except KeenCompassError as error:
            return note("refused", why=str(error))
        return None

    def misfits(self) -> list[Note]:
        """What is wrong with the next file, as it was read back."""

        def look() -> list[Note]:
            from keen_compass.formats.playback import misfits

            run, machine = self.dry_run(), self._c.machine
            bed = self.way.reach if self.path() is not None else Box(0, 0, *machine.bed)
            return misfits(run, bed, self.path()) if run else []

        return self._c.remembered(("misfits", self.next_number()), look)

    @property
    def extension(self) -> str:
        """Of the file that this machine takes."""
        from keen_compass.formats.machine_file import EXTENSIONS

        return EXTENSIONS[self._c.machine.file_format]

    def file_text(self) -> str:
        """The next file. Raises PieceError with what to do where it can't be made."""
        return self._c.remembered(("file", self.next_number()), self._write)

    def _write(self) -> str:
        from keen_compass.formats.machine_file import file_for

        made = self.path() or self.way.program()
        assert made is not None
        way, drawn = self.way, self._c.tool.drawn
        return file_for(self._c.machine, made, say, drawn=drawn, reach=way.reach, from_zero=way.from_zero)

    def path(self) -> ToolPath | None:
        """What the tool would be sent along, in the bed's coordinates; None for a run on a table, or nothing made.

        Raises PieceError with what to do where it can't be made.
        """

        def compose() -> ToolPath | None:
            path = self.way.path()
            if path is None or self._c.machine.file_format != "svg":
                return path
            from keen_compass.formats.drawings import with_flicks

            return with_flicks(path)

        return self._c.remembered(("path", self.next_number()), compose)

    def new_sheet(self) -> None:
        """A fresh sheet is on the bed."""
        stock = self._c.machine.stock
        self._c.shop.put_event(self._c.kept.machine, "new_sheet", stock.name if stock else "")
        self._c.changed()

    def new_consumables(self) -> None:
        """What cuts was changed."""
        self._c.shop.put_event(self._c.kept.machine, "tool", tr(HAPPENINGS["tool"]))
        self._c.changed_consumables()

    def keep_worn(self) -> None:
        """It is worn and stays in."""
        worn = self._c.worn()
        self._c.put_mark(WornIn(worn.age if worn else 0.0))

    def dry_run(self) -> DryRun | None:
        """What the next file makes the machine do, read back from it; None where there is no file.

        Raises FileFormatError where the machine would not understand it.
        """

        def play() -> DryRun | None:
            if not self.way.has_file:
                return None
            from keen_compass.formats.drawings import origin_of
            from keen_compass.formats.playback import RAPID, Speeds, read_back

            machine, path = self._c.machine, self.path()
            speeds_held = (v for q, v in self._c.values().items() if q.endswith("_speed"))
            known = [v.base for v in speeds_held if isinstance(v, StoredAmount) and v.base > 0]
            speeds = Speeds(min(known, default=RAPID), machine.feed, machine.acceleration)
            run = read_back(self.file_text(), speeds, machine.units_per_mm, thermal=machine.kind.thermal)
            placed = machine.file_format == "svg" and not self.way.from_zero
            return run.moved(*origin_of(path)) if placed and path else run

        return self._c.remembered(("dry_run", self.next_number()), play)

    def write_file(self, file: Path) -> None:
        """Write the next piece's file, whole or not at all. Raises InputError where the disk refuses."""
        from keen_compass.formats.files import write_whole

        write_whole(file, self.file_text().encode("ascii"))
        self._c.put_mark(FileWritten(str(file), self.next_number()))

    @property
    def without_file(self) -> bool:
        """Whether the next piece's file was neither written nor sent."""
        number = self.next_number()
        marks = (self._c.mark(FileWritten), self._c.mark(CableRun))
        return self.way.has_file and all(mark is None or mark.number != number for mark in marks)

    def said_made(self) -> KeptPiece:
        """Somebody says that it is made. Raises InputError, once, where its file was never written."""
        if self.without_file and self._asked != self.next_number():
            self._asked = self.next_number()
            raise InputError(tr("No file was written for this piece. Write it first, or press again if it is made."))
        return self.made()

    def made(self, practice: JsonMapping | None = None) -> KeptPiece:
        """The piece has been made on the machine; it keeps the settings in force now.

        practice: what a stand-in needs to make it again besides its file, where one made it.
        """
        return self._keep_piece(practice)

    def for_practice(self) -> JsonObject:
        """What a stand-in needs to make the next piece, now and again, besides its file."""
        stock = self._c.machine.stock
        thick: JsonObject = {"thickness": stock.thickness} if stock else {}
        return {"seed": self.next_number(), "units_per_mm": self._c.machine.units_per_mm, **thick}

    def count_parts(self) -> KeptPiece:
        """Nothing is made: what is counted begins again, and keeps what was counted already of the same parts."""
        c, before = self._c, self._c.piece
        practice = self.for_practice() if c.shop.stand_in(c.kept.machine) else None
        piece = self._keep_piece(practice)
        if before and before.parameters["axis"] == piece.parameters["axis"]:
            wanted = {m.name for m in c.procedure.measurands(c.shape(piece.parameters))}
            for r in c.shop.readings(before.id):
                if r.measurand in wanted:
                    c.shop.put_reading(piece.id, r.measurand, r.reading, r.instrument)
            c.changed()
        return piece

    def _keep_piece(self, practice: JsonMapping | None) -> KeptPiece:
        c, way = self._c, self.way
        if way.made and (refused := self.refusal()):
            raise PieceError(say(refused))
        snapshot = c.snapshot()
        if (path := self.path()) is not None:
            snapshot = replace(snapshot, applied=path.applied)
        sent = self.file_text().encode("ascii") if self.way.has_file else b""
        made = NewPiece(
            way.parameters(),
            self.spots(),
            self._marks_bed(),
            practice,
            way.stages(sent),
            snapshot,
            way.use(self.dry_run),
            way.number,
        )
        with c.shop.writing():
            if way.by_tool:
                c.shop.mount(c.machine, tool=c.tool)
            piece = c.shop.put_piece(c.kept.id, c.kept.machine, made)
            if c.procedure.once:
                kept = {name: value for name, value in c.choices.chosen.items() if name not in c.procedure.once}
                c.shop.put_mark(c.kept.id, replace(c.choices, chosen=kept))
        if way.made:
            c.history.forget()
        c.changed()
        return piece
