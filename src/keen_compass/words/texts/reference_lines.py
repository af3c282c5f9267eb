"""Lines on the bed."""

from __future__ import annotations

from keen_compass.words.say import Text
from keen_compass.words.texts import About

ABOUT = About(
    needs=("steps per unit in tolerance", "a pen, scriber or engraving bit", "a rule as long as the bed"),
    piece="lines with figures along both edges of the bed",
    lookalikes=(
        "Mark the bed only after steps, backlash and squareness are in: the lines keep whatever is wrong now.",
        "Wood and plastic beds grow and shrink: a line on them is a quick check, not a standard.",
    ),
)
TEXTS: dict[str, Text] = {
    "spacing": "A line every",
    "lines": "{axis:up} lines",
    "how": "From the first line to the last, the same side of each",
}
