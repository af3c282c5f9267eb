"""The joint solution: everything that was read in one weighted least-squares problem (arithmetic.md §8).

Each observation is a row

    value = Σ coefficient · unknown + error

whose error is made of sources. Two rows may share some of them (an instrument, a tilt), so the rows' covariance is
whole, V = C·diag(u²)·Cᵀ over all sources, and the weights are V⁻¹. More readings average down what is independent, and
leave alone what they share. What is known or assumed from before is a row too.

An unknown has a name and says whose it is: rows of several pieces, procedures and instruments stack.

Unknowns that the rows cannot separate get no number. They are found from the null space of the whitened matrix with
columns scaled to length one: unknown j is determined exactly when every null vector has a zero at j.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from keen_compass.errors import UncertaintyError
from keen_compass.language import tr
from keen_compass.quantities.uncertainty import K_95, Cause, Origin, Source, Uncertain, combination

RANK_TOLERANCE = 1e-9  # of the largest singular value, columns scaled
NULL_TOLERANCE = 1e-6  # of a null-space projection's entries, which lie in [−1, 1]
ITERATIONS = 30
SETTLED = 1e-6  # of its standard uncertainty, by which an unknown may still move
ROUNDING = 1e-13  # relative; below, it is only arithmetic that moves

Array = NDArray[np.float64]


class Unknown(NamedTuple):
    """What a fit looks for. subject: whose it is (a key of `quantities.subjects`); empty for the machine alone."""

    name: str
    subject: str = ""


@dataclass(frozen=True, slots=True)
class Known:
    """A value known from before.

    U: expanded uncertainty; None where it was stated without (then it is held exactly). cause: how it is known.
    evidence: what it was derived from; a fit of those very rows never takes it.
    """

    value: float
    U: float | None = None
    cause: Cause = Cause.KNOWN
    evidence: frozenset[str] = frozenset()

    @property
    def assumed(self) -> bool:
        """Whether it was never measured."""
        return self.cause is not Cause.KNOWN

    @property
    def u(self) -> float:
        """Standard uncertainty; 0 where held exactly."""
        return (self.U or 0.0) / K_95

    def row(self, unknown: Unknown, coefficients: Mapping[Unknown, float] | None = None) -> Observation:
        """As a row of a fit. coefficients: where it is known of a combination."""
        source = Source(Origin("known", unknown), self.u, self.cause, assumed=unknown.name if self.assumed else "")
        return Observation(
            unknown.name,
            coefficients or {unknown: 1.0},
            self.value,
            ((source, 1.0),) if self.U else (),
            self.evidence,
            prior=True,
        )


@dataclass(frozen=True, slots=True)
class Observation:
    """One row. With no effects the row is exact and must name a single unknown.

    label: what was observed, for messages. coefficients: unknown → coefficient. value: right-hand side.
    effects: the sources of its error. evidence: which readings it comes from. prior: known or assumed, not read.
    """

    label: str
    coefficients: Mapping[Unknown, float]
    value: float
    effects: tuple[tuple[Source, float], ...]
    evidence: frozenset[str] = frozenset()
    prior: bool = False

    @property
    def u(self) -> float:
        """Standard uncertainty of the row by itself."""
        return Uncertain(0.0, self.effects).u


class Misfit(NamedTuple):
    """Sum of squares of the whitened residuals, and how large it should be on average."""

    chi2: float
    dof: int


@dataclass(frozen=True, slots=True)
class Fit:
    """What the rows say.

    estimates: only the unknowns that are determined.
    confused: pairs of undetermined unknowns that trade against one another within some row.
    chi2, dof: sum of squares of the whitened residuals, and how many it should be on average.
    """

    estimates: Mapping[Unknown, Uncertain]
    confused: frozenset[tuple[Unknown, Unknown]] = frozenset()
    chi2: float = 0.0
    dof: int = 0
    _left: Mapping[str, tuple[float, Array]] = field(default_factory=dict)
    _sources: Sequence[Source] = ()

    def residual(self, label: str) -> Uncertain | None:
        """What is left of a row, with its own uncertainty, in the row's unit; None of one that isn't there."""
        if label not in self._left:
            return None
        value, carried = self._left[label]
        return Uncertain(value, _effects(self._sources, carried))

    def of(self, coefficients: Mapping[Unknown, float], constant: float = 0.0) -> Uncertain:
        """A linear function of determined unknowns, with its own uncertainty."""
        return combination(((c, self.estimates[name]) for name, c in coefficients.items()), constant)

    def strain(self, label: str) -> float:
        """How far a row's residual lies outside what its sources explain, as a share of their U; 0 where it can't."""
        left = self.residual(label)
        return abs(left.value) / left.U if left and left.u > 0 else 0.0


def fit(observations: Sequence[Observation]) -> Fit:
    """Solve all rows at once.

    Raises UncertaintyError for an exact row with several unknowns, and where the numbers leave what can be computed.
    """
    observations = without_what_follows(observations)
    known = {n: Uncertain(v, ()) for n, v in _exact_values(observations).items()}
    found = _solved(observations)
    if found is None:
        return Fit(known)
    determined = np.max(np.abs(found.null), axis=1, initial=0.0) < NULL_TOLERANCE
    carried = found.weights @ found.C
    estimates = dict(known)
    for j, name in enumerate(found.names):
        if determined[j]:
            estimates[name] = Uncertain(float(found.theta[j]), _effects(found.sources, carried[j]))
    leaves = found.C - found.A @ carried
    rests = {o.label: (float(r), c) for o, r, c in zip(found.rows, found.left, leaves, strict=True)}
    chi2, dof = found.misfit
    return Fit(estimates, _confused(found.names, found.rows, found.null), chi2, dof, rests, found.sources)


def misfit(observations: Sequence[Observation]) -> Misfit:
    """What a fit leaves, without all else that it says. Raises UncertaintyError as `fit` does."""
    found = _solved(without_what_follows(observations))
    return found.misfit if found else Misfit(0.0, 0)


class _Solved(NamedTuple):
    """Least squares of rows: A·θ ≈ y, whitened. C: what one standard deviation of each source does to each row."""

    names: list[Unknown]
    rows: list[Observation]
    sources: list[Source]
    C: Array
    A: Array
    weights: Array
    theta: Array
    null: Array
    left: Array
    misfit: Misfit


def _solved(observations: Sequence[Observation]) -> _Solved | None:
    """None where there is nothing to solve for."""
    exact = _exact_values(observations)
    rows = [o for o in observations if o.effects]
    names = list(dict.fromkeys(n for o in rows for n in o.coefficients if n not in exact))
    if not names or not rows:
        return None
    sources, C = _sources(rows)
    whiten = _whitener(C)
    held = [sum(c * exact[n] for n, c in o.coefficients.items() if n in exact) for o in rows]
    y = np.array([o.value for o in rows]) - np.array(held)
    A = np.array([[o.coefficients.get(n, 0.0) for n in names] for o in rows])
    gain, null = _gain_and_null_space(whiten @ A)
    weights = gain @ whiten  # unknowns × rows
    theta = weights @ y
    if not np.all(np.isfinite(theta)):
        raise UncertaintyError(tr("these numbers leave what can be computed"))
    left = y - A @ theta
    white = whiten @ left
    rank = len(names) - null.shape[1]
    found = Misfit(float(white @ white), len(rows) - rank)
    return _Solved(names, rows, sources, C, A, weights, theta, null, left, found)


def iterated(
    rows_at: Callable[[Mapping[Unknown, float]], Sequence[Observation]], start: Mapping[Unknown, float]
) -> Fit:
    """Rows that depend on the unknowns: linear about a point, solved, and again about the solution (Gauss–Newton).

    rows_at: the rows about a point, their values and coefficients in the *unknowns themselves*, not in steps of them.
    Raises UncertaintyError where it doesn't settle.
    """
    at = dict(start)
    for _ in range(ITERATIONS):
        found = fit(rows_at(at))
        news = {n: e for n, e in found.estimates.items() if n in at}
        moves = any(abs(e.value - at[n]) > max(SETTLED * e.u, ROUNDING * abs(e.value)) for n, e in news.items())
        at |= {n: e.value for n, e in found.estimates.items() if n in at}
        if not moves:
            return found
    raise UncertaintyError(tr("the readings don't lead to one answer"))


def would_determine(observations: Sequence[Observation], extra: Observation, unknown: Unknown) -> bool:
    """Whether one more observation would determine `unknown`."""
    return unknown in fit([*observations, extra]).estimates


def without_what_follows(observations: Iterable[Observation]) -> list[Observation]:
    """Without what is known only from the very readings that are there: they would count twice."""
    rows = list(observations)
    read = frozenset[str]().union(*(o.evidence for o in rows if not o.prior))
    return [o for o in rows if not (o.prior and o.evidence & read)]


def _exact_values(observations: Sequence[Observation]) -> dict[Unknown, float]:
    exact: dict[Unknown, float] = {}
    for o in observations:
        if not o.effects:
            if len(o.coefficients) != 1:
                raise UncertaintyError(
                    tr("{label}: a reading without uncertainty can't be weighed; state a resolution", label=o.label)
                )
            ((name, coefficient),) = o.coefficients.items()
            exact[name] = o.value / coefficient
    return exact


def _sources(rows: Sequence[Observation]) -> tuple[list[Source], Array]:
    """(sources, C): C of shape (rows, sources) holds what one standard deviation of each does to each row."""
    at: dict[Origin, int] = {}
    sources: list[Source] = []
    entries: list[tuple[int, int, float]] = []
    for i, o in enumerate(rows):
        for source, c in o.effects:
            k = at.setdefault(source.origin, len(sources))
            if k == len(sources):
                sources.append(source)
            entries.append((i, k, c * source.u))
    C = np.zeros((len(rows), len(sources)))
    for i, k, c in entries:
        C[i, k] += c
    return sources, C


def _whitener(C: Array) -> Array:
    """W with W·V·Wᵀ = 1. Rows are scaled to deviation one first: a scale and a length differ by 10³."""
    size = np.sqrt(np.sum(C * C, axis=1))
    if not np.all(size > 0) or not np.all(np.isfinite(size)):
        raise UncertaintyError(tr("a reading without uncertainty can't be weighed; state the instrument's resolution"))
    scaled = C / size[:, None]
    try:
        L = np.linalg.cholesky(scaled @ scaled.T)
        found: Array = np.linalg.solve(L, np.diag(1 / size))
    except np.linalg.LinAlgError:
        raise UncertaintyError(
            tr("the readings share everything that makes them uncertain; state the instrument's resolution")
        ) from None
    return found


def _gain_and_null_space(A: Array) -> tuple[Array, Array]:
    """(gain, null space) of the whitened matrix A, shape (m, p): gain (p, m), null space (p, p − rank).

    Columns are scaled to length one first: a scale in mm/mm and a kerf in mm differ by 10³, and
    without it the rank test would answer for the units, not for the readings.
    """
    norms = np.linalg.norm(A, axis=0)
    norms[norms == 0] = 1.0
    try:
        left, singular, right_t = np.linalg.svd(A / norms, full_matrices=A.shape[0] < A.shape[1])  # all of right_t
    except np.linalg.LinAlgError:
        raise UncertaintyError(tr("these numbers leave what can be computed")) from None
    rank = int(np.sum(singular > RANK_TOLERANCE * singular[0]))
    gain = (right_t[:rank].T / singular[:rank]) @ left[:, :rank].T / norms[:, None]
    return gain, right_t[rank:].T


def _effects(sources: Sequence[Source], carried: Array) -> tuple[tuple[Source, float], ...]:
    """carried: what one standard deviation of each source does."""
    return tuple([(s, c / s.u) for s, c in zip(sources, carried.tolist(), strict=True) if c])


def _confused(names: Sequence[Unknown], rows: Sequence[Observation], null: Array) -> frozenset[tuple[Unknown, Unknown]]:
    if not null.shape[1]:
        return frozenset()
    projection = np.abs(null @ null.T)
    pairs: set[tuple[Unknown, Unknown]] = set()
    for o in rows:
        present = [i for i, n in enumerate(names) if o.coefficients.get(n)]
        pairs.update(
            (names[i], names[j]) for i in present for j in present if i != j and projection[i, j] > NULL_TOLERANCE
        )
    return frozenset(pairs)
