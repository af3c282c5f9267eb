"""How a machine stands: the state of each spoke of its rose, and what to do next, in which order.

Computed from stored findings alone, without NumPy, so that the rose is there at once.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from enum import StrEnum

from keen_compass.quantities.catalogue import ORDER, QUANTITIES
from keen_compass.quantities.findings import Finding
from keen_compass.quantities.lengths import format_mm
from keen_compass.quantities.uncertainty import two_significant
from keen_compass.quantities.verdict import Verdict
from keen_compass.shop.machines import Machine
from keen_compass.shop.store import KeptFinding, Shop

UNSETTLING = ("moved", "update", "mechanics")  # events after which motion must be looked at again


class State(StrEnum):
    """State of a spoke; each has a shape of its own as well as a colour."""

    IN = "in"
    OUT = "out"
    CANNOT_TELL = "cannot_tell"
    RECHECK = "recheck"
    NEVER = "never"


@dataclass(frozen=True, slots=True)
class Spoke:
    """One calibrated value. reach: |error|/tolerance; U_reach: U/tolerance; None when never measured."""

    quantity: str
    label: str
    group: str
    state: State
    finding: Finding | None
    at: str | None
    reason: str

    @property
    def reach(self) -> float:
        """|error| in tolerances."""
        return abs(self.finding.error or 0.0) / self.finding.tolerance if self.finding else 0.0

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
    known = _Known(shop.latest_findings(), shop.value_times(), shop.events_of(UNSETTLING))
    return {m.uid: [_spoke(known, m, q, today) for q in ORDER] for m in machines}


@dataclass(frozen=True, slots=True)
class _Known:
    """What the file says: newest finding and newest value's time by (machine, quantity); unsettling events."""

    findings: dict[tuple[str, str], KeptFinding]
    values: dict[tuple[str, str], str]
    events: dict[str, list[tuple[str, str]]]


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
            return sentence.format(", ".join(s.label.split()[0] for s in found[:2])), state
    return "all in", State.IN


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
    for under in QUANTITIES[quantity].rests_on:
        if known.values.get((uid, under), "") > kept.at:
            return State.RECHECK, f"{QUANTITIES[under].label} changed under it: check again."
    if kept.finding.verdict is Verdict.OUT:
        return State.OUT, f"Out: {_consequence(kept.finding)}."
    for at, text in known.events.get(uid, ()):
        if at > kept.at:
            return State.RECHECK, f"{text} since then: check again."
    days = (today - datetime.fromisoformat(kept.at)).days
    if days > machine.due_days:
        return State.RECHECK, f"Last checked {days // 30} months ago."
    if kept.finding.verdict is Verdict.IN:
        return State.IN, "In tolerance."
    return State.CANNOT_TELL, kept.finding.notes[0] if kept.finding.notes else "Measured, but too coarsely to tell."


def _consequence(finding: Finding) -> str:
    error = finding.error or 0.0
    size = format_mm(abs(error), 2)
    return f"a metre comes out {size} mm too {'long' if error > 0 else 'short'}"
