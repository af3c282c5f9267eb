"""Whether readings that are fitted together agree, and what scatter they show where they don't (arithmetic.md §3).

A fit with ν degrees of freedom to spare leaves Σ (residual/u)², which chance makes larger than χ²_ν's 99.9 % once in a
thousand. What was read and what is known counts; what was only taken for granted counts with three times its width,
so that a machine that is merely worse than usual contradicts nothing.

Where the test fails, each measurand is left out in turn. The one without which the rest agrees doesn't fit; where
several would do, nobody can tell which of them, and all of them are named.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from keen_compass.quantities.uncertainty import Cause, Origin, Source, chi2_quantile
from keen_compass.solve.joint import Misfit, Observation, misfit

CHANCE = 0.001
WIDER = 3.0  # times, what was assumed
ALIKE = -2 * math.log(0.01)  # by how much two suspects must differ in χ², or nobody can say which
HALVINGS = 30


@dataclass(frozen=True, slots=True)
class Contradiction:
    """labels: of the rows of which one doesn't fit, the likeliest first; none where leaving one out doesn't help.

    chi2, dof: of all of them together.
    """

    labels: tuple[str, ...]
    chi2: float
    dof: int


def contradiction(rows: Sequence[Observation]) -> Contradiction | None:
    """What doesn't agree among rows that were read or are known; None where chance alone may explain all of it."""
    whole = _failing(rows)
    if whole is None:
        return None
    without = {
        label: _test(rest)
        for label in dict.fromkeys(o.label for o in rows if not _granted(o))
        if not _failing(rest := [o for o in rows if o.label != label])
    }
    least = min((f.chi2 for f in without.values()), default=0.0)
    alike = [label for label, f in without.items() if f.chi2 - least < ALIKE]
    return Contradiction(tuple(sorted(alike, key=lambda label: without[label].chi2)), whole.chi2, whole.dof)


def agree(rows: Sequence[Observation]) -> bool:
    """Whether chance may explain all differences."""
    return _failing(rows) is None


def with_scatter_learnt(rows: Sequence[Observation]) -> list[Observation]:
    """The same rows, their scatter learnt from what contradicts: s² = (ν_p·s_p² + ν·s_r²)/(ν_p + ν).

    s_r is the standard deviation that brings χ² to ν in place of the assumed s_p of how pieces differ, or beside what
    is known where nothing of that kind was assumed. It counts with its own degrees of freedom and is known no longer
    by trade alone.
    """
    found = _failing(rows)
    if found is None:
        return list(rows)
    shown = _scatter_shown(rows, found)
    assumed = [source for o in rows for source, _ in o.effects if source.cause is Cause.PIECES]
    before = assumed[0].dof if assumed else 0.0
    squares = before * assumed[0].u ** 2 if assumed else 0.0
    scatter = math.sqrt((squares + found.dof * shown**2) / (before + found.dof))
    return [_scattered(o, scatter, before + found.dof) for o in rows]


def _scatter_shown(rows: Sequence[Observation], found: Misfit) -> float:
    """The standard deviation of each reading, mm, with which residuals are what they should be."""
    low, high = 0.0, math.sqrt(found.chi2 / found.dof) * max(o.u for o in rows if not o.prior)
    for _ in range(HALVINGS):
        middle = (low + high) / 2
        left = _test([_scattered(o, middle, found.dof) for o in rows]).chi2
        low, high = (middle, high) if left > found.dof else (low, middle)
    return high


def _granted(o: Observation) -> bool:
    return o.prior and any(s.assumed for s, _ in o.effects)


def _failing(rows: Sequence[Observation]) -> Misfit | None:
    """The test that fails: of what was read and is known, or with what was granted as well; None where neither does."""
    read = [o for o in rows if not _granted(o)]
    for found in (misfit(read), _test(rows)) if len(read) < len(rows) else (misfit(rows),):
        if found.dof > 0 and found.chi2 > chi2_quantile(1 - CHANCE, found.dof):
            return found
    return None


def _test(rows: Sequence[Observation]) -> Misfit:
    """With what was granted as wide as is reasonable."""
    return misfit([_wider(o) if _granted(o) else o for o in rows])


def _wider(o: Observation) -> Observation:
    return replace(o, effects=tuple((s._replace(u=WIDER * s.u), c) for s, c in o.effects))


def _scattered(o: Observation, s: float, dof: float) -> Observation:
    """A row that was read, with so much scatter of its own."""
    if o.prior or not o.effects:
        return o
    learnt = Source(Origin("learnt", o.label), s, Cause.PIECES, dof, estimate=Origin("learnt"), shared_dof=dof)
    rest = [(source, c) for source, c in o.effects if source.cause is not Cause.PIECES]
    c = max((abs(c) for source, c in o.effects if source.cause is Cause.PIECES), default=1.0)
    return replace(o, effects=(*rest, (learnt, c)))
