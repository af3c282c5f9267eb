"""A cut piece read from a scan: looked at first, and kept once someone takes it; the scanner’s record is the shop’s."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass
from functools import partial
from typing import TYPE_CHECKING

from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.procedures.base import AnyPiece
from keen_compass.procedures.stages import Makes
from keen_compass.quantities.bodies import JsonObject
from keen_compass.quantities.lengths import MM_PER_INCH
from keen_compass.quantities.notes import Note, note
from keen_compass.rounds.seen_pictures import SeenPictures

if TYPE_CHECKING:
    from keen_compass.formats.piece_picture import SeenPiece
    from keen_compass.procedures.seen import Readings
    from keen_compass.solve.scanner import Scanner

KIND = "scanner"  # of the shop’s things
GLASS = (300.0, 216.0)  # mm: what lies on an office scanner
OTHER_DPI = 0.01  # share, from which a scan is of another setting than the record’s


@dataclass(frozen=True)
class Scanned:
    """A scan, what is seen in it, its sizes, and what is to be said of them."""

    data: bytes
    seen: SeenPiece
    dpi: float
    readings: Readings
    notes: tuple[Note, ...]


class SeenPieces(SeenPictures[Scanned]):
    """Of the piece that is shown."""

    @property
    def possible(self) -> bool:
        """Whether the piece shown lies on a scanner’s glass, and sizes of it are read between faces."""
        made = self._c.piece
        if made is None or self._c.procedure.makes is not Makes.PIECE:
            return False
        return self._c.remembered(("glass", made.id), self._lies_on_glass)

    def _lies_on_glass(self) -> bool:
        from keen_compass.procedures.seen import sizes_of

        procedure, made, piece = self._c.procedure, self._c.piece, self._shape()
        if made is None or not sizes_of(procedure, piece, below=False):
            return False
        lengths = sorted(procedure.extent(made.parameters).lengths, reverse=True)
        return all(length <= most for length, most in zip(lengths, GLASS, strict=False))

    def _shape(self) -> AnyPiece:
        piece = self._c.piece
        return self._c.procedure.piece(piece.parameters) if piece is not None else None

    def look(self, data: bytes, name: str, beside: Callable[[Callable[[], SeenPiece]], SeenPiece]) -> None:
        """Read a scan; beside: runs what takes long. Raises InputError, and keeps nothing."""
        from keen_compass.formats.apart import run_apart
        from keen_compass.formats.pictures import nominal_dpi
        from keen_compass.formats.piece_picture import read_piece
        from keen_compass.pieces.parts import parts_of
        from keen_compass.procedures.seen import sizes_of

        procedure, piece = self._c.procedure, self._shape()
        lines = sizes_of(procedure, piece, below=False) | sizes_of(procedure, piece, below=True)
        parts = parts_of(piece.job(1))
        seen = beside(partial(run_apart, read_piece, data, parts, lines, name, name=name))
        self._show(data, seen, nominal_dpi(data))

    def _show(self, data: bytes, seen: SeenPiece, dpi: float) -> None:
        from keen_compass.procedures.seen import on_glass

        readings = on_glass(
            self._c.procedure,
            self._shape(),
            seen.sizes,
            seen.picks,
            self.scanner(dpi),
            mirrored=seen.mirrored,
            ambiguous=seen.ambiguous,
            several=seen.several,
        )
        notes = list(readings.notes)
        if self.record(dpi) is None:
            notes.append(note("picture.nominal_scale", dpi=dpi))
        self.looked = Scanned(data, seen, dpi, readings, tuple(notes))
        self._c.changed()

    def record(self, dpi: float) -> JsonObject | None:
        """What the shop knows of its scanner at that setting."""
        kept = self._c.shop.thing(KIND)
        return kept if kept is not None and abs(kept["dpi"] - dpi) <= OTHER_DPI * dpi else None

    def scanner(self, dpi: float) -> Scanner:
        """As it was calibrated, else as the picture says. Raises InputError where that says nothing."""
        from keen_compass.solve.scanner import NOMINAL_U, Scanner

        if kept := self.record(dpi):
            (x, y), (a, b) = kept["mm_per_px"], kept["U"]
            return Scanner((x, y), kept["skew"], (a, b), kept["edge"])
        if not dpi:
            raise InputError(
                tr("The scan doesn’t say its resolution. Scan it again as PNG or JPEG, at 300 dpi or more.")
            )
        return Scanner((MM_PER_INCH / dpi, MM_PER_INCH / dpi), U=(0.02, NOMINAL_U))

    @property
    def calibrates(self) -> bool:
        """Whether this piece was measured otherwise, so that it says what the scanner is."""
        piece, sizes = self._c.piece, self.looked.seen.sizes if self.looked is not None else {}
        case = self._measuring.case_of(piece) if piece is not None and sizes else None
        return case is not None and any(sizes.get(m) and m not in case.stated for m in case.readings)

    def calibrate(self) -> None:
        """The scanner’s record, by what was read of this piece with an instrument. Raises InputError."""
        from keen_compass.procedures.seen import known_lengths
        from keen_compass.solve.scanner import calibrated

        looked, piece = self.looked, self._c.piece
        case = self._measuring.case_of(piece) if piece is not None else None
        if looked is None or case is None or not looked.dpi:
            raise InputError(tr("Measure the piece with a caliper first, and scan it at a known resolution."))
        found = calibrated(known_lengths(self._c.procedure, case, looked.seen.sizes), MM_PER_INCH / looked.dpi)
        self._c.shop.put_things(
            KIND,
            {
                KIND: {
                    "name": "Scanner",
                    "mm_per_px": list(found.mm_per_px),
                    "skew": found.skew,
                    "U": list(found.U),
                    "edge": found.edge,
                    "dpi": looked.dpi,
                    "at": self._c.shop.clock(),
                }
            },
        )
        self._show(looked.data, looked.seen, looked.dpi)

    def take(self, what: Collection[str]) -> None:
        """Keep these sizes, with the scan (undoable)."""
        looked = self.looked
        if looked is None:
            return
        self._keep(looked.data, (r for r in looked.readings.read if r.measurand in what))
