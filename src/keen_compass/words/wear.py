"""How far what cuts is worn, in words."""

from __future__ import annotations

import math

from keen_compass.shop.consumables import Consumables
from keen_compass.words.say import PLAIN, Show

ONE_OF = {"pierces": "pierce", "metres": "metre", "minutes": "minute"}
PER = 1000.0  # uses, over which a drift is told


def uses(count: float, counted: str) -> str:
    """``1,240 pierces``, ``12.4 metres``: as many digits as mean something."""
    shown = f"{round(count):,}" if counted == "pierces" or count >= 100 else f"{count:.1f}"
    return f"{shown} {ONE_OF[counted] if shown == '1' else counted}"


def age_in_words(c: Consumables, day: str) -> str:
    """``640 pierces since 12 Sep``. day: when they were put in, as it is written; empty where not stated."""
    return f"{uses(c.age, c.counted)} since {day}" if day else f"{uses(c.age, c.counted)} so far"


def drift_in_words(c: Consumables, show: Show = PLAIN) -> str:
    """How fast the kerf grows with use, and when that is too much."""
    if c.wear is None:
        return "Drift of the kerf shows once it was measured at two ages of the same set."
    d = c.wear.per_use
    noun = "metres" if c.counted == "metres" else c.counted
    grows = f"{'+' if d.value >= 0 else '−'}{show.number(abs(d.value) * PER)}"
    said = f"{grows} ± {show.length(d.U * PER)} in {PER:,.0f} {noun}"
    if not c.wear.clear:
        return f"Kerf {said}: not significant."
    if c.line is None:
        return f"Kerf {said}."
    if c.worn:
        return f"Kerf {said}. Change them: at {_line(c)} it was out by {show.length(c.tolerance)}."
    return f"Kerf {said}. Change them at {_line(c)}: then it is out by {show.length(c.tolerance)}."


def _line(c: Consumables) -> str:
    """``1,150 pierces (980 to 1,400)``."""
    assert c.line is not None
    low, high = max(c.line.low, 0.0), c.line.high
    until = uses(high, c.counted).rpartition(" ")[0] if math.isfinite(high) else "no known end"
    return f"{uses(max(c.line.age, 0.0), c.counted)} ({uses(low, c.counted).rpartition(' ')[0]} to {until})"


def worn_asks(c: Consumables) -> str:
    """What Make says first."""
    return (
        f"Worn: {uses(c.age, c.counted)}, and at {uses(max(c.line.age if c.line else 0.0, 0.0), c.counted)} the kerf "
        f"has drifted by its tolerance. Change them, then calibrate."
    )
