"""The words on a printed sheet."""

from __future__ import annotations

from keen_compass.pieces.page import Page
from keen_compass.words.say import PLAIN, Show

HEADS = {"registration": "Registration", "pointer": "Targets", "print-scale": "Cut over print", "proof": "Proof"}
LOWEST = "low X, low Y"


def vernier_ends(show: Show) -> dict[str, str]:
    """What is at the ends of a sheet's verniers: ``+X to the right``."""
    return {end: show.way(end).replace(", ", " ") for end in ("+x", "-x", "+y", "-y")}


def page_words(page: Page, show: Show = PLAIN) -> tuple[str, ...]:
    """Line by line, the first large. show: from where its corners are near or far."""
    corner = show.corner(LOWEST)
    where = f"Mark 1 (in the square) goes {corner}" + (f": the machine’s {LOWEST}." if corner != LOWEST else ".")
    order = "Aim at marks 1 to 4 in order." if page.marks else ""
    reads = "Each target: how far the tool’s cross lies from the printed one." if page.targets else ""
    reads = (
        "Each target: which of the tool’s ticks lines up with a printed tick (X) or a dot (Y)." if page.fine else reads
    )
    if page.art:
        reads = "Cut where it was printed; measure the border that is left."
    bars = "Measure both bars first. If not as printed, the printer scaled the page."
    return (page.name or HEADS[page.kind], where, *filter(None, (order, reads)), bars, "Print at actual size.")
