"""A cut edge."""

from __future__ import annotations

from keen_compass.language import tr
from keen_compass.words.say import Text
from keen_compass.words.texts import About

ABOUT = About(
    needs=("a part that was cut as usual", "its thickness", "a caliper"),
    piece="a small plate, read above and below",
    lookalikes=(
        "Dross under the jaws makes the lower edge long: scrape it off.",
        "A torch that leans slants opposite edges in opposite directions: read both sizes.",
    ),
)
TEXTS: dict[str, Text] = {
    "side": "Edge",
    "outside": "of an outside",
    "inside": "of a hole",
    "top": "above",
    "bottom": "below",
    "how_outside": "At the upper edge, with the tips of the jaws",
    "how_inside": "Inside jaws at the upper edge",
    "too_much": "{apart:len} from edge to edge over {thickness:len} of thickness: was the same size read on both sides?",
    "graded": lambda v, _: (
        tr("Range {range} of ISO 9013.", range=v["range"])
        if v["range"] < 6
        else tr("Beyond the last range of ISO 9013.")
    ),
    "leans": "Edge leans by",
    "degrees": "{angle:+.1f}°",
}
