"""The joint solution: every reading of a piece in one weighted least-squares problem (arithmetic.md §8).

Each observation is a row

    value = Σ coefficient · unknown + error,   error with the standard uncertainty of its components.

Readings are such rows; values known from before are rows too, as is the permissible error of an
instrument, which is one unknown shared by all that it read. So more readings average down what is
independent, and leave alone what they share.

Unknowns that the rows cannot separate get no number. They are found from the null space of the
whitened matrix with columns scaled to length one: unknown j is determined exactly when every null
vector has a zero at j.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from keen_compass.errors import UncertaintyError
from keen_compass.quantities.uncertainty import Component, combine, expand

RANK_TOLERANCE = 1e-9  # of the largest singular value, columns scaled
NULL_TOLERANCE = 1e-6  # of a null-space projection's entries, which lie in [−1, 1]

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Observation:
    """One row. With no components the row is exact and must name a single unknown.

    label: what was observed, for messages.
    coefficients: unknown → coefficient.
    value: right-hand side.
    """

    label: str
    coefficients: Mapping[str, float]
    value: float
    components: tuple[Component, ...]


@dataclass(frozen=True, slots=True)
class Estimate:
    """An unknown that the rows determine: value and the components of its uncertainty."""

    value: float
    components: tuple[Component, ...]

    @property
    def u(self) -> float:
        """Standard uncertainty."""
        return combine(self.components)

    @property
    def U(self) -> float:
        """Expanded uncertainty (95 %)."""
        return expand(self.components)


@dataclass(frozen=True, slots=True)
class Fit:
    """What the rows say.

    estimates: only the unknowns that are determined.
    confused: pairs of undetermined unknowns that trade against one another within some row.
    normalised_residuals: observation label → residual / its own standard uncertainty.
    """

    estimates: Mapping[str, Estimate]
    confused: frozenset[tuple[str, str]]
    normalised_residuals: Mapping[str, float]


def fit(observations: Sequence[Observation]) -> Fit:
    """Solve all rows at once. Raises UncertaintyError for an exact row with several unknowns."""
    exact = _exact_values(observations)
    rows = [o for o in observations if o.components]
    names = sorted({n for o in rows for n in o.coefficients if n not in exact})
    known = {n: Estimate(v, ()) for n, v in exact.items()}
    if not names or not rows:
        return Fit(known, frozenset(), {})

    u = np.array([combine(o.components) for o in rows])
    A = np.array([[o.coefficients.get(n, 0.0) for n in names] for o in rows]) / u[:, None]
    held = [sum(c * exact[n] for n, c in o.coefficients.items() if n in exact) for o in rows]
    y = (np.array([o.value for o in rows]) - np.array(held)) / u

    gain, null = _gain_and_null_space(A)
    theta = gain @ y
    determined = np.max(np.abs(null), axis=1, initial=0.0) < NULL_TOLERANCE
    estimates = dict(known)
    for j, name in enumerate(names):
        if determined[j]:
            estimates[name] = Estimate(float(theta[j]), _propagate(gain[j] / u, rows))
    return Fit(estimates, _confused(names, rows, null), _residuals(rows, y - A @ theta))


def would_determine(observations: Sequence[Observation], extra: Observation, unknown: str) -> bool:
    """Whether one more observation would determine `unknown`."""
    return unknown in fit([*observations, extra]).estimates


def _exact_values(observations: Sequence[Observation]) -> dict[str, float]:
    exact: dict[str, float] = {}
    for o in observations:
        if not o.components:
            if len(o.coefficients) != 1:
                raise UncertaintyError(f"{o.label}: a reading without uncertainty can't be weighed; state a resolution")
            ((name, coefficient),) = o.coefficients.items()
            exact[name] = o.value / coefficient
    return exact


def _gain_and_null_space(A: Array) -> tuple[Array, Array]:
    """(gain, null space) of the whitened matrix A, shape (m, p): gain (p, m), null space (p, p − rank).

    Columns are scaled to length one first: a scale in mm/mm and a kerf in mm differ by 10³, and
    without it the rank test would answer for the units, not for the readings.
    """
    norms = np.linalg.norm(A, axis=0)
    norms[norms == 0] = 1.0
    left, singular, right_t = np.linalg.svd(A / norms, full_matrices=A.shape[0] < A.shape[1])  # all of right_t
    rank = int(np.sum(singular > RANK_TOLERANCE * singular[0]))
    gain = (right_t[:rank].T / singular[:rank]) @ left[:, :rank].T / norms[:, None]
    return gain, right_t[rank:].T


def _propagate(weights: Array, rows: Sequence[Observation]) -> tuple[Component, ...]:
    """Components of Σ weight·value (law of propagation, GUM (10)); weights shape (m,)."""
    each = zip(np.abs(weights).tolist(), rows, strict=True)
    return tuple([Component(w * c.u, c.dof, c.rectangular) for w, o in each if w for c in o.components if c.u])


def _confused(names: Sequence[str], rows: Sequence[Observation], null: Array) -> frozenset[tuple[str, str]]:
    if not null.shape[1]:
        return frozenset()
    projection = np.abs(null @ null.T)
    pairs: set[tuple[str, str]] = set()
    for o in rows:
        present = [i for i, n in enumerate(names) if o.coefficients.get(n)]
        pairs.update(
            (names[i], names[j]) for i in present for j in present if i != j and projection[i, j] > NULL_TOLERANCE
        )
    return frozenset(pairs)


def _residuals(rows: Sequence[Observation], whitened: Array) -> dict[str, float]:
    return {o.label: float(r) for o, r in zip(rows, whitened, strict=True)}
