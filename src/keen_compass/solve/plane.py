"""Heights of a bed on a grid: the plane in them and what is left of it; tilt of a head (arithmetic.md §6).

All in mm, tilts in mm per mm.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.quantities.uncertainty import Uncertain, combination

Point = tuple[float, float]


@dataclass(frozen=True, slots=True)
class Plane:
    """z = level + tilt_x·x + tilt_y·y, fitted by least squares; rest: point → height above it."""

    level: float
    tilt_x: float
    tilt_y: float
    rest: Mapping[Point, float]

    def at(self, x: float, y: float) -> float:
        """Height of the plane."""
        return self.level + self.tilt_x * x + self.tilt_y * y

    @property
    def flatness(self) -> float:
        """Highest minus lowest with the plane taken off."""
        return max(self.rest.values()) - min(self.rest.values())


def fit_plane(heights: Mapping[Point, float]) -> Plane:
    """Least-squares plane. Raises InputError for fewer than three points, or points in one line."""
    points = list(heights)
    A = np.array([[1.0, x, y] for x, y in points]).reshape(-1, 3)
    centre = A[:, 1:].mean(axis=0) if points else np.zeros(2)
    B = A.copy()
    B[:, 1:] -= centre  # centred: rank and conditioning don't hang on where the bed's zero is
    size = np.abs(B[:, 1:]).max() if points else 0.0
    if len(points) < 3 or np.linalg.matrix_rank(B / [1, size or 1, size or 1], tol=1e-6) < 3:
        raise InputError(tr("three heights at least, not in one line: fewer have no plane"))
    z = np.array([heights[p] for p in points])
    level, tx, ty = np.linalg.lstsq(B, z, rcond=None)[0]
    rest = z - B @ [level, tx, ty]
    return Plane(
        float(level - tx * centre[0] - ty * centre[1]),
        float(tx),
        float(ty),
        {p: float(r) for p, r in zip(points, rest, strict=True)},
    )


def shims(plane: Plane, corners: Mapping[str, Point]) -> dict[str, float]:
    """By how much each corner has to be raised to level the bed with its highest one, mm."""
    heights = {name: plane.at(*p) for name, p in corners.items()}
    top = max(heights.values())
    return {name: top - h for name, h in heights.items()}


def tram_tilt(high: Uncertain, low: Uncertain, radius: float) -> Uncertain:
    """Tilt of a head's axis from a dial on an arm of `radius`, read at the + and at the − side of one axis.

    A larger reading means a smaller gap. A head whose top leans towards + brings the arm nearer to the bed on the
    + side, so the tilt is (high − low)/2R: positive where the top leans towards +, mm per mm.
    """
    arm = 1 / (2 * radius)
    return combination(((arm, high), (-arm, low)))
