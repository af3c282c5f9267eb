"""The stepped outline."""

from __future__ import annotations

from keen_compass.language import tr
from keen_compass.quantities.catalogue import unknown_label
from keen_compass.words.say import Show, Text, Values, capital, say
from keen_compass.words.texts import About

ABOUT = About(
    needs=("two axes", "a cutter, pen or scriber", "an instrument as long as the piece"),
    piece="stepped outline, a long and a short outside length per axis",
    lookalikes=(
        "A finishing allowance left on by a roughing pass makes every outside length too long.",
        "A wrong cutter diameter shows on long and short lengths alike; the step cancels it.",
        "Work that moved while it was cut: do opposite edges run parallel?",
    ),
)


def _odd_kerf(v: Values, show: Show) -> str:
    c = v["compensation"]
    took = tr("{length} were compensated", length=show.length(c)) if c else tr("nothing was compensated")
    return tr(
        "{long} and {short} mean a cut {length} wide, where {took}: was one of them misread?",
        long=capital(say(v["long"], show)),
        short=say(v["short"], show),
        length=show.length(v["kerf"]),
        took=took,
    )


def _apart(v: Values, show: Show) -> str:
    others = tr(" or ").join(unknown_label(name) for name in v["others"]) or tr("the rest")
    remedy = (
        tr(": measure the {would_help} too, or give the kerf", would_help=say(v["would_help"], show))
        if v["would_help"]
        else ""
    )
    scale = unknown_label(f"{v['axis']}_scale")
    return tr(
        "{read} alone can't tell {scale} from {others}{remedy}.",
        read=capital(say(v["read"], show)),
        scale=scale,
        others=others,
        remedy=remedy,
    )


TEXTS: dict[str, Text] = {
    "width": "width",
    "height": "height",
    "short_width": "short width",
    "short_height": "short height",
    "how_width": "Jaws on the long arm, square to the edges",
    "how_height": "Jaws on the column, square to the edges",
    "how_short_width": "Jaws across the foot, from the outside",
    "how_short_height": "Jaws from the foot's edge up to the ledge",
    "lost_motion_assumed": "{axis:up} lost motion taken as 0 ± {U:len}, assumed; reading the {short:say} too makes it "
    "unnecessary.",
    "kerf_disagrees": "The readings disagree with that kerf: was another cutter in?",
    "odd_kerf": _odd_kerf,
    "cannot_tell_apart": _apart,
}
