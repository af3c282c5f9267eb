"""A camera beside the tool."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from keen_compass.words.say import Show, Text
from keen_compass.words.texts.shifts import shifted


def _moves(v: Mapping[str, Any], show: Show) -> str:
    """The sentence that proves the sign."""
    where = shifted(v, show)
    return f"The camera really sits {where} of where the controller has it." if where else "It sits where it should."


TEXTS: dict[str, Text] = {
    "cross": "The cross",
    "in_a_line": "These moves lie in a line, which can’t tell the picture’s turn from its stretch: move across it as well.",
    "missed": "Picture {number} doesn’t fit the others by {px:.1f} px: was the right cross found there, did the sheet move?",
    "untested": "Three moves just give it: {px:g} px are assumed for how well a cross is found; a fourth would test it.",
    "mirrored": "The picture is mirrored: it is seen over a mirror, or from below. That is taken into account.",
    "moves": _moves,
}
