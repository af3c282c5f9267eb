"""How far what cuts is worn, in words."""

from __future__ import annotations

import math

from keen_compass.language import marked, tr, written
from keen_compass.shop.consumables import Consumables
from keen_compass.words.say import PLAIN, Show

COUNTED = {
    "pierces": (marked("pierce"), marked("pierces")),
    "metres": (marked("metre"), marked("metres")),
    "minutes": (marked("minute"), marked("minutes")),
}  # of one, of several
PER = 1000.0  # uses, over which a drift is told


def uses(count: float, counted: str) -> str:
    """``1,240 pierces``, ``12.4 metres``: as many digits as mean something."""
    shown = f"{round(count):,}" if counted == "pierces" or count >= 100 else f"{count:.1f}"
    return f"{written(shown)} {tr(COUNTED[counted][shown != '1'])}"


def counted_in_words(counted: str) -> str:
    """What is counted: ``pierces``."""
    return tr(COUNTED[counted][1])


def age_in_words(c: Consumables, day: str) -> str:
    """``640 pierces since 12 Sep``. day: when they were put in, as it is written; empty where not stated."""
    return (
        tr("{uses} since {day}", uses=uses(c.age, c.counted), day=day)
        if day
        else tr("{uses} so far", uses=uses(c.age, c.counted))
    )


def drift_in_words(c: Consumables, show: Show = PLAIN) -> str:
    """How fast the kerf grows with use, and when that is too much."""
    if c.wear is None:
        return tr("Drift of the kerf shows once it was measured at two ages of the same set.")
    d = c.wear.per_use
    noun = counted_in_words(c.counted)
    grows = f"{'+' if d.value >= 0 else '−'}{show.number(abs(d.value) * PER)}"
    said = tr("{grows} ± {U} in {per:,.0f} {noun}", grows=grows, U=show.length(d.U * PER), per=PER, noun=noun)
    if not c.wear.clear:
        return tr("Kerf {said}: not significant.", said=said)
    if c.line is None:
        return tr("Kerf {said}.", said=said)
    if c.worn:
        return tr(
            "Kerf {said}. Change them: at {line} it was out by {length}.",
            said=said,
            line=_line(c),
            length=show.length(c.tolerance),
        )
    return tr(
        "Kerf {said}. Change them at {line}: then it is out by {length}.",
        said=said,
        line=_line(c),
        length=show.length(c.tolerance),
    )


def _line(c: Consumables) -> str:
    """``1,150 pierces (980 to 1,400)``."""
    assert c.line is not None
    low, high = max(c.line.low, 0.0), c.line.high
    until = uses(high, c.counted).rpartition(" ")[0] if math.isfinite(high) else tr("no known end")
    return tr(
        "{uses} ({low} to {until})",
        uses=uses(max(c.line.age, 0.0), c.counted),
        low=uses(low, c.counted).rpartition(" ")[0],
        until=until,
    )


def worn_asks(c: Consumables) -> str:
    """What Make says first."""
    return tr(
        "Worn: {uses}, and at {uses2} the kerf has drifted by its tolerance. Change them, then calibrate.",
        uses=uses(c.age, c.counted),
        uses2=uses(max(c.line.age if c.line else 0.0, 0.0), c.counted),
    )
