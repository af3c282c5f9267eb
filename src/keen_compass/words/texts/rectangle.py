"""The stepped outline."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from keen_compass.quantities.catalogue import UNKNOWN_LABELS
from keen_compass.words.say import Show, Text, capital, say
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


def _odd_kerf(v: Mapping[str, Any], show: Show) -> str:
    c = v["compensation"]
    took = f"{show.length(c)} were compensated" if c else "nothing was compensated"
    return (
        f"{capital(say(v['long'], show))} and {say(v['short'], show)} mean a cut {show.length(v['kerf'])} wide, where "
        f"{took}: was one of them misread?"
    )


def _apart(v: Mapping[str, Any], show: Show) -> str:
    others = " or ".join(UNKNOWN_LABELS[name] for name in v["others"]) or "the rest"
    remedy = f": measure the {say(v['would_help'], show)} too, or give the kerf" if v["would_help"] else ""
    scale = UNKNOWN_LABELS[f"{v['axis']}_scale"]
    return f"{capital(say(v['read'], show))} alone can't tell {scale} from {others}{remedy}."


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
