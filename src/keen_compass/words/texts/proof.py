"""The proof of a printed and cut sticker."""

from __future__ import annotations

from keen_compass.words.say import Text

TEXTS: dict[str, Text] = {
    "border_at": "Border at place {number}",
    "worst": "At place {number} the border is {by:+len2} off.",
    "look_shift": "The cut lies beside the print: look at the pointer or sensor, and at the registration.",
    "look_turn": "The cut is turned against the print: look at the registration, and at squareness.",
    "look_scale": "The cut is larger or smaller than the print: look at the print scale.",
    "look_border": "The border is off all round: look at the kerf, or how far the blade trails.",
}
