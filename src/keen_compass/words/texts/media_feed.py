"""The printer's media feed."""

from __future__ import annotations

from keen_compass.words.say import Text

TEXTS: dict[str, Text] = {
    "pick": "Number of the band that just meets",
    "bands": "What each band looks like",
    "out_of_order": "More feed can’t overlap where less already gaps: were the bands judged in their order?",
    "beyond": lambda v, _: (
        f"No band in this range is best: {'more' if v['more'] else 'less'} feed is needed. Print one from {v['first']:g} to {v['last']:g}."
    ),
}
