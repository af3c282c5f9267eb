"""What a map of a print means: shift, turn, skew and scales; and what is known of them."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from keen_compass.quantities.assumed import Spread

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

SURE_ENOUGH = 0.02  # standard, of a scale or skew: what is known worse than that tells nothing


@dataclass(frozen=True, slots=True)
class Split:
    """What a map means. shift: mm; turn: rad; skew: tan κ; scale: (along x, along y), x below 0 where mirrored."""

    shift: tuple[float, float]
    turn: float
    skew: float
    scale: tuple[float, float]


@dataclass(frozen=True)
class Shapes:
    """What is known of a map's scales and skew, whatever its turn.

    expected: of a turn (rad) the mean of (scale x, scale y, skew); whitens: 3 columns, by as many rows as are known:
    times a difference from the mean it gives numbers of variance one.
    """

    expected: Callable[[float], Array]
    whitens: Callable[[float], Array]

    @classmethod
    def known(cls, axes: Sequence[Spread], lean: Spread, printed: Sequence[Spread], means: Sequence[float]) -> Shapes:
        """From the axes' scale errors (mm/mm), Y's lean (tan γ) and the print's scale errors; s of each is standard.

        means: of the same five, in that order. Of a position that a controller shows, p = M⁻¹·R·P·q with
        M = [[1 + s_x, (1 + s_y)·sin γ], [0, (1 + s_y)·cos γ]], as axes that are long make a commanded length long.
        """
        u = np.array([*(a.s for a in axes), lean.s, *(p.s for p in printed)])

        def shape(turn: float, v: Array) -> Array:
            s_x, s_y, tan, p_x, p_y = v
            c, s = math.cos(turn), math.sin(turn)
            gamma = math.atan(tan)
            axes_ = np.array([[1 + s_x, (1 + s_y) * math.sin(gamma)], [0, (1 + s_y) * math.cos(gamma)]])
            linear = np.linalg.inv(axes_) @ np.array([[c, -s], [s, c]]) @ np.diag([1 + p_x, 1 + p_y])
            found = split_of(np.array([linear[0, 0], linear[0, 1], 0.0, linear[1, 0], linear[1, 1], 0.0, 0.0, 0.0]))
            return np.array([*found.scale, found.skew])

        at = np.array(means, float)

        def whitens(turn: float) -> Array:
            slopes = np.array([(shape(turn, at + d) - shape(turn, at - d)) / 2e-6 for d in np.eye(5) * 1e-6]).T
            cov = (slopes * u**2) @ slopes.T
            rows = [i for i in range(3) if cov[i, i] < SURE_ENOUGH**2]
            found = np.zeros((len(rows), 3))
            if rows:
                found[:, rows] = np.linalg.inv(np.linalg.cholesky(cov[np.ix_(rows, rows)]))
            return found

        return cls(lambda turn: shape(turn, at), whitens)


def split_of(parameters: Array) -> Split:
    """The straight part of a map, split (module docstring)."""
    a11, a12, tx, a21, a22, ty = (float(v) for v in parameters[:6])
    sign = math.copysign(1.0, a11 * a22 - a12 * a21)
    scale_x = sign * math.hypot(a11, a21)
    turn = math.atan2(sign * a21, sign * a11)
    c, s = math.cos(turn), math.sin(turn)
    scale_y = -s * a12 + c * a22
    skew = (c * a12 + s * a22) / scale_y if scale_y else math.inf
    return Split((tx, ty), turn, skew, (scale_x, scale_y))
