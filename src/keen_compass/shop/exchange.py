"""The logbook as JSON, and JSON back in.

It holds every row of the chosen machines, so that another shop file can take them over; row numbers are given again,
and rounds that are there already are left out. What comes in is someone else's: all of it is understood first, row by
row, and only then taken over, in one transaction (`incoming.py`).
"""

from __future__ import annotations

import base64
import json
import re
from collections.abc import Callable
from typing import Any

from keen_compass.shop.incoming import FORMAT, VERSION, Incoming, Understands, read_incoming
from keen_compass.shop.schema import COLUMNS
from keen_compass.shop.store import Shop

DIGEST = re.compile("[0-9a-f]{64}")  # names of bytes
TOLD_EVERY = 500  # rows, how often whoever waits is told how far it is


def to_json(shop: Shop, machine: str = "") -> str:
    """Every row of one machine, or of all."""
    return json.dumps({"format": FORMAT, "version": VERSION, "tables": _dump(shop, machine)}, indent=1)


def from_json(
    shop: Shop, text: str, understands: Understands, progress: Callable[[float], None] = lambda _: None
) -> int:
    """Take rows over; returns how many rounds came in. Raises FileFormatError, and nothing is changed then.

    understands: says of a procedure and the parameters of a piece what is wrong with them; see `incoming.py`.
    progress: is told the share that is done; what it raises ends the work, and nothing was taken over.
    """
    here = {m.uid for m in shop.machines()}
    incoming = read_incoming(text, understands, here, lambda share: progress(share / 2))
    return _take_over(shop, incoming, lambda share: progress(0.5 + share / 2))


def _dump(shop: Shop, machine: str) -> dict[str, list[dict[str, Any]]]:
    """Every row of one machine, or of all, by table; instruments always all."""
    own = ("WHERE machine = ?", machine) if machine else ("",)
    rounds = "round IN (SELECT id FROM round WHERE machine = ?)"
    pieces = "piece IN (SELECT id FROM piece WHERE machine = ?)"
    tails: dict[str, tuple[str, ...]] = {
        "thing": ("",),
        "machine": ("WHERE uid = ?", machine) if machine else ("",),
        "mounted": own,
        "instrument": ("",),
        "round": own,
        "piece": own,
        "blob": ("",),
        "mark": (f"WHERE {rounds}", machine) if machine else ("",),
        "stage": (f"WHERE {pieces}", machine) if machine else ("",),
        "reading": (f"WHERE stage IN (SELECT id FROM stage WHERE {pieces})", machine) if machine else ("",),
        "value": own,
        "finding": own,
        "event": own,
    }
    tables = {
        table: [
            {name: _plain(value) for (name, _), value in zip(COLUMNS[table], row, strict=True)}
            for row in shop.dumped(table, *tail)
        ]
        for table, tail in tails.items()
    }
    named = {row["sent"] for row in tables["stage"]} | {row["blob"] for row in tables["reading"]}
    named |= {name for row in tables["mark"] for name in DIGEST.findall(json.dumps(row["body"]))}  # artwork, pictures
    tables["blob"] = [row for row in tables["blob"] if row["name"] in named]
    return tables


def _plain(value: Any) -> Any:
    return base64.b64encode(value).decode() if isinstance(value, bytes) else value


def _take_over(shop: Shop, incoming: Incoming, progress: Callable[[float], None]) -> int:
    """Append rows with new numbers, but no round that is here already; returns how many came."""
    rows, total, done = incoming.tables, max(sum(map(len, incoming.tables.values())), 1), 0

    def append(table: str, row: dict[str, Any], **moved: Any) -> int:
        nonlocal done
        done += 1
        if done % TOLD_EVERY == 0:
            progress(min(done / total, 1.0))
        return shop.taken_over(table, **{k: v for k, v in row.items() if k != "id"} | moved)

    with shop.writing():
        for table in ("thing", "machine", "instrument"):
            here = {uid for _, uid, *_ in shop.dumped(table)}
            for row in rows[table]:
                if row["uid"] not in here:
                    append(table, row)
        here = {machine for _, machine, *_ in shop.dumped("mounted")}
        for row in rows["mounted"]:
            if row["machine"] not in here:
                append("mounted", row)
        here = {name for _, name, *_ in shop.dumped("blob")}
        for row in rows["blob"]:
            if row["name"] not in here:
                append("blob", row)
        here_rounds = {(machine, at) for _, machine, _, at, _ in shop.dumped("round")}
        rounds = {r["id"]: append("round", r) for r in rows["round"] if (r["machine"], r["at"]) not in here_rounds}
        pieces = {r["id"]: append("piece", r, round=rounds[r["round"]]) for r in rows["piece"] if r["round"] in rounds}
        for row in rows["mark"]:
            if row["round"] in rounds:
                append("mark", row, round=rounds[row["round"]], piece=pieces.get(row["piece"], 0))
        stages = {r["id"]: append("stage", r, piece=pieces[r["piece"]]) for r in rows["stage"] if r["piece"] in pieces}
        slots: dict[int, int] = {}  # a slot is the number of its first row
        for row in rows["reading"]:
            if row["stage"] in stages:
                slot = slots[row["slot"]] if row["slot"] else None
                slots[row["id"]] = append("reading", row, stage=stages[row["stage"]], slot=slot)
        for row in rows["finding"]:
            if row["round"] in rounds:
                append("finding", row, round=rounds[row["round"]], piece=pieces.get(row["piece"], 0))
        known_values = {(machine, q, at) for _, machine, q, _, at, *_ in shop.dumped("value")}
        for row in rows["value"]:
            typed = row["round"] is None and (row["machine"], row["quantity"], row["at"]) not in known_values
            if typed or row["round"] in rounds:
                append("value", row, round=rounds.get(row["round"]))
        known_events = {tuple(event) for _, *event in shop.dumped("event")}
        for row in rows["event"]:
            if (row["machine"], row["at"], row["kind"], row["text"]) not in known_events:
                append("event", row)
    progress(1.0)
    return len(rounds)
