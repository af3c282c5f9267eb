"""By how much a blade trails, from what it cuts beyond the corners of squares, or short of them (arithmetic.md §12).

    A = π/4 · (v² − d²)

A mm² that is cut out beyond a right corner; d by how much the blade trails, v by how much it is taken to. The axis goes
round the corner at v, which adds a quarter of a circle; and between the ways of two ends of a bar of length d, one of
which is dragged by the other, lies half of d² for each radian that it turns, whatever the way (the theorem behind
planimeters).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise

SHORT = 0.008  # mm², standard: what pixels, and play of the axes, leave of a corner that closes
NEAREST = 3  # squares: farther off, sides haven’t settled where they are looked at
WELL_ENOUGH = 0.5  # of a step, standard, to which it has to be known: else an eye knows as much


def trailing(taken: Sequence[float], beyond: Sequence[float]) -> float | None:
    """d, mm. taken: v of each square, rising, mm; beyond: A at its corners, mm². None where they don't tell it.

    Corners that are cut short count: what the blade went round beyond others may have stayed on the liner. Only where
    none is, those count.
    """
    row = list(zip(taken, beyond, strict=True))
    used = [(v, A) for v, A in row if A < -SHORT][-NEAREST:] or [(v, A) for v, A in row if A > SHORT][:NEAREST]
    if not used:
        return None
    d = math.sqrt(max(sum(v * v - 4 * A / math.pi for v, A in used) / len(used), 0.0))
    step = min(b - a for a, b in pairwise(taken))
    return d if 2 * SHORT / math.pi <= WELL_ENOUGH * step * d * math.sqrt(len(used)) else None
