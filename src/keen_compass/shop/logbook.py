"""The logbook: findings, changes of numbers, endings of rounds and events, newest first, filtered."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any, NamedTuple

from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.stored import stored_from_kept
from keen_compass.quantities.uncertainty import with_uncertainty
from keen_compass.shop.store import Shop

SILENT = ("new_sheet", "settings_kept")  # kept, but nothing to read about
VERDICT_WORDS = {"in": "in", "out": "out", "cannot_tell": "can’t tell", "implausible": "odd", "unresolved": "open"}
# What may have happened to a machine: kind → words. The first three make its motion *re-check*.
HAPPENINGS = {
    "moved": "Machine moved", "update": "Controller updated", "mechanics": "Belt, screw or gear changed",
    "tool": "New blade or nozzle", "mat": "Another carrier mat", "note": "Only a note",
}  # fmt: skip


class Entry(NamedTuple):
    """One line, as the file gives it: a year's entries are listed at once, their words made when they are shown.

    kind: finding, value, signed, given_up or the kind of an event. at: UTC. first, second: what the kind needs.
    """

    kind: str
    at: str
    machine: str
    quantity: str | None
    verdict: str | None
    round: int | None
    first: Any
    second: Any
    decimals: int

    @property
    def words(self) -> str:
        """What happened, in words."""
        match self.kind:
            case "finding":
                measured = _measured(self.quantity, self.first, self.second)
                return f"{_label(self.quantity)} {VERDICT_WORDS.get(self.verdict or '', '?')}: {measured}"
            case "value":
                return f"{_label(self.quantity)} set to {_number(self.first, self.decimals)}".rstrip()
            case "signed" | "given_up":
                reason = json.loads(self.first).get("reason", "")
                return f"Round {self.kind.replace('_', ' ')}" + (f": {reason}" if reason else "")
        return str(self.first)


@dataclass(frozen=True, slots=True)
class Filter:
    """What to show; empty fields let everything through. since: UTC, ISO 8601."""

    machine: str = ""
    quantity: str = ""
    verdict: str = ""
    since: str = ""


def entries(shop: Shop, wanted: Filter = Filter(), most: int | None = None) -> list[Entry]:
    """The entries that pass, newest first."""
    decimals = {m.uid: m.decimals for m in shop.machines()}
    rows = shop.log_rows(wanted.machine, wanted.quantity, wanted.verdict, wanted.since, SILENT, most)
    return [Entry._make((*row, decimals.get(row[2], 3))) for row in rows]


def latest(shop: Shop, machine: str, most: int) -> list[Entry]:
    """The newest entries of one machine that are not findings: those stand in the rose."""
    return [e for e in entries(shop, Filter(machine), 6 * most) if e.kind != "finding"][:most]


def _label(quantity: str | None) -> str:
    """Its name; as it is written where this program doesn't know it."""
    known = QUANTITIES.get(quantity or "")
    return known.label if known else f"“{quantity}”"


def _measured(quantity: str | None, error: float | None, U: float | None) -> str:
    known = QUANTITIES.get(quantity or "")
    if error is None or U is None or known is None:
        return "no number"
    return f"{with_uncertainty(error, U)} {known.error_unit}"


def _number(body: str, decimals: int) -> str:
    return stored_from_kept(json.loads(body)).text(decimals)
