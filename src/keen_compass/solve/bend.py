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
from functools import lru_cache

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
    n = len(readings)
    if n < 8:
        return None
    walk = _walk(tuple(map(float, positions)), tuple(directions))
    line = _Line(walk, np.asarray(readings, float) - walk.p, resolution**2 / 12)
    rivals = [_bend(line), *_cyclic(line), *_slips(line)]
    bic, shape = min(rivals, key=lambda r: r[0])
    large = shape.size > SHOWS * max(resolution, line.sigma) + 2 * own
    return shape if line.bic - bic > CLEARLY and large else None


def evenly_spaced(spacings: Sequence[float]) -> bool:
    """Whether spacings differ too little to tell a short wave from a long one."""
    return max(spacings) - min(spacings) <= UNEVEN * sum(spacings) / len(spacings)


@dataclass(frozen=True)
class _Walk:
    """What every shape takes of where a run went, whatever was read there: while one types it stays the same.

    p: positions, n. q: the straight line and the play, orthonormal, n×2 or n×3. All that follows with the line taken
    out: bent, u²; sine and cosine, waves of some periods (mm), n×periods; slips, a step from the third reading on, from
    the fourth …
    """

    p: Array
    q: Array
    bent: Array
    periods: Array
    sine: Array
    cosine: Array
    slips: Array


@lru_cache(maxsize=8)
def _walk(positions: tuple[float, ...], directions: tuple[int, ...]) -> _Walk:
    p, d = np.array(positions), np.array(directions, float)
    n = len(p)
    u = (p - p.mean()) / max(float(np.ptp(p)), 1e-9)
    base = np.column_stack([np.ones(n), u, d]) if len(set(directions)) > 1 else np.column_stack([np.ones(n), u])
    q = np.linalg.qr(base)[0]
    periods = _periods(p)
    phase = 2 * math.pi * p[:, None] / periods[None, :]
    starts = np.arange(2, n - 1)
    steps = (np.arange(n)[:, None] >= starts[None, :]).astype(float)
    bent, sine, cosine, slips = (_without(q, c) for c in (u**2, np.sin(phase), np.cos(phase), steps))
    return _Walk(p, q, bent, periods, sine, cosine, slips)


def _without(q: Array, columns: Array) -> Array:
    """Columns with the straight line taken out."""
    found: Array = columns - q @ (q.T @ columns)
    return found


def _periods(p: Array) -> Array:
    """Periods of the waves that targets can tell, mm; none where there are too few."""
    targets = np.unique(p)
    if len(targets) < TARGETS_FOR_CYCLIC:
        return np.empty(0)
    span, spacings = float(np.ptp(p)), np.diff(targets)
    # Between even targets a short wave looks like a long one or like none; uneven ones tell them apart.
    even = evenly_spaced(spacings.tolist())
    shortest = 2.2 * float(spacings.mean()) if even else min(SHORTEST, float(spacings.min()))
    return span / np.arange(1.0, max(span / shortest, 2.0), FINE)


class _Line:
    """The straight line, taken out once: rivals are fitted to what it leaves, which gives the same coefficients
    (Frisch–Waugh) and spares a fit of everything for each of them.
    """

    def __init__(self, walk: _Walk, y: Array, floor: float) -> None:
        self.walk = walk
        self.n, self._k = walk.q.shape
        self._floor = floor
        self.left = _without(walk.q, y)
        self.rss = float(self.left @ self.left)
        self.bic = self.criterion(self.rss, 0)
        self.sigma = math.sqrt(max(self.rss + self.n * floor, 0.0) / max(self.n - self._k, 1))

    def criterion(self, rss: float, more: int) -> float:
        """BIC of a rival with so many more parameters."""
        n, k = float(self.n), float(self._k + more)
        return n * math.log(max(rss, 0.0) / n + self._floor) + k * math.log(n)


def _bend(line: _Line) -> tuple[float, Shape]:
    e = line.walk.bent
    c = float(e @ line.left) / max(float(e @ e), 1e-12)
    rss = line.rss - c * float(e @ line.left)
    return line.criterion(rss, 1), Shape("bend", abs(c) / 4, 0.0)  # of c·u² over u = −½ … ½


def _cyclic(line: _Line) -> list[tuple[float, Shape]]:
    walk = line.walk
    if not len(walk.periods):
        return []
    sine, cosine = walk.sine, walk.cosine
    # Normal equations of two columns, for all periods at once.
    ss, cc, sc = (np.einsum("ij,ij->j", a, b) for a, b in ((sine, sine), (cosine, cosine), (sine, cosine)))
    sy, cy = sine.T @ line.left, cosine.T @ line.left
    det = np.maximum(ss * cc - sc**2, 1e-9 * ss * cc + 1e-12)
    a, b = (cc * sy - sc * cy) / det, (ss * cy - sc * sy) / det
    rss, size = line.rss - (a * sy + b * cy), 2 * np.hypot(a, b)
    i = int(np.argmin(rss))  # of as many parameters each: the scanned period is one too
    return [(line.criterion(float(rss[i]), 3), Shape("cyclic", float(size[i]), float(walk.periods[i])))]


def _slips(line: _Line) -> list[tuple[float, Shape]]:
    e = line.walk.slips
    if not e.shape[1]:
        return []
    onto = e.T @ line.left
    c = onto / np.maximum(np.einsum("ij,ij->j", e, e), 1e-12)
    i = int(np.argmax(c * onto))
    return [(line.criterion(line.rss - float(c[i] * onto[i]), 2), Shape("slip", abs(float(c[i])), float(i + 2)))]
