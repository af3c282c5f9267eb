"""Squareness of X to Y from sides and diagonals, or from a circle's four diameters (arithmetic.md §6).

γ > 0: the corner at lowest X and Y is less than 90°, Y leans towards +X. Angles in rad, lengths in mm.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping

from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.quantities.measuring import Measurement
from keen_compass.quantities.uncertainty import Uncertain, combination
from keen_compass.solve.joint import Observation, Unknown, iterated

STEP = 1e-4  # mm, of the numerical derivative: well above rounding, well below any curvature
GAMMA, SIDE_A, SIDE_B = Unknown("lean"), Unknown("side_a"), Unknown("side_b")


def from_diagonals(a: float, b: float, d1: float, d2: float) -> float:
    """sin γ = (D₁² − D₂²)/(4ab); D₁ from lowest X, Y to highest, D₂ the other. Raises InputError where impossible."""
    sine = (d1 - d2) * (d1 + d2) / (4 * a * b)
    if abs(sine) >= 0.5:
        raise InputError(tr("no four-sided piece has these diagonals: was one of them read along another line?"))
    return math.asin(sine)


def from_diameters(d0: float, d45: float, d90: float, d135: float) -> float:
    """tan γ = (w₄₅² − w₁₃₅²)/(2·w₀·w₉₀), from the widths of a sheared circle between parallel jaws.

    A circle under x' = (1 + s_x)x + tan γ·y', y' = (1 + s_y)y has the width w(θ) = D·|Mᵀu(θ)|; the squares at 45°
    and 135° differ by 2D²·tan γ·(1 + s_y)², which is 2·tan γ·w₉₀² exactly, and w₀·w₉₀ to first order in s_x − s_y.
    """
    tangent = (d45 - d135) * (d45 + d135) / (2 * d0 * d90)
    if abs(tangent) >= 0.5:
        raise InputError(tr("no circle has these diameters: was one of them read along another line?"))
    return math.atan(tangent)


def rectangle_rows(measured: Mapping[str, Measurement], at: Mapping[Unknown, float]) -> list[Observation]:
    """Rows of a leaning rectangle about a point: sides a, b and diagonals D = √(a² + b² ± 2ab·sin γ).

    measured: `width` (a), `height` (b), `diagonal_1` (+), `diagonal_2` (−). Four rows for three unknowns: the fourth
    is D₁² + D₂² = 2(a² + b²), which no parallelogram breaks.
    """
    a, b, gamma = at[SIDE_A], at[SIDE_B], at[GAMMA]
    rows = []
    for name, m in measured.items():
        if name in ("width", "height"):
            rows.append(Observation(name, {SIDE_A if name == "width" else SIDE_B: 1.0}, m.value, m.mean.effects))
            continue
        sign = 1.0 if name == "diagonal_1" else -1.0
        D = math.sqrt(a * a + b * b + 2 * sign * a * b * math.sin(gamma))
        slopes = {
            SIDE_A: (a + sign * b * math.sin(gamma)) / D,
            SIDE_B: (b + sign * a * math.sin(gamma)) / D,
            GAMMA: sign * a * b * math.cos(gamma) / D,
        }
        value = m.value - D + sum(slope * at[unknown] for unknown, slope in slopes.items())
        rows.append(Observation(name, slopes, value, m.mean.effects))
    return rows


def square_rows(measured: Mapping[str, Measurement]) -> list[Observation]:
    """The rows about what they themselves lead to. Raises InputError for diagonals that nothing four-sided has."""
    a, b = measured["width"].value, measured["height"].value
    gamma = from_diagonals(a, b, measured["diagonal_1"].value, measured["diagonal_2"].value)
    found = iterated(lambda at: rectangle_rows(measured, at), {SIDE_A: a, SIDE_B: b, GAMMA: gamma})
    return rectangle_rows(measured, {u: e.value for u, e in found.estimates.items()})


def propagate(function: Callable[..., float], values: Mapping[str, Uncertain]) -> Uncertain:
    """`function` of several values with its uncertainty (GUM (10) and (13)), derivatives taken numerically."""
    at = {name: v.value for name, v in values.items()}
    slopes = {
        name: (function(**(at | {name: x + STEP})) - function(**(at | {name: x - STEP}))) / (2 * STEP)
        for name, x in at.items()
    }
    found = combination((slopes[name], v) for name, v in values.items())
    return Uncertain(function(**at), found.effects)
