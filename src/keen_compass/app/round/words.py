"""Findings in the technician's words, directions as seen from where they stand."""

from __future__ import annotations

from datetime import datetime

from keen_compass.language import dated, tr, written
from keen_compass.machines.profile import Machine
from keen_compass.machines.shown import show_length, show_size
from keen_compass.quantities.charts import Extent
from keen_compass.quantities.digits import two_significant
from keen_compass.quantities.findings import Finding
from keen_compass.quantities.notes import Note
from keen_compass.quantities.stored import StoredValue
from keen_compass.quantities.verdict import Verdict
from keen_compass.words.consequences import HEADS, finding_in_words, tolerance_in_words
from keen_compass.words.doing import task_of
from keen_compass.words.errors import shown_in
from keen_compass.words.say import capital, say, show_for


def headline(finding: Finding, machine: Machine) -> str:
    """The verdict in a few words: ``Out: +0.97 ± 0.10``; with its unit where that isn't mm per m, of which there are
    most, in thou where its number is in inches.
    """
    if finding.verdict is Verdict.IMPLAUSIBLE:
        return tr("Is this right?")
    if finding.harm is None or finding.expanded_uncertainty is None:
        return tr("Not known yet")
    unit = shown_in(finding.error_unit, machine.unit_of(finding.quantity))
    shown = f"{tr(HEADS[finding.verdict])}: {unit.number(finding.harm, finding.expanded_uncertainty)}"
    return shown if finding.error_unit == "mm/m" else f"{shown} {unit.sign}"


def consequence(finding: Finding, machine: Machine, without: Note | None = None) -> str:
    """What the verdict means and what to do about it. without: what is beside it already."""
    show = show_for(machine, finding.quantity)
    notes = [say(n, show) for n in finding.notes if n != without]
    if finding.verdict in (Verdict.IMPLAUSIBLE, Verdict.UNRESOLVED) or finding.error is None:
        return notes[0] if notes else ""
    fact = capital(finding_in_words(finding, show))
    fact = f"{fact}; {tolerance_in_words(finding, show)}."
    said = " ".join(notes[:2])
    if finding.verdict is Verdict.IN:
        return f"{fact} {said or tr('Leave it.')}"
    if finding.verdict is Verdict.CANNOT_TELL:
        return f"{fact} {said}".strip()
    return f"{fact} {said or ('' if without else tr('Correct it.'))}".strip()


def to_do(finding: Finding, machine: Machine) -> str:
    """What else is to be said of what is done by hand."""
    task = task_of(finding)
    said = [say(n, show_for(machine, finding.quantity)) for n in finding.notes if n != task]
    return " ".join(said) or ("" if task else consequence(finding, machine))


def number(stored: StoredValue, given: object, decimals: int) -> str:
    """A controller's number as it is there; of a pair the member that changes."""
    return stored.renewed(given).number(decimals).replace("-", "−")


def new_uncertainty(finding: Finding) -> str:
    """``± 0.011``, two significant digits."""
    U = finding.new_expanded_uncertainty
    return written(f"± {U:.{two_significant(U)}f}") if U else ""


def size_of(extent: Extent, machine: Machine) -> str:
    """How large a piece or run is: ``400 × 300 mm``, ``X, 1000 mm``."""
    if extent.points:
        return tr("{points} × {points2} points", points=extent.points[0], points2=extent.points[1])
    if len(extent.lengths) == 2:
        return show_size(*extent.lengths, machine.units)
    length = show_length(extent.lengths[0], machine.units) if extent.lengths else ""
    return ", ".join(p for p in (extent.axis.upper(), length) if p)


def day_and_time(at: str) -> str:
    """Local time, from the logbook's UTC."""
    return dated(datetime.fromisoformat(at).astimezone(), "%-d %B %Y, %H:%M")
