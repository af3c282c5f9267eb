"""What to make next: over all open questions of a machine, the piece that settles most for the least time (§11).

Every procedure says which pieces it could make (`plans`). What each would tell, with each instrument at hand and so
many readings, is predicted by the same model that will solve it, before anything is cut: by the procedure itself for
what it yields, and by its rows for whatever else they bear on.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace

from keen_compass.errors import InputError, KeenCompassError
from keen_compass.language import tr
from keen_compass.procedures import REGISTRY, load, yielding
from keen_compass.procedures.base import AnyPiece, AnyProcedure, Piece, Procedure
from keen_compass.procedures.case import Case
from keen_compass.procedures.joint import FOUND_AS, PER_METRE
from keen_compass.procedures.kerfs import assumed_of
from keen_compass.procedures.stages import Makes, Surface
from keen_compass.quantities.bodies import JsonObject, Parameters
from keen_compass.quantities.catalogue import QUANTITIES, beneath
from keen_compass.quantities.findings import Solution
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.lengths import Length, trim_number
from keen_compass.quantities.notes import note
from keen_compass.quantities.readings import Kind
from keen_compass.solve.joint import Known, Unknown, fit

READINGS = (1, 3, 5)
CLEAR = 1 / 3  # of the tolerance, that U may take for a clear verdict
LATER = 0.25  # what an answer is worth that must be checked again, because something beneath it is still open
NEARLY = 0.25  # what a U beyond that is worth beside one within it, at most
SHARE_OF_READING = 0.4  # of a procedure's usual minutes
PER_SQUARE_METRE = 15.0  # minutes that stock is worth
MOST = 12  # proposals
SINGLE = "one_by_one_minutes"


@dataclass(frozen=True, slots=True)
class Proposal:
    """One piece or run. predicted: U by quantity, in its error unit. settles: open questions with a clear answer;
    for_good: of these, what rests on nothing that stays open. worth: of it, for a minute.
    """

    procedure: str
    piece: Parameters
    instrument: Instrument
    readings_each: int
    minutes: float
    predicted: Mapping[str, float]
    settles: tuple[str, ...]
    for_good: tuple[str, ...]
    worth: float

    def to_json(self) -> JsonObject:
        """As the command line prints it."""
        return {
            "procedure": self.procedure,
            "piece": dict(self.piece),
            "instrument": self.instrument.name,
            "readings_each": self.readings_each,
            "minutes": round(self.minutes, 1),
            "predicted": {q: float(f"{U:.4g}") for q, U in self.predicted.items()},
            "settles": list(self.settles),
        }


class Next(AnyProcedure):
    """Which piece settles most, of those that can be made now."""

    name = "next"
    surface = Surface.CALLOUTS
    makes = Makes.NOTHING

    @property
    def yields(self) -> tuple[str, ...]:
        """Nothing is found out yet."""
        return tuple(QUANTITIES)

    def solve(self, case: Case) -> Solution:
        """Proposals, the best first."""
        for i, quantity in enumerate(case.open):
            if quantity not in QUANTITIES:
                raise InputError(tr("{quantity!r} is nothing that is calibrated", quantity=quantity), f"open[{i}]")
        if not case.open:
            raise InputError(tr("name at least one open question"), "open")
        found = proposals(case)
        one_by_one = single_minutes(case, found)
        figures = {SINGLE: round(one_by_one, 1)} if one_by_one else {}
        nothing = () if found else (note("nothing_at_hand"),)
        return Solution((), notes=nothing, figures=figures, proposals=tuple(p.to_json() for p in found[:MOST]))

    def example(self) -> JsonObject:
        """A router of which steps and kerf are open, with a caliper, a rule and a dial at hand."""
        return {
            "procedure": "next",
            "machine": {
                "kind": "router",
                "decimals": 3,
                "values": {"x_steps": 106.667, "y_steps": 106.667, "x_backlash": 0.05, "kerf": 6.0},
            },
            "tolerance": {"x_steps": 0.4, "y_steps": 0.4, "kerf": 0.15, "x_backlash": 0.05},
            "largest_size": 800,
            "open": ["x_steps", "y_steps", "kerf", "x_backlash"],
            "instruments_at_hand": [
                {
                    "name": "caliper 600 mm",
                    "kind": "caliper",
                    "resolution": 0.01,
                    "permissible_error": [0.02, 0.00002],
                    "reach": 600,
                },
                {
                    "name": "rule 1 m",
                    "kind": "rule",
                    "resolution": 0.5,
                    "permissible_error": [0.1, 0.00005],
                    "reach": 1000,
                },
                {"name": "dial", "kind": "dial", "resolution": 0.01, "permissible_error": [0.008, 0], "reach": 10},
            ],
        }


def proposals(case: Case, file_format: str = "gcode") -> list[Proposal]:
    """For each piece that any procedure could make, the best instrument and number of readings; best first.

    file_format: that the machine takes.
    """
    found: list[Proposal] = []
    for name, entry in REGISTRY.items():
        if entry.takes and file_format not in entry.takes:
            continue
        procedure: AnyProcedure = load(name)
        if procedure.starting or not (set(entry.yields) | _told_by_rows(procedure)) & set(case.open):
            continue
        for plan in procedure.plans(case):
            options = [p for p in _options(case, procedure, plan) if p.worth > 0]
            if options:
                found.append(max(options, key=lambda p: p.worth))
    found.sort(key=lambda p: (-p.worth, p.minutes, p.procedure))
    best = {(p.procedure, p.piece.get("axis"), p.settles): p for p in reversed(found)}  # of what tells the same
    return [p for p in found if best[p.procedure, p.piece.get("axis"), p.settles] is p]


def single_minutes(case: Case, found: list[Proposal], file_format: str = "gcode") -> float:
    """Minutes of doing the open questions one by one, each by its usual procedure; 0 where that can't settle them."""
    total, done = 0.0, set[str]()
    for quantity in case.open:
        if quantity in done:
            continue
        usual = {e.name for e in yielding(quantity, file_format)[:1]}
        fit_for = [p for p in found if p.procedure in usual and quantity in p.predicted]
        if not fit_for:
            return 0.0
        best = min(fit_for, key=lambda p: (quantity not in p.settles, -len(_its_own(p) & set(case.open)), p.minutes))
        total += best.minutes
        done |= _its_own(best) | {quantity}
    return total


def _its_own(p: Proposal) -> set[str]:
    """What a procedure settles of what it yields itself."""
    return set(p.settles) & set(REGISTRY[p.procedure].yields)


def _told_by_rows(procedure: AnyProcedure) -> set[str]:
    """What a procedure's rows may bear on besides what it yields itself."""
    return set(FOUND_AS.values()) if type(procedure).rows is not Procedure.rows else set()


def _options(case: Case, procedure: AnyProcedure, plan: Parameters) -> Iterator[Proposal]:
    """One plan with every instrument and number of readings."""
    for instrument in case.instruments_at_hand:
        if procedure.read_by.suits and instrument.kind not in procedure.read_by.suits:
            continue
        planned = replace(case, procedure=procedure.name, piece=plan, instrument=instrument, readings={})
        try:
            piece = procedure.piece(plan)
            measurands = [m for m in procedure.measurands(piece) if not m.below and procedure.asks(m, plan)]
        except KeenCompassError:
            continue
        longest = max((m.nominal for m in measurands if m.kind is Kind.LENGTH), default=0.0)
        if instrument.reach and longest > instrument.reach:
            continue
        for n in READINGS:
            try:
                predicted = _predicted(planned, procedure, piece, n)
            except KeenCompassError:
                continue
            yield _weighed(planned, procedure, piece, predicted, len(measurands), n)


def _predicted(case: Case, procedure: AnyProcedure, piece: AnyPiece, n: int) -> dict[str, float]:
    """U of every open question that it carries on, in its error unit."""
    found = {q: U for q, U in procedure.predict(case, n).items() if q in case.open}
    if not _told_by_rows(procedure) & set(case.open):
        return found
    readings = {
        m.name: tuple([Length(m.nominal, trim_number(m.nominal, 3), "mm")] * n)
        for m in procedure.measurands(piece)
        if m.kind is Kind.LENGTH and not m.below and procedure.asks(m, case.piece) and (m.nominal > 0 or m.signed)
    }
    if not readings:
        return found
    rows = procedure.rows(replace(case, readings=readings))
    unknowns = [u for u in dict.fromkeys(u for r in rows for u in r.coefficients) if u.name in FOUND_AS]
    known = {u: k.row(u) for u in unknowns if (k := _known(case, u))}
    assumed = {u: a.row(u) for u in unknowns if u not in known and (a := assumed_of(case, u))}
    for u in unknowns:
        quantity = FOUND_AS[u.name]
        if quantity not in case.open or quantity in found:
            continue
        rest = [a for v, a in assumed.items() if v != u]
        estimate = fit([*rows, *known.values(), *rest]).estimates.get(u)
        if estimate is not None:
            found[quantity] = estimate.U * (PER_METRE if QUANTITIES[quantity].scaled else 1.0)
    return found


def _known(case: Case, unknown: Unknown) -> Known | None:
    """What is known from before; what is still open is not."""
    return None if FOUND_AS[unknown.name] in case.open else case.known.get(unknown.name)


def _weighed(
    case: Case, procedure: AnyProcedure, piece: AnyPiece, predicted: Mapping[str, float], count: int, n: int
) -> Proposal:
    entry = REGISTRY[procedure.name]
    usual = max(count * procedure.read_by.passes, 1)
    minutes = entry.minutes * (1 - SHARE_OF_READING + SHARE_OF_READING * count * n / usual)
    if procedure.makes is Makes.PIECE:
        made: Piece = piece
        wide, high = made.footprint()
        minutes += PER_SQUARE_METRE * wide * high / 1e6
    T = {q: case.tolerance_of(q, case.tolerated_over) for q in predicted}
    settles = tuple(q for q in case.open if q in predicted and predicted[q] <= CLEAR * T[q])
    still = set(case.open) - set(settles)
    for_good = tuple(q for q in settles if not still & set(beneath(q)))
    nearly = [q for q, U in predicted.items() if q not in settles and T[q] > U]
    worth = len(for_good) + LATER * (len(settles) - len(for_good))
    worth += sum(NEARLY * CLEAR * T[q] / predicted[q] for q in nearly)
    return Proposal(
        procedure.name, case.piece, case.instrument, n, minutes, dict(predicted), settles, for_good, worth / minutes
    )


PROCEDURE = Next()
