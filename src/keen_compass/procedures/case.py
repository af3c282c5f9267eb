"""A case: everything a procedure needs to answer, read from JSON or put together by the Round screen.

The JSON's shape is the command line's contract; every complaint names the place in it.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any, TypeVar

from keen_compass.errors import InputError, shown_input
from keen_compass.machines.profile import HEADS
from keen_compass.quantities.catalogue import QUANTITIES, UNKNOWN_LABELS
from keen_compass.quantities.instruments import Instrument, Repeatability
from keen_compass.quantities.lengths import (
    LARGEST_MM,
    MM_PER_INCH,
    Length,
    format_mm,
    length_in_words,
    parse_length,
    trim_number,
)
from keen_compass.quantities.measuring import (
    EXPANSION,
    READ_ALONG,
    Conditions,
    Held,
    Measurement,
    PieceScatter,
    Temperature,
    measurement,
    planned,
    spread_of,
    squares_within,
)
from keen_compass.quantities.readings import (
    LARGEST_COUNT,
    Count,
    Pick,
    Reading,
    number_of,
    parse_count,
    parse_pick,
)
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.quantities.stored import SIZE, StoredAmount, StoredValue, stored_from_input, unit_kept
from keen_compass.quantities.subjects import NO_SUBJECT, Subject, subject_from_input
from keen_compass.solve.joint import Known
from keen_compass.solve.travel import lost_motion_of, scale_of

if TYPE_CHECKING:
    from keen_compass.procedures.base import Procedure

T = TypeVar("T")
Parameters = Mapping[str, object]  # of a piece, by name; its procedure understands them
_MACHINE = {
    "units", "controller_units", "resolution_form", "decimals", "values", "flipped", "computed", "teeth",
    "step_limit", "gantry", "gantry_along", "head", "reference_length", "proven", "kerf_form", "kind",
}  # fmt: skip
DECIMALS = 3  # that a controller keeps unless somebody says otherwise
ASSUMED_LOST_MOTION = Known(0.0, 0.15, assumed=True)  # mm; where no round found out
MOST_PICKS = 99
DEFAULT_SCATTER = {
    "cut": 0.02,
    "drawn": 0.05,
}  # mm; how much equal pieces differ, by process, until a logbook says

# Unknown → the quantity whose round finds it out.
YIELDED_AS = {
    "x_scale": "x_steps", "y_scale": "y_steps", "x_lost_motion": "x_backlash", "y_lost_motion": "y_backlash",
}  # fmt: skip
KNOWN_VALUES = tuple(dict.fromkeys((*QUANTITIES, *UNKNOWN_LABELS)))
CUTTERS = ("router", "plasma", "laser", "knife", "pen")
THERMAL_CUTTERS = ("plasma", "laser")
CUT_UNKNOWNS = ("kerf", "hole_bias")
ASSUMED_SCALE = Known(0.0, 0.002, assumed=True)  # mm/mm; where no round proved it
ASSUMED_HOLE_BIAS = {True: Known(0.0, 1.0, assumed=True), False: Known(0.0, 0.2, assumed=True)}  # mm; thermal, milled
SMALLEST_U = 1e-9  # in any unit; below, a value is held exactly
COMBINED = ("squareness", "home", "tram")  # what readings are weighed against, besides scales and lost motion
# What the command line calls them → what an instrument's profile does.
KINDS = {
    "caliper": "caliper", "rule": "steel rule", "steel rule": "steel rule", "tape": "tape", "dial": "dial gauge",
    "dial gauge": "dial gauge", "depth gauge": "depth gauge", "vernier": "vernier", "micrometer": "micrometer",
}  # fmt: skip

_TOP = {
    "procedure", "machine", "piece", "instrument", "tolerance", "confirmed", "readings", "pieces",
    "piece_scatter", "previous_errors", "temperature", "instruments_at_hand", "largest_size", "subject",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Previous:
    """What the round before found of a quantity, in its error unit; U is None where nobody kept it."""

    error: float
    U: float | None = None


@dataclass(frozen=True, slots=True)
class Case:
    """One piece (or several equal ones) and what was read on it.

    values: what the controller held when the piece was made, by quantity.
    known: what is known from before, by unknown (kerf, lost motion, scales: mm, mm/mm) or, of what its procedure
        yields, by quantity: what its error was known to be.
    decimals: that the controller keeps, of everything or by quantity. controller_units: mm or in, of all its lengths
        and feeds.
    subject: what the values belong to, besides the machine.
    kerf_form: whether the controller keeps a kerf in its full or half width. thermal: a process that melts or burns.
    predicted: what was predicted already of this very piece and instrument, by remedy and readings of each; filled as
        it is asked for, so that a keystroke doesn't ask again.
    piece: the piece's own parameters, still to be understood by the procedure.
    tolerance: mm at the piece's dimension, or per quantity in mm over `reference_length`.
    half_typed: the measurand whose last reading is still being typed: nobody asks about its digits yet.
    readings: measurand → what was read, in that order; measurands that can't be read are absent.
    previous_errors: quantity → error of the round before, in its error unit.
    kind_assumed: nobody said what kind of instrument it is: the usual one is meant.
    instruments_at_hand, largest_size: what *what would settle it* may propose.
    flipped: quantities whose sign the controller counts the other way.
    computed: quantity → steps per mm as the drive train's parts give them; teeth: of its pulley or pinion, if any.
    proven: quantities whose number a round found to be in tolerance.
    step_limit: steps per second that the controller can put out, 0 unknown. gantry: mm between its two drives, 0 none;
        gantry_along: the axis along which it runs, on its way past the other's ends.
    head: how the head is held, a key of `HEADS`; empty where nobody said.
    """

    procedure: str
    values: Mapping[str, StoredValue] = field(default_factory=dict)
    known: Mapping[str, Known] = field(default_factory=dict)
    decimals: int | Mapping[str, int] = DECIMALS
    piece: Parameters = field(default_factory=dict)
    instrument: Instrument = field(default_factory=Instrument)
    kind_assumed: bool = False
    tolerance: float | Mapping[str, float] = 0.1
    reference_length: float = 1000.0
    confirmed: bool = False
    half_typed: str = ""
    readings: Mapping[str, tuple[Reading, ...]] = field(default_factory=dict)
    pieces: int = 1
    piece_scatter: PieceScatter | None = None
    previous_errors: Mapping[str, Previous] = field(default_factory=dict)
    temperature: Temperature | None = None
    instruments_at_hand: tuple[Instrument, ...] = ()
    largest_size: float = 0.0
    flipped: frozenset[str] = frozenset()
    computed: Mapping[str, float] = field(default_factory=dict)
    teeth: Mapping[str, float] = field(default_factory=dict)
    step_limit: float = 0.0
    gantry: float = 0.0
    gantry_along: str = "y"
    head: str = ""
    proven: frozenset[str] = frozenset()
    subject: Subject = NO_SUBJECT
    controller_units: str = "mm"
    kerf_form: str = "full"
    thermal: bool = False
    predicted: dict[tuple[str, int, int], Mapping[str, float]] = field(default_factory=dict, compare=False)

    def lengths(self, measurand: str) -> tuple[Length, ...]:
        """What was read of a length, in that order. Raises InputError where something else was read."""
        found = self.readings[measurand]
        lengths = tuple(r for r in found if isinstance(r, Length))
        if len(lengths) != len(found):
            raise InputError(f"{measurand} is a length, and was read as something else", "readings")
        return lengths

    def picked(self, measurand: str, count: int) -> list[float]:
        """Which of `count` was picked, each time. Raises InputError where there is no such one."""
        found = [number_of(r) for r in self.readings.get(measurand, ())]
        if any(not 1 <= at <= count for at in found):
            raise InputError(f"there are 1 to {count}", f"readings.{measurand}")
        return found

    def fraction_step(self) -> float:
        """The finest fraction of an inch in which anything was read, mm; 0 where nothing was.

        Fractions are written in lowest terms: 22 1/2 among sixteenths was read to a sixteenth.
        """
        steps = {r.resolution_mm for read in self.readings.values() for r in read if isinstance(r, Length)} - {0.0}
        return min(steps, default=0.0)

    def as_read(self, lengths: Sequence[Length]) -> Instrument:
        """The instrument with the division to which some lengths were really read: a fraction's where that is coarser.

        A whole number of inches among fractions was read to the same fraction.
        """
        fractions = any(r.resolution_mm or (r.unit == "in" and r.mm / MM_PER_INCH % 1 == 0) for r in lengths)
        if not fractions or self.instrument.divided_in_fractions:
            return self.instrument
        step = self.fraction_step()
        if step <= self.instrument.resolution:
            return self.instrument
        return replace(self.instrument, resolution=step)

    def read_to(self) -> float:
        """The division to which everything here was read, mm: a fraction's where one was read in fractions."""
        return self.as_read([r for read in self.readings.values() for r in read if isinstance(r, Length)]).resolution

    def _conditions(self, held: Held, drawn: bool | None) -> Conditions:
        scatter = None if drawn is None else self.scatter(drawn=drawn)
        return Conditions(held, scatter, self.pieces, self.temperature if held is not Held.AGAINST else None)

    def measured(
        self, measurand: str, *, held: Held = Held.ACROSS, nominal: float = 0.0, drawn: bool | None = None,
        spread: Repeatability | None = None,
    ) -> Measurement:  # fmt: skip
        """The mean of what was read of a length, mm.

        drawn: of a piece that was drawn or cut; None where nothing was made. spread: where more is known of it.
        """
        lengths = self.lengths(measurand)
        return measurement(
            measurand, [v.mm for v in lengths], self.as_read(lengths), self._conditions(held, drawn), nominal=nominal,
            spread=spread,
        )  # fmt: skip

    def foreseen(
        self, measurand: str, expected: float, n: int, *, held: Held = Held.ACROSS, nominal: float = 0.0,
        drawn: bool | None = None,
    ) -> Measurement:  # fmt: skip
        """What `n` readings to the instrument's own division would be worth, with the spread that was seen so far."""
        return planned(
            measurand, expected, n, self.instrument, self._conditions(held, drawn), nominal=nominal,
            spread=self.seen_spread(),
        )  # fmt: skip

    def seen_spread(self) -> Repeatability:
        """Of single readings: what was seen here, pooled with the instrument's record."""
        read = [v for found in self.readings.values() for v in found if isinstance(v, Length)]
        return spread_of(self._read(), self.as_read(read).repeatability)

    def scatter_of_readings(self) -> tuple[float, int]:
        """Sum of squares (mm²) of all lengths about their means, and its degrees of freedom."""
        return squares_within(self._read())

    def _read(self) -> list[list[float]]:
        groups = [[v.mm for v in found if isinstance(v, Length)] for found in self.readings.values()]
        return [g for g in groups if g]

    def lost_motion(self, axis: str) -> Known:
        """What is known of the lost motion left in an axis; assumed where no round found out."""
        return self.known.get(lost_motion_of(axis).name, ASSUMED_LOST_MOTION)

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

    def shown(self, mm: float, decimals: int = 2, *, signed: bool = False) -> str:
        """A length in a sentence, with its unit: in the controller's own. decimals: in mm; inches take two more."""
        return length_in_words(mm, self.controller_units, decimals, signed=signed)

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
        raise InputError(f"expected a number, got {shown_input(given)}", place)
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
    meant = _procedure(_text(top["procedure"], "procedure"))
    given_values = _object(machine.get("values", {}), "machine.values")
    kerf_form = _one_of(machine.get("kerf_form", "full"), ("full", "half"), "machine.kerf_form")
    values, known = _values(
        given_values, form, kept_in, meant.yields if meant else (), 2.0 if kerf_form == "half" else 1.0
    )
    usual = meant.suits[0] if meant and meant.suits else "caliper"
    body = top.get("instrument", {})
    instrument = _at("instrument", lambda: _instrument(body, _unit(machine), usual))
    return Case(
        procedure=top["procedure"],
        values=values,
        known=known,
        decimals=_decimals(machine.get("decimals", DECIMALS)),
        controller_units=kept_in,
        piece=_object(top.get("piece", {}), "piece"),
        instrument=instrument,
        kind_assumed=isinstance(body, Mapping) and "kind" not in body,
        tolerance=_tolerance(top.get("tolerance", 0.1)),
        confirmed=_boolean(top.get("confirmed", False), "confirmed"),
        readings=_readings(top["readings"], instrument, meant.counts if meant else {}, meant.picks if meant else ()),
        pieces=_whole(top.get("pieces", 1), "pieces", 1, 1000),
        piece_scatter=_scatter(top.get("piece_scatter")),
        previous_errors={
            k: _previous(v, f"previous_errors.{k}")
            for k, v in _object(top.get("previous_errors", {}), "previous_errors").items()
        },
        temperature=_temperature(top.get("temperature")),
        instruments_at_hand=tuple(
            _at(f"instruments_at_hand[{i}]", lambda given=given: _instrument(given, _unit(machine), usual))  # type: ignore[misc]
            for i, given in enumerate(_list(top.get("instruments_at_hand", []), "instruments_at_hand"))
        ),
        largest_size=length_mm(top.get("largest_size", 0.0), "largest_size"),
        reference_length=_positive(
            length_mm(machine.get("reference_length", 1000.0), "machine.reference_length"), "machine.reference_length"
        ),
        flipped=_quantities(machine.get("flipped", []), "machine.flipped"),
        proven=_quantities(machine.get("proven", []), "machine.proven"),
        computed=_positive_numbers(machine.get("computed", {}), "machine.computed"),
        teeth=_positive_numbers(machine.get("teeth", {}), "machine.teeth"),
        subject=subject_from_input(top.get("subject", {})),
        step_limit=_not_negative(machine.get("step_limit", 0.0), "machine.step_limit"),
        gantry=_not_negative(length_mm(machine.get("gantry", 0.0), "machine.gantry"), "machine.gantry"),
        gantry_along=_one_of(machine.get("gantry_along", "y"), ("x", "y"), "machine.gantry_along"),
        head=_one_of(machine.get("head", ""), ("", *HEADS), "machine.head"),
        kerf_form=kerf_form,
        thermal=_one_of(machine.get("kind", "plasma"), CUTTERS, "machine.kind") in THERMAL_CUTTERS,
    )


def _object(given: object, place: str, allowed: set[str] | None = None) -> Mapping[str, Any]:
    if not isinstance(given, Mapping):
        raise InputError(f"expected an object {{…}}, got {shown_input(given)}", place)
    for key in given:
        if allowed is not None and key not in allowed:
            where = key if place == "input" else f"{place}.{key}"
            raise InputError(f"not known here; expected one of {', '.join(sorted(allowed))}", where)
    return given


def _list(given: object, place: str) -> list[Any]:
    if not isinstance(given, list):
        raise InputError(f"expected a list […], got {shown_input(given)}", place)
    return given


def _at(place: str, make: Callable[[], T]) -> T:
    try:
        return make()
    except InputError as error:
        if error.place.startswith(place):
            raise
        raise error.at(place) from None


def _text(given: object, place: str) -> str:
    if not isinstance(given, str):
        raise InputError(f"expected text, got {shown_input(given)}", place)
    return given


def _boolean(given: object, place: str) -> bool:
    if not isinstance(given, bool):
        raise InputError(f"expected true or false, got {shown_input(given)}", place)
    return given


def _whole(given: object, place: str, low: int, high: int) -> int:
    if isinstance(given, bool) or not isinstance(given, int) or not low <= given <= high:
        raise InputError(f"expected a whole number from {low} to {high}, got {shown_input(given)}", place)
    return given


def _one_of(given: object, known: tuple[str, ...], place: str) -> str:
    if _text(given, place) not in known:
        raise InputError(f"expected one of {', '.join(filter(None, known))}, got {shown_input(given)}", place)
    return str(given)


def _form(given: object) -> ResolutionForm:
    try:
        return ResolutionForm(_text(given, "machine.resolution_form"))
    except ValueError:
        forms = ", ".join(ResolutionForm)
        raise InputError(f"{shown_input(given)} is not one of {forms}", "machine.resolution_form") from None


def _unit(machine: Mapping[str, Any], name: str = "units", otherwise: str = "mm") -> str:
    unit = machine.get(name, otherwise)
    if unit not in ("mm", "in", "inch"):
        raise InputError(f"expected mm or in, got {shown_input(unit)}", f"machine.{name}")
    return "mm" if unit == "mm" else "in"


def _decimals(given: object) -> int | dict[str, int]:
    """One number for all, or one for each quantity that is named."""
    if not isinstance(given, Mapping):
        return _whole(given, "machine.decimals", 0, 9)
    _quantities(list(given), "machine.decimals")
    return {q: _whole(n, f"machine.decimals.{q}", 0, 9) for q, n in given.items()}


def _values(
    given: Mapping[str, Any], form: ResolutionForm, kept_in: str, yields: tuple[str, ...], widths: float = 1.0
) -> tuple[dict[str, StoredValue], dict[str, Known]]:  # fmt: skip
    """What the controller holds, and what is known from before.

    A plain number of a quantity is what is held. With its uncertainty it is evidence too: of a resolution for the axis'
    scale, of a backlash for the lost motion that is left, of what the procedure itself yields for its error. widths: of
    a kerf, for one of the controller's number: 2 where it keeps half of it.
    """
    stored: dict[str, StoredValue] = {}
    known: dict[str, Known] = {}
    for name, value in given.items():
        place = f"machine.values.{name}"
        if name not in QUANTITIES and name not in UNKNOWN_LABELS:
            raise InputError(
                f"is nothing that is calibrated; one of {', '.join(dict.fromkeys((*QUANTITIES, *UNKNOWN_LABELS)))}",
                place,
            )
        plain, U = _with_uncertainty(value, place)
        if name in CUT_UNKNOWNS and (name in yields or (U is None and name == "hole_bias")):
            stored[name] = amount = StoredAmount(name, unit_kept(name, kept_in), number(plain, place))
            if U is not None:
                size = SIZE[amount.unit] * (widths if name == "kerf" else 1.0)
                _say_once(known, name, Known(amount.value * size, U * size), place)
            continue
        if name in UNKNOWN_LABELS:
            if U is None and YIELDED_AS.get(name) in yields:
                raise InputError(
                    "is what this finds out: give it with its expanded_uncertainty, or leave it out", place
                )
            unit, wide = (kept_in, widths) if name == "kerf" else ("mm", 1.0)  # the others stand in no controller
            _say_once(known, name, Known(_in_mm(plain, unit, place) * wide, U and U * SIZE[unit] * wide), place)
            continue
        stored[name] = _at(
            place, lambda name=name, plain=plain: stored_from_input(name, form, plain, kept_in)  # type: ignore[misc]
        )  # fmt: skip
        if U is not None:
            _say_once(known, *_evidence(name, stored[name], U, yields, place), place)
    return stored, known


def _with_uncertainty(value: object, place: str) -> tuple[Any, float | None]:
    """(the number, its U); of a plain number, or of {value, expanded_uncertainty}."""
    if not isinstance(value, Mapping) or not {"value", "expanded_uncertainty"} & set(value):
        return value, None
    body = _object(value, place, {"value", "expanded_uncertainty"})
    if "value" not in body:
        raise InputError("missing", f"{place}.value")
    if "expanded_uncertainty" not in body:
        return body["value"], None
    U = number(body["expanded_uncertainty"], f"{place}.expanded_uncertainty", high=LARGEST_MM)
    if U < SMALLEST_U:
        raise InputError("must be larger than 0; leave it out to hold the value exactly", place)
    return body["value"], U


def _evidence(
    name: str, stored: StoredValue, U: float, yields: tuple[str, ...], place: str
) -> tuple[str, Known]:  # fmt: skip
    """What a number known with U says, and of which unknown."""
    q = QUANTITIES[name]
    if isinstance(stored, StoredResolution):
        return scale_of(q.axis).name, Known(0.0, U / stored.sensitivity(0.0))
    left = Known(0.0, U * SIZE[stored.unit])
    if q.family == "backlash":
        return lost_motion_of(q.axis).name, left
    if name in yields and q.family not in COMBINED:
        raise InputError("what was known of this before is not combined with readings: give the number alone", place)
    return name, left


def _say_once(known: dict[str, Known], name: str, value: Known, place: str) -> None:
    if name in known:
        raise InputError(f"{UNKNOWN_LABELS.get(name, name)} is given twice: once is enough", place)
    known[name] = value


def _in_mm(given: object, unit: str, place: str) -> float:
    """A length whose plain numbers are in that unit."""
    if isinstance(given, str):
        return length_mm(given, place, unit)
    return length_mm(number(given, place) * SIZE[unit], place)


def _instrument(given: object, unit: str, usual: str) -> Instrument:
    """usual: the kind that is meant where none is said."""
    fields = {
        "name", "kind", "resolution", "permissible_error", "both_ends", "unit", "reach", "zero", "parallel_within_deg",
        "repeats",
    }  # fmt: skip
    body = _object(given, "instrument", fields)
    error = _list(body.get("permissible_error", [0.0, 0.0]), "permissible_error")
    if len(error) != 2:
        raise InputError("expected [a, b] of ±(a + b·L)", "permissible_error")
    kind = _text(body.get("kind", usual), "kind")
    if kind not in KINDS:
        raise InputError(f"expected one of {', '.join(KINDS)}, got {shown_input(kind)}", "kind")
    repeats = None
    if "repeats" in body:
        record = _object(body["repeats"], "repeats", {"s", "dof"})
        repeats = Repeatability(_spread(record, "repeats"), _dof(record.get("dof"), "repeats"))
    return Instrument(
        name=_text(body.get("name", "instrument"), "name"),
        resolution=length_mm(body.get("resolution", 0.01), "resolution"),
        permissible_error=(
            length_mm(error[0], "permissible_error[0]"),
            number(error[1], "permissible_error[1]", 0, 1),
        ),
        both_ends=_boolean(body.get("both_ends", KINDS[kind] in READ_ALONG), "both_ends"),
        unit=_text(body.get("unit", unit), "unit"),
        reach=length_mm(body.get("reach", 0.0), "reach"),
        zero=length_mm(body.get("zero", 0.0), "zero"),
        parallel_within=math.radians(number(body.get("parallel_within_deg", 0.0), "parallel_within_deg", 0, 17)),
        repeats=repeats,
        kind=KINDS[kind],
    )


def _spread(record: Mapping[str, Any], place: str) -> float:
    s = number(record.get("s"), f"{place}.s", -1e6, 1e6)
    if s < 0:
        raise InputError("must not be negative", f"{place}.s")
    return s


def _dof(given: object, place: str) -> float:
    """Degrees of freedom: what is known from two readings has one."""
    return number(given, f"{place}.dof", 1, 1e9)


def _previous(given: object, place: str) -> Previous:
    """An error, or {error, expanded_uncertainty}."""
    if not isinstance(given, Mapping):
        return Previous(number(given, place))
    body = _object(given, place, {"error", "expanded_uncertainty"})
    U = body.get("expanded_uncertainty")
    return Previous(
        number(body.get("error"), f"{place}.error"),
        None if U is None else number(U, f"{place}.expanded_uncertainty", 0),
    )


def _quantities(given: object, place: str) -> frozenset[str]:
    names = _list(given, place)
    for i, name in enumerate(names):
        if not isinstance(name, str) or name not in QUANTITIES:
            raise InputError(f"{shown_input(name)} is not a quantity", f"{place}[{i}]")
    return frozenset(names)


def _positive(value: float, place: str) -> float:
    if not value > 0:
        raise InputError("must be larger than 0", place)
    return value


def _positive_numbers(given: object, place: str) -> dict[str, float]:
    found = {k: number(v, f"{place}.{k}") for k, v in _object(given, place).items()}
    for name, value in found.items():
        _positive(value, f"{place}.{name}")
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
        _positive(value, f"tolerance.{name}".rstrip("."))
    return tolerances if isinstance(given, Mapping) else tolerances[""]


def _scatter(given: object) -> PieceScatter | None:
    if given is None:
        return None
    if isinstance(given, Mapping):
        body = _object(given, "piece_scatter", {"s", "dof"})
        s, dof = _spread(body, "piece_scatter"), _dof(body.get("dof", 4), "piece_scatter")
    else:
        s, dof = _spread({"s": given}, "piece_scatter"), 4.0
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


def _procedure(name: str) -> Procedure[Any] | None:
    """The procedure of that name; None of one that isn't known, which is refused where it is asked to solve."""
    from keen_compass.procedures import REGISTRY, load  # late: it loads the modules that need this one

    return load(name) if name in REGISTRY else None


def _readings(
    given: object, instrument: Instrument, counts: Mapping[str, str], picks: Sequence[str]
) -> dict[str, tuple[Reading, ...]]:  # fmt: skip
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
        if name in picks:
            readings[name] = tuple(_pick(v, f"{place}.values[{j}]") for j, v in enumerate(values))
            continue
        readings[name] = tuple(
            _reading(v, f"{place}.values[{j}]", instrument, counts.get(name)) for j, v in enumerate(values)
        )
    return readings


def _pick(given: object, place: str) -> Pick:
    """The number of what fits, in halves; of how many, the procedure knows."""
    if isinstance(given, str):
        return _at(place, lambda: parse_pick(given, MOST_PICKS))
    at = number(given, place, 1, MOST_PICKS)
    if at * 2 != round(at * 2):
        raise InputError("a number, or halfway between two, like 2.5", place)
    return Pick(at, trim_number(at, 1))


def _reading(given: object, place: str, instrument: Instrument, counted: str | None) -> Reading:
    if counted is not None:
        if isinstance(given, str):
            return _at(place, lambda: parse_count(given, counted))
        return Count(number(given, place, -LARGEST_COUNT, LARGEST_COUNT), repr(given), counted)
    if isinstance(given, str):
        return _at(place, lambda: parse_length(given, instrument.unit, allow_negative=True))
    return Length(length_mm(given, place), repr(given), "mm")
