"""What is solved together."""

from __future__ import annotations

from keen_compass.quantities.catalogue import UNKNOWN_LABELS
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
    "read_in": lambda v, show: f"{say(v['what'], show)} of part {v['number']}",
    "part": "part {number}",
    "nothing_held": "The controller’s present number wasn’t given, so there is no new one.",
    "lacking": lambda v, _: (
        f"{capital(UNKNOWN_LABELS[v['unknown']])} can’t be told"
        + (f" from {', '.join(UNKNOWN_LABELS[o] for o in v['others'])}" if v["others"] else "")
        + (f": {TELLS[v['tells']]} would tell." if v["tells"] else ".")
    ),
}
