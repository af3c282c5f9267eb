"""Everything that was read, in words: what it says of each unknown, what that rests on, what is correlated."""

from __future__ import annotations

from keen_compass.language import tr, written
from keen_compass.machines.profile import Machine
from keen_compass.machines.shown import show_length
from keen_compass.procedures.joint import FOUND_AS
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.lengths import format_mm
from keen_compass.quantities.subjects import Subject
from keen_compass.rounds.together import Column, Part, Row, Whole
from keen_compass.solve.joint import Unknown
from keen_compass.words.errors import shown_in
from keen_compass.words.procedures import title
from keen_compass.words.say import say, show_for
from keen_compass.words.texts.joint import TELLS

MOST = 3  # readings that are named
CLEAR = 0.4  # correlation, from which two are said to hang together
MATTERS = 0.05  # share of certainty, from which a reading is named
BEGINS = {
    "slot": "kerf-square",
    "hole": "kerf-square",
    "comb": "kerf-comb",
    "dial": "backlash",
    "travel": "travel-run",
    "short_side": "rectangle",
}


def label_of(unknown: Unknown) -> str:
    """A quantity with its axis, such as ``X steps``."""
    return QUANTITIES[FOUND_AS[unknown.name]].label


def whose(column: Column, machine: Machine) -> str:
    """In which stock, where that matters: ``6 mm``, or the material where no thickness is known."""
    if not column.unknown.subject:
        return ""
    subject = Subject.from_key(column.unknown.subject)
    return show_length(subject.thickness, machine.units) if subject.thickness else subject.material


def figure(column: Column, machine: Machine) -> str:
    """``+0.85 ± 0.10``, of what is on the machine its error; else the kerf itself."""
    f = column.finding
    if f is None or f.expanded_uncertainty is None:
        return tr("can’t tell")
    if column.mine and f.error is not None:
        return shown_in(f.error_unit, machine.unit_of(f.quantity)).number(f.harm or 0.0, f.expanded_uncertainty)
    new = f"{f.new:.3f}" if isinstance(f.new, float) else str(f.new)
    return written(f"{new} ± {format_mm(f.new_expanded_uncertainty or 0.0, 3)}")


def part_in_words(part: Part) -> str:
    """``30 · X and Y steps``."""
    axis = str(part.case.piece.get("axis", "")).upper()
    return f"{part.number} · {title(part.procedure)}{f', {axis}' if axis else ''}"


def row_in_words(row: Row, machine: Machine) -> str:
    """``width``; of a run all of it."""
    return say(row.measurand.label, show_for(machine)) if row.measurand else tr("all places")


def rests_on(whole: Whole, column: Column, machine: Machine) -> str:
    """The readings without which it would be worst."""
    bearing = sorted(((row.shares.get(column.unknown, 0.0), row) for row in whole.rows), key=lambda pair: -pair[0])
    named = [
        tr("{row} of {number}", row=row_in_words(row, machine), number=whole.parts[row.part].number)
        for share, row in bearing[:MOST]
        if share > MATTERS
    ]
    if not named:
        return tr("No single reading matters much: many say the same, or it was known before.")
    return tr("Depends most on: {named}.", named=", ".join(named))


def hangs_with(whole: Whole, column: Column) -> str:
    """What would pull it along, the strongest one."""
    others = [(whole.model.correlation(column.unknown, c.unknown), c) for c in whole.columns if c is not column]
    r, other = max(others, key=lambda pair: abs(pair[0]), default=(0.0, None))
    if other is None or abs(r) < CLEAR:
        return tr("Not linked to anything else here.")
    way = tr("larger") if r > 0 else tr("smaller")
    return tr("Linked to {label_of}: if that is larger, this is {way}.", label_of=label_of(other.unknown), way=way)


def lacks(column: Column) -> str:
    """What it can't be told from, and what would tell."""
    from_what = ", ".join(label_of(u) for u in column.others)
    words = tr("Can’t be told from {from_what}", from_what=from_what) if from_what else tr("Can’t be told")
    return (
        tr("{words}: {tells} would tell.", words=words, tells=tr(TELLS[column.tells])) if column.tells else f"{words}."
    )


def numbers(whole: Whole, column: Column, machine: Machine) -> tuple[str, str]:
    """(``106.314``, ``steps per mm, 106.404 now``), as the machine keeps it."""
    f = column.finding
    assert f is not None
    stored, place = whole.case.values.get(f.quantity), machine.place(f.quantity)
    if stored is None or f.new is None:
        return figure(column, machine), shown_in(f.error_unit, machine.unit_of(f.quantity)).sign
    new, old = place.number(stored.renewed(f.new)), place.number(stored)
    now = tr(", {old} now", old=old) if column.mine and old != new else ""
    return new, f"{place.name(stored).partition(', ')[2]}{now}".removeprefix(", ")
