"""Every quantity the program knows: its names, group, place in the order, and what it rests on.

The order is arithmetic.md §1: later values rest on earlier ones. Light enough for the first screen.
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Quantity:
    """One calibrated value of a machine.

    error_unit: in which its error is shown; scales in mm per m, piece errors in mm.
    rests_on: quantities whose change makes this one *re-check*.
    default_tolerance: in mm; for scales over 1000 mm.
    """

    name: str
    label: str
    group: str
    error_unit: str
    rests_on: tuple[str, ...] = ()
    default_tolerance: float = 0.1
    axis: str = ""


QUANTITIES: dict[str, Quantity] = {
    q.name: q
    for q in (
        Quantity("x_steps", "X steps", "motion", "mm/m", default_tolerance=0.4, axis="x"),
        Quantity("y_steps", "Y steps", "motion", "mm/m", default_tolerance=0.4, axis="y"),
    )
}
ORDER = tuple(QUANTITIES)

UNKNOWN_LABELS = {
    "x_scale": "X scale",
    "y_scale": "Y scale",
    "kerf": "kerf",
    "x_lost_motion": "X lost motion",
    "y_lost_motion": "Y lost motion",
}
