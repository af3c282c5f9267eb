"""What limits an answer, in a few words."""

from __future__ import annotations

from collections.abc import Sequence

from keen_compass.quantities.uncertainty import Cause

WORDS = {
    Cause.REPEATS: "how readings repeat",
    Cause.DIVISION: "its division",
    Cause.OWN_ERROR: "the instrument’s own error",
    Cause.GAIN: "the instrument’s own error",
    Cause.TILT: "how straight it was held",
    Cause.WARMTH: "warmth",
    Cause.PIECES: "how pieces differ",
    Cause.SEATING: "how the stock lies",
    Cause.KNOWN: "what was known before",
    Cause.ASSUMED: "what had to be assumed",
    Cause.SCALE: "an unproven scale",
    Cause.PLAY: "unmeasured lost motion",
    Cause.AIM: "aiming by eye",
    Cause.DRAWN: "where the tool draws",
    Cause.SCATTER: "how trips differ",
    Cause.PLACES: "how single places of the sheet differ",
    Cause.SEEN: "what an eye can tell",
    Cause.LADDER: "the gap from one step to the next",
}
SHOWN = 0.15  # of the variance; what brings less is not worth a word


def limits_in_words(limits: Sequence[tuple[str, float]]) -> str:
    """``± comes from how pieces differ 69 %, the instrument’s own error 24 %``; empty where nothing is known."""
    parts = [f"{WORDS[Cause(cause)]} {100 * share:.0f}\u00a0%" for cause, share in limits[:2] if share >= SHOWN]
    return f"± comes from {', '.join(parts)}" if parts else ""
