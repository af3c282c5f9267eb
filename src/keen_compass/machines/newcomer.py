"""A machine from four answers: what it is, how large it is, what its controller shows, what it is called.

Everything else is as usual for its kind and unit, and can be said any time later.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace

from keen_compass.errors import LengthError
from keen_compass.language import tr
from keen_compass.machines.fitted import Stock, Tool
from keen_compass.machines.forms import judged, machine_fields, usual_machine
from keen_compass.machines.profile import Machine
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.lengths import MM_PER_INCH as INCH
from keen_compass.quantities.lengths import parse_number
from keen_compass.quantities.resolution import ResolutionForm

ANSWERED = ("bed_x", "bed_y", "roll_width", "roll_length", "x_steps", "y_steps", "name")  # fields of the four
IN_INCHES = 36 * INCH  # mm, over which slopes and scales are tolerated there
FINE = 3  # decimals of a tolerance in inches
# What numbers of each form look like: from, to, and what most of them are near to.
LOOKS = {
    ResolutionForm.STEPS_PER_MM: (4.0, 2000.0, 100.0),
    ResolutionForm.STEPS_PER_INCH: (100.0, 50_000.0, 2540.0),
    ResolutionForm.MM_PER_STEP: (0.0005, 0.2, 0.0125),
    ResolutionForm.UM_PER_STEP: (0.5, 200.0, 12.5),
    ResolutionForm.INCH_PER_STEP: (0.00002, 0.008, 0.0005),
}
PER_CENT = {ResolutionForm.PERCENT_100: (90.0, 110.0), ResolutionForm.PERCENT_0: (-5.0, 5.0)}


def usual_in(kind: MachineKind, units: str) -> Machine:
    """A new machine of a kind, with what is usual where one counts in that unit: sizes that are sold there."""
    usual = usual_machine(kind)
    if units == "mm":
        return usual
    if kind.plots:
        bed, tool, stock = (24.0, 200.0), usual.tools[0], Stock("white film", 0.004 * INCH, 0.0, 0.0, 24.0, 80.0)
    elif kind.thermal:
        bed = (48.0, 96.0) if kind is MachineKind.PLASMA else (48.0, 36.0)
        tool = replace(usual.tools[0], diameter=(0.043 if kind is MachineKind.PLASMA else 0.008) * INCH)
        stock = Stock("steel", INCH / 8, 0.0, 0.0, *bed)
    else:
        bed, tool = (48.0, 96.0), Tool(tr("1/4 in cutter"), INCH / 4)
        stock = Stock("board", 3 * INCH / 8, 0.0, 0.0, *bed)
    sized = replace(stock, width=stock.width * INCH, height=stock.height * INCH)
    return replace(
        usual,
        units=units,
        controller_units="in",
        bed=(bed[0] * INCH, bed[1] * INCH),
        tools=(tool,),
        stock=sized,
        reference_length=IN_INCHES,
        tolerances={q: _tolerance(q) for q in judged()},
        pierce_height=0.15 * INCH,
        cut_height=0.06 * INCH,
        depth_per_pass=INCH / 8,
    )


def _tolerance(quantity: str) -> float:
    """The usual one, at a number of inches that someone would name; mm, or what it counts."""
    q = QUANTITIES[quantity]
    if q.error_unit not in ("mm", "mm/m"):
        return q.default_tolerance
    over = IN_INCHES / 1000 if q.scaled else 1.0
    return max(round(q.default_tolerance * over / INCH, FINE), 0.001) * INCH


def forms_like(text: str, kind: MachineKind) -> tuple[ResolutionForm, ...]:
    """In which forms a controller may count what it shows for an axis, the likeliest first; none for what is no number.

    A plotter mostly shows a percentage, a table steps; of steps the form in which the number is most common.
    """
    try:
        value = parse_number(text)
    except LengthError:
        return ()
    shares = [form for form, (low, high) in PER_CENT.items() if low <= value <= high]
    steps = sorted(
        (form for form, (low, high, _) in LOOKS.items() if low <= value <= high),
        key=lambda form: abs(math.log(value / LOOKS[form][2])),
    )
    return (*shares, *steps) if kind.plots else (*steps, *shares)


def fields_of(kind: MachineKind, units: str, answers: Mapping[str, str]) -> dict[str, str]:
    """The whole form, filled in as usual but for what was answered: `ANSWERED`, and `form`."""
    usual = machine_fields(usual_in(kind, units), {})
    stock = {
        f"stock_{a}": answers.get(f"bed_{a}", "") or usual[f"stock_{a}"] for a in "xy" if not kind.plots
    }  # as large as the bed, until someone says
    return usual | stock | dict(answers)
