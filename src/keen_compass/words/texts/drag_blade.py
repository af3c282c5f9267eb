"""A blade that trails."""

from __future__ import annotations

from keen_compass.language import tr
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
    "row": lambda _, show: tr("Offset ({units}): too small cuts short, too large overruns", units=show.units),
    "pick": "which corners close",
    "how": "Click it, or type its number; 2.5 is between the second and the third",
    "set_to_nothing": lambda v, show: (
        tr(
            "First set {machine}’s blade offset to 0. Afterwards set it back to {length}.",
            machine=v["machine"],
            length=show.length(v["held"], 3),
        )
        if v["held"]
        else tr(
            "{machine}’s blade offset must be 0 while this is cut: the row has its own offsets.", machine=v["machine"]
        )
    ),
    "beyond": lambda v, _: tr(
        "The {which} fits best, so a {value2} offset may fit better: cut a row that goes beyond it.",
        which=tr("first") if v["first"] else tr("last"),
        value2=tr("smaller") if v["first"] else tr("larger"),
    ),
}
