"""Machines as they turn up in shops: profile, what is hidden, what their controllers hold, all from a kind and a seed.

Every number is drawn from the range in which a technician would meet it, in millimetres or inches, in every form in
which a controller keeps it, with either sign; nobody has looked after the machine yet.
"""

from __future__ import annotations

import math
import random
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import product

from keen_compass.machines.fitted import Fitting, Stock, Tool
from keen_compass.machines.heads import sign_kept
from keen_compass.machines.limits import COUNTS_STEPS, HEADS, KERF_FORMS, OFFSET_FORMS, SETTING_OF
from keen_compass.machines.profile import Machine
from keen_compass.quantities.bodies import JsonObject
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.families import Lives
from keen_compass.quantities.instruments import Instrument, Repeatability
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.lengths import MM_PER_INCH
from keen_compass.quantities.resolution import OF_AXES, OF_PRINTS, ResolutionForm, StoredResolution
from keen_compass.quantities.standpoint import Standpoint
from keen_compass.quantities.stored import StoredAmount, StoredValue
from keen_compass.standin.truth import Truth

UID = "practice"
# Decimals that leave a number of that form what it is: one in the last of them is less than 10 µm per m.
DECIMALS = {
    ResolutionForm.STEPS_PER_MM: 3,
    ResolutionForm.STEPS_PER_INCH: 2,
    ResolutionForm.UM_PER_STEP: 5,
    ResolutionForm.MM_PER_STEP: 8,
    ResolutionForm.INCH_PER_STEP: 9,
    ResolutionForm.FACTOR: 5,
}
SCALE_OFF = 0.012  # a start so far off is still plausible
GROSSLY = (0.5, 2.0, 0.85, 1.15)  # a switch that stands elsewhere, or a pulley that nobody counted
RARELY = 0.2
PARTS_OFF = 0.0015  # how far parts really are from what is stamped on them
OFFSET_OFF = 4.0  # mm, that an offset is off to begin with
CAMERA_OFF = 1.5  # mm; farther off it sees nothing of what was drawn
DOF = (12, 24)  # of what a logbook knows
CARRIER, ACCESSORY, PRINTER = "mat", "felt-pen", "printer"
Pair = tuple[float, float]


@dataclass(frozen=True, slots=True)
class TurnedUp:
    """A machine in front of its technician.

    truth: what is really so. held: what its controller holds, by quantity. drives: axis → what drives it, as the drive
    train's choices have it. instruments: that its shop has.
    """

    machine: Machine
    truth: Truth
    held: Mapping[str, StoredValue]
    drives: Mapping[str, str]
    instruments: tuple[Instrument, ...]


def turned_up(kind: MachineKind, seed: int) -> TurnedUp:
    """The machine of that kind and number."""
    rng = random.Random(f"{kind}/{seed}")
    inches = rng.random() < 0.4
    machine = _machine(kind, rng, inches=inches)
    steps, parts, drives = _drives(machine, rng)
    truth = _cutting(_truth(machine, steps, parts, rng), machine, rng)
    if rng.random() > RARELY:
        dof = rng.randint(*DOF)
        machine = replace(machine, scatter=(_recorded(truth.scatter, dof, rng), float(dof)))
    held = {q: v for q in machine.quantities if (v := _start(q, machine, truth, rng)) is not None}
    burns: JsonObject = {SETTING_OF[q]: held[q].to_json() for q in SETTING_OF if q in held}
    machine = replace(machine, **burns)
    return TurnedUp(machine, truth, held, drives, _instruments(truth, rng, inches=inches))


def _machine(kind: MachineKind, rng: random.Random, *, inches: bool) -> Machine:
    forms = OF_AXES if kind.plots else COUNTS_STEPS
    form, print_form = rng.choice(forms), rng.choice(OF_PRINTS)
    heads = _HEADS[kind]
    machine = Machine(
        UID,
        "Practice",
        kind,
        _bed(kind, rng),
        standpoint=Standpoint(*rng.choice(_STANDPOINTS)),
        units=rng.choice(("in", "in 1/64")) if inches else "mm",
        controller_units="in" if inches else "mm",
        form=form,
        print_form=print_form,
        decimals=DECIMALS.get(form, 3),
        decimals_of=_decimals(kind, print_form, inches=inches),
        flipped=tuple(q for q in QUANTITIES if QUANTITIES[q].family.signed and rng.random() < RARELY),
        heads=heads,
        offset_form=rng.choice(OFFSET_FORMS),
    )
    return _with_tools(machine, rng) if kind.plots else _as_table(machine, rng)


_ACROSS, _AWAY = ("left", "right"), ("toward", "away")
_STANDPOINTS = [*product(_ACROSS, _AWAY), *product(_AWAY, _ACROSS)]
_HEADS = {
    MachineKind.ROUTER: ("pointer", "camera", "second_tool"),
    MachineKind.PLASMA: ("pointer",),
    MachineKind.LASER: ("pointer", "camera"),
    MachineKind.KNIFE: ("pointer", "camera"),
    MachineKind.PRINT_AND_CUT: ("pointer", "sensor", "second_tool"),
    MachineKind.PEN: (),
}


def _decimals(kind: MachineKind, print_form: ResolutionForm, *, inches: bool) -> dict[str, int]:
    """Of what isn't kept as an axis' scale is."""
    lengths = 4 if inches else 3 if not kind.plots else 2
    return {
        q.name: DECIMALS.get(print_form, 3) if q.family.name == "print_scale" else lengths
        for q in QUANTITIES.values()
        if q.lives is Lives.NUMBER or q.family.name == "print_scale"
    }


def _bed(kind: MachineKind, rng: random.Random) -> Pair:
    if kind.plots:
        across, along = rng.randrange(600, 1400, 10), rng.randrange(2000, 8000, 100)
        return (float(along), float(across)) if rng.random() < 0.5 else (float(across), float(along))
    return float(rng.randrange(900, 2600, 10)), float(rng.randrange(700, 1600, 10))


def _with_tools(machine: Machine, rng: random.Random) -> Machine:
    """A plotter with what it carries, prints and marks."""
    w, h = machine.bed
    long = float(rng.randrange(1200, 1600, 10))
    lies = (0.0, 10.0, long, h - 20) if w > h else (10.0, 0.0, w - 20, long)
    tools: tuple[Tool, ...] = (Tool("pen", 0.0, drawn=True, uid="pen"),)
    if machine.kind is not MachineKind.PEN:
        tools += (Tool("drag knife", 0.0, drawn=True, uid="knife", trails=True),)
    about = (round(rng.uniform(-40, 40), 1), round(rng.uniform(-30, 30), 1))
    carries = machine.kind is MachineKind.PRINT_AND_CUT
    return replace(
        machine,
        tools=tools,
        mounted=tools[-1].uid,
        stock=Stock("film", 0.2, *lies, "film"),
        fittings=(
            Fitting("accessory", "Felt pen", ACCESSORY, about),
            Fitting("printer", "Roll printer", PRINTER),
            Fitting("carrier", "Tack mat", CARRIER),
        )
        if carries
        else (),
        fitted={"accessory": ACCESSORY, "printer": PRINTER, "carrier": CARRIER} if carries else {},
        units_per_mm=rng.choice((40.0, 100.0)),
        file="svg" if carries and rng.random() < 0.5 else "",
        acceleration=float(rng.randrange(800, 2000, 100)),
    )


def _as_table(machine: Machine, rng: random.Random) -> Machine:
    """A table with stock, and with what cuts it."""
    w, h = machine.bed
    kind, along = machine.kind, rng.choice("xy")
    wide = w if along == "y" else h
    if kind is MachineKind.ROUTER:
        width = rng.choice((3.0, 4.0, 6.0, MM_PER_INCH / 4, 8.0))
        tool, stock, thick = Tool("cutter", width, uid="cutter"), "ply", rng.choice((6.0, 9.0, 12.0))
    elif kind is MachineKind.PLASMA:
        tool, stock, thick = Tool("nozzle", 1.6, uid="nozzle"), "steel", rng.choice((3.0, 6.0, 10.0))
    else:
        tool, stock, thick = Tool("lens", 0.2, uid="lens"), "acrylic", rng.choice((3.0, 5.0))
    machine = replace(
        machine,
        tools=(tool, Tool("pen", 0.0, drawn=True, uid="pen")),
        mounted=tool.uid,
        stock=Stock(stock, thick, 20.0, 20.0, w - 40.0, h - 40.0, "stock"),
        z_travel=float(rng.randrange(60, 160, 10)),
        gantry=rng.choice((0.0, wide - 60.0, wide - 60.0)),
        gantry_along=along,
        head=rng.choice(tuple(HEADS)) if kind is MachineKind.ROUTER else "",
        acceleration=float(rng.randrange(250, 900, 10)) * (4.0 if kind.thermal else 1.0),
        gives_room=rng.choice(("file", "controller")) if kind is not MachineKind.ROUTER else "file",
        kerf_form=rng.choice(KERF_FORMS),
        feed=float(rng.randrange(1200, 3000, 100)),
        process="45 A" if kind is MachineKind.PLASMA else "",
    )
    if kind is MachineKind.ROUTER:
        machine = replace(
            machine, fittings=(Fitting("accessory", "Drag pen", ACCESSORY),), fitted={"accessory": ACCESSORY}
        )
    return machine


def _drives(
    machine: Machine, rng: random.Random
) -> tuple[dict[str, float], dict[str, dict[str, float]], dict[str, str]]:
    """(steps per mm as the parts say, the parts, what drives) by axis; nothing of a controller that counts no steps."""
    axes = "xyz" if machine.z_travel else "xy"
    steps, parts, drives = {}, {}, {}
    for axis in axes:
        drive = "screw" if axis == "z" else rng.choice(("belt", "screw", "rack"))
        motor = {"step_angle": 1.8, "microsteps": float(rng.choice((8, 16, 32))), "reduction": 1.0}
        if drive == "belt":
            moves = {"belt_pitch": rng.choice((2.0, 3.0, 5.0)), "teeth": float(rng.randrange(15, 31))}
            travel = moves["belt_pitch"] * moves["teeth"]
        elif drive == "screw":
            moves = {"pitch": rng.choice((4.0, 5.0, 10.0)), "starts": 1.0}
            travel = moves["pitch"]
        else:
            motor["reduction"] = rng.choice((3.0, 4.0, 5.0))
            moves = {"module": rng.choice((1.0, 1.5)), "teeth": float(rng.randrange(18, 31))}
            travel = math.pi * moves["module"] * moves["teeth"]
        steps[axis] = 200 * motor["microsteps"] * motor["reduction"] / travel
        parts[axis], drives[axis] = motor | moves, drive
    return steps, parts, drives


def _kept(form: ResolutionForm, steps: float) -> StoredResolution:
    """So many steps per mm in that form; of a form that counts none, what it is before anybody changed it."""
    if form not in COUNTS_STEPS:
        return StoredResolution.untouched(form)
    return StoredResolution(form, 1.0).with_steps_per_mm(steps, 12)


def _truth(
    machine: Machine, steps: Mapping[str, float], parts: Mapping[str, Mapping[str, float]], rng: random.Random
) -> Truth:
    """How it moves, and what is read on it."""
    kind, plots = machine.kind, machine.kind.plots
    play = 0.06 if plots else 0.5 if rng.random() < RARELY else 0.25
    right = {a: _kept(machine.form, s).motion_factor for a, s in steps.items()}
    return Truth(
        motion={a: m * (1 + rng.uniform(-PARTS_OFF, PARTS_OFF)) for a, m in right.items()},
        lost_motion={a: rng.uniform(0.0, play if a != "z" else 0.15) for a in steps},
        kerf=0.0,
        scatter=rng.uniform(0.008, 0.02) if not plots else rng.uniform(0.02, 0.04),
        instrument_error=(rng.uniform(-1, 1), rng.uniform(-1, 1)),
        repeat=rng.uniform(0.6, 1.2),
        settle=rng.uniform(0.002, 0.006),
        skew=rng.uniform(-0.004, 0.004) if not plots else rng.gauss(0, 3e-4),
        gantry=machine.gantry or 1000.0,
        thickness=machine.stock.thickness if machine.stock else 9.0,
        home={a: round(rng.uniform(2, 12), 2) for a in "xy"},
        home_sign={a: -1.0 for a in "xy" if f"{a}_home" in machine.flipped},
        limits={a: rng.uniform(6000, 14000) * (2.5 if kind.thermal else 1.0) for a in "xy"},
        acceleration=machine.acceleration,
        feed_axis=machine.long_axis if plots else "",
        drift=rng.uniform(-0.03, 0.03) if plots else 0.0,
        slip=rng.uniform(0.0, 0.015) if plots else 0.0,
        bed=(rng.uniform(-4e-4, 4e-4), rng.uniform(-4e-4, 4e-4), rng.uniform(0.05, 0.5)),
        bed_size=machine.bed,
        tram={a: rng.uniform(-1.5, 1.5) for a in "xy"},
        parts=parts,
        heads=_sits(machine, rng),
        aim=rng.uniform(0.02, 0.05),
        printer=(rng.gauss(0, 1e-3), rng.gauss(0, 1e-3), rng.gauss(0, 3e-4)),
        lies=(0.5, 3.0),
        left_handed=machine.standpoint.left_handed,
        camera=(rng.uniform(0.015, 0.03), rng.uniform(-8, 8), float(rng.random() < RARELY)),
        fed=round(rng.uniform(-0.3, 0.3), 3),
        carriers={CARRIER: (rng.gauss(0, 3e-3), rng.gauss(0, 3e-3))},
        trails=rng.uniform(0.16, 0.34) if any(t.trails for t in machine.tools) else 0.0,
        kerf_form=machine.kerf_form_kept,
        thermal=kind.value if kind.thermal else "",
    )


def _sits(machine: Machine, rng: random.Random) -> dict[str, Pair]:
    found = {}
    for head in machine.heads:
        named = f"{head} {ACCESSORY}" if head == "second_tool" else head
        found[named] = (round(rng.uniform(-40, 40), 2), round(rng.uniform(-30, 30), 2))
    return found


def _cutting(truth: Truth, machine: Machine, rng: random.Random) -> Truth:
    """How wide it cuts, and what else its process leaves."""
    if machine.kind is MachineKind.ROUTER and machine.tool:
        return replace(truth, kerf=machine.tool.diameter + rng.uniform(-0.25, 0.25), hole_bias=rng.choice((0.0, -0.05)))
    if machine.kind is MachineKind.PLASMA:
        return replace(
            truth,
            kerf=rng.uniform(1.2, 2.4),
            scatter=rng.uniform(0.015, 0.03),
            hole_bias=rng.uniform(-0.25, 0.05),
            bevel=rng.uniform(-0.03, 0.03),
        )
    if machine.kind is MachineKind.LASER:
        least = rng.uniform(22.0, 30.0)
        return replace(
            truth,
            kerf=rng.uniform(0.15, 0.3),
            scatter=0.004,
            focus=rng.uniform(-1.2, 1.2),
            depth_of_focus=rng.uniform(1.0, 1.8),
            clean=(least, rng.uniform(1.7, 2.2) * least),
            pierce=0.2,
        )
    return truth


def _start(quantity: str, machine: Machine, truth: Truth, rng: random.Random) -> StoredValue | None:
    """What the controller holds to begin with; None of what isn't kept as a number, or is set by hand."""
    q, place = QUANTITIES[quantity], machine.place(quantity)
    if q.family.name == "print_scale":
        return StoredResolution.untouched(machine.print_form)
    if q.lives is Lives.RESOLUTION:
        off = rng.uniform(-SCALE_OFF, SCALE_OFF)
        if machine.form in COUNTS_STEPS and rng.random() < RARELY:
            off = rng.choice(GROSSLY) - 1
        exact = _right(machine.form, truth.motion[q.axis])
        return exact.corrected(off, place.decimals)
    base = _BEGUN[q.family.name](truth, machine, q.axis, rng) if q.family.name in _BEGUN else None
    if q.group == "heads" and q.family.name in machine.heads:
        at = truth.heads.get(q.family.name) or truth.heads[f"{q.family.name} {ACCESSORY}"]
        off = CAMERA_OFF if q.family.name == "camera" else OFFSET_OFF
        base = (at["xy".index(q.axis)] + rng.uniform(-off, off)) * sign_kept(
            quantity, machine.offset_form, machine.flipped
        )
    return None if base is None else StoredAmount.of(quantity, base, place.unit, place.decimals)


def _right(form: ResolutionForm, motion: float) -> StoredResolution:
    """The number of that form that has a motion factor."""
    begun = StoredResolution.untouched(form) if form not in COUNTS_STEPS else StoredResolution(form, 1.0)
    return begun.corrected(begun.motion_factor / motion - 1, 12)


# Family of quantities → what a controller holds of it to begin with, in mm, mm/min, % …
_BEGUN: Mapping[str, Callable[[Truth, Machine, str, random.Random], float]] = {
    "backlash": lambda truth, _, axis, rng: rng.choice((0.0, rng.uniform(0, 2 * truth.lost_motion[axis]))),
    "home": lambda truth, _, axis, rng: truth.home[axis] + rng.uniform(-3, 3),
    "speed": lambda truth, _, axis, rng: float(round(truth.limits[axis] * rng.uniform(0.6, 1.3), -2)),
    "kerf": lambda truth, machine, _, rng: (
        (truth.kerf + rng.uniform(-0.3, 0.3) * min(truth.kerf, 1)) / (2.0 if machine.kerf_form_kept == "half" else 1.0)
    ),
    "hole_bias": lambda _truth, _machine, _axis, _rng: 0.0,
    "drag": lambda truth, _, _axis, rng: max(truth.trails + rng.uniform(-0.1, 0.1), 0.02),
    "media_feed": lambda _truth, _machine, _axis, rng: rng.choice((0.0, 0.0, rng.uniform(-0.1, 0.1))),
    "focus": lambda _truth, _machine, _axis, _rng: 0.0,
    "power": lambda _truth, _machine, _axis, rng: float(rng.randrange(60, 90)),
    "cut_feed": lambda _truth, _machine, _axis, rng: float(rng.randrange(1500, 3000, 100)),
}


def _recorded(true_s: float, dof: int, rng: random.Random) -> float:
    """A spread as a logbook would know it, from dof + 1 earlier readings."""
    return true_s * math.sqrt(sum(rng.gauss(0, 1) ** 2 for _ in range(dof)) / dof)


def _instruments(truth: Truth, rng: random.Random, *, inches: bool) -> tuple[Instrument, ...]:
    """What a shop has that can tell, divided in its unit, each with a record of its own."""
    unit, size = ("in", MM_PER_INCH) if inches else ("mm", 1.0)
    rows: Sequence[tuple[str, str, float, Pair, float]] = (
        ("caliper", "Long caliper", 0.0005 * size if inches else 0.01, (0.02, 2e-5), 600.0),
        ("steel rule", "Steel rule", size / 64 if inches else 0.5, (0.1, 5e-5), 1000.0),
        ("steel rule", "Glass scale", 0.002 * size if inches else 0.05, (0.02, 2e-5), 1200.0),
        ("dial gauge", "Dial", 0.0005 * size if inches else 0.01, (0.01, 0.0), 10.0),
        ("depth gauge", "Depth gauge", 0.0005 * size if inches else 0.01, (0.02, 0.0), 150.0),
    )
    found = []
    for kind, name, division, permissible, reach in rows:
        dof = rng.randint(*DOF)
        known = _recorded(truth.repeat * division, dof, rng)
        found.append(
            Instrument(
                name,
                division,
                permissible,
                both_ends=kind == "steel rule",
                unit=unit,
                reach=reach,
                kind=kind,
                uid=name.lower().replace(" ", "-"),
                repeats=Repeatability(known, float(dof)),
            )
        )
    return tuple(found)
