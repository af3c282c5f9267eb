"""The words on a printed sheet."""

from __future__ import annotations

from keen_compass.language import marked, tr
from keen_compass.pieces.page import Page
from keen_compass.words.say import PLAIN, Show

HEADS = {
    "registration": marked("Registration"),
    "pointer": marked("Targets"),
    "print-scale": marked("Cut over print"),
    "proof": marked("Proof"),
}
LOWEST = marked("low X, low Y")


def vernier_ends(show: Show) -> dict[str, str]:
    """What is at the ends of a sheet's verniers: ``+X to the right``."""
    return {end: show.way(end).replace(", ", " ") for end in ("+x", "-x", "+y", "-y")}


def page_words(page: Page, show: Show = PLAIN) -> tuple[str, ...]:
    """Line by line, the first large. show: from where its corners are near or far."""
    corner = show.corner(LOWEST)
    where = tr("Mark 1 (in the square) goes {corner}", corner=corner) + (
        tr(": the machine’s {lowest}.", lowest=tr(LOWEST)) if corner != LOWEST else "."
    )
    order = tr("Aim at marks 1 to 4 in order.") if page.marks else ""
    reads = tr("Each target: how far the tool’s cross lies from the printed one.") if page.targets else ""
    reads = (
        tr("Each target: which of the tool’s ticks lines up with a printed tick (X) or a dot (Y).")
        if page.fine
        else reads
    )
    if page.art:
        reads = tr("Cut where it was printed; measure the border that is left.")
    bars = tr("Measure both bars first. If not as printed, the printer scaled the page.")
    return (page.name or tr(HEADS[page.kind]), where, *filter(None, (order, reads)), bars, tr("Print at actual size."))
