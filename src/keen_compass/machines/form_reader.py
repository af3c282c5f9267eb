"""What is typed into a form, field by field: understood, or refused beside the field."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import date
from typing import TypeVar

from keen_compass.errors import InputError, LengthError
from keen_compass.language import tr
from keen_compass.machines.limits import FILES, LIMITS, TOLERANCE, check_setting_line
from keen_compass.machines.places import Place
from keen_compass.machines.profile import Machine
from keen_compass.machines.shown import show_length
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.lengths import parse_length, parse_number
from keen_compass.quantities.rates import FEEDS, parse_rate, show_rate
from keen_compass.quantities.stored import StoredValue

T = TypeVar("T")
NEEDED = ("x_steps", "y_steps")  # without these there is no machine


@dataclass
class FormReader:
    """Reads fields one by one and gathers complaints by field name."""

    fields: Mapping[str, str]
    complaints: dict[str, str] = field(default_factory=dict)

    def take(self, name: str, read: Callable[[str], T], otherwise: T) -> T:
        """The field as `read` understands it; a complaint, and `otherwise`, where it can't."""
        try:
            return read(self.fields.get(name, "").strip())
        except InputError as error:
            self.complaints[name] = error.message
            return otherwise

    def length(
        self, name: str, unit: str, *, zero: bool = False, limits: tuple[float, float] = (0.0, 1_000_000.0)
    ) -> float:
        """A length in mm, larger than 0 (or not negative), within what such a thing can be."""

        def read(text: str) -> float:
            if zero and not text:
                return 0.0
            mm = parse_length(text, unit).mm
            if mm <= 0 and not zero:
                raise InputError(tr("must be larger than 0"))
            low, high = limits
            if not low <= mm <= high and not (zero and mm == 0):
                shown = "mm" if unit == "mm" else "in"
                raise InputError(
                    tr(
                        "between {length} and {length2}",
                        length=show_length(low, shown),
                        length2=show_length(high, shown),
                    )
                )
            return mm

        return self.take(name, read, 1.0)

    def signed_length(self, name: str, unit: str, limits: tuple[float, float]) -> float:
        """A length in mm that may be negative; nothing typed is 0."""

        def read(text: str) -> float:
            mm = parse_length(text or "0", unit, allow_negative=True).mm
            low, high = limits
            if not low <= mm <= high:
                raise InputError(
                    tr("between {length} and {length2}", length=show_length(low, unit), length2=show_length(high, unit))
                )
            return mm

        return self.take(name, read, 0.0)

    def rate(self, name: str, rates: Mapping[str, float], unit: str, limits: tuple[float, float]) -> float:
        """A feed in mm/min or an acceleration in mm/s². unit: mm or in, of the shop."""

        def read(text: str) -> float:
            value = parse_rate(text, rates, unit)
            low, high = limits
            if not low <= value <= high:
                raise InputError(
                    tr(
                        "between {rate} and {rate2}",
                        rate=show_rate(low, rates, unit, 3),
                        rate2=show_rate(high, rates, unit),
                    )
                )
            return value

        return self.take(name, read, limits[0])

    def words(self, name: str, most: int = 60) -> str:
        """A name: something, and not too long."""

        def read(text: str) -> str:
            if not text:
                raise InputError(tr("give it a name"))
            if len(text) > most:
                raise InputError(tr("at most {most} letters", most=most))
            return text

        return self.take(name, read, "-")

    def number(self, name: str, low: float, high: float) -> float:
        """A number between limits."""

        def read(text: str) -> float:
            value = parse_number(text, tr("type a number"))
            if not low <= value <= high:
                raise InputError(tr("between {low:g} and {high:g}", low=low, high=high))
            return value

        return self.take(name, read, low)


def show_tolerance(machine: Machine, quantity: str) -> str:
    T = machine.tolerance(quantity)
    if QUANTITIES[quantity].error_unit == "mm/min":
        return show_rate(T, FEEDS, machine.units)
    return show_length(T, "mm" if machine.units == "mm" else "in")


def read_tolerance(reader: FormReader, quantity: str, unit: str) -> float:
    name = f"tolerance_{quantity}"
    if QUANTITIES[quantity].error_unit != "mm/min":
        return reader.length(name, unit, limits=TOLERANCE)

    return reader.rate(name, FEEDS, unit, TOLERANCE)


def recommended(reader: FormReader, unit: str) -> tuple[float, float] | None:
    """An accessory's offset as its maker gives it; both, or none."""
    fields = [f"accessory_{axis}" for axis in "xy"]
    if not any(reader.fields.get(name, "").strip() for name in fields):
        return None

    def read(text: str) -> float:
        try:
            return parse_length(text, unit, allow_negative=True).mm
        except LengthError as error:
            raise InputError(error.message) from None

    x, y = (reader.take(name, read, 0.0) for name in fields)
    return x, y


def read_heads(text: str) -> tuple[str, ...]:
    return tuple(name for name in text.split(", ") if name)


def digits_shown(text: str) -> int:
    """How many decimals a controller shows of a number, as it was typed."""
    digits = text.strip().replace(",", ".").partition(".")[2]
    return min(len(digits), round(LIMITS["decimals"][1])) if digits.isdigit() else 0


def held(place: Place, text: str) -> StoredValue | None:
    """What is in a place; None where the field is empty and may be. Raises InputError."""
    return None if not text and place.quantity not in NEEDED else place.typed(text)


def file_for(text: str, kind: MachineKind) -> str:
    """What a machine of that kind may take; empty for its usual."""
    usual = kind.file
    if text in ("", usual):
        return ""
    if usual == "gcode" or text == "gcode":
        raise InputError(
            tr("a {said} takes {files}", said=kind.said, files=FILES[usual])
            + (tr(" or SVG") if usual == "hpgl" else "")
        )
    return text


def read_setting_line(text: str) -> str:
    check_setting_line(text)
    return text


def read_day(text: str) -> date | None:
    if not text:
        return None
    try:
        return date.fromisoformat(text)
    except ValueError:
        raise InputError(tr("type a day like 2027-03-01, or leave it empty")) from None
