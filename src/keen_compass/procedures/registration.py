"""Where a print lies on the cutter, from marks that were visited one after another (arithmetic.md §9)."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from keen_compass.errors import InputError, UncertaintyError
from keen_compass.language import tr
from keen_compass.machines.heads import TOOL, offset_held
from keen_compass.machines.profile import Machine
from keen_compass.pieces.where import Beside
from keen_compass.procedures.base import Procedure
from keen_compass.procedures.case import Case, listed
from keen_compass.procedures.checking import check_parameters, check_readings
from keen_compass.procedures.manner import OnPaper, OnStock, ReadBy
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.offsets import aim_notes, aimed
from keen_compass.procedures.results import arithmetic, taken_for_granted
from keen_compass.procedures.settle import with_remedies
from keen_compass.procedures.sheets import (
    BAR_READ,
    ON_PAPER,
    aiming_choice,
    bars_said,
    check_paper,
    fits_to_page,
    nominal_bars,
    on_paper,
    paper_choice,
    place,
    printed_scale,
    proposed_page,
)
from keen_compass.procedures.stages import Makes, Stage, Surface
from keen_compass.procedures.surroundings import Choice, Surroundings
from keen_compass.quantities.assumed import AIMED, Spread
from keen_compass.quantities.bodies import JsonObject, Parameters
from keen_compass.quantities.charts import Shown
from keen_compass.quantities.families import AIMED_WITH
from keen_compass.quantities.findings import Figures, Finding, Solution
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.lengths import MM_PER_INCH
from keen_compass.quantities.notes import Note, note
from keen_compass.quantities.readings import Spot
from keen_compass.quantities.uncertainty import Cause, Origin, Source, Uncertain, chi2_quantile, t_95
from keen_compass.quantities.verdict import Verdict, judge
from keen_compass.solve.consistency import CHANCE
from keen_compass.solve.plausibility import NEAR, Doubt
from keen_compass.solve.registration import (
    FREEDOM,
    Map,
    Suspects,
    model_for,
    other_order,
    register,
    residuals_by,
    suspects,
)
from keen_compass.solve.registration_split import Shapes, split_of
from keen_compass.solve.travel import scale_of

if TYPE_CHECKING:
    from numpy.typing import NDArray

MOST_MARKS = 40
CORNERS = 4  # marks, which show no bow
NOTHING_KNOWN, EXACT = 1.0, 1e-6  # standard: of a scale; of one
TWO_AT_ONCE = math.sqrt(-2 * math.log(0.05))  # standard uncertainties that hold 95 % of both directions
HALF_TURN = math.radians(90)
SAME_SCALE = 0.004  # what both scales of a print that was fitted to the page differ by at most
HALF_A_RECTANGLE = math.sqrt(12)


@dataclass(frozen=True, slots=True)
class Marks:
    """Nominal places on the print, mm; which model is wanted; what was aimed with."""

    at: tuple[tuple[float, float], ...]
    model: str
    aimed_with: str = TOOL

    def nominal(self, measurand: str) -> float:
        """None: a place is no length."""
        return 0.0


class Registration(Procedure[Marks]):
    """Marks of a sheet aimed at: where it lies, how it was printed and how it bends."""

    name = "registration"
    surface = Surface.MARKS
    makes = Makes.SHEET
    read_by = ReadBy(
        names=("mark_1", "mark_2", "mark_3", "mark_4"),
        spots=True,
        by_eye=True,
        passes=1,
        eye=Instrument("position", 0.01, (0.05, 0.0), uid="position"),
    )
    on_stock = OnStock(numbered=False)  # which sheet it is was asked when it was loaded
    on_paper = OnPaper(printed=True)

    @property
    def yields(self) -> tuple[str, ...]:
        """The one thing that it finds."""
        return ("registration",)

    def choices(self, machine: Machine) -> tuple[Choice, ...]:
        """What is aimed with, and the paper."""
        return aiming_choice(machine), paper_choice(machine)

    def stages(self, chosen: Parameters) -> tuple[Stage, ...]:
        """The marks are read, not drawn on."""
        return Stage.PRINT, Stage.LOAD

    def parameters(self, around: Surroundings) -> Parameters:
        """The marks of the sheet."""
        page = proposed_page(self, around)
        marks = [list(m.at) for m in page.marks]
        return {
            "marks": marks,
            "aimed_with": around.chosen["aimed_with"],
            **on_paper((page.width, page.height), page.graduation),
        }

    def piece(self, parameters: Parameters) -> Marks:
        """From `marks` and `model`."""
        check_parameters(parameters, {"marks", "model", "aimed_with", *ON_PAPER})
        check_paper(parameters)
        given = parameters.get("marks")
        if not listed(given, 1, MOST_MARKS):
            raise InputError(tr("expected 1 to {most_marks} places [x, y]", most_marks=MOST_MARKS), "piece.marks")
        model = parameters.get("model", "auto")
        if model not in ("auto", *FREEDOM):
            raise InputError(tr("expected one of auto, {freedom}", freedom=", ".join(FREEDOM)), "piece.model")
        aimed_with = parameters.get("aimed_with", TOOL)
        if aimed_with not in (TOOL, *AIMED_WITH):
            raise InputError(
                tr("expected one of {tool}, {aimed_with}", tool=TOOL, aimed_with=", ".join(AIMED_WITH)),
                "piece.aimed_with",
            )
        marks = tuple(place(m, f"piece.marks[{i}]") for i, m in enumerate(given))
        return Marks(marks, str(model), str(aimed_with))

    def measurands(self, piece: Marks) -> tuple[Measurand, ...]:
        """Where each mark was aimed at."""
        return tuple(
            Measurand(f"mark_{i}", note("registration.mark", number=i), "", 0.0, Beside(at), spot=True, at=at)
            for i, at in enumerate(piece.at, 1)
        )

    def answer(self, case: Case) -> Solution:
        """The map, what it means, what is wrong with it."""
        marks = self.piece(case.piece)
        names = tuple(f"mark_{i}" for i in range(1, len(marks.at) + 1))
        check_readings(case, names, positive=False)
        read = [n for n in names if case.readings.get(n)]
        if not read:
            return Solution((_finding(case, None, None, Verdict.UNRESOLVED, (note("nothing_read"),)),))
        ox, oy = offset_held(case.values, marks.aimed_with, case.machine.offset_form, case.machine.flipped)
        found = [(x + ox, y + oy) for x, y in (_mean(case, n) for n in read)]
        nominal = [marks.at[names.index(n)] for n in read]
        model = model_for(len(read)) if marks.model == "auto" else marks.model
        aim = aim_of(case)
        fitted = register(nominal, found, model, aim=aim)
        if doubt := asked_of(fitted, read) if not case.confirmed else None:
            figures = _figures(fitted, read, suspects(fitted))
            asks = _finding(case, None, None, Verdict.IMPLAUSIBLE, (doubt.asks,))
            return Solution((replace(asks, doubtful=doubt.measurands),), figures=figures)
        if shapes := known_shapes(case):
            fitted = register(nominal, found, model, aim=aim, shapes=shapes)
        suspect = suspects(fitted)
        figures = _figures(fitted, read, suspect)
        largest = max(math.hypot(x, y) for x, y in fitted.residuals)
        U = _U_at_marks(fitted)
        T = case.tolerance_of("registration", 1000.0)
        tested = fitted.dof > 0
        verdict = judge(largest, U, T) if tested else Verdict.CANNOT_TELL
        if tested and largest - TWO_AT_ONCE * fitted.aim.s > T:
            verdict = Verdict.OUT  # whatever makes the map unsure, this mark isn't where it says
        notes = _notes(fitted, read, suspect, tested=tested, out=verdict is Verdict.OUT)
        notes = (*notes, *bars_said(case.piece))
        # As one number: what all marks' aims leave where the map is known least.
        spread = fitted.u_aim
        error = Uncertain(
            largest, ((Source(Origin("marks"), spread.s, Cause.PLACES, spread.dof), U / spread.s / t_95(spread.dof)),)
        )
        notes, settled = with_remedies(verdict, notes, case, self, "registration", error, T)
        dx, dy = max(fitted.residuals, key=lambda r: float(math.hypot(*r)))
        worst = f"√({abs(dx):.3f}² + {abs(dy):.3f}²) mm"
        finding = replace(
            _finding(case, largest, U, verdict, notes, worst),
            remedies=settled,
            doubtful=_doubtful(fitted, read, suspect),
            assumed=taken_for_granted([(aimed(case), 1.0)]),
        )
        return Solution((finding,), (), aim_notes(case) if case.aim == AIMED else (), figures)

    def shown(self, figures: Figures) -> Shown:
        """Which map it is, and how well each part of it is known."""
        if "model" not in figures or "expanded_uncertainty" not in figures:
            return Shown()
        U = figures["expanded_uncertainty"]
        lines: list[tuple[str, Note]] = [("registration.map", note(f"registration.{figures['model']}"))]
        if figures["model"] != "shift":
            turned = note("registration.turn_known", turn=figures["turn_deg"], U=U["turn_deg"])
            lines.append(("registration.turn", turned))
            for axis, scale, u in zip("xy", figures["scale"], U["scale"], strict=True):
                known = note("registration.scale_known", percent=100 * (abs(scale) - 1), U=100 * u)
                lines.append((f"registration.scale_{axis}", known))
        return Shown(tuple(lines))

    def predict(self, case: Case, readings_each: int) -> dict[str, float]:
        """U where the map is known least, mm."""
        marks = self.piece(case.piece)
        model = model_for(len(marks.at)) if marks.model == "auto" else marks.model
        aim = aim_of(case)
        aim = aim._replace(s=aim.s / math.sqrt(max(readings_each, 1)))
        return {"registration": _U_at_marks(register(marks.at, marks.at, model, aim=aim, shapes=known_shapes(case)))}

    def example(self) -> JsonObject:
        """A sheet that lies turned by 0.4°, 1.2 mm to the right, 0.15 % long along Y."""
        return {
            "procedure": "registration",
            "machine": {"units": "mm", "values": {}},
            "piece": {"marks": [[10, 10], [200, 10], [200, 287], [10, 287], [105, 148.5]]},
            "instrument": {"name": "position", "resolution": 0.01, "permissible_error": [0.05, 0]},
            "tolerance": 0.3,
            "readings": [
                {"measurand": "mark_1", "values": [[11.13, 10.09]]},
                {"measurand": "mark_2", "values": [[201.12, 11.41]]},
                {"measurand": "mark_3", "values": [[199.19, 288.84]]},
                {"measurand": "mark_4", "values": [[9.19, 287.50]]},
                {"measurand": "mark_5", "values": [[105.15, 149.46]]},
            ],
        }

    def usual_piece(self) -> Parameters:
        """Four corners of a sheet, and its middle."""
        return {"marks": [[10, 10], [200, 10], [200, 287], [10, 287], [105, 148.5]]}


PROCEDURE = Registration()


def aim_of(case: Case) -> Spread:
    """How well one coordinate of a mark is found, mm: the aim, the position’s division, and what that may be off."""
    instrument = case.instrument
    shown = instrument.resolution / HALF_A_RECTANGLE, instrument.permissible_error[0] / math.sqrt(3)
    return case.aim._replace(s=math.hypot(case.aim.s, *shown))


def known_shapes(case: Case) -> Shapes | None:
    """What is known of the axes and of the print; None where nothing is. What is only granted tells nothing here."""
    unknown = Spread(NOTHING_KNOWN, 1.0)
    axes = [case.known.get(scale_of(a).name) for a in ("x", "y")]
    lean, printed = case.known.get("squareness"), printed_scale(case.piece)
    if lean is None and not (printed and any(axes)):
        return None
    w, bars = case.machine.gantry or 1000.0, [unknown, unknown]
    if printed:
        bars = [Spread(BAR_READ / length, 1.0) for length in nominal_bars(case.piece)]
    return Shapes.known(
        [Spread(k.u or EXACT, 1.0) if k else unknown for k in axes],
        Spread(max(lean.u / w, EXACT), 1.0) if lean else unknown,
        bars,
        [*(k.value if k else 0.0 for k in axes), lean.value / w if lean else 0.0, *(p - 1 for p in printed or (1, 1))],
    )


def _mean(case: Case, name: str) -> tuple[float, float]:
    spots = [r for r in case.readings[name] if isinstance(r, Spot)]
    if len(spots) != len(case.readings[name]):
        raise InputError(tr("{name} is a place [x, y], and was read as something else", name=name), "readings")
    return sum(s.x for s in spots) / len(spots), sum(s.y for s in spots) / len(spots)


def _finding(
    case: Case, error: float | None, U: float | None, verdict: Verdict, notes: tuple[Note, ...], formula: str = ""
) -> Finding:
    return Finding(
        "registration",
        "mm",
        None,
        None,
        None,
        error,
        "mm",
        U,
        case.tolerance_of("registration", 1000.0),
        verdict,
        False,
        arithmetic(formula),
        notes,
        subject=case.subject,
    )


def _U(known: Uncertain) -> float:
    try:
        return known.U
    except UncertaintyError:
        return 0.0


def _U_at_marks(fitted: Map) -> float:
    """How well the map is known where it was tested least: the largest of all marks, either way."""

    slopes = fitted.slopes_at_marks.reshape(len(fitted.nominal), 2, -1)
    least = slopes[int((slopes**2).sum(axis=(1, 2)).argmax())]  # all readings are worth the same
    return math.hypot(*(_U(fitted.by_readings(0.0, along)) for along in least))


def asked_of(fitted: Map, names: Sequence[str]) -> Doubt | None:
    """What has to be answered before any of it is believed: the unit, the order of the marks, the side of the sheet.

    names: of its marks, ``mark_1`` …
    """
    nominal, found = ([(float(x), float(y)) for x, y in at] for at in (fitted.nominal, fitted.found))
    order = other_order(nominal, found)
    if order:
        off = tuple(names[i] for i, k in enumerate(order) if i != k)
        return Doubt(off, note("registration.order", marks=[int(names[i].removeprefix("mark_")) for i in order]))
    scale = math.sqrt(abs(math.prod(fitted.split.scale)))
    for factor, code in ((1 / MM_PER_INCH, "registration.inches"), (MM_PER_INCH, "registration.mm_for_inches")):
        if abs(scale / factor - 1) < NEAR and fitted.model != "shift":
            return Doubt(tuple(names), note(code))
    return Doubt(tuple(names), note("registration.mirrored")) if fitted.mirrored else None


def _doubtful(fitted: Map, names: Sequence[str], suspect: Suspects) -> tuple[str, ...]:
    """Marks of which one doesn't fit: those that stand out, else all of them where chance leaves no such misfit."""
    if suspect.marks or fitted.dof < 1:
        return tuple(names[i] for i in suspect.marks)
    misfit = float((fitted.residuals**2).sum()) / fitted.aim.s**2
    return tuple(names) if misfit > chi2_quantile(1 - CHANCE, fitted.dof) else ()


def _notes(fitted: Map, names: Sequence[str], suspect: Suspects, *, tested: bool, out: bool) -> tuple[Note, ...]:
    numbers = [int(names[i].removeprefix("mark_")) for i in suspect.marks]
    split = fitted.split
    notes: list[Note] = []
    if not tested:
        notes.append(note("registration.untested", model=fitted.model))
    if suspect.certain:
        notes.append(note("registration.bad_mark", mark=numbers[0]))
    elif suspect.bowed and len(numbers) == 1:
        notes.append(note("registration.bad_mark_or_bow", mark=numbers[0]))
    elif numbers:
        notes.append(note("registration.one_of", marks=numbers))
    elif out:
        notes.append(note("registration.buckled"))
    notes.append(
        note(
            "registration.means",
            turn=math.degrees(split.turn),
            shift=list(split.shift),
            stretch=[(abs(s) - 1) * 100 for s in split.scale],
        )
    )
    if abs(split.turn) > HALF_TURN:
        notes.append(note("registration.turned", turn=math.degrees(split.turn)))
    off = [abs(s) - 1 for s in split.scale]
    if fits_to_page(off, SAME_SCALE):
        notes.append(note("registration.fit_to_page", percent=off[0] * 100))
    if tested and len(names) <= CORNERS:
        notes.append(note("registration.bow_unseen"))
    return tuple(notes)


def _figures(fitted: Map, names: Sequence[str], suspect: Suspects) -> JsonObject:
    split = fitted.split

    def parts(h: NDArray[Any]) -> tuple[float, ...]:
        by = split_of(h)
        turn = split.turn + math.remainder(by.turn - split.turn, math.tau)  # on either side of half a turn alike
        return (*by.shift, turn, by.skew, *by.scale)

    x, y, turn, skew, scale_x, scale_y = map(_U, fitted.uncertain(parts))
    U = {"shift": [x, y], "turn_deg": math.degrees(turn), "skew_mm_per_m": 1000 * skew, "scale": [scale_x, scale_y]}
    return {
        "model": fitted.model,
        "matrix": [[float(v) for v in row] for row in fitted.matrix],
        "shift": list(split.shift),
        "turn_deg": math.degrees(split.turn),
        "skew_mm_per_m": 1000 * split.skew,
        "scale": list(split.scale),
        "mirrored": fitted.mirrored,
        "residuals": residuals_by(fitted, names),
        "suspect": [names[i] for i in suspect.marks],
        "suspect_certain": suspect.certain,
        "expanded_uncertainty": U,
    }
