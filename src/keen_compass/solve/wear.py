"""Wear: how a kerf drifts with the use of what cuts, and when it has eaten the tolerance (arithmetic.md §8).

Every set of consumables begins with a kerf of its own, because no two nozzles are bored alike, and wears at a rate of
its own, which lies about a common one. What is observed beyond what the findings say of themselves is estimated from
them (Mandel and Paule) and enters with as many degrees of freedom as there are.
"""

from __future__ import annotations

import math
import statistics
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from keen_compass.quantities.uncertainty import K_95, Cause, Origin, Source, Uncertain
from keen_compass.solve.joint import Fit, Observation, Unknown, fit

DRIFT = Unknown("drift")
COUNTS_OFF = 0.03  # of an age, the standard deviation of what was cut that nobody counted
LEAST_SPREAD_DOF = 1.0
LEAST_RATE = 1e-9  # mm for each use
HALVINGS, ITERATIONS, SETTLED = 40, 8, 1e-3
ALIKE = 0.06  # of a kerf, by which fresh sets are assumed to differ (95 %) until two were measured
BENDS = 0.4  # of the rate, standard, by which it may be another one beyond the oldest kerf that was found
RATES_DIFFER = 0.12  # of the common rate, the standard deviation of what sets are assumed to wear faster or slower


@dataclass(frozen=True, slots=True)
class Point:
    """A kerf that was found. age: uses since the last change. width: full, mm. u: standard uncertainty of its own, mm.

    shared: (instrument, mm) of what it shares with others that it read. set: number of the consumables that cut it.
    """

    age: float
    width: float
    u: float
    shared: tuple[tuple[str, float], ...] = ()
    set: int = 0


@dataclass(frozen=True, slots=True)
class Reaches:
    """At which age a kerf reaches a width: value, and from where to where it may be (95 %)."""

    age: float
    low: float
    high: float


@dataclass(frozen=True, slots=True)
class Wear:
    """per_use: mm for each use, of all sets. fit: of all points, with kerf (when fresh, mm) and rate of each set."""

    per_use: Uncertain
    fit: Fit
    fresh: dict[int, Uncertain]
    kerf: float  # typical, mm
    oldest: float  # use at which a kerf was found last, of any set: beyond it nobody knows whether wear speeds up

    @property
    def clear(self) -> bool:
        """Whether it can be told from none at all."""
        return abs(self.per_use.value) > self.per_use.U

    def at(self, age: float, of: int) -> Uncertain:
        """The kerf of a set at an age, mm. A set that wasn't measured yet begins as the others did."""
        bend = (Source(Origin("bend"), abs(self.per_use.value) * BENDS, Cause.ASSUMED), max(age - self.oldest, 0.0))
        if of in self.fresh:
            found = self.fit.of({_fresh(of): 1.0, _rate(of): age})
            return Uncertain(found.value, (*found.effects, *(pair for pair in (bend,) if pair[1])))
        n = len(self.fresh)
        found = self.fit.of({**{_fresh(k): 1.0 / n for k in self.fresh}, DRIFT: age})
        more = ((self._between(), math.sqrt(1 + 1 / n)), (_of_rate(self.per_use.value, of), age), bend)
        return Uncertain(found.value, (*found.effects, *(pair for pair in more if pair[1])))

    def _between(self) -> Source:
        """How fresh sets differ."""
        values = [e.value for e in self.fresh.values()]
        usual = ALIKE * self.kerf / K_95
        if len(values) < 2:
            return Source(Origin("sets"), usual, Cause.ASSUMED)
        # Two that came out alike say little about the next: pooled with what is usual, as if that were two more.
        dof = len(values) - 1
        pooled = math.sqrt((dof * statistics.variance(values) + 2 * usual**2) / (dof + 2))
        return Source(Origin("sets"), pooled, Cause.SCATTER, dof + 2)

    def reaches(self, width: float, of: int) -> Reaches | None:
        """When a set's kerf comes to a width (Fieller's limits); None where the drift is not clear of nothing."""
        begin = self.at(0.0, of).value
        rate = self.at(1.0, of).value - begin
        if not self.clear or rate * self.per_use.value <= 0:
            return None
        at = (width - begin) / rate

        def misses(age: float) -> float:
            """How far a kerf lies off the width there, beyond its U: negative where it may have reached it."""
            here = self.at(age, of)
            return abs(here.value - width) - here.U

        # So far out, U grows as fast as the kerf and no faster: as the drift is clear, both ends are there.
        step = max(abs(at), self.kerf / abs(rate))
        return Reaches(at, _edge(misses, at, -step), _edge(misses, at, step))


def _fresh(of: int) -> Unknown:
    return Unknown("fresh", str(of))


def _rate(of: int) -> Unknown:
    return Unknown("rate", str(of))


def _of_rate(drift: float, of: int) -> Source:
    """By how much a set's rate differs from the common one."""
    return Source(Origin("rate", of), RATES_DIFFER * abs(drift), Cause.ASSUMED)


def _edge(misses: Callable[[float], float], inside: float, step: float) -> float:
    """From a place where it may be outwards to where it can't."""
    far = inside + step
    for _ in range(HALVINGS):
        if misses(far) > 0:
            break
        far = inside + 2 * (far - inside)
    else:
        return math.copysign(math.inf, step)
    near = inside
    for _ in range(HALVINGS):
        middle = (near + far) / 2
        near, far = (middle, far) if misses(middle) <= 0 else (near, middle)
    return (near + far) / 2


def wear(points: Sequence[Point]) -> Wear | None:
    """None where no set was measured at two ages."""
    if not any(p.set == q.set and p.age != q.age for p in points for q in points):
        return None
    found = fit([*_rows(points, 0.0), *_rates(points, 0.0)])
    for _ in range(ITERATIONS):  # how much rates may differ follows from the rate
        drift = found.estimates[DRIFT].value
        found = _with_spread(points, drift)
        if abs(found.estimates[DRIFT].value - drift) < SETTLED * found.estimates[DRIFT].u:
            break
    fresh = {k: found.estimates[_fresh(k)] for k in sorted({p.set for p in points})}
    return Wear(
        found.estimates[DRIFT], found, fresh, statistics.fmean(p.width for p in points), max(p.age for p in points)
    )


def _with_spread(points: Sequence[Point], drift: float) -> Fit:
    """As much spread as it takes for the residuals to be what they should be."""
    rates = _rates(points, drift)
    found = fit([*_rows(points, drift), *rates])
    dof = found.dof
    if dof <= 0 or found.chi2 <= dof:
        return found
    low, high = 0.0, max(abs(p.width) for p in points)
    for _ in range(HALVINGS):
        middle = (low + high) / 2
        low, high = (middle, high) if fit([*_rows(points, drift, middle, dof), *rates]).chi2 > dof else (low, middle)
    return fit([*_rows(points, drift, high, dof), *rates])


def _rates(points: Sequence[Point], drift: float) -> list[Observation]:
    """Each set's rate lies about the common one."""
    found = []
    for k in sorted({p.set for p in points}):
        source = _of_rate(drift, k)._replace(u=max(RATES_DIFFER * abs(drift), LEAST_RATE))
        found.append(Observation(f"rate {k}", {_rate(k): 1.0, DRIFT: -1.0}, 0.0, ((source, 1.0),), prior=True))
    return found


def _rows(points: Sequence[Point], drift: float, spread: float = 0.0, dof: int = 0) -> list[Observation]:
    """spread: standard deviation of what the findings don't account for, mm."""
    rows = []
    for i, p in enumerate(points):
        effects = [(Source(Origin("finding", i), p.u, Cause.REPEATS), 1.0)]
        effects += [(Source(Origin("own", instrument=name), u, Cause.OWN_ERROR), 1.0) for name, u in p.shared if u]
        if off := COUNTS_OFF * abs(drift * p.age):
            effects.append((Source(Origin("count", i), off, Cause.ASSUMED), 1.0))
        if spread:
            more = Source(
                Origin("spread", i),
                spread,
                Cause.SCATTER,
                max(dof, LEAST_SPREAD_DOF),
                estimate=Origin("spread"),
                shared_dof=max(dof, LEAST_SPREAD_DOF),
            )
            effects.append((more, 1.0))
        rows.append(Observation(f"kerf {i}", {_fresh(p.set): 1.0, _rate(p.set): p.age}, p.width, tuple(effects)))
    return rows
