"""Steps per unit from the parts of the drive train: the starting value that a round then refines (arithmetic.md §4)."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from types import MappingProxyType

from keen_compass.errors import InputError, shown_input
from keen_compass.language import tr
from keen_compass.machines.profile import Machine
from keen_compass.pieces.where import Part
from keen_compass.procedures.base import Procedure
from keen_compass.procedures.case import Case, number
from keen_compass.procedures.checking import check_parameters, check_readings
from keen_compass.procedures.manner import OnStock, ReadBy, Sizes
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.results import arithmetic, judged, no_number, scale_outcome
from keen_compass.procedures.stages import Makes, Step, Surface
from keen_compass.procedures.surroundings import Choice, Surroundings
from keen_compass.quantities.bodies import JsonObject, Parameters
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.charts import Setting, Shown
from keen_compass.quantities.findings import Figures, Finding, Solution
from keen_compass.quantities.notes import Note, Said, figure, note, plain
from keen_compass.quantities.readings import number_of
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.quantities.uncertainty import Cause, Origin, Shape, Source, Uncertain
from keen_compass.quantities.verdict import Verdict, judge
from keen_compass.solve.drive import (
    PARTS_WITHIN,
    Drive,
    Train,
    belt_travel,
    encoder_steps,
    explain_ratio,
    microstep_choices,
    motor_steps,
    rack_travel,
    roller_travel,
    screw_travel,
    threads_travel,
)

FEWEST, MOST = 1e-4, 1e7  # steps per mm, beyond which a number was mistyped
SAME = 1e-6  # relative; parts that give the same number are the same parts

# name → (unit, usual value); in the order in which they sit in the chain.
PARTS: dict[str, tuple[str, float | None]] = {
    "step_angle": ("°", 1.8),
    "microsteps": ("", None),
    "counts": ("", None),
    "electronic_ratio": ("", 1.0),
    "reduction": ("", 1.0),
    "pitch": ("mm", None),
    "threads_per_inch": ("", None),
    "starts": ("", 1.0),
    "belt_pitch": ("mm", None),
    "module": ("mm", None),
    "teeth": ("", None),
    "helix_angle": ("°", None),
    "diameter": ("mm", None),
    "media": ("mm", 0.0),
}
MOTORS: dict[str, tuple[str, ...]] = {
    "stepper": ("step_angle", "microsteps"),
    "encoder": ("counts", "electronic_ratio"),
}
DRIVES: dict[str, tuple[Drive, tuple[str, ...]]] = {
    "belt": (Drive.BELT, ("belt_pitch", "teeth")),
    "screw": (Drive.SCREW, ("pitch", "starts")),
    "screw_tpi": (Drive.SCREW, ("threads_per_inch", "starts")),
    "rack": (Drive.RACK, ("module", "teeth")),
    "helical_rack": (Drive.HELICAL_RACK, ("module", "teeth", "helix_angle")),
    "roller": (Drive.ROLLER, ("diameter", "media")),
}
_PARAMETERS = {"axis", "motor", "drive", "fastest_feed"}


@dataclass(frozen=True, slots=True)
class Chain:
    """Which parts there are. fastest_feed: mm/min, at which step rates are judged; 0 unknown."""

    axis: str
    motor: str
    drive: str
    fastest_feed: float

    def parts(self) -> tuple[str, ...]:
        """Names of the numbers, from the motor to the carriage."""
        return (*MOTORS[self.motor], "reduction", *DRIVES[self.drive][1])

    def link_of(self, part: str) -> int:
        """0 for the motor, 1 for the gear, 2 for what drives the carriage."""
        return 0 if part in MOTORS[self.motor] else 1 if part == "reduction" else 2

    def nominal(self, measurand: str) -> float:
        """What it usually is."""
        return PARTS[measurand][1] or 0.0


class DriveTrain(Procedure[Chain]):
    """Steps that follow from the parts of a drive: teeth, pitch, microsteps."""

    name = "drive-train"
    surface = Surface.CHAIN
    steps = (Step.MEASURE, Step.CORRECT)
    makes = Makes.NOTHING
    per_axis = "steps"
    starting = True
    read_by = ReadBy(
        names=tuple(PARTS),
        counts=MappingProxyType({name: unit for name, (unit, _) in PARTS.items() if unit != "mm"}),
        passes=1,
    )
    on_stock = OnStock(numbered=False)
    sizes = Sizes(large=(), sides=())

    def choices(self, machine: Machine) -> tuple[Choice, ...]:
        """Axis, motor, what drives."""
        motors = tuple((f"drive_train.motor_{name}", name) for name in MOTORS)
        drives = tuple((f"drive_train.drive_{name}", name) for name in DRIVES)
        return (
            self.axis_choice(machine),
            Choice("motor", "drive_train.motor", motors),
            Choice("drive", "drive_train.driven_by", drives),
        )

    def chosen_for(self, quantity: str) -> Parameters:
        """Which choices yield a quantity; Z mostly is on a screw."""
        return {"axis": quantity[0], **({"drive": "screw"} if quantity[0] == "z" else {})}

    def parameters(self, around: Surroundings) -> Parameters:
        """The parts that were chosen; a table's usual ones first."""
        chosen = around.chosen
        axis = str(chosen.get("axis", "x"))
        return {
            "axis": axis,
            "motor": chosen.get("motor", "stepper"),
            "drive": chosen.get("drive", "belt"),
            "fastest_feed": around.fastest.get(axis, 0.0),
        }

    def piece(self, parameters: Parameters) -> Chain:
        """From `axis`, `motor`, `drive`, `fastest_feed`."""
        check_parameters(parameters, _PARAMETERS)
        axis = parameters.get("axis", "x")
        motor, drive = parameters.get("motor", "stepper"), parameters.get("drive", "belt")
        for given, known, name in ((axis, ("x", "y", "z"), "axis"), (motor, MOTORS, "motor"), (drive, DRIVES, "drive")):
            if not isinstance(given, str) or given not in known:
                raise InputError(
                    tr("expected one of {known}, got {given}", known=", ".join(known), given=shown_input(given)),
                    f"piece.{name}",
                )
        feed = number(parameters.get("fastest_feed", 0.0), "piece.fastest_feed", 0, 1e7)
        return Chain(str(axis), str(motor), str(drive), feed)

    def measurands(self, piece: Chain) -> tuple[Measurand, ...]:
        """The numbers of the chain, from the motor on."""
        return tuple(
            Measurand(
                name,
                f"drive_train.{name}",
                piece.axis,
                usual or 0.0,
                Part(piece.axis, name, usual or 1.0, piece.link_of(name)),
                hint=f"drive_train.how_{name}",
                unit=unit,
                usual=usual,
            )
            for name in piece.parts()
            for unit, usual in (PARTS[name],)
        )

    def for_logbook(self, finding: Finding) -> Finding:
        """On the rose it stands as a check of the drive train; the steps stay what a round found."""
        quantity = finding.quantity.replace("steps", "drive")
        T = QUANTITIES[quantity].default_tolerance
        if finding.error is None or finding.expanded_uncertainty is None:
            return replace(finding, quantity=quantity, tolerance=T)
        verdict = judge(finding.error, finding.expanded_uncertainty, T)
        return replace(finding, quantity=quantity, tolerance=T, verdict=verdict)

    def answer(self, case: Case) -> Solution:
        """Steps per unit, smallest step, step rate, and the microstep switch's other settings."""
        chain = self.piece(case.piece)
        check_readings(case, chain.parts(), positive=False)
        quantity = f"{chain.axis}_steps"
        values = {name: PARTS[name][1] for name in chain.parts()} | {
            name: number_of(read[-1]) for name, read in case.readings.items()
        }
        missing = [f"drive_train.{name}" for name, value in values.items() if value is None]
        if missing:
            why = note("drive_train.still_to_type", parts=missing)
            return Solution((no_number(case, quantity, Verdict.UNRESOLVED, why),))
        known = {name: float(value or 0.0) for name, value in values.items()}
        try:
            train = _train(chain, known)
        except InputError as error:
            raise error.at("readings") from None
        figures = _figures(case, chain, known, train)
        stored = case.resolution(quantity)
        now = stored.steps_per_mm()
        if now is None:
            why = note("drive_train.says_nothing_of_steps", steps=train.steps_per_mm, kept=stored.form.noun)
            return Solution((no_number(case, quantity, Verdict.UNRESOLVED, why),), figures=figures)
        return Solution((self._finding(case, chain, known, train, now),), (), (), figures)

    def shown(self, figures: Figures) -> Shown:
        """Smallest step, step rate, and the microstep switch's settings."""
        if "smallest_step" not in figures:
            return Shown()
        lines: list[tuple[Said, Note]] = [
            ("drive_train.smallest_step", note("drive_train.micrometres", mm=figures["smallest_step"]))
        ]
        if figures.get("fastest_feed"):
            limit = figures.get("step_limit")
            share = figures["step_rate"] / limit if limit else None
            rate = note("drive_train.step_rate", feed=figures["fastest_feed"], share=share)
            lines.append((rate, figure(f"{figures['step_rate']:,.0f}")))
        settings = tuple(
            Setting(
                (
                    plain(f"{'▶ ' if s['now'] else ''}{s['microsteps']}"),
                    figure(f"{s['steps_per_mm']:.3f}"),
                    figure(f"{s['smallest_step'] * 1000:.2f}"),
                    plain(f"{100 * s['share']:.0f} %" if s["share"] is not None else "?"),
                ),
                s["now"],
                s["worthwhile"],
            )
            for s in figures.get("microsteps") or ()
        )
        heads = tuple(f"drive_train.head_{h}" for h in ("steps", "per_mm", "each", "of_limit")) if settings else ()
        grey = "" if all(s.worthwhile for s in settings) else "drive_train.grey"
        return Shown(tuple(lines), heads, settings, grey)

    def example(self) -> JsonObject:
        """X on a belt: 20 teeth of 3 mm, 1.8° at 32 microsteps, no gear."""
        return {
            "procedure": "drive-train",
            "machine": {"decimals": 3, "step_limit": 40000, "values": {"x_steps": 53.333}},
            "piece": {"axis": "x", "motor": "stepper", "drive": "belt", "fastest_feed": 12000},
            "readings": [
                {"measurand": "step_angle", "values": [1.8]},
                {"measurand": "microsteps", "values": [32]},
                {"measurand": "reduction", "values": [1]},
                {"measurand": "belt_pitch", "values": ["3 mm"]},
                {"measurand": "teeth", "values": [20]},
            ],
        }

    def usual_piece(self) -> Parameters:
        """The belt of X, as an example."""
        return {"axis": "x", "motor": "stepper", "drive": "belt"}

    def _finding(self, case: Case, chain: Chain, known: Mapping[str, float], train: Train, now: float) -> Finding:
        quantity = f"{chain.axis}_steps"
        s = now / train.steps_per_mm - 1
        half = PARTS_WITHIN[DRIVES[chain.drive][0]]
        parts = Source(Origin("parts"), half * (1 + s) / math.sqrt(3), Cause.OWN_ERROR, shape=Shape.RECTANGLE)
        error = Uncertain(s, ((parts, 1.0),))
        notes = [note("drive_train.good_to", within=1000 * half)]
        if quantity in case.proven and abs(s) <= error.U:
            notes = [note("drive_train.leave_the_rounds")]
        if why := explain_ratio(now, train.steps_per_mm, known.get("teeth", 0.0)):
            notes.insert(0, note("drive_train.controllers_is", why=why))
        stored = case.resolution(quantity)
        decimals = stored.held_with(case.decimals_of(quantity))
        outcome = scale_outcome(
            case, quantity, error, 1000.0, arithmetic(_in_its_form(_formula(chain, known), stored.form))
        )
        new = stored.with_steps_per_mm(train.steps_per_mm, decimals)
        new_U = new.value * error.U / (1 + s)
        twin = None if quantity in case.proven else _proven_twin(case, quantity, train.steps_per_mm)
        if twin:
            name, held = twin
            new = stored.with_steps_per_mm(held.steps_per_mm() or now, decimals)
            twin_axis, measured = QUANTITIES[name].axis, held.text(held.held_with(case.decimals_of(name)))
            outcome = replace(outcome, formula=note("drive_train.as_measured", number=measured, axis=twin_axis))
            notes.insert(0, note("drive_train.same_parts", axis=twin_axis, number=measured, unit=held.form.unit))
        return judged(case, replace(outcome, new=new, new_U=new_U, notes=tuple(notes), predicted=0.0))


PROCEDURE = DriveTrain()


def _train(chain: Chain, v: Mapping[str, float]) -> Train:
    if chain.motor == "stepper":
        steps = motor_steps(v["step_angle"], v["microsteps"])
    else:
        steps = encoder_steps(v["counts"], v["electronic_ratio"])
    match chain.drive:
        case "screw":
            travel = screw_travel(v["pitch"], v["starts"])
        case "screw_tpi":
            travel = threads_travel(v["threads_per_inch"], v["starts"])
        case "belt":
            travel = belt_travel(v["belt_pitch"], v["teeth"])
        case "rack":
            travel = rack_travel(v["module"], v["teeth"])
        case "helical_rack":
            travel = rack_travel(v["module"], v["teeth"], v["helix_angle"])
        case _:
            travel = roller_travel(v["diameter"], v["media"])
    for name, value in (("reduction", v["reduction"]), ("travel", travel)):
        if not value > 0:
            raise InputError(tr("must be larger than 0"), name)
    train = Train(steps, v["reduction"], travel)
    if not FEWEST < steps * v["reduction"] / travel < MOST:
        raise InputError(tr("these parts give a number of steps that no machine has: look at each once more"), "values")
    return train


def _figures(case: Case, chain: Chain, known: Mapping[str, float], train: Train) -> JsonObject:
    rate = train.step_rate(chain.fastest_feed)
    rows = []
    if chain.motor == "stepper":
        rows = [
            {
                "microsteps": c.microsteps,
                "steps_per_mm": c.steps_per_mm,
                "smallest_step": c.smallest_step,
                "rate": c.rate,
                "share": c.share if chain.fastest_feed else None,
                "worthwhile": c.worthwhile,
                "now": c.microsteps == known["microsteps"],
            }
            for c in microstep_choices(train, known["microsteps"], chain.fastest_feed, case.machine.step_limit)
        ]
    return {
        "steps_per_turn": train.steps_per_turn,
        "travel_per_turn": train.travel_per_turn,
        "steps_per_mm": train.steps_per_mm,
        "smallest_step": train.smallest_step,
        "step_rate": rate,
        "step_limit": case.machine.step_limit or None,
        "fastest_feed": chain.fastest_feed,
        "microsteps": rows,
        "teeth": known.get("teeth"),
    }


def _formula(chain: Chain, v: Mapping[str, float]) -> str:
    """One line from the parts to the number, numbers of one left out."""

    def plain(*names: str) -> list[str]:
        return [f"{v[n]:g}" for n in names]

    above = (
        ["360", "÷", f"{v['step_angle']:g}", "×", f"{v['microsteps']:g}"]
        if chain.motor == "stepper"
        else [" × ".join(plain("counts", "electronic_ratio"))]
    )
    if v["reduction"] != 1:
        above += ["×", f"{v['reduction']:g}"]
    match chain.drive:
        case "screw":
            below = " × ".join(plain("pitch", "starts"))
        case "screw_tpi":
            below = f"25.4 × {v['starts']:g} ÷ {v['threads_per_inch']:g}"
        case "belt":
            below = " × ".join(plain("belt_pitch", "teeth"))
        case "rack":
            below = f"π × {v['module']:g} × {v['teeth']:g}"
        case "helical_rack":
            below = f"π × {v['module']:g} × {v['teeth']:g} ÷ cos {v['helix_angle']:g}°"
        case _:
            below = f"π × ({v['diameter']:g} + {v['media']:g})"
    return f"{' '.join(above)} ÷ ({below})"


def _in_its_form(formula: str, form: ResolutionForm) -> str:
    """A line that leads to steps per mm, led on to what the controller keeps."""
    match form:
        case ResolutionForm.STEPS_PER_INCH:
            return f"{formula} × 25.4"
        case ResolutionForm.UM_PER_STEP:
            return f"1000 ÷ ({formula})"
        case ResolutionForm.MM_PER_STEP:
            return f"1 ÷ ({formula})"
        case ResolutionForm.INCH_PER_STEP:
            return f"1 ÷ ({formula} × 25.4)"
    return formula


def _proven_twin(case: Case, quantity: str, steps: float) -> tuple[str, StoredResolution] | None:
    """Another axis with the same parts whose number a round has found to be in."""
    for other, computed in case.computed.items():
        stored = case.values.get(other)
        if other == quantity or other not in case.proven or abs(computed / steps - 1) > SAME:
            continue
        if isinstance(stored, StoredResolution) and stored.steps_per_mm():
            return other, stored
    return None
