"""How a machine stands: the state of each spoke of its rose and why, and what to do next, in which order.

Computed from stored findings alone, without NumPy, so that the rose is there at once.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import UTC, datetime
from enum import StrEnum
from typing import NamedTuple

from keen_compass.machines.profile import Machine
from keen_compass.machines.shown import show_length
from keen_compass.quantities.catalogue import QUANTITIES, beneath
from keen_compass.quantities.families import Lives
from keen_compass.quantities.findings import Finding
from keen_compass.quantities.subjects import Subject
from keen_compass.quantities.verdict import Verdict
from keen_compass.shop.kept import KeptFinding
from keen_compass.shop.machines import key_for
from keen_compass.shop.store import Shop

UNSETTLING = ("moved", "update", "mechanics")  # events after which motion must be looked at again
UNSETTLING_PARTS = ("mechanics",)  # a drive train's parts don't change by being moved
UNSETTLING_CUT = ("tool",)  # another nozzle or blade cuts another width
UNSETTLING_PRINT = (*UNSETTLING, "mat")  # what carries a print grips in its own way


class State(StrEnum):
    """State of a spoke; each has a shape of its own as well as a colour."""

    IN = "in"
    OUT = "out"
    CANNOT_TELL = "cannot_tell"
    RECHECK = "recheck"
    NEVER = "never"


class Why(StrEnum):
    """Why a spoke is in its state; what each is about is in the spoke."""

    NEVER = "never"  # with what is mounted; `about` is that, where it was with something else
    ANOTHERS = "anothers"  # the controller holds the number of `about`, and something else is mounted
    CHANGED = "changed"  # its own number, since it was measured
    CHANGED_UNDER = "changed_under"  # a number that it rests on: `about` is that quantity
    OUT = "out"
    HAPPENED = "happened"  # something to the machine: `about` are the words of the event
    OLD = "old"  # `days` since it was measured
    IN = "in"
    CANNOT_TELL = "cannot_tell"


class Spoke(NamedTuple):
    """One calibrated value, or several of one fault: then `quantity` and what is here are of the worst of them.

    why, about, days: why it is in its state. rests_on: labels of what it rests on that isn't in itself.
    """

    quantity: str
    label: str
    group: str
    state: State
    finding: Finding | None
    at: str | None
    why: Why
    about: str = ""
    days: int = 0
    rests_on: tuple[str, ...] = ()

    @property
    def reach(self) -> float:
        """|error| in tolerances; an error that does no harm has none."""
        error = (self.finding.error or 0.0) if self.finding else 0.0
        harm = max(error, 0.0) if QUANTITIES[self.quantity].one_sided else abs(error)
        return harm / self.finding.tolerance if self.finding else 0.0

    @property
    def U_reach(self) -> float:
        """U of what was found, in tolerances; 0 where nothing was."""
        return (self.finding.expanded_uncertainty or 0.0) / self.finding.tolerance if self.finding else 0.0


def spokes(shop: Shop, machine: Machine, today: datetime | None = None) -> list[Spoke]:
    """Every value that this machine has, in the order of dependence."""
    return standings(shop, [machine], today)[machine.uid]


def standings(shop: Shop, machines: list[Machine], today: datetime | None = None) -> dict[str, list[Spoke]]:
    """The spokes of several machines by uid, with one look at the file for all of them."""
    today = today or datetime.now(UTC)
    known = _Known(
        shop.latest_findings(),
        shop.value_times(),
        shop.held_subjects(),
        shop.thing_names(),
        shop.events_of((*UNSETTLING_PRINT, *UNSETTLING_CUT)),
    )
    return {m.uid: _in_order(known, m, today) for m in machines}


def _in_order(known: _Known, machine: Machine, today: datetime) -> list[Spoke]:
    found: dict[str, Spoke] = {}
    subject = machine.subject
    for q in machine.quantities:
        spoke = _spoke(known, machine, q, today, subject)
        open_below = tuple(QUANTITIES[u].label for u in beneath(q) if u in found and found[u].state is not State.IN)
        found[q] = spoke._replace(rests_on=open_below) if open_below else spoke
    return list(found.values())


MOST_SPOKES = 12
# Quantities whose spokes share one with another where there are too many, the first of these first.
FOLDED = {
    "bevel": "kerf",
    "x_tram": "bed",
    "sensor_x": "pointer_x",
    "camera_x": "pointer_x",
    "second_tool_x": "pointer_x",
}
_WORST = (State.OUT, State.RECHECK, State.CANNOT_TELL, State.NEVER, State.IN)


def as_drawn(all_spokes: list[Spoke]) -> list[Spoke]:
    """The spokes of the rose: values of one fault share one, which shows the worst of them."""
    named = [QUANTITIES[s.quantity].spoke_name for s in all_spokes]
    for pair in FOLDED.items():
        name, into = (QUANTITIES[q].spoke_name for q in pair)
        if len(set(named)) > MOST_SPOKES and into in named:
            named = [into if n == name else n for n in named]
    groups: dict[str, list[Spoke]] = {}
    for name, spoke in zip(named, all_spokes, strict=True):
        groups.setdefault(name, []).append(spoke)
    return [
        min(members, key=lambda s: (_WORST.index(s.state), -s.reach))._replace(label=name)
        for name, members in groups.items()
    ]


class _Known(NamedTuple):
    """What the file says: newest finding and newest value's time by (machine, quantity, key of the subject); whose
    numbers the controllers hold; names of things by uid; unsettling events."""

    findings: dict[tuple[str, str, str], KeptFinding]
    values: dict[tuple[str, str, str], str]
    held: dict[tuple[str, str], str]
    names: dict[str, str]
    events: dict[str, list[tuple[str, str, str]]]


def unsettling(quantity: str) -> tuple[str, ...]:
    """Kinds of event after which it must be looked at again."""
    q = QUANTITIES[quantity]
    if q.lives is Lives.COMPUTED:
        return UNSETTLING_PARTS
    return UNSETTLING_CUT if q.group == "cut" else UNSETTLING_PRINT if "carrier" in q.depends else UNSETTLING


def next_in_order(all_spokes: list[Spoke]) -> list[Spoke]:
    """What is not in, in the order in which it should be corrected."""
    return [s for s in all_spokes if s.state is not State.IN]


def _spoke(known: _Known, machine: Machine, quantity: str, today: datetime, subject: Subject) -> Spoke:
    """subject: what is mounted."""
    q = QUANTITIES[quantity]
    mounted = key_for(quantity, subject)
    found = known.findings.get((machine.uid, quantity, mounted))
    held = known.held.get((machine.uid, quantity), mounted)
    if q.depends and held != mounted and machine.in_controller(quantity):
        about = _in_names(known, held, machine)
        state = State.NEVER if found is None else State.RECHECK
        finding, at = (found.finding, found.at) if found else (None, None)
        return Spoke(quantity, q.label, q.group, state, finding, at, Why.ANOTHERS, about)
    if found is None:
        others = q.depends and any(m == machine.uid and of == quantity for m, of, _ in known.findings)
        about = _in_names(known, mounted, machine) if others else ""
        return Spoke(quantity, q.label, q.group, State.NEVER, None, None, Why.NEVER, about)
    state, why, about, days = _state(known, machine, quantity, found, today, subject)
    return Spoke(quantity, q.label, q.group, state, found.finding, found.at, why, about, days)


def _in_names(known: _Known, key: str, machine: Machine) -> str:
    """A subject as it is called: ``red vinyl roll``, ``steel 6 mm, 45 A``."""
    return subject_in_names(Subject.from_key(key), known.names, machine)


def subject_in_names(subject: Subject, names: Mapping[str, str], machine: Machine) -> str:
    """names: of things by uid. A thickness that its material's name says already is not said again."""
    said = subject.to_json()
    if subject.material and subject.thickness:
        thick = show_length(subject.thickness, machine.units)
        said["material"] = subject.material if thick in subject.material else f"{subject.material} {thick}"
    return ", ".join(names.get(text, text) for text in said.values() if isinstance(text, str))


def _state(
    known: _Known, machine: Machine, quantity: str, found: KeptFinding, today: datetime, subject: Subject
) -> tuple[State, Why, str, int]:
    uid, parts = machine.uid, QUANTITIES[quantity].lives is Lives.COMPUTED

    def set_at(q: str) -> str:
        return known.values.get((uid, q, key_for(q, subject)), "")

    if set_at(quantity) > found.at:
        return State.RECHECK, Why.CHANGED, "", 0
    for under in beneath(quantity):
        if set_at(under) > found.at:
            return State.RECHECK, Why.CHANGED_UNDER, under, 0
    if found.finding.verdict is Verdict.OUT:
        return State.OUT, Why.OUT, "", 0
    shaking = unsettling(quantity)
    for at, kind, text in known.events.get(uid, ()):
        if at > found.at and kind in shaking:
            return State.RECHECK, Why.HAPPENED, text, 0
    days = (today - datetime.fromisoformat(found.at)).days
    if days > machine.due_days and not parts:  # those don't grow old
        return State.RECHECK, Why.OLD, "", days
    if found.finding.verdict is Verdict.IN:
        return State.IN, Why.IN, "", 0
    return State.CANNOT_TELL, Why.CANNOT_TELL, "", 0
