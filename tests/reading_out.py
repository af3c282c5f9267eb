"""All that a shop file says, as plain values, to be compared with what it said before."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from keen_compass.shop.logbook import entries
from keen_compass.shop.marks import KINDS
from keen_compass.shop.standing import spokes
from keen_compass.shop.store import KeptRound, Shop
from keen_compass.words.logbook import entry_words
from keen_compass.words.standing import figure, reason


def read_out(shop: Shop) -> dict[str, Any]:
    """The same words about a shop as were noted then."""
    machines = shop.machines()
    today = datetime(2026, 11, 25, tzinfo=UTC)
    return {
        "machines": [m.name for m in machines],
        "instruments": [i.name for i in shop.instruments()],
        "values": {
            m.uid: {q: [v.stored.text(m.decimals), v.at, v.how] for q, v in shop.values(m.uid).items()}
            for m in machines
        },
        "spokes": {
            m.uid: {s.quantity: [str(s.state), figure(s), reason(s, m.units)] for s in spokes(shop, m, today)}
            for m in machines
        },
        "log": [[e.at, e.machine, e.kind, e.quantity, entry_words(e)] for e in entries(shop)],
        "events": {m.uid: [list(e) for e in shop.events(m.uid)] for m in machines},
        "rounds": [round_read_out(shop, kept) for m in machines for kept in by_number(shop, m.uid)],
    }


def by_number(shop: Shop, machine: str) -> list[KeptRound]:
    return sorted(shop.rounds(machine), key=lambda kept: kept.id)


def round_read_out(shop: Shop, kept: KeptRound) -> dict[str, Any]:
    marks = {kind: shop.mark(kept.id, KINDS[kind]) for kind in
             ("step", "parameters", "signed", "given_up", "computed", "file")}  # fmt: skip
    return {
        "machine": kept.machine, "procedure": kept.procedure, "at": kept.at, "status": kept.status,
        "pieces": [
            {
                "number": p.number, "at": p.at, "body": dict(p.body), "draft": list(shop.draft(p.id) or []),
                "readings": [
                    [r.measurand, r.length.text, r.length.mm, r.length.unit, r.instrument, r.at]
                    for r in shop.readings(p.id)
                ],
            }
            for p in shop.pieces(kept.id)
        ],
        "marks": {kind: mark.to_body() if mark else None for kind, mark in marks.items()},
    }  # fmt: skip
