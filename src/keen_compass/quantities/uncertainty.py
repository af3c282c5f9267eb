"""Uncertainty of readings and results, after the GUM (JCGM 100:2008). Formulas: arithmetic.md §3.

A result's variance is a sum of contributions. Each is a `Component`: a standard deviation that it
brings to the result, its degrees of freedom, and whether its distribution is a rectangle. The
expanded uncertainty comes from all of them at once (Welch–Satterthwaite, GUM G.4.1), with one
exception: where a single rectangle outweighs everything else, a normal k would claim more than
the whole width of the rectangle, so k = 1.65, which holds 95 % of a rectangle.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from keen_compass.errors import UncertaintyError
from keen_compass.quantities.instruments import Instrument, Repeatability
from keen_compass.quantities.lengths import format_mm

POOL_BELOW = 5  # readings; from here on a mean's own spread stands alone
K_RECTANGLE = 1.65  # 0.95·√3
RECTANGLE_DOMINATES = 0.2  # ratio of everything else to the one rectangle; keeps ≥ 94 % inside


@dataclass(frozen=True, slots=True)
class Component:
    """One contribution to a standard uncertainty: u (same unit as the result), dof, shape."""

    u: float
    dof: float = math.inf
    rectangular: bool = False


@dataclass(frozen=True, slots=True)
class MeanReading:
    """The mean of repeated readings, mm, with the components of its independent uncertainty."""

    mean: float
    n: int
    components: tuple[Component, ...]
    assumed: bool

    @property
    def u(self) -> float:
        """Standard uncertainty of the independent part, mm."""
        return combine(self.components)


@dataclass(frozen=True, slots=True)
class PieceScatter:
    """How much equal pieces differ on this machine and process: s in mm, dof; from its logbook or assumed."""

    s: float
    dof: float = 4.0
    assumed: bool = True


def combine(components: Iterable[Component]) -> float:
    """Root sum of squares."""
    return math.sqrt(math.fsum(c.u * c.u for c in components))


def pooled_repeats(values: Sequence[float], record: Repeatability) -> Repeatability:
    """Spread of single readings: own when n ≥ 5, else pooled with the instrument's record.

    s² = ((n−1)s² + ν_p·s_p²)/(n−1+ν_p), even if the readings came out equal: three equal readings
    say little about how much they might differ.
    """
    n = len(values)
    own = _variance(values) if n > 1 else 0.0
    if n >= POOL_BELOW:
        return Repeatability(math.sqrt(own), n - 1)
    dof = n - 1 + record.dof
    return Repeatability(math.sqrt(((n - 1) * own + record.dof * record.s**2) / dof), dof, record.assumed)


def mean_of_readings(
    values: Sequence[float],
    instrument: Instrument,
    piece_scatter: PieceScatter,
    *,
    pieces: int = 1,
    coarsest: float = 0.0,
) -> MeanReading:
    """Mean of readings (mm) of one measurand, with u² = s²/n + r²/12 (or r²/6) + s_piece²/pieces.

    coarsest: resolution at which the coarsest of them was stated (a fraction), mm; counts where it
    is coarser than the instrument's.
    """
    if not values:
        raise UncertaintyError("a mean needs at least one reading")
    n = len(values)
    spread = pooled_repeats(values, instrument.repeatability)
    components = independent_components(spread, n, instrument, piece_scatter, pieces=pieces, coarsest=coarsest)
    assumed = n < POOL_BELOW and instrument.repeatability.assumed
    return MeanReading(math.fsum(values) / n, n, components, assumed)


def _variance(values: Sequence[float]) -> float:
    mean = math.fsum(values) / len(values)
    return math.fsum((v - mean) ** 2 for v in values) / (len(values) - 1)


def independent_components(
    spread: Repeatability,
    n: int,
    instrument: Instrument,
    piece_scatter: PieceScatter,
    *,
    pieces: int = 1,
    coarsest: float = 0.0,
) -> tuple[Component, ...]:
    """The parts of a mean's uncertainty that it shares with no other mean (arithmetic.md §3)."""
    r = max(instrument.resolution, coarsest)
    return (
        Component(spread.s / math.sqrt(n), spread.dof),
        Component(r / math.sqrt(6 if instrument.both_ends else 12), rectangular=not instrument.both_ends),
        Component(piece_scatter.s / math.sqrt(pieces), piece_scatter.dof),
    )


def effective_dof(components: Sequence[Component]) -> float:
    """Welch–Satterthwaite, GUM (G.2b)."""
    u = combine(components)
    weight = math.fsum((c.u / u) ** 4 / c.dof for c in components if c.u)
    return 1 / weight if weight else math.inf


def expand(components: Sequence[Component]) -> float:
    """Expanded uncertainty U (95 %) of a result that has these components.

    Raises UncertaintyError for a U of zero: nothing is measured that well, an input is missing.
    """
    u = combine(components)
    if not u > 0 or not math.isfinite(u):
        raise UncertaintyError("the uncertainty came out as zero; state the instrument's resolution")
    widest = max((c.u for c in components if c.rectangular), default=0.0)
    rest = math.sqrt(max(u * u - widest * widest, 0.0))
    if widest and rest <= RECTANGLE_DOMINATES * widest:
        return K_RECTANGLE * u
    return t_95(effective_dof(components)) * u


_t_cache: dict[float, float] = {}


def t_95(dof: float) -> float:
    """Two-sided 95 % quantile of Student's t."""
    key = round(dof, 2) if dof < 1e6 else math.inf
    if key not in _t_cache:
        from scipy.special import stdtrit  # late: 650 ms to import, and only answers need it

        _t_cache[key] = 1.959963984540054 if math.isinf(key) else float(stdtrit(key, 0.975))
    return _t_cache[key]


def alignment(length: float, within: float, *, reads_long: bool) -> tuple[float, float]:
    """(correction, standard uncertainty), mm, for readings taken parallel only within ±`within` rad.

    A tilt uniform in ±Θ changes L by L·θ²/2 on average L·Θ²/6, with u = L·Θ²/(3√5).
    reads_long: jaws askew read L/cos θ; a rule tilted along the travel reads L·cos θ.
    The correction is to be added to the reading.
    """
    mean = length * within**2 / 6
    return (-mean if reads_long else mean), length * within**2 / (3 * math.sqrt(5))


EXPANSION = {
    "aluminium": 23.8e-6,
    "steel": 11.5e-6,
    "acrylic": 70e-6,
    "plywood": 5e-6,
    "pvc": 60e-6,
    "paper": 8e-6,
}
EXPANSION_RELATIVE_U = 0.1
INSTRUMENT_EXPANSION = EXPANSION["steel"]


def temperature(length: float, material: str, part_c: float, instrument_c: float, u_c: float) -> tuple[float, float]:
    """(correction, standard uncertainty), mm, that brings a reading to 20 °C.

    L₂₀ = L·(1 + α_i·(t_i − 20) − α_p·(t_p − 20)); the coefficients are known to 10 %. Coefficients are
    handbook means, in 1/K, and moisture moves wood and paper more than warmth does.
    """
    part, instr = EXPANSION[material], INSTRUMENT_EXPANSION
    correction = length * (instr * (instrument_c - 20) - part * (part_c - 20))
    terms = (
        instr * u_c, part * u_c,
        EXPANSION_RELATIVE_U * instr * (instrument_c - 20), EXPANSION_RELATIVE_U * part * (part_c - 20),
    )  # fmt: skip
    return correction, length * math.sqrt(math.fsum(t * t for t in terms))


def with_uncertainty(value: float, U: float) -> str:
    """``+0.97 ± 0.10``: U with two significant digits, the value rounded to match (GUM 7.2.6)."""
    decimals = two_significant(U)
    return f"{format_mm(value, decimals, signed=True)} ± {format_mm(U, decimals)}"


def two_significant(U: float) -> int:
    """Decimals at which U shows two significant digits (GUM 7.2.6), at least 0."""
    if not U > 0:
        return 3
    return max(0, 1 - math.floor(math.log10(float(f"{U:.1e}"))))
