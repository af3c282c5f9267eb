"""What limits an answer, in a few words."""

from __future__ import annotations

from collections.abc import Sequence

from keen_compass.quantities.uncertainty import Cause

WORDS = {
    Cause.REPEATS: "repeatability",
    Cause.DIVISION: "resolution",
    Cause.OWN_ERROR: "instrument accuracy",
    Cause.GAIN: "instrument accuracy",
    Cause.TILT: "alignment while measuring",
    Cause.WARMTH: "temperature",
    Cause.PIECES: "scatter between pieces",
    Cause.SEATING: "seating of the stock",
    Cause.KNOWN: "earlier results",
    Cause.ASSUMED: "assumed values",
    Cause.SCALE: "unproven axis scale",
    Cause.PLAY: "unmeasured lost motion",
    Cause.AIM: "aiming by eye",
    Cause.DRAWN: "where the tool draws",
    Cause.SCATTER: "scatter between runs",
    Cause.PLACES: "scatter between places on the sheet",
    Cause.SEEN: "judgement by eye",
    Cause.LADDER: "step between rungs",
}
SHOWN = 0.15  # of the variance; what brings less is not worth a word


def limits_in_words(limits: Sequence[tuple[str, float]]) -> str:
    """``Uncertainty: scatter between pieces 69 %, instrument accuracy 24 %``; empty where nothing is known."""
    parts = [f"{WORDS[Cause(cause)]} {100 * share:.0f}\u00a0%" for cause, share in limits[:2] if share >= SHOWN]
    return f"Uncertainty: {', '.join(parts)}" if parts else ""
