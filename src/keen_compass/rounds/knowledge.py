"""What earlier rounds of a machine say that a new one may lean on: how equal pieces differ, what play is left.

A round never leans on itself, nor on what it is about to find out.
"""

from __future__ import annotations

import math
from collections.abc import Iterable

from keen_compass.machines.profile import Machine
from keen_compass.machines.snapshot import Snapshot
from keen_compass.procedures import REGISTRY, load
from keen_compass.procedures.base import AnyProcedure
from keen_compass.procedures.stages import Makes
from keen_compass.quantities.assumed import FEW, SCATTER
from keen_compass.quantities.bodies import Parameters
from keen_compass.quantities.catalogue import QUANTITIES, beneath
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.lengths import Length
from keen_compass.quantities.measuring import PieceScatter, squares_within
from keen_compass.quantities.stored import StoredAmount
from keen_compass.shop.kept import KeptPiece
from keen_compass.shop.marks import Signed
from keen_compass.shop.store import Shop
from keen_compass.solve.joint import Known
from keen_compass.solve.travel import lost_motion_of, scale_of

PER_METRE = 1000.0
MOST_ROUNDS = 60  # of a machine, the newest, from which its scatter is learnt


def alike(procedure: AnyProcedure, a: KeptPiece, b: KeptPiece) -> bool:
    """Whether two pieces differ in nothing but their place: then they count together."""

    def shape(p: KeptPiece) -> Parameters:
        return {k: v for k, v in p.parameters.items() if k not in (*procedure.on_stock.placing, *procedure.judged_by)}

    return shape(a) == shape(b) and a.snapshot.same_making(b.snapshot)


def scatter(shop: Shop, machine: Machine, *, drawn: bool, without: int) -> PieceScatter | None:
    """How much equal pieces differ here: (s, dof), from this machine's signed rounds; None where none had two.

    What differs includes what reading adds, so it is never too small; it is pooled with what is usual, because two
    pieces that came out alike say little about the next. without: a round that doesn't count.
    """
    squares, dof = 0.0, 0
    for kept in [r for r in shop.rounds(machine.uid) if r.status == "signed" and r.id != without][-MOST_ROUNDS:]:
        if kept.procedure not in REGISTRY:
            continue
        procedure: AnyProcedure = load(kept.procedure)
        if procedure.makes is not Makes.PIECE:
            continue
        left = [p for p in shop.pieces(kept.id) if _drawn(p) is drawn]
        while left:
            group = [p for p in left if alike(procedure, left[0], p)]
            left = [p for p in left if p not in group]
            within, freedom = squares_within(list(_means(shop, group).values()))
            squares, dof = squares + within, dof + freedom
    if not dof:
        return None
    usual = SCATTER[MachineKind.PEN if drawn else machine.kind]
    total = dof + FEW
    return PieceScatter(math.sqrt((squares + FEW * usual**2) / total), total, assumed=False)


def _drawn(piece: KeptPiece) -> bool:
    tool = piece.snapshot.tool
    return tool is not None and tool.drawn


def _means(shop: Shop, pieces: Iterable[KeptPiece]) -> dict[tuple[str, str], list[float]]:
    """Measurand and instrument → what each piece came out at, mm; only those that at least two were read for."""
    found: dict[tuple[str, str], list[float]] = {}
    for piece in pieces:
        read: dict[tuple[str, str], list[float]] = {}
        for r in shop.readings(piece.id):
            if isinstance(r.reading, Length):
                read.setdefault((r.measurand, r.instrument), []).append(r.reading.mm)
        for key, values in read.items():
            found.setdefault(key, []).append(math.fsum(values) / len(values))
    return {key: means for key, means in found.items() if len(means) > 1}


def known(
    shop: Shop, machine: Machine, snapshot: Snapshot, until: str, yields: tuple[str, ...], without: int
) -> dict[str, Known]:
    """The lost motion left in each axis when something was made, from the newest signed finding about its backlash.

    What is left is what was found to be right, less what was held. A finding is leant on only while nothing beneath it
    was changed after it. until: those made by then (UTC).
    """
    found: dict[str, Known] = {}
    asked = [q for q in machine.quantities if QUANTITIES[q].family.name == "backlash" and q not in yields]
    for q, kept in shop.newest_findings(machine.uid, asked, until, without).items():
        now, f = snapshot.held.get(q), kept.finding
        if not isinstance(now, StoredAmount):
            continue
        stale = any(snapshot.seen.get(under, "") > kept.at for under in beneath(q))
        if stale or f.error is None or f.expanded_uncertainty is None or not isinstance(f.old, (int, float)):
            continue
        right = StoredAmount(q, f.unit, float(f.old)).base + f.error
        found[lost_motion_of(QUANTITIES[q].axis).name] = Known(
            right - now.base, f.expanded_uncertainty, evidence=frozenset({f"round:{kept.round}"})
        )
    return found


def scales(shop: Shop, machine: Machine, snapshot: Snapshot, until: str, without: int) -> dict[str, Known]:
    """The scale errors that signed rounds found with the very numbers that were held when something was made.

    until: those made by then (UTC).
    """
    found: dict[str, Known] = {}
    asked = [q for q in ("x_steps", "y_steps") if q in machine.quantities]
    for q, kept in shop.newest_findings(machine.uid, asked, until, without).items():
        f = kept.finding
        stale = snapshot.seen.get(q, "") > kept.at
        if stale or f.error is None or f.expanded_uncertainty is None or f.old is None:
            continue
        found[scale_of(QUANTITIES[q].axis).name] = Known(
            f.error / PER_METRE, f.expanded_uncertainty / PER_METRE, evidence=frozenset({f"round:{kept.round}"})
        )
    return found


def kerf(shop: Shop, machine: str, snapshot: Snapshot, until: str, without: int) -> Known | None:
    """The kerf that the newest signed round found with this very tool in this very stock; None where none did."""
    for kept in reversed([r for r in shop.rounds(machine) if r.status == "signed" and r.id != without][-MOST_ROUNDS:]):
        signed = shop.mark(kept.id, Signed)
        figures = (signed.answer or {}).get("figures", {}) if signed else {}
        value, U = figures.get("kerf"), figures.get("kerf_expanded_uncertainty")
        if not value or not U:
            continue
        pieces = shop.pieces(kept.id)
        if pieces and pieces[-1].at <= until and pieces[-1].snapshot.subject == snapshot.subject:
            return Known(float(value), float(U), evidence=frozenset({f"round:{kept.id}"}))
    return None


def present(shop: Shop, machine: Machine) -> Snapshot:
    """All that is in force on a machine now, outside any round."""
    kept = shop.values_on(machine)
    held = {q: machine.place(q).holding(k.stored) for q, k in kept.items()}
    held |= {q: v for q in machine.quantities if q not in held and (v := machine.as_delivered(q))}
    seen = {q: k.at for q, k in kept.items()}
    return Snapshot(held, seen, machine.tool, machine.stock, machine.process, fitted=dict(machine.fitted))


def everything_known(
    shop: Shop, machine: Machine, snapshot: Snapshot, until: str, yields: tuple[str, ...] = ()
) -> dict[str, Known]:
    """Play, scales and kerf that any round found, but for the play of what is asked itself (`yields`)."""
    found = known(shop, machine, snapshot, until, yields, 0) | scales(shop, machine, snapshot, until, 0)
    cut = kerf(shop, machine.uid, snapshot, until, 0)
    return found | ({"kerf": cut} if cut else {})
