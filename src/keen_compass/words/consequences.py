"""What an error means for the parts that come off the machine, in a few words."""

from __future__ import annotations

from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.findings import Finding
from keen_compass.quantities.lengths import format_mm
from keen_compass.quantities.verdict import Verdict
from keen_compass.words.say import PLAIN, THOU, THOU_PER_FOOT, Show

HEADS = {Verdict.IN: "In", Verdict.OUT: "Out", Verdict.CANNOT_TELL: "Can’t tell"}
_RIGHT = {"mm": "{axis} reaches its target", "tram": "the head is square to the bed"}


def finding_in_words(finding: Finding, show: Show = PLAIN) -> str:
    """``a metre comes out 0.97 mm too long``, ``a foot comes out 11.6 thou too long``."""
    towards = show.way(f"{'+' if (finding.error or 0.0) > 0 else '-'}{QUANTITIES[finding.quantity].axis or 'x'}")
    q, e = QUANTITIES[finding.quantity], finding.error or 0.0
    axis = q.axis.upper()
    right = _RIGHT.get(q.error_unit if q.error_unit != "mm/m" else q.family)
    if (
        right
        and float(f"{abs(e):.2f}") == 0
        and finding.quantity not in ("bed", "tracking", "registration", "drag", "media_feed", "proof")
    ):
        return right.format(axis=axis)
    match q.family:
        case "steps" | "print_scale":
            if float(f"{abs(e):.2f}") == 0:
                return "a metre comes out right" if show.units == "mm" else "a foot comes out right"
            way = "long" if e > 0 else "short"
            return f"{'over a print ' if q.family == 'print_scale' else ''}a {_per(e, show.units)} too {way}"
        case "drive":
            return f"the controller’s number is {abs(e) / 10:.1f} % {'above' if e > 0 else 'below'} what the parts give"
        case "backlash":
            left = "loses" if e > 0 else "gains"
            return f"{axis} {left} {show.small(abs(e))} on reversal"
        case "squareness":
            return f"Y leans {show.slope(abs(e))} towards {towards}"
        case "home":
            return f"everything is {show.small(abs(e))} too far towards {towards}"
        case "pointer" | "sensor" | "camera" | "second_tool":
            return f"the {q.family.replace('_', ' ')} offset is {show.small(abs(e))} too far towards {towards}"
        case "registration":
            return f"one mark is {show.small(abs(e))} from where the others place it"
        case "proof":
            return f"the border is up to {show.small(abs(e))} {'wider' if e > 0 else 'narrower'} than nominal"
        case "tracking":
            return f"each trip ends {show.small(abs(e))} {'past' if e > 0 else 'short of'} its start"
        case "tram":
            return f"the head’s top leans {show.slope(abs(e))} towards {towards}"
        case "bed":
            return f"the bed is {show.small(abs(e))} higher in one place than in another"
        case "speed":
            if e <= 0:
                return f"{axis} comes back to its mark at the feed in force"
            return f"the feed in force is {show.feed(e)} above what is safe"
    return _cut_in_words(finding, e, show) or f"off by {format_mm(e, 2)} {finding.error_unit}"


def _cut_in_words(finding: Finding, e: float, show: Show) -> str:
    """The same of what a cut, a burn or a printer’s feed leaves; empty for anything else."""
    match QUANTITIES[finding.quantity].family:
        case "kerf":
            return f"parts come out {show.small(abs(e))} too {'large' if e > 0 else 'small'}"
        case "bevel":
            return f"the edge is {show.small(abs(e))} off square"
        case "hole_bias":
            return f"round holes come out {show.small(abs(e))} too {'large' if e > 0 else 'small'}"
        case "focus":
            return f"the lens is {show.small(abs(e))} too {'high' if e > 0 else 'low'}"
        case "media_feed":
            if float(f"{e:.3f}") == 0:
                return "bands just meet"
            what, much = ("leave a gap", "much") if e > 0 else ("overlap", "little")
            return f"bands {what}: {abs(e):.2g} % too {much} feed"
        case "drag":
            if float(f"{e:.3f}") == 0:
                return "corners close"
            if e > 0:
                return f"corners overrun: the blade trails {show.small(abs(e))} less"
            return f"corners are cut short: the blade trails {show.small(abs(e))} more"
        case "power":
            return f"power is {abs(e):.2g} % {'above' if e > 0 else 'below'} the middle of what cuts clean"
        case "cut_feed":
            if round(e) == 0:
                return "the feed is the fastest that is clean with a margin"
            return f"the feed is {show.feed(abs(e))} {'above' if e > 0 else 'below'} what is clean with a margin"
    return ""


def tolerance_in_words(finding: Finding, show: Show = PLAIN) -> str:
    """``0.40 is allowed``, in the unit of the words above."""
    T = finding.tolerance
    if finding.error_unit == "mm/min":
        return f"{show.feed(T)} is allowed"
    if finding.error_unit == "%":
        return f"{T:.{0 if T >= 1 else 2}f} % is allowed"
    if show.units == "mm":
        return f"{format_mm(T, 2)} is allowed"
    if finding.error_unit == "mm/m":
        return f"{format_mm(THOU_PER_FOOT * T, 1)} is allowed"
    return f"{format_mm(T / THOU, 1)} is allowed"


def _per(e: float, units: str) -> str:
    return f"metre comes out {abs(e):.2f} mm" if units == "mm" else f"foot comes out {abs(THOU_PER_FOOT * e):.1f} thou"
