"""A blade that trails."""

from __future__ import annotations

from keen_compass.words.say import Text
from keen_compass.words.texts import About

ABOUT = About(
    needs=(
        "a sharp blade, set no deeper than the film is thick",
        "the blade’s own offset set to 0 at the plotter: the row brings its own",
    ),
    piece="squares, each cut for a blade that trails a little more than the one before, numbered",
    lookalikes=(
        "A blunt blade, or one that doesn’t swivel freely, tears at every corner of the row.",
        "Too little force leaves corners that hang: cut through the film first.",
        "A square that doesn’t close where it began wants more overcut, not another offset.",
    ),
)
TEXTS: dict[str, Text] = {
    "step": "Steps of",
    "count": "How many",
    "overcut": "Past its start by",
    "row": lambda _, show: f"Blade offset ({show.units}): too small cuts corners short, too large overruns",
    "pick": "which corners close",
    "how": "Click it, or type its number; 2.5 is between the second and the third",
    "set_to_nothing": lambda v, show: (
        f"First set {v['machine']}’s blade offset to 0. Afterwards set it back to {show.length(v['held'], 3)}."
        if v["held"]
        else f"{v['machine']}’s blade offset must be 0 while this is cut: the row has its own offsets."
    ),
    "beyond": lambda v, _: (
        f"The {'first' if v['first'] else 'last'} fits best, so a {'smaller' if v['first'] else 'larger'} offset may fit "
        "better: cut a row that goes beyond it."
    ),
}
