"""What the next piece is to be: its choices, its size and place, and what is proposed."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from keen_compass.errors import InputError, KeenCompassError
from keen_compass.language import tr
from keen_compass.machines.fitted import new_uid
from keen_compass.machines.heads import offset_held
from keen_compass.pieces.placement import GAP
from keen_compass.pieces.sticker import Order
from keen_compass.procedures.base import AnyPiece
from keen_compass.procedures.surroundings import Surroundings
from keen_compass.quantities.bodies import Parameters
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.geometry import Box
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.notes import Note
from keen_compass.quantities.stored import StoredAmount
from keen_compass.rounds.artworks import Artworks
from keen_compass.rounds.context import RoundContext
from keen_compass.rounds.room import room
from keen_compass.rounds.sheets import Sheets
from keen_compass.rounds.undo import Undo
from keen_compass.rounds.ways import way_of
from keen_compass.shop.marks import SheetStages

STEPS = {"mm": (10.0, 120.0), "in": (12.7, 127.0)}  # mm: step and smallest size, by the machine's units
EDGE = 15.0  # mm that the path needs beside the piece
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


class Choosing:
    """What is chosen for the next piece of a round."""

    def __init__(self, context: RoundContext) -> None:
        self._c = context
        self.way = way_of(context, self)
        self.artworks = Artworks(context)
        self.sheets = Sheets(context, self.parameters, self.next_number, self.artworks)
        self._asked = 0  # the piece of which it was asked whether it is made although nobody wrote its file

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
                tr(
                    "This piece is being measured with another instrument: take its readings back first, "
                    "or change with the next piece."
                )
            )
        self._c.put_mark(replace(self._c.choices, **chosen))

    def take_up(self, usual: Instrument) -> None:
        """An instrument that the shop hasn't had yet: keep it, and measure with it; the piece's size follows."""
        kept = replace(usual, uid=new_uid())
        self._c.shop.put_instrument(kept)
        self.choose(instrument=kept.uid)
        if self._c.procedure.sizes.slider and not self._c.pieces:
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

    def parameters(self, size: float | None = None) -> Parameters:
        """Parameters of the next piece; a confirming piece is the same as the one before."""
        return self._c.remembered(("parameters", size), lambda: self._parameters(size))

    def _parameters(self, size: float | None) -> Parameters:
        c, around = self._c, self._around(size)
        if size is None and c.pieces and self.way.made:
            again = c.procedure.again(c.pieces[-1].parameters, around)
            # What the controller adds is what it holds by now, whatever the piece before was made with.
            by_it = again.get("compensation") and c.machine.in_controller("kerf")
            return {**again, "compensation": around.kerf} if by_it else again
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
        found, chosen = self.artworks.sticker() if self._c.procedure.on_paper.artwork else None, self.artworks.chosen
        return Order(found, chosen.copies, chosen.marks) if found else None

    def _held(self, quantity: str) -> float:
        held = self._c.values().get(quantity)
        return held.base if isinstance(held, StoredAmount) else 0.0

    def first(self) -> Note | None:
        """What is to be set at the machine before the next piece is made, if anything."""
        return self._c.procedure.first(self._around(None))

    def next_piece(self, size: float | None = None) -> AnyPiece:
        """The piece or run that would be made. Raises InputError or PieceError."""
        return self._c.shape(self.parameters(size))

    def taken(self) -> list[tuple[Box, int]]:
        """Places of what was made on the sheet that is loaded, with its number; on a bare bed, what marks the bed."""

        def read() -> list[tuple[Box, int]]:
            c, machine, since = self._c, self._c.kept.machine, self.sheet_since()
            pieces = c.shop.machine_pieces(machine, "" if self._marks_bed() else since)
            return [(box, p.number) for p in pieces if p.on_bed is self._marks_bed() for box in p.place]

        return self._c.steady(("taken", self._marks_bed()), read)

    def place(self, size: float | None = None) -> Box | None:
        """Where the next piece goes, or None where it doesn't fit."""
        spots = self.spots(size)
        if not spots:
            return None
        x, y = min(b.x for b in spots), min(b.y for b in spots)
        return Box(x, y, max(b.x_high for b in spots) - x, max(b.y_high for b in spots) - y)

    def spots(self, size: float | None = None) -> tuple[Box, ...]:
        """What the next piece or run will cover or mark; nothing where it finds no free place, or marks nothing."""
        if self._c.machine.stock is None and not self._marks_bed():
            return ()
        return self.way.spots(size)

    def _marks_bed(self) -> bool:
        """Whether the next piece goes onto a table's bed itself, whatever lies on it."""
        return self._c.procedure.on_stock.marks_bed and self._c.machine.file_format == "gcode"

    def largest_size(self) -> float:
        """The longest piece that instrument, bed and free stock allow, mm; 0 where nothing fits."""

        if not self._c.procedure.sizes.slider:
            return float(self._c.choices.size)

        def search() -> float:
            longest = self._longest()
            reach = (self._c.instrument.reach if self._c.instrument else 0.0) or longest
            step, smallest = self.step, self.smallest
            size = min(reach, longest) // step * step
            while size >= smallest and not self.way.fits(size):
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
            more = self._c.procedure.sizes.slider and not self._c.pieces and largest > self._c.choices.size + self.step
            return (largest, self.resolves(largest)) if more else None

        return self._c.remembered(("larger", self._c.choices.size), look)

    def proposed_size(self) -> float:
        """The smallest size that promises a clear verdict, else the largest that fits; a handy one until it is known
        what it is measured with.
        """
        if not self._c.procedure.sizes.slider:
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
        fit = [t for t in tools if t.drawn is wanted.on_stock.draws]
        exactly = [t for t in fit if t.trails is wanted.on_stock.trails]
        return next((t.uid for t in (*exactly, *fit, *tools)), "")

    def proposed_instrument(self) -> str:
        """Of what suits the procedure best the finest at hand; the technician can change it."""
        suits = self._c.procedure.suits_for(self._c.chosen)
        fit = [i for i in self._c.instruments if i.kind in suits] or self._c.instruments
        best = min(fit, key=lambda i: (suits.index(i.kind) if i.kind in suits else 99, i.resolution), default=None)
        return best.uid if best else ""

    def sheet_since(self) -> str:
        """When the sheet that lies on the bed was loaded (UTC); empty where not stated."""

        def newest() -> str:
            loaded = [at for at, kind, _ in self._c.shop.events(self._c.kept.machine) if kind == "new_sheet"]
            return loaded[-1] if loaded else ""

        return self._c.steady("sheet", newest)

    def next_number(self) -> int:
        """The number that the next piece will carry; a sheet that was printed for it keeps its number."""

        def read() -> int:
            shop, machine, sheet = self._c.shop, self._c.kept.machine, self._c.mark(SheetStages)
            if sheet and not shop.has_piece(machine, sheet.number):
                return sheet.number
            return shop.next_piece_number(machine)

        return self._c.steady("number", read)

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
