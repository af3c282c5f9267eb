"""The proof of a printed and cut sticker."""

from __future__ import annotations

from keen_compass.language import written
from keen_compass.words.say import Show, Text, Values
from keen_compass.words.texts import About
from keen_compass.words.texts.shifts import shifted

ABOUT = About(
    needs=(
        "an artwork: a drawing (SVG or PDF) or a picture",
        "a printer",
        "a pointer or mark sensor beside the tool, or its tip",
        "the knife",
        "a rule with a loupe",
    ),
    piece="a small sticker, printed, left to dry, laid down by its marks and cut where it was printed",
    lookalikes=(
        "A sheet printed to fit the page: its check bars show it.",
        "A sheet that was moved after it was aimed at: aim again, cut another.",
        "A blade that is worn, or set too deep: it drags the film along.",
    ),
)


def _beside(v: Values, show: Show) -> str:
    """``0.10 mm to the left``."""
    words = shifted({"x": 0.0, "y": 0.0, v["axis"]: v["off"]}, show)
    return words.partition(" (")[0] or "nowhere"


TEXTS: dict[str, Text] = {
    "how": "From the print’s edge square out to the cut",
    "how_beyond": "From the print’s edge back to the cut, with a minus",
    "shifted_x": "Cut beside, X",
    "shifted_y": "Cut beside, Y",
    "by": _beside,
    "turned": "turned",
    "degrees": lambda v, show: show.turning(v["turn"], 2, "°"),
    "scaled_x": "longer along X",
    "scaled_y": "longer along Y",
    "percent": lambda v, _: written(f"{round(v['percent'], 2) + 0.0:+.2f} %").replace("-", "−"),
    "longer": "X longer than Y by",
    "by_length": "{mm:+len2}",
    "all_round": "Border all round",
    "border": "{mm:len}",
    "wider": "{mm:+len2} off",
    "border_at": "Border at place {number}",
    "worst": "At place {number} the border is {by:+len2} off.",
    "look_shift": "The cut lies beside the print: look at the pointer or sensor, and at the registration.",
    "look_turn": "The cut is turned against the print: look at the registration, and at squareness.",
    "look_scale": "The cut is larger or smaller than the print: look at the print scale.",
    "look_border": "The border is off all round: look at the kerf, or how far the blade trails.",
}
