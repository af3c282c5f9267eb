"""Pointer or sensor against the tool."""

from __future__ import annotations

from keen_compass.language import tr
from keen_compass.words.say import Show, Text, Values
from keen_compass.words.texts import About
from keen_compass.words.texts.shifts import shifted

ABOUT = About(
    needs=(
        "a pointer or mark sensor beside the tool",
        "a pen in place of the tool",
        "a printer, for the thorough way",
        "a loupe",
    ),
    piece="a small cross drawn beside each mark that was aimed at",
    lookalikes=(
        "A sheet that isn’t flat: lift the rollers, press it down, let them grip it again.",
        "A dot of light viewed at an angle: look along the beam, and mind its reflection.",
        "A pen that leans, or is loose in its holder, draws beside its position.",
    ),
)


def _moves(v: Values, show: Show) -> str:
    """The sentence that proves the sign."""
    where = shifted(v, show)
    return (
        tr("After correction the tool lands {where} of where it did: on the mark.", where=where)
        if where
        else tr("It stays as it is.")
    )


TEXTS: dict[str, Text] = {
    "aimed_with": "Aimed with",
    "pointer": "pointer",
    "sensor": "sensor",
    "tool": "the tool’s tip",
    "way": "How",
    "by_mark": "one mark: quick",
    "by_sheet": "a sheet of targets",
    "turn": "Over the sheet: turn",
    "stretch_x": "stretch along X",
    "stretch_y": "stretch along Y",
    "turned_per_metre": lambda v, show: show.arrow(v["mm"], 2) + show.slope(abs(v["mm"])),
    "per_metre": "{mm:+slope}",
    "read": "Read by",
    "rings": "rings and ticks",
    "vernier": "verniers",
    "trial": "Trial square",
    "trial_yes": "first",
    "trial_no": "none",
    "beside": "Target {number}, {axis:up}",
    "beside_mark": "{axis:up}",
    "how": "Drag the cross, press the arrows, or type it",
    "one_mark": "One mark can’t tell the offset from the sheet’s position; targets across a sheet can.",
    "few_targets": "Three or more targets, not in a line, would separate rotation and stretch from the offset.",
    "grows": (
        "It changes across the sheet ({turn:slope1} of rotation, {stretch[0]:slope1} and {stretch[1]:slope1} of stretch): "
        "that is how the sheet lies or was printed, not the offset."
    ),
    "moves": _moves,
}
