"""The fastest feed that still comes back to its mark (arithmetic.md §7).

Rungs of rising feed; each runs out and back, long enough to reach its speed, and misses its mark by something.
Feeds in mm/min, accelerations in mm/s², lengths in mm.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from keen_compass.errors import InputError
from keen_compass.quantities.uncertainty import Component
from keen_compass.solve.joint import Estimate


@dataclass(frozen=True, slots=True)
class Ladder:
    """What a ladder showed.

    clean: the highest feed up to which every rung came back; 0 where the lowest already missed.
    missed: the lowest that did not, None where all were clean.
    limit: between the two: a rectangle, because nothing is known between rungs; None where one of them is open.
    """

    clean: float
    missed: float | None
    limit: Estimate | None


def needed_run(feed: float, acceleration: float) -> float:
    """v²/a: the length on which a move of that feed reaches it, up and down again. Raises InputError."""
    if not acceleration > 0:
        raise InputError("must be larger than 0", "acceleration")
    return (feed / 60) ** 2 / acceleration


def reached_feed(feed: float, run: float, acceleration: float) -> float:
    """The feed really reached on a run that may be too short, mm/min."""
    return min(feed, 60 * math.sqrt(run * acceleration))


def climb(misses: Mapping[float, float], within: float) -> Ladder:
    """misses: feed → mean miss, mm. within: what still counts as back on the mark, mm. Raises InputError if empty."""
    if not misses:
        raise InputError("no rung was read yet")
    clean, missed = 0.0, None
    for feed in sorted(misses):
        if abs(misses[feed]) > within:
            missed = feed
            break
        clean = feed
    limit = None
    if clean and missed is not None:
        half = (missed - clean) / 2
        limit = Estimate((clean + missed) / 2, (Component(half / math.sqrt(3), rectangular=True),))
    return Ladder(clean, missed, limit)


def step_rate_limit(steps_per_mm: float, limit: float) -> float:
    """The feed at which the controller puts out its highest step rate (steps/s), mm/min."""
    return 60 * limit / steps_per_mm
