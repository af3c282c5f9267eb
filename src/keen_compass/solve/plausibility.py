"""Readings that look like a mix-up rather than a machine's error (arithmetic.md §3, *implausible*).

It comes before every verdict, and it asks: a technician who confirms gets the computation.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.measuring import Measurement
from keen_compass.quantities.uncertainty import t_quantile

NEAR = 0.03  # a ratio this close to a tell-tale one is taken for it
MUCH_LARGER_THAN_KERF = 8.0  # below, kerf alone can bend the ratio
ORDINARY = 1.5  # no tell-tale ratio lies nearer to 1
SWAP_RELATIVE = 0.01
SWAP_UNCERTAINTIES = 5.0
SWAP_WORSE = 5.0
ODD_CHANCE, ODD_AT_MOST = 1e-6, 8.0  # that a good reading lies so far from its brothers; standard deviations
MIRRORED_BAND = (1.6, 2.4)

_FACTORS: tuple[tuple[float, str], ...] = (
    (16.0, "a microstep switch at 16 times its value"),
    (10.0, "a slipped decimal point"),
    (8.0, "a microstep switch at 8 times its value"),
    (5.0, "a pulley or screw 5 times as fast"),
    (4.0, "a microstep switch or screw starts at 4 times"),
    (3.0, "screw starts or a pulley at 3 times"),
    (1.6, "a pulley, pinion or belt of another pitch"),
    (2.0, "a microstep switch, screw starts or pulley at 2 times"),
)


@dataclass(frozen=True, slots=True)
class Doubt:
    """A reading to ask about. measurands: whose; sentence: what it looks like; question: what to do."""

    measurands: tuple[str, ...]
    sentence: str


def looks_scaled(measurand: str, nominal: float, values: Sequence[float], kerf: float) -> Doubt | None:
    """A ratio commanded/actual near 25.4, 2, 4, 5, 8, 10, 16 or an inverse. All lengths in mm.

    Each reading is judged for itself: one reading of three in inches would vanish in a mean.
    """
    small = nominal <= MUCH_LARGER_THAN_KERF * kerf
    for i, value in enumerate(values, 1):
        which = f" (reading {i})" if len(values) > 1 else ""
        if value <= 0:
            return Doubt((measurand,), f"zero{which}: nothing is that small")
        ratio = nominal / value
        if small:
            if doubt := _small_in_inches(measurand, nominal, value, kerf, which):
                return doubt
            continue
        if 1 / ORDINARY < ratio < ORDINARY:
            continue
        if _near(ratio, 25.4):
            return Doubt((measurand,), f"this looks like inches{which}: {value:g} where {nominal:g} mm was ordered")
        if _near(ratio, 1 / 25.4):
            return Doubt((measurand,), f"this looks like mm taken for inches{which}: {value:g} for {nominal:g} mm")
        for factor, cause in _FACTORS:
            if _near(ratio, factor) or _near(ratio, 1 / factor):
                size = f"{factor:g} times too {'small' if ratio > 1 else 'large'}"
                return Doubt((measurand,), f"{size}{which}: {cause}?")
    return None


def _small_in_inches(measurand: str, nominal: float, value: float, kerf: float, which: str) -> Doubt | None:
    """Kerf may bend a short length's ratio, but what was read in inches comes near to it when it is turned."""
    reach = NEAR * nominal + kerf / 2
    for turned, words in ((25.4 * value, "inches"), (value / 25.4, "mm taken for inches")):
        if abs(turned - nominal) <= reach < abs(value - nominal) and abs(value - nominal) > kerf:
            return Doubt((measurand,), f"this looks like {words}{which}: {value:g} where {nominal:g} mm was ordered")
    return None


def looks_odd(
    found: Measurement, values: Sequence[float], instrument: Instrument, shown: Callable[..., str],
    beside: tuple[float, int] = (0.0, 0),
) -> Doubt | None:  # fmt: skip
    """A reading far from its brothers: named, not averaged and not thrown away.

    The others, what was read beside them and the record say how far one more reading may lie (Student, once in a
    million), and a division each way. Of two that differ nobody knows which. shown: a length in words. beside: sum of
    squares (mm²) and degrees of freedom of what was read of other things: what an axis or a hand scatters shows there.
    """
    n = len(values)
    if n < 2 or max(values) - min(values) <= 2 * instrument.resolution:
        return None
    far = []
    for i, value in enumerate(values):
        others = [v for k, v in enumerate(values) if k != i]
        middle = math.fsum(others) / len(others)
        record = instrument.repeatability
        squares = math.fsum((v - middle) ** 2 for v in others) + beside[0] + record.dof * record.s**2
        dof = len(others) - 1 + beside[1] + record.dof
        k = min(t_quantile(1 - ODD_CHANCE / 2, dof), ODD_AT_MOST)
        room = k * math.sqrt(squares / dof) * math.sqrt(1 + 1 / len(others))
        excess = abs(value - middle) - room - 2 * instrument.resolution
        if excess > 0:
            far.append((excess, i, middle))
    if not far:
        return None
    _, i, middle = max(far)
    if n == 2:
        return Doubt((found.name,), f"two readings {shown(abs(values[0] - values[1]))} apart: read it once more")
    return Doubt((found.name,), f"reading {i + 1} says {shown(values[i])}, the others {shown(middle)}: is it a slip?")


def looks_swapped(nominals: Mapping[str, float], means: Mapping[str, float], U: Mapping[str, float]) -> Doubt | None:
    """Two dimensions whose readings fit each other's nominal. All in mm."""
    read = [m for m in means if m in nominals]
    for i, a in enumerate(read):
        for b in read[i + 1 :]:
            if _fits_other(nominals[a], nominals[b], means[a], U[a]) and _fits_other(
                nominals[b], nominals[a], means[b], U[b]
            ):
                return Doubt((a, b), "{0} and {1} look swapped: each reading fits the other")
    return None


def looks_mirrored(error: float, previous: float, U: float) -> bool:
    """From round 2 on: what is left is about twice the error before, so the number went the wrong way."""
    if abs(previous) <= U or error * previous <= 0:
        return False
    low, high = MIRRORED_BAND
    return low <= error / previous <= high


def _near(ratio: float, target: float) -> bool:
    return abs(ratio / target - 1) <= NEAR


def _fits_other(own: float, other: float, mean: float, U: float) -> bool:
    to_other, to_own = abs(mean - other), abs(mean - own)
    noise = SWAP_UNCERTAINTIES * U
    # Lengths that are nearly alike can't be told to be swapped: then neither fit says anything.
    return to_other <= max(SWAP_RELATIVE * other, noise) and to_own >= SWAP_WORSE * to_other and to_own > noise
