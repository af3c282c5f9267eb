"""A cut file from elsewhere, laid onto a print that was done elsewhere: its marks, and where each was aimed at.

The calculation is that of the command line (`procedures/laying.py`, `formats/fit.py`). The machine is added here: what
it aims with sits beside its tool, and no file leaves its bed.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

from keen_compass.errors import FileFormatError, InputError, LengthError
from keen_compass.formats.files import read_whole, write_whole
from keen_compass.formats.fit import LARGEST, MARKS, MOST_MARKS, Fitted, fit_file, kind_of_file, marks_in, plain_crosses
from keen_compass.language import tr
from keen_compass.machines.heads import TOOL, offset_held
from keen_compass.machines.profile import Machine
from keen_compass.machines.shown import show_length
from keen_compass.procedures.laying import Laid, lay
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.readings import parse_spot
from keen_compass.quantities.stored import StoredValue
from keen_compass.shop.standing import Why, spokes
from keen_compass.shop.store import Shop
from keen_compass.solve.warp import Warp

IN_FORCE = (Why.IN, Why.OUT, Why.CANNOT_TELL, Why.OLD)  # of a finding: nothing was changed since
OFF_BED = 0.05  # mm, that a file may reach beyond the bed: what rounding does
AT_LEAST = 2  # marks, below which a turn isn't known


def errors_for_files(shop: Shop, machine: Machine) -> dict[str, float]:
    """What a file can make up for, as `lay` takes it: the skew as last found, mm per m. Scales are the controller's own
    numbers: corrected there, and not a second time.
    """
    found = next((s for s in spokes(shop, machine) if s.quantity == "squareness"), None)
    if found is None or found.why not in IN_FORCE or found.finding is None or not found.finding.error:
        return {}
    return {"skew": found.finding.error}


@dataclass(frozen=True, slots=True)
class Fitting:
    """One file. marks: in its own coordinates, mm. drawn: what it draws there. head: what the marks are aimed at with.

    aimed: mark, from 0 → where the machine was with that on the mark, mm. nominal: the file as it is, measured.
    errors: of the machine, that the file makes up for, as `lay` takes them. blank: it goes onto stock without a print.
    """

    name: str
    data: bytes
    nominal: Fitted
    marks: tuple[Point, ...] = ()
    aimed: Mapping[int, Point] = field(default_factory=dict)
    head: str = TOOL
    errors: Mapping[str, float] = field(default_factory=dict)
    blank: bool = False

    @classmethod
    def open(cls, file: Path, head: str = TOOL) -> Fitting:
        """Read it; it has no marks yet. Raises InputError."""
        data = read_whole(file, LARGEST)
        try:
            nominal = fit_file(data, Warp(), file.name)
        except FileFormatError as error:
            raise InputError(str(error), str(file)) from None
        if not nominal.drawn.strokes:
            raise InputError(tr("draws nothing"), str(file))
        return cls(str(file), data, nominal, head=head)

    def with_marks(self, marks: Sequence[Point]) -> Fitting:
        """Other marks; what was aimed at before counts no more."""
        return replace(self, marks=tuple(marks), aimed={}, blank=False)

    def with_crosses(self, layer: str = "") -> Fitting:
        """The crosses on a layer; where none is named, those on one named marks, else any plain ones. Raises InputError
        where there are none.
        """
        try:
            found = marks_in(self.data, Path(self.name).name, layer or MARKS)
        except InputError:
            found = [] if layer else plain_crosses(self.nominal.drawn.paths)
        if not found:
            raise InputError(
                tr("No crosses found: take the corners, click the marks in the picture, or type them."), layer
            )
        return self.with_marks(found)

    def with_corners(self) -> Fitting:
        """The corners of what it draws: a print that is cut at its edge has no others."""
        (x0, y0), (x1, y1) = self.nominal.drawn.low, self.nominal.drawn.high
        return self.with_marks([(x0, y0), (x1, y0), (x1, y1), (x0, y1)])

    def with_usual_marks(self) -> tuple[Fitting, bool]:
        """With the crosses that are in it, else with its corners; whether it is crosses."""
        try:
            return self.with_crosses(), True
        except InputError:
            return self.with_corners(), False

    def snapped(self, place: Point, within: float) -> Point:
        """A corner, an end or the middle of a cross that is so near, mm; else the place itself."""
        drawn = self.nominal.drawn.paths
        known = [p for path in drawn for p in path] + plain_crosses(drawn)
        nearest = min(known, key=lambda p: math.dist(p, place), default=place)
        return nearest if math.dist(nearest, place) <= within else place

    def without_marks(self) -> Fitting:
        """For blank stock: nothing is aimed at. Raises InputError where the file makes up for no error."""
        if not self.errors:
            raise InputError(
                tr("Without marks a file changes only where the machine has an error that it makes up for.")
            )
        return replace(self.with_marks([]), blank=True)

    def with_typed(self, text: str, unit: str) -> Fitting:
        """``10 10; 200 10; 10 287``, in the file’s coordinates. Raises InputError."""
        places = [part for part in text.split(";") if part.strip()]
        if len(places) > MOST_MARKS:
            raise InputError(tr("at most {most_marks} marks", most_marks=MOST_MARKS))
        try:
            spots = [parse_spot(place, unit) for place in places]
        except LengthError as error:
            raise InputError(error.message, "marks") from None
        if len(spots) < AT_LEAST:
            raise InputError(tr("Type at least two marks, such as 10 10; 200 10; 10 287"))
        return self.with_marks([(s.x, s.y) for s in spots])

    def aim(self, mark: int, text: str, unit: str) -> Fitting:
        """Where the machine is with its pointer on a mark, as it shows it. Raises InputError."""
        try:
            spot = parse_spot(text, unit)
        except LengthError as error:
            raise InputError(error.message, tr("mark {mark}", mark=mark + 1)) from None
        return replace(self, aimed={**self.aimed, mark: (spot.x, spot.y)})

    def aimed_with(self, head: str) -> Fitting:
        """What the marks are aimed at with from now on."""
        return replace(self, head=head)

    def making_up_for(self, errors: Mapping[str, float]) -> Fitting:
        """Other errors of the machine that the file makes up for."""
        return replace(self, errors=dict(errors))

    def forget(self) -> Fitting:
        """The next sheet: the same file and marks, nothing aimed at."""
        return replace(self, aimed={})

    @property
    def next_mark(self) -> int | None:
        """The first that wasn’t aimed at."""
        return next((i for i in range(len(self.marks)) if i not in self.aimed), None)

    @property
    def ready(self) -> bool:
        """Whether there is nothing more to aim at, and something to change."""
        return bool(self.errors) if self.blank else bool(self.marks) and self.next_mark is None

    def seen(self, machine: Machine, held: Mapping[str, StoredValue]) -> dict[int, Point]:
        """Where each mark is for the tool: where the machine was, and what it aims with further on."""
        ox, oy = self._offset(machine, held)
        return {i: (x + ox, y + oy) for i, (x, y) in sorted(self.aimed.items())}

    def _offset(self, machine: Machine, held: Mapping[str, StoredValue]) -> Point:
        return offset_held(held, self.head, machine.offset_form, machine.flipped)

    def laid(self, machine: Machine, held: Mapping[str, StoredValue]) -> Laid | None:
        """The map that the marks give so far; None below two, where there are any. Raises InputError where they give
        none.
        """
        seen, tolerance = self.seen(machine, held), machine.tolerance("registration")
        if not (self.ready if self.blank else len(seen) >= AT_LEAST):
            return None
        return lay([self.marks[i] for i in seen], list(seen.values()), errors=self.errors, tolerance=tolerance)

    def expected(self, mark: int, laid: Laid, machine: Machine, held: Mapping[str, StoredValue]) -> Point:
        """Where the machine should be for a mark, by those before it. Raises InputError where that is nowhere."""
        (x, y), (ox, oy) = laid.warp.at(self.marks[mark]), self._offset(machine, held)
        return x - ox, y - oy

    def fitted(self, machine: Machine, held: Mapping[str, StoredValue]) -> Fitted:
        """The file as it goes onto this print. Raises InputError while marks are open, or where it leaves the bed."""
        laid = self.laid(machine, held)
        if laid is None or not self.ready:
            raise InputError(tr("Aim at all marks first."))
        try:
            fitted = fit_file(self.data, laid.warp, Path(self.name).name)
        except FileFormatError as error:
            raise InputError(str(error), self.name) from None
        self._check_on_bed(fitted, machine)
        return fitted

    def _check_on_bed(self, fitted: Fitted, machine: Machine) -> None:
        low, high = fitted.drawn.low, fitted.drawn.high
        for axis, least, most, travel in zip("XY", low, high, machine.bed, strict=True):
            beyond = max(-least, most - travel)
            if beyond > OFF_BED:
                far = show_length(beyond, machine.units)
                raise InputError(
                    tr(
                        "The cut would leave the bed by {far} along {axis}: move the print and aim again.",
                        far=far,
                        axis=axis,
                    )
                )

    def target(self) -> Path:
        """The name that is proposed: beside the file, so that it stays as it is."""
        file = Path(self.name)
        return file.with_name(f"{file.stem}-fitted{file.suffix}")

    def write(self, fitted: Fitted, to: Path) -> None:
        """The fitted file, whole or not at all. Raises InputError."""
        if to.resolve() == Path(self.name).resolve():
            raise InputError(tr("would take the place of the file that was opened: choose another name"), str(to))
        write_whole(to, fitted.data)

    def residuals(self, laid: Laid) -> dict[int, Point]:
        """Mark → where it was seen, from where the map has it, mm."""
        return {mark: (x, y) for mark, (x, y) in zip(sorted(self.aimed), laid.residuals.values(), strict=True)}

    def largest_residual(self, laid: Laid) -> float:
        """mm, of the mark that fits worst."""
        return max((math.hypot(*off) for off in self.residuals(laid).values()), default=0.0)

    @property
    def kind(self) -> str:
        """gcode, hpgl, svg or dxf."""
        return kind_of_file(self.data, Path(self.name).name)
