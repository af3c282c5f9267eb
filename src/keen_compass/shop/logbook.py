"""The logbook in words: rounds, changes of numbers, and events, newest first."""

from __future__ import annotations

from dataclasses import dataclass

from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.shop.store import Shop

SILENT = ("new_sheet", "settings_kept")  # kept, but nothing to read about


@dataclass(frozen=True, slots=True)
class Entry:
    """One line: when (UTC) and what."""

    at: str
    words: str


def latest(shop: Shop, machine: str, most: int) -> list[Entry]:
    """The newest entries of a machine's logbook, newest first."""
    entries = [Entry(at, text) for at, kind, text in shop.events(machine) if kind not in SILENT]
    decimals = shop.machine(machine).decimals
    for quantity, value in shop.changes(machine):
        entries.append(Entry(value.at, f"{QUANTITIES[quantity].label} set to {value.stored.text(decimals)}"))
    entries += [Entry(at, _ending(kind, reason)) for at, kind, reason in shop.endings(machine)]
    return sorted(entries, key=lambda e: e.at, reverse=True)[:most]


def _ending(kind: str, reason: str) -> str:
    because = f": {reason}" if reason else ""
    return ("Round signed" if kind == "signed" else "Round given up") + because
