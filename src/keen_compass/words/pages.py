"""What stands on a printed sheet."""

from __future__ import annotations

from keen_compass.pieces.page import Page

HEADS = {"registration": "Registration", "pointer": "Targets"}


def page_words(page: Page) -> tuple[str, ...]:
    """Line by line, the first large."""
    bars = "Measure both bars first: other than as written, the printer fits to page."
    where = "Mark 1, in the square, goes to the machine’s low X, low Y."
    order = "Visit the marks 1, 2, 3, 4." if page.marks else ""
    reads = "Each target: how far the tool’s cross lies from the printed one." if page.targets else ""
    return (HEADS[page.kind], where, *filter(None, (order, reads)), bars, "Print at actual size.")
