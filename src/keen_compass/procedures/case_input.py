"""An input of `solve` understood: from JSON to a case, every refusal with its place. The shape is the command line's
contract.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Annotated, Any

from msgspec import UNSET, Meta

from keen_compass.errors import InputError, shown_input, those_like
from keen_compass.language import tr
from keen_compass.machines.limits import HEADS
from keen_compass.machines.profile import Machine
from keen_compass.procedures.case import Case, Previous, length_mm, number
from keen_compass.procedures.case_structures import (
    BED,
    DECIMALS,
    AimIn,
    CaseIn,
    InstrumentIn,
    KnownIn,
    MachineIn,
    PartIn,
    PreviousIn,
    RecordIn,
    TemperatureIn,
)
from keen_compass.procedures.reading_input import at_place, positive, readings_in, stated
from keen_compass.quantities.assumed import AIMED, Spread
from keen_compass.quantities.bodies import JsonMapping
from keen_compass.quantities.catalogue import QUANTITIES, UNKNOWNS, unknown_label
from keen_compass.quantities.instruments import Instrument, Repeatability
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.lengths import LARGEST_MM
from keen_compass.quantities.measuring import EXPANSION, READ_ALONG, PieceScatter, Temperature
from keen_compass.quantities.resolution import OF_AXES, OF_PRINTS, StoredResolution
from keen_compass.quantities.stored import SIZE, StoredAmount, StoredValue, stored_from_input, unit_kept
from keen_compass.quantities.subjects import subject_from_input
from keen_compass.quantities.understood import understood
from keen_compass.solve.joint import Known
from keen_compass.solve.travel import lost_motion_of, scale_of

if TYPE_CHECKING:
    from keen_compass.procedures.base import AnyProcedure

RESOLUTION = 0.01  # mm, of an instrument that doesn't state its own
TOLERANCE = 0.1  # mm, the same
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
# Of a piece's parameters those that are no lengths, though they are numbers.
NO_LENGTHS = frozenset(
    {
        "acceleration",
        "columns",
        "copies",
        "corrections",
        "divisions",
        "fastest_feed",
        "feeds",
        "parallel_within_deg",
        "picture",
        "powers",
        "repeats",
        "rows",
        "share",
        "strips",
        "trips",
    }
)
NORMALS = 2  # how many of a proof's place are a length; what follows is its normal


def case_from_json(body: object) -> Case:
    """Understand an input. Raises InputError naming the place."""
    top = understood(CaseIn, body)
    assert isinstance(body, Mapping)
    if top.readings is UNSET and top.parts is UNSET and top.open is UNSET:
        raise InputError("missing", "readings")
    meant = _procedure(top.procedure)
    given, unit = top.machine, "mm" if top.unit in (UNSET, "mm") else "in"
    values, known = _values(given, meant.yields if meant else ())
    piece = {k: v if k in NO_LENGTHS else _in_unit(v, unit, k) for k, v in top.piece.items()}
    aim = understood(AimIn, piece.pop("aim"), "piece.aim") if "aim" in piece and top.aim is None else top.aim
    usual = meant.read_by.suits[0] if meant and meant.read_by.suits else "caliper"
    read_in = unit if top.unit is UNSET or top.instrument.unit is None else top.instrument.unit
    instrument = at_place("instrument", lambda: _instrument(top.instrument, given.units, usual, unit))
    return Case(
        procedure=top.procedure,
        machine=_machine_of(given, given.kind or _usual_on(top, meant)),
        values=values,
        known=known,
        piece=piece,
        instrument=instrument,
        kind_assumed=top.instrument.kind is None,
        tolerance=TOLERANCE if top.tolerance is None else _tolerance(top.tolerance, unit),
        confirmed=top.confirmed,
        readings=(readings := readings_in(top.readings or [], instrument, meant, read_in)),
        stated=stated(top.readings or [], readings, read_in),
        pieces=top.pieces,
        piece_scatter=_scatter(top.piece_scatter),
        previous_errors={k: _previous(v, f"previous_errors.{k}") for k, v in top.previous_errors.items()},
        temperature=_temperature(top.temperature),
        instruments_at_hand=tuple(
            at_place(f"instruments_at_hand[{i}]", lambda one=one: _instrument(one, given.units, usual, unit))  # type: ignore[misc]
            for i, one in enumerate(top.instruments_at_hand)
        ),
        largest_size=length_mm(top.largest_size, "largest_size", unit),
        proven=_quantities(given.proven, "machine.proven"),
        computed=given.computed,
        teeth=given.teeth,
        subject=subject_from_input(top.subject),
        parts=_parts(body) if top.parts else (),
        open=tuple(top.open or ()),
        aim=_aim(aim, unit),
    )


def _in_unit(given: object, unit: str, name: str) -> object:
    """A parameter of a piece in mm: bare numbers are in that unit, in lists too; counts stay what they are."""
    if unit == "mm" or isinstance(given, bool):
        return given
    if isinstance(given, (int, float)):
        whole = isinstance(given, int) and name == "targets"  # how many; places are a list
        return given if whole or not abs(given) <= LARGEST_MM else given * SIZE[unit]  # what is too large is refused
    if isinstance(given, list) and name == "places":
        return [[_in_unit(v, unit, "") for v in p[:NORMALS]] + p[NORMALS:] if isinstance(p, list) else p for p in given]
    if isinstance(given, list):
        return [_in_unit(v, unit, "") for v in given]
    return given


def _machine_of(given: MachineIn, kind: MachineKind) -> Machine:
    """The machine as far as an input says how it is."""
    for name, form, of in (
        ("resolution_form", given.resolution_form, OF_AXES),
        ("print_scale_form", given.print_scale_form, OF_PRINTS),
    ):
        if form not in of:
            raise InputError(tr("{value!r} is not one of {of}", value=form.value, of=", ".join(of)), f"machine.{name}")
    if given.head not in ("", *HEADS):
        raise InputError(
            tr("expected one of {heads}, got {given}", heads=", ".join(HEADS), given=shown_input(given.head)),
            "machine.head",
        )
    reference = positive(length_mm(given.reference_length, "machine.reference_length"), "machine.reference_length")
    gantry = length_mm(given.gantry, "machine.gantry")
    if gantry < 0:
        raise InputError(tr("must not be negative"), "machine.gantry")
    decimals = _decimals(given.decimals)
    flipped = _quantities(given.flipped, "machine.flipped")
    try:
        return Machine(
            "",
            "machine",
            kind,
            BED,
            form=given.resolution_form,
            print_form=given.print_scale_form,
            controller_units=given.kept_in,
            decimals=decimals if isinstance(decimals, int) else DECIMALS,
            decimals_of={} if isinstance(decimals, int) else decimals,
            reference_length=reference,
            flipped=tuple(sorted(flipped)),
            step_limit=given.step_limit,
            gantry=gantry,
            gantry_along=given.gantry_along,
            head=given.head,
            offset_form=given.offset_form,
            kerf_form=given.kerf_form,
            gives_room="controller",  # its values are what it holds
        )
    except InputError as error:
        raise error.at("machine") from None


def _parts(top: JsonMapping) -> tuple[Case, ...]:
    """Each part with what all of them share."""
    shared = {k: v for k, v in top.items() if k not in ("parts", "procedure", "piece", "instrument", "readings")}
    found = []
    for i, part in enumerate(top["parts"]):
        body = understood(PartIn, part, f"parts[{i}]")
        if body.procedure == "joint":
            raise InputError(tr("name the procedure that was read"), f"parts[{i}].procedure")
        try:
            found.append(case_from_json({**shared, **part}))
        except InputError as error:
            raise InputError(error.message, f"parts[{i}].{error.place}" if error.place else f"parts[{i}]") from None
    return tuple(found)


def _decimals(given: object) -> int | dict[str, int]:
    """One number for all, or one for each quantity that is named."""
    if not isinstance(given, Mapping):
        return understood(Annotated[int, Meta(ge=0, le=9)], given, "machine.decimals")  # type: ignore[arg-type]
    _quantities(list(given), "machine.decimals")
    kind: Any = Annotated[int, Meta(ge=0, le=9)]
    return {q: understood(kind, n, f"machine.decimals.{q}") for q, n in given.items()}


def _values(given: MachineIn, yields: tuple[str, ...]) -> tuple[dict[str, StoredValue], dict[str, Known]]:
    """What the controller holds, and what is known from before.

    A plain number of a quantity is what is held. With its uncertainty it is evidence too: of a resolution for the axis'
    scale, of a backlash for the lost motion that is left, of what the procedure itself yields for its error.
    """
    stored: dict[str, StoredValue] = {}
    known: dict[str, Known] = {}
    for name, value in given.values.items():
        place = f"machine.values.{name}"
        if name not in QUANTITIES and name not in UNKNOWNS:
            raise InputError(
                tr(
                    "is nothing that is calibrated; one of {those_like}",
                    those_like=those_like(name, (*QUANTITIES, *UNKNOWNS)),
                ),
                place,
            )
        plain, U = _with_uncertainty(value, place)
        if name in CUT_UNKNOWNS and (name in yields or (U is None and name == "hole_bias")):
            stored[name] = amount = StoredAmount(name, unit_kept(name, given.kept_in), number(plain, place))
            if U is not None:
                size = SIZE[amount.unit] * (given.widths if name == "kerf" else 1.0)
                _say_once(known, name, Known(amount.value * size, U * size), place)
            continue
        if name in UNKNOWNS:
            if U is None and YIELDED_AS.get(name) in yields:
                raise InputError(
                    tr("is what this finds out: give it with its expanded_uncertainty, or leave it out"), place
                )
            unit, wide = (given.kept_in, given.widths) if name == "kerf" else ("mm", 1.0)  # the others stand nowhere
            _say_once(known, name, Known(length_mm(plain, place, unit) * wide, U and U * SIZE[unit] * wide), place)
            continue
        form = given.print_scale_form if name.startswith("print_scale") else given.resolution_form
        stored[name] = at_place(
            place,
            lambda name=name, form=form, plain=plain: stored_from_input(name, form, plain, given.kept_in),  # type: ignore[misc]
        )
        if U is not None:
            _say_once(known, *_evidence(name, stored[name], U, yields, place), place)
    return stored, known


def _with_uncertainty(value: object, place: str) -> tuple[Any, float | None]:
    """(the number, its U); of a plain number, or of {value, expanded_uncertainty}."""
    if not isinstance(value, Mapping) or not {"value", "expanded_uncertainty"} & set(value):
        return value, None
    body = understood(KnownIn, value, place)
    U = body.expanded_uncertainty
    if U is not None and U < SMALLEST_U:
        raise InputError(tr("must be larger than 0; leave it out to hold the value exactly"), place)
    return body.value, U


def _evidence(name: str, stored: StoredValue, U: float, yields: tuple[str, ...], place: str) -> tuple[str, Known]:
    """What a number known with U says, and of which unknown."""
    q = QUANTITIES[name]
    if isinstance(stored, StoredResolution):
        return scale_of(q.axis).name, Known(0.0, U / stored.sensitivity(0.0))
    left = Known(0.0, U * SIZE[stored.unit])
    if q.family.name == "backlash":
        return lost_motion_of(q.axis).name, left
    if name in yields and q.family.name not in COMBINED:
        raise InputError(
            tr("what was known of this before is not combined with readings: give the number alone"), place
        )
    return name, left


def _say_once(known: dict[str, Known], name: str, value: Known, place: str) -> None:
    if name in known:
        raise InputError(tr("{name} is given twice: once is enough", name=unknown_label(name)), place)
    known[name] = value


def _instrument(given: InstrumentIn, shown_in: str, usual: str, unit: str) -> Instrument:
    """usual: the kind that is meant where none is said. shown_in: its unit, the same. unit: of bare numbers."""
    kind = given.kind or usual
    if kind not in KINDS:
        raise InputError(
            tr("expected one of {kinds}, got {given}", kinds=", ".join(KINDS), given=shown_input(kind)), "kind"
        )
    a, b = given.permissible_error
    division = RESOLUTION if given.resolution is None else length_mm(given.resolution, "resolution", unit)
    return Instrument(
        name=given.name,
        resolution=division,
        permissible_error=(length_mm(a, "permissible_error[0]", unit), b),
        both_ends=KINDS[kind] in READ_ALONG if given.both_ends is None else given.both_ends,
        unit=given.unit or ("mm" if shown_in == "mm" else "in"),
        reach=length_mm(given.reach, "reach", unit),
        zero=length_mm(given.zero, "zero", unit),
        parallel_within=math.radians(given.parallel_within_deg),
        repeats=Repeatability(given.repeats.s * SIZE[unit], given.repeats.dof) if given.repeats else None,
        kind=KINDS[kind],
    )


def _previous(given: object, place: str) -> Previous:
    """An error, or {error, expanded_uncertainty}."""
    if not isinstance(given, Mapping):
        return Previous(number(given, place))
    body = understood(PreviousIn, given, place)
    return Previous(body.error, body.expanded_uncertainty)


def _quantities(names: Sequence[str], place: str) -> frozenset[str]:
    for i, name in enumerate(names):
        if name not in QUANTITIES:
            raise InputError(tr("{given} is not a quantity", given=shown_input(name)), f"{place}[{i}]")
    return frozenset(names)


def _tolerance(given: object, unit: str) -> float | Mapping[str, float]:
    """One length, or one for each quantity; the catalogue says in what those of quantities are."""
    if not isinstance(given, Mapping):
        return positive(length_mm(given, "tolerance", unit), "tolerance")
    units = {q: unit if q in QUANTITIES and QUANTITIES[q].error_unit in ("mm", "mm/m") else "mm" for q in given}
    return {q: positive(length_mm(v, f"tolerance.{q}", units[q]), f"tolerance.{q}") for q, v in given.items()}


def _scatter(given: float | RecordIn | None) -> PieceScatter | None:
    if given is None:
        return None
    record = given if isinstance(given, RecordIn) else understood(RecordIn, {"s": given}, "piece_scatter")
    return PieceScatter(record.s, record.dof, assumed=False)


def _aim(given: AimIn | None, unit: str) -> Spread:
    """How well one aims; what is usual unless stated."""
    if given is None:
        return AIMED
    return Spread(positive(length_mm(given.value, "aim.value", unit), "aim.value"), given.degrees_of_freedom)


def _usual_on(top: CaseIn, meant: AnyProcedure | None) -> MachineKind:
    """What a piece is usually made on; of several together what the first that cuts is."""
    named = [p.get("procedure") for p in top.parts or () if isinstance(p, Mapping)]
    found = [p.on_stock.usual_on for p in (meant, *(_procedure(name) for name in named if isinstance(name, str))) if p]
    return next((usual for usual in found if usual is not MachineKind.ROUTER), MachineKind.ROUTER)


def _temperature(given: TemperatureIn | None) -> Temperature | None:
    if given is None:
        return None
    if given.material not in EXPANSION:
        raise InputError(tr("expected one of {expansion}", expansion=", ".join(EXPANSION)), "temperature.material")
    instrument = given.part if given.instrument is None else given.instrument
    return Temperature(given.material, given.part, instrument, given.u)


def _procedure(name: str) -> AnyProcedure | None:
    """The procedure of that name; None of one that isn't known, which is refused where it is asked to solve."""
    from keen_compass.procedures import BY_COMMAND_OF, REGISTRY, load  # late: it loads the modules that need this one

    return load(name) if name in REGISTRY or name in BY_COMMAND_OF else None
