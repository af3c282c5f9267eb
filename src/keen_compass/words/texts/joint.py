"""What is solved together."""

from __future__ import annotations

from keen_compass.language import tr
from keen_compass.quantities.catalogue import unknown_label
from keen_compass.words.say import Text, capital, say

TELLS = {
    "slot": "a slot beside it",
    "short_side": "a second, shorter outside along that axis",
    "dial": "a dial, out and back",
    "comb": "a kerf comb",
    "travel": "a rule along the axis",
    "hole": "a round hole beside a slot",
}
TEXTS: dict[str, Text] = {
    "read_in": lambda v, show: tr("{what} of part {number}", what=say(v["what"], show), number=v["number"]),
    "part": "part {number}",
    "nothing_held": "The controller’s present number wasn’t given, so there is no new one.",
    "lacking": lambda v, _: (
        tr("{unknown} can’t be told", unknown=capital(unknown_label(v["unknown"])))
        + (tr(" from {others}", others=", ".join(unknown_label(o) for o in v["others"])) if v["others"] else "")
        + (tr(": {tells} would tell.", tells=tr(TELLS[v["tells"]])) if v["tells"] else ".")
    ),
}
