"""Home offset."""

from __future__ import annotations

from keen_compass.words.say import Text
from keen_compass.words.texts import About

ABOUT = About(
    needs=("homing switches", "stock against its stops", "a pen or scriber", "a rule or caliper"),
    piece="one line across each axis, at a stated distance from the stock’s edges",
    lookalikes=(
        "Home the machine first: the offset counts from the switches.",
        "Stock that doesn’t touch its stops, or chips between them, moves zero as well.",
        "A tool’s own offset moves its lines too: use the tool that counts as the machine’s zero.",
    ),
)
TEXTS: dict[str, Text] = {
    "floor": "Seating of the stock limits this result: seat it against its stops again and redraw the lines.",
    "lowest": "its lowest end",
    "highest": "its highest end",
    "x_edge_at": "X edge at",
    "y_edge_at": "Y edge at",
    "edge_to_line": "{axis:up}, edge to line",
    "how": "From the stock’s edge to the middle of the line",
    "other_edge": "{read:len} where {meant:len} is nominal: was it read from another edge?",
    "home_again": "The new offset counts after homing again.",
}
