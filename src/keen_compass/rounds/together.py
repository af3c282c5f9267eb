"""Everything that was read on a machine since its numbers are what they are, for one solution of all of it.

A piece counts while the controller still holds the motion that it was made with and nothing happened to the machine
since; each as its round read it, equal pieces once. What earlier rounds found is leant on where their readings are
not among these.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from keen_compass.errors import KeenCompassError
from keen_compass.machines.profile import Machine
from keen_compass.procedures import REGISTRY, load
from keen_compass.procedures.base import Procedure
from keen_compass.procedures.case import Case
from keen_compass.procedures.joint import Together, found_by, whole_of
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.stages import Makes
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.findings import Finding
from keen_compass.quantities.stored import StoredValue, nothing_stored
from keen_compass.quantities.subjects import Subject
from keen_compass.quantities.verdict import Verdict
from keen_compass.rounds.context import LATEST, RoundContext
from keen_compass.rounds.knowledge import everything_known, present
from keen_compass.rounds.measuring import Measuring
from keen_compass.shop.kept import KeptPiece, KeptRound
from keen_compass.shop.standing import UNSETTLING, UNSETTLING_CUT
from keen_compass.shop.store import Shop
from keen_compass.solve.joint import Unknown

MOST = 8  # pieces and runs, the newest
MOST_ROUNDS = 40  # that are looked through for them
MOTION = ("x_steps", "y_steps", "z_steps", "x_backlash", "y_backlash", "z_backlash")


@dataclass(frozen=True, slots=True)
class Part:
    """One piece or run that was read: its round's procedure and when it was made, with its readings as a case."""

    procedure: str
    number: int
    at: str
    subject: Subject
    runs: bool
    measurands: tuple[Measurand, ...]
    case: Case


@dataclass(frozen=True, slots=True)
class Column:
    """What is looked for. finding: None where it can't be told. mine: it is of what is on the machine now.

    others: what it can't be told from. tells: a reading that would tell, as `Together.would_tell` names it.
    """

    unknown: Unknown
    finding: Finding | None
    mine: bool
    others: tuple[Unknown, ...] = ()
    tells: str = ""


@dataclass(frozen=True, slots=True)
class Row:
    """Readings that belong together: one length of a piece, all places of a run.

    part: number of its part. measurand: None for all of a run's. shares: unknown → how much of its certainty they are.
    """

    part: int
    measurand: Measurand | None
    shares: Mapping[Unknown, float]


@dataclass(frozen=True)
class Whole:
    """All parts and their model; a shared case with everything that is asked and known.

    columns: in the order of dependence. rows: in the order in which they were made and read.
    """

    parts: tuple[Part, ...]
    case: Case
    model: Together
    columns: tuple[Column, ...]
    rows: tuple[Row, ...]


def _columns(case: Case, model: Together) -> tuple[Column, ...]:
    mine = case.subject.on(QUANTITIES["kerf"].depends).key
    found = []
    for unknown, finding in found_by(case, model):
        others = () if finding else tuple(model.confused_with(unknown))
        tells = "" if finding else model.would_tell(unknown)
        found.append(Column(unknown, finding, unknown.subject in ("", mine), others, tells))
    return tuple(found)


def _rows(parts: Sequence[Part], model: Together) -> tuple[Row, ...]:
    found = []
    for i, part in enumerate(parts):
        by_name = {m.name: m for m in part.measurands}
        whole = part.runs and len(part.case.readings) > 1
        numbers: dict[str, list[int]] = {}
        for k, row in enumerate(model.rows):
            of, name = model.read_in[row.label]
            if of == i:
                numbers.setdefault("" if whole else name, []).append(k)
        for name, those in numbers.items():
            shares = {b.unknown: b.share for b in model.bearings(tuple(those))}
            found.append(Row(i, by_name.get(name), shares))
    return tuple(found)


def everything_read(shop: Shop, machine: Machine) -> Whole | None:
    """None where nothing that counts was read yet."""
    parts = _parts(shop, machine)
    if not parts:
        return None
    case = whole_of([p.case for p in parts], _shared(shop, machine))
    model = Together(case)
    return Whole(tuple(parts), case, model, _columns(case, model), _rows(parts, model))


def _parts(shop: Shop, machine: Machine) -> list[Part]:
    held = present(shop, machine).held
    events = shop.events(machine.uid)
    upset, changed = (
        max((at for at, kind, _ in events if kind in some), default="") for some in (UNSETTLING, UNSETTLING_CUT)
    )
    found: list[Part] = []
    for kept in reversed(shop.rounds(machine.uid)[-MOST_ROUNDS:]):
        if kept.procedure not in REGISTRY:
            continue
        procedure: Procedure[object] = load(kept.procedure)
        if type(procedure).rows is Procedure.rows:
            continue
        found += _read_in(shop, kept, held, (upset, changed))
        if len(found) >= MOST:
            break
    return sorted(found[:MOST], key=lambda p: p.at)


def _read_in(shop: Shop, kept: KeptRound, held: Mapping[str, StoredValue], since: tuple[str, str]) -> list[Part]:
    """since: when the machine was upset, and when what cuts was changed, last."""
    context = RoundContext(shop, kept)
    measuring = Measuring(context)
    counted: set[int] = set()
    found = []
    for piece in reversed(context.pieces):
        cuts = piece.snapshot.tool is not None and not piece.snapshot.tool.drawn and not _runs(context)
        if piece.doubtful or piece.id in counted or piece.at <= since[0] or (cuts and piece.at <= since[1]):
            continue
        shape = context.shape(piece.parameters)
        measurands = tuple(context.procedure.measurands(shape))
        if not _as_now(context, piece, held, {m.axis for m in measurands}):
            continue
        case = measuring.case_of(piece)
        if case is None or not case.readings:
            continue
        counted |= {p.id for p in measuring.counted_with(piece)}
        case = replace(case, known={}, evidence=frozenset({f"round:{kept.id}"}), half_typed="")
        try:
            odd = any(f.verdict is Verdict.IMPLAUSIBLE for f in context.procedure.solve(case).findings)
            if odd or not context.procedure.rows(case):  # what is asked about counts once that is answered
                continue
        except KeenCompassError:  # read in a way that has nothing in common with others
            continue
        subject = piece.snapshot.subject
        found.append(Part(kept.procedure, piece.number, piece.at, subject, _runs(context), measurands, case))
    return found


def _runs(context: RoundContext) -> bool:
    return context.procedure.makes is Makes.MOVES


def _as_now(context: RoundContext, piece: KeptPiece, held: Mapping[str, StoredValue], axes: set[str]) -> bool:
    """Whether it was made with the motion of its axes that the controller holds now."""
    then = context.in_force(piece)
    mine = [q for q in MOTION if q in then and QUANTITIES[q].axis in axes]
    return all(then[q] == held.get(q, nothing_stored(q)) for q in mine)


def _shared(shop: Shop, machine: Machine) -> Case:
    now = present(shop, machine)
    found = everything_known(shop, machine, now, LATEST)
    return Case(
        procedure="joint", machine=machine, values=now.held, known=found, subject=machine.subject, confirmed=True
    )
