"""Scale, lost motion and zero of one axis from a run up and back, and ISO 230-2's figures (arithmetic.md §5).

    reading = a + (1 + s)·p − (B/2)·dir + e        dir = +1 approaching upwards, −1 downwards

Everything in mm. B > 0 is lost motion: arriving upwards the axis stops short, arriving downwards it stops long.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise

from keen_compass.errors import InputError
from keen_compass.quantities.instruments import Repeatability
from keen_compass.quantities.uncertainty import Component, combine
from keen_compass.solve.joint import Estimate, Observation, fit

ISO_CYCLES = 5  # runs in each direction for figures that may be called ISO 230-2's

Node = tuple[float, int]  # (target position in mm, direction ±1)


@dataclass(frozen=True, slots=True)
class TravelFit:
    """The straight line through all readings.

    scale, lost_motion, zero: s (mm/mm), B and a (mm). residuals: node → mean reading − line, mm.
    spread: of single readings about their node's mean, pooled. inflation: by how much the nodes scatter about the
    line more than that spread explains (Birge ratio, at least 1); already in the uncertainties.
    """

    scale: Estimate
    lost_motion: Estimate | None
    zero: float
    residuals: Mapping[Node, float]
    spread: Repeatability
    inflation: float


def fit_travel(
    readings: Mapping[Node, Sequence[float]],
    record: Repeatability,
    resolution: float,
    *,
    both_ends: bool = False,
    slope_half_width: float = 0.0,
    slope_extra: float = 0.0,
    expected: bool = False,
) -> TravelFit:
    """Weighted least squares over the nodes' means. Raises InputError where the readings can't give a slope.

    record: what is known of single readings' spread. resolution: of the scale.
    slope_half_width: b of the instrument's permissible error ±(a + b·L), a rectangle shared by all readings; its a
    shifts the zero alone. slope_extra: standard uncertainty of the slope from alignment, mm/mm.
    expected: the readings are made up to plan with, so their own spread says nothing.
    """
    if len({p for p, _ in readings}) < 2:
        raise InputError("two targets at least: one position alone has no scale")
    both_ways = len({d for _, d in readings}) == 2
    spread = record if expected else pooled_spread(list(readings.values()), record)
    r = resolution / math.sqrt(6 if both_ends else 12)

    def rows(inflation: float) -> list[Observation]:
        found = []
        for (p, d), values in readings.items():
            coefficients = {"zero": 1.0, "scale": p}
            if both_ways:
                coefficients["lost_motion"] = -d / 2
            if slope_half_width:
                coefficients["slope"] = p
            parts = (
                Component(inflation * spread.s / math.sqrt(len(values)), spread.dof),
                Component(inflation * r, rectangular=not both_ends and inflation == 1),
            )
            found.append(Observation(f"{p:g}{d:+d}", coefficients, math.fsum(values) / len(values) - p, parts))
        if slope_half_width:
            prior = Component(slope_half_width / math.sqrt(3), rectangular=True)
            found.append(Observation("slope", {"slope": 1.0}, 0.0, (prior,)))
        return found

    observed = rows(1.0)
    result = fit(observed)
    inflation = _birge([result.normalised_residuals[o.label] for o in observed if o.label != "slope"], 2 + both_ways)
    if inflation > 1:
        result = fit(rows(inflation))
    if "scale" not in result.estimates:
        raise InputError("these targets can't tell scale from lost motion: read some of them from both directions")
    scale = result.estimates["scale"]
    if slope_extra:
        scale = Estimate(scale.value, (*scale.components, Component(slope_extra)))
    lost = result.estimates.get("lost_motion")
    zero = result.estimates["zero"].value
    b = lost.value if lost else 0.0
    residuals = {
        (p, d): math.fsum(v) / len(v) - (zero + (1 + scale.value) * p - b / 2 * d) for (p, d), v in readings.items()
    }
    return TravelFit(scale, lost, zero, residuals, spread, inflation)


def pooled_spread(groups: Sequence[Sequence[float]], record: Repeatability) -> Repeatability:
    """Spread of single readings about their group's mean, pooled with what is known from before."""
    dof = sum(len(g) - 1 for g in groups)
    squares = sum((v - math.fsum(g) / len(g)) ** 2 for g in groups for v in g)
    total = dof + record.dof
    s = math.sqrt((squares + record.dof * record.s**2) / total)
    return Repeatability(s, total, record.assumed and dof < 4)


def _birge(normalised: Sequence[float], unknowns: int) -> float:
    """√(χ²/ν) of the whitened residuals, but only where chance would seldom give so much."""
    dof = len(normalised) - unknowns
    if dof < 1:
        return 1.0
    chi2 = math.fsum(r * r for r in normalised)
    seldom = dof + 2.33 * math.sqrt(2 * dof)  # about 1 in 100, normal approximation
    return math.sqrt(chi2 / dof) if chi2 > seldom else 1.0


@dataclass(frozen=True, slots=True)
class TargetFigures:
    """One target: mean deviations and their standard deviations up and down, reversal, repeatability; mm.

    A value that needs more cycles than there were is None.
    """

    position: float
    mean_up: float | None
    mean_down: float | None
    s_up: float | None
    s_down: float | None
    reversal: float | None
    repeatability: float | None


@dataclass(frozen=True, slots=True)
class AxisFigures:
    """ISO 230-2's figures for an axis, mm. standard: whether there were cycles enough to call them that."""

    targets: tuple[TargetFigures, ...]
    reversal: float | None
    repeatability: float | None
    systematic: float | None
    standard: bool
    cycles: int


def iso_figures(readings: Mapping[Node, Sequence[float]]) -> AxisFigures:
    """From raw deviations x = reading − target.

    Bᵢ = x̄ᵢ↑ − x̄ᵢ↓; B = max |Bᵢ|; Rᵢ = max(4sᵢ↑, 4sᵢ↓, 2sᵢ↑ + 2sᵢ↓ + |Bᵢ|); E = max − min of all x̄ᵢ↑, x̄ᵢ↓.
    """
    targets = tuple(_target(p, readings) for p in sorted({p for p, _ in readings}))
    means = [m for t in targets for m in (t.mean_up, t.mean_down) if m is not None]
    reversals = [abs(t.reversal) for t in targets if t.reversal is not None]
    repeats = [t.repeatability for t in targets if t.repeatability is not None]
    cycles = min((len(v) for v in readings.values()), default=0)
    complete = len(readings) == 2 * len(targets)
    return AxisFigures(
        targets,
        max(reversals, default=None),
        max(repeats, default=None),
        max(means) - min(means) if means else None,
        complete and cycles >= ISO_CYCLES,
        cycles,
    )


def _target(p: float, readings: Mapping[Node, Sequence[float]]) -> TargetFigures:
    mean: dict[int, float | None] = {}
    s: dict[int, float | None] = {}
    for d in (1, -1):
        x = [v - p for v in readings.get((p, d), ())]
        mean[d] = math.fsum(x) / len(x) if x else None
        s[d] = math.sqrt(math.fsum((v - math.fsum(x) / len(x)) ** 2 for v in x) / (len(x) - 1)) if len(x) > 1 else None
    up, down, s_up, s_down = mean[1], mean[-1], s[1], s[-1]
    reversal = up - down if up is not None and down is not None else None
    R = None
    if s_up is not None and s_down is not None and reversal is not None:
        R = max(4 * s_up, 4 * s_down, 2 * s_up + 2 * s_down + abs(reversal))
    return TargetFigures(p, up, down, s_up, s_down, reversal, R)


@dataclass(frozen=True, slots=True)
class Tracking:
    """How a feed returns to its start over several trips: drift per trip and slip about it, mm."""

    drift: Estimate
    slip: float


def fit_tracking(misses: Sequence[Sequence[float]], record: Repeatability, r: float) -> Tracking:
    """misses: for trip k = 1, 2, … the readings of how far from its first mark it came back, mm, with sign.

    miss_k = k · drift + slip: a line through the start. The trips' own scatter carries the uncertainty, because a
    slip stays in every later trip: differences between neighbouring trips are independent, sums are not.
    """
    if len(misses) < 2:
        raise InputError("two trips at least: one return alone can't tell drift from slip")
    means = [0.0, *(math.fsum(m) / len(m) for m in misses)]
    steps = [b - a for a, b in pairwise(means)]
    n = len(steps)
    drift = math.fsum(steps) / n
    s = math.sqrt(math.fsum((step - drift) ** 2 for step in steps) / (n - 1))
    read = combine((Component(record.s / math.sqrt(min(map(len, misses)))), Component(r)))
    parts = (Component(s / math.sqrt(n), n - 1), Component(read / n, record.dof))
    return Tracking(Estimate(drift, parts), s)
