"""A second tool against the first."""

from __future__ import annotations

from keen_compass.language import tr
from keen_compass.words.say import Show, Text, Values
from keen_compass.words.texts import About
from keen_compass.words.texts.shifts import shifted

ABOUT = About(
    needs=(
        "a scrap that lies flat; for a loupe, white under dark lines",
        "both tools in their places; what presses or draws has its zero on top of the material, a blade goes through",
    ),
    piece="a cross by the first tool and a pair of lines astride each arm by the second; or two scales",
    lookalikes=(
        "An accessory that isn’t pushed home sits elsewhere each time: take it out, fit it, mark again.",
        "A blade drags soft film along: tape the scrap down.",
        "A scrap that moved between the two tools shifts the result.",
    ),
)


def _moves(v: Values, show: Show) -> str:
    """The sentence that proves the sign."""
    where = shifted(v, show)
    return tr("The second tool will land {where} of where it did.", where=where) if where else tr("It stays as it is.")


TEXTS: dict[str, Text] = {
    "way": "Read by",
    "by_gaps": "gaps beside a cut",
    "by_vernier": "two scales",
    "both_in": lambda v, _: tr(
        "{first} marks first, then {second} draws beside it: one file.",
        first=v["first"],
        second=v["second"] or tr("the second tool"),
    ),
    "high": "gap on the +{axis:up} side",
    "low": "gap on the −{axis:up} side",
    "how_high": "From the middle of the cut to the middle of the line",
    "how_low": "From the middle of the cut to the middle of the line",
    "coarse": "{axis:up} on the plain rule",
    "how_coarse": "Where the long blue tick stands on the other scale, tenths by eye",
    "line": "{axis:up}: pair that lines up",
    "how_line": "Number of the blue tick that lines up with another; .5 between two",
    "moves": _moves,
    "disagree": lambda v, show: (
        tr(
            "{upper}: the rule gives {length}, pair {line:g} another place. ",
            upper=v["axis"].upper(),
            length=show.length(v["rule"], 2),
            line=v["line"],
        ).replace("-", "−")
        + tr("They contradict each other: read both again.")
    ),
    "spacing": "{axis:up}: both gaps make {both:len2}, and {ordered:len2} were drawn: were both read to the same edges?",
}
