"""Complaints about a machine's parts: what may be behind them, by what the shop knows; kept until a round answers them.

What the shop knows is what was found, how long ago, and what happened since.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime

from keen_compass.errors import KeenCompassError
from keen_compass.machines.profile import Machine
from keen_compass.procedures.complaints import (
    EVENTS,
    AnsweredIn,
    Diagnosis,
    EventIn,
    KnownIn,
    SeenIn,
    causes_of,
    diagnosed,
    from_kept,
    to_kept,
)
from keen_compass.quantities.verdict import Verdict
from keen_compass.shop.standing import spokes
from keen_compass.shop.store import Shop

SECONDS_PER_DAY = 86_400.0
COMPLAINT, ANSWERED = "complaint", "answered"  # kinds of events


def diagnosis(shop: Shop, machine: Machine, complaints: list[SeenIn]) -> Diagnosis:
    """What may be behind complaints, with all that the shop knows of the machine. Raises InputError."""
    now = datetime.now(UTC)
    known = {
        s.finding.quantity: KnownIn(s.finding.error, s.finding.expanded_uncertainty, _days(s.at, now))
        for s in spokes(shop, machine)
        if s.finding is not None and s.finding.error is not None and s.finding.expanded_uncertainty is not None
    }
    events = [EventIn(kind, _days(at, now)) for at, kind, _ in shop.events(machine.uid) if kind in EVENTS]
    return diagnosed(machine, complaints, known, events)


def keep(shop: Shop, machine: Machine, complaints: Sequence[SeenIn]) -> None:
    """Each as a line of the logbook, open until it is answered."""
    with shop.writing():
        for seen in complaints:
            shop.put_event(machine.uid, COMPLAINT, to_kept(seen))


def still_open(shop: Shop, machine: Machine) -> list[tuple[str, SeenIn]]:
    """(when it was kept, what) of complaints that no round has answered, oldest first."""
    events = shop.events(machine.uid)
    answers = [from_kept(text, AnsweredIn) for _, kind, text in events if kind == ANSWERED]
    answered = {a.at for a in answers if a is not None}
    kept = [(at, from_kept(text, SeenIn)) for at, kind, text in events if kind == COMPLAINT and at not in answered]
    return [(at, seen) for at, seen in kept if seen is not None]


def answer_complaints(shop: Shop, machine: Machine, round_id: int) -> None:
    """Open complaints about what a round found to be out, and then in, are answered by it."""
    verdicts: dict[str, list[Verdict]] = {}
    for kept in shop.findings_of(round_id):
        verdicts.setdefault(kept.finding.quantity, []).append(kept.finding.verdict)
    settled = {q for q, of in verdicts.items() if of[-1] is Verdict.IN and of[0] is not Verdict.IN}
    for at, seen in still_open(shop, machine) if settled else ():
        if by := sorted(settled & _causes(machine, seen)):
            shop.put_event(machine.uid, ANSWERED, to_kept(AnsweredIn(at, seen.what, by)))


def _causes(machine: Machine, seen: SeenIn) -> frozenset[str]:
    try:
        return causes_of(machine, seen)
    except KeenCompassError:  # of what the machine no longer has
        return frozenset()


def _days(at: str | None, now: datetime) -> float:
    """Since then; what a wrong clock put into the future is of now."""
    if at is None:
        return 0.0
    return max((now - datetime.fromisoformat(at)).total_seconds() / SECONDS_PER_DAY, 0.0)
