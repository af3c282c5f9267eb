"""Cut against print (arithmetic.md §10): cut ticks at a known spacing over a printed page, both distances measured.

The cutter's number is corrected by the cut distances alone; the page's own check bars say what the printer made of a
length, which is never booked to the cutter. Ticks and crosses are cut at their ordered size, the marks of the sheet
only say where it lies and how it is turned: a map that stretched with the print would hide what is sought. Crosses over
the page are the check: where the cut runs beside the printed ones, that is made of how the sheet was aimed at (shift,
turn), and of the cutter's scale over the printer's (what grows with the place).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from keen_compass.errors import InputError, shown_input
from keen_compass.language import tr
from keen_compass.machines.heads import TOOL
from keen_compass.machines.profile import Machine
from keen_compass.pieces.page import METRIC, Graduation, Page, Tick, cut_ticks
from keen_compass.pieces.where import Beside, Lines
from keen_compass.procedures.base import Procedure
from keen_compass.procedures.case import Case, length_mm, listed
from keen_compass.procedures.checking import check_parameters, check_readings
from keen_compass.procedures.manner import OnPaper, OnStock, ReadBy, Sizes
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.offsets import AXES, aim_notes, drawn_line
from keen_compass.procedures.pointer import TICKS, fitted
from keen_compass.procedures.results import assumed_notes, judged, no_number, scale_formula, scale_outcome
from keen_compass.procedures.sheets import (
    ON_PAPER,
    aiming_choice,
    check_paper,
    creep,
    fed_along,
    graduation_of,
    on_paper,
    paper_choice,
    place,
    printed_scale,
    proposed_page,
)
from keen_compass.procedures.stages import SHEET_STAGES, Makes, Stage, Surface
from keen_compass.procedures.surroundings import Choice, Surroundings
from keen_compass.quantities.bodies import JsonObject, Parameters
from keen_compass.quantities.charts import Shown
from keen_compass.quantities.families import AIMED_WITH
from keen_compass.quantities.findings import Figures, Finding, Solution
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.notes import Note, note
from keen_compass.quantities.uncertainty import Source, Uncertain
from keen_compass.quantities.verdict import Verdict

PRINT_OFF = 0.002  # mm/mm; more than that is said of the printer
LONGEST = 10_000.0  # mm
MOST_CROSSES = 30
BOTH_TICKS = math.sqrt(2)  # single lines: what both ends of a distance are off
RUNS_ON = 0.3  # mm: a cut that lies nearer to its print than that runs on it
OTHERWISE = 0.003  # mm/mm, by which crosses may contradict ticks and bars


@dataclass(frozen=True, slots=True)
class Ticks:
    """Distances nominal, mm: of the cut ticks along X and Y, of the printed check bars.

    size: of the sheet that it is cut on, mm; nothing where only distances are given. crosses: where it is checked.
    graduation: of the sheet.
    """

    x: float
    y: float
    bar: float
    size: Point = (0.0, 0.0)
    crosses: tuple[Point, ...] = ()
    graduation: Graduation = METRIC

    def nominal(self, measurand: str) -> float:
        """As ordered; a cross should lie on its print."""
        if measurand.startswith("bar"):
            return self.bar
        return {"x": self.x, "y": self.y}.get(measurand, 0.0)

    def ticks(self, **actual: float) -> dict[str, tuple[Tick, Tick]]:
        """Axis → its two ticks on the sheet, with `actual` distances in place of ordered ones."""
        found = cut_ticks(self.size, self.graduation)
        for axis, length in actual.items():
            if axis in found:
                first, (a, b) = found[axis]
                k, more = "xy".index(axis), length - self.nominal(axis)
                moved = [tuple(v + more if i == k else v for i, v in enumerate(end)) for end in (a, b)]
                found[axis] = (first, (moved[0], moved[1]))  # type: ignore[assignment]
        return found

    def lines(self, **actual: float) -> tuple[Tick, ...]:
        """All ticks, those for X first."""
        return tuple(tick for pair in self.ticks(**actual).values() for tick in pair)

    def outline(self, **_actual: float) -> tuple[Point, ...]:
        """The edge of the paper."""
        width, height = self.size
        return (0.0, 0.0), (width, 0.0), (width, height), (0.0, height)

    @property
    def names(self) -> tuple[tuple[str, str], ...]:
        """Measurands of each cross, along X and along Y."""
        return tuple((f"c{i}_x", f"c{i}_y") for i in range(1, len(self.crosses) + 1))


class PrintScale(Procedure[Ticks]):
    """Ticks cut far apart over a print: what the printer's millimetre is worth."""

    name = "print-scale"
    surface = Surface.OVERPRINT
    makes = Makes.SHEET
    read_by = ReadBy(names=("x", "y", "bar_x", "bar_y"), suits=("caliper", "steel rule", "tape"))
    on_stock = OnStock(numbered=False, draws=True)  # which sheet it is was asked when it was loaded
    on_paper = OnPaper(printed=True, true_size=True)
    sizes = Sizes(large=("x", "y"))

    def choices(self, machine: Machine) -> tuple[Choice, ...]:
        """What the marks are aimed at with, and the paper."""
        return aiming_choice(machine), paper_choice(machine)

    def stages(self, chosen: Parameters) -> tuple[Stage, ...]:
        """Every stage that a sheet can have."""
        return SHEET_STAGES

    def parameters(self, around: Surroundings) -> Parameters:
        """As far apart as the sheet allows, and a cross on every target."""
        fed = {"fed": around.machine.long_axis} if around.machine.kind.plots else {}
        page = proposed_page(self, around)
        return {**self.on_page(page), "aimed_with": around.chosen["aimed_with"], **fed}

    def on_page(self, page: Page) -> Parameters:
        """The same of a sheet."""
        size = (page.width, page.height)
        ticks = cut_ticks(size, page.graduation)
        apart = {axis: abs(b[0][k] - a[0][k]) for k, (axis, (a, b)) in enumerate(ticks.items())}
        return {**apart, "crosses": [list(t) for t in page.targets], **on_paper(size, page.graduation)}

    def piece(self, parameters: Parameters) -> Ticks:
        """From `x`, `y` and `bar`; of a sheet also `size` and `crosses`."""
        check_parameters(parameters, {"x", "y", "bar", "crosses", "aimed_with", "fed", *ON_PAPER})
        check_paper(parameters)
        fed_along(parameters)
        if parameters.get("aimed_with", TOOL) not in (TOOL, *AIMED_WITH):
            raise InputError(
                tr("expected one of {tool}, {aimed_with}", tool=TOOL, aimed_with=", ".join(AIMED_WITH)),
                "piece.aimed_with",
            )
        size = place(parameters["size"], "piece.size") if "size" in parameters else (0.0, 0.0)
        lengths = {
            name: length_mm(parameters.get(name, d), f"piece.{name}")
            for name, d in (("x", 150.0), ("y", 200.0), ("bar", 100.0))
        }
        for name, mm in lengths.items():
            if not 0 < mm <= LONGEST:
                raise InputError(tr("larger than 0 and at most {longest:g} mm", longest=LONGEST), f"piece.{name}")
        given = parameters.get("crosses", [])
        if not listed(given, 0, MOST_CROSSES):
            raise InputError(
                tr(
                    "expected at most {most_crosses} places [x, y], got {given}",
                    most_crosses=MOST_CROSSES,
                    given=shown_input(given),
                ),
                "piece.crosses",
            )
        crosses = tuple(place(at, f"piece.crosses[{i}]") for i, at in enumerate(given))
        return Ticks(**lengths, size=size, crosses=crosses, graduation=graduation_of(parameters))

    def measurands(self, piece: Ticks) -> tuple[Measurand, ...]:
        """Cut distances, the page's bars where they weren't read when it was printed; then each cross by eye."""
        names = AXES if piece.size[0] else self.read_by.names
        ticks = piece.ticks() if piece.size[0] else {}
        numbers = {"x": (0, 1), "y": (2, 3)}
        distances = tuple(
            Measurand(
                m,
                note(f"print_scale.{m}"),
                m[-1],
                piece.nominal(m),
                Lines(m[-1], *numbers[m[-1]]),
                line=_between(ticks[m]) if m in ticks else ((0.0, 0.0), (0.0, 0.0)),
                side=(0, 1) if m[-1] == "x" else (-1, 0),
                hint="print_scale.how",
            )
            for m in names
        )
        beside = tuple(
            Measurand(
                name,
                note("print_scale.cross", number=i, axis=axis),
                axis,
                0.0,
                Beside(at),
                signed=True,
                at=at,
                hint="print_scale.how_cross",
                by_eye=TICKS[piece.graduation.unit],
            )
            for i, (pair, at) in enumerate(zip(piece.names, piece.crosses, strict=True), 1)
            for name, axis in zip(pair, AXES, strict=True)
        )
        return distances + beside

    def lines(self, piece: Ticks) -> tuple[Tick, ...]:
        """The ticks that are cut over the print."""
        return piece.lines()

    def crosses(self, piece: Ticks) -> tuple[Point, ...]:
        """Where the cut is checked against the print."""
        return piece.crosses

    def answer(self, case: Case) -> Solution:
        """The cutter's scale over the print, axis by axis; the printer's own beside it, and how the cut lies on it."""
        ticks = self.piece(case.piece)
        over = tuple(name for pair in ticks.names for name in pair)
        distances = {n: r for n, r in case.readings.items() if n not in over}
        check_readings(replace(case, readings=distances), (*self.read_by.names, *over), positive=True)
        found = [self._axis(case, ticks, axis) for axis in AXES]
        figures: JsonObject = {"printer_scale": [_printer(case, ticks, axis) for axis in AXES]}
        if lies := _over_print(case, ticks):
            figures["over_print"] = lies
            found[0] = replace(found[0], notes=(*found[0].notes, *_about(case, ticks, lies, figures["printer_scale"])))
        said = (*assumed_notes(case), *aim_notes(case, by_hand=False))
        return Solution(tuple(found), (), said, figures)

    def _axis(self, case: Case, ticks: Ticks, axis: str) -> Finding:
        quantity, nominal = f"print_scale_{axis}", ticks.nominal(axis)
        if not case.readings.get(axis):
            return no_number(case, quantity, Verdict.UNRESOLVED, note("nothing_read"), nominal)
        measured = case.measured(axis, nominal=nominal)
        s = Uncertain(measured.value, (*measured.mean.effects, *_made(case.piece, axis))).times(1 / nominal)
        s = s._replace(value=s.value - 1)
        formula = scale_formula(case, quantity, case.ordered(nominal), case.in_its_unit(measured.value))
        return judged(case, scale_outcome(case, quantity, s, nominal, formula, self._said(case, ticks, axis)), self)

    def _said(self, case: Case, ticks: Ticks, axis: str) -> tuple[Note, ...]:
        scale = _printer(case, ticks, axis)
        if scale is None:
            return (note("print_scale.no_bar", axis=axis),)
        if abs(scale - 1) > PRINT_OFF:
            return (note("print_scale.printers_own", axis=axis, percent=100 * (scale - 1)),)
        return ()

    def shown(self, figures: Figures) -> Shown:
        """What the printer makes of a length, and how the cut lies on the print."""
        lines: list[tuple[str, Note]] = [
            (f"print_scale.printer_{axis}", note("print_scale.percent", percent=100 * (scale - 1)))
            for axis, scale in zip(AXES, figures.get("printer_scale", (None, None)), strict=True)
            if scale is not None
        ]
        if lies := figures.get("over_print"):
            lines.append(("print_scale.cut_beside", note("print_scale.at_most", mm=lies["largest"])))
        return Shown(tuple(lines))

    def predict(self, case: Case, readings_each: int) -> dict[str, float]:
        """U of either scale, mm/m."""
        ticks = self.piece(case.piece)
        found = {}
        for axis in AXES:
            nominal = ticks.nominal(axis)
            mean = case.foreseen(axis, nominal, readings_each, nominal=nominal).mean
            U = Uncertain(nominal, (*mean.effects, *_made(case.piece, axis))).U
            found[f"print_scale_{axis}"] = 1000 * U / nominal
        return found

    def example(self) -> JsonObject:
        """Ticks cut 0.3 % too far apart along X; a printer that is 1 % short both ways."""
        return {
            "procedure": "print-scale",
            "machine": {
                "values": {"print_scale_x": 100.0, "print_scale_y": 100.0},
                "print_scale_form": "percent_100",
                "decimals": 2,
            },
            "piece": {"x": 150, "y": 200, "bar": 100},
            "instrument": {"resolution": 0.1, "permissible_error": [0.05, 0.00005], "kind": "rule"},
            "tolerance": 0.2,
            "subject": {"printer": "office", "carrier": "mat-12"},
            "readings": [
                {"measurand": "x", "values": [150.5, 150.4]},
                {"measurand": "y", "values": [200.1, 200.0]},
                {"measurand": "bar_x", "values": [99.0]},
                {"measurand": "bar_y", "values": [99.0]},
            ],
        }

    def usual_piece(self) -> Parameters:
        """Over most of a page."""
        return {"x": 150.0, "y": 200.0, "bar": 100.0}


PROCEDURE = PrintScale()


def _between(pair: tuple[Tick, Tick]) -> tuple[Point, Point]:
    """From the middle of a tick to the middle of the other."""
    first, last = (((a[0] + b[0]) / 2, (a[1] + b[1]) / 2) for a, b in pair)
    return first, last


def _printer(case: Case, ticks: Ticks, axis: str) -> float | None:
    """What the printer made of a length, mm/mm; None where its bar was not read."""
    if case.readings.get(name := f"bar_{axis}"):
        return case.measured(name, nominal=ticks.bar).value / ticks.bar
    known = printed_scale(case.piece)
    return known[AXES.index(axis)] if known else None


def _made(piece: Parameters, axis: str) -> tuple[tuple[Source, float], ...]:
    """What a distance is off however it is read: of both its ticks, and by a roll that creeps between them."""
    return (drawn_line(axis), BOTH_TICKS), *creep(piece, axis)


def _over_print(case: Case, ticks: Ticks) -> JsonObject:
    """How the cut crosses lie beside the printed ones, mm along the machine's axes; nothing where none was read."""
    both = [i for i, pair in enumerate(ticks.names) if all(case.readings.get(name) for name in pair)]
    if not both:
        return {}
    by_eye = replace(case, instrument=TICKS[ticks.graduation.unit])
    read = {axis: [by_eye.measured(ticks.names[i][k]) for i in both] for k, axis in enumerate(AXES)}
    fit = fitted([ticks.crosses[i] for i in both], read, [drawn_line(i) for i in both])
    beside = [[read[axis][j].value for axis in AXES] for j in range(len(both))]
    largest = max(range(len(both)), key=lambda j: math.hypot(*beside[j]))
    return {
        "largest": math.hypot(*beside[largest]),
        "at": both[largest] + 1,
        "beside": beside[largest],
        "shift": [fit.e[axis].value for axis in AXES],
        "turn_mm_per_m": fit.figures["turn_mm_per_m"],
        "stretch_mm_per_m": fit.figures["stretch_mm_per_m"],
    }


def _about(case: Case, ticks: Ticks, lies: JsonObject, printer: Sequence[float | None]) -> tuple[Note, ...]:
    """Whether the cut runs on the print, and what it is made of where it doesn't."""
    x, y = lies["beside"]
    if lies["largest"] <= RUNS_ON:
        return (note("print_scale.runs_on", largest=lies["largest"]),)
    said = [note("print_scale.runs_beside", number=lies["at"], x=x, y=y)]
    stretch = lies["stretch_mm_per_m"]
    if stretch is None:
        return tuple(said)
    shares = _shares(ticks, lies)
    said.append(note(f"print_scale.by_{max(shares, key=shares.__getitem__)}"))
    for k, axis in enumerate(AXES):
        printed = printer[k]
        if printed is None or not case.readings.get(axis):
            continue
        cut = case.measured(axis, nominal=ticks.nominal(axis)).value / ticks.nominal(axis)
        expected = cut / printed - 1
        if abs(stretch[k] / 1000 - expected) > OTHERWISE:
            said.append(note("print_scale.otherwise", axis=axis, crosses=stretch[k], expected=1000 * expected))
    return tuple(said)


def _shares(ticks: Ticks, lies: JsonObject) -> dict[str, float]:
    """How far each cause moves a cross at most, mm."""
    middle = [sum(at[k] for at in ticks.crosses) / len(ticks.crosses) for k in (0, 1)]
    reach = [max(abs(at[k] - middle[k]) for at in ticks.crosses) for k in (0, 1)]
    return {
        "shift": math.hypot(*lies["shift"]),
        "turn": abs(lies["turn_mm_per_m"]) / 1000 * math.hypot(*reach),
        "stretch": max(abs(s) / 1000 * r for s, r in zip(lies["stretch_mm_per_m"], reach, strict=True)),
    }
