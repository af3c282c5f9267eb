"""When a value that is in should be looked at again, from how it moved between its own findings (arithmetic.md §10).

What is left of a value drifts, and wanders by chance besides: after t days it has moved by m·t, with a variance of q·t
more. Changes between findings say both, less what their own uncertainties explain; with little past, what the usual
interval means counts for the drift and as two changes more.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

from keen_compass.quantities.uncertainty import K_95

SURE = 0.9  # that it is still in, on the day on which it is due
HALF_SURE = 1.6449  # standard deviations, within which nine in ten lie
USUAL_COUNTS = 2.0  # changes, that the usual interval is worth
LONGEST = 3650  # days
LEAST_DAYS = 1.0  # between findings: less tells nothing


class Change(NamedTuple):
    """Between two findings of one value: days apart, by how much it moved, and U of that; in its error unit."""

    days: float
    by: float
    U: float


class Wander(NamedTuple):
    """How a value moves: its variance per day, its drift per day, and how well that is known, standard."""

    per_day: float
    drift: float = 0.0
    u_drift: float = 0.0


def wander_of(changes: Sequence[Change], T: float, usual_days: float) -> Wander:
    """From changes, and from T and the interval after which a value is looked at where nothing is known of it: one that
    was exactly right is then still in with a probability of `SURE`, half of its variance by drift, half by chance.
    """
    usual = (T / HALF_SURE) ** 2 / 2
    chance, prior = usual / usual_days, usual / usual_days**2
    told = [c for c in changes if c.days >= LEAST_DAYS]
    whole = sum(c.days for c in told)
    if not told:
        return Wander(chance, 0.0, math.sqrt(prior))
    seen = sum(c.by for c in told) / whole
    read = sum((c.U / K_95) ** 2 for c in (told[0], told[-1])) / 2
    for _ in range(3):  # chance and drift say something of each other
        known = (chance * whole + read) / whole**2
        drift, left = seen * prior / (prior + known), prior * known / (prior + known)
        own = sum(max((c.by - drift * c.days) ** 2 - (c.U / K_95) ** 2, 0.0) / c.days for c in told)
        chance = (USUAL_COUNTS * usual / usual_days + own) / (USUAL_COUNTS + len(told))
    return Wander(chance, drift, math.sqrt(left))


def band(error: float, U: float, wander: Wander, days: float) -> tuple[float, float]:
    """(where it is expected after so many days, U of that)."""
    u = U / K_95
    variance = u * u + wander.per_day * days + (wander.u_drift * days) ** 2
    return error + wander.drift * days, K_95 * math.sqrt(variance)


def holds_for(error: float, U: float, T: float, wander: Wander, *, one_sided: bool = False) -> int:
    """Days until it is no longer sure to be in; 0 where it isn't even now. one_sided: below zero does no harm."""
    u = U / K_95
    for day in range(LONGEST):
        at = error + wander.drift * (day + 1)
        s = math.sqrt(2 * (u * u + wander.per_day * (day + 1) + (wander.u_drift * (day + 1)) ** 2)) or 1e-12
        below = -1.0 if one_sided else math.erf((-T - at) / s)
        if (math.erf((T - at) / s) - below) / 2 < SURE:
            return day
    return LONGEST
