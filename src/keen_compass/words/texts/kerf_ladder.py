"""The kerf ladder."""

from __future__ import annotations

from keen_compass.language import tr, tr_n
from keen_compass.words.say import Text
from keen_compass.words.texts import About

ABOUT = About(
    needs=("what cuts, in the material and thickness that are wanted", "a caliper, or the part that must fit"),
    piece="one shape several times, each with a little more kerf compensation, numbered",
    lookalikes=(
        "Dross or a burr makes the fit tight: scrape it off first.",
        "A part that fits only when it is forced does not fit: try the next one.",
    ),
)
TEXTS: dict[str, Text] = {
    "row": lambda _, show: tr("Kerf compensation ({units}) above each; size and error below", units=show.units),
    "read": "Find it by",
    "sizes": "sizes",
    "pick_one": "the one that fits",
    "side": "Cut",
    "outside": "outsides",
    "inside": "slots",
    "count": "How many",
    "rungs": lambda v, _: tr_n("{n} piece", "{n} pieces", v["count"]),
    "rung": "number {number}",
    "pick": "which fits",
    "how_outside": "At the upper edge, with the tips of the jaws",
    "how_inside": "Inside jaws at the upper edge, where it is narrowest",
    "how_pick": "Its number; 2.5 is between the second and the third",
    "beyond": "The first or the last fits best: the right value may lie beyond. Cut another ladder around it.",
    "odd": "Number {number} is {off:len} off the others: was it mixed up, or misread?",
}
