"""Make: what is chosen, how large the piece is, where it goes on the sheet, its file, and that it was made or run."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from keen_compass.errors import InputError, KeenCompassError, PieceError
from keen_compass.machines.fitted import new_uid
from keen_compass.machines.heads import offset_held
from keen_compass.pieces.job import Applies
from keen_compass.pieces.moves import MoveProgram
from keen_compass.pieces.placement import GAP, next_free
from keen_compass.pieces.sticker import Order
from keen_compass.pieces.toolpath import ToolPath
from keen_compass.procedures.base import Moves
from keen_compass.procedures.stages import Makes, Stage
from keen_compass.procedures.surroundings import CLEAR, Surroundings
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.geometry import Box
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.notes import Note, note
from keen_compass.quantities.stored import StoredAmount
from keen_compass.rounds.artworks import Artworks
from keen_compass.rounds.context import RoundContext
from keen_compass.rounds.room import room
from keen_compass.rounds.sheets import KINDS as STAGE_KINDS
from keen_compass.rounds.sheets import Sheets
from keen_compass.rounds.undo import Undo
from keen_compass.shop.kept import KeptPiece
from keen_compass.shop.mark import Choices
from keen_compass.shop.marks import FileWritten, SheetStages, WornIn
from keen_compass.shop.pieces import NewPiece
from keen_compass.words.logbook import HAPPENINGS
from keen_compass.words.say import say

if TYPE_CHECKING:
    from keen_compass.formats.playback import DryRun

STEPS = {"mm": (10.0, 120.0), "in": (12.7, 127.0)}  # mm: step and smallest size, by the machine's units
EDGE = 15.0  # mm that the path needs beside the piece
KINDS = {Makes.PRINT: "printed", Makes.PIECE: "made", Makes.MOVES: "run", Makes.NOTHING: "counted"}
UNTIL_KNOWN = 300.0  # mm
GOOD_SHARE = 1 / 3  # of the tolerance, that U may take for a clear verdict


@dataclass(frozen=True, slots=True)
class Resolves:
    """What a piece of this size would tell: U and T per quantity, in its error unit."""

    U: Mapping[str, float]
    T: Mapping[str, float]

    @property
    def good(self) -> bool:
        """Whether U leaves room for a clear verdict on every quantity."""
        return bool(self.U) and all(self.U[q] <= GOOD_SHARE * self.T[q] for q in self.U)


class Making:
    """The first step of a round."""

    def __init__(self, context: RoundContext) -> None:
        self._c = context
        self.artworks = Artworks(context)
        self.sheets = Sheets(context, self.parameters, self.next_number, self.artworks)

    @property
    def step(self) -> float:
        """By how much sizes differ, mm: round numbers in the machine's units; finer where there is little room."""
        return STEPS["mm" if self._c.machine.units == "mm" else "in"][0] * self._share_of_usual()

    @property
    def smallest(self) -> float:
        """The smallest piece, mm."""
        return STEPS["mm" if self._c.machine.units == "mm" else "in"][1] * self._share_of_usual()

    def _share_of_usual(self) -> float:
        """1, 1/10 or 1/100, so that there is a size that fits: Z is short."""
        usual = STEPS["mm" if self._c.machine.units == "mm" else "in"][1]
        return next((share for share in (1.0, 0.1) if self._longest() >= usual * share), 0.01)

    def choose(self, **chosen: Any) -> None:
        """Choose tool, passes or the procedure's choices; or the instrument, which must stay the same in a piece."""
        piece = self._c.piece
        other = chosen.get("instrument") not in (None, self._c.choices.instrument) and self._c.instrument
        if other and piece and self._c.shop.readings(piece.id):
            raise InputError(
                "This piece is being measured with another instrument: take its readings back first, "
                "or change with the next piece."
            )
        self._c.put_mark(replace(self._c.choices, **chosen))

    def take_up(self, usual: Instrument) -> None:
        """An instrument that the shop hasn't had yet: keep it, and measure with it; the piece's size follows."""
        kept = replace(usual, uid=new_uid())
        self._c.shop.put_instrument(kept)
        self.choose(instrument=kept.uid)
        if self._c.procedure.sized and not self._c.pieces:
            self.choose(size=self.proposed_size())

    def choose_size(self, size: float) -> None:
        """Choose the long side, mm (undoable)."""
        before = self._c.choices.size
        if size == before:
            return

        def change() -> Undo:
            self.choose(size=size)
            return lambda: self.choose(size=before)

        self._c.do(change)

    def choose_option(self, name: str, value: object) -> None:
        """Choose one of the procedure's choices (undoable); what no longer fits is proposed anew."""
        before = self._c.choices
        if before.chosen.get(name) == value:
            return

        def change() -> Undo:
            self.choose(chosen={**before.chosen, name: value})
            if not self._c.piece or not self._c.shop.readings(self._c.piece.id):
                self.choose(instrument=self.proposed_instrument())
            if self._c.procedure.sized:
                self.choose(size=self.proposed_size())
            if self._c.procedure.makes is Makes.NOTHING:
                self.count_parts()
            return lambda: self._choose_again(before)

        self._c.do(change)

    def _choose_again(self, before: Choices) -> None:
        self._c.put_mark(before)
        if self._c.procedure.makes is Makes.NOTHING:
            self.count_parts()

    def parameters(self, size: float | None = None) -> dict[str, object]:
        """Parameters of the next piece; a confirming piece is the same as the one before."""
        found: dict[str, object] = self._c.remembered(("parameters", size), lambda: self._parameters(size))
        return dict(found)

    def _parameters(self, size: float | None) -> dict[str, object]:
        c, around = self._c, self._around(size)
        if size is None and c.pieces and c.procedure.makes is not Makes.NOTHING:
            again = c.procedure.again(c.pieces[-1].parameters, around)
            # What the controller adds is what it holds by now, whatever the piece before was made with.
            by_it = again.get("compensation") and c.machine.in_controller("kerf")
            return again | ({"compensation": around.kerf} if by_it else {})
        return c.procedure.parameters(around)

    def _around(self, size: float | None) -> Surroundings:
        c = self._c
        fastest = {q[0]: v.base for q, v in c.values().items() if q.endswith("speed") and isinstance(v, StoredAmount)}
        return Surroundings(
            c.machine,
            c.tool,
            c.choices.size if size is None else size,
            self.step / 2,
            self._room_across(),
            c.chosen,
            fastest,
            c.choices.passes,
            tuple(box for box, _ in self.taken()),
            room(c).width,
            self._held("hole_bias"),
            self._held("drag"),
            offset_held(c.values(), "camera", c.machine.offset_form, c.machine.flipped),
            self._held("media_feed"),
            self._order(),
        )

    def _order(self) -> Order | None:
        found, chosen = self.artworks.sticker() if self._c.procedure.uses_artwork else None, self.artworks.chosen
        return Order(found, chosen.copies, chosen.marks) if found else None

    def _held(self, quantity: str) -> float:
        held = self._c.values().get(quantity)
        return held.base if isinstance(held, StoredAmount) else 0.0

    def first(self) -> Note | None:
        """What is to be set at the machine before the next piece is made, if anything."""
        return self._c.procedure.first(self._around(None))

    def next_piece(self, size: float | None = None) -> Any:
        """The piece or run that would be made. Raises InputError or PieceError."""
        return self._c.shape(self.parameters(size))

    def taken(self) -> list[tuple[Box, int]]:
        """Places of what was made on the sheet that is loaded, with its number; on a bare bed, what marks the bed."""

        def read() -> list[tuple[Box, int]]:
            c, machine, since = self._c, self._c.kept.machine, self.sheet_since()
            pieces = c.shop.machine_pieces(machine, "" if self._marks_bed() else since)
            return [(box, p.number) for p in pieces if p.on_bed is self._marks_bed() for box in p.place]

        return self._c.remembered(("taken", self._marks_bed()), read)

    def place(self, size: float | None = None) -> Box | None:
        """Where the next piece goes, or None where it doesn't fit."""
        spots = self.spots(size)
        if not spots:
            return None
        x, y = min(b.x for b in spots), min(b.y for b in spots)
        return Box(x, y, max(b.x_high for b in spots) - x, max(b.y_high for b in spots) - y)

    def spots(self, size: float | None = None) -> tuple[Box, ...]:
        """What the next piece or run will cover or mark; nothing where it finds no free place, or marks nothing."""
        c, machine = self._c, self._c.machine
        taken = [box for box, _ in self.taken()]
        if machine.stock is None and not self._marks_bed():
            return ()
        if c.procedure.makes is Makes.PIECE and not c.procedure.anchored:
            place = next_free(machine.sheet, taken, self.next_piece(size).footprint())
            return (place,) if place else ()
        if c.procedure.makes in (Makes.NOTHING, Makes.SHEET, Makes.PRINT) or (
            c.procedure.makes is Makes.MOVES and not self.draws_ticks
        ):
            return ()
        spots = c.procedure.spots(self.next_piece(size), machine, c.choices.passes)
        clear = all(not box.overlaps(t, CLEAR) for box in spots for t in taken)
        return spots if clear and all(c.procedure.on(machine).holds(box) for box in spots) else ()

    @property
    def draws_ticks(self) -> bool:
        """Whether a run leaves marks: a plotter can't wait, so it draws a tick wherever it would."""
        return self._c.procedure.makes is Makes.MOVES and self._c.machine.file_format != "gcode"

    def _marks_bed(self) -> bool:
        """Whether the next piece goes onto a table's bed itself, whatever lies on it."""
        return self._c.procedure.marks_bed and self._c.machine.file_format == "gcode"

    def largest_size(self) -> float:
        """The longest piece that instrument, bed and free stock allow, mm; 0 where nothing fits."""

        if not self._c.procedure.sized:
            return float(self._c.choices.size)

        def search() -> float:
            longest = self._longest()
            reach = (self._c.instrument.reach if self._c.instrument else 0.0) or longest
            step, smallest = self.step, self.smallest
            size = min(reach, longest) // step * step
            while size >= smallest and not self._fits(size):
                size -= step
            return size if size >= smallest else 0.0

        return self._c.remembered("largest_size", search)

    def resolves(self, size: float | None = None) -> Resolves:
        """What the piece would tell, from size and instrument, before anything is cut."""
        c = self._c
        per_metre = 1000 / c.kept.reference_length
        T = {q: c.tolerances[q] * (per_metre if QUANTITIES[q].scaled else 1) for q in c.yields}
        if c.instrument is None:
            return Resolves({}, T)
        try:
            case = c.case(self.parameters(size), c.values(), {}, c.subject)
            predicted = c.procedure.predict(case, c.choices.passes)
        except KeenCompassError:
            return Resolves({}, T)
        return Resolves({q: U for q, U in predicted.items() if q in T}, T)

    def larger(self) -> tuple[float, Resolves] | None:
        """The largest size that fits, and what it would tell; None where that is no larger than what was chosen."""

        def look() -> tuple[float, Resolves] | None:
            largest = self.largest_size()
            more = self._c.procedure.sized and not self._c.pieces and largest > self._c.choices.size + self.step
            return (largest, self.resolves(largest)) if more else None

        return self._c.remembered(("larger", self._c.choices.size), look)

    def proposed_size(self) -> float:
        """The smallest size that promises a clear verdict, else the largest that fits; a handy one until it is known
        what it is measured with.
        """
        if not self._c.procedure.sized:
            return float(self._c.choices.size)
        largest = self.largest_size()
        if not self._c.instrument and largest:
            return min(largest, max(UNTIL_KNOWN // self.step * self.step, self.smallest))
        if not largest or not self.resolves(largest).good:
            return largest or self.smallest
        # Longer is better, so the smallest that will do is found by halving.
        low, high = 0, round((largest - self.smallest) / self.step)
        while low < high:
            middle = (low + high) // 2
            if self.resolves(self.smallest + middle * self.step).good:
                high = middle
            else:
                low = middle + 1
        return self.smallest + low * self.step

    def proposed_tool(self) -> str:
        """What is in the machine where it does what is wanted, drawing or cutting; else the first that does."""
        mounted = self._c.machine.tool
        tools = (*((mounted,) if mounted else ()), *self._c.machine.tools)
        wanted = self._c.procedure
        fit = [t for t in tools if t.drawn is wanted.draws]
        exactly = [t for t in fit if t.trails is wanted.trails]
        return next((t.uid for t in (*exactly, *fit, *tools)), "")

    def proposed_instrument(self) -> str:
        """Of what suits the procedure best the finest at hand; the technician can change it."""
        suits = self._c.procedure.suits_for(self._c.chosen)
        fit = [i for i in self._c.instruments if i.kind in suits] or self._c.instruments
        best = min(fit, key=lambda i: (suits.index(i.kind) if i.kind in suits else 99, i.resolution), default=None)
        return best.uid if best else ""

    def refusal(self) -> Note | None:
        """Why the next piece can't be made, if anything."""
        machine, makes = self._c.machine, self._c.procedure.makes
        if makes is Makes.SHEET and (first := self.sheets.refusal()):
            return first
        if makes is Makes.PIECE and not self._c.tool.drawn and not room(self._c).width:
            return note("no_room_held") if machine.in_controller("kerf") else note("no_room_known")
        if machine.stock is None and (makes is Makes.PIECE or self.draws_ticks):
            return note("no_stock")
        try:
            if (makes is Makes.PIECE or self.draws_ticks) and not self.spots():
                return note("no_place")
            if self.has_file:
                self.file_text()
                return next(iter(self.misfits()), None)
        except InputError as error:
            name = error.place.rpartition(".")[2].replace("_", " ")
            return note("too_little_room", name=name, why=error.message) if name else note("refused", why=error.message)
        except KeenCompassError as error:
            return note("refused", why=str(error))
        return None

    def sheet_since(self) -> str:
        """When the sheet that lies on the bed was loaded (UTC); empty where nobody said."""

        def newest() -> str:
            loaded = [at for at, kind, _ in self._c.shop.events(self._c.kept.machine) if kind == "new_sheet"]
            return loaded[-1] if loaded else ""

        return self._c.remembered("sheet", newest)

    def new_sheet(self) -> None:
        """A fresh sheet is on the bed."""
        stock = self._c.machine.stock
        self._c.shop.put_event(self._c.kept.machine, "new_sheet", stock.name if stock else "")
        self._c.changed()

    def new_consumables(self) -> None:
        """What cuts was changed."""
        self._c.shop.put_event(self._c.kept.machine, "tool", HAPPENINGS["tool"])
        self._c.changed_consumables()

    def keep_worn(self) -> None:
        """It is worn and stays in."""
        worn = self._c.worn()
        self._c.put_mark(WornIn(worn.age if worn else 0.0))

    def next_number(self) -> int:
        """The number that the next piece will bear: that of a sheet which was printed for it keeps."""

        def read() -> int:
            shop, machine, sheet = self._c.shop, self._c.kept.machine, self._c.mark(SheetStages)
            if sheet and not shop.has_piece(machine, sheet.number):
                return sheet.number
            return shop.next_piece_number(machine)

        return self._c.remembered("number", read)

    @property
    def extension(self) -> str:
        """Of the file that this machine takes."""
        from keen_compass.formats.machine_file import EXTENSIONS

        return EXTENSIONS[self._c.machine.file_format]

    def program(self) -> MoveProgram | None:
        """The moves of the next run; None for what makes a piece, or nothing."""
        if self._c.procedure.makes is not Makes.MOVES:
            return None
        run: Moves = self.next_piece()
        return run.program(self._c.machine, self._c.choices.passes)

    @property
    def has_file(self) -> bool:
        """Whether the machine is sent anything for what is made next."""
        makes = self._c.procedure.makes
        return Stage.DRAW in self.sheets.stages if makes is Makes.SHEET else makes not in (Makes.NOTHING, Makes.PRINT)

    def file_text(self) -> str:
        """The next file. Raises PieceError with what to do where it can't be made."""
        return self._c.remembered(("file", self.next_number()), self._write)

    def _write(self) -> str:
        from keen_compass.formats.machine_file import file_for

        made = self.path() or self.program()
        assert made is not None
        sheet = self._c.procedure.makes is Makes.SHEET
        return file_for(self._c.machine, made, say, drawn=self._c.tool.drawn, reach=self._reach, from_zero=sheet)

    def path(self) -> ToolPath | None:
        """What the tool would be sent along, in the bed's coordinates; None for a run on a table, or nothing made.

        Raises PieceError with what to do where it can't be made.
        """

        def compose() -> ToolPath | None:
            if self._c.procedure.makes is Makes.PIECE:
                path = self._path()
            elif self._c.procedure.makes is Makes.SHEET and self.has_file:
                path = self.sheets.path()
            elif self.draws_ticks and (program := self.program()):
                path = program.as_ticks(self.next_piece().axis, say(program.title))
            else:
                return None
            if self._c.machine.file_format != "svg":
                return path
            from keen_compass.formats.drawings import with_flicks

            return with_flicks(path)

        return self._c.remembered(("path", self.next_number()), compose)

    def _path(self) -> ToolPath:
        """The piece's path where it goes on the bed."""
        place = self.place()
        if place is None or self._c.machine.stock is None:
            raise PieceError(say(self.refusal() or note("no_place")))
        piece = self.next_piece()
        path = self._c.procedure.tool_path(piece, self.next_number(), Applies(self._c.machine.gives_room))
        if self._c.procedure.anchored:
            return path.moved(*piece.origin)
        margin = (place.width - max(x for x, _ in piece.outline())) / 2
        return path.moved(place.x + margin, place.y + margin)

    @property
    def _reach(self) -> Box:
        """Where the next file may draw: a sheet lies anywhere on the bed, whatever else is loaded."""
        machine = self._c.machine
        return Box(0, 0, *machine.bed) if self._c.procedure.makes is Makes.SHEET else machine.media

    def dry_run(self) -> DryRun | None:
        """What the next file makes the machine do, read back from it; None where there is no file.

        Raises FileFormatError where the machine would not understand it.
        """

        def play() -> DryRun | None:
            if not self.has_file:
                return None
            from keen_compass.formats.drawings import origin_of
            from keen_compass.formats.playback import RAPID, Speeds, read_back

            machine, path = self._c.machine, self.path()
            speeds_held = (v for q, v in self._c.values().items() if q.endswith("_speed"))
            known = [v.base for v in speeds_held if isinstance(v, StoredAmount) and v.base > 0]
            speeds = Speeds(min(known, default=RAPID), machine.feed, machine.acceleration)
            run = read_back(self.file_text(), speeds, machine.units_per_mm, thermal=machine.kind.thermal)
            placed = machine.file_format == "svg" and self._c.procedure.makes is not Makes.SHEET
            return run.moved(*origin_of(path)) if placed and path else run

        return self._c.remembered(("dry_run", self.next_number()), play)

    def misfits(self) -> list[Note]:
        """What is wrong with the next file, as it was read back."""

        def look() -> list[Note]:
            from keen_compass.formats.playback import misfits

            run, machine = self.dry_run(), self._c.machine
            bed = self._reach if self.path() is not None else Box(0, 0, *machine.bed)
            return misfits(run, bed, self.path()) if run else []

        return self._c.remembered(("misfits", self.next_number()), look)

    def write_file(self, file: Path) -> None:
        """Write the next piece's file, whole or not at all. Raises InputError where the disk refuses."""
        from keen_compass.formats.files import write_whole

        write_whole(file, self.file_text().encode("ascii"))
        self._c.put_mark(FileWritten(str(file), self.next_number()))

    def made(self, practice: Mapping[str, Any] | None = None) -> KeptPiece:
        """The piece has been made on the machine; it keeps the settings in force now.

        practice: what a stand-in needs to make it again besides its file, where one made it.
        """
        return self._keep_piece(practice)

    def for_practice(self) -> dict[str, object]:
        """What a stand-in needs to make the next piece, now and again, besides its file."""
        stock = self._c.machine.stock
        thick: dict[str, object] = {"thickness": stock.thickness} if stock else {}
        return {"seed": self.next_number(), "units_per_mm": self._c.machine.units_per_mm, **thick}

    def count_parts(self) -> KeptPiece:
        """Nothing is made: what is counted begins anew, and keeps what was counted already of the same parts."""
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

    def _keep_piece(self, practice: Mapping[str, Any] | None) -> KeptPiece:
        c, makes = self._c, self._c.procedure.makes
        if makes is not Makes.NOTHING and (refused := self.refusal()):
            raise PieceError(say(refused))
        snapshot = c.snapshot()
        if makes in (Makes.PIECE, Makes.SHEET) and (path := self.path()) is not None:
            snapshot = replace(snapshot, applied=path.applied)
        parameters = self.sheets.parameters() if makes is Makes.SHEET else self.parameters()
        made = NewPiece(
            parameters,
            self.spots(),
            self._marks_bed(),
            practice,
            self._stages(),
            snapshot,
            self._use(),
            self.next_number() if makes is Makes.SHEET else 0,
        )
        with c.shop.writing():
            if makes is Makes.PIECE or (makes is Makes.SHEET and self.has_file):  # that tool made it, so it is in
                c.shop.mount(c.machine, tool=c.tool)
            piece = c.shop.put_piece(c.kept.id, c.kept.machine, made)
            if c.procedure.once:
                kept = {name: value for name, value in c.choices.chosen.items() if name not in c.procedure.once}
                c.shop.put_mark(c.kept.id, replace(c.choices, chosen=kept))
        if makes is not Makes.NOTHING:
            c.history.forget()
        c.changed()
        return piece

    def _stages(self) -> list[tuple[str, bytes]]:
        """(kind, what was sent) of each stage in which the next piece is made."""
        sent = self.file_text().encode("ascii") if self.has_file else b""
        if self._c.procedure.makes is not Makes.SHEET:
            return [(KINDS[self._c.procedure.makes], sent)]
        drawn = [(STAGE_KINDS[Stage.DRAW], sent)] if self.has_file else []
        return [*self.sheets.kept_as(), *drawn]

    def _use(self) -> dict[str, float]:
        """Of what cuts, for the next piece."""
        run = self.dry_run() if self._c.procedure.makes is Makes.PIECE and not self._c.tool.drawn else None
        if run is None:
            return {}
        minutes = sum(step.seconds for step in run.steps if step.on) / 60
        return {"pierces": float(len(run.lines)), "metres": run.length(on=True) / 1000, "minutes": minutes}

    def _longest(self) -> float:
        return self._c.procedure.longest(self._c.machine, self._c.chosen)

    def _room_across(self) -> float:
        """The largest piece across the feed: a roll is long and narrow."""
        machine = self._c.machine
        if machine.stock is None:
            return min(machine.bed)
        across = machine.sheet.height if machine.long_axis == "x" else machine.sheet.width
        fine = self.step / 2
        return max((across - 2 * GAP - EDGE) // fine * fine, 1.0)

    def _fits(self, size: float) -> bool:
        if self._c.procedure.makes is not Makes.PIECE:
            return True
        try:
            return bool(self.spots(size))
        except PieceError:
            return False
