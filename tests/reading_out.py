"""All that a shop file says, as plain values, to be compared with what it said before."""

from __future__ import annotations

import re
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from keen_compass.machines.profile import Machine
from keen_compass.quantities.lengths import Length
from keen_compass.quantities.readings import Count, Pick, Reading, number_of
from keen_compass.rounds import RoundSession
from keen_compass.shop.kept import KeptPiece, KeptRound
from keen_compass.shop.logbook import entries
from keen_compass.shop.mark import Choices, Mark
from keen_compass.shop.marks import KINDS
from keen_compass.shop.standing import spokes
from keen_compass.shop.store import Shop
from keen_compass.words.logbook import entry_words
from keen_compass.words.standing import figure, reason

# Where +X points was not said beside it when the old files were read out.
_DIRECTION = re.compile(r"(towards [+−][XYZ]), (?:to the \w+|\w+ you)")


def in_mm(machine: Machine) -> Machine:
    """The same, its numbers in mm."""
    return replace(machine, units="mm", controller_units="mm")


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
            m.uid: {
                s.quantity: [str(s.state), figure(s, in_mm(m)), _DIRECTION.sub(r"\1", reason(s, m))]
                for s in spokes(shop, m, today)
            }
            for m in machines
        },
        "log": [[e.at, e.machine, e.kind, e.quantity, entry_words(e)] for e in entries(shop)],
        "events": {m.uid: [list(e) for e in shop.events(m.uid)] for m in machines},
        "rounds": [round_read_out(shop, kept) for m in machines for kept in by_number(shop, m.uid)],
    }


def check_opens(file: Path) -> None:
    """The shop opens, all that it says can be read, and nothing in it is called damaged."""
    shop = Shop(file)
    read_out(shop)
    for machine in shop.machines():
        shop.stock_at_hand(machine)
        for kept in shop.open_rounds(machine.uid):
            RoundSession(shop, kept).measuring.callouts()
    assert not shop.check(60)
    assert not shop.notice
    shop.close()


def by_number(shop: Shop, machine: str) -> list[KeptRound]:
    return sorted(shop.rounds(machine), key=lambda kept: kept.id)


def round_read_out(shop: Shop, kept: KeptRound) -> dict[str, Any]:
    marks = {kind: shop.mark(kept.id, KINDS[kind]) for kind in
             ("step", "parameters", "signed", "given_up", "computed", "file")}  # fmt: skip
    return {
        "machine": kept.machine, "procedure": kept.procedure, "at": kept.at, "status": kept.status,
        "pieces": [
            {
                "number": p.number, "at": p.at, "body": body_of(shop, p), "draft": list(shop.draft(p.id) or []),
                "readings": [
                    [r.measurand, r.text, number_in(r.reading), as_noted(r.reading), r.instrument, r.at]
                    for r in shop.readings(p.id)
                ],
            }
            for p in shop.pieces(kept.id)
        ],
        "marks": {kind: mark_of(shop, kept.machine, mark) for kind, mark in marks.items()},
    }  # fmt: skip


def body_of(shop: Shop, piece: KeptPiece) -> dict[str, Any]:
    """What stood in a piece's row before it had stages."""
    snapshot = piece.snapshot
    return {
        "parameters": dict(piece.parameters), "on_bed": piece.on_bed,
        "place": [[b.x, b.y, b.width, b.height] for b in piece.place],
        "settings": {q: v.to_body() for q, v in snapshot.held.items()},
        "tool": snapshot.tool.name if snapshot.tool else None,
        "practice": {**piece.practice, "file": (shop.blob(piece.sent) or b"").decode()} if piece.practice else None,
    }  # fmt: skip


def number_in(reading: Reading) -> float | None:
    """None of a place in a picture."""
    return number_of(reading) if isinstance(reading, Length | Count | Pick) else None


def as_noted(reading: Reading) -> str:
    """Counts were taken for millimetres before."""
    return reading.unit if isinstance(reading, Length) else "mm"


def mark_of(shop: Shop, machine: str, mark: Mark | None) -> Any:
    """A mark as it stood; a tool by its name, as before."""
    if mark is None:
        return None
    body = mark.to_body()
    if isinstance(mark, Choices) and mark.tool:
        body["tool"] = next((t.name for t in shop.machine(machine).tools if t.uid == mark.tool), "")
    return body
