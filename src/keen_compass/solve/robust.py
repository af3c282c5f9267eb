"""Least squares that single bad rows don't pull: reweighted with Tukey's biweight."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.floating[Any]]

TUKEY = 4.0  # robust standard deviations, from which on a row counts for nothing
TURNS = 8


class Robust(NamedTuple):
    """What solves A·x = b. rest: b − A·x; weight: of each row, its root (0 … 1)."""

    x: Array
    rest: Array
    weight: Array

    @property
    def rms(self) -> float:
        """Of the rest, as far as it counts."""
        return math.sqrt(float((self.weight * self.rest**2).sum() / self.weight.sum()))


def robust(A: Array, b: Array, floor: float) -> Robust:
    """A: n×m, n > m. floor: what rows differ by at least, in b's unit."""
    weight, x, rest = np.ones(len(b)), np.zeros(A.shape[1]), b
    for _ in range(TURNS):
        x = np.asarray(np.linalg.lstsq(A * weight[:, None], b * weight, rcond=None)[0], float)
        rest = b - A @ x
        spread = 1.4826 * float(np.median(np.abs(rest))) + floor
        weight = np.clip(1 - (rest / (TUKEY * spread)) ** 2, 0, None)
    return Robust(x, rest, weight)
