"""What is complained of, and what may be behind it: which errors show in it, and what was expected of them.

The usual spread of a machine of which nothing is known: scales and squareness 2 mm per m, play 0.15 mm, a kerf 0.3 mm
where it was never measured and 0.1 of a beam, offsets 1 mm, a print's scale 5 mm per m (trade practice).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Annotated, Literal, TypeVar

import msgspec
from msgspec import Meta, Struct, field

from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.machines.fitted import Tool
from keen_compass.machines.forms import usual_machine
from keen_compass.machines.profile import Machine
from keen_compass.procedures import REGISTRY, Entry, yielding
from keen_compass.procedures.case import length_mm
from keen_compass.procedures.case_structures import MachineIn
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.families import HEADS_BESIDE, Lives
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.lengths import LARGEST_MM
from keen_compass.quantities.uncertainty import K_95
from keen_compass.quantities.understood import understood
from keen_compass.solve.complaints import Complaint, Explained, Prior, explain
from keen_compass.solve.forecast import wander_of

USUAL_SIZE, USUAL_THICKNESS = 300.0, 10.0  # mm, where the complaint doesn't say on what
LEAST_U = 0.2  # mm, of what someone says without having measured it
# Of a cause that nothing is known of: how likely it broke, its spread where it did and where it didn't, in what is
# usual; together that spread again. Of one that was found: at once, and for each day since; after an event.
UNKNOWN, BROKEN, IN_ORDER = 0.3, 2.2, 0.6
FOUND, AGED, SHAKEN = 0.06, 0.0005, 0.4
HALF = 0.5  # of what was said, the same
USUAL_DAYS = 183.0
WORTH_TELLING = 0.08  # share, from which a cause is worth a look
WHAT = Literal[
    "outside_size",
    "inside_size",
    "diagonals",
    "oval",
    "slanted",
    "does_not_meet",
    "lost_steps",
    "depth",
    "beside_print",
    "drifts_along_print",
    "corners",
    "bands",
    "tools_miss",
    "shifted",
]
# Where on the bed, as seen from the standpoint.
WHERE = Literal["far-left", "far", "far-right", "left", "middle", "right", "near-left", "near", "near-right"]
# Without these of its causes nobody would put it so.
OWN_CAUSES = {"drifts_along_print": ("print_scale_x", "tracking"), "corners": ("drag",)}
OWN = 1.0  # of what belongs to a complaint alone, in whatever it is seen: as likely as not
ACROSS = ("oval", "diagonals")  # of both axes at once
EVENTS = ("moved", "update", "mechanics")


Days = Annotated[float, Meta(ge=0, le=1e5)]


class KnownIn(Struct, forbid_unknown_fields=True):
    """The error that was found of a quantity, in its error unit, so many days ago."""

    value: Annotated[float, Meta(ge=-LARGEST_MM, le=LARGEST_MM)]
    expanded_uncertainty: Annotated[float, Meta(ge=0, le=LARGEST_MM)]
    days: Days = 0.0


class EventIn(Struct, forbid_unknown_fields=True):
    """What happened to the machine, so many days ago."""

    what: str
    days: Days = 0.0


class SeenIn(Struct, forbid_unknown_fields=True):
    """One complaint."""

    what: WHAT
    axis: Literal["x", "y", "z"] | None = None
    nominal: float | str | None = None
    by: float | str | None = None
    where: WHERE | None = None


class AnsweredIn(Struct, forbid_unknown_fields=True):
    """What answered a complaint: when that was kept (UTC), what it was, the quantities that were out and are in."""

    at: str
    what: WHAT
    by: list[str]


Kept = TypeVar("Kept", SeenIn, AnsweredIn)


def to_kept(said: SeenIn | AnsweredIn) -> str:
    """As the logbook keeps it."""
    return msgspec.json.encode(said).decode()


def from_kept(text: str, kind: type[Kept]) -> Kept | None:
    """Inverse of `to_kept`; None for what was written by hand, or by another program."""
    try:
        return msgspec.json.decode(text, type=kind)
    except msgspec.MsgspecError:
        return None


class InputIn(Struct, forbid_unknown_fields=True):
    """All of it."""

    seen: Annotated[list[SeenIn], Meta(min_length=1, max_length=50)]
    machine: MachineIn = field(default_factory=MachineIn)
    known: dict[str, KnownIn] = field(default_factory=dict)
    events: list[EventIn] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class Diagnosis:
    """Causes by quantity, the largest share first; what stays unexplained; what was complained of; what would tell."""

    kind: MachineKind
    causes: Mapping[str, Explained]
    unexplained: float
    seen: tuple[str, ...]
    tell: tuple[tuple[Entry, tuple[str, ...]], ...]


def diagnose(body: object) -> Diagnosis:
    """From JSON. Raises InputError naming the place."""
    given = understood(InputIn, body)
    for name in given.known:
        if name not in QUANTITIES:
            raise InputError(tr("is nothing that is calibrated"), f"known.{name}")
    return diagnosed(_of_that_kind(given.machine.kind or MachineKind.ROUTER), given.seen, given.known, given.events)


def diagnosed(
    machine: Machine, complaints: Sequence[SeenIn], known: Mapping[str, KnownIn], events: Sequence[EventIn]
) -> Diagnosis:
    """Of a machine with all that it has. Raises InputError naming the place."""
    kind, quantities = machine.kind, _quantities(machine)
    rows = [_row(seen, quantities, f"seen[{i}]") for i, seen in enumerate(complaints)]
    priors = {q: _prior(q, kind, known.get(q), events) for q in quantities}
    explained, unexplained = explain(rows, priors)
    causes = {q: Explained(e.value * unit_of(q), e.U * unit_of(q), e.share) for q, e in explained.items()}
    ranked = dict(sorted(causes.items(), key=lambda pair: -pair[1].share))
    return Diagnosis(kind, ranked, unexplained, tuple(s.what for s in complaints), _tell(ranked, machine))


def complaints_on(machine: Machine) -> tuple[str, ...]:
    """What can be complained of: what shows in anything that the machine has."""
    quantities = _quantities(machine)
    return tuple(
        what
        for what, shows in _SHOWS.items()
        if any(q in quantities for q in OWN_CAUSES.get(what) or shows(("x", "y"), 1.0, False))
    )


def causes_of(machine: Machine, seen: SeenIn) -> frozenset[str]:
    """The quantities of a machine whose errors show in that. Raises InputError."""
    return frozenset(_row(seen, _quantities(machine), "seen").by)


def _quantities(machine: Machine) -> tuple[str, ...]:
    return tuple(q for q in machine.quantities if QUANTITIES[q].lives is not Lives.COMPUTED)


def _of_that_kind(kind: MachineKind) -> Machine:
    """One with all that a machine of that kind may have."""
    usual = usual_machine(kind)
    blade = Tool("blade", 0.0, drawn=True, trails=True)
    return replace(
        usual,
        heads=HEADS_BESIDE,
        z_travel=0.0 if kind.plots else 100.0,
        tools=(*usual.tools, *([blade] if kind.plots else [])),
    )


def unit_of(quantity: str) -> float:
    """How much of its error unit one of a cause is: a tolerance of what has no mm, such as a feed."""
    q = QUANTITIES[quantity]
    return 1.0 if q.family.spread is not None else q.default_tolerance


def _prior(quantity: str, kind: MachineKind, known: KnownIn | None, events: Sequence[EventIn]) -> Prior:
    """What is expected of it: what was found, widened by age and by what happened since; else the usual spread."""
    q = QUANTITIES[quantity]
    usual = OWN if q.family.spread is None else q.family.spread
    if q.name == "kerf" and kind is MachineKind.LASER:
        usual = 0.1
    if q.name == "hole_bias" and kind.thermal:
        usual = 0.3
    positive, broken = q.family.positive, BROKEN * usual
    size = unit_of(quantity)
    if known is None:
        return Prior(IN_ORDER * usual if positive else 0.0, IN_ORDER * usual, broken, UNKNOWN, positive)
    moves = wander_of([], q.default_tolerance, USUAL_DAYS)
    variance = (known.expanded_uncertainty / K_95) ** 2 + moves.per_day * known.days + (moves.u_drift * known.days) ** 2
    shaken = q.group == "motion" and any(e.what in EVENTS and e.days <= known.days for e in events)
    likely = min(FOUND + AGED * known.days, UNKNOWN) if not shaken else SHAKEN
    value = max(known.value, 0.0) if q.one_sided else known.value  # the other way does no harm
    return Prior(value / size, min(math.sqrt(variance) / size, broken) or 1e-6, broken, likely, positive)


def _row(seen: SeenIn, quantities: Sequence[str], place: str) -> Complaint:
    axes = (seen.axis,) if seen.axis in ("x", "y") else ("x", "y")
    size = USUAL_THICKNESS if seen.what in ("slanted", "depth") else USUAL_SIZE
    nominal = size if seen.nominal is None else length_mm(seen.nominal, f"{place}.nominal")
    if not 0 < nominal <= 1e5:
        raise InputError(tr("must be larger than 0, at most 100 m"), f"{place}.nominal")
    shows = _SHOWS[seen.what](axes, nominal, seen.axis is not None or seen.by is not None)
    by = {q: c for q, c in shows.items() if q in quantities}
    other = {"x": "y", "y": "x"}.get(seen.axis or "")
    there = _SHOWS[seen.what]((other,), nominal, True) if other and seen.what not in ACROSS else {}
    elsewhere = [{q: c for q, c in there.items() if q in quantities}] if there else []
    local = {q for q in by if QUANTITIES[q].family.local}
    if seen.where and local:  # what is the same all over would show in other places, too
        elsewhere.append({q: c for q, c in by.items() if q not in local})
    if not by:
        raise InputError(tr("{what} is nothing that shows on such a machine", what=seen.what), f"{place}.what")
    if seen.by in (None, "+", "-", "−"):
        return Complaint(by, sign=-1 if seen.by in ("-", "−") else 1, elsewhere=elsewhere)
    amount = length_mm(seen.by, f"{place}.by")
    if not amount:
        raise InputError(tr("by nothing is no complaint"), f"{place}.by")
    return Complaint(by, amount, max(HALF * abs(amount), LEAST_U), elsewhere=elsewhere)


def _each(axes: Sequence[str], name: str, coefficient: float) -> dict[str, float]:
    return {name.format(a=a): coefficient / len(axes) for a in axes}


def _outside(axes: Sequence[str], size: float, _: bool) -> dict[str, float]:
    """O = n·(1 + s) + c − K − B."""
    return {**_each(axes, "{a}_steps", size / 1000), **_each(axes, "{a}_backlash", -1.0), "kerf": 1.0}


def _inside(axes: Sequence[str], size: float, _: bool) -> dict[str, float]:
    """H = n·(1 + s) − c + K − B + h."""
    play = _each(axes, "{a}_backlash", -1.0)
    return {**_each(axes, "{a}_steps", size / 1000), **play, "kerf": -1.0, "hole_bias": 1.0}


def _oval(_axes: Sequence[str], size: float, along: bool) -> dict[str, float]:
    """Longer along X than along Y; what leans is longer along a diagonal, where the complaint names no axis."""
    found = {"x_steps": size / 1000, "y_steps": -size / 1000, "x_backlash": -1.0, "y_backlash": 1.0}
    return found if along else {**found, "squareness": size / 1000}


def _beside(axes: Sequence[str], _size: float, _: bool) -> dict[str, float]:
    """What aims is taken to sit elsewhere: the cut lies beside the print by as much."""
    heads = [_each(axes, f"{head}_{{a}}", 1.0) for head in ("pointer", "sensor", "camera")]
    return {q: c for one in heads for q, c in one.items()} | {"registration": 1.0}


def _drifts(axes: Sequence[str], size: float, _: bool) -> dict[str, float]:
    scale = _each(axes, "print_scale_{a}", size / 1000)
    return {**scale, **_each(axes, "{a}_steps", size / 1000), "tracking": 1.0}


_SHOWS: dict[str, Callable[[Sequence[str], float, bool], dict[str, float]]] = {
    "outside_size": _outside,
    "inside_size": _inside,
    "diagonals": lambda _axes, size, _: {"squareness": math.sqrt(2) * size / 1000},
    "oval": _oval,
    "slanted": lambda axes, size, _: {"bevel": 1.0, **_each(axes, "{a}_tram", size / 1000)},
    "does_not_meet": lambda axes, _size, _: {**_each(axes, "{a}_backlash", 1.0), **_each(axes, "{a}_speed", 0.2)},
    "lost_steps": lambda axes, _size, _: _each(axes, "{a}_speed", 1.0),
    "depth": lambda _axes, size, _: {"z_steps": size / 1000, "z_backlash": 1.0, "bed": 1.0},
    "beside_print": _beside,
    "drifts_along_print": _drifts,
    "corners": lambda axes, _size, _: {"drag": 1.0, **_each(axes, "{a}_backlash", 0.5)},
    "bands": lambda _axes, _size, _: {"media_feed": 1.0},
    "tools_miss": lambda axes, _size, _: _each(axes, "second_tool_{a}", 1.0),
    "shifted": lambda axes, _size, _: {**_each(axes, "{a}_home", 1.0), **_each(axes, "{a}_speed", 0.3)},
}


def _tell(causes: Mapping[str, Explained], machine: Machine) -> tuple[tuple[Entry, tuple[str, ...]], ...]:
    """Procedures that say how large the likeliest causes are: most of them in least time first."""
    open_ = {q: e.share for q, e in causes.items() if e.share >= WORTH_TELLING}
    found = []
    for entry in REGISTRY.values():
        told = tuple(q for q in open_ if any(e.name == entry.name for e in yielding(q, machine.file_format)))
        if told:
            found.append((sum(open_[q] for q in told) / entry.minutes, entry, told))
    return tuple((entry, told) for _, entry, told in sorted(found, key=lambda row: -row[0]))
