"""A blade that trails."""

from __future__ import annotations

from keen_compass.words.say import Text

TEXTS: dict[str, Text] = {
    "pick": "Number of the corner that closes",
    "beyond": lambda v, _: (
        f"The {'first' if v['first'] else 'last'} corner fits best, so a {'smaller' if v['first'] else 'larger'} offset may fit better: cut a row that goes beyond it."
    ),
}
