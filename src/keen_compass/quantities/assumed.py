"""What is assumed where it wasn't measured, each with its source (arithmetic.md §3).

All of it enters U and is said. What a shop's own logbook knows comes first: these are starting points, wide, with few
degrees of freedom, so that a handful of readings outweighs them.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

from keen_compass.quantities.kinds import MachineKind


class Spread(NamedTuple):
    """A standard deviation, mm, and its degrees of freedom: how well it is known."""

    s: float
    dof: float


FEW = 4.0  # degrees of freedom of what is known by trade alone: right to within a factor of two


# How much equal pieces differ. Milled: the cutter deflects by a few hundredths. Laser: the beam wanders with the lens'
# warmth. Plasma: arc voltage, torch height and the nozzle's state move the kerf by a tenth from cut to cut (ISO 9013's
# closest limit deviations for thermal cuts start there). Knife: the sheet gives way beside the blade. Pen: its tip
# rolls in its holder.
SCATTER: Mapping[MachineKind, float] = {
    MachineKind.ROUTER: 0.03,
    MachineKind.PLASMA: 0.10,
    MachineKind.LASER: 0.03,
    MachineKind.KNIFE: 0.05,
    MachineKind.PRINT_AND_CUT: 0.05,
    MachineKind.PEN: 0.03,
}

AIMED = Spread(0.05, FEW)  # a dot, a point or a crosshair over a mark by eye: half a dot’s width
DRAWN = Spread(0.03, 8.0)  # where a tool draws or scratches a line, beside where it was sent

POINTED_PX, POINTED_LEAST = 0.7, 0.01  # px and mm, standard: a line’s middle pointed at under the loupe of a picture

EYE_OF_A_STEP = 0.2  # of a step, standard: by how much an eye takes a neighbour in a row for the best

LOUPE_DIVISION = 0.03  # mm, of a scale under a loupe, whatever its division
_HANDS: Mapping[str, float] = {
    "caliper": 0.02,  # how squarely jaws are closed
    "depth gauge": 0.02,
    "micrometer": 0.005,  # what the ratchet leaves
    "loupe": LOUPE_DIVISION,
    "tape": 0.25,  # its hook, its sag, its pull
}
RULE_LEAST, RULE_SHARE, DIAL_SHARE = 0.1, 0.25, 0.5  # mm; of a division


def hand(kind: str, division: float) -> Spread:
    """What single readings differ by in a practised hand, beside the division that they are rounded to.

    kind: of instrument. division: of its scale, mm. Of a rule a quarter of a division, but no better than an eye
    brings its end to an edge; of a dial half a division; of what isn't known here one division.
    """
    if kind == "steel rule":
        s = max(RULE_SHARE * division, RULE_LEAST)
    elif kind == "dial gauge":
        s = DIAL_SHARE * division
    else:
        s = _HANDS.get(kind, division)
    return Spread(s, FEW)


# Of a machine that no round has looked at yet (95 %, about nothing): its scale, mm/mm, what reversals lose, mm, and
# what round holes come out at beside straight ones, mm.
SCALE_U = 0.002
LOST_MOTION_U = 0.15
HOLE_BIAS_U: Mapping[bool, float] = {True: 1.0, False: 0.2}  # thermal, milled
