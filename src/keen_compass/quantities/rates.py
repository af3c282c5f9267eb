"""Feeds and accelerations as they are typed and shown: their units, and which of them a shop uses."""

from __future__ import annotations

from collections.abc import Mapping

from keen_compass.language import tr, written
from keen_compass.quantities.lengths import MM_PER_INCH, parse_number, trim_number

FEEDS = {"mm/min": 1.0, "m/min": 1000.0, "mm/s": 60.0, "in/min": MM_PER_INCH}  # → mm/min
ACCELERATIONS = {"mm/s²": 1.0, "in/s²": MM_PER_INCH}  # → mm/s²


def usual_unit(rates: Mapping[str, float], units: str) -> str:
    """Which unit bare digits mean in a shop of mm or inches."""
    wanted = 1.0 if units == "mm" else MM_PER_INCH
    return next(unit for unit, size in rates.items() if size == wanted)


def show_rate(value: float, rates: Mapping[str, float], units: str, decimals: int = 1) -> str:
    """``1800 mm/min``, ``70.9 in/min``. value: mm/min, mm/s²; decimals: of inches, mm have none."""
    return f"{rate_number(value, rates, units, decimals)} {usual_unit(rates, units)}"


def rate_number(value: float, rates: Mapping[str, float], units: str, decimals: int = 1) -> str:
    """The same without its unit, where that is beside several."""
    return written(trim_number(value / rates[usual_unit(rates, units)], 0 if units == "mm" else decimals))


def parse_rate(text: str, rates: Mapping[str, float], units: str) -> float:
    """mm/min, mm/s² of what was typed; bare digits are in the shop's unit. Raises LengthError."""
    plain = text.strip().replace("s2", "s²")
    usual = usual_unit(rates, units)
    unit = next((u for u in sorted(rates, key=len, reverse=True) if plain.endswith(u)), usual)
    return parse_number(plain.removesuffix(unit), tr("type a number of {usual}", usual=usual)) * rates[unit]
