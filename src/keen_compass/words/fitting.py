"""What is said of a cut file on a print."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from keen_compass.formats.fit import Drawn
from keen_compass.language import marked, tr
from keen_compass.machines.shown import show_size
from keen_compass.procedures.laying import Laid
from keen_compass.quantities.verdict import Verdict
from keen_compass.solve.warp import CONTAINS
from keen_compass.words.consequences import HEADS
from keen_compass.words.say import Show, say

NOTHING = 1e-6  # mm, by which marks are off that just give their map
KINDS = {"gcode": marked("G-code"), "hpgl": "HP-GL", "svg": "SVG", "dxf": "DXF"}


def file_in_words(kind: str, drawn: Drawn, units: str) -> str:
    """``HP-GL, 210 × 148 mm``. kind: gcode, hpgl, svg or dxf."""
    size = show_size(drawn.high[0] - drawn.low[0], drawn.high[1] - drawn.low[1], units)
    return f"{tr(KINDS[kind])}, {size}"


def fit_in_words(laid: Laid, worst: float, show: Show) -> tuple[str, str]:
    """(``In: marks fit within 0.12 mm``, what the map means). worst: the largest residual, mm."""
    verdict, means = tr(HEADS[laid.verdict or Verdict.CANNOT_TELL]), " ".join(say(note, show) for note in laid.notes)
    tested = worst > NOTHING
    return (
        f"{verdict}: {tr('marks fit within {small}', small=show.small(worst)) if tested else tr('no mark to spare')}",
        means,
    )


def applied_in_words(laid: Laid, errors: Mapping[str, float], show: Show) -> str:
    """What corrects what, each once: ``The marks correct shift, turn, scale, skew. …``"""
    held = CONTAINS[laid.model]
    said = [tr("The marks correct {held}.", held=", ".join(held))] if held else []
    if "skew" in errors and "skew" not in held:
        skew = errors["skew"]
        towards = show.way("+x" if skew > 0 else "-x")
        said.append(
            tr(
                "The file makes up for Y leaning {slope} towards {towards}.",
                slope=show.slope(abs(skew)),
                towards=towards,
            )
        )
    return " ".join(said)


def written_in_words(file: Path, to: Path, marks: int) -> str:
    """A line for the logbook."""
    return tr("{fitted}: {name}, written as {name2}", fitted=_fitted(marks), name=file.name, name2=to.name)


def sent_in_words(file: Path, marks: int) -> str:
    """The same of one that goes over the cable."""
    return tr("{fitted}: {name}, sent over the cable", fitted=_fitted(marks), name=file.name)


def _fitted(marks: int) -> str:
    onto = tr("fitted to a print by {marks} marks", marks=marks) if marks else tr("with the machine’s skew made up for")
    return tr("Cut file {onto}", onto=onto)


def broke_off_in_words(file: Path, acknowledged: int, total: int, why: str) -> str:
    """A run over the cable that came to no end."""
    return tr(
        "{name} over the cable, {acknowledged} of {total} commands: {why}",
        name=file.name,
        acknowledged=acknowledged,
        total=total,
        why=why,
    )


def practised_in_words(off: float, show: Show) -> str:
    """off: mm, how far the practice machine cut anywhere off the print."""
    return tr("Practice cut: everywhere within {small} of the print.", small=show.small(off))
