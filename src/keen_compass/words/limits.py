"""What limits an answer, in a few words."""

from __future__ import annotations

from collections.abc import Sequence

from keen_compass.language import marked, tr
from keen_compass.quantities.uncertainty import Cause

WORDS = {
    Cause.REPEATS: marked("repeatability"),
    Cause.DIVISION: marked("resolution"),
    Cause.OWN_ERROR: marked("instrument accuracy"),
    Cause.GAIN: marked("instrument accuracy"),
    Cause.TILT: marked("alignment while measuring"),
    Cause.WARMTH: marked("temperature"),
    Cause.PIECES: marked("scatter between pieces"),
    Cause.SEATING: marked("seating of the stock"),
    Cause.KNOWN: marked("earlier results"),
    Cause.ASSUMED: marked("assumed values"),
    Cause.SCALE: marked("unproven axis scale"),
    Cause.PLAY: marked("unmeasured lost motion"),
    Cause.AIM: marked("aiming by eye"),
    Cause.DRAWN: marked("where the tool draws"),
    Cause.SCATTER: marked("scatter between runs"),
    Cause.PLACES: marked("scatter between places on the sheet"),
    Cause.SEEN: marked("judgement by eye"),
    Cause.LADDER: marked("step between rungs"),
}
SHOWN = 0.15  # of the variance; what brings less is not worth a word


def limits_in_words(limits: Sequence[tuple[str, float]]) -> str:
    """``Uncertainty: scatter between pieces 69 %, instrument accuracy 24 %``; empty where nothing is known."""
    parts = [f"{tr(WORDS[Cause(cause)])} {100 * share:.0f}\u00a0%" for cause, share in limits[:2] if share >= SHOWN]
    return tr("Uncertainty: {parts}", parts=", ".join(parts)) if parts else ""
