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
PERIODS = 40  # tried between two spacings and the whole length
TARGETS_FOR_CYCLIC = 8
SHOWS = 1.5  # of the resolution or the spread, whichever is larger

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Shape:
    """kind: bend, cyclic or slip. size: mm, peak to peak. where: period or position in the walk."""

    kind: str
    size: float
    where: float


def shape_of(
    positions: Sequence[float], directions: Sequence[int], readings: Sequence[float], resolution: float
) -> Shape | None:
    """The shape of one run; all in the order read, mm. None for a straight one."""
    p, d = np.asarray(positions, float), np.asarray(directions, float)
    y = np.asarray(readings, float) - p
    n = len(y)
    if n < 8:
        return None
    u = (p - p.mean()) / max(float(np.ptp(p)), 1e-9)
    base = np.column_stack([np.ones(n), u, d]) if len(set(directions)) > 1 else np.column_stack([np.ones(n), u])
    floor = resolution**2 / 12
    straight, sigma = _bic(base, y, 0, floor)
    rivals: list[tuple[float, Shape]] = []
    bic, _, c = _trial(base, u[:, None] ** 2, y, 0, floor)
    rivals.append((bic, Shape("bend", abs(c[-1]) / 4, 0.0)))  # of c·u² over u = −½ … ½
    rivals += _cyclic(base, p, y, floor)
    rivals += _slips(base, y, floor)
    bic, shape = min(rivals, key=lambda r: r[0])
    large = shape.size > SHOWS * max(resolution, sigma)
    return shape if straight - bic > CLEARLY and large else None


def _cyclic(base: Array, p: Array, y: Array, floor: float) -> list[tuple[float, Shape]]:
    targets = np.unique(p)
    if len(targets) < TARGETS_FOR_CYCLIC:
        return []
    found = []
    for period in np.geomspace(2.2 * float(np.diff(targets).min()), float(np.ptp(p)), PERIODS):
        phase = 2 * math.pi * p / period
        bic, _, c = _trial(base, np.column_stack([np.sin(phase), np.cos(phase)]), y, 1, floor)
        found.append((bic, Shape("cyclic", 2 * math.hypot(*c[-2:]), float(period))))
    return found


def _slips(base: Array, y: Array, floor: float) -> list[tuple[float, Shape]]:
    found = []
    for k in range(2, len(y) - 1):
        bic, _, c = _trial(base, (np.arange(len(y)) >= k).astype(float)[:, None], y, 1, floor)
        found.append((bic, Shape("slip", abs(float(c[-1])), float(k))))
    return found


def _trial(base: Array, extra: Array, y: Array, scanned: int, floor: float) -> tuple[float, float, Array]:
    columns = np.column_stack([base, extra])
    bic, sigma = _bic(columns, y, scanned, floor)
    c: Array = np.linalg.lstsq(columns, y, rcond=None)[0]
    return bic, sigma, c


def _bic(columns: Array, y: Array, scanned: int, floor: float) -> tuple[float, float]:
    """(BIC, standard deviation left); a scanned position or period is a parameter too."""
    n, k = columns.shape
    left = y - columns @ np.linalg.lstsq(columns, y, rcond=None)[0]
    rss = float(left @ left) + n * floor
    return n * math.log(rss / n) + (k + scanned) * math.log(n), math.sqrt(rss / max(n - k, 1))
