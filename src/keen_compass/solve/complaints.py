"""What explains complaints: coarse readings of one linear model, with priors and heavy tails (arithmetic.md §11).

Of a complaint of which only the sign is known, the half-line is met by the normal distribution of the same mean and
variance. A complaint may be wrong: its error is Student's t with three degrees of freedom.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from keen_compass.quantities.uncertainty import K_95

TAILS = 3.0  # degrees of freedom
ROUNDS = 60
# Of a half-line, in standard deviations of what was expected: where a normal reading with the same outcome lies.
HALF_AT, HALF_U = math.sqrt(math.pi / 2), math.sqrt(1 / (2 / math.pi) - 1)


@dataclass(frozen=True, slots=True)
class Complaint:
    """What is seen: coefficients by cause; how much, mm, and U of that; sign: ±1 where only that is known."""

    by: Mapping[str, float]
    seen: float = 0.0
    U: float = 0.0
    sign: int = 0


@dataclass(frozen=True, slots=True)
class Prior:
    """What is expected of a cause: mean and standard deviation, in its error unit; positive: it is never negative."""

    mean: float
    sd: float
    positive: bool = False


@dataclass(frozen=True, slots=True)
class Explained:
    """What a cause is by now, with U, and the share of the complaints that it explains."""

    value: float
    U: float
    share: float


def explain(complaints: Sequence[Complaint], priors: Mapping[str, Prior]) -> tuple[dict[str, Explained], float]:
    """(causes by name, the share that stays unexplained); all shares add up to 1."""
    names = [n for n in priors if any(c.by.get(n) for c in complaints)]
    mean = np.array([priors[n].mean for n in names])
    cov = np.diag([priors[n].sd ** 2 for n in names]) if names else np.zeros((0, 0))
    A = np.array([[c.by.get(n, 0.0) for n in names] for c in complaints]).reshape(len(complaints), len(names))
    spread = np.sqrt(np.maximum(np.einsum("ij,jk,ik->i", A, cov, A), 1e-12))
    seen = np.array([c.sign * HALF_AT * s if c.sign else c.seen for c, s in zip(complaints, spread, strict=True)])
    u = np.array([HALF_U * s if c.sign else c.U / K_95 for c, s in zip(complaints, spread, strict=True)])
    weights, at, left = np.ones(len(complaints)), mean, cov
    for _ in range(ROUNDS):
        gain = cov @ A.T @ np.linalg.inv(A @ cov @ A.T + np.diag(u**2 / weights))
        at, left = mean + gain @ (seen - A @ mean), cov - gain @ A @ cov
        off = (seen - A @ at) / u
        weights = np.where([bool(c.sign) for c in complaints], 1.0, (TAILS + 1) / (TAILS + off**2))
    at = np.array([max(v, 0.0) if priors[n].positive else v for n, v in zip(names, at, strict=True)])
    counted = weights / u**2
    whole = float((counted * seen**2).sum()) or 1.0
    each = (counted * seen) @ (A * at) / whole if names else np.zeros(0)
    # What works against a complaint explains nothing of it, and takes from what the others do.
    shares = np.maximum(each, 0.0)
    shares = shares * min(max(float(each.sum()), 0.0), 1.0) / (float(shares.sum()) or 1.0)
    found = {
        n: Explained(float(v), K_95 * math.sqrt(max(float(left[i, i]), 0.0)), float(shares[i]))
        for i, (n, v) in enumerate(zip(names, at, strict=True))
    }
    return found, max(1.0 - float(shares.sum()), 0.0)
