"""Squareness of X to Y from sides and diagonals, or from a circle's four diameters (arithmetic.md §6).

γ > 0: the corner at lowest X and Y is less than 90°, Y leans towards +X. Angles in rad, lengths in mm.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import replace

from keen_compass.errors import InputError
from keen_compass.quantities.uncertainty import Component, MeanReading
from keen_compass.solve.joint import Estimate

STEP = 1e-4  # mm, of the numerical derivative: well above rounding, well below any curvature


def from_diagonals(a: float, b: float, d1: float, d2: float) -> float:
    """sin γ = (D₁² − D₂²)/(4ab); D₁ from lowest X, Y to highest, D₂ the other. Raises InputError where impossible."""
    sine = (d1 - d2) * (d1 + d2) / (4 * a * b)
    if abs(sine) >= 0.5:
        raise InputError("no four-sided piece has these diagonals: was one of them read along another line?")
    return math.asin(sine)


def from_diameters(d0: float, d45: float, d90: float, d135: float) -> float:
    """tan γ = (w₄₅² − w₁₃₅²)/(2·w₀·w₉₀), from the widths of a sheared circle between parallel jaws.

    A circle under x' = (1 + s_x)x + tan γ·y', y' = (1 + s_y)y has the width w(θ) = D·|Mᵀu(θ)|; the squares at 45°
    and 135° differ by 2D²·tan γ·(1 + s_y)², which is 2·tan γ·w₉₀² exactly, and w₀·w₉₀ to first order in s_x − s_y.
    """
    tangent = (d45 - d135) * (d45 + d135) / (2 * d0 * d90)
    if abs(tangent) >= 0.5:
        raise InputError("no circle has these diameters: was one of them read along another line?")
    return math.atan(tangent)


def propagate(
    function: Callable[..., float], means: Mapping[str, MeanReading], shared: tuple[float, float] = (0.0, 0.0)
) -> Estimate:
    """`function` of mean readings with the components of its uncertainty (GUM (10)), derivatives taken numerically.

    shared: half widths a, b of an instrument's permissible error ±(a + b·L), common to all of them.
    """
    at = {name: r.mean for name, r in means.items()}
    value = function(**at)
    slopes = {
        name: (function(**(at | {name: x + STEP})) - function(**(at | {name: x - STEP}))) / (2 * STEP)
        for name, x in at.items()
    }
    parts = [replace(c, u=abs(slopes[name]) * c.u) for name, r in means.items() for c in r.components]
    offset = abs(math.fsum(slopes.values())) * shared[0]
    slope = abs(math.fsum(slopes[name] * x for name, x in at.items())) * shared[1]
    parts += [Component(half / math.sqrt(3), rectangular=True) for half in (offset, slope) if half]
    return Estimate(value, tuple(parts))


def gantry_move(gamma: float, w: float) -> float:
    """By how much the end of the gantry at highest X has to move along +Y: −w·tan γ, mm."""
    return -w * math.tan(gamma)
