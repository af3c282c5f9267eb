"""The bed and the head over it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from keen_compass.words.say import PLAIN, Show, Text
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


def _over(v: Mapping[str, Any], show: Show) -> str:
    return f"over {show.length(v['mount'], 0)} between the head’s screws"


def _raised(v: Mapping[str, Any], show: Show) -> str:
    return ", ".join(f"{show.corner(corner)} +{show.length(lift)}" for corner, lift in v["raised"])


TEXTS: dict[str, Text] = {
    "read": "column {column}, row {row}: read the height",
    "program": "bed, {columns} x {rows} heights",
    "swing": lambda v, _: f"arm towards {v['side'][0]}{v['side'][1].upper()}: read the dial",
    "tram_program": "head tram, arm {radius:g} mm",
    "run": "Read",
    "grid": "Points",
    "heights": "heights of the bed",
    "tram": "head tram",
    "heading": "Bed",
    "heading_tram": "Head tram",
    "side": lambda v, _: f"{PLAIN.way(v['side'])} side",
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
    "shim": lambda v, show: f"Shim the bed: {_raised(v, show)}; {show.length(v['left'])} is left.",
    "shims_leave": lambda v, show: f"Shims alone leave {show.length(v['left'])} ({_raised(v, show)}).",
    "skim_now": "off the bed, all over",
    "or_skim_now": "off the bed, all over, or shims under it",
    "shim_under_now": lambda v, _: f"a shim under the {PLAIN.way(v['side'])} side of the flange",
    "shim_above_now": lambda v, _: f"a shim above the {PLAIN.way(v['side'])} side of the flange",
    "shim_behind_now": "a shim behind the {end} screws",
    "turn_head_now": "turn the head: its top towards {side:way}",
    "level": "Level; {left:len} is off the plane.",
    "shim_under": lambda v, show: (
        f"A shim of {show.length(v['thick'], 3)} under the {PLAIN.way(v['side'])} side of the flange, {_over(v, show)}."
    ),
    "shim_above": lambda v, show: (
        f"A shim of {show.length(v['thick'], 3)} above the {PLAIN.way(v['side'])} side of the flange, {_over(v, show)}."
    ),
    "say_how_held": lambda v, show: (
        f"Its top leans towards {show.way(v['side'])} by {show.length(v['thick'], 3)} "
        f"{_over(v, show)}. Enter in the machine’s form how the head is held; then this page says "
        "where the shim goes."
    ),
    "turn_head": lambda v, show: (
        f"Turn the head on its plate: the top goes {show.length(v['thick'], 3)} towards "
        f"{show.way(v['side'])}, {_over(v, show)}."
    ),
    "shim_behind": lambda v, show: (
        f"A shim of {show.length(v['thick'], 3)} behind the {v['end']} screws, {_over(v, show)}."
    ),
}
