"""Cut against print."""

from __future__ import annotations

from keen_compass.words.say import Text

TEXTS: dict[str, Text] = {
    "x": "Distance of the ticks cut along X",
    "y": "Distance of the ticks cut along Y",
    "bar_x": "Printed bar along X",
    "bar_y": "Printed bar along Y",
    "no_bar": "{axis:up}: without the page’s own bar nobody knows what the printer made of a length.",
    "printers_own": "{axis:up}: the page itself is {percent:+.2f} % off, which is the printer’s and not corrected here.",
}
