"""Findings in the technician's words."""

from __future__ import annotations

from datetime import datetime

from keen_compass.quantities.findings import Finding
from keen_compass.quantities.lengths import format_mm
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.quantities.uncertainty import two_significant, with_uncertainty
from keen_compass.quantities.verdict import Verdict

# mm per m is thou per inch: the same number, in the words of the shop.
UNIT_WORDS = {"mm": {"mm/m": "mm per m", "mm": "mm"}, "in": {"mm/m": "thou per inch", "mm": "mm"}}
HEADS = {Verdict.IN: "In", Verdict.OUT: "Out", Verdict.CANNOT_TELL: "Can’t tell"}


def unit_words(error_unit: str, units: str) -> str:
    """The unit of an error, for a machine shown in `units`."""
    return UNIT_WORDS["mm" if units == "mm" else "in"][error_unit]


def headline(finding: Finding) -> str:
    """The verdict in a few words: ``Out: +0.97 ± 0.10``."""
    if finding.verdict is Verdict.IMPLAUSIBLE:
        return "Is this right?"
    if finding.error is None or finding.expanded_uncertainty is None:
        return "Not known yet"
    return f"{HEADS[finding.verdict]}: {with_uncertainty(finding.error, finding.expanded_uncertainty)}"


def consequence(finding: Finding, units: str) -> str:
    """What the verdict means and what to do about it."""
    if finding.verdict in (Verdict.IMPLAUSIBLE, Verdict.UNRESOLVED) or finding.error is None:
        return finding.notes[0] if finding.notes else ""
    way = "long" if finding.error > 0 else "short"
    error, allowed_error = abs(finding.error), finding.tolerance
    if units == "mm":
        size = f"A metre comes out {format_mm(error, 2)} mm too {way}"
        allowed = f"{format_mm(allowed_error, 2)} is allowed"
    else:  # mm per m, times 12 inches, is thou per foot
        size = f"A foot comes out {format_mm(12 * error, 1)} thou too {way}"
        allowed = f"{format_mm(12 * allowed_error, 1)} is allowed"
    if format_mm(error, 2) == "0.00":
        size = f"{size.partition(' comes')[0]} comes out right"
    if finding.verdict is Verdict.IN:
        return f"{size}; {allowed}. Leave it."
    if finding.verdict is Verdict.CANNOT_TELL:
        return f"{size}; {allowed}. {finding.notes[0] if finding.notes else ''}".strip()
    return f"{size}; {allowed}. Correct it."


def number(finding: Finding, given: object, decimals: int) -> str:
    """A controller's number as it stands there; of a pair the member that changes."""
    form = next(f for f in ResolutionForm if f.unit == finding.unit)
    return StoredResolution.from_input(form, given).number(decimals)


def new_uncertainty(finding: Finding) -> str:
    """``± 0.011``, two significant digits."""
    U = finding.new_expanded_uncertainty
    return f"± {U:.{two_significant(U)}f}" if U else ""


def day_and_time(at: str) -> str:
    """Local time, from the logbook's UTC."""
    return datetime.fromisoformat(at).astimezone().strftime("%-d %B %Y, %H:%M")
