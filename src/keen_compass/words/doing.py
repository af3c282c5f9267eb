"""What is to be done by hand, now: how much, and what or where to, in a few words."""

from __future__ import annotations

from keen_compass.quantities.findings import Finding
from keen_compass.quantities.notes import Note
from keen_compass.words.say import Show, say

# Code of the note that says what to do → which of its values is how much, mm.
AMOUNTS: dict[str, str] = {
    "squareness.move_gantry": "by",
    "bed.skim": "skim",
    "bed.or_skim": "skim",
    "bed.shim_under": "thick",
    "bed.shim_above": "thick",
    "bed.shim_behind": "thick",
    "bed.turn_head": "thick",
}


def task_of(finding: Finding) -> Note | None:
    """The note that says it with an amount; None where there is none, or nothing to do."""
    return next((n for n in finding.notes if n.code in AMOUNTS), None) if finding.new is not None else None


def amount_of(task: Note) -> float:
    """By how much something is to be turned, mm."""
    return float(task.values[AMOUNTS[task.code]])


def doing_in_words(finding: Finding, show: Show) -> tuple[str, str]:
    """(``1.39 mm``, ``move the gantry’s end at highest X towards −Y, towards you``); both empty where unknown."""
    task = task_of(finding)
    if task is None:
        looked_after = any(n.code == "travel_run.look_after" for n in finding.notes)
        return (say("travel_run.look_after_short"), "") if looked_after else ("", "")
    decimals = 3 if AMOUNTS[task.code] == "thick" else 2
    return show.length(amount_of(task), decimals), say(Note(f"{task.code}_now", task.values), show)
