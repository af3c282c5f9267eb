"""What is known of a machine whose parts are complained of: what was found, how long ago, what happened since."""

from __future__ import annotations

from datetime import UTC, datetime

from keen_compass.machines.profile import Machine
from keen_compass.procedures.complaints import EVENTS, Diagnosis, EventIn, KnownIn, SeenIn, diagnosed
from keen_compass.shop.standing import spokes
from keen_compass.shop.store import Shop

SECONDS_PER_DAY = 86_400.0


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


def _days(at: str | None, now: datetime) -> float:
    """Since then; what a wrong clock put into the future is of now."""
    if at is None:
        return 0.0
    return max((now - datetime.fromisoformat(at)).total_seconds() / SECONDS_PER_DAY, 0.0)
