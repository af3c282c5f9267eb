"""How a procedure puts a finding together: verdict, what is asked first, what would settle it, when not to chase."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.procedures.case import Case, Previous
from keen_compass.procedures.settle import with_remedies
from keen_compass.quantities.assumed import EYE_OF_A_STEP
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.findings import Assumed, Finding, harm_of
from keen_compass.quantities.measuring import Held, Measurement
from keen_compass.quantities.notes import Note, Said, note
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.quantities.stored import SIZE, StoredAmount, StoredValue
from keen_compass.quantities.uncertainty import Cause, Origin, Shape, Source, Uncertain, combination, limits, t_95
from keen_compass.quantities.verdict import Verdict, judge, worth_correcting
from keen_compass.solve.consistency import agree, contradiction, with_scatter_learnt
from keen_compass.solve.drive import explain_ratio
from keen_compass.solve.joint import Known, Observation, Unknown, fit
from keen_compass.solve.plausibility import Doubt, looks_mirrored
from keen_compass.solve.travel import lost_motion_of

if TYPE_CHECKING:
    from keen_compass.procedures.base import AnyProcedure

PER_METRE = 1000.0
SUGGEST_TEMPERATURE_ABOVE = 1000.0  # mm
SCALE_LIMIT = -0.99  # below, the corrected number is no number any more
ABBE = note("read_near_the_tool")
MOST_NAMED = 3  # of what doesn't fit
NOTHING = Source(Origin(""), 0.0, Cause.ASSUMED)
COMES_TO_REST = 2.0  # expanded uncertainties, within which the second round must land


@dataclass(frozen=True, slots=True)
class Outcome:
    """What was found out about one quantity, before it is judged.

    error, T: in the quantity's error unit. new: what would make the error vanish, rounded as it is kept; new_U in its
    unit. predicted: what its rounding leaves; last_digit: what one of the last kept digit is worth; in the error unit.
    """

    quantity: str
    old: StoredValue
    new: StoredValue
    error: Uncertain
    T: float
    formula: Note
    new_U: float
    notes: tuple[Note, ...] = ()
    predicted: float = 0.0
    last_digit: float = 0.0


def judged(case: Case, o: Outcome, procedure: AnyProcedure | None = None) -> Finding:
    """The finding, with the questions that come before any verdict, and what would settle a *can't tell*.

    procedure: whose piece could be longer, or made once more; None where several were read together.
    """
    error, U = o.error.value, o.error.U
    harm = harm_of(o.quantity, error) or 0.0
    verdict = judge(harm, U, o.T)
    said, settled = with_remedies(verdict, o.notes, case, procedure, o.quantity, o.error, o.T)
    notes = list(said)
    previous = case.previous_errors.get(o.quantity)
    if previous and not case.confirmed and looks_mirrored(error, previous.error, U):
        verdict = Verdict.IMPLAUSIBLE
        notes.insert(0, note("twice_the_error_before"))
    elif verdict is Verdict.OUT and o.old == o.new and abs(error) < o.last_digit:
        notes.insert(0, note("decimals_too_few"))
    elif previous and verdict is not Verdict.IN and not _at_rest(error, U, previous, o.last_digit):
        notes.insert(0, note("not_at_rest"))
    odd = verdict is Verdict.IMPLAUSIBLE
    return Finding(
        quantity=o.quantity,
        unit=unit_of(o.old),
        old=o.old.to_json(),
        new=None if odd else o.new.to_json(),
        new_expanded_uncertainty=None if odd else o.new_U,
        error=error,
        error_unit=QUANTITIES[o.quantity].error_unit,
        expanded_uncertainty=U,
        tolerance=o.T,
        verdict=verdict,
        worth_correcting=worth_correcting(harm, U) and o.new != o.old,
        formula=o.formula,
        notes=tuple(notes),
        predicted_error=o.predicted,
        subject=case.subject,
        limits=shares_of(o.error),
        remedies=() if odd else settled,
        assumed=taken_for_granted(o.error.effects),
    )


def shares_of(error: Uncertain) -> tuple[tuple[str, float], ...]:
    """What limits it, each cause with its share of the variance, as a finding keeps it."""
    return tuple((str(cause), share) for cause, share in limits(error.effects))


def taken_for_granted(effects: Iterable[tuple[Source, float]]) -> tuple[Assumed, ...]:
    """What was assumed and is in U, each once; the largest where several are called alike."""
    found: dict[str, Source] = {}
    for source, c in effects:
        if source.assumed and c and source.u > found.get(source.assumed, NOTHING).u:
            found[source.assumed] = source
    return tuple(
        Assumed(what, 0.0 if math.isinf(s.dof) else s.u, t_95(s.dof) * s.u) for what, s in sorted(found.items())
    )


def contradicted(
    case: Case, rows: Sequence[Observation], labels: Mapping[str, Said], *, signs: bool = False
) -> Doubt | None:
    """What to ask where readings that are fitted together don't agree; None where they do, or where it was confirmed.

    labels: of the measurands among the rows. signs: a row is the reading itself, whose sign may be the wrong one.
    What is half typed is not counted yet.
    """
    if case.confirmed:
        return None
    counted = [o for o in rows if o.label != case.half_typed]
    found = contradiction(counted)
    if found is None:
        return None
    named = tuple(label for label in found.labels if label in labels)
    turned = [label for label in named if agree([_turned(o) if o.label == label else o for o in counted])]
    if signs and len(turned) == 1:
        return Doubt((turned[0],), note("looks_turned", what=labels[turned[0]]))
    if len(found.labels) == 1 and named:
        return Doubt(named, note("does_not_fit", what=labels[named[0]]))
    if named:
        code = "one_does_not_fit" if len(named) == len(found.labels) else "one_or_known_does_not_fit"
        return Doubt(named, note(code, what=[labels[name] for name in named[:MOST_NAMED]]))
    if found.labels:
        return Doubt((), note("known_does_not_fit", unknowns=list(found.labels)))
    return Doubt((), note("readings_disagree"))


def _turned(o: Observation) -> Observation:
    return replace(o, value=-o.value)


def as_fitted(case: Case, rows: Sequence[Observation]) -> tuple[list[Observation], tuple[Note, ...]]:
    """Rows as they are to be fitted, and what is said of it: where contradictions were confirmed, with the scatter that
    they show.
    """
    if not case.confirmed or agree(rows):
        return list(rows), ()
    return with_scatter_learnt(rows), (note("scatter_learnt"),)


def picked_between(half: float, step: float) -> tuple[tuple[Source, float], ...]:
    """What a pick from a row leaves open: nothing is known within half a step either way, and an eye errs besides.

    half: how far the best may lie to either side; step: from one of the row to the next; in the row’s unit.
    """
    return (
        (Source(Origin("between_steps"), half / math.sqrt(3), Cause.LADDER, shape=Shape.RECTANGLE), 1.0),
        (Source(Origin("seen"), EYE_OF_A_STEP * step, Cause.SEEN, assumed="eye"), 1.0),
    )


def ask(case: Case, quantity: str, doubt: Doubt, length: float = PER_METRE) -> Finding:
    """A finding that asks before anything is computed. length: mm, that a plain tolerance of a scale is meant over."""
    finding = no_number(case, quantity, Verdict.IMPLAUSIBLE, doubt.asks, length)
    return replace(finding, doubtful=doubt.measurands)


def _at_rest(error: float, U: float, previous: Previous, last_digit: float) -> bool:
    """Whether what is left is what both rounds' uncertainties and the controller's rounding leave."""
    both = math.hypot(U, U if previous.U is None else previous.U)
    return abs(error) <= COMES_TO_REST * both + last_digit / 2


def scale_outcome(
    case: Case, quantity: str, s: Uncertain, length: float, formula: Note, notes: tuple[Note, ...] = ()
) -> Outcome:
    """A scale error s (mm/mm), turned into the controller's form. length: mm, that the tolerance means."""
    stored = case.resolution(quantity)
    if s.value <= SCALE_LIMIT:
        raise InputError(tr("the readings are so small that no number could correct them"), "readings")
    decimals = stored.held_with(case.decimals_of(quantity))
    new = stored.corrected(s.value, decimals)
    slope = stored.sensitivity(s.value)
    return Outcome(
        quantity,
        stored,
        new,
        s.times(PER_METRE),
        case.tolerance_of(quantity, length),
        formula,
        s.U * slope,
        notes,
        stored.scale_after(s.value, new) * PER_METRE,
        10**-decimals / slope * PER_METRE,
    )


def scale_formula(case: Case, quantity: str, wanted: str, came: str) -> Note:
    """One line from the old number to the new one, in the controller's own form; wanted, came: lengths as shown."""
    stored = case.resolution(quantity)
    old = stored.text(stored.held_with(case.decimals_of(quantity)))
    if stored.form is ResolutionForm.PERCENT_0:
        return arithmetic(f"(100 + {old}) × {wanted} ÷ {came} − 100")
    over, under = (came, wanted) if stored.multiplies else (wanted, came)
    return arithmetic(
        f"{old} × {over}" + (f" ÷ {under}" if under != "1" else "") if over != "1" else f"{old} ÷ {under}"
    )


def arithmetic(text: str) -> Note:
    """A line of numbers and signs."""
    return note("formula", text=text)


def amount_outcome(case: Case, quantity: str, value: float, error: Uncertain, formula: Note) -> Outcome:
    """A plain number that becomes `value` (mm, mm/min …); its U is that of the error."""
    old, decimals = case.amount(quantity), case.decimals_of(quantity)
    new = StoredAmount.of(quantity, value, old.unit, decimals)
    T = case.tolerance_of(quantity, PER_METRE)
    size = SIZE[old.unit]
    return Outcome(
        quantity,
        old,
        new,
        error,
        T,
        formula,
        error.U / size,
        predicted=abs(new.base - value),
        last_digit=10**-decimals * size,
    )


def backlash_outcome(case: Case, quantity: str, shortfall: Uncertain, *, compensation_off: bool) -> Outcome:
    """b_new = max(0, b_active + shortfall); an overshoot lowers it (arithmetic.md §5). All in mm.

    With compensation switched off the whole lost motion shows: what is stored is judged by what it leaves of that.
    """
    stored = case.amount(quantity).base
    active = 0.0 if compensation_off else stored
    left = combination(((1.0, shortfall),), active - stored)
    left = weighed(case, lost_motion_of(QUANTITIES[quantity].axis).name, left)
    value = stored + left.value
    text = f"{case.in_its_unit(active)} + {case.in_its_unit(shortfall.value)}".replace("+ −", "− ")
    formula = note("at_least_zero", text=text) if value < 0 else arithmetic(text)
    outcome = amount_outcome(case, quantity, max(0.0, value), left, formula)
    if value < -left.U:
        outcome = replace(outcome, notes=(note("overshoots_more", more=-value),))
    return outcome


def no_number(case: Case, quantity: str, verdict: Verdict, why: Note, length: float = PER_METRE) -> Finding:
    """A finding without a number: unresolved, or a question that must be answered first."""
    q = QUANTITIES[quantity]
    stored = case.values.get(quantity) or case.amount(quantity)
    return Finding(
        quantity,
        unit_of(stored),
        stored.to_json(),
        None,
        None,
        None,
        q.error_unit,
        None,
        case.tolerance_of(quantity, length),
        verdict,
        False,
        arithmetic(""),
        (why,),
        subject=case.subject,
    )


def unit_of(stored: StoredValue) -> str:
    """Unit of the number itself."""
    return stored.form.unit if isinstance(stored, StoredResolution) else stored.unit


def weighed(case: Case, quantity: str, found: Uncertain, size: float = 1.0) -> Uncertain:
    """An error with what was known of it before, each by its weight. size: mm of the number for one of the error."""
    known = case.known.get(quantity)
    if known is None or not known.U:
        return found
    what = Unknown(quantity)
    read = Observation("readings", {what: 1.0}, found.value, found.effects)
    before = Known(known.value / size, known.U / size, evidence=known.evidence)
    return fit([read, before.row(what)]).estimates[what]


def dial_mean(case: Case, measurand: str) -> Measurement:
    """The mean of what a tip against a face showed: a deviation from where it was zeroed."""
    return case.measured(measurand, held=Held.AGAINST)


def assumed_notes(case: Case) -> tuple[Note, ...]:
    """What was assumed of the instrument; nothing where all that was read says itself what it is worth."""
    if case.readings and case.readings.keys() <= case.stated.keys():
        return ()
    notes = []
    if case.kind_assumed and (case.instrument.parallel_within or case.instrument.both_ends):
        notes.append(note("kind_assumed", kind=case.instrument.kind))
    if (spread := case.instrument.repeatability).assumed:
        notes.append(note("repeats_assumed", s=spread.s, kind=case.instrument.kind))
    return tuple(notes)


def scatter_notes(case: Case, *, drawn: bool = False) -> tuple[Note, ...]:
    """What was assumed of how equal pieces differ."""
    spread = case.scatter(drawn=drawn)
    return (note("scatter_assumed", s=spread.s),) if spread.assumed else ()


def held_notes(case: Case, names: Iterable[str]) -> tuple[Note, ...]:
    """What is known from before and was leant on, and how well."""
    return tuple(note("known_before", unknown=n, value=case.known[n].value, U=case.known[n].U) for n in names)


def suggest_warmth(case: Case, longest: float) -> tuple[Note, ...]:
    """Where a length (mm) is so long that warmth counts, and nobody gave it."""
    if case.temperature is not None or longest <= SUGGEST_TEMPERATURE_ABOVE:
        return ()
    return (note("suggest_warmth", above=SUGGEST_TEMPERATURE_ABOVE),)


def parts_say(case: Case, quantity: str, s: float) -> tuple[Note, ...]:
    """What explains that the measured number is far from what the drive train's parts give; none for nothing."""
    computed, stored = case.computed.get(quantity), case.values.get(quantity)
    now = stored.steps_per_mm() if isinstance(stored, StoredResolution) else None
    if computed is None or now is None:
        return ()
    why = explain_ratio(now / (1 + s), computed, case.teeth.get(quantity, 0.0))
    return (note("parts_explain", why=why),) if why else ()
