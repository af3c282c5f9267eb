"""What all procedures about the kerf share: how it is held, what is assumed beside the readings, the finding."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from keen_compass.procedures.base import AnyProcedure
from keen_compass.procedures.case import ASSUMED_HOLE_BIAS, ASSUMED_LOST_MOTION, ASSUMED_SCALE, Case
from keen_compass.procedures.results import Outcome, arithmetic, as_fitted, contradicted, judged
from keen_compass.quantities.findings import Finding
from keen_compass.quantities.lengths import MM_PER_INCH
from keen_compass.quantities.notes import Note, Said, note
from keen_compass.quantities.stored import SIZE, StoredAmount, unit_kept
from keen_compass.quantities.uncertainty import Uncertain, combination
from keen_compass.solve.joint import Fit, Known, Observation, Unknown, fit
from keen_compass.solve.kerf import HOLE_BIAS, KERF, determined
from keen_compass.solve.plausibility import Doubt, looks_other_kerf

USUAL_ROOM = {True: 1.5, False: 6.0}  # mm, where it burns, where it mills
MATTERS = 0.05  # of the variance: what is assumed and brings less needs no word


def held_kerf(case: Case) -> StoredAmount | None:
    """What is held where it is kept; None where no width was ever entered."""
    held = case.values.get("kerf")
    return held if isinstance(held, StoredAmount) and held.value else None


def mm_of_one(case: Case) -> float:
    """mm of full width for one of the number that is kept."""
    return SIZE[unit_kept("kerf", case.controller_units)] * (2.0 if case.machine.kerf_form_kept == "half" else 1.0)


def room_held(case: Case) -> float:
    """The full width that a planned cut is given, mm: what is held, else what is usual for such a machine."""
    held = held_kerf(case)
    return held.value * mm_of_one(case) if held else USUAL_ROOM[case.thermal]


def assumed_of(case: Case, unknown: Unknown) -> Known | None:
    """What is assumed of an unknown; never the kerf."""
    if unknown == KERF:
        return None  # what is looked for
    if unknown == HOLE_BIAS:
        return ASSUMED_HOLE_BIAS[case.thermal]
    return ASSUMED_SCALE if unknown.name.endswith("_scale") else ASSUMED_LOST_MOTION


def other_kerf(measurands: tuple[str, ...], found: Uncertain, compensation: float) -> Doubt | None:
    """A kerf that no such tool cuts, asked about; in another unit, where that explains it."""
    if not looks_other_kerf(found, compensation):
        return None
    for factor, code in ((MM_PER_INCH, "kerf_square.inches"), (1 / MM_PER_INCH, "kerf_square.mm_for_inches")):
        if not looks_other_kerf(found.times(factor), compensation):
            return Doubt(measurands, note(code, kerf=found.value, compensation=compensation))
    return Doubt(measurands, note("kerf_square.odd", kerf=found.value, compensation=compensation))


class KerfFit:
    """Rows about a kerf with what is known and what is assumed of their unknowns, and what they say together."""

    def __init__(self, case: Case, rows: Sequence[Observation]) -> None:
        self.case = case
        unknowns = list(dict.fromkeys(u for r in rows for u in r.coefficients))
        self.leant_on = [u.name for u in unknowns if u.name in case.known]
        self.known_rows = [case.known[u.name].row(u) for u in unknowns if u.name in case.known]
        self.assumed = [a.row(u) for u in unknowns if u.name not in case.known and (a := assumed_of(case, u))]
        self.all_rows, self.learnt = as_fitted(case, [*rows, *self.known_rows, *self.assumed])
        self.rows = [o for o in self.all_rows if not o.prior]
        self.fit: Fit = fit(self.all_rows)

    def doubt(self, labels: Mapping[str, Said], right: Mapping[Unknown, float], compensation: float) -> Doubt | None:
        """Sizes that don't fit the others, or that leave room for no such tool."""
        if doubt := contradicted(self.case, self.all_rows, labels):
            return doubt
        if self.case.confirmed or not determined(self.fit, right):
            return None
        return other_kerf(tuple(labels), self.fit.of(right), compensation)

    def without(self, *names: str) -> Fit:
        """What the rest says where nothing is assumed of some unknowns, by the ends of their names."""
        rest = [o for o in self.assumed if not any(u.name.endswith(names) for u in o.coefficients)]
        return fit([*self.rows, *self.known_rows, *rest])

    def assumed_that_matters(self, right: Uncertain) -> tuple[Note, ...]:
        """What was assumed and shows in U."""
        by_origin = {s.origin: (s.u * c) ** 2 for s, c in right.effects}
        whole, said = sum(by_origin.values()), []
        for o in self.assumed:
            ((unknown, _),) = o.coefficients.items()
            share = sum(by_origin.get(s.origin, 0.0) for s, _ in o.effects)
            if whole and share > MATTERS * whole:
                assumed = assumed_of(self.case, unknown)
                said.append(note("kerf_square.assumed", unknown=unknown.name, U=assumed.U if assumed else None))
        return tuple(said)


def kerf_finding(
    case: Case,
    procedure: AnyProcedure | None,
    right: Uncertain,
    compensation: float,
    notes: tuple[Note, ...],
    quantity: str = "kerf",
) -> Finding:
    """procedure: with which more of the same could settle it; None where nothing of it would.

    right: the compensation that comes out right, full width, mm. compensation: what counts as old where nothing is
    held. quantity: of which the number is said, beside the kerf that is held.
    """
    size, unit, decimals = mm_of_one(case), unit_kept("kerf", case.controller_units), case.decimals_of("kerf")
    held = held_kerf(case)
    old = StoredAmount(quantity, unit, held.value if held else round(compensation / size, decimals))
    new = StoredAmount(quantity, unit, round(right.value / size, decimals) + 0.0)
    error = combination(((-1.0, right),), old.value * size)
    half = " ÷ 2" if case.machine.kerf_form_kept == "half" else ""
    text = f"{case.in_its_unit(old.value * SIZE[unit])} − {case.in_its_unit(error.value)}{half}"
    outcome = Outcome(
        quantity,
        old,
        new,
        error,
        case.tolerance_of("kerf", 1000.0),
        arithmetic(text.replace("− −", "+ ")),
        error.U / size,
        notes,
        abs(new.value * size - right.value),
        10**-decimals * size,
    )
    return judged(case, outcome, procedure)
