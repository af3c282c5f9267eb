"""What shape a run's residuals have: straight, bent, cyclic or slipping (arithmetic.md §5).

Rival models are fitted to all single readings and compared by Schwarz's criterion
BIC = n·ln(RSS/n) + k·ln n; a shape is named only when it beats the straight line clearly and is
larger than a division. The readings' own rounding is a floor under RSS, so that equal readings
don't look infinitely exact.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

CLEARLY = 14.0  # BIC difference: odds of about 1000 : 1
FINE = 0.2  # of a wave over the whole run, by which periods are tried
SHORTEST = 20.0  # mm, period that is looked for where uneven spacing shows it
TARGETS_FOR_CYCLIC = 8
UNEVEN = 0.05  # of the mean spacing, by which spacings must differ
SHOWS = 1.5  # of the resolution or the spread, whichever is larger

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Shape:
    """kind: bend, cyclic or slip. size: mm, peak to peak. where: period or position in the walk."""

    kind: str
    size: float
    where: float


def shape_of(
    positions: Sequence[float],
    directions: Sequence[int],
    readings: Sequence[float],
    resolution: float,
    own: float = 0.0,
) -> Shape | None:
    """The shape of one run; all in the order read, mm. None for a straight one.

    own: by how much the instrument itself may be off at any one place, mm: a shape within that is the instrument's.
    """
    p, d = np.asarray(positions, float), np.asarray(directions, float)
    y = np.asarray(readings, float) - p
    n = len(y)
    if n < 8:
        return None
    u = (p - p.mean()) / max(float(np.ptp(p)), 1e-9)
    base = np.column_stack([np.ones(n), u, d]) if len(set(directions)) > 1 else np.column_stack([np.ones(n), u])
    line = _Line(base, y, resolution**2 / 12)
    rivals = [_bend(line, u), *_cyclic(line, p), *_slips(line)]
    bic, shape = min(rivals, key=lambda r: r[0])
    large = shape.size > SHOWS * max(resolution, line.sigma) + 2 * own
    return shape if line.bic - bic > CLEARLY and large else None


def evenly_spaced(spacings: Sequence[float]) -> bool:
    """Whether spacings differ too little to tell a short wave from a long one."""
    return max(spacings) - min(spacings) <= UNEVEN * sum(spacings) / len(spacings)


class _Line:
    """The straight line, taken out once: rivals are fitted to what it leaves, which gives the same coefficients
    (Frisch–Waugh) and spares a fit of everything for each of them.
    """

    def __init__(self, base: Array, y: Array, floor: float) -> None:
        self._q = np.linalg.qr(base)[0]
        self.n, self._k = base.shape
        self._floor = floor
        self.left = self.without(y)
        self.rss = float(self.left @ self.left)
        self.bic = self.criterion(self.rss, 0)
        self.sigma = math.sqrt(max(self.rss + self.n * floor, 0.0) / max(self.n - self._k, 1))

    def without(self, columns: Array) -> Array:
        """Columns with the straight line taken out."""
        found: Array = columns - self._q @ (self._q.T @ columns)
        return found

    def criterion(self, rss: float, more: int) -> float:
        """BIC of a rival with so many more parameters."""
        n, k = float(self.n), float(self._k + more)
        return n * math.log(max(rss, 0.0) / n + self._floor) + k * math.log(n)


def _bend(line: _Line, u: Array) -> tuple[float, Shape]:
    e = line.without(u**2)
    c = float(e @ line.left) / max(float(e @ e), 1e-12)
    rss = line.rss - c * float(e @ line.left)
    return line.criterion(rss, 1), Shape("bend", abs(c) / 4, 0.0)  # of c·u² over u = −½ … ½


def _cyclic(line: _Line, p: Array) -> list[tuple[float, Shape]]:
    targets = np.unique(p)
    if len(targets) < TARGETS_FOR_CYCLIC:
        return []
    span, spacings = float(np.ptp(p)), np.diff(targets)
    # Between even targets a short wave looks like a long one or like none; uneven ones tell them apart.
    even = evenly_spaced(spacings.tolist())
    shortest = 2.2 * float(spacings.mean()) if even else min(SHORTEST, float(spacings.min()))
    periods = span / np.arange(1.0, max(span / shortest, 2.0), FINE)
    phase = 2 * math.pi * p[:, None] / periods[None, :]
    sine, cosine = line.without(np.sin(phase)), line.without(np.cos(phase))
    # Normal equations of two columns, for all periods at once.
    ss, cc, sc = np.sum(sine**2, axis=0), np.sum(cosine**2, axis=0), np.sum(sine * cosine, axis=0)
    sy, cy = sine.T @ line.left, cosine.T @ line.left
    det = np.maximum(ss * cc - sc**2, 1e-9 * ss * cc + 1e-12)
    a, b = (cc * sy - sc * cy) / det, (ss * cy - sc * sy) / det
    rss, size = line.rss - (a * sy + b * cy), 2 * np.hypot(a, b)
    i = int(np.argmin(rss))  # of as many parameters each: the scanned period is one too
    return [(line.criterion(float(rss[i]), 3), Shape("cyclic", float(size[i]), float(periods[i])))]


def _slips(line: _Line) -> list[tuple[float, Shape]]:
    n = line.n
    starts = np.arange(2, n - 1)
    e = line.without((np.arange(n)[:, None] >= starts[None, :]).astype(float))
    onto = e.T @ line.left
    c = onto / np.maximum(np.sum(e * e, axis=0), 1e-12)
    if not len(starts):
        return []
    i = int(np.argmax(c * onto))
    return [(line.criterion(line.rss - float(c[i] * onto[i]), 2), Shape("slip", abs(float(c[i])), float(starts[i])))]
