"""The printer's media feed."""

from __future__ import annotations

from keen_compass.language import tr, written
from keen_compass.words.say import Text
from keen_compass.words.texts import About


def _minus(value: float) -> str:
    return written(f"{value:+g}").replace("-", "−")


ABOUT = About(
    needs=("the media and the quality that you print with, loaded as always", "the printer’s feed test, and a loupe"),
    piece="bands, each printed with a little more feed than the one before, numbered",
    lookalikes=(
        "A nozzle that doesn’t fire leaves a light line at any feed: clean the head first.",
        "Media that isn’t warm yet, or just loaded, feeds differently: print a metre first.",
        "Another speed or quality feeds differently: test the one that you print with.",
    ),
)
TEXTS: dict[str, Text] = {
    "step": "Steps of",
    "count": "Bands",
    "counted": "Counted from",
    "from_held": "the held one",
    "from_zero": "zero",
    "about": "Tried",
    "middle": "both sides",
    "more_feed": "more feed",
    "less_feed": "less feed",
    "read": "Read by",
    "pick_one": "the one that meets",
    "judge_each": "judging each band",
    "row": "Correction above: too little overlaps, too much leaves a gap",
    "pick": "which just meets",
    "how": "Click it, or type its number; 2.5 is between two",
    "band": "band {number}",
    "how_band": "Click: overlaps, meets, gap; or type 1, 2, 3",
    "bands": "What each band looks like",
    "print_test": lambda v, _: tr(
        "Print {which}’s own feed test: {minus} to {minus2} %, steps of {step:g} %.",
        which=v["printer"] or tr("the printer"),
        minus=_minus(v["first"]),
        minus2=_minus(v["last"]),
        step=v["step"],
    ),
    "out_of_order": "More feed can’t overlap where less feed already leaves a gap: were the bands judged in order?",
    "some_left": "Judge every band to get an answer.",
    "beyond": lambda v, _: tr(
        "No band in this range is best: {which} feed is needed. Print one from {minus} to {minus2}.",
        which=tr("more") if v["more"] else tr("less"),
        minus=_minus(v["first"]),
        minus2=_minus(v["last"]),
    ),
}
