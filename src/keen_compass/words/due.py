"""Why something is to be looked at on a day, in words."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime

from keen_compass.language import dated, tr
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.shop.due import Due
from keen_compass.shop.standing import State
from keen_compass.words.standing import reason

FEW = 2  # changes, below which the usual interval decides


def day_of(due: Due) -> str:
    """``4 Dec``, or today."""
    return tr("today") if due.on == datetime.now(UTC).date() else dated(due.on, "%-d %b")


def due_in_words(soon: Sequence[Due], *, short: bool = False) -> str:
    """One line of what is due first: ``X backlash due 4 Dec``; of several on that day, how many."""
    first = min(soon, key=lambda d: d.on)
    alike = [d for d in soon if d.on == first.on]
    what = QUANTITIES[first.quantity].label if len(alike) == 1 else f"{len(alike)}"
    return tr("due {day}", day=day_of(first)) if short else tr("{what} due {day}", what=what, day=day_of(first))


def because(due: Due) -> str:
    """One sentence."""
    if due.spoke.state is not State.IN:
        return reason(due.spoke, due.machine)
    interval = tr("its usual interval of {due_days} days", due_days=due.machine.due_days)
    if not due.changes:
        return tr("After {interval}, or before where it was found close to its tolerance.", interval=interval)
    if due.changes < FEW:
        return tr("Seen to move once: that, and {interval}.", interval=interval)
    return tr("From how it changed between {changes} findings.", changes=due.changes + 1)
