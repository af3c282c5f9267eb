"""Findings in the technician's words, directions as seen from where they stand."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from keen_compass.machines.forms import show_length, show_size
from keen_compass.machines.profile import Machine
from keen_compass.quantities.findings import Finding
from keen_compass.quantities.lengths import format_mm
from keen_compass.quantities.stored import StoredValue
from keen_compass.quantities.uncertainty import two_significant, with_uncertainty
from keen_compass.quantities.verdict import Verdict
from keen_compass.words.consequences import finding_in_words, tolerance_in_words

# mm per m is thou per inch: the same number, in the words of the shop.
UNIT_WORDS = {
    "mm": {"mm/m": "mm per m", "mm": "mm", "mm/min": "mm per min"},
    "in": {"mm/m": "thou per inch", "mm": "mm", "mm/min": "mm per min"},
}
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


def consequence(finding: Finding, machine: Machine) -> str:
    """What the verdict means and what to do about it."""
    notes = [machine.standpoint.described(n) for n in finding.notes]
    if finding.verdict in (Verdict.IMPLAUSIBLE, Verdict.UNRESOLVED) or finding.error is None:
        return notes[0] if notes else ""
    fact = machine.standpoint.described(finding_in_words(finding, machine.units))
    fact = f"{fact[0].upper()}{fact[1:]}; {tolerance_in_words(finding, machine.units)}."
    said = " ".join(notes[:2])
    if finding.verdict is Verdict.IN:
        return f"{fact} Leave it." if not said or said == "Leave it." else f"{fact} {said}"
    if finding.verdict is Verdict.CANNOT_TELL:
        return f"{fact} {said}".strip()
    return f"{fact} {said or 'Correct it.'}"


def to_do(finding: Finding, machine: Machine) -> str:
    """What is to be done by hand: what the finding proposes, else what is wrong."""
    said = [machine.standpoint.described(n) for n in finding.notes]
    return " ".join(said) or consequence(finding, machine)


def number(stored: StoredValue, given: object, decimals: int) -> str:
    """A controller's number as it stands there; of a pair the member that changes."""
    return stored.renewed(given).number(decimals).replace("-", "−")


def new_uncertainty(finding: Finding) -> str:
    """``± 0.011``, two significant digits."""
    U = finding.new_expanded_uncertainty
    return f"± {U:.{two_significant(U)}f}" if U else ""


def size_of(parameters: Mapping[str, Any], machine: Machine) -> str:
    """How large a piece or run is: ``400 × 300 mm``, ``X, 1000 mm``."""
    if "columns" in parameters:
        return f"{parameters['columns']} × {parameters['rows']} points"
    if "width" in parameters:
        return show_size(parameters["width"], parameters["height"], machine.units)
    axis = str(parameters.get("axis", "")).upper()
    for name in ("length", "travel", "run", "distance", "x_span", "radius"):
        if isinstance(parameters.get(name), (int, float)):
            return ", ".join(p for p in (axis, show_length(parameters[name], machine.units)) if p)
    return axis


def figures(given: Mapping[str, Any], units: str) -> list[tuple[str, str]]:
    """What else a procedure found, as (what, how much) lines."""
    lines: list[tuple[str, str]] = []

    def mm(name: str, words: str, decimals: int = 3) -> None:
        value = given.get(name)
        if isinstance(value, (int, float)):
            lines.append((words, f"{format_mm(value, decimals)} mm"))

    mm("reversal_B", "Reversal B")
    mm("repeatability_R", "Repeatability R")
    mm("systematic_E", "Systematic deviation E")
    if "after" in given:
        cycles = given["cycles"]
        lines.append((str(given["after"]), f"{cycles} cycle{'' if cycles == 1 else 's'}"))
    if "tilt_x_mm_per_m" in given:
        for axis in ("x", "y"):
            lines.append(
                (f"Tilt along {axis.upper()}", f"{format_mm(given[f'tilt_{axis}_mm_per_m'], 2, signed=True)} mm per m")
            )
        mm("off_the_plane", "Left when levelled", 2)
        lines.append(("Points read", f"{given['read']} of {given['of']}"))
    if "slip" in given:
        mm("drift", "Drift, each trip", 3)
        mm("slip", "Slip about it", 3)
    if "angle_deg" in given:
        lines.append(("Corner at lowest X and Y", f"{given['angle_deg']:.3f}°"))
    if "smallest_step" in given:
        lines.append(("Smallest step", f"{given['smallest_step'] * 1000:.2f} µm"))
        if given.get("fastest_feed"):
            limit = given.get("step_limit")
            share = f", {100 * given['step_rate'] / limit:.0f} % of the limit" if limit else ""
            lines.append(
                (f"Steps per second at {given['fastest_feed']:.0f} mm/min{share}", f"{given['step_rate']:,.0f}")
            )
    if given.get("step_rate_limit"):
        lines.append(("Step rate ends at", f"{given['step_rate_limit']:.0f} mm/min"))
    return lines


def day_and_time(at: str) -> str:
    """Local time, from the logbook's UTC."""
    return datetime.fromisoformat(at).astimezone().strftime("%-d %B %Y, %H:%M")
