"""The fastest feed that still comes back to its mark (arithmetic.md §7).

Rungs of rising feed; each runs out and back, long enough to reach its speed, and misses its mark by something.
Feeds in mm/min, accelerations in mm/s², lengths in mm.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.quantities.uncertainty import Cause, Origin, Shape, Source, Uncertain


@dataclass(frozen=True, slots=True)
class Ladder:
    """What a ladder showed.

    clean: the highest feed up to which every rung came back each time; 0 where the lowest already missed.
    missed: the lowest that surely did not; None where there is none: then `clean` is only a lower bound.
    limit: between the two: a rectangle, because nothing is known between rungs; None where one of them is open.
    """

    clean: float
    missed: float | None
    limit: Uncertain | None


def needed_run(feed: float, acceleration: float) -> float:
    """v²/a: the length on which a move of that feed reaches it, up and down again. Raises InputError."""
    if not acceleration > 0:
        raise InputError(tr("must be larger than 0"), "acceleration")
    return (feed / 60) ** 2 / acceleration


def reached_feed(feed: float, run: float, acceleration: float) -> float:
    """The feed really reached on a run that may be too short, mm/min."""
    return min(feed, 60 * math.sqrt(run * acceleration))


def climb(misses: Mapping[float, Sequence[float]], within: float, division: float = 0.0) -> Ladder:
    """misses: feed → every miss, mm: a rung is as good as its worst return, and misses to both sides don't cancel.

    within: what still counts as back on the mark, mm. division: of what it was read with; a miss may be half of it
    larger or smaller than it reads, so that a coarse rule can leave a rung open. Raises InputError if empty.
    """
    if not misses:
        raise InputError(tr("no rung was read yet"))
    worst = {feed: max(map(abs, misses[feed])) for feed in sorted(misses)}
    clean, missed = 0.0, None
    for feed, miss in worst.items():
        if miss + division / 2 > within:
            break
        clean = feed
    for feed, miss in worst.items():
        if feed > clean and miss - division / 2 > within:
            missed = feed
            break
    limit = None
    if clean and missed is not None:
        half = (missed - clean) / 2
        between = Source(Origin("between_rungs"), half / math.sqrt(3), Cause.LADDER, shape=Shape.RECTANGLE)
        limit = Uncertain((clean + missed) / 2, ((between, 1.0),))
    return Ladder(clean, missed, limit)


def step_rate_limit(steps_per_mm: float, limit: float) -> float:
    """The feed at which the controller puts out its highest step rate (steps/s), mm/min."""
    return 60 * limit / steps_per_mm
