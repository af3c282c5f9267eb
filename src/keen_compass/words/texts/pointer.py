"""Pointer or sensor against the tool."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from keen_compass.words.say import Show, Text


def _moves(v: Mapping[str, Any], show: Show) -> str:
    """The sentence that proves the sign: ``The tool will land 4.20 mm −X, to the left, of where it did.``"""
    both = ((axis, v[axis]) for axis in "xy")
    moved = [
        f"{show.length(abs(mm), 2)} {show.way(('+' if mm > 0 else '-') + axis)}" for axis, mm in both if abs(mm) >= 0.005
    ]  # fmt: skip
    return f"The tool will land {' and '.join(moved)} of where it did: on the mark." if moved else "It stays as it is."


TEXTS: dict[str, Text] = {
    "beside": "Target {number}, {axis:up}: from the mark to where the tool landed",
    "one_mark": "One mark can’t tell the offset from how the sheet lies; targets over a sheet can.",
    "few_targets": "Three targets or more, not in a line, would tell turn and stretch from the offset.",
    "grows": lambda v, _: (
        f"It grows with the place, {v['turn']:.1f} mm per m of turn and {v['stretch'][0]:.1f}, "
        f"{v['stretch'][1]:.1f} mm per m of stretch: that is how the sheet lies or was printed, not the offset."
    ),
    "moves": _moves,
}
