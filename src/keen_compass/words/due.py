"""Why something is to be looked at on a day, in words."""

from __future__ import annotations

from keen_compass.shop.due import Due
from keen_compass.shop.standing import State
from keen_compass.words.standing import reason

FEW = 2  # changes, below which the usual interval decides


def because(due: Due) -> str:
    """One sentence."""
    if due.spoke.state is not State.IN:
        return reason(due.spoke, due.machine)
    interval = f"its usual interval of {due.machine.due_days} days"
    if not due.changes:
        return f"After {interval}, or before where it was found close to its tolerance."
    if due.changes < FEW:
        return f"Seen to move once: that, and {interval}."
    return f"From how it changed between {due.changes + 1} findings."
