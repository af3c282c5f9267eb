"""The logbook: findings, changes of numbers, endings of rounds and events, newest first, filtered."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, NamedTuple

from keen_compass.shop.pieces import SEEN
from keen_compass.shop.store import Shop

SILENT = ("new_sheet", "settings_kept", SEEN)  # kept, but nothing to read about


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


@dataclass(frozen=True, slots=True)
class Filter:
    """What to show; empty fields let everything through. since: UTC, ISO 8601."""

    machine: str = ""
    quantity: str = ""
    verdict: str = ""
    since: str = ""


def entries(
    shop: Shop, wanted: Filter = Filter(), most: int | None = None, silent: tuple[str, ...] = SILENT
) -> list[Entry]:
    """The entries that pass, newest first; kinds that are `silent` left out."""
    named = [shop.machine(wanted.machine)] if wanted.machine else shop.machines()
    machines = {m.uid: m for m in named}
    rows = shop.log_rows(wanted.machine, wanted.quantity, wanted.verdict, wanted.since, silent, most)
    decimals = {(uid, q): m.place(q).decimals for uid, m in machines.items() for q in m.quantities}
    return [Entry._make((*row, decimals.get((row[2], row[3]), 3))) for row in rows]


def latest(shop: Shop, machine: str, most: int) -> list[Entry]:
    """The newest entries of one machine that are not findings: those stand in the rose."""
    return entries(shop, Filter(machine), most, (*SILENT, "finding"))
