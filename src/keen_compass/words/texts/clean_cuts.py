"""Power against feed."""

from __future__ import annotations

from keen_compass.language import tr_n
from keen_compass.words.say import Text
from keen_compass.words.texts import About

ABOUT = About(
    needs=("a scrap of what is to be cut, in its thickness", "focus and gas as they are meant to be"),
    piece="squares, each with its own power and feed, rows and columns numbered",
    lookalikes=(
        "Out of focus nothing cuts clean: find the focus first.",
        "Old gas, a worn nozzle or a dirty lens look like too little power.",
    ),
)
TEXTS: dict[str, Text] = {
    "steps": "Steps",
    "wide": "wide, to find it",
    "fine": "fine, to place it",
    "cell": "{power:g} % at {feed:feed}",
    "how": "1 where it fell out with clean edges, 0 where not; a click or Space marks it too",
    "none": "No square came out clean. Check focus, gas and lens, then try more power or a lower feed.",
    "some_left": "None judged clean so far: judge the others too.",
    "counts_as_not": lambda v, _: tr_n(
        "{n} square wasn’t judged and counts as not clean.",
        "{n} squares weren’t judged and count as not clean.",
        v["count"],
    ),
    "finer": "Near the edge of the clean range: finer steps would settle it.",
    "faster": "Clean at the highest feed tried: another grid may find a faster one.",
    "edge": "Clean at the last power tried: beyond it nothing was tested.",
}
