"""What is said of a cut file on a print."""

from __future__ import annotations

from pathlib import Path

from keen_compass.formats.fit import Drawn
from keen_compass.machines.shown import show_size
from keen_compass.procedures.laying import Laid
from keen_compass.quantities.verdict import Verdict
from keen_compass.words.consequences import HEADS
from keen_compass.words.say import Show, say

KINDS = {"gcode": "G-code", "hpgl": "HP-GL", "svg": "SVG", "dxf": "DXF"}


def file_in_words(kind: str, drawn: Drawn, units: str) -> str:
    """``HP-GL, 210 × 148 mm``. kind: gcode, hpgl, svg or dxf."""
    size = show_size(drawn.high[0] - drawn.low[0], drawn.high[1] - drawn.low[1], units)
    return f"{KINDS[kind]}, {size}"


def fit_in_words(laid: Laid, worst: float, show: Show) -> tuple[str, str]:
    """(``In: marks fit within 0.12 mm``, what the map means). worst: the largest residual, mm."""
    verdict = HEADS[laid.verdict or Verdict.CANNOT_TELL]
    return f"{verdict}: marks fit within {show.small(worst)}", " ".join(say(note, show) for note in laid.notes)


def written_in_words(file: Path, to: Path, marks: int) -> str:
    """A line for the logbook."""
    return f"Cut file fitted to a print by {marks} marks: {file.name}, written as {to.name}"
