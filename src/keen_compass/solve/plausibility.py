"""Readings that look like a mix-up rather than a machine's error (arithmetic.md §3, *implausible*).

It comes before every verdict, and it asks: a technician who confirms gets the computation.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.lengths import MM_PER_INCH, UNITS_MM, Length
from keen_compass.quantities.notes import Note, Said, note
from keen_compass.quantities.uncertainty import Cause, Uncertain, expand, t_quantile

NEAR = 0.03  # a ratio this close to a tell-tale one is taken for it
MUCH_LARGER_THAN_KERF = 8.0  # below, kerf alone can bend the ratio
ORDINARY = 1.5  # no tell-tale ratio lies nearer to 1
SWAP_RELATIVE = 0.01
SWAP_UNCERTAINTIES = 5.0
SWAP_WORSE = 5.0
ODD_CHANCE, ODD_AT_MOST = 1e-6, 8.0  # that a good reading lies so far from its brothers; standard deviations
MIRRORED_BAND = (1.6, 2.4)
MOST_TYPED, SAME = 5, 1e-9  # decimals that nobody types any more; relative
KERF_SHARE, KERF_UNCERTAINTIES = 0.5, 5.0  # of what was compensated; U of the readings alone

GRANTED = (Cause.SCALE, Cause.PLAY, Cause.ASSUMED)
# Tell-tale ratio → code of what causes it.
_FACTORS: tuple[tuple[float, str], ...] = (
    (16.0, "cause_microsteps_16"),
    (10.0, "cause_decimal_point"),
    (8.0, "cause_microsteps_8"),
    (5.0, "cause_five"),
    (4.0, "cause_four"),
    (3.0, "cause_three"),
    (1.6, "cause_pitch"),
    (2.0, "cause_two"),
)


@dataclass(frozen=True, slots=True)
class Doubt:
    """A reading to ask about. measurands: whose; asks: what it looks like."""

    measurands: tuple[str, ...]
    asks: Note

    def of(self, label: Said) -> Doubt:
        """The same, said of what it is called."""
        return Doubt(self.measurands, self.asks.of(label))


def looks_scaled(measurand: str, nominal: float, values: Sequence[float], kerf: float) -> Doubt | None:
    """A ratio commanded/actual near 25.4, 2, 4, 5, 8, 10, 16 or an inverse. All lengths in mm.

    Each reading is judged for itself: one reading of three in inches would vanish in a mean.
    """
    small = nominal <= MUCH_LARGER_THAN_KERF * kerf
    for i, value in enumerate(values, 1):
        which = i if len(values) > 1 else 0
        if value <= 0:
            return Doubt((measurand,), note("zero_reading", reading=which))
        ratio = nominal / value
        if small:
            if doubt := _small_in_inches(measurand, nominal, value, kerf, which):
                return doubt
            continue
        if 1 / ORDINARY < ratio < ORDINARY:
            continue
        if _near(ratio, 25.4):
            return Doubt((measurand,), note("looks_inches", reading=which, value=value, nominal=nominal))
        if _near(ratio, 1 / 25.4):
            return Doubt((measurand,), note("looks_mm_for_inches", reading=which, value=value, nominal=nominal))
        for factor, cause in _FACTORS:
            if _near(ratio, factor) or _near(ratio, 1 / factor):
                return Doubt(
                    (measurand,), note("times_off", reading=which, factor=factor, small=ratio > 1, cause=cause)
                )
    return None


def _small_in_inches(measurand: str, nominal: float, value: float, kerf: float, which: int) -> Doubt | None:
    """Kerf may bend a short length's ratio, but what was read in inches comes near to it when it is turned."""
    reach = NEAR * nominal + kerf / 2
    for turned, code in ((25.4 * value, "looks_inches"), (value / 25.4, "looks_mm_for_inches")):
        if abs(turned - nominal) <= reach < abs(value - nominal) and abs(value - nominal) > kerf:
            return Doubt((measurand,), note(code, reading=which, value=value, nominal=nominal))
    return None


def looks_finer(measurand: str, lengths: Sequence[Length], division: float) -> Doubt | None:
    """A reading with digits that its scale doesn't have, finer than a tenth of the division (mm) as it was typed, which
    in the other unit is a whole number of divisions: it was read there.

    A number with more decimals than anybody types was computed, and a fraction says itself how fine it is.
    """
    for i, length in enumerate(lengths, 1):
        if length.resolution_mm or not length.text:
            continue
        size = UNITS_MM[length.unit]
        value = length.mm / size
        other = MM_PER_INCH if size == 1 else 1.0
        turned = value * other
        off = abs(turned - round(turned / division) * division)
        if off > division / 10 or abs(turned) < division:
            continue
        same = SAME * max(abs(value), 1.0)
        places = next((k for k in range(MOST_TYPED) if abs(round(value, k) - value) < same), None)
        if places is None or 10.0**-places * size >= division / 10 * (1 - SAME):
            continue
        if off <= 10.0**-places / 2 * other <= division / 10:
            which = i if len(lengths) > 1 else 0
            return Doubt((measurand,), note("finer_than_division", reading=which, value=value, division=division))
    return None


def looks_odd(
    measurand: str, values: Sequence[float], instrument: Instrument, beside: tuple[float, int] = (0.0, 0)
) -> Doubt | None:
    """A reading far from its brothers: named, not averaged and not thrown away.

    The others, what was read beside them and the record say how far one more reading may lie (Student, once in a
    million), and a division each way. Of two that differ nobody knows which. beside: sum of squares (mm²) and degrees
    of freedom of what was read of other things: what an axis or a hand scatters shows there.
    """
    n = len(values)
    if n < 2 or max(values) - min(values) <= 2 * instrument.resolution:
        return None
    far = []
    record = instrument.repeatability
    dof = n - 2 + beside[1] + record.dof
    k = min(t_quantile(1 - ODD_CHANCE / 2, dof), ODD_AT_MOST)
    for i, value in enumerate(values):
        others = [*values[:i], *values[i + 1 :]]
        middle = math.fsum(others) / len(others)
        squares = math.fsum([(v - middle) ** 2 for v in others]) + beside[0] + record.dof * record.s**2
        room = k * math.sqrt(squares / dof) * math.sqrt(1 + 1 / len(others))
        excess = abs(value - middle) - room - 2 * instrument.resolution
        if excess > 0:
            far.append((excess, i, middle))
    if not far:
        return None
    _, i, middle = max(far)
    if n == 2:
        return Doubt((measurand,), note("two_readings_apart", apart=abs(values[0] - values[1])))
    return Doubt((measurand,), note("odd_reading", reading=i + 1, value=values[i], others=middle))


def looks_other_kerf(found: Uncertain, compensation: float) -> bool:
    """Whether readings leave room for no such tool: |K − c| > max(c/2, 5U). Both in mm, full width.

    U is that of the readings: what was assumed of scale and lost motion explains no slip.
    """
    if not compensation:
        return False
    read = tuple((s, c) for s, c in found.effects if s.cause not in GRANTED)
    apart = abs(found.value - compensation)
    return apart > KERF_SHARE * compensation and apart > KERF_UNCERTAINTIES * expand(read)


def looks_swapped(nominals: Mapping[str, float], means: Mapping[str, float], U: Mapping[str, float]) -> Doubt | None:
    """Two dimensions whose readings fit each other's nominal, which the doubt names by their measurands. All in mm."""
    read = [m for m in means if m in nominals]
    for i, a in enumerate(read):
        for b in read[i + 1 :]:
            if _fits_other(nominals[a], nominals[b], means[a], U[a]) and _fits_other(
                nominals[b], nominals[a], means[b], U[b]
            ):
                return Doubt((a, b), note("looks_swapped", a=a, b=b))
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
