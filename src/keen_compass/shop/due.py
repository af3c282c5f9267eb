"""What of a shop should be looked at again, and on which day: from each value's own past, or its usual interval."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from datetime import UTC, date, datetime, timedelta
from itertools import pairwise
from typing import NamedTuple

from keen_compass.machines.profile import Machine
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.families import Lives
from keen_compass.quantities.subjects import Subject
from keen_compass.shop.kept import KeptFinding
from keen_compass.shop.machines import key_for
from keen_compass.shop.standing import Spoke, State, standings, unsettling
from keen_compass.shop.store import Shop
from keen_compass.solve.forecast import Change, Wander, holds_for, wander_of

SAME = 1e-9  # relative; numbers that are one
DAYS = 7  # that are looked ahead, today included
MOST = 100  # findings that a forecast looks back on


class Due(NamedTuple):
    """One value's next look. changes: how many times it was seen to move, on which the day rests; 0 where the machine's
    own interval decides.

    spoke: its state now; what isn't in is due today, and has no wander: how it moves until then.
    """

    machine: Machine
    quantity: str
    subject: Subject
    on: date
    spoke: Spoke
    changes: int = 0
    wander: Wander | None = None


def due(shop: Shop, today: datetime | None = None) -> list[Due]:
    """Of all machines that are in use, soonest first. What was never found has no day."""
    now = today or datetime.now(UTC)
    machines = shop.machines()
    standing = standings(shop, machines, now)
    found = [d for m in machines for d in due_on(shop, m, standing[m.uid], now)]
    return sorted(found, key=lambda d: (d.on, d.machine.name, d.quantity))


def due_on(shop: Shop, machine: Machine, spokes: Sequence[Spoke], now: datetime) -> Iterator[Due]:
    """The same of one machine, whose spokes these are."""
    happened = shop.events(machine.uid)
    for spoke in spokes:
        q = QUANTITIES[spoke.quantity]
        finding = spoke.finding
        if finding is None or spoke.at is None or q.lives is Lives.COMPUTED or spoke.state is State.CANNOT_TELL:
            continue
        subject = machine.subject.on(q.depends)
        if spoke.state is not State.IN or finding.error is None:
            yield Due(machine, spoke.quantity, subject, now.date(), spoke)
            continue
        key = key_for(spoke.quantity, machine.subject)
        past = [k for k in shop.findings(machine.uid, spoke.quantity, MOST) if _key(spoke.quantity, k) == key]
        moved = changes(past, [at for at, kind, _ in happened if kind in unsettling(spoke.quantity)])
        wander = wander_of(moved, finding.tolerance, machine.due_days)
        days = holds_for(
            finding.error, finding.expanded_uncertainty or 0.0, finding.tolerance, wander, one_sided=q.one_sided
        )
        at_last = days >= machine.due_days  # whatever it did so far, a machine is looked at after its own interval
        ends = datetime.fromisoformat(spoke.at) + timedelta(days=machine.due_days if at_last else days)
        on = max(ends.date(), now.date())
        yield Due(machine, spoke.quantity, subject, on, spoke, 0 if at_last else len(moved), wander)


def due_soon(
    shop: Shop, machines: Iterable[tuple[Machine, Sequence[Spoke]]], now: datetime | None = None
) -> Iterator[tuple[str, list[Due]]]:
    """Machine by machine, by uid, what is due within `DAYS`: each takes a look into its past; others go on."""
    now = now or datetime.now(UTC)
    last = now.date() + timedelta(days=DAYS - 1)
    for machine, spokes in machines:
        yield machine.uid, [d for d in due_on(shop, machine, spokes, now) if d.on <= last]


def _key(quantity: str, kept: KeptFinding) -> str:
    return key_for(quantity, kept.finding.subject)


def changes(past: Sequence[KeptFinding], happened: Sequence[str] = ()) -> list[Change]:
    """How a value moved between findings that follow one another, where its number was left or the new one entered.

    happened: times (UTC) of what unsettled it: how it moved then says nothing of how it moves by itself.
    """
    found = []
    for earlier, later in pairwise([k for k in past if k.finding.error is not None]):
        if any(earlier.at < at <= later.at for at in happened):
            continue
        a, b = earlier.finding, later.finding
        before = a.error if _same(b.old, a.old) else a.predicted_error if _same(b.old, a.new) else None
        if before is None or a.error is None or b.error is None:
            continue
        U = ((a.expanded_uncertainty or 0.0) ** 2 + (b.expanded_uncertainty or 0.0) ** 2) ** 0.5
        apart = datetime.fromisoformat(later.at) - datetime.fromisoformat(earlier.at)
        found.append(Change(apart / timedelta(days=1), b.error - before, U))
    return found


def _same(a: object, b: object) -> bool:
    if isinstance(a, (int, float)) and isinstance(b, (int, float)):
        return abs(a - b) <= SAME * max(abs(a), abs(b), SAME)
    return a == b
