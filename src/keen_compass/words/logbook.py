"""The logbook's lines in words."""

from __future__ import annotations

import json
from datetime import datetime

from keen_compass.language import dated, marked, tr
from keen_compass.machines.profile import Machine
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.stored import stored_from_body
from keen_compass.shop.logbook import Entry
from keen_compass.words.errors import error_in_words
from keen_compass.words.say import say

VERDICT_WORDS = {
    "in": marked("in"),
    "out": marked("out"),
    "cannot_tell": marked("can’t tell"),
    "implausible": marked("odd"),
    "unresolved": marked("open"),
}
# What may have happened to a machine: kind → words. The first three make its motion *re-check*.
HAPPENINGS = {
    "moved": marked("Machine moved"),
    "update": marked("Controller updated"),
    "mechanics": marked("Belt, screw or gear changed"),
    "tool": marked("New blade or nozzle"),
    "mat": marked("Another carrier mat"),
    "note": marked("Only a note"),
}


def day_of(at: str) -> str:
    """``12 Nov 2026``, local, from the logbook's UTC."""
    return dated(datetime.fromisoformat(at).astimezone())


def entry_words(entry: Entry, machine: Machine | None = None) -> str:
    """What happened, in a sentence; in mm where the machine isn't there any more."""
    match entry.kind:
        case "finding":
            measured = _measured(entry.quantity, entry.first, entry.second, machine)
            return f"{_label(entry.quantity)} {tr(VERDICT_WORDS.get(entry.verdict or '', '?'))}: {measured}"
        case "value":
            number = stored_from_body(json.loads(entry.first)).text(entry.decimals)
            outside = tr(", outside of a round") if entry.round is None else ""
            return tr("{label} set to {number}", label=_label(entry.quantity), number=number).rstrip() + outside
        case "signed" | "given_up":
            reason = json.loads(entry.first).get("reason", "")
            return (tr("Round signed") if entry.kind == "signed" else tr("Round abandoned")) + (
                f": {reason}" if reason else ""
            )
        case "found_otherwise":
            return say(json.loads(entry.first))
        case "complaint" | "answered":
            from keen_compass.words.complaints import kept_in_words  # late: few logbooks have any

            return kept_in_words(entry.kind, str(entry.first), machine.shown_in if machine else "mm")
    return str(entry.first)


def _label(quantity: str | None) -> str:
    """Its name; as it is written where this program doesn't know it."""
    known = QUANTITIES.get(quantity or "")
    return known.label if known else f"“{quantity}”"


def _measured(quantity: str | None, error: float | None, U: float | None, machine: Machine | None) -> str:
    known = QUANTITIES.get(quantity or "")
    if error is None or U is None or known is None:
        return tr("no number")
    return error_in_words(error, U, known.error_unit, machine.unit_of(known.name) if machine else "mm")
