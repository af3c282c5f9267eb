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

STALE_DAYS = 183  # twice a year
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
        decimals = min(two_significant(self.finding.expanded_uncertainty or 0.0), 3)
        return f"{format_mm(self.finding.error, decimals, signed=True)} {self.finding.error_unit}"


def spokes(shop: Shop, machine: Machine, today: datetime | None = None) -> list[Spoke]:
    """Every value that this machine has, in the order of dependence."""
    today = today or datetime.now(UTC)
    return [_spoke(shop, machine, q, today) for q in ORDER]


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
            return sentence.format(" and ".join(s.label.split()[0] for s in found[:2])), state
    return "all in", State.IN


def _spoke(shop: Shop, machine: Machine, quantity: str, today: datetime) -> Spoke:
    q = QUANTITIES[quantity]
    kept = shop.latest_finding(machine.uid, quantity)
    if kept is None:
        return Spoke(quantity, q.label, q.group, State.NEVER, None, None, "Never measured.")
    state, reason = _state(shop, machine, quantity, kept, today)
    return Spoke(quantity, q.label, q.group, state, kept.finding, kept.at, reason)


def _state(shop: Shop, machine: Machine, quantity: str, kept: KeptFinding, today: datetime) -> tuple[State, str]:
    changed = shop.value(machine.uid, quantity)
    if changed and changed.at > kept.at:
        return State.RECHECK, "Changed since it was measured: confirm it."
    for under in QUANTITIES[quantity].rests_on:
        below = shop.value(machine.uid, under)
        if below and below.at > kept.at:
            return State.RECHECK, f"{QUANTITIES[under].label} changed under it: check again."
    if kept.finding.verdict is Verdict.OUT:
        return State.OUT, f"Out: {_consequence(kept.finding)}."
    for at, kind, text in shop.events(machine.uid):
        if kind in UNSETTLING and at > kept.at:
            return State.RECHECK, f"{text} since then: check again."
    days = (today - datetime.fromisoformat(kept.at)).days
    if days > STALE_DAYS:
        return State.RECHECK, f"Last checked {days // 30} months ago."
    if kept.finding.verdict is Verdict.IN:
        return State.IN, "In tolerance."
    return State.CANNOT_TELL, kept.finding.notes[0] if kept.finding.notes else "Measured, but too coarsely to tell."


def _consequence(finding: Finding) -> str:
    error = finding.error or 0.0
    size = format_mm(abs(error), 2)
    return f"a metre comes out {size} mm too {'long' if error > 0 else 'short'}"
