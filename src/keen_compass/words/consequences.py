"""What an error means for the parts that come off the machine, in a few words."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from keen_compass.language import marked, tr, written
from keen_compass.quantities.catalogue import QUANTITIES, Quantity
from keen_compass.quantities.findings import Finding
from keen_compass.quantities.lengths import format_mm
from keen_compass.quantities.verdict import Verdict
from keen_compass.words.say import PLAIN, THOU, THOU_PER_FOOT, Show

HEADS = {Verdict.IN: marked("In"), Verdict.OUT: marked("Out"), Verdict.CANNOT_TELL: marked("Can’t tell")}


class Off(NamedTuple):
    """By how much something is off: e in its error unit, shown in one way."""

    quantity: Quantity
    e: float
    show: Show

    @property
    def axis(self) -> str:
        """Its axis as it is written: X."""
        return self.quantity.axis.upper()

    @property
    def small(self) -> str:
        """A length, without its sign."""
        return self.show.small(abs(self.e))

    @property
    def slope(self) -> str:
        """A slope, without its sign."""
        return self.show.slope(abs(self.e))

    @property
    def towards(self) -> str:
        """Which way, as the technician sees it."""
        return self.show.way(f"{'+' if self.e > 0 else '-'}{self.quantity.axis or 'x'}")

    def none(self, decimals: int = 2) -> bool:
        """Whether nothing of it is left to be shown."""
        return float(f"{abs(self.e):.{decimals}f}") == 0

    def which(self, above: str, below: str) -> str:
        """The one or the other message, by its sign."""
        return tr(above if self.e > 0 else below)


def finding_in_words(finding: Finding, show: Show = PLAIN) -> str:
    """``a metre comes out 0.97 mm too long``, ``a foot comes out 11.6 thou too long``."""
    off = Off(QUANTITIES[finding.quantity], finding.error or 0.0, show)
    phrase = PHRASES.get(off.quantity.family.name)
    if phrase is None:
        return tr("off by {amount} {error_unit}", amount=written(format_mm(off.e, 2)), error_unit=finding.error_unit)
    return phrase(off)


def _scale(off: Off) -> str:
    if off.none():
        return tr("a metre comes out right") if off.show.units == "mm" else tr("a foot comes out right")
    return tr(
        "{over}a {per} too {way}",
        over=tr("over a print ") if off.quantity.family.name == "print_scale" else "",
        per=_per(off.e, off.show.units),
        way=off.which(marked("long"), marked("short")),
    )


def _drive(off: Off) -> str:
    return tr(
        "the controller’s number is {e:.1f} % {way} what the parts give",
        e=abs(off.e) / 10,
        way=off.which(marked("above"), marked("below")),
    )


def _reached(off: Off) -> str:
    return tr("{axis} reaches its target", axis=off.axis)


def _backlash(off: Off) -> str:
    if off.none():
        return _reached(off)
    left = off.which(marked("loses"), marked("gains"))
    return tr("{axis} {left} {small} on reversal", axis=off.axis, left=left, small=off.small)


def _squareness(off: Off) -> str:
    return tr("Y leans {slope} towards {towards}", slope=off.slope, towards=off.towards)


def _home(off: Off) -> str:
    if off.none():
        return _reached(off)
    return tr("everything is {small} too far towards {towards}", small=off.small, towards=off.towards)


def _tracking(off: Off) -> str:
    way = off.which(marked("past"), marked("short of"))
    return tr("each trip ends {small} {way} its start", small=off.small, way=way)


def _tram(off: Off) -> str:
    if off.none():
        return tr("the head is square to the bed")
    return tr("the head’s top leans {slope} towards {towards}", slope=off.slope, towards=off.towards)


def _bed(off: Off) -> str:
    return tr("the bed is {small} higher in one place than in another", small=off.small)


def _speed(off: Off) -> str:
    if off.e <= 0:
        return tr("{axis} comes back to its mark at the feed in force", axis=off.axis)
    return tr("the feed in force is {feed} above what is safe", feed=off.show.feed(off.e))


def _beside(head: str) -> Callable[[Off], str]:
    """Of what sits beside the tool. head: as a message."""

    def said(off: Off) -> str:
        if off.none():
            return _reached(off)
        return tr(
            "the {head} offset is {small} too far towards {towards}",
            head=tr(head),
            small=off.small,
            towards=off.towards,
        )

    return said


def _registration(off: Off) -> str:
    return tr("one mark is {small} from where the others place it", small=off.small)


def _proof(off: Off) -> str:
    way = off.which(marked("wider"), marked("narrower"))
    return tr("the border is up to {small} {way} than nominal", small=off.small, way=way)


def _kerf(off: Off) -> str:
    if off.none():
        return tr("parts come out right")
    return tr("parts come out {small} too {way}", small=off.small, way=off.which(marked("large"), marked("small")))


def _bevel(off: Off) -> str:
    return tr("the edge is square") if off.none() else tr("the edge is {small} off square", small=off.small)


def _hole_bias(off: Off) -> str:
    if off.none():
        return tr("round holes come out right")
    way = off.which(marked("large"), marked("small"))
    return tr("round holes come out {small} too {way}", small=off.small, way=way)


def _focus(off: Off) -> str:
    if off.none():
        return tr("the lens is where the cut is narrowest")
    return tr("the lens is {small} too {way}", small=off.small, way=off.which(marked("high"), marked("low")))


def _power(off: Off) -> str:
    return tr(
        "power is {e:.2g} % {way} the middle of what cuts clean",
        e=abs(off.e),
        way=off.which(marked("above"), marked("below")),
    )


def _cut_feed(off: Off) -> str:
    if off.none(0):
        return tr("the feed is the fastest that is clean with a margin")
    return tr(
        "the feed is {feed} {way} what is clean with a margin",
        feed=off.show.feed(abs(off.e)),
        way=off.which(marked("above"), marked("below")),
    )


def _media_feed(off: Off) -> str:
    if off.none(3):
        return tr("bands just meet")
    if off.e > 0:
        return tr("bands leave a gap: {e:.2g} % too much feed", e=off.e)
    return tr("bands overlap: {e:.2g} % too little feed", e=-off.e)


def _drag(off: Off) -> str:
    if off.none(3):
        return tr("corners close")
    if off.e > 0:
        return tr("corners overrun: the blade trails {small} less", small=off.small)
    return tr("corners are cut short: the blade trails {small} more", small=off.small)


# Family of quantities → what its error means.
PHRASES: dict[str, Callable[[Off], str]] = {
    "drive": _drive,
    "steps": _scale,
    "print_scale": _scale,
    "backlash": _backlash,
    "squareness": _squareness,
    "home": _home,
    "tracking": _tracking,
    "tram": _tram,
    "bed": _bed,
    "speed": _speed,
    "focus": _focus,
    "power": _power,
    "cut_feed": _cut_feed,
    "kerf": _kerf,
    "bevel": _bevel,
    "hole_bias": _hole_bias,
    "pointer": _beside(marked("pointer")),
    "sensor": _beside(marked("sensor")),
    "camera": _beside(marked("camera")),
    "second_tool": _beside(marked("second tool")),
    "drag": _drag,
    "media_feed": _media_feed,
    "registration": _registration,
    "proof": _proof,
}


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
