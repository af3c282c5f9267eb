"""The kerf plate."""

from __future__ import annotations

from keen_compass.language import tr, written
from keen_compass.quantities.catalogue import unknown_label
from keen_compass.words.say import Text, capital, say
from keen_compass.words.texts import About

ABOUT = About(
    needs=(
        "axes in tolerance, or short lengths on the plate",
        "what cuts, in the material and thickness that are wanted",
        "a caliper",
    ),
    piece="plate with an outside, and where wanted a round hole and a straight slot",
    lookalikes=(
        "Worn consumables widen the cut and slant it: change them first, then measure.",
        "Scale that was never proven looks like kerf: prove it first, or read the slot too.",
        "Dross or a burr under the jaws makes an outside long and an inside short: scrape it off.",
    ),
)
MAYBE = {
    "scale": "a wrong scale",
    "hole_bias": "holes that run small",
    "bevel": "a slanted edge",
    "worn": "worn consumables",
    "corners": "corners that slow down",
    "play": "lost motion of the axes",
}
TEXTS: dict[str, Text] = {
    "width": "width",
    "height": "height",
    "short_width": "short width",
    "short_height": "short height",
    "hole_0": "hole X",
    "hole_90": "hole Y",
    "slot": "slot",
    "width_bottom": "width below",
    "below": "{what:say} below",
    "how_below": "At the lower edge: the piece lies turned over",
    "how_outside": "At the upper edge, with the tips of the jaws",
    "how_inside": "Inside jaws at the upper edge, where it is narrowest",
    "govern": "What must fit",
    "outside": "outsides",
    "inside": "holes and slots",
    "balanced": "both, half way",
    "outline": "Outside",
    "plain": "plain",
    "stepped": "long and short",
    "tabs": "Held by",
    "with_tabs": "tabs",
    "without": "nothing",
    "inner": "With",
    "with_hole_slot": "hole and slot",
    "with_slot": "a slot",
    "with_hole": "a hole",
    "with_neither": "neither",
    "itself": "Cut, by itself",
    "for_outsides": "Right for outsides",
    "for_slots": "Right for slots",
    "for_holes": "Right for holes",
    "length": "{mm:len3}",
    "edge_outside": "Outside edge",
    "edge_inside": "Inside edge",
    "edge": lambda v, show: (
        written(f"{v['angle_deg']:+.1f}°").replace("-", "−") + f", {show.length(v['perpendicularity'])}"
    ),
    "cannot_tell_apart": "These readings can’t give the kerf: read an outside or the slot too.",
    "assumed": lambda v, show: (
        tr("{unknown} taken as 0 ± ", unknown=capital(unknown_label(v["unknown"])))
        + (show.slope(1000 * v["U"]) if v["unknown"].endswith("_scale") else show.length(v["U"]))
        + tr(", assumed: ")
        + (
            tr("prove it first.")
            if v["unknown"].endswith("_scale")
            else tr("read the slot too.")
            if v["unknown"] == "hole_bias"
            else tr("measure the backlash first.")
        )
    ),
    "disagree": lambda v, show: (
        tr(
            "Outsides and insides disagree by {length}: it may be {maybe}.",
            length=show.length(v["apart"]),
            maybe=", ".join(tr(MAYBE[m]) for m in v["maybe"]),
        )
        + (tr(" The {tells} would tell.", tells=say(v["tells"], show)) if v["tells"] else "")
    ),
    "inches": "The kerf comes out as {kerf:.4g} where {compensation:len3} was compensated: were the readings taken in inches?",
    "mm_for_inches": "The kerf comes out as {kerf:len} where {compensation:len3} was compensated: were millimetres taken for inches?",
    "odd": "This means a cut {kerf:len} wide, where {compensation:len} were compensated: was a size misread?",
}
