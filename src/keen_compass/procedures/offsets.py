"""What offsets between two heads share (arithmetic.md §9): a vector, in the controller's own sign and unit."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from dataclasses import replace

from keen_compass.machines.heads import sign_kept
from keen_compass.procedures.case import Case
from keen_compass.procedures.results import Outcome, amount_outcome, arithmetic, judged
from keen_compass.quantities.assumed import AIMED, DRAWN
from keen_compass.quantities.findings import Finding
from keen_compass.quantities.notes import Note, note
from keen_compass.quantities.uncertainty import Cause, Origin, Source, Uncertain, covariance
from keen_compass.quantities.verdict import Verdict

AXES = ("x", "y")


def drawn_line(of: Hashable = None) -> Source:
    """By how much a line that a tool draws lies beside where it was sent, mm."""
    return Source(
        Origin("drawn", of),
        DRAWN.s,
        Cause.DRAWN,
        DRAWN.dof,
        estimate=Origin("drawn"),
        shared_dof=DRAWN.dof,
        assumed="drawn",
    )


def aimed(case: Case, of: Hashable = None) -> Source:
    """By how much an aim lies beside its mark, mm."""
    aim = case.aim
    return Source(
        Origin("aimed", of),
        aim.s,
        Cause.AIM,
        aim.dof,
        estimate=Origin("aimed"),
        shared_dof=aim.dof,
        assumed="aim" if aim == AIMED else "",
    )


def aim_notes(case: Case, *, by_hand: bool = True) -> tuple[Note, ...]:
    """What was assumed of aims and of the tool's lines. by_hand: whether marks were aimed at by hand."""
    if by_hand and case.aim == AIMED:
        return (note("aim_assumed", s=AIMED.s, drawn=DRAWN.s),)
    return (note("drawn_assumed", drawn=DRAWN.s),)


def _outcome(case: Case, quantity: str, e: Uncertain, notes: tuple[Note, ...] = ()) -> Outcome:
    """o_true = o_set − e, mm along the axis; the error is set − true, which is e."""
    sign = sign_kept(quantity, case.machine.offset_form, case.machine.flipped)
    held = case.amount(quantity)
    new = held.base - sign * e.value
    step = case.in_its_unit(abs(e.value))
    text = f"{case.in_its_unit(held.base)} {'−' if sign * e.value >= 0 else '+'} {step}"
    return replace(amount_outcome(case, quantity, new, e, arithmetic(text)), notes=notes)


def offset_findings(
    case: Case, head: str, errors: Sequence[Uncertain], notes: tuple[Note, ...] = ()
) -> tuple[Finding, ...]:
    """Both components, which belong together: errors along X and Y from the same readings."""
    quantities = [f"{head}_{axis}" for axis in AXES]
    shared = covariance(*errors)
    found = []
    for k, (quantity, e) in enumerate(zip(quantities, errors, strict=True)):
        f = judged(case, _outcome(case, quantity, e, notes))
        if f.verdict is Verdict.IN:  # it is left as it is
            f = replace(f, notes=tuple(n for n in f.notes if not n.code.endswith(".moves")))
        found.append(replace(f, covariance_with={quantities[1 - k]: shared}))
    return tuple(found)
