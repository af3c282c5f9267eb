"""The form of an instrument."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from keen_compass.language import marked
from keen_compass.machines.fitted import new_uid
from keen_compass.machines.form_reader import FormReader, read_day
from keen_compass.machines.shown import show_length
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.lengths import UNITS_MM, parse_length, trim_number

# Kind → (both ends are read off a scale, usual resolution in mm).
INSTRUMENT_KINDS: dict[str, tuple[bool, float]] = {
    marked("caliper"): (False, 0.01),
    marked("steel rule"): (True, 0.5),
    marked("tape"): (True, 1.0),
    marked("dial gauge"): (False, 0.01),
    marked("depth gauge"): (False, 0.01),
    marked("vernier by eye"): (False, 0.05),
}


def instrument_fields(instrument: Instrument | None) -> dict[str, str]:
    """The form's fields for an instrument, or for a new one."""
    i = instrument or Instrument("", 0.01, (0.02, 0.00002), reach=300.0)
    a, b = i.permissible_error
    unit = i.shown_in
    return {
        "name": i.name,
        "kind": i.kind,
        "unit": i.unit,
        "resolution": _small(i.resolution, unit),
        "error_a": _small(a, unit),
        "error_b": trim_number(b * 1000, 4),
        "reach": show_length(i.reach, unit),
        "zero": _small(i.zero, unit),
        "due": i.due.isoformat() if i.due else "",
    }


def _small(mm: float, unit: str) -> str:
    """A length of some thousandths with its unit; read again it is the same."""
    return f"{trim_number(mm / UNITS_MM[unit], 5 if unit == 'mm' else 7)} {unit}"


def read_instrument(fields: Mapping[str, str], base: Instrument | None) -> tuple[Instrument | None, dict[str, str]]:
    """(profile, complaints by field); no profile where there are complaints."""
    reader = FormReader(fields)
    kind = fields.get("kind", "caliper")
    unit = fields.get("unit", "mm")
    if unit not in UNITS_MM:
        reader.complaints["unit"] = f"choose one of {', '.join(UNITS_MM)}"
        unit = "mm"
    instrument = replace(
        base or Instrument(uid=new_uid()),
        name=reader.words("name", 40),
        kind=kind,
        both_ends=INSTRUMENT_KINDS[kind][0],
        unit=unit,
        resolution=reader.length("resolution", unit),
        permissible_error=(reader.length("error_a", unit, zero=True), reader.number("error_b", 0, 10) / 1000),
        reach=reader.length("reach", unit),
        zero=reader.take("zero", lambda t: parse_length(t or "0", unit, allow_negative=True).mm, 0.0),
        due=reader.take("due", read_day, None),
    )
    return (None if reader.complaints else instrument), reader.complaints
