"""What is said of sheets and pieces that were read from a picture."""

from __future__ import annotations

from keen_compass.words.say import Text

TEXTS: dict[str, Text] = {
    "not_flat": "The sheet does not lie flat: a mark is {mm:len} from where a flat sheet has it. Press it flat and take "
    "the picture again, or read those targets under a loupe.",
    "distances": "Distances across the sheet are not read from a picture: printer and paper stretch them. "
    "Measure them by hand.",
}
