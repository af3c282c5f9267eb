"""By how much something moves, and where to, as it is seen: what proves the sign of an offset."""

from __future__ import annotations

from keen_compass.words.say import Show, Values

NOTHING = 0.005  # mm


def shifted(v: Values, show: Show) -> str:
    """``0.15 mm to the left (−X), 0.20 mm towards you (+Y)``, of mm along the machine's axes; empty for nothing."""
    moved = []
    for axis in "xy":
        if abs(mm := v[axis]) >= NOTHING:
            way, _, seen = show.way(("+" if mm > 0 else "-") + axis).partition(", ")
            moved.append(f"{show.length(abs(mm), 2)} {f'{seen} ({way})' if seen else way}")
    return ", ".join(moved)
