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
from keen_compass.language import tr
from keen_compass.quantities.measuring import Measurement
from keen_compass.quantities.uncertainty import K_95, Cause, Origin, Source, Uncertain, chi2_quantile
from keen_compass.solve.bend import evenly_spaced
from keen_compass.solve.joint import Fit, Observation, Unknown, fit

ISO_CYCLES = 5  # runs in each direction for figures that may be called ISO 230-2's
ISO_TARGETS, ISO_PER_METRE = 5, 5  # at least so many targets, and so many for each metre
INDEPENDENT = (Cause.REPEATS, Cause.DIVISION)  # what grows where targets scatter more than single readings do

Node = tuple[float, int]  # (target position in mm, direction ±1)
ZERO = Unknown("zero")


def scale_of(axis: str) -> Unknown:
    """The axis' scale error, mm/mm."""
    return Unknown(f"{axis}_scale")


def lost_motion_of(axis: str) -> Unknown:
    """The axis' lost motion, mm."""
    return Unknown(f"{axis}_lost_motion")


@dataclass(frozen=True, slots=True)
class TravelFit:
    """The straight line through all readings.

    scale, lost_motion: s (mm/mm) and B; zero: a (mm). residuals: node → mean reading − line, mm.
    inflation: by how much the nodes scatter about the line more than single readings explain (Birge ratio, at least
    1); already in the uncertainties.
    """

    scale: Uncertain
    lost_motion: Uncertain | None
    zero: float
    residuals: Mapping[Node, float]
    inflation: float


def travel_rows(axis: str, measured: Mapping[Node, Measurement], inflation: float = 1.0) -> list[Observation]:
    """The rows of a run along one axis. inflation: of what no two targets share."""
    both_ways = len({d for _, d in measured}) == 2
    rows = []
    for (p, d), m in measured.items():
        coefficients = {ZERO: 1.0, scale_of(axis): p}
        if both_ways:
            coefficients[lost_motion_of(axis)] = -d / 2
        effects = tuple((s, c * inflation if s.cause in INDEPENDENT else c) for s, c in m.mean.effects)
        rows.append(Observation(m.name, coefficients, m.value - p, effects))
    return rows


def fit_travel(axis: str, measured: Mapping[Node, Measurement], known: Sequence[Observation] = ()) -> TravelFit:
    """Weighted least squares over the nodes' means. Raises InputError where the readings can't give a slope.

    known: rows of what is known of this axis from before.
    """
    if len({p for p, _ in measured}) < 2:
        raise InputError(tr("two targets at least: one position alone has no scale"))
    both_ways = len({d for _, d in measured}) == 2
    found = fit([*travel_rows(axis, measured), *known])
    inflation = _birge(found)
    if inflation > 1:
        found = fit([*travel_rows(axis, measured, inflation), *known])
    scale = found.estimates.get(scale_of(axis))
    if scale is None:
        raise InputError(tr("these targets can't tell scale from lost motion: read some of them from both directions"))
    lost = found.estimates.get(lost_motion_of(axis)) if both_ways else None
    zero = found.estimates[ZERO].value
    b = lost.value if lost else 0.0
    residuals = {(p, d): m.value - (zero + (1 + scale.value) * p - b / 2 * d) for (p, d), m in measured.items()}
    return TravelFit(scale, lost, zero, residuals, inflation)


def _birge(found: Fit) -> float:
    """√(χ²/ν) of the whitened residuals, but only where chance would seldom give so much."""
    if found.dof < 1:
        return 1.0
    seldom = found.dof + 2.33 * math.sqrt(2 * found.dof)  # about 1 in 100, normal approximation
    return math.sqrt(found.chi2 / found.dof) if found.chi2 > seldom else 1.0


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
    """ISO 230-2's figures for an axis, mm. lacking: what keeps them from being called that; empty for nothing."""

    targets: tuple[TargetFigures, ...]
    reversal: float | None
    repeatability: float | None
    systematic: float | None
    lacking: str
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
        _lacking([t.position for t in targets], cycles, complete),
        cycles,
    )


def _lacking(positions: Sequence[float], cycles: int, complete: bool) -> str:
    """Code of the first of the standard's conditions that a run doesn't meet; empty where it meets them all."""
    length = positions[-1] - positions[0] if positions else 0.0
    spacings = [b - a for a, b in pairwise(positions)]
    if not complete:
        return "iso_not_both_sides"
    if cycles < ISO_CYCLES:
        return "iso_few_cycles"
    if len(positions) < max(ISO_TARGETS, math.ceil(ISO_PER_METRE * length / 1000 - 1e-9)):
        return "iso_few_targets"
    if evenly_spaced(spacings):
        return "iso_even_spacing"
    return ""


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
    """How a feed returns to its start over several trips: drift per trip and slip about it (its s), both in mm.

    scatter: of the trips, with what reading them adds, at least that. dof: its degrees of freedom.
    """

    drift: Uncertain
    slip: float
    scatter: float
    dof: int

    def slips(self, times: float) -> Uncertain:
        """`times` the slip's standard deviation. Few trips estimate that badly, and mostly too small: its U reaches as
        far as 95 % of a χ² do, from the scatter with all that reading adds to it.
        """
        highest = self.scatter * math.sqrt(self.dof / chi2_quantile(0.025, self.dof))
        reaches = times * (highest - self.slip)
        return Uncertain(times * self.slip, ((Source(Origin("slip"), reaches / K_95, Cause.SCATTER), 1.0),))


def fit_tracking(misses: Mapping[int, Measurement]) -> Tracking:
    """misses: for trip k = 1, 2, … how far from its first mark it came back, mm, with sign; trips may be missing.

    miss_k = k · drift + slip: a line through the start. The trips' own scatter carries the uncertainty, because a
    slip stays in every later trip: differences between neighbouring trips are independent, sums are not. What reading
    alone adds to those differences is taken off the slip.
    """
    if len(misses) < 2:
        raise InputError(tr("two trips at least: one return alone can't tell drift from slip"))
    walked = [(0, 0.0), *((k, misses[k].value) for k in sorted(misses))]
    steps = [(k - j, b - a) for (j, a), (k, b) in pairwise(walked)]
    trips, last = walked[-1]
    drift, n = last / trips, len(steps)
    s = math.sqrt(math.fsum((step - gap * drift) ** 2 / gap for gap, step in steps) / (n - 1))
    # The mean step is the last miss over all trips: what its reading is worth counts once.
    scatter = Source(Origin("trips"), s, Cause.SCATTER, n - 1)
    read = misses[max(misses)].mean.effects
    effects = ((scatter, 1 / math.sqrt(trips)), *((source, c / trips) for source, c in read))
    reading = math.hypot(*(m.mean.u for m in misses.values())) * math.sqrt(2 / n)
    return Tracking(Uncertain(drift, effects), math.sqrt(max(s * s - reading * reading, 0.0)), max(s, reading), n - 1)
