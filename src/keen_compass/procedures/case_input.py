"""An input of `solve` understood: from JSON to a case, every refusal with its place. The shape is the command line's
contract.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from types import MappingProxyType
from typing import TYPE_CHECKING, Any, TypeVar

from keen_compass.errors import InputError, shown_input, those_like
from keen_compass.machines.profile import HEADS, OFFSET_FORMS, Machine
from keen_compass.procedures.case import Case, Previous, length_mm, number
from keen_compass.quantities.assumed import AIMED, Spread
from keen_compass.quantities.catalogue import QUANTITIES, UNKNOWN_LABELS
from keen_compass.quantities.instruments import Instrument, Repeatability
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.lengths import LARGEST_MM, Length, parse_length, trim_number
from keen_compass.quantities.measuring import EXPANSION, READ_ALONG, PieceScatter, Temperature
from keen_compass.quantities.readings import LARGEST_COUNT, Count, Pick, Reading, Spot, parse_count, parse_pick
from keen_compass.quantities.resolution import OF_AXES, OF_PRINTS, ResolutionForm, StoredResolution
from keen_compass.quantities.stored import SIZE, StoredAmount, StoredValue, stored_from_input, unit_kept
from keen_compass.quantities.subjects import subject_from_input
from keen_compass.solve.joint import Known
from keen_compass.solve.travel import lost_motion_of, scale_of

if TYPE_CHECKING:
    from keen_compass.procedures.base import Procedure

T = TypeVar("T")
_MACHINE = {
    "units",
    "controller_units",
    "resolution_form",
    "decimals",
    "values",
    "flipped",
    "computed",
    "teeth",
    "step_limit",
    "gantry",
    "gantry_along",
    "head",
    "reference_length",
    "proven",
    "kerf_form",
    "kind",
    "offset_form",
    "print_scale_form",
}
DECIMALS = 3  # that a controller keeps unless somebody says otherwise
BED = (1200.0, 800.0)  # mm, of a machine of which nobody said how large it is
MOST_PICKS = 99
MOST_VALUES = 500  # of one length: no hand reads more
# Unknown → the quantity whose round finds it out.
YIELDED_AS = {"x_scale": "x_steps", "y_scale": "y_steps", "x_lost_motion": "x_backlash", "y_lost_motion": "y_backlash"}
CUT_UNKNOWNS = ("kerf", "hole_bias")
SMALLEST_U = 1e-9  # in any unit; below, a value is held exactly
COMBINED = ("squareness", "home", "tram")  # what readings are weighed against, besides scales and lost motion
# What the command line calls them → what an instrument's profile does.
KINDS = {
    "caliper": "caliper",
    "rule": "steel rule",
    "steel rule": "steel rule",
    "tape": "tape",
    "dial": "dial gauge",
    "dial gauge": "dial gauge",
    "depth gauge": "depth gauge",
    "vernier": "vernier",
    "micrometer": "micrometer",
}
_TOP = {
    "procedure",
    "machine",
    "piece",
    "instrument",
    "tolerance",
    "confirmed",
    "readings",
    "pieces",
    "piece_scatter",
    "previous_errors",
    "temperature",
    "instruments_at_hand",
    "largest_size",
    "subject",
    "aim",
    "parts",
    "open",
}
_PART = {"procedure", "piece", "instrument", "readings", "subject", "pieces", "confirmed"}  # that a part may say itself
MOST_PARTS = 100


def case_from_json(body: object) -> Case:
    """Understand an input. Raises InputError naming the place."""
    top = _object(body, "input", _TOP)
    if "procedure" not in top:
        raise InputError("missing; name one of those that `procedures` lists", "procedure")
    if not {"readings", "parts", "open"} & top.keys():
        raise InputError("missing", "readings")
    machine = _object(top.get("machine", {}), "machine", _MACHINE)
    form = _form(machine.get("resolution_form", "steps_per_mm"))
    kept_in = _unit(machine, "controller_units", _unit(machine))
    meant = _procedure(_text(top["procedure"], "procedure"))
    given_values = _object(machine.get("values", {}), "machine.values")
    print_form = _form(machine.get("print_scale_form", "percent_100"), "print_scale_form", OF_PRINTS)
    kerf_form = _one_of(machine.get("kerf_form", "full"), ("full", "half"), "machine.kerf_form")
    values, known = _values(
        given_values, (form, print_form), kept_in, meant.yields if meant else (), 2.0 if kerf_form == "half" else 1.0
    )
    piece = dict(_object(top.get("piece", {}), "piece"))
    usual = meant.suits[0] if meant and meant.suits else "caliper"
    body = top.get("instrument", {})
    instrument = _at("instrument", lambda: _instrument(body, _unit(machine), usual))
    return Case(
        procedure=top["procedure"],
        machine=_machine_of(machine, form, print_form, kept_in, kerf_form, _usual_on(top, meant)),
        values=values,
        known=known,
        piece=piece,
        instrument=instrument,
        kind_assumed=isinstance(body, Mapping) and "kind" not in body,
        tolerance=_tolerance(top.get("tolerance", 0.1)),
        confirmed=_boolean(top.get("confirmed", False), "confirmed"),
        readings=_readings(
            top.get("readings", []),
            instrument,
            meant.counts if meant else {},
            meant.picks if meant else (),
            spots=meant is not None and meant.reads_spots,
            judgements=meant.judgements if meant else {},
        ),
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
        proven=_quantities(machine.get("proven", []), "machine.proven"),
        computed=_positive_numbers(machine.get("computed", {}), "machine.computed"),
        teeth=_positive_numbers(machine.get("teeth", {}), "machine.teeth"),
        subject=subject_from_input(top.get("subject", {})),
        parts=_parts(top),
        open=tuple(_text(q, f"open[{i}]") for i, q in enumerate(_list(top.get("open", []), "open"))),
        aim=_aim(top.get("aim", piece.pop("aim", None))),
    )


def _machine_of(
    given: Mapping[str, Any], form: ResolutionForm, print_form: ResolutionForm, kept_in: str, kerf_form: str, usual: str
) -> Machine:
    """The machine as far as an input says how it is; usual: its kind where nobody says."""
    reference = _positive(
        length_mm(given.get("reference_length", 1000.0), "machine.reference_length"), "machine.reference_length"
    )
    decimals = _decimals(given.get("decimals", DECIMALS))
    try:
        return Machine(
            "",
            "machine",
            MachineKind(_one_of(given.get("kind", usual), tuple(MachineKind), "machine.kind")),
            BED,
            form=form,
            print_form=print_form,
            controller_units=kept_in,
            decimals=decimals if isinstance(decimals, int) else DECIMALS,
            decimals_of={} if isinstance(decimals, int) else decimals,
            reference_length=reference,
            flipped=tuple(sorted(_quantities(given.get("flipped", []), "machine.flipped"))),
            step_limit=_not_negative(given.get("step_limit", 0.0), "machine.step_limit"),
            gantry=_not_negative(length_mm(given.get("gantry", 0.0), "machine.gantry"), "machine.gantry"),
            gantry_along=_one_of(given.get("gantry_along", "y"), ("x", "y"), "machine.gantry_along"),
            head=_one_of(given.get("head", ""), ("", *HEADS), "machine.head"),
            offset_form=_one_of(given.get("offset_form", OFFSET_FORMS[0]), OFFSET_FORMS, "machine.offset_form"),
            kerf_form=kerf_form,
            gives_room="controller",  # its values are what it holds
        )
    except InputError as error:
        raise error if error.place.startswith("machine") else error.at("machine") from None


def _parts(top: Mapping[str, Any]) -> tuple[Case, ...]:
    """Each part with what all of them share."""
    if "parts" not in top:
        return ()
    given = _list(top["parts"], "parts")
    if not 1 <= len(given) <= MOST_PARTS:
        raise InputError(f"expected 1 to {MOST_PARTS}", "parts")
    shared = {k: v for k, v in top.items() if k not in ("parts", "procedure", "piece", "instrument", "readings")}
    found = []
    for i, part in enumerate(given):
        body = _object(part, f"parts[{i}]", _PART)
        if body.get("procedure") in ("joint", None):
            raise InputError("name the procedure that was read", f"parts[{i}].procedure")
        try:
            found.append(case_from_json({**shared, **body}))
        except InputError as error:
            raise InputError(error.message, f"parts[{i}].{error.place}" if error.place else f"parts[{i}]") from None
    return tuple(found)


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


def _form(given: object, name: str = "resolution_form", known: tuple[ResolutionForm, ...] = OF_AXES) -> ResolutionForm:
    text = _text(given, f"machine.{name}")
    if text not in known:
        raise InputError(f"{shown_input(given)} is not one of {', '.join(known)}", f"machine.{name}")
    return ResolutionForm(text)


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
    given: Mapping[str, Any],
    forms: tuple[ResolutionForm, ResolutionForm],
    kept_in: str,
    yields: tuple[str, ...],
    widths: float = 1.0,
) -> tuple[dict[str, StoredValue], dict[str, Known]]:
    """What the controller holds, and what is known from before.

    A plain number of a quantity is what is held. With its uncertainty it is evidence too: of a resolution for the axis'
    scale, of a backlash for the lost motion that is left, of what the procedure itself yields for its error. widths: of
    a kerf, for one of the controller's number: 2 where it keeps half of it. forms: of the axes' scales, of a print's.
    """
    stored: dict[str, StoredValue] = {}
    known: dict[str, Known] = {}
    for name, value in given.items():
        place = f"machine.values.{name}"
        if name not in QUANTITIES and name not in UNKNOWN_LABELS:
            raise InputError(
                f"is nothing that is calibrated; one of {those_like(name, (*QUANTITIES, *UNKNOWN_LABELS))}", place
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
            place,
            lambda name=name, plain=plain: stored_from_input(  # type: ignore[misc]
                name, forms[name.startswith("print_scale")], plain, kept_in
            ),
        )
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


def _evidence(name: str, stored: StoredValue, U: float, yields: tuple[str, ...], place: str) -> tuple[str, Known]:
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
        "name",
        "kind",
        "resolution",
        "permissible_error",
        "both_ends",
        "unit",
        "reach",
        "zero",
        "parallel_within_deg",
        "repeats",
    }
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
        permissible_error=(length_mm(error[0], "permissible_error[0]"), number(error[1], "permissible_error[1]", 0, 1)),
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


def _aim(given: object) -> Spread:
    """How well one aims: {value: mm, degrees_of_freedom}; what is usual where nobody says."""
    if given is None:
        return AIMED
    body = _object(given, "aim", {"value", "degrees_of_freedom"})
    value = _positive(length_mm(body.get("value"), "aim.value"), "aim.value")
    return Spread(value, number(body.get("degrees_of_freedom", AIMED.dof), "aim.degrees_of_freedom", 1, 1e9))


def _usual_on(top: Mapping[str, Any], meant: Procedure[Any] | None) -> str:
    """What a piece is usually made on; of several together what the first that cuts is."""
    parts = top.get("parts", ())
    named = [p["procedure"] for p in parts if isinstance(p, Mapping) and isinstance(p.get("procedure"), str)]
    found = [p.usual_on for p in (meant, *map(_procedure, named)) if p is not None]
    return next((usual for usual in found if usual is not MachineKind.ROUTER), MachineKind.ROUTER)


def _temperature(given: object) -> Temperature | None:
    if given is None:
        return None
    body = _object(given, "temperature", {"material", "part", "instrument", "u"})
    material = _text(body.get("material"), "temperature.material")
    if material not in EXPANSION:
        raise InputError(f"expected one of {', '.join(EXPANSION)}", "temperature.material")
    part = number(body.get("part"), "temperature.part", -100, 500)
    return Temperature(
        material,
        part,
        number(body.get("instrument", part), "temperature.instrument", -100, 500),
        number(body.get("u", 1.0), "temperature.u", 0, 100),
    )


def _procedure(name: str) -> Procedure[Any] | None:
    """The procedure of that name; None of one that isn't known, which is refused where it is asked to solve."""
    from keen_compass.procedures import BY_COMMAND_OF, REGISTRY, load  # late: it loads the modules that need this one

    return load(name) if name in REGISTRY or name in BY_COMMAND_OF else None


def _readings(
    given: object,
    instrument: Instrument,
    counts: Mapping[str, str],
    picks: Sequence[str],
    *,
    spots: bool = False,
    judgements: Mapping[str, Sequence[str]] = MappingProxyType({}),
) -> dict[str, tuple[Reading, ...]]:
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
        if len(values) > MOST_VALUES:
            raise InputError(f"at most {MOST_VALUES} values, got {len(values)}", f"{place}.values")
        if spots:
            readings[name] = tuple(_spot(v, f"{place}.values[{j}]") for j, v in enumerate(values))
            continue
        if name in picks:
            readings[name] = tuple(_pick(v, f"{place}.values[{j}]") for j, v in enumerate(values))
            continue
        if words := judgements.get(name):
            readings[name] = tuple(_judgement(v, f"{place}.values[{j}]", words) for j, v in enumerate(values))
            continue
        readings[name] = tuple(
            _reading(v, f"{place}.values[{j}]", instrument, counts.get(name)) for j, v in enumerate(values)
        )
    return readings


def _spot(given: object, place: str) -> Spot:
    """A place in the plane, ``[x, y]`` in mm or with units."""
    both = _list(given, place)
    if len(both) != 2:
        raise InputError("expected [x, y]", place)
    x, y = (length_mm(v, f"{place}[{i}]") for i, v in enumerate(both))
    return Spot(x, y, f"{x:g}, {y:g}")


def _judgement(given: object, place: str, words: Sequence[str]) -> Pick:
    """One of several words."""
    return _at(place, lambda: parse_pick(_text(given, place), words=words))


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
