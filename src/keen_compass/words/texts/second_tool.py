"""A second tool against the first."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from keen_compass.words.say import Show, Text
from keen_compass.words.texts.shifts import shifted


def _moves(v: Mapping[str, Any], show: Show) -> str:
    """The sentence that proves the sign."""
    where = shifted(v, show)
    return f"The second tool will land {where} of where it did." if where else "It stays as it is."


TEXTS: dict[str, Text] = {
    "high": "Gap on the +{axis:up} side of the cut",
    "low": "Gap on the −{axis:up} side of the cut",
    "coarse": "{axis:up} as the plain rule has it",
    "line": "{axis:up}, number of the pair that lines up",
    "moves": _moves,
    "disagree": "{axis:up}: the rule says {rule:+len2}, pair {line:g} another place: they contradict each other, look again.",
    "spacing": "{axis:up}: both gaps make {both:len2}, and {ordered:len2} were drawn: were they read to the same edges?",
}
