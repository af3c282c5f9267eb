"""An instrument as a shop file or a logbook keeps it."""

from __future__ import annotations

from dataclasses import asdict
from datetime import date
from typing import TYPE_CHECKING, Any

from keen_compass.quantities.bodies import JsonMapping, JsonObject

if TYPE_CHECKING:
    from keen_compass.machines.dialect import Dialect
    from keen_compass.quantities.instruments import Instrument
else:
    Dialect = Any  # loaded where a machine has one: the first screen needs none


def instrument_to_json(instrument: Instrument) -> JsonObject:
    """As the shop file keeps it."""
    body = asdict(instrument)
    body["due"] = instrument.due.isoformat() if instrument.due else None
    return body


def instrument_from_json(body: JsonMapping) -> Instrument:
    """Inverse of `instrument_to_json`."""
    from keen_compass.quantities.instruments import Instrument, Repeatability  # late: the first screen has none

    return Instrument(
        **{
            **body,
            "permissible_error": tuple(body["permissible_error"]),
            "due": date.fromisoformat(body["due"]) if body["due"] else None,
            "repeats": Repeatability(**body["repeats"]) if body["repeats"] else None,
        }
    )
