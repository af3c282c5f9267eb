"""Steps per unit from the parts of the drive train: the starting value that a round then refines (arithmetic.md §4)."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from types import MappingProxyType
from typing import Any

from keen_compass.errors import InputError
from keen_compass.machines.profile import Machine
from keen_compass.pieces.where import Part
from keen_compass.procedures.base import Choice, Makes, Measurand, Procedure, Step, Surface, Surroundings
from keen_compass.procedures.case import Case, Parameters, number
from keen_compass.procedures.results import judged, no_number, scale_outcome
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.charts import Setting, Shown
from keen_compass.quantities.findings import Figures, Finding, Solution
from keen_compass.quantities.readings import number_of
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.quantities.uncertainty import Cause, Shape, Source, Uncertain
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

# name → (label, unit, usual value, hint); in the order in which they sit in the chain.
PARTS: dict[str, tuple[str, str, float | None, str]] = {
    "step_angle": ("step angle", "°", 1.8, "On the motor’s plate"),
    "microsteps": ("microsteps", "", None, "As the driver’s switch stands, not as it should"),
    "counts": ("counts per turn", "", None, "Of the encoder, all four edges counted"),
    "electronic_ratio": ("electronic ratio", "", 1.0, "What the drive multiplies counts by"),
    "reduction": ("gear reduction", "", 1.0, "Motor turns for one turn behind the gear; 1 without a gear"),
    "pitch": ("pitch", "mm", None, "From one thread to the next, not the lead"),
    "threads_per_inch": ("threads per inch", "", None, "Count them over an inch"),
    "starts": ("starts", "", 1.0, "Look at the screw’s end: how many threads begin there?"),
    "belt_pitch": ("belt pitch", "mm", None, "From tooth to tooth"),
    "module": ("module", "mm", None, "Normal module, on the rack or its drawing"),
    "teeth": ("teeth", "", None, "Of pulley or pinion: count twice"),
    "helix_angle": ("helix angle", "°", None, "Of the teeth against the rack’s width"),
    "diameter": ("roller diameter", "mm", None, "Measured, not read off a list"),
    "media": ("media thickness", "mm", 0.0, "Half of it runs outside the roller"),
}
MOTORS: dict[str, tuple[str, tuple[str, ...]]] = {
    "stepper": ("stepper", ("step_angle", "microsteps")),
    "encoder": ("with encoder", ("counts", "electronic_ratio")),
}
DRIVES: dict[str, tuple[str, Drive, tuple[str, ...]]] = {
    "belt": ("belt", Drive.BELT, ("belt_pitch", "teeth")),
    "screw": ("screw, by pitch", Drive.SCREW, ("pitch", "starts")),
    "screw_tpi": ("screw, by threads per inch", Drive.SCREW, ("threads_per_inch", "starts")),
    "rack": ("straight rack", Drive.RACK, ("module", "teeth")),
    "helical_rack": ("helical rack", Drive.HELICAL_RACK, ("module", "teeth", "helix_angle")),
    "roller": ("feed roller", Drive.ROLLER, ("diameter", "media")),
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
        return (*MOTORS[self.motor][1], "reduction", *DRIVES[self.drive][2])

    def link_of(self, part: str) -> int:
        """0 for the motor, 1 for the gear, 2 for what drives the carriage."""
        return 0 if part in MOTORS[self.motor][1] else 1 if part == "reduction" else 2

    def nominal(self, measurand: str) -> float:
        """What it usually is."""
        return PARTS[measurand][2] or 0.0


class DriveTrain(Procedure[Chain]):
    """See the module."""

    name = "drive-train"
    needs = ("what is stamped on motor, gear and screw, belt, rack or roller",)
    surface = Surface.CHAIN
    large = ()
    steps = (Step.MEASURE, Step.CORRECT)
    makes = Makes.NOTHING
    piece_name = "no piece: the parts are counted"
    measurand_names = tuple(PARTS)
    counts = MappingProxyType({name: unit for name, (_, unit, _, _) in PARTS.items() if unit != "mm"})
    passes = 1
    numbered = False
    per_axis = "steps"
    sides = ()
    starting = True
    lookalikes = (
        "A driver’s switch that stands elsewhere than you think makes everything 2, 4 or 8 times wrong.",
        "A screw of two or four starts travels two or four pitches in a turn.",
    )

    def choices(self, machine: Machine) -> tuple[Choice, ...]:
        """Axis, motor, what drives."""
        motors = tuple((label, name) for name, (label, _) in MOTORS.items())
        drives = tuple((label, name) for name, (label, _, _) in DRIVES.items())
        return (self.axis_choice(machine), Choice("motor", "Motor", motors), Choice("drive", "Driven by", drives))

    def chosen_for(self, quantity: str) -> dict[str, object]:
        """Which choices yield a quantity; Z mostly stands on a screw."""
        return {"axis": quantity[0], **({"drive": "screw"} if quantity[0] == "z" else {})}

    def parameters(self, around: Surroundings) -> dict[str, object]:
        """The parts that were chosen; a table's usual ones first."""
        chosen = around.chosen
        axis = str(chosen.get("axis", "x"))
        return {
            "axis": axis, "motor": chosen.get("motor", "stepper"), "drive": chosen.get("drive", "belt"),
            "fastest_feed": around.fastest.get(axis, 0.0),
        }  # fmt: skip

    def piece(self, parameters: Parameters) -> Chain:
        """From `axis`, `motor`, `drive`, `fastest_feed`."""
        self.check_parameters(parameters, _PARAMETERS)
        axis = parameters.get("axis", "x")
        motor, drive = parameters.get("motor", "stepper"), parameters.get("drive", "belt")
        for given, known, name in ((axis, ("x", "y", "z"), "axis"), (motor, MOTORS, "motor"), (drive, DRIVES, "drive")):
            if not isinstance(given, str) or given not in known:
                raise InputError(f"expected one of {', '.join(known)}, got {given!r}", f"piece.{name}")
        feed = number(parameters.get("fastest_feed", 0.0), "piece.fastest_feed", 0, 1e7)
        return Chain(str(axis), str(motor), str(drive), feed)

    def measurands(self, piece: Chain) -> tuple[Measurand, ...]:
        """The numbers of the chain, from the motor on."""
        return tuple(
            Measurand(
                name,
                label,
                piece.axis,
                usual or 0.0,
                Part(piece.axis, name, usual or 1.0, piece.link_of(name)),
                hint=hint,
                unit=unit,
                usual=usual,
            )
            for name in piece.parts()
            for label, unit, usual, hint in (PARTS[name],)
        )  # fmt: skip

    def for_logbook(self, finding: Finding) -> Finding:
        """On the rose it stands as a check of the drive train; the steps stay what a round found."""
        quantity = finding.quantity.replace("steps", "drive")
        T = QUANTITIES[quantity].default_tolerance
        if finding.error is None or finding.expanded_uncertainty is None:
            return replace(finding, quantity=quantity, tolerance=T)
        verdict = judge(finding.error, finding.expanded_uncertainty, T)
        return replace(finding, quantity=quantity, tolerance=T, verdict=verdict)

    def solve(self, case: Case) -> Solution:
        """Steps per unit, smallest step, step rate, and the microstep switch's other settings."""
        chain = self.piece(case.piece)
        self.check_readings(case, chain.parts(), positive=False)
        quantity = f"{chain.axis}_steps"
        values = {name: PARTS[name][2] for name in chain.parts()} | {
            name: number_of(read[-1]) for name, read in case.readings.items()
        }
        missing = [PARTS[name][0] for name, value in values.items() if value is None]
        if missing:
            note = f"Still to be typed: {', '.join(missing)}."
            return Solution((no_number(case, quantity, Verdict.UNRESOLVED, note),))
        known = {name: float(value or 0.0) for name, value in values.items()}
        try:
            train = _train(chain, known)
        except InputError as error:
            raise error.at("readings") from None
        figures = _figures(case, chain, known, train)
        stored = case.resolution(quantity)
        now = stored.steps_per_mm()
        if now is None:
            note = (
                f"The parts give {train.steps_per_mm:.4f} steps per mm; this controller keeps a {stored.form.noun}, "
                "which says nothing about steps."
            )
            return Solution((no_number(case, quantity, Verdict.UNRESOLVED, note),), figures=figures)
        return Solution((self._finding(case, chain, known, train, now),), (), (), figures)

    def shown(self, figures: Figures) -> Shown:
        """Smallest step, step rate, and the microstep switch's settings."""
        if "smallest_step" not in figures:
            return Shown()
        lines = [("Smallest step", f"{figures['smallest_step'] * 1000:.2f} µm")]
        if figures.get("fastest_feed"):
            limit = figures.get("step_limit")
            share = f", {100 * figures['step_rate'] / limit:.0f} % of the limit" if limit else ""
            words = f"Steps per second at {figures['fastest_feed']:.0f} mm/min{share}"
            lines.append((words, f"{figures['step_rate']:,.0f}"))
        settings = tuple(
            Setting(
                (
                    f"{'▶ ' if s['now'] else ''}{s['microsteps']}", f"{s['steps_per_mm']:.3f}",
                    f"{s['smallest_step'] * 1000:.2f}", f"{100 * s['share']:.0f} %" if s["share"] is not None else "?",
                ),
                s["now"], s["worthwhile"],
            )
            for s in figures.get("microsteps") or ()
        )  # fmt: skip
        grey = "Grey: above the controller’s limit, or finer than a motor holds."
        return Shown(
            tuple(lines), ("steps", "per mm", "µm each", "of limit") if settings else (), settings,
            "" if all(s.worthwhile for s in settings) else grey,
        )  # fmt: skip

    def example(self) -> dict[str, Any]:
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

    def usual_piece(self) -> dict[str, object]:
        """X's belt."""
        return {"axis": "x", "motor": "stepper", "drive": "belt"}

    def _finding(self, case: Case, chain: Chain, known: Mapping[str, float], train: Train, now: float) -> Finding:
        quantity = f"{chain.axis}_steps"
        s = now / train.steps_per_mm - 1
        half = PARTS_WITHIN[DRIVES[chain.drive][1]]
        parts = Source("parts", half * (1 + s) / math.sqrt(3), Cause.OWN_ERROR, shape=Shape.RECTANGLE)
        error = Uncertain(s, ((parts, 1.0),))
        notes = [f"Parts like these are good to ± {1000 * half:g} mm per m: a round refines it."]
        if quantity in case.proven and abs(s) <= error.U:
            notes = ["The parts agree with the number that a round found: leave that."]
        if words := explain_ratio(now, train.steps_per_mm, known.get("teeth", 0.0)):
            notes.insert(0, f"The controller’s number is {words}.")
        stored = case.resolution(quantity)
        decimals = stored.held_with(case.decimals_of(quantity))
        outcome = scale_outcome(case, quantity, error, 1000.0, _in_its_form(_formula(chain, known), stored.form))
        new = stored.with_steps_per_mm(train.steps_per_mm, decimals)
        new_U = new.value * error.U / (1 + s)
        twin = None if quantity in case.proven else _proven_twin(case, quantity, train.steps_per_mm)
        if twin:
            name, held = twin
            new = stored.with_steps_per_mm(held.steps_per_mm() or now, decimals)
            letter, measured = QUANTITIES[name].axis.upper(), held.text(held.held_with(case.decimals_of(name)))
            outcome = replace(outcome, formula=f"{measured}, as measured on {letter}")
            notes.insert(0, f"The same parts as {letter}, whose measured number is {measured} {held.form.unit}: "
                            "copied here; check it with a round.")  # fmt: skip
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
            raise InputError("must be larger than 0", name)
    train = Train(steps, v["reduction"], travel)
    if not FEWEST < steps * v["reduction"] / travel < MOST:
        raise InputError("these parts give a number of steps that no machine has: look at each once more", "values")
    return train


def _figures(case: Case, chain: Chain, known: Mapping[str, float], train: Train) -> dict[str, Any]:
    rate = train.step_rate(chain.fastest_feed)
    rows = []
    if chain.motor == "stepper":
        rows = [
            {
                "microsteps": c.microsteps, "steps_per_mm": c.steps_per_mm, "smallest_step": c.smallest_step,
                "rate": c.rate, "share": c.share if chain.fastest_feed else None, "worthwhile": c.worthwhile,
                "now": c.microsteps == known["microsteps"],
            }
            for c in microstep_choices(train, known["microsteps"], chain.fastest_feed, case.step_limit)
        ]  # fmt: skip
    return {
        "steps_per_turn": train.steps_per_turn, "travel_per_turn": train.travel_per_turn,
        "steps_per_mm": train.steps_per_mm, "smallest_step": train.smallest_step, "step_rate": rate,
        "step_limit": case.step_limit or None, "fastest_feed": chain.fastest_feed, "microsteps": rows,
        "teeth": known.get("teeth"),
    }  # fmt: skip


def _formula(chain: Chain, v: Mapping[str, float]) -> str:
    """One line from the parts to the number, numbers of one left out."""

    def plain(*names: str) -> list[str]:
        return [f"{v[n]:g}" for n in names]

    above = (["360", "÷", f"{v['step_angle']:g}", "×", f"{v['microsteps']:g}"] if chain.motor == "stepper"
             else [" × ".join(plain("counts", "electronic_ratio"))])  # fmt: skip
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
