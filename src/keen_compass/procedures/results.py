"""How a procedure puts a finding together: verdict, what is asked first, what would settle it, when not to chase."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from keen_compass.errors import InputError
from keen_compass.procedures.case import Case
from keen_compass.procedures.settle import what_would_settle
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.findings import Finding
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.quantities.stored import SIZE, StoredAmount, StoredValue
from keen_compass.quantities.uncertainty import (
    Component,
    MeanReading,
    PieceScatter,
    independent_components,
    mean_of_readings,
)
from keen_compass.quantities.verdict import Verdict, judge, worth_correcting
from keen_compass.solve.drive import explain_ratio
from keen_compass.solve.plausibility import looks_mirrored

if TYPE_CHECKING:
    from keen_compass.procedures.base import Procedure

PER_METRE = 1000.0
SCALE_LIMIT = -0.99  # below, the corrected number is no number any more
COMES_TO_REST = 2.0  # expanded uncertainties, within which the second round must land
NOT_AT_REST = (
    "The second round should have come to rest and did not: the axis is not linear, or something slips. "
    "Look for that before you correct again."
)


@dataclass(frozen=True, slots=True)
class Outcome:
    """What was found out about one quantity, before it is judged.

    error, U, T: in the quantity's error unit. new: what would make the error vanish, rounded as it is kept;
    new_U in its unit. predicted: what its rounding leaves.
    """

    quantity: str
    old: StoredValue
    new: StoredValue
    error: float
    U: float
    T: float
    formula: str
    new_U: float
    notes: tuple[str, ...] = ()
    predicted: float = 0.0


def judged(case: Case, o: Outcome, settled_by: Procedure[Any] | None = None) -> Finding:
    """The finding, with the questions that come before any verdict.

    settled_by: the procedure whose predictions say what would settle a *can't tell*; None where more of it wouldn't.
    """
    harm = max(o.error, 0.0) if QUANTITIES[o.quantity].one_sided else o.error
    verdict = judge(harm, o.U, o.T)
    notes = list(o.notes)
    if verdict is Verdict.CANNOT_TELL and settled_by:
        notes.insert(0, what_would_settle(settled_by, case, o.quantity, o.error, o.T))
    previous = case.previous_errors.get(o.quantity)
    if previous is not None and not case.confirmed and looks_mirrored(o.error, previous, o.U):
        verdict = Verdict.IMPLAUSIBLE
        notes.insert(0, "Twice the error of the round before: was the number moved the wrong way?")
    elif previous is not None and verdict is not Verdict.IN and abs(o.error) > COMES_TO_REST * o.U:
        notes.insert(0, NOT_AT_REST)
    odd = verdict is Verdict.IMPLAUSIBLE
    return Finding(
        quantity=o.quantity,
        unit=unit_of(o.old),
        old=o.old.to_json(),
        new=None if odd else o.new.to_json(),
        new_expanded_uncertainty=None if odd else o.new_U,
        error=o.error,
        error_unit=QUANTITIES[o.quantity].error_unit,
        expanded_uncertainty=o.U,
        tolerance=o.T,
        verdict=verdict,
        worth_correcting=worth_correcting(harm, o.U),
        formula=o.formula,
        notes=tuple(notes),
        predicted_error=o.predicted,
        subject=case.subject,
    )


def scale_outcome(
    case: Case, quantity: str, s: float, U: float, length: float, formula: str, notes: tuple[str, ...] = ()
) -> Outcome:
    """A scale error s (mm/mm) with its U, turned into the controller's form. length: mm, that the tolerance means."""
    stored = case.resolution(quantity)
    if s <= SCALE_LIMIT:
        raise InputError("the readings are so small that no number could correct them", "readings")
    new = stored.corrected(s, case.decimals_of(quantity))
    return Outcome(
        quantity, stored, new, s * PER_METRE, U * PER_METRE, case.tolerance_of(quantity, length), formula,
        U * stored.sensitivity(s), notes, stored.scale_after(s, new) * PER_METRE,
    )  # fmt: skip


def scale_formula(case: Case, quantity: str, wanted: str, came: str) -> str:
    """One line from the old number to the new one, in the controller's own form; wanted, came: lengths as shown."""
    stored = case.resolution(quantity)
    old = stored.text(case.decimals_of(quantity))
    if stored.form is ResolutionForm.PERCENT_0:
        return f"(100 + {old}) × {wanted} ÷ {came} − 100"
    over, under = (came, wanted) if stored.multiplies else (wanted, came)
    return f"{old} × {over}" + (f" ÷ {under}" if under != "1" else "") if over != "1" else f"{old} ÷ {under}"


def amount_outcome(case: Case, quantity: str, value: float, error: float, U: float, formula: str) -> Outcome:
    """A plain number that becomes `value` (mm, mm/min …); its U is that of the error."""
    old = case.amount(quantity)
    new = StoredAmount.of(quantity, value, old.unit, case.decimals_of(quantity))
    T = case.tolerance_of(quantity, PER_METRE)
    return Outcome(quantity, old, new, error, U, T, formula, U / SIZE[old.unit], predicted=abs(new.base - value))


def backlash_outcome(case: Case, quantity: str, shortfall: float, U: float, *, compensation_off: bool) -> Outcome:
    """b_new = max(0, b_active + shortfall); an overshoot lowers it (arithmetic.md §5). All in mm."""
    active = 0.0 if compensation_off else case.amount(quantity).base
    formula = f"{case.in_its_unit(active)} + {case.in_its_unit(shortfall)}".replace("+ −", "− ")
    return amount_outcome(case, quantity, max(0.0, active + shortfall), shortfall, U, formula)


def no_number(case: Case, quantity: str, verdict: Verdict, note: str, length: float = PER_METRE) -> Finding:
    """A finding without a number: unresolved, or a question that must be answered first."""
    q = QUANTITIES[quantity]
    stored = case.values.get(quantity) or case.amount(quantity)
    return Finding(
        quantity, unit_of(stored), stored.to_json(), None, None, None, q.error_unit, None,
        case.tolerance_of(quantity, length), verdict, False, "", (note[0].upper() + note[1:],), subject=case.subject,
    )  # fmt: skip


def unit_of(stored: StoredValue) -> str:
    """Unit of the number itself."""
    return stored.form.unit if isinstance(stored, StoredResolution) else stored.unit


def steady_mean(case: Case, measurand: str) -> MeanReading:
    """The mean of what was read of something that is no cut piece: no scatter between pieces; zero taken off."""
    found = _mean(case, measurand, _one_end(case.instrument), PieceScatter(0.0))
    return replace(found, components=tuple(c for c in found.components if c.u))


def steady_parts(case: Case, readings_each: int) -> tuple[Component, ...]:
    """What the uncertainty of a `steady_mean` would be made of."""
    instrument = _one_end(case.instrument)
    return independent_components(case.instrument.repeatability, readings_each, instrument, PieceScatter(0.0))


def piece_mean(case: Case, measurand: str, *, drawn: bool) -> MeanReading:
    """The mean of what was read on a cut or drawn piece; zero taken off."""
    return _mean(case, measurand, case.instrument, case.scatter(drawn=drawn))


def own_error(instrument: Instrument, length: float) -> tuple[Component, ...]:
    """The instrument's permissible error at a length (mm), one rectangle shared by all readings; empty for none."""
    a, b = instrument.permissible_error
    half = a + b * abs(length)
    return (Component(half / math.sqrt(3), rectangular=True),) if half else ()


def parts_say(case: Case, quantity: str, s: float) -> str:
    """What explains that the measured number is far from what the drive train's parts give; empty for nothing."""
    computed, stored = case.computed.get(quantity), case.values.get(quantity)
    now = stored.steps_per_mm() if isinstance(stored, StoredResolution) else None
    if computed is None or now is None:
        return ""
    words = explain_ratio(now / (1 + s), computed, case.teeth.get(quantity, 0.0))
    return f"Measured is {words}." if words else ""


def assumed_spread(case: Case) -> tuple[str, ...]:
    """The note that a spread of readings was assumed, where it was."""
    if not case.instrument.repeatability.assumed:
        return ()
    return (f"Spread of single readings assumed: one division, {case.instrument.resolution:g} mm.",)


def _one_end(instrument: Instrument) -> Instrument:
    """A deviation is read at one place, whatever the instrument does with lengths."""
    return replace(instrument, both_ends=False)


def _mean(case: Case, measurand: str, instrument: Instrument, scatter: PieceScatter) -> MeanReading:
    lengths = case.lengths(measurand)
    coarsest = 0.0 if instrument.divided_in_fractions else max(v.resolution_mm for v in lengths)
    raw = mean_of_readings([v.mm for v in lengths], instrument, scatter, pieces=case.pieces, coarsest=coarsest)
    return replace(raw, mean=raw.mean - instrument.zero)
