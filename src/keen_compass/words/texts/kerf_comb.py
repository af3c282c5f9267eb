"""The kerf comb."""

from __future__ import annotations

from keen_compass.words.say import Text
from keen_compass.words.texts import About

ABOUT = About(
    needs=("what cuts, in the material and thickness that are wanted", "a caliper with inside jaws, or feeler gauges"),
    piece="strips between parallel cuts in a window, pushed together to one side",
    lookalikes=(
        "A burr or dross between the strips makes the free room small: scrape it off, turn no strip over.",
        "A strip that stands askew takes room: press them down flat before you read.",
    ),
)
TEXTS: dict[str, Text] = {
    "slack": "free room",
    "how": "Push the strips together; inside jaws into the free room",
    "too_much": "{slack:len} free in a window of {window:len0}: is a strip missing?",
    "by_itself": "The width of the cut itself: independent of scale and lost motion.",
    "with_play": "For outsides the compensation is the slot width plus the axes’ lost motion.",
}
