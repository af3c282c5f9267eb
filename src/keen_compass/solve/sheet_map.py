"""From places on a flat sheet to the pixels of a picture of it: affine (a scanner), or projective with a lens's radial
distortion (arithmetic.md §12).

    h = P(q),  x = c + (h − c)·(1 + k₁·r²),  r = |h − c| ÷ half the picture's diagonal

q in mm on the sheet, Y up; x in px, v downwards, the first pixel's middle at (0.5, 0.5); c is the picture's middle.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import ArrayLike, NDArray

    Array = NDArray[np.float64]

LEAST_FOR_LENS = 7  # places, from which on a lens's distortion can be told from perspective
BETTER = 0.55  # of the affine map's residuals (px, with some of what places are seen to): then it is a lens's picture
SEEN_TO = 0.15  # px, to which a place is seen at best
TO_LEAVE_OUT = 8  # numbers more than unknowns, from which on a bad place can be told from a wrong map
TURNS = 10  # of either way of weighing
STEP = 0.5  # mm, for slopes of the map
TUKEY = 4.0  # robust standard deviations, beyond which a place counts for nothing


@dataclass(frozen=True)
class SheetMap:
    """H: 3×3, sheet → undistorted px. k1: of the lens. centre, half: of the picture, px."""

    H: Array
    k1: float
    centre: Array
    half: float

    def to_picture(self, places: Array) -> Array:
        """Where places of the sheet, n×2 mm, are in the picture, px."""
        at = np.column_stack([places, np.ones(len(places))]) @ self.H.T
        off = at[:, :2] / at[:, 2:] - self.centre
        found: Array = self.centre + off * (1 + self.k1 * (off**2).sum(axis=1, keepdims=True) / self.half**2)
        return found

    def to_sheet(self, pixels: Array) -> Array:
        """Inverse of `to_picture`."""
        seen = pixels - self.centre
        off = seen.copy()
        for _ in range(8):  # k₁ is a few hundredths: each turn gains two digits
            off = seen / (1 + self.k1 * (off**2).sum(axis=1, keepdims=True) / self.half**2)
        at = np.column_stack([off + self.centre, np.ones(len(pixels))]) @ np.linalg.inv(self.H).T
        back: Array = at[:, :2] / at[:, 2:]
        return back

    def slopes(self, place: ArrayLike) -> Array:
        """∂px/∂mm at a place, 2×2."""
        ends = self.to_picture(np.asarray(place, float) + STEP * np.array([[1.0, 0], [-1, 0], [0, 1], [0, -1]]))
        return np.column_stack([ends[0] - ends[1], ends[2] - ends[3]]) / (2 * STEP)

    def px_per_mm(self, place: ArrayLike) -> float:
        """How large a millimetre is at a place: mean over all directions."""
        return math.sqrt(abs(float(np.linalg.det(self.slopes(place)))))

    def turn(self, place: ArrayLike) -> float:
        """Which way the sheet's X points in the picture, rad: 0 to the right, positive upwards."""
        across = self.slopes(place)[:, 0]
        return math.atan2(-across[1], across[0])

    def mirrored(self, place: ArrayLike) -> bool:
        """Whether the sheet is seen from behind, or the picture was turned over: v runs down."""
        return bool(np.linalg.det(self.slopes(place)) > 0)

    @property
    def affine(self) -> bool:
        """Whether parallels stay parallel."""
        return not self.k1 and not self.H[2, :2].any()


@dataclass(frozen=True)
class Fitted:
    """The map and its residuals at each place, n×2 px, and which of the places it leaves aside."""

    map: SheetMap
    residuals: Array
    left_out: NDArray[np.bool_]

    @property
    def rms(self) -> float:
        """Of the residuals that count, px."""
        used = self.residuals[~self.left_out]
        return math.sqrt(float((used**2).sum(axis=1).mean()))


def fitted(places: Array, pixels: Array, shape: tuple[int, int], *, projective: bool | None = None) -> Fitted:
    """The map through what was seen: sheet mm → px, n×2 each, n ≥ 3; shape: rows, columns of the picture.

    projective: None takes the simplest that fits. A place that was found wrongly is left out.
    """
    affine = _with_weights(places, pixels, shape, 6)
    if projective is False or len(places) < 4 + (projective is None):
        return affine
    lens = _with_weights(places, pixels, shape, 9 if len(places) >= LEAST_FOR_LENS else 8)
    if projective or lens.rms + SEEN_TO < BETTER * (affine.rms + SEEN_TO):
        return lens
    return affine


def _with_weights(places: Array, pixels: Array, shape: tuple[int, int], freedom: int) -> Fitted:
    """Gauss–Newton: least absolute residuals first, which one bad place doesn't pull far, then Tukey's biweight."""
    centre, half = np.array([shape[1] / 2, shape[0] / 2]), math.hypot(*shape) / 2
    middle, size = places.mean(axis=0), float(np.abs(places - places.mean(axis=0)).max()) or 1.0
    own = (places - middle) / size
    found = _direct(own, pixels, freedom)
    p = np.append((found / found[2, 2]).ravel()[:8], 0.0)
    weight = np.ones(len(places))
    left_out = np.zeros(len(places), bool)
    for turn in range(2 * TURNS):
        base, slopes = _value(p, own, centre, half), []
        for k in range(freedom):
            h = 1e-6 * max(abs(p[k]), 1.0)
            slopes.append((_value(p + h * (np.arange(9) == k), own, centre, half) - base).ravel() / h)
        J, r = np.column_stack(slopes), (pixels - base).ravel()
        w = np.repeat(weight, 2)[:, None]
        step = np.linalg.lstsq(J * w, r * w[:, 0], rcond=1e-12)[0]
        p = p + np.append(step, np.zeros(9 - freedom))
        off = np.hypot(*(pixels - _value(p, own, centre, half)).T)
        if 2 * len(places) >= freedom + TO_LEAVE_OUT:
            scale = 1.4826 * float(np.median(off)) + SEEN_TO
            left_out = off > TUKEY * scale
            beside = np.clip(1 - (off / (TUKEY * scale)) ** 2, 0.0, None)
            weight = beside if turn >= TURNS else 1 / np.sqrt(off + SEEN_TO)
    H = np.append(p[:8], 1.0).reshape(3, 3) @ np.array(
        [[1 / size, 0, -middle[0] / size], [0, 1 / size, -middle[1] / size], [0, 0, 1]]
    )
    if freedom == 6:
        H = H / H[2, 2]
        H[2, :2] = 0.0
    found_map = SheetMap(H / H[2, 2], float(p[8]), centre, half)
    return Fitted(found_map, pixels - found_map.to_picture(places), left_out)


def _value(p: Array, own: Array, centre: Array, half: float) -> Array:
    return SheetMap(np.append(p[:8], 1.0).reshape(3, 3), float(p[8]), centre, half).to_picture(own)


def _direct(own: Array, pixels: Array, freedom: int) -> Array:
    """A first map, by linear equations."""
    n, one, none = len(own), np.ones((len(own), 1)), np.zeros((len(own), 3))
    q = np.column_stack([own, one])
    if freedom == 6 or n < 4:
        rows = np.linalg.lstsq(q, pixels, rcond=None)[0].T
        return np.vstack([rows, [0, 0, 1]])
    scale = float(np.abs(pixels).max()) or 1.0
    u, v = pixels[:, :1] / scale, pixels[:, 1:] / scale
    A = np.vstack([np.hstack([q, none, -u * q]), np.hstack([none, q, -v * q])])
    H: Array = np.linalg.svd(A)[2][-1].reshape(3, 3)
    return np.diag([scale, scale, 1.0]) @ H
