"""A sheet read from a photo or a scan: looked at first, and kept once someone takes it."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass, replace
from functools import partial
from typing import TYPE_CHECKING

from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.pieces.in_picture import Across, Pattern, Sought
from keen_compass.pieces.page import METRIC, Offset, Page
from keen_compass.pieces.where import Beside
from keen_compass.quantities.assumed import POINTED_LEAST, POINTED_PX
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.measuring import Conditions, planned
from keen_compass.quantities.readings import Kind
from keen_compass.quantities.uncertainty import K_95
from keen_compass.rounds.seen_pictures import SeenPictures

if TYPE_CHECKING:
    from keen_compass.formats.sheet_picture import SeenSheet
    from keen_compass.procedures.seen import Readings, SheetBars
    from keen_compass.quantities.bodies import Parameters


@dataclass(frozen=True)
class Looked:
    """A picture, where the sheet lies in it, and what it shows. by_target: of target numbers from 1 their readings'
    names; lines: what is read from line to line, whether it was seen or not.
    """

    data: bytes
    sheet: SeenSheet
    readings: Readings
    by_target: dict[int, tuple[str, ...]]
    lines: dict[str, tuple[Sought, Sought]]

    @property
    def keys(self) -> tuple[int | str, ...]:
        """What there is to be read: numbers of targets, then measurands from line to line."""
        return (*self.by_target, *self.lines)

    def places(self, key: int | str) -> tuple[Point, ...]:
        """Where that is on the paper; the last is what the tool left."""
        if isinstance(key, str):
            return tuple(line.at for line in self.lines[key])
        assert self.sheet.page is not None
        return (self.sheet.page.on_paper(self.sheet.page.targets[key - 1]),)

    def lies(self, key: int | str) -> Point:
        """How far beside the last of these the tool's cross or line is taken to lie, mm; on it where it isn't seen."""
        if not isinstance(key, str):
            seen = self.sheet.beside[key - 1]
            return seen.at if seen is not None else (0.0, 0.0)
        line, (u, v) = self.sheet.lines[key][-1], self.lines[key][-1].out
        return (line.off * u, line.off * v) if line is not None else (0.0, 0.0)

    def ways(self, key: int | str) -> tuple[Point, ...]:
        """Which ways its strokes run."""
        if not isinstance(key, str):
            return (1.0, 0.0), (0.0, 1.0)
        u, v = self.lines[key][-1].out
        return ((-v, u),)

    def may_be_pointed_at(self, key: int | str) -> bool:
        """Whether it wasn't seen and a hand may say where it lies: of a line, where what it is read from is seen."""
        if not isinstance(key, str):
            return self.sheet.beside[key - 1] is None
        first, last = self.sheet.lines[key]
        return first is not None and last is None

    def names(self, key: int | str) -> tuple[str, ...]:
        """What is read there; nothing where nothing was seen."""
        if isinstance(key, str):
            return (key,) if any(r.measurand == key for r in self.readings.read) else ()
        return self.by_target[key]


class SeenSheets(SeenPictures[Looked]):
    """Of the piece that is shown."""

    @property
    def possible(self) -> bool:
        """Whether the piece shown has anything that lies beside its print, or beside what another tool drew."""
        page = self.page()
        if page is None:
            return self._pattern() is not None
        return bool(self._sought(page)) or any(
            isinstance(m.where, Beside) and m.kind is Kind.LENGTH for m in self._measuring.measurands()
        )

    def _pattern(self) -> Pattern | None:
        piece, procedure = self._c.piece, self._c.procedure
        if piece is None:
            return None
        found: Pattern | None = self._c.remembered(
            ("pattern", piece.id), lambda: procedure.pattern(procedure.piece(piece.parameters))
        )
        return found

    def page(self) -> Page | None:
        """The sheet of the piece shown; None of what is no sheet."""
        piece, machine = self._c.piece, self._c.machine
        if piece is None or not self._c.procedure.on_paper.printed:
            return None
        return self._c.procedure.page_of(piece.parameters, piece.number, down=machine.standpoint.left_handed)

    def look(self, data: bytes, name: str, beside: Callable[[Callable[[], SeenSheet]], SeenSheet]) -> None:
        """Read a picture; beside: runs what takes long. Raises InputError, and keeps nothing."""
        from keen_compass.formats.apart import run_apart
        from keen_compass.formats.pattern_picture import read_pattern
        from keen_compass.formats.sheet_picture import read_sheet

        page, pattern = self.page(), self._pattern()
        sought = self._sought(page)
        if page is not None:
            read = partial(run_apart, read_sheet, data, page, name, sought, name=name)
        elif pattern is not None:
            read = partial(run_apart, read_pattern, data, pattern, sought, name, name=name)
        else:
            raise InputError(tr("There is no sheet to be read."))
        self._show(data, beside(read))

    def _sought(self, page: Page | None) -> dict[str, tuple[Sought, Sought]]:
        from keen_compass.procedures.seen import sought_on

        piece = self._c.piece
        if piece is None:
            return {}
        procedure, shape = self._c.procedure, self._c.procedure.piece(piece.parameters)
        return self._c.remembered(("sought", piece.id), lambda: sought_on(procedure, shape, page))

    def correct(self, key: int | str, at: Point) -> None:
        """The tool’s cross of a target, or the line that a measurand is read to, lies there: mm beside its place on the
        paper, as well as a hand points.
        """
        looked = self.looked
        if looked is None:
            return
        U = K_95 * max(POINTED_PX / looked.sheet.px_per_mm, POINTED_LEAST)
        if isinstance(key, str):
            out, (first, _) = looked.lines[key][1].out, looked.sheet.lines[key]
            lies = Across(at[0] * out[0] + at[1] * out[1], U)
            sheet = replace(looked.sheet, lines={**looked.sheet.lines, key: (first, lies)})
        else:
            beside = list(looked.sheet.beside)
            beside[key - 1] = Offset(at, (U, U))
            sheet = replace(looked.sheet, beside=tuple(beside))
        self._show(looked.data, sheet)

    def _show(self, data: bytes, sheet: SeenSheet) -> None:
        from keen_compass.procedures.seen import Found, readings_of

        page, made = sheet.page, self._c.piece
        assert made is not None
        shape = self._c.procedure.piece(made.parameters)
        found = Found(sheet.beside, sheet.lines, sheet.residual_px / sheet.px_per_mm)
        readings = readings_of(self._c.procedure, shape, page, found, self._bars(made.parameters))
        read = {r.measurand for r in readings.read}
        targets = page.targets if page else ()
        by_target: dict[int, tuple[str, ...]] = dict.fromkeys(range(1, len(targets) + 1), ())
        for m in self._measuring.measurands():
            if isinstance(m.where, Beside) and m.name in read:
                by_target[targets.index(m.where.at) + 1] += (m.name,)
        self.looked = Looked(data, sheet, readings, by_target, self._sought(page))
        self._c.changed()

    def _bars(self, parameters: Parameters) -> SheetBars | None:
        """Measured with what the round is measured with, as far as that is known."""
        from keen_compass.procedures.seen import bars_of

        if self._c.instrument is None:
            return bars_of(parameters)
        return bars_of(parameters, planned("bar", METRIC.longest, 1, self._c.instrument, Conditions()).mean.U)

    def take(self, what: Collection[int | str]) -> None:
        """Keep what it shows at these targets and lines, with the picture (undoable)."""
        looked = self.looked
        if looked is None:
            return
        names = {name for key in what for name in looked.names(key)}
        self._keep(looked.data, (r for r in looked.readings.read if r.measurand in names))
