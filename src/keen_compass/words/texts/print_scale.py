"""Cut against print."""

from __future__ import annotations

from keen_compass.language import tr, written
from keen_compass.words.say import Show, Text, Values
from keen_compass.words.texts import About
from keen_compass.words.texts.shifts import shifted

ABOUT = About(
    needs=(
        "a printer, and the mat or film that carries the print",
        "a pen or the knife",
        "a caliper or a long rule",
        "a loupe",
    ),
    piece="ticks cut far apart over a printed sheet, and a cross on each printed one",
    lookalikes=(
        "A sheet printed to fit the page: its check bars show it.",
        "Another mat, or a worn one: each has its own number.",
        "A sheet that creeps on its mat: press it down, lift the rollers and let them grip again.",
    ),
)


def _beside(v: Values, show: Show) -> str:
    """Where the worst of the crosses lies."""
    return tr("At cross {number} the cut lies {shifted} of the print.", number=v["number"], shifted=shifted(v, show))


TEXTS: dict[str, Text] = {
    "x": "Ticks along X",
    "y": "Ticks along Y",
    "bar_x": "Printed bar along X",
    "bar_y": "Printed bar along Y",
    "how": "From the middle of one cut to the middle of the other",
    "cross": "Cross {number}, {axis:up}",
    "how_cross": "Drag the cut, press the arrows, or type it",
    "no_bar": "{axis:up}: measure the page’s own check bar too; without it the printer’s scale is unknown.",
    "printers_own": "{axis:up}: the page itself is {percent:+.2f} % off. That is the printer’s error and isn’t corrected here.",
    "printer_x": "Printer along X",
    "printer_y": "Printer along Y",
    "percent": lambda v, _: written(f"{round(v['percent'], 2) + 0.0:+.2f} %").replace("-", "−"),
    "cut_beside": "Cut beside the print",
    "at_most": "at most {mm:len}",
    "runs_on": "The cut is on the print, nowhere more than {largest:len} beside it.",
    "runs_beside": _beside,
    "by_shift": "The same all over the page: check how the marks were aimed at, or the pointer’s offset.",
    "by_turn": "It turns about the middle: check how the marks were aimed at, or whether the sheet moved since.",
    "by_stretch": (
        "It grows with the place: cutter and printer make different lengths. What is the printer’s, a registration "
        "with three marks or more takes up."
    ),
    "otherwise": (
        "{axis:up}: the crosses give {crosses:+slope1}, ticks and bars {expected:+slope1}. Something moved, or one of them "
        "was misread."
    ),
}
