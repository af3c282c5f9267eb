"""How fast an axis can go."""

from __future__ import annotations

from keen_compass.words.say import Text
from keen_compass.words.texts import About

ABOUT = About(
    needs=("steps per unit set first", "a mark or dial to come back to", "the axis’ acceleration"),
    piece="no piece: the axis runs out and back at rising feeds",
    lookalikes=(
        "An axis that misses at every feed slips or has lost motion: feed is not the cause.",
        "A run too short to reach its feed tests nothing; the ladder ends where the bed does.",
        "Cold grease and a heavy head lower the limit: run the axis warm first.",
    ),
)
TEXTS: dict[str, Text] = {
    "mark": "mark the present position",
    "read": "{feed:g} mm/min: read how far it misses the mark",
    "program": "feed ladder, {axis:up}, {rungs} rungs",
    "share": "{share:.0f} % of the highest clean rung",
    "keep_to": "Keep to",
    "rung": "{feed:feed}",
    "how": "By how much it misses the mark; 0 where it comes back",
    "no_rung": "No rung was read yet.",
    "too_coarse": "Read in steps of {division:len3}, a miss of {within:len3} doesn’t show: use a finer instrument, such as a dial "
    "at the mark.",
    "lowest_missed": "Even the lowest rung missed: start lower, or look for lost motion and slip. Feed is not the cause.",
    "rate_ends_at": "Step rate ends at",
    "highest_clean": "{share:g} × {feed} {unit}, the highest clean rung",
    "step_rate_ends": "The controller’s step rate ends at {at:say}, below what the axis can do.",
    "where_rate_ends": "{at:say}, where the step rate ends",
    "slower_than_needed": "The feed in force is slower than it needs to be: {safe:.0f} {unit} would still be safe.",
    "more_rungs": "More rungs between {low} and {high} {unit} may settle it: the gap between them is untested.",
    "climb_higher": "Every rung was clean, so this is only a lower bound: test higher feeds, above the one in force.",
    "read_above": "Not every rung is clear: read those above too, with a finer instrument where needed.",
}
