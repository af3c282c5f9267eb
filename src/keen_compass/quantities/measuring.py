"""The one place where readings become a mean with its sources of uncertainty (arithmetic.md §3).

    mean = Σ readings / n − zero, brought parallel and to 20 °C
    u² = s²/n + r²/12 (r²/6 where both ends are read off a scale) + s_piece²/pieces + what it shares with other means

What is shared: the instrument's permissible error ±(a + b·L), a bound *at each length* (a local error of its own
there, of variance (a² + 2ab·L)/3, for all readings of equal lengths, and a slope ±b for everything that it read), the
tilt within which it was held, and warmth.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import NamedTuple

from keen_compass.errors import UncertaintyError
from keen_compass.language import tr
from keen_compass.quantities.instruments import Instrument, Repeatability
from keen_compass.quantities.uncertainty import K_95, Cause, Origin, Shape, Source, Uncertain

POOL_BELOW = 5  # readings; from here on a mean's own spread stands alone
READ_ALONG = ("steel rule", "tape")  # a point moves along its scale, or both ends are read off it
ROOT_12, ROOT_6, ROOT_3 = math.sqrt(12), math.sqrt(6), math.sqrt(3)


class Held(StrEnum):
    """How the instrument meets what is read; it decides what a tilt does, and whether both ends are read."""

    ACROSS = "across"  # from one edge or line to another
    ALONG = "along"  # beside a moving point, read at it
    AGAINST = "against"  # a tip against a face, zeroed there: a deviation


@dataclass(frozen=True, slots=True)
class PieceScatter:
    """How much equal pieces differ on this machine and process: s in mm, dof; from its logbook or assumed."""

    s: float
    dof: float = 4.0
    assumed: bool = True


@dataclass(frozen=True, slots=True)
class Temperature:
    """Part and instrument in °C, both known to ±u_c (standard)."""

    material: str
    part: float
    instrument: float
    u_c: float = 1.0


@dataclass(frozen=True, slots=True)
class Conditions:
    """Under which something was read.

    scatter: of equal pieces; None where nothing was made. pieces: how many equal ones were read.
    """

    held: Held = Held.ACROSS
    scatter: PieceScatter | None = None
    pieces: int = 1
    temperature: Temperature | None = None


class Measurement(NamedTuple):
    """What was read of one thing, mm: the mean with its sources, how many readings, and whether their spread is known.

    spread: of single readings.
    """

    name: str
    mean: Uncertain
    n: int
    spread: Repeatability

    @property
    def value(self) -> float:
        """The mean of the readings, mm."""
        return self.mean.value

    @property
    def assumed(self) -> bool:
        """Whether the spread of single readings was assumed."""
        return self.spread.assumed


def pooled_repeats(values: Sequence[float], record: Repeatability) -> Repeatability:
    """Spread of single readings: own when n ≥ 5, else pooled with the instrument's record.

    s² = ((n−1)s² + ν_p·s_p²)/(n−1+ν_p), even if the readings came out equal: three equal readings
    say little about how much they might differ.
    """
    if len(values) >= POOL_BELOW:
        squares, dof = squares_within([values])
        return Repeatability(math.sqrt(squares / dof), dof)
    return spread_of([values], record)


def squares_within(groups: Sequence[Sequence[float]]) -> tuple[float, int]:
    """Sum of squares of values about the mean of their group, and its degrees of freedom."""
    means = [math.fsum(g) / len(g) for g in groups]
    squares = math.fsum((v - mean) ** 2 for g, mean in zip(groups, means, strict=True) for v in g)
    return squares, sum(len(g) - 1 for g in groups)


def spread_of(groups: Sequence[Sequence[float]], record: Repeatability) -> Repeatability:
    """Spread of single readings about their group's mean, over all groups, pooled with what is known from before."""
    dof = sum(len(g) - 1 for g in groups)
    squares = sum((v - math.fsum(g) / len(g)) ** 2 for g in groups for v in g)
    total = dof + record.dof
    return Repeatability(
        math.sqrt((squares + record.dof * record.s**2) / total), total, record.assumed and dof < POOL_BELOW - 1
    )


def measurement(
    name: str,
    values: Sequence[float],
    instrument: Instrument,
    conditions: Conditions,
    *,
    nominal: float = 0.0,
    edge: str = "",
    spread: Repeatability | None = None,
    stated: float | None = None,
) -> Measurement:
    """The mean of readings (mm) of one thing.

    nominal, edge: readings of the same instrument at the same nominal length and edge share its error there.
    spread: of single readings, where more is known of it than these readings and the record say.
    stated: U (95 %, mm) that came with what was read, in place of all that an instrument brings.
    """
    if not values:
        raise UncertaintyError(tr("a mean needs at least one reading"))
    if stated is not None:
        shift, effects = _as_stated(name, math.fsum(values) / len(values), stated, conditions)
        mean = Uncertain(math.fsum(values) / len(values) + shift, effects)
        return Measurement(name, mean, len(values), Repeatability(stated / K_95, math.inf))
    found = spread or pooled_repeats(values, instrument.repeatability)
    own = 0 if spread else len(values) - 1  # degrees of freedom that no other mean has
    raw = math.fsum(values) / len(values)
    shift, effects = _sources(name, raw, len(values), instrument, conditions, found, own, nominal, edge)
    return Measurement(name, Uncertain(raw - instrument.zero + shift, effects), len(values), found)


def planned(
    name: str,
    expected: float,
    n: int,
    instrument: Instrument,
    conditions: Conditions,
    *,
    nominal: float = 0.0,
    edge: str = "",
    spread: Repeatability | None = None,
    stated: float | None = None,
) -> Measurement:
    """What `n` readings of something `expected` (mm) would be worth. spread: as seen so far; stated: as above."""
    if stated is not None:
        _, effects = _as_stated(name, expected, stated, conditions)
        return Measurement(name, Uncertain(expected, effects), n, Repeatability(stated / K_95, math.inf))
    found = spread or instrument.repeatability
    _, effects = _sources(name, expected, n, instrument, conditions, found, 0, nominal, edge)
    return Measurement(name, Uncertain(expected, effects), n, found)


def _sources(
    name: str,
    mean: float,
    n: int,
    instrument: Instrument,
    conditions: Conditions,
    spread: Repeatability,
    own: int,
    nominal: float,
    edge: str,
) -> tuple[float, tuple[tuple[Source, float], ...]]:
    """(what is added to the mean, sources with their coefficients)."""
    who = instrument.uid or instrument.name
    both = conditions.held is Held.ACROSS and instrument.both_ends
    r = instrument.resolution
    division = Source(
        Origin("division", name),
        r / (ROOT_6 if both else ROOT_12),
        Cause.DIVISION,
        shape=Shape.NORMAL if both else Shape.RECTANGLE,
    )
    shared = spread.dof - own if spread.dof > own else 0.0
    found = [(division, 1.0)]
    if spread.s:
        repeats = Source(
            Origin("repeats", name),
            spread.s,
            Cause.REPEATS,
            spread.dof,
            estimate=Origin("repeats", instrument=who),
            shared_dof=shared,
            assumed="repeats" if spread.assumed else "",
        )
        found.append((repeats, 1 / math.sqrt(n)))
    found += _of_pieces(name, conditions)
    a, b = instrument.permissible_error
    if a:
        # Local and slope together fill the bound: (a² + 2ab·L) + b²L² = (a + b·L)².
        local = math.sqrt(a * a + 2 * a * b * abs(mean))
        at = Origin("own", None, who, round(nominal, 3), edge)
        found.append((Source(at, local / ROOT_3, Cause.OWN_ERROR, shape=Shape.RECTANGLE), 1.0))
    if b and mean:
        found.append((Source(Origin("slope", instrument=who), b / ROOT_3, Cause.GAIN, shape=Shape.RECTANGLE), mean))
    shift = 0.0
    if instrument.parallel_within and mean:
        short = conditions.held is Held.ALONG and instrument.kind in READ_ALONG
        correction, u = alignment(1.0, instrument.parallel_within, reads_long=not short)
        shift += mean * correction
        found.append((Source(Origin("tilt", instrument=who), u, Cause.TILT, shape=Shape.TILT), mean))
    warm, effects = _of_warmth(mean, conditions.temperature)
    return shift + warm, (*found, *effects)


def _as_stated(
    name: str, mean: float, stated: float, conditions: Conditions
) -> tuple[float, tuple[tuple[Source, float], ...]]:
    """The same of what came with its own U: pieces differ and are warm all the same."""
    own = (Source(Origin("stated", name), stated / K_95, Cause.REPEATS), 1.0)
    shift, warm = _of_warmth(mean, conditions.temperature)
    return shift, (own, *_of_pieces(name, conditions), *warm)


def _of_pieces(name: str, conditions: Conditions) -> tuple[tuple[Source, float], ...]:
    """By how much equal pieces differ."""
    scatter = conditions.scatter
    if scatter is None or not scatter.s:
        return ()
    pieces = Source(
        Origin("pieces", name),
        scatter.s,
        Cause.PIECES,
        scatter.dof,
        estimate=Origin("pieces"),
        shared_dof=scatter.dof,
        assumed="piece_scatter" if scatter.assumed else "",
    )
    return ((pieces, 1 / math.sqrt(conditions.pieces)),)


def _of_warmth(mean: float, t: Temperature | None) -> tuple[float, tuple[tuple[Source, float], ...]]:
    """(what brings it to 20 °C, what that is uncertain by), mm."""
    if t is None or not mean:
        return 0.0, ()
    correction, u = temperature(1.0, t.material, t.part, t.instrument, t.u_c)
    return mean * correction, ((Source(Origin("warmth"), u, Cause.WARMTH), mean),) if u else ()


def zeroing(name: str, instrument: Instrument, n: int) -> tuple[Source, float]:
    """Zeroing a dial is a reading too: it stands within half a division of zero, again for each of n readings."""
    u = instrument.resolution / ROOT_12
    shape = Shape.RECTANGLE if n == 1 else Shape.NORMAL
    return Source(Origin("zeroing", name), u, Cause.DIVISION, shape=shape), 1 / math.sqrt(n)


def alignment(length: float, within: float, *, reads_long: bool) -> tuple[float, float]:
    """(correction, standard uncertainty), mm, for readings taken parallel only within ±`within` rad.

    A tilt uniform in ±Θ changes L by L·θ²/2 on average L·Θ²/6, with u = L·Θ²/(3√5).
    reads_long: what is held askew across edges reads L/cos θ; a point on a rule tilted along the travel reads L·cos θ.
    The correction is to be added to the reading.
    """
    mean = length * within**2 / 6
    return (-mean if reads_long else mean), length * within**2 / (3 * math.sqrt(5))


EXPANSION: Mapping[str, float] = {
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
        instr * u_c,
        part * u_c,
        EXPANSION_RELATIVE_U * instr * (instrument_c - 20),
        EXPANSION_RELATIVE_U * part * (part_c - 20),
    )
    return correction, length * math.sqrt(math.fsum(t * t for t in terms))
