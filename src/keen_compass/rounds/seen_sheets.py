"""A sheet read from a photo or a scan: looked at first, and kept once someone takes it."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass, replace
from functools import partial
from typing import TYPE_CHECKING

from keen_compass.errors import InputError
from keen_compass.pieces.page import Offset, Page
from keen_compass.pieces.where import Beside
from keen_compass.quantities.assumed import POINTED_LEAST, POINTED_PX
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.readings import Kind
from keen_compass.quantities.uncertainty import K_95
from keen_compass.rounds.seen_pictures import SeenPictures

if TYPE_CHECKING:
    from keen_compass.formats.sheet_picture import SeenSheet
    from keen_compass.procedures.seen import Readings


@dataclass(frozen=True)
class Looked:
    """A picture, where the sheet lies in it, and what it shows; of target numbers from 1 their readings' names."""

    data: bytes
    sheet: SeenSheet
    readings: Readings
    by_target: dict[int, tuple[str, ...]]


class SeenSheets(SeenPictures[Looked]):
    """Of the piece that is shown."""

    @property
    def possible(self) -> bool:
        """Whether the piece shown has anything that lies beside a printed target."""
        return self.page() is not None and any(
            isinstance(m.where, Beside) and m.kind is Kind.LENGTH for m in self._measuring.measurands()
        )

    def page(self) -> Page | None:
        """The sheet of the piece shown; None of what is no sheet."""
        piece, machine = self._c.piece, self._c.machine
        if piece is None or not self._c.procedure.printed:
            return None
        return self._c.procedure.page_of(piece.parameters, piece.number, down=machine.standpoint.left_handed)

    def look(self, data: bytes, name: str, beside: Callable[[Callable[[], SeenSheet]], SeenSheet]) -> None:
        """Read a picture; beside: runs what takes long. Raises InputError, and keeps nothing."""
        from keen_compass.formats.apart import run_apart
        from keen_compass.formats.sheet_picture import read_sheet

        page = self.page()
        if page is None:
            raise InputError("There is no sheet to be read.")
        self._show(data, beside(partial(run_apart, read_sheet, data, page, name, name=name)))

    def correct(self, number: int, at: Point) -> None:
        """The tool’s cross of a target, from 1, lies there: mm beside it on the paper, as well as a hand points."""
        looked = self.looked
        if looked is None:
            return
        U = K_95 * max(POINTED_PX / looked.sheet.px_per_mm, POINTED_LEAST)
        beside = list(looked.sheet.beside)
        beside[number - 1] = Offset(at, (U, U))
        self._show(looked.data, replace(looked.sheet, beside=tuple(beside)))

    def _show(self, data: bytes, sheet: SeenSheet) -> None:
        from keen_compass.procedures.seen import readings_of

        page = sheet.page
        readings = readings_of(self._c.procedure, page, sheet.beside)
        read = {r.measurand for r in readings.read}
        by_target: dict[int, tuple[str, ...]] = dict.fromkeys(range(1, len(page.targets) + 1), ())
        for m in self._measuring.measurands():
            if isinstance(m.where, Beside) and m.name in read:
                by_target[page.targets.index(m.where.at) + 1] += (m.name,)
        self.looked = Looked(data, sheet, readings, by_target)
        self._c.changed()

    def take(self, what: Collection[int]) -> None:
        """Keep what it shows at these targets, with the picture (undoable)."""
        looked = self.looked
        if looked is None:
            return
        names = {name for number in what for name in looked.by_target[number]}
        self._keep(looked.data, (r for r in looked.readings.read if r.measurand in names))
