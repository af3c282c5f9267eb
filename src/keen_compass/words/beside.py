"""Where something lies beside its mark, as it is seen."""

from __future__ import annotations

from keen_compass.language import tr, written
from keen_compass.pieces.page import DIVISIONS
from keen_compass.quantities.lengths import length_in_words
from keen_compass.quantities.standpoint import Standpoint

NOTHING = 0.005  # mm
SAME_AGAIN = 0.5  # of a division off its mark, from which on another pair lines up as well


def beside_in_words(x: float, y: float, seen: Standpoint, units: str = "mm") -> str:
    """``0.52 mm to the left, 0.30 mm towards you``, of mm along the machine's axes, level direction first."""
    parts = {}
    for axis, mm in (("x", x), ("y", y)):
        if abs(mm) >= NOTHING:
            parts[not seen.level(axis)] = f"{written(length_in_words(abs(mm), units, 2))} {seen.words(axis, mm)}"
    return ", ".join(parts[k] for k in sorted(parts)) or tr("on the mark")


def matching_pair(off: float) -> tuple[int, int]:
    """(drawn tick, printed tick) that line up, counted from the middle, with a cross so many divisions off."""
    whole = round(off)
    drawn = round((off - whole) * DIVISIONS)
    return drawn, drawn + whole


def pairs_in_words(x: float, y: float, seen: Standpoint) -> str:
    """``tick 6 to the right, dot 4 towards you``, of divisions; that it could be others, where the cross lies too far
    off to tell.
    """
    parts = {}
    for axis, off, what in (("x", x, tr("tick")), ("y", y, tr("dot"))):
        _, printed = matching_pair(off)
        way = f"{abs(printed)} {seen.words(axis, printed)}" if printed else "0"
        parts[not seen.level(axis)] = f"{what} {way}"
    said = ", ".join(parts[k] for k in sorted(parts))
    return tr("{said}; look at the cross, too", said=said) if max(abs(x), abs(y)) > SAME_AGAIN else said
