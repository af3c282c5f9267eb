"""What an error means for the parts that come off the machine, in a few words."""

from __future__ import annotations

from keen_compass.language import marked, tr, written
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.findings import Finding
from keen_compass.quantities.lengths import format_mm
from keen_compass.quantities.verdict import Verdict
from keen_compass.words.say import PLAIN, THOU, THOU_PER_FOOT, Show

HEADS = {Verdict.IN: marked("In"), Verdict.OUT: marked("Out"), Verdict.CANNOT_TELL: marked("Can’t tell")}
_BESIDE = {
    "pointer": marked("pointer"),
    "sensor": marked("sensor"),
    "camera": marked("camera"),
    "second_tool": marked("second tool"),
}
_RIGHT = {"mm": marked("{axis} reaches its target"), "tram": marked("the head is square to the bed")}


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
        return tr(right, axis=axis)
    match q.family:
        case "steps" | "print_scale":
            if float(f"{abs(e):.2f}") == 0:
                return tr("a metre comes out right") if show.units == "mm" else tr("a foot comes out right")
            way = tr("long") if e > 0 else tr("short")
            return tr(
                "{over}a {per} too {way}",
                over=tr("over a print ") if q.family == "print_scale" else "",
                per=_per(e, show.units),
                way=way,
            )
        case "drive":
            return tr(
                "the controller’s number is {e:.1f} % {way} what the parts give",
                e=abs(e) / 10,
                way=tr("above") if e > 0 else tr("below"),
            )
        case "backlash":
            left = tr("loses") if e > 0 else tr("gains")
            return tr("{axis} {left} {small} on reversal", axis=axis, left=left, small=show.small(abs(e)))
        case "squareness":
            return tr("Y leans {slope} towards {towards}", slope=show.slope(abs(e)), towards=towards)
        case "home":
            return tr("everything is {small} too far towards {towards}", small=show.small(abs(e)), towards=towards)
        case "pointer" | "sensor" | "camera" | "second_tool":
            return tr(
                "the {head} offset is {small} too far towards {towards}",
                head=tr(_BESIDE[q.family]),
                small=show.small(abs(e)),
                towards=towards,
            )
        case "registration":
            return tr("one mark is {small} from where the others place it", small=show.small(abs(e)))
        case "proof":
            return tr(
                "the border is up to {small} {way} than nominal",
                small=show.small(abs(e)),
                way=tr("wider") if e > 0 else tr("narrower"),
            )
        case "tracking":
            return tr(
                "each trip ends {small} {way} its start",
                small=show.small(abs(e)),
                way=tr("past") if e > 0 else tr("short of"),
            )
        case "tram":
            return tr("the head’s top leans {slope} towards {towards}", slope=show.slope(abs(e)), towards=towards)
        case "bed":
            return tr("the bed is {small} higher in one place than in another", small=show.small(abs(e)))
        case "speed":
            if e <= 0:
                return tr("{axis} comes back to its mark at the feed in force", axis=axis)
            return tr("the feed in force is {feed} above what is safe", feed=show.feed(e))
    return _cut_in_words(finding, e, show) or tr(
        "off by {amount} {error_unit}", amount=written(format_mm(e, 2)), error_unit=finding.error_unit
    )


def _cut_in_words(finding: Finding, e: float, show: Show) -> str:
    """The same of what a cut, a burn or a printer’s feed leaves; empty for anything else."""
    match QUANTITIES[finding.quantity].family:
        case "kerf":
            return tr(
                "parts come out {small} too {way}", small=show.small(abs(e)), way=tr("large") if e > 0 else tr("small")
            )
        case "bevel":
            return tr("the edge is {small} off square", small=show.small(abs(e)))
        case "hole_bias":
            return tr(
                "round holes come out {small} too {way}",
                small=show.small(abs(e)),
                way=tr("large") if e > 0 else tr("small"),
            )
        case "focus":
            return tr("the lens is {small} too {way}", small=show.small(abs(e)), way=tr("high") if e > 0 else tr("low"))
        case "media_feed":
            if float(f"{e:.3f}") == 0:
                return tr("bands just meet")
            if e > 0:
                return tr("bands leave a gap: {e:.2g} % too much feed", e=e)
            return tr("bands overlap: {e:.2g} % too little feed", e=-e)
        case "drag":
            if float(f"{e:.3f}") == 0:
                return tr("corners close")
            if e > 0:
                return tr("corners overrun: the blade trails {small} less", small=show.small(abs(e)))
            return tr("corners are cut short: the blade trails {small} more", small=show.small(abs(e)))
        case "power":
            return tr(
                "power is {e:.2g} % {way} the middle of what cuts clean",
                e=abs(e),
                way=tr("above") if e > 0 else tr("below"),
            )
        case "cut_feed":
            if round(e) == 0:
                return tr("the feed is the fastest that is clean with a margin")
            return tr(
                "the feed is {feed} {way} what is clean with a margin",
                feed=show.feed(abs(e)),
                way=tr("above") if e > 0 else tr("below"),
            )
    return ""


def tolerance_in_words(finding: Finding, show: Show = PLAIN) -> str:
    """``0.40 is allowed``, in the unit of the words above."""
    T = finding.tolerance
    if finding.error_unit == "mm/min":
        return tr("{feed} is allowed", feed=show.feed(T))
    if finding.error_unit == "%":
        return tr("{T:.{decimals}f} % is allowed", T=T, decimals=0 if T >= 1 else 2)
    if show.units == "mm":
        return tr("{amount} is allowed", amount=written(format_mm(T, 2)))
    if finding.error_unit == "mm/m":
        return tr("{amount} is allowed", amount=written(format_mm(THOU_PER_FOOT * T, 1)))
    return tr("{amount} is allowed", amount=written(format_mm(T / THOU, 1)))


def _per(e: float, units: str) -> str:
    return (
        tr("metre comes out {e:.2f} mm", e=abs(e))
        if units == "mm"
        else tr("foot comes out {thou_per_foot:.1f} thou", thou_per_foot=abs(THOU_PER_FOOT * e))
    )
