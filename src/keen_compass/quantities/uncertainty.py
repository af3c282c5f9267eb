"""Uncertainty of results, after the GUM (JCGM 100:2008). Formulas: arithmetic.md §3.

A result's variance is a sum over *sources*: unknown errors, each with a standard deviation, its degrees of
freedom and a shape. A source has a name, and the same name is the same error wherever it enters: what two means share
is added up with its sign before it is squared, so that a difference keeps only what differs. Sources whose spread was
estimated from the same readings share the degrees of freedom of that estimate, and they are counted once.

The expanded uncertainty comes from all of them at once (Welch–Satterthwaite, GUM G.4.1), with one exception: where a
single rectangle outweighs everything else a normal k would claim more than its whole width, so k = 1.65, which holds
95 % of a rectangle. And a tilt that was stated must be covered at its limit, because it stays the same all day.
"""

from __future__ import annotations

import math
from collections.abc import Hashable, Iterable, Sequence
from enum import StrEnum
from functools import cache
from typing import NamedTuple

from keen_compass.errors import UncertaintyError
from keen_compass.language import tr

DOMINATES = 0.2  # ratio of everything else to one bounded source; keeps ≥ 94 % inside
TRIFLE = 1e-4  # of a variance: below, a cause limits nothing
K_RECTANGLE = 1.65  # 0.95·√3
K_TILT = math.sqrt(5)  # the whole width of what a tilt within ±Θ does, from its mean


class Cause(StrEnum):
    """What kind of thing makes a result uncertain: what limits an answer is told in these."""

    REPEATS = "repeats"
    DIVISION = "division"
    OWN_ERROR = "own_error"  # the instrument's, within what is permitted
    GAIN = "gain"  # of that, what grows with the length
    TILT = "tilt"
    WARMTH = "warmth"
    PIECES = "pieces"
    SEATING = "seating"
    KNOWN = "known"
    ASSUMED = "assumed"
    SCALE = "scale"  # of an axis that no round proved
    PLAY = "play"  # of an axis that no round measured
    AIM = "aim"  # by eye at a mark
    DRAWN = "drawn"  # where a tool draws, beside where it was sent
    SCATTER = "scatter"  # about a straight line
    PLACES = "places"  # of a sheet, among one another
    SEEN = "seen"  # by eye
    LADDER = "ladder"  # nothing is known between two rungs


class Shape(StrEnum):
    """How an error is distributed."""

    NORMAL = "normal"
    RECTANGLE = "rectangle"
    TILT = "tilt"  # of θ² with θ uniform


class Origin(NamedTuple):
    """Which error it is: equal ones are the same error, whatever anything is called.

    what: which kind of error. of: whose, such as a measurand's, where each has its own. instrument: which one, of what
    it does wherever it is used. nominal, edge: where along it, mm. part: of several pieces, from 0; −1 of one alone.
    """

    what: str
    of: Hashable = None
    instrument: str = ""
    nominal: float = 0.0
    edge: str = ""
    part: int = -1


class Source(NamedTuple):
    """One unknown error.

    origin: which error. u: its standard deviation.
    dof: how well u is known. estimate: from which readings, where others share them; shared_dof: how many of `dof`.
    assumed: what was assumed of it, by its name in an answer; empty where someone measured it.
    """

    origin: Origin
    u: float
    cause: Cause
    dof: float = math.inf
    shape: Shape = Shape.NORMAL
    estimate: Origin | None = None
    shared_dof: float = 0.0
    assumed: str = ""


class Uncertain(NamedTuple):
    """A value with all that makes it uncertain: each source with the coefficient by which it enters."""

    value: float
    effects: tuple[tuple[Source, float], ...]

    @property
    def u(self) -> float:
        """Its standard uncertainty (GUM 3.3.5)."""
        return math.sqrt(math.fsum(v for _, v in variances(self.effects)))

    @property
    def U(self) -> float:
        """Expanded uncertainty (95 %). Raises UncertaintyError for zero."""
        return expand(self.effects)

    def times(self, factor: float) -> Uncertain:
        """The same in another unit, by that factor."""
        return combination(((factor, self),))


def combination(terms: Iterable[tuple[float, Uncertain]], constant: float = 0.0) -> Uncertain:
    """constant + Σ coefficient · value, with what the values share counted once (GUM (16))."""
    summed: dict[Source, float] = {}
    value = constant
    for factor, term in terms:
        value += factor * term.value
        for source, c in term.effects:
            summed[source] = summed.get(source, 0.0) + factor * c
    return Uncertain(value, tuple((s, c) for s, c in summed.items() if c))


def covariance(a: Uncertain, b: Uncertain) -> float:
    """Of two results: what they share."""
    of_b: dict[Origin, float] = {}
    for source, c in b.effects:
        of_b[source.origin] = of_b.get(source.origin, 0.0) + c
    return math.fsum(c * source.u * of_b[source.origin] * source.u for source, c in a.effects if source.origin in of_b)


def variances(effects: Iterable[tuple[Source, float]]) -> list[tuple[Source, float]]:
    """Each source with the variance that it brings; sources of one origin are one."""
    first: dict[Origin, Source] = {}
    summed: dict[Origin, float] = {}
    for source, c in effects:
        origin = source.origin
        if origin in summed:
            summed[origin] += c
        else:
            first[origin], summed[origin] = source, c
    return [(source, (c * source.u) ** 2) for source, c in zip(first.values(), summed.values(), strict=True) if c]


def effective_dof(effects: Iterable[tuple[Source, float]]) -> float:
    """Welch–Satterthwaite (GUM (G.2b)), for variances whose estimates share some of their degrees of freedom.

    Two estimates s² with ν₁ and ν₂ of which ν₀ are the same readings covary by 2σ⁴ν₀/(ν₁ν₂).
    """
    return _dof(variances(effects))


def _dof(weights: Sequence[tuple[Source, float]]) -> float:
    total = math.fsum([v for _, v in weights])
    estimated = [(s, v / total) for s, v in weights if s.dof != math.inf] if total else []
    spread = math.fsum(v * v / s.dof for s, v in estimated)
    together: dict[Origin, list[tuple[Source, float]]] = {}
    for s, v in estimated:
        if s.estimate and s.shared_dof:
            together.setdefault(s.estimate, []).append((s, v))
    for parts in together.values():
        # Σ over pairs i ≠ j of vᵢvⱼν₀/(νᵢνⱼ), each pair sharing the lesser of what both share.
        common = min(s.shared_dof for s, _ in parts)
        per = [v / s.dof for s, v in parts]
        spread += common * (math.fsum(per) ** 2 - math.fsum(p * p for p in per))
    return 1 / spread if spread else math.inf


def expand(effects: Iterable[tuple[Source, float]]) -> float:
    """Expanded uncertainty U (95 %) of a result.

    Raises UncertaintyError for a U of zero: nothing is measured that well, an input is missing.
    """
    weights = variances(tuple(effects))
    total = math.fsum([v for _, v in weights])
    u = math.sqrt(total)
    if not u > 0 or not math.isfinite(u):
        raise UncertaintyError(tr("the uncertainty came out as zero; state the instrument's resolution"))
    widest = max([v for s, v in weights if s.shape is Shape.RECTANGLE], default=0.0)
    if total - widest <= DOMINATES**2 * widest:
        return K_RECTANGLE * u
    tilted = math.fsum([v for s, v in weights if s.shape is Shape.TILT])
    if not tilted:
        return t_95(_dof(weights)) * u
    # Who lies askew lies so all day: what is stated must hold at its limit too, one side of everything else beyond it.
    rest = [(s, v) for s, v in weights if s.shape is not Shape.TILT]
    beside = math.sqrt(math.fsum(v for _, v in rest))
    at_the_limit = K_TILT * math.sqrt(tilted) + (t_quantile(0.95, _dof(rest)) * beside if beside else 0.0)
    return max(t_95(_dof(weights)) * u, at_the_limit)


def limits(effects: Iterable[tuple[Source, float]]) -> tuple[tuple[Cause, float], ...]:
    """What limits an answer: each cause with its share of the variance, the largest first."""
    by_cause: dict[Cause, float] = {}
    for source, v in variances(effects):
        cause = Cause.OWN_ERROR if source.cause is Cause.GAIN else source.cause
        by_cause[cause] = by_cause.get(cause, 0.0) + v
    total = math.fsum(by_cause.values())
    shares = [(c, v / total) for c, v in by_cause.items() if v > TRIFLE * total]
    return tuple(sorted(shares, key=lambda share: -share[1]))


_t_cache: dict[tuple[float, float], float] = {}
K_95 = 1.959963984540054  # of a normal distribution


def t_95(dof: float) -> float:
    """Two-sided 95 % quantile of Student's t."""
    return K_95 if math.isinf(dof) or dof >= 1e6 else t_quantile(0.975, dof)


def t_quantile(p: float, dof: float) -> float:
    """Quantile of Student's t; degrees of freedom beyond 10⁶ are as good as all."""
    key = (p, round(min(dof, 1e6), 2))
    if key not in _t_cache:
        from scipy.special import stdtrit  # late: 650 ms to import, and only answers need it

        _t_cache[key] = float(stdtrit(key[1], p))
    return _t_cache[key]


@cache
def chi2_quantile(p: float, dof: float) -> float:
    """Quantile of χ² for that probability and number of degrees of freedom."""
    from scipy.special import gammaincinv  # late, as above

    return 2 * float(gammaincinv(dof / 2, p))
