"""The focus row."""

from __future__ import annotations

from keen_compass.language import tr
from keen_compass.words.say import Text
from keen_compass.words.texts import About

ABOUT = About(
    needs=("a scrap of what is to be cut, lying flat", "your eye, or a loupe with a scale"),
    piece="lines, each burnt with the lens a little higher than the one before, numbered",
    lookalikes=(
        "A dirty lens burns wide at any height: clean it first.",
        "A sheet that isn’t flat is nearer in one place than in another.",
    ),
)
TEXTS: dict[str, Text] = {
    "read": "Find it by",
    "pick_one": "the narrowest, by eye",
    "widths": "widths",
    "step": "Steps of",
    "count": "How many",
    "row": lambda _, show: tr("Lens height ({units}) above each", units=show.units),
    "line": "line {number}",
    "pick": "which is narrowest",
    "how_width": "Under a loupe, where it is even",
    "how_pick": "Its number; 2.5 is between the second and the third",
    "too_few": "Read more lines: at least three, on both sides of the narrowest.",
    "flat": "All are about equally wide: burn lines with larger steps.",
    "widths_tell": "By eye this is the limit: read the widths, or burn lines in smaller steps around it.",
    "beyond": "The first or the last is narrowest: the focus may lie beyond. Burn another row around it.",
}
