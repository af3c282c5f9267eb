"""One dial, out and back."""

from __future__ import annotations

from keen_compass.words.say import Text
from keen_compass.words.texts import About

ABOUT = About(
    needs=("steps per unit set first", "a dial against the moving part, along the axis"),
    piece="no piece: the axis leaves a zeroed dial and comes back to it",
    lookalikes=(
        "Set steps per unit first: a wrong scale is not lost motion.",
        "With compensation switched off the whole lost motion shows; with it on, only what is left of it.",
        "A dial on a loose stand, or not square to its face, gives way like a loose axis.",
        "A heavy axis that overruns when it reverses needs its slack taken up slowly.",
    ),
)
TEXTS: dict[str, Text] = {
    "zero": "{count}: zero the dial",
    "read": "{count}: read the dial",
    "program": "backlash, {axis:up}, {travel:g} mm out and back",
    "take_up": "Slack taken up",
    "usual": "at the usual feed",
    "slow": "slowly, heavy axis",
    "short_by": "{axis:up} short by",
    "how": "How far the needle stays short of zero; past zero is −",
    "too_much": "{read:len} of {moved:len} moved: does the dial touch the right part?",
    "switch_on": "Measured with compensation switched off: switch it on with the new number.",
}
