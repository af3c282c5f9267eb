"""Registration of a print on the cutter."""

from __future__ import annotations

from keen_compass.language import tr, written
from keen_compass.words.say import Show, Text, Values
from keen_compass.words.texts import About

MODELS = {
    "shift": "a shift",
    "similarity": "a turn and one scale",
    "affine": "turn, skew and two scales",
    "projective": "a perspective",
}

ABOUT = About(
    needs=("a printer", "a pointer, a mark sensor, or the tool’s tip to aim with"),
    piece="a printed sheet with a mark at each corner",
    lookalikes=(
        "A sheet that isn’t flat, or that the rollers pull askew: let them grip it again.",
        "A print dialog that scaled the page: the check bars show it.",
        "Marks aimed at in another order, or a sheet loaded rotated: mark 1 is the one in the square.",
    ),
)


def _marks(numbers: list[int]) -> str:
    return ", ".join(map(str, numbers[:-1])) + (tr(" or ") if len(numbers) > 1 else "") + str(numbers[-1])


def _means(v: Values, show: Show) -> str:
    """``It lies turned 0.40° anticlockwise, its origin at X +1.20 mm, Y +0.30 mm, 0.15 % long along Y.``"""
    turn, shift, stretch = v["turn"], v["shift"], v["stretch"]
    long = [
        tr("{s:.2f} % {way} along {axis}", s=abs(s), way=tr("long") if s > 0 else tr("short"), axis=axis)
        for s, axis in zip(stretch, "XY", strict=True)
        if abs(s) >= 0.005
    ]
    x, y = (f"{axis} {show.length(s, 2)}" for s, axis in zip(shift, "XY", strict=True))
    turned = f"{written(f'{abs(turn):.2f}')}° {show.way_round(turn, 2)}".rstrip()
    return tr(
        "It lies turned {turned}, its origin at {x}, {y}{long}.",
        turned=turned,
        x=x,
        y=y,
        long=", " + ", ".join(long) if long else "",
    )


TEXTS: dict[str, Text] = {
    "mark": "Mark {number}",
    "map": "Map",
    **MODELS,
    "turn": "Turn",
    "scale_x": "Scale along X",
    "scale_y": "Scale along Y",
    "turn_known": lambda v, show: show.turning(v["turn"], 3, "°") + written(f" ± {v['U']:.3f}°"),
    "scale_known": lambda v, _: written(f"{v['percent']:+.2f} % ± {v['U']:.2f} %").replace("-", "−"),
    "means": _means,
    "untested": lambda v, _: tr(
        "These marks just give {models}: one more mark would test it.", models=tr(MODELS[v["model"]])
    ),
    "bad_mark_or_bow": "Mark {mark} is off, or the sheet bows there; both look the same. Lay the sheet flat and aim again.",
    "bow_unseen": "Four corners can’t show whether the sheet bows: a mark in the middle would.",
    "inches": "These places are 25.4 times too close together: were they read in inches?",
    "mm_for_inches": "These places are 25.4 times too far apart: were millimetres taken for inches?",
    "bad_mark": "Mark {mark} doesn’t fit the others: aim at it again.",
    "one_of": lambda v, _: tr(
        "One of these marks doesn’t fit, but which one can’t be told: {marks}. Aim at them again.",
        marks=_marks(v["marks"]),
    ),
    "buckled": "No single mark explains it, nor does rotation or stretch: lay the sheet flat and let it be gripped again.",
    "mirrored": "Left and right are swapped: is the sheet upside down, or were the marks aimed at in the wrong direction?",
    "order": lambda v, _: tr("Were the marks aimed at in another order: {map}?", map=", ".join(map(str, v["marks"]))),
    "turned": "The sheet lies rotated by {turn:.0f}°. This is taken into account.",
    "fit_to_page": "Both ways {percent:.1f} % off: the print dialog scaled the page. Print at actual size.",
}
