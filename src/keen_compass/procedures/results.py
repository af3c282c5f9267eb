"""How a procedure puts a finding together: verdict, what is asked first, what would settle it, when not to chase."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from keen_compass.errors import InputError
from keen_compass.procedures.case import Case
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.findings import Finding
from keen_compass.quantities.lengths import format_mm
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.quantities.stored import StoredAmount, StoredValue
from keen_compass.quantities.uncertainty import MeanReading, PieceScatter, mean_of_readings
from keen_compass.quantities.verdict import Verdict, judge, worth_correcting
from keen_compass.solve.plausibility import looks_mirrored

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
    new_U in its unit. predicted: what its rounding leaves. settle: sentence for a *can't tell*.
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
    settle: Callable[[], str] | None = None


def judged(case: Case, o: Outcome) -> Finding:
    """The finding, with the questions that come before any verdict."""
    harm = max(o.error, 0.0) if QUANTITIES[o.quantity].one_sided else o.error
    verdict = judge(harm, o.U, o.T)
    notes = list(o.notes)
    if verdict is Verdict.CANNOT_TELL and o.settle:
        notes.insert(0, o.settle())
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
    )


def scale_outcome(
    case: Case, quantity: str, s: float, U: float, length: float, formula: str, notes: tuple[str, ...] = (),
    settle: Callable[[], str] | None = None,
) -> Outcome:  # fmt: skip
    """A scale error s (mm/mm) with its U, turned into the controller's form. length: mm, that the tolerance means."""
    stored = case.resolution(quantity)
    if s <= SCALE_LIMIT:
        raise InputError("the readings are so small that no number could correct them", "readings")
    new = stored.corrected(s, case.decimals)
    return Outcome(
        quantity, stored, new, s * PER_METRE, U * PER_METRE, case.tolerance_of(quantity, length), formula,
        U * stored.sensitivity(s), notes, stored.scale_after(s, new) * PER_METRE, settle,
    )  # fmt: skip


def scale_formula(stored: StoredResolution, decimals: int, wanted: str, came: str) -> str:
    """One line from the old number to the new one, in the controller's own form; wanted, came: lengths as shown."""
    old = stored.text(decimals)
    if stored.form is ResolutionForm.PERCENT_0:
        return f"(100 + {old}) × {wanted} ÷ {came} − 100"
    over, under = (came, wanted) if stored.multiplies else (wanted, came)
    return f"{old} × {over}" + (f" ÷ {under}" if under != "1" else "") if over != "1" else f"{old} ÷ {under}"


def amount_outcome(case: Case, quantity: str, value: float, error: float, U: float, formula: str) -> Outcome:
    """A plain number that becomes `value`; its U is that of the error."""
    old = case.amount(quantity)
    new = StoredAmount(quantity, old.unit, round(value, case.decimals) + 0.0)
    T = case.tolerance_of(quantity, PER_METRE)
    return Outcome(quantity, old, new, error, U, T, formula, U, predicted=abs(new.value - value))


def backlash_outcome(case: Case, quantity: str, active: float, shortfall: float, U: float) -> Outcome:
    """b_new = max(0, b_active + shortfall); an overshoot lowers it (arithmetic.md §5). All in mm."""
    formula = f"{format_mm(active, 3)} + {format_mm(shortfall, 3)}".replace("+ −", "− ")
    return amount_outcome(case, quantity, max(0.0, active + shortfall), shortfall, U, formula)


def no_number(case: Case, quantity: str, verdict: Verdict, note: str, length: float = PER_METRE) -> Finding:
    """A finding without a number: unresolved, or a question that must be answered first."""
    q = QUANTITIES[quantity]
    stored = case.values.get(quantity) or case.amount(quantity)
    return Finding(
        quantity, unit_of(stored), stored.to_json(), None, None, None, q.error_unit, None,
        case.tolerance_of(quantity, length), verdict, False, "", (note[0].upper() + note[1:],),
    )  # fmt: skip


def unit_of(stored: StoredValue) -> str:
    """Unit of the number itself."""
    return stored.form.unit if isinstance(stored, StoredResolution) else stored.unit


def steady_mean(case: Case, measurand: str) -> MeanReading:
    """The mean of what was read of something that is no cut piece: no scatter between pieces; zero taken off."""
    values = [length.mm for length in case.readings[measurand]]
    coarsest = 0.0 if case.instrument.divided_in_fractions else max(v.resolution_mm for v in case.readings[measurand])
    one_end = replace(case.instrument, both_ends=False)
    raw = mean_of_readings(values, one_end, PieceScatter(0.0), coarsest=coarsest)
    return replace(raw, mean=raw.mean - case.instrument.zero, components=tuple(c for c in raw.components if c.u))


def assumed_spread(case: Case) -> tuple[str, ...]:
    """The note that a spread of readings was assumed, where it was."""
    if not case.instrument.repeatability.assumed:
        return ()
    return (f"Spread of single readings assumed: one division, {case.instrument.resolution:g} mm.",)
