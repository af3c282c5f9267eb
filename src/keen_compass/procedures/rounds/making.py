"""Make: how large the piece is, where it goes on the sheet, its file, and that it was cut."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from keen_compass.errors import InputError, KeenCompassError, PieceError
from keen_compass.pieces.placement import GAP, Box, check_on_bed, next_free
from keen_compass.procedures.base import Piece
from keen_compass.procedures.rounds.context import RoundContext
from keen_compass.procedures.rounds.undo import Undo
from keen_compass.shop.store import KeptPiece

STEPS = {"mm": (10.0, 120.0), "in": (12.7, 127.0)}  # mm: step and smallest size, by the machine's units
ASPECT = 0.75  # height of a piece to its width
SHORT_SHARE = 0.3  # of the long lengths
EDGE = 15.0  # mm that the path needs beside the piece
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

    @property
    def step(self) -> float:
        """By how much sizes differ, mm: round numbers in the machine's units."""
        return STEPS["mm" if self._c.machine.units == "mm" else "in"][0]

    @property
    def smallest(self) -> float:
        """The smallest piece, mm."""
        return STEPS["mm" if self._c.machine.units == "mm" else "in"][1]

    def choose(self, **chosen: Any) -> None:
        """Choose tool or passes, or the instrument, which must stay the same within a piece."""
        piece = self._c.piece
        other = chosen.get("instrument") not in (None, self._c.parameters["instrument"]) and self._c.instrument
        if other and piece and self._c.shop.readings(piece.id):
            raise InputError(
                "This piece is being measured with another instrument: take its readings back first, "
                "or change with the next piece."
            )
        self._c.put_mark("parameters", self._c.parameters | chosen)

    def choose_size(self, size: float) -> None:
        """Choose the long side, mm (undoable)."""
        before = self._c.parameters["size"]
        if size == before:
            return

        def change() -> Undo:
            self.choose(size=size)
            return lambda: self.choose(size=before)

        self._c.do(change)

    def parameters(self, size: float | None = None) -> dict[str, Any]:
        """Parameters of the next piece; a confirming piece is the same as the one before."""
        if size is None and self._c.pieces:
            return dict(self._c.pieces[-1].body["parameters"])
        long = self._c.parameters["size"] if size is None else size
        fine = self.step / 2
        across = min(round(ASPECT * long / fine) * fine, self._room_across())
        tool, machine = self._c.tool, self._c.machine
        width, height = (long, across) if machine.long_axis == "x" else (across, long)
        return {
            "width": width, "height": height,
            "short_width": round(SHORT_SHARE * width / fine) * fine,
            "short_height": round(SHORT_SHARE * height / fine) * fine,
            "compensation": 0.0 if tool.drawn else tool.width, "made_by": "drawn" if tool.drawn else "cut",
        }  # fmt: skip

    def next_piece(self, size: float | None = None) -> Piece:
        """The piece that would be made. Raises InputError or PieceError."""
        return self._c.shape(self.parameters(size))

    def taken(self) -> list[tuple[Box, int]]:
        """Places of earlier pieces on the sheet that is loaded, with their numbers."""
        sheet = self.sheet()
        pieces = self._c.remembered("machine pieces", lambda: self._c.shop.machine_pieces(self._c.kept.machine))
        return [(Box(*p.body["place"]), p.number) for p in pieces if p.body["sheet"] == sheet]

    def place(self, size: float | None = None) -> Box | None:
        """Where the next piece goes, or None where it doesn't fit."""
        stock = self._c.machine.stock
        if stock is None:
            return None
        free = Box(stock.x, stock.y, stock.width, stock.height)
        return next_free(free, [box for box, _ in self.taken()], self.next_piece(size).footprint())

    def largest_size(self) -> float:
        """The longest piece that instrument, bed and free stock allow, mm; 0 where nothing fits."""

        def search() -> float:
            bed = self._c.machine.bed[0 if self._c.machine.long_axis == "x" else 1]
            reach = (self._c.instrument.reach if self._c.instrument else 0.0) or bed
            step, smallest = self.step, self.smallest
            size = min(reach, bed) // step * step
            while size >= smallest and not self._fits(size):
                size -= step
            return size if size >= smallest else 0.0

        return self._c.remembered("largest size", search)

    def resolves(self, size: float | None = None) -> Resolves:
        """What the piece would tell, from size and instrument, before anything is cut."""
        c = self._c
        T = {q: t / c.kept.body["reference_length"] * 1000 for q, t in c.tolerances.items()}
        if c.instrument is None:
            return Resolves({}, T)
        case = c.case(self.parameters(size), c.values(), {})
        return Resolves(c.procedure.predict(case, c.parameters["passes"]), T)

    def proposed_size(self) -> float:
        """The smallest size that promises a clear verdict, else the largest that fits."""
        largest = self.largest_size()
        size = self.smallest
        while self._c.instrument and size < largest:
            if self.resolves(size).good:
                return size
            size += self.step
        return largest or self.smallest

    def refusal(self) -> str:
        """Why the next piece can't be made, or an empty text."""
        if self._c.machine.stock is None:
            return "No stock is loaded: say what lies on the bed."
        try:
            if self.place() is None:
                return "No free place of that size on this sheet: choose a smaller piece, or load a new sheet."
        except KeenCompassError as error:
            return str(error)
        return ""

    def sheet(self) -> int:
        """Which sheet lies on the bed, counted from the shop's first."""

        def count() -> int:
            return sum(1 for _, kind, _ in self._c.shop.events(self._c.kept.machine) if kind == "new_sheet")

        return self._c.remembered("sheet", count)

    def new_sheet(self) -> None:
        """A fresh sheet is on the bed."""
        stock = self._c.machine.stock
        self._c.shop.put_event(self._c.kept.machine, "new_sheet", f"New sheet: {stock.name if stock else ''}")
        self._c.changed()

    def next_number(self) -> int:
        """The number that the next piece will bear."""
        return self._c.remembered("number", lambda: self._c.shop.next_piece_number(self._c.kept.machine))

    @property
    def extension(self) -> str:
        """Of the file that this machine takes."""
        return {"gcode": "nc", "hpgl": "plt", "svg": "svg"}[self._c.machine.file_format]

    def file_text(self) -> str:
        """The next piece's file. Raises PieceError with what to do where it can't be made."""
        from keen_compass.formats.drawings import write_svg
        from keen_compass.formats.gcode import CutSettings, write_gcode
        from keen_compass.formats.hpgl import write_hpgl

        place, machine = self.place(), self._c.machine
        if place is None or machine.stock is None:
            raise PieceError(self.refusal())
        piece = self.next_piece()
        width = max(x for x, _ in piece.outline())
        margin = (place.width - width) / 2
        path = piece.tool_path(self.next_number()).moved(place.x + margin, place.y + margin)
        if machine.file_format == "svg":
            check_on_bed(path, Box(0, 0, *machine.bed))
            return write_svg(path, flicks=True)
        if machine.file_format == "hpgl":
            return write_hpgl(path, machine.units_per_mm, Box(0, 0, *machine.bed))
        settings = CutSettings(
            bed=Box(0, 0, *machine.bed), thickness=machine.stock.thickness, depth_per_pass=machine.depth_per_pass,
            feed=machine.feed, plunge_feed=machine.plunge_feed, spindle_rpm=machine.spindle_rpm,
            spindle=not self._c.tool.drawn,
        )  # fmt: skip
        return write_gcode(path, settings)

    def write_file(self, file: Path) -> None:
        """Write the next piece's file, whole or not at all. Raises InputError where the disk refuses."""
        from keen_compass.formats.files import write_whole

        write_whole(file, self.file_text().encode("ascii"))
        self._c.put_mark("file", {"file": str(file), "number": self.next_number()})

    def made(self) -> KeptPiece:
        """The piece has been made on the machine; it keeps the settings in force now."""
        return self._keep_piece(None)

    def make_on_stand_in(self) -> KeptPiece:
        """The practice machine reads the very file and cuts it."""
        from keen_compass.procedures.practice import cut_for_shop

        truth = self._c.shop.stand_in(self._c.kept.machine)
        if truth is None:
            raise InputError("This machine has no stand-in.")
        text = self.file_text()
        practice = {"file": text, "seed": self.next_number(), "units_per_mm": self._c.machine.units_per_mm}
        cut_for_shop(truth, self._c.values(), practice)
        return self._keep_piece(practice)

    def _keep_piece(self, practice: Mapping[str, Any] | None) -> KeptPiece:
        c, place = self._c, self.place()
        if place is None:
            raise PieceError(self.refusal())
        body = {
            "parameters": self.parameters(),
            "place": [place.x, place.y, place.width, place.height],
            "settings": {q: v.to_kept() for q, v in c.values().items()},
            "tool": c.tool.name,
            "sheet": self.sheet(),
            "practice": practice,
        }
        piece = c.shop.put_piece(c.kept.id, c.kept.machine, body)
        c.history.forget()
        c.changed()
        return piece

    def _room_across(self) -> float:
        """The largest piece across the feed: a roll is long and narrow."""
        machine = self._c.machine
        if machine.stock is None:
            return min(machine.bed)
        across = machine.stock.height if machine.long_axis == "x" else machine.stock.width
        fine = self.step / 2
        return max((across - 2 * GAP - EDGE) // fine * fine, 1.0)

    def _fits(self, size: float) -> bool:
        try:
            return self.place(size) is not None
        except PieceError:
            return False
