"""What is said of a cut file on a print."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from keen_compass.formats.fit import Drawn
from keen_compass.machines.shown import show_size
from keen_compass.procedures.laying import Laid
from keen_compass.quantities.verdict import Verdict
from keen_compass.solve.warp import CONTAINS
from keen_compass.words.consequences import HEADS
from keen_compass.words.say import Show, say

NOTHING = 1e-6  # mm, by which marks are off that just give their map
KINDS = {"gcode": "G-code", "hpgl": "HP-GL", "svg": "SVG", "dxf": "DXF"}


def file_in_words(kind: str, drawn: Drawn, units: str) -> str:
    """``HP-GL, 210 × 148 mm``. kind: gcode, hpgl, svg or dxf."""
    size = show_size(drawn.high[0] - drawn.low[0], drawn.high[1] - drawn.low[1], units)
    return f"{KINDS[kind]}, {size}"


def fit_in_words(laid: Laid, worst: float, show: Show) -> tuple[str, str]:
    """(``In: marks fit within 0.12 mm``, what the map means). worst: the largest residual, mm."""
    verdict, means = HEADS[laid.verdict or Verdict.CANNOT_TELL], " ".join(say(note, show) for note in laid.notes)
    tested = worst > NOTHING
    return f"{verdict}: {f'marks fit within {show.small(worst)}' if tested else 'no mark to spare'}", means


def applied_in_words(laid: Laid, errors: Mapping[str, float], show: Show) -> str:
    """What corrects what, each once: ``The marks correct shift, turn, scale, skew. …``"""
    held = CONTAINS[laid.model]
    said = [f"The marks correct {', '.join(held)}."] if held else []
    if "skew" in errors and "skew" not in held:
        skew = errors["skew"]
        towards = show.way("+x" if skew > 0 else "-x")
        said.append(f"The file makes up for Y leaning {show.slope(abs(skew))} towards {towards}.")
    return " ".join(said)


def written_in_words(file: Path, to: Path, marks: int) -> str:
    """A line for the logbook."""
    return f"{_fitted(marks)}: {file.name}, written as {to.name}"


def sent_in_words(file: Path, marks: int) -> str:
    """The same of one that goes over the cable."""
    return f"{_fitted(marks)}: {file.name}, sent over the cable"


def _fitted(marks: int) -> str:
    onto = f"fitted to a print by {marks} marks" if marks else "with the machine’s skew made up for"
    return f"Cut file {onto}"


def broke_off_in_words(file: Path, acknowledged: int, total: int, why: str) -> str:
    """A run over the cable that came to no end."""
    return f"{file.name} over the cable, {acknowledged} of {total} commands: {why}"


def practised_in_words(off: float, show: Show) -> str:
    """off: mm, how far the practice machine cut anywhere off the print."""
    return f"Practice cut: everywhere within {show.small(off)} of the print."
