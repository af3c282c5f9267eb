"""Kerf from sizes of a cut plate, and what its edges lean (arithmetic.md §8).

Rows of the joint model, for a mean reading of nominal n along an axis (mm), with compensation c in force:

    outside:  mean − n − c = n·s − K − B
    inside:   mean − n + c + t = n·s + K − B + h      h of round holes only, of which the file took off t

s scale error, K kerf, B lost motion left in a contour, h hole bias. With B, outsides come right with c = K + B,
insides with c = K − B (+ h where only holes govern); which of them govern is the technician's choice.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.quantities.measuring import Measurement
from keen_compass.solve.joint import Fit, Observation, Unknown
from keen_compass.solve.travel import lost_motion_of, scale_of

KERF, HOLE_BIAS = Unknown("kerf"), Unknown("hole_bias")
# ISO 9013:2017, 7.2: perpendicularity tolerance of ranges 1 … 5, a + b·t, mm.
RANGES = ((0.05, 0.003), (0.15, 0.007), (0.4, 0.01), (0.8, 0.02), (1.2, 0.035))
BEYOND = 6


@dataclass(frozen=True, slots=True)
class Size:
    """A size of the plate: its axis, whether it is an inside, whether it is of a round hole."""

    name: str
    axis: str
    nominal: float
    inside: bool = False
    round: bool = False


def row(size: Size, read: Measurement, compensation: float, taken_off: float = 0.0) -> Observation:
    """What a mean reading says. taken_off: hole bias that the file took off round holes, mm."""
    way = 1.0 if size.inside else -1.0
    coefficients = {scale_of(size.axis): size.nominal, KERF: way, lost_motion_of(size.axis): -1.0}
    if size.round:
        coefficients[HOLE_BIAS] = 1.0
    given = way * compensation + (taken_off if size.round else 0.0)
    return Observation(size.name, coefficients, read.value - size.nominal + given, read.mean.effects)


def wanted(sizes: Sequence[Size], govern: str) -> dict[Unknown, float]:
    """The compensation that brings the governing sizes right, as a combination of unknowns.

    Where none of the governing kind was read, those that were: outside K + B̄, inside K − B̄ (+ h for holes alone).
    """
    outside, inside = [s for s in sizes if not s.inside], [s for s in sizes if s.inside]
    if govern == "balanced" and outside and inside:
        parts = [(0.5, _right_for(outside)), (0.5, _right_for(inside))]
    else:
        of_insides = govern == "inside" if govern != "balanced" else not outside
        chosen = (inside or outside) if of_insides else (outside or inside)
        right = _right_for(chosen)
        if of_insides is not chosen[0].inside:  # play changes what was read the other way
            right = {u: -c if u.name.endswith("lost_motion") else c for u, c in right.items() if u != HOLE_BIAS}
        parts = [(1.0, right)]
    found: dict[Unknown, float] = {}
    for share, coefficients in parts:
        for unknown, c in coefficients.items():
            found[unknown] = found.get(unknown, 0.0) + share * c
    return {u: c for u, c in found.items() if c}


def _right_for(sizes: Sequence[Size]) -> dict[Unknown, float]:
    inside = sizes[0].inside
    axes = sorted({s.axis for s in sizes})
    coefficients = {KERF: 1.0} | {lost_motion_of(a): (-1.0 if inside else 1.0) / len(axes) for a in axes}
    if inside and all(s.round for s in sizes):
        coefficients[HOLE_BIAS] = 1.0
    return coefficients


def determined(fit: Fit, coefficients: Mapping[Unknown, float]) -> bool:
    """Whether every unknown of a combination has a number."""
    return all(u in fit.estimates for u in coefficients)


@dataclass(frozen=True, slots=True)
class Edge:
    """A cut edge. angle: rad, positive where the part is larger below. perpendicularity: u, mm. range: ISO 9013's."""

    angle: float
    perpendicularity: float
    range: int


def edge(top: float, bottom: float, thickness: float, *, inside: bool = False) -> Edge:
    """From a size at both edges, mm: β = atan((bottom − top)/(2t)), of an inside with the other sign.

    u = |bottom − top|/2, as both sides lean alike. Raises InputError without a thickness.
    """
    if not thickness > 0:
        raise InputError(tr("give the thickness: an edge leans over that"), "thickness")
    way = -1.0 if inside else 1.0
    u = abs(bottom - top) / 2
    return Edge(math.atan(way * (bottom - top) / (2 * thickness)), u, graded(u, thickness))


def graded(u: float, thickness: float) -> int:
    """The range of ISO 9013 that a perpendicularity (mm) falls into, 1 the best; 6 beyond the last."""
    return next((i for i, (a, b) in enumerate(RANGES, 1) if u <= a + b * thickness), BEYOND)
