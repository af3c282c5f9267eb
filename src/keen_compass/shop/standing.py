"""How a machine stands: the state of each spoke of its rose, and what to do next, in which order.

Computed from stored findings alone, without NumPy, so that the rose is there at once.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import UTC, datetime
from enum import StrEnum

from keen_compass.quantities.catalogue import QUANTITIES, Kept, beneath
from keen_compass.quantities.consequences import finding_in_words
from keen_compass.quantities.findings import Finding
from keen_compass.quantities.lengths import format_mm
from keen_compass.quantities.uncertainty import two_significant
from keen_compass.quantities.verdict import Verdict
from keen_compass.shop.machines import Machine
from keen_compass.shop.store import KeptFinding, Shop

UNSETTLING = ("moved", "update", "mechanics")  # events after which motion must be looked at again
UNSETTLING_PARTS = ("mechanics",)  # a drive train's parts don't change by being moved


class State(StrEnum):
    """State of a spoke; each has a shape of its own as well as a colour."""

    IN = "in"
    OUT = "out"
    CANNOT_TELL = "cannot_tell"
    RECHECK = "recheck"
    NEVER = "never"


@dataclass(frozen=True, slots=True)
class Spoke:
    """One calibrated value, or several of one fault: then `quantity` and what stands here are of the worst of them.

    rests_on: labels of what it rests on that isn't in itself.
    """

    quantity: str
    label: str
    group: str
    state: State
    finding: Finding | None
    at: str | None
    reason: str
    rests_on: tuple[str, ...] = ()

    @property
    def reach(self) -> float:
        """|error| in tolerances; an error that does no harm has none."""
        error = (self.finding.error or 0.0) if self.finding else 0.0
        harm = max(error, 0.0) if QUANTITIES[self.quantity].one_sided else abs(error)
        return harm / self.finding.tolerance if self.finding else 0.0

    @property
    def U_reach(self) -> float:
        """U in tolerances."""
        return (self.finding.expanded_uncertainty or 0.0) / self.finding.tolerance if self.finding else 0.0

    @property
    def figure(self) -> str:
        """``+0.76 mm/m``, or ``not measured``."""
        if self.finding is None or self.finding.error is None:
            return "not measured"
        decimals = two_significant(self.finding.expanded_uncertainty or 0.0)
        return f"{format_mm(self.finding.error, decimals, signed=True)} {self.finding.error_unit}"


def spokes(shop: Shop, machine: Machine, today: datetime | None = None) -> list[Spoke]:
    """Every value that this machine has, in the order of dependence."""
    return standings(shop, [machine], today)[machine.uid]


def standings(shop: Shop, machines: list[Machine], today: datetime | None = None) -> dict[str, list[Spoke]]:
    """The spokes of several machines by uid, with one look at the file for all of them."""
    today = today or datetime.now(UTC)
    known = _Known(
        shop.latest_findings(), shop.value_times(), shop.events_of(UNSETTLING), shop.events_of(UNSETTLING_PARTS)
    )
    return {m.uid: _in_order(known, m, today) for m in machines}


def _in_order(known: _Known, machine: Machine, today: datetime) -> list[Spoke]:
    found: dict[str, Spoke] = {}
    for q in machine.quantities:
        spoke = _spoke(known, machine, q, today)
        open_below = tuple(QUANTITIES[u].label for u in beneath(q) if u in found and found[u].state is not State.IN)
        found[q] = replace(spoke, rests_on=open_below)
    return list(found.values())


_WORST = (State.OUT, State.RECHECK, State.CANNOT_TELL, State.NEVER, State.IN)


def as_drawn(all_spokes: list[Spoke]) -> list[Spoke]:
    """The spokes of the rose: values of one fault share one, which shows the worst of them."""
    groups: dict[str, list[Spoke]] = {}
    for spoke in all_spokes:
        groups.setdefault(QUANTITIES[spoke.quantity].spoke_name, []).append(spoke)
    return [
        replace(min(members, key=lambda s: (_WORST.index(s.state), -s.reach)), label=name)
        for name, members in groups.items()
    ]


@dataclass(frozen=True, slots=True)
class _Known:
    """What the file says: newest finding and newest value's time by (machine, quantity); unsettling events."""

    findings: dict[tuple[str, str], KeptFinding]
    values: dict[tuple[str, str], str]
    events: dict[str, list[tuple[str, str]]]
    parts_events: dict[str, list[tuple[str, str]]]


def next_in_order(all_spokes: list[Spoke]) -> list[Spoke]:
    """What is not in, in the order in which it should be put right."""
    return [s for s in all_spokes if s.state is not State.IN]


def summary(all_spokes: list[Spoke]) -> tuple[str, State]:
    """One short line for the rail, and the state that colours it."""
    for state, sentence in (
        (State.OUT, "{} out"),
        (State.RECHECK, "{} re-check"),
        (State.CANNOT_TELL, "{} can’t tell"),
        (State.NEVER, "{} never read"),
    ):
        found = [s for s in all_spokes if s.state is state]
        if found:
            return sentence.format(_few(found)), state
    return "all in", State.IN


def _few(found: list[Spoke]) -> str:
    """Letters where they are all steps (``X, Y``), the name of one alone, else how many."""
    if all(s.quantity.endswith("steps") for s in found) and len(found) <= 2:
        return ", ".join(QUANTITIES[s.quantity].axis.upper() for s in found)
    return found[0].label if len(found) == 1 else str(len(found))


def _spoke(known: _Known, machine: Machine, quantity: str, today: datetime) -> Spoke:
    q = QUANTITIES[quantity]
    kept = known.findings.get((machine.uid, quantity))
    if kept is None:
        return Spoke(quantity, q.label, q.group, State.NEVER, None, None, "Never measured.")
    state, reason = _state(known, machine, quantity, kept, today)
    return Spoke(quantity, q.label, q.group, state, kept.finding, kept.at, reason)


def _state(known: _Known, machine: Machine, quantity: str, kept: KeptFinding, today: datetime) -> tuple[State, str]:
    uid = machine.uid
    if known.values.get((uid, quantity), "") > kept.at:
        return State.RECHECK, "Changed since it was measured: confirm it."
    for under in beneath(quantity):
        if known.values.get((uid, under), "") > kept.at:
            return State.RECHECK, f"{QUANTITIES[under].label} changed under it: check again."
    if kept.finding.verdict is Verdict.OUT:
        return State.OUT, f"Out: {finding_in_words(kept.finding, machine.units)}."
    parts = QUANTITIES[quantity].kept is Kept.COMPUTED
    for at, text in (known.parts_events if parts else known.events).get(uid, ()):
        if at > kept.at:
            return State.RECHECK, f"{text} since then: check again."
    days = (today - datetime.fromisoformat(kept.at)).days
    if days > machine.due_days and not parts:  # those don't grow old
        return State.RECHECK, f"Last checked {days // 30} months ago."
    if kept.finding.verdict is Verdict.IN:
        return State.IN, "In tolerance."
    return State.CANNOT_TELL, kept.finding.notes[0] if kept.finding.notes else "Measured, but too coarsely to tell."
