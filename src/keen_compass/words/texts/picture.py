"""What is said of sheets and pieces that were read from a picture."""

from __future__ import annotations

from keen_compass.words.say import Text

TEXTS: dict[str, Text] = {
    "not_flat": "The sheet does not lie flat: a mark is {mm:len} from where a flat sheet has it. Press it flat and take "
    "the picture again, or read those targets under a loupe.",
    "distances": "Distances across the sheet can’t be read from the picture: printer and paper stretch them. Measure "
    "both check bars, or measure the distances by hand.",
    "upper": "The side on the glass was read: the upper one.",
    "lower": "The side on the glass was read: the lower one, as the piece is seen from below.",
    "either_way": "The piece looks the same turned or from behind: it is taken as laid with its upper side on the glass, "
    "turned the least.",
    "in_order": "The parts are taken as lying in their order: row by row, each from the left.",
    "nominal_scale": "The scale is what the picture says, {dpi:.0f} dpi: ± 0.5 %. Scan a piece that was measured with a "
    "caliper to make the scanner an instrument.",
}
