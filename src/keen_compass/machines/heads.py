"""Two things on one head: the tool, and what sits beside it (arithmetic.md §9).

An offset is a vector, secondary minus tool, along the controller's axes in mm. Some controllers keep tool minus
secondary, some count an axis the other way: nobody else has to know.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping

from keen_compass.machines.limits import OFFSET_FORMS
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.stored import StoredAmount, StoredValue

TOOL = "tool"  # what is aimed with where nothing sits beside it


def sign_kept(quantity: str, offset_form: str, flipped: Collection[str]) -> float:
    """+1 where a kept component of an offset is secondary minus tool along its axis, −1 where it is the opposite."""
    return (1.0 if offset_form == OFFSET_FORMS[0] else -1.0) * (-1.0 if quantity in flipped else 1.0)


def offset_held(values: Mapping[str, StoredValue], head: str, offset_form: str, flipped: Collection[str]) -> Point:
    """Where the controller has what sits beside the tool, mm from it; of the tool itself, nowhere else."""
    if head == TOOL:
        return 0.0, 0.0
    found = []
    for axis in "xy":
        quantity = f"{head}_{axis}"
        kept = values.get(quantity)
        base = kept.base if isinstance(kept, StoredAmount) else 0.0
        found.append(base * sign_kept(quantity, offset_form, flipped))
    return found[0], found[1]
