"""Lengths as a shop wants to see them. Light enough for the first screen."""

from __future__ import annotations

from keen_compass.language import written
from keen_compass.quantities.lengths import format_fraction, parse_length, trim_number

FRACTION_LOSES = 0.01  # of a length; where a fraction would lose more, decimals are shown


def length_unit(units: str) -> str:
    """Which unit bare digits mean, for a machine shown in `units`."""
    return "mm" if units == "mm" else "in"


def show_length(mm: float, units: str) -> str:
    """A length with its unit as a shop wants it: ``400 mm``, ``15.748 in``, ``15 3/4 in``."""
    return written(plain_length(mm, units))


def plain_length(mm: float, units: str) -> str:
    """The same with a decimal point, whatever language is spoken: it is kept, or compared."""
    if units == "mm":
        return f"{trim_number(mm, 2)} mm"
    fraction = format_fraction(mm / 25.4)
    lost = abs(parse_length(fraction, "in").mm - mm)
    if units == "in" or lost > FRACTION_LOSES * mm:  # a thin sheet has no fraction
        return f"{trim_number(mm / 25.4, 4)} in"
    return f"{fraction} in"


def show_size(width: float, height: float, units: str) -> str:
    """Two lengths with one unit: ``400 × 300 mm``."""
    first, second = show_length(width, units), show_length(height, units)
    return f"{first.rpartition(' ')[0]} × {second}"
