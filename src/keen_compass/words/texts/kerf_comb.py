"""The kerf comb."""

from __future__ import annotations

from keen_compass.words.say import Text
from keen_compass.words.texts import About

ABOUT = About(
    needs=("what cuts, in the material and thickness that are wanted", "a caliper with inside jaws, or feeler gauges"),
    piece="strips between parallel cuts in a window, pushed together to one side",
    lookalikes=(
        "A burr or dross between the strips makes the free width small: scrape it off, and don’t turn strips over.",
        "A strip that lies askew takes up width: press all strips flat before you measure.",
    ),
)
TEXTS: dict[str, Text] = {
    "slack": "free width",
    "how": "Push the strips together; measure the free width with inside jaws",
    "too_much": "{slack:len} free in a window of {window:len0}: is a strip missing?",
    "by_itself": "The width of the cut itself: independent of scale and lost motion.",
    "with_play": "For outsides the compensation is the slot width plus the axes’ lost motion.",
}
