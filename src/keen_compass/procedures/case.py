"""A case: everything a procedure needs to answer, read from JSON or put together by the Round screen.

The JSON's shape is the command line's contract; every complaint names the place in it.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, TypeVar

from keen_compass.errors import InputError
from keen_compass.quantities.catalogue import QUANTITIES, UNKNOWN_LABELS
from keen_compass.quantities.instruments import Instrument, Repeatability
from keen_compass.quantities.lengths import LARGEST_MM, MM_PER_INCH, Length, format_mm, parse_length, trim_number
from keen_compass.quantities.readings import LARGEST_COUNT, Count, Reading, parse_count
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.quantities.stored import SIZE, StoredAmount, StoredValue, stored_from_input, unit_kept
from keen_compass.quantities.subjects import NO_SUBJECT, Subject, subject_from_input
from keen_compass.quantities.uncertainty import EXPANSION, PieceScatter

T = TypeVar("T")
Parameters = Mapping[str, object]  # of a piece, by name; its procedure understands them
_MACHINE = {
    "units", "controller_units", "resolution_form", "decimals", "values", "flipped", "computed", "teeth",
    "step_limit", "gantry", "reference_length", "proven",
}  # fmt: skip
DECIMALS = 3  # that a controller keeps unless somebody says otherwise
K_OF_A_STATED_U = 1.959963984540054
DEFAULT_SCATTER = {
    "cut": 0.02,
    "drawn": 0.05,
}  # mm; how much equal pieces differ, by process, until a logbook says

_TOP = {
    "procedure", "machine", "piece", "instrument", "tolerance", "confirmed", "readings", "pieces",
    "piece_scatter", "previous_errors", "temperature", "instruments_at_hand", "largest_size", "subject",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Known:
    """A value known from before; U is None where it was stated without (then it is held exactly)."""

    value: float
    U: float | None = None

    @property
    def u(self) -> float:
        """Standard uncertainty; 0 where held exactly."""
        return (self.U or 0.0) / K_OF_A_STATED_U


@dataclass(frozen=True, slots=True)
class Temperature:
    """Part and instrument in °C, both known to ±u_c (standard)."""

    material: str
    part: float
    instrument: float
    u_c: float = 1.0


@dataclass(frozen=True, slots=True)
class Case:
    """One piece (or several equal ones) and what was read on it.

    values: what the controller held when the piece was made, by quantity.
    known: other values known from before (kerf, lost motion), in mm.
    decimals: that the controller keeps, of everything or by quantity. controller_units: mm or in, of all its lengths
        and feeds.
    subject: what the values belong to, besides the machine.
    predicted: what was predicted already of this very piece and instrument, by remedy and readings of each; filled as
        it is asked for, so that a keystroke doesn't ask again.
    piece: the piece's own parameters, still to be understood by the procedure.
    tolerance: mm at the piece's dimension, or per quantity in mm over `reference_length`.
    readings: measurand → what was read, in that order; measurands that can't be read are absent.
    previous_errors: quantity → error of the round before, in its error unit.
    instruments_at_hand, largest_size: what *what would settle it* may propose.
    flipped: quantities whose sign the controller counts the other way.
    computed: quantity → steps per mm as the drive train's parts give them; teeth: of its pulley or pinion, if any.
    proven: quantities whose number a round found to be in tolerance.
    step_limit: steps per second that the controller can put out, 0 unknown. gantry: mm between its two drives, 0 none.
    """

    procedure: str
    values: Mapping[str, StoredValue] = field(default_factory=dict)
    known: Mapping[str, Known] = field(default_factory=dict)
    decimals: int | Mapping[str, int] = DECIMALS
    piece: Parameters = field(default_factory=dict)
    instrument: Instrument = field(default_factory=Instrument)
    tolerance: float | Mapping[str, float] = 0.1
    reference_length: float = 1000.0
    confirmed: bool = False
    readings: Mapping[str, tuple[Reading, ...]] = field(default_factory=dict)
    pieces: int = 1
    piece_scatter: PieceScatter | None = None
    previous_errors: Mapping[str, float] = field(default_factory=dict)
    temperature: Temperature | None = None
    instruments_at_hand: tuple[Instrument, ...] = ()
    largest_size: float = 0.0
    flipped: frozenset[str] = frozenset()
    computed: Mapping[str, float] = field(default_factory=dict)
    teeth: Mapping[str, float] = field(default_factory=dict)
    step_limit: float = 0.0
    gantry: float = 0.0
    proven: frozenset[str] = frozenset()
    subject: Subject = NO_SUBJECT
    controller_units: str = "mm"
    predicted: dict[tuple[str, int, int], Mapping[str, float]] = field(default_factory=dict, compare=False)

    def lengths(self, measurand: str) -> tuple[Length, ...]:
        """What was read of a length, in that order. Raises InputError where something else was read."""
        found = self.readings[measurand]
        lengths = tuple(r for r in found if isinstance(r, Length))
        if len(lengths) != len(found):
            raise InputError(f"{measurand} is a length, and was read as something else", "readings")
        return lengths

    def resolution(self, quantity: str) -> StoredResolution:
        """What the controller holds of a scale. Raises InputError where that isn't given."""
        stored = self.values.get(quantity)
        if not isinstance(stored, StoredResolution):
            raise InputError(f"give {quantity}: the number in the controller", "machine.values")
        return stored

    def amount(self, quantity: str) -> StoredAmount:
        """What the machine keeps of an amount; nothing where nobody entered anything."""
        stored = self.values.get(quantity)
        if isinstance(stored, StoredAmount):
            return stored
        return StoredAmount(quantity, unit_kept(quantity, self.controller_units), 0.0)

    def decimals_of(self, quantity: str) -> int:
        """How many decimals are kept of a quantity."""
        return self.decimals if isinstance(self.decimals, int) else self.decimals.get(quantity, DECIMALS)

    def in_its_unit(self, mm: float, unit: str = "", *, signed: bool = False) -> str:
        """A length (mm) or feed (mm/min) as a line of arithmetic has it: in the controller's unit, or in `unit`."""
        inches = (unit or self.controller_units).startswith("in")
        return format_mm(mm / MM_PER_INCH, 5, signed=signed) if inches else format_mm(mm, 3, signed=signed)

    def ordered(self, mm: float, decimals: int = 3) -> str:
        """A length as ordered, the same way: no more digits than it has."""
        inches = self.controller_units == "in"
        return trim_number(mm / MM_PER_INCH, 5) if inches else trim_number(mm, decimals)

    def tolerance_of(self, quantity: str, length: float) -> float:
        """T in the quantity's error unit. length: mm, over which a single given tolerance is meant."""
        q, given = QUANTITIES[quantity], self.tolerance
        if isinstance(given, Mapping):
            T = given.get(quantity, q.default_tolerance)
            return T / self.reference_length * 1000 if q.scaled else T
        return given / length * 1000 if q.scaled else given

    def scatter(self, *, drawn: bool) -> PieceScatter:
        """How much equal pieces differ, known or assumed."""
        return self.piece_scatter or PieceScatter(DEFAULT_SCATTER["drawn" if drawn else "cut"])

    def factor(self, quantity: str) -> float:
        """−1 where this controller counts the quantity the other way round."""
        return -1.0 if quantity in self.flipped else 1.0


def length_mm(given: object, place: str, unit: str = "mm") -> float:
    """A length in the input: a number in mm, or a string with a unit."""
    if isinstance(given, str):
        try:
            return parse_length(given, unit, allow_negative=True).mm
        except InputError as error:
            raise error.at(place) from None
    mm = number(given, place)
    if abs(mm) > LARGEST_MM:
        raise InputError("that is longer than a kilometre; lengths are in mm", place)
    return mm


def number(given: object, place: str, low: float = -math.inf, high: float = math.inf) -> float:
    """A finite number within limits, or InputError at `place`."""
    if isinstance(given, bool) or not isinstance(given, (int, float)):
        raise InputError(f"expected a number, got {_show(given)}", place)
    try:
        value = float(given)
    except OverflowError:
        value = math.inf
    if not math.isfinite(value):
        raise InputError("the number is not finite", place)
    if not low <= value <= high:
        raise InputError(f"expected {low:g} to {high:g}, got {value:g}", place)
    return value


def case_from_json(body: object) -> Case:
    """Understand an input. Raises InputError naming the place."""
    top = _object(body, "input", _TOP)
    if "procedure" not in top:
        raise InputError("missing; name one of those that `procedures` lists", "procedure")
    for needed in ("readings",):
        if needed not in top:
            raise InputError("missing", needed)
    machine = _object(top.get("machine", {}), "machine", _MACHINE)
    form = _form(machine.get("resolution_form", "steps_per_mm"))
    kept_in = _unit(machine, "controller_units", _unit(machine))
    values, known = _values(_object(machine.get("values", {}), "machine.values"), form, kept_in)
    instrument = _at("instrument", lambda: _instrument(top.get("instrument", {}), _unit(machine)))
    return Case(
        procedure=_text(top["procedure"], "procedure"),
        values=values,
        known=known,
        decimals=_decimals(machine.get("decimals", DECIMALS)),
        controller_units=kept_in,
        piece=_object(top.get("piece", {}), "piece"),
        instrument=instrument,
        tolerance=_tolerance(top.get("tolerance", 0.1)),
        confirmed=_boolean(top.get("confirmed", False), "confirmed"),
        readings=_readings(top["readings"], instrument, _counts(top["procedure"])),
        pieces=_whole(top.get("pieces", 1), "pieces", 1, 1000),
        piece_scatter=_scatter(top.get("piece_scatter")),
        previous_errors={
            k: number(v, f"previous_errors.{k}")
            for k, v in _object(top.get("previous_errors", {}), "previous_errors").items()
        },
        temperature=_temperature(top.get("temperature")),
        instruments_at_hand=tuple(
            _at(f"instruments_at_hand[{i}]", lambda given=given: _instrument(given, _unit(machine)))  # type: ignore[misc]
            for i, given in enumerate(_list(top.get("instruments_at_hand", []), "instruments_at_hand"))
        ),
        largest_size=length_mm(top.get("largest_size", 0.0), "largest_size"),
        reference_length=length_mm(machine.get("reference_length", 1000.0), "machine.reference_length"),
        flipped=_quantities(machine.get("flipped", []), "machine.flipped"),
        proven=_quantities(machine.get("proven", []), "machine.proven"),
        computed=_positive_numbers(machine.get("computed", {}), "machine.computed"),
        teeth=_positive_numbers(machine.get("teeth", {}), "machine.teeth"),
        subject=subject_from_input(top.get("subject", {})),
        step_limit=_not_negative(machine.get("step_limit", 0.0), "machine.step_limit"),
        gantry=_not_negative(length_mm(machine.get("gantry", 0.0), "machine.gantry"), "machine.gantry"),
    )


def _object(given: object, place: str, allowed: set[str] | None = None) -> Mapping[str, Any]:
    if not isinstance(given, Mapping):
        raise InputError(f"expected an object {{…}}, got {_show(given)}", place)
    for key in given:
        if allowed is not None and key not in allowed:
            where = key if place == "input" else f"{place}.{key}"
            raise InputError(f"not known here; expected one of {', '.join(sorted(allowed))}", where)
    return given


def _list(given: object, place: str) -> list[Any]:
    if not isinstance(given, list):
        raise InputError(f"expected a list […], got {_show(given)}", place)
    return given


def _show(given: object) -> str:
    text = repr(given)
    return text if len(text) < 40 else text[:36] + "…"


def _at(place: str, make: Callable[[], T]) -> T:
    try:
        return make()
    except InputError as error:
        if error.place.startswith(place):
            raise
        raise error.at(place) from None


def _text(given: object, place: str) -> str:
    if not isinstance(given, str):
        raise InputError(f"expected text, got {_show(given)}", place)
    return given


def _boolean(given: object, place: str) -> bool:
    if not isinstance(given, bool):
        raise InputError(f"expected true or false, got {_show(given)}", place)
    return given


def _whole(given: object, place: str, low: int, high: int) -> int:
    if isinstance(given, bool) or not isinstance(given, int) or not low <= given <= high:
        raise InputError(f"expected a whole number from {low} to {high}, got {_show(given)}", place)
    return given


def _form(given: object) -> ResolutionForm:
    try:
        return ResolutionForm(_text(given, "machine.resolution_form"))
    except ValueError:
        forms = ", ".join(ResolutionForm)
        raise InputError(f"{_show(given)} is not one of {forms}", "machine.resolution_form") from None


def _unit(machine: Mapping[str, Any], name: str = "units", otherwise: str = "mm") -> str:
    unit = machine.get(name, otherwise)
    if unit not in ("mm", "in", "inch"):
        raise InputError(f"expected mm or in, got {_show(unit)}", f"machine.{name}")
    return "mm" if unit == "mm" else "in"


def _decimals(given: object) -> int | dict[str, int]:
    """One number for all, or one for each quantity that is named."""
    if not isinstance(given, Mapping):
        return _whole(given, "machine.decimals", 0, 9)
    _quantities(list(given), "machine.decimals")
    return {q: _whole(n, f"machine.decimals.{q}", 0, 9) for q, n in given.items()}


def _values(
    given: Mapping[str, Any], form: ResolutionForm, kept_in: str
) -> tuple[dict[str, StoredValue], dict[str, Known]]:  # fmt: skip
    stored: dict[str, StoredValue] = {}
    known: dict[str, Known] = {}
    for name, value in given.items():
        place = f"machine.values.{name}"
        if name not in QUANTITIES and name not in UNKNOWN_LABELS:
            raise InputError(
                f"is nothing that is calibrated; one of {', '.join((*QUANTITIES, *UNKNOWN_LABELS))}", place
            )
        if name in QUANTITIES:
            stored[name] = _at(
                place, lambda name=name, value=value: stored_from_input(name, form, value, kept_in)  # type: ignore[misc]
            )  # fmt: skip
            continue
        unit = kept_in if name == "kerf" else "mm"  # the other unknowns stand in no controller
        if isinstance(value, Mapping):
            body = _object(value, place, {"value", "expanded_uncertainty"})
            U = number(body["expanded_uncertainty"], f"{place}.expanded_uncertainty") if len(body) > 1 else None
            if U is not None and U <= 0:
                raise InputError("must be larger than 0; leave it out to hold the value exactly", place)
            known[name] = Known(_in_mm(body.get("value"), unit, f"{place}.value"), U and U * SIZE[unit])
        else:
            known[name] = Known(_in_mm(value, unit, place))
    return stored, known


def _in_mm(given: object, unit: str, place: str) -> float:
    """A length whose plain numbers are in that unit."""
    if isinstance(given, str):
        return length_mm(given, place, unit)
    return length_mm(number(given, place) * SIZE[unit], place)


def _instrument(given: object, unit: str) -> Instrument:
    fields = {
        "name", "resolution", "permissible_error", "both_ends", "unit", "reach", "zero", "parallel_within_deg",
        "repeats",
    }  # fmt: skip
    body = _object(given, "instrument", fields)
    error = _list(body.get("permissible_error", [0.0, 0.0]), "permissible_error")
    if len(error) != 2:
        raise InputError("expected [a, b] of ±(a + b·L)", "permissible_error")
    repeats = None
    if "repeats" in body:
        record = _object(body["repeats"], "repeats", {"s", "dof"})
        s = number(record.get("s"), "repeats.s", -1e6, 1e6)
        repeats = Repeatability(s, number(record.get("dof"), "repeats.dof"))
        if repeats.s < 0 or repeats.dof <= 0:
            raise InputError("s must not be negative and dof must be larger than 0", "repeats")
    return Instrument(
        name=_text(body.get("name", "instrument"), "name"),
        resolution=length_mm(body.get("resolution", 0.01), "resolution"),
        permissible_error=(
            length_mm(error[0], "permissible_error[0]"),
            number(error[1], "permissible_error[1]", 0, 1),
        ),
        both_ends=_boolean(body.get("both_ends", False), "both_ends"),
        unit=_text(body.get("unit", unit), "unit"),
        reach=length_mm(body.get("reach", 0.0), "reach"),
        zero=length_mm(body.get("zero", 0.0), "zero"),
        parallel_within=math.radians(number(body.get("parallel_within_deg", 0.0), "parallel_within_deg")),
        repeats=repeats,
    )


def _quantities(given: object, place: str) -> frozenset[str]:
    names = _list(given, place)
    for i, name in enumerate(names):
        if name not in QUANTITIES:
            raise InputError(f"{_show(name)} is not a quantity", f"{place}[{i}]")
    return frozenset(names)


def _positive_numbers(given: object, place: str) -> dict[str, float]:
    found = {k: number(v, f"{place}.{k}") for k, v in _object(given, place).items()}
    for name, value in found.items():
        if not value > 0:
            raise InputError("must be larger than 0", f"{place}.{name}")
    return found


def _not_negative(given: object, place: str) -> float:
    value = number(given, place, -1e12, 1e12)
    if value < 0:
        raise InputError("must not be negative", place)
    return value


def _tolerance(given: object) -> float | Mapping[str, float]:
    if isinstance(given, Mapping):
        tolerances = {k: length_mm(v, f"tolerance.{k}") for k, v in given.items()}
    else:
        tolerances = {"": length_mm(given, "tolerance")}
    for name, value in tolerances.items():
        if not value > 0:
            raise InputError("must be larger than 0", f"tolerance.{name}".rstrip("."))
    return tolerances if isinstance(given, Mapping) else tolerances[""]


def _scatter(given: object) -> PieceScatter | None:
    if given is None:
        return None
    if isinstance(given, Mapping):
        body = _object(given, "piece_scatter", {"s", "dof"})
        s, dof = number(body.get("s"), "piece_scatter.s", -1e6, 1e6), number(body.get("dof", 4), "piece_scatter.dof")
    else:
        s, dof = number(given, "piece_scatter", -1e6, 1e6), 4.0
    if s < 0 or dof <= 0:
        raise InputError("s must not be negative and dof must be larger than 0", "piece_scatter")
    return PieceScatter(s, dof, assumed=False)


def _temperature(given: object) -> Temperature | None:
    if given is None:
        return None
    body = _object(given, "temperature", {"material", "part", "instrument", "u"})
    material = _text(body.get("material"), "temperature.material")
    if material not in EXPANSION:
        raise InputError(f"expected one of {', '.join(EXPANSION)}", "temperature.material")
    part = number(body.get("part"), "temperature.part", -100, 500)
    return Temperature(
        material, part, number(body.get("instrument", part), "temperature.instrument", -100, 500),
        number(body.get("u", 1.0), "temperature.u", 0, 100),
    )  # fmt: skip


def _counts(procedure: object) -> Mapping[str, str]:
    """Which of a procedure's measurands are no lengths, and what they count; nothing of one that isn't known."""
    from keen_compass.procedures import REGISTRY, load  # late: it loads the modules that need this one

    return load(procedure).counts if isinstance(procedure, str) and procedure in REGISTRY else {}


def _readings(given: object, instrument: Instrument, counts: Mapping[str, str]) -> dict[str, tuple[Reading, ...]]:
    readings: dict[str, tuple[Reading, ...]] = {}
    for i, entry in enumerate(_list(given, "readings")):
        place = f"readings[{i}]"
        body = _object(entry, place, {"measurand", "values"})
        name = _text(body.get("measurand"), f"{place}.measurand")
        if name in readings:
            raise InputError(f"{name} is given twice; put all its values in one entry", f"{place}.measurand")
        values = _list(body.get("values"), f"{place}.values")
        if not values:
            raise InputError("empty; leave the entry out where nothing was read", f"{place}.values")
        readings[name] = tuple(
            _reading(v, f"{place}.values[{j}]", instrument, counts.get(name)) for j, v in enumerate(values)
        )
    return readings


def _reading(given: object, place: str, instrument: Instrument, counted: str | None) -> Reading:
    if counted is not None:
        if isinstance(given, str):
            return _at(place, lambda: parse_count(given, counted))
        return Count(number(given, place, -LARGEST_COUNT, LARGEST_COUNT), repr(given), counted)
    if isinstance(given, str):
        return _at(place, lambda: parse_length(given, instrument.unit, allow_negative=True))
    return Length(length_mm(given, place), repr(given), "mm")
