"""The bed and the head over it."""

from __future__ import annotations

from keen_compass.language import tr
from keen_compass.words.say import PLAIN, Show, Text, Values
from keen_compass.words.texts import About

ABOUT = About(
    needs=("a dial or depth gauge in the head", "a clean bed"),
    piece="no piece: the head stops over a grid of points, or a dial is swung round over one",
    lookalikes=(
        "Chips or a curled spoilboard under the foot of the gauge look like a hollow bed.",
        "A head that leans shows steps between passes, not a slope of the bed: tram it first.",
        "Z that loses steps while you walk drifts like a tilted bed: read the first point again at the end.",
    ),
)


def _over(v: Values, show: Show) -> str:
    return tr("over {length} between the head’s screws", length=show.length(v["mount"], 0))


def _raised(v: Values, show: Show) -> str:
    return ", ".join(f"{show.corner(corner)} +{show.length(lift)}" for corner, lift in v["raised"])


TEXTS: dict[str, Text] = {
    "read": "column {column}, row {row}: read the height",
    "program": "bed, {columns} x {rows} heights",
    "swing": lambda v, _: tr("arm towards {side}{upper}: read the dial", side=v["side"][0], upper=v["side"][1].upper()),
    "tram_program": "head tram, arm {radius:g} mm",
    "run": "Read",
    "grid": "Points",
    "heights": "heights of the bed",
    "tram": "head tram",
    "heading": "Bed",
    "heading_tram": "Head tram",
    "side": lambda v, _: tr("{way} side", way=PLAIN.way(v["side"])),
    "how_gap": "A larger reading is a smaller gap",
    "at": "column {column}, row {row}",
    "how_height": "Higher is +, lower is −",
    "tilt": "Tilt along {axis:up}",
    "per_metre": "{slope:+slope}",
    "left": "Left when levelled",
    "length": "{mm:len}",
    "points": "Points read",
    "of": "{read} of {of}",
    "few_heights": "{read} of {of} heights read; at least four are needed to show a plane and what is off it.",
    "both_sides": "Read both {axis:up} sides.",
    "leave": "Leave it.",
    "skim": "Skim by {skim:len}: {raw:len} measured plus {margin:len} to clean up.",
    "or_skim": "Or skim by {skim:len}: {raw:len} measured plus {margin:len} to clean up.",
    "shim": lambda v, show: tr(
        "Shim the bed: {raised}; {length} is left.", raised=_raised(v, show), length=show.length(v["left"])
    ),
    "shims_leave": lambda v, show: tr(
        "Shims alone leave {length} ({raised}).", length=show.length(v["left"]), raised=_raised(v, show)
    ),
    "skim_now": "off the bed, all over",
    "or_skim_now": "off the bed, all over, or shims under it",
    "shim_under_now": lambda v, _: tr("a shim under the {way} side of the flange", way=PLAIN.way(v["side"])),
    "shim_above_now": lambda v, _: tr("a shim above the {way} side of the flange", way=PLAIN.way(v["side"])),
    "shim_behind_now": "a shim behind the {end} screws",
    "turn_head_now": "turn the head: its top towards {side:way}",
    "level": "Level; {left:len} is off the plane.",
    "shim_under": lambda v, show: tr(
        "A shim of {length} under the {way} side of the flange, {over}.",
        length=show.length(v["thick"], 3),
        way=PLAIN.way(v["side"]),
        over=_over(v, show),
    ),
    "shim_above": lambda v, show: tr(
        "A shim of {length} above the {way} side of the flange, {over}.",
        length=show.length(v["thick"], 3),
        way=PLAIN.way(v["side"]),
        over=_over(v, show),
    ),
    "say_how_held": lambda v, show: tr(
        "Its top leans towards {way} by {length} {over}. Enter in the machine’s form how the "
        "head is held; then this page says where the shim goes.",
        way=show.way(v["side"]),
        length=show.length(v["thick"], 3),
        over=_over(v, show),
    ),
    "turn_head": lambda v, show: tr(
        "Turn the head on its plate: the top goes {length} towards {way}, {over}.",
        length=show.length(v["thick"], 3),
        way=show.way(v["side"]),
        over=_over(v, show),
    ),
    "shim_behind": lambda v, show: tr(
        "A shim of {length} behind the {end} screws, {over}.",
        length=show.length(v["thick"], 3),
        end=v["end"],
        over=_over(v, show),
    ),
}
