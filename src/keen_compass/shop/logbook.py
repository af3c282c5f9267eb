"""The logbook: findings, changes of numbers, endings of rounds and events, newest first, filtered."""

from __future__ import annotations

import json
from dataclasses import dataclass

from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.lengths import format_mm
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.shop.store import Shop

SILENT = ("new_sheet", "settings_kept")  # kept, but nothing to read about
VERDICT_WORDS = {"in": "in", "out": "out", "cannot_tell": "can’t tell", "implausible": "odd", "unresolved": "open"}
# What may have happened to a machine: kind → words. The first three make its motion *re-check*.
HAPPENINGS = {
    "moved": "Machine moved", "update": "Controller updated", "mechanics": "Belt, screw or gear changed",
    "tool": "New blade or nozzle", "note": "Only a note",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Entry:
    """One line: when (UTC), whose machine (uid), what. verdict is empty unless it is a finding."""

    at: str
    machine: str
    kind: str
    words: str
    quantity: str = ""
    verdict: str = ""
    round: int | None = None


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
    found: list[Entry] = []
    for kind, at, machine, quantity, verdict, round_id, first, second in shop.log_rows(
        wanted.machine, wanted.quantity, wanted.verdict, wanted.since, SILENT, most
    ):
        if kind == "finding":
            words = f"{QUANTITIES[quantity].label} {VERDICT_WORDS[verdict]}: {_measured(quantity, first, second)}"
        elif kind == "value":
            words = f"{QUANTITIES[quantity].label} set to {_number(first, decimals.get(machine, 3))}"
        elif kind in ("signed", "given_up"):
            reason = json.loads(first).get("reason", "")
            words = ("Round signed" if kind == "signed" else "Round given up") + (f": {reason}" if reason else "")
        else:
            words = str(first)
        found.append(Entry(at, machine, kind, words, quantity or "", verdict or "", round_id))
    return found


def latest(shop: Shop, machine: str, most: int) -> list[Entry]:
    """The newest entries of one machine that are not findings: those stand in the rose."""
    return [e for e in entries(shop, Filter(machine), 6 * most) if e.kind != "finding"][:most]


def _measured(quantity: str, error: float | None, U: float | None) -> str:
    if error is None or U is None:
        return "no number"
    return f"{format_mm(error, 2, signed=True)} ± {format_mm(U, 2)} {QUANTITIES[quantity].error_unit}"


def _number(body: str, decimals: int) -> str:
    stored = json.loads(body)
    return StoredResolution(ResolutionForm(stored["form"]), stored["value"], stored["commanded"]).text(decimals)
