"""One sentence for each stage in which a sheet is made."""

from __future__ import annotations

from dataclasses import dataclass

from keen_compass.language import marked, tr, written
from keen_compass.machines.profile import Machine
from keen_compass.procedures.stages import Stage
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.lengths import MM_PER_INCH
from keen_compass.words.pages import LOWEST
from keen_compass.words.say import capital, say, show_for

NAMES = {
    Stage.ARTWORK: marked("Artwork"),
    Stage.PRINT: marked("Print"),
    Stage.LOAD: marked("Load"),
    Stage.AIM: marked("Aim"),
    Stage.DRAW: marked("Draw"),
}
CUT = marked("Cut")  # of a sheet that is cut, its last stage
ROLLERS = marked("Lift the rollers, lay it flat, let them grip it.")


@dataclass(frozen=True, slots=True)
class Stands:
    """How a sheet stands. number: of the sheet; printed: it has left the printer. by_hand: a mark on the bed will do.

    head: what is aimed with. mark: the next one, from 0, None where all are done; of `marks`. expected: where the
    machine should stand for it, mm. origin: it is the machine's own. ticks: lines far
    apart are made on it too. cuts: it is cut.
    """

    number: int
    printed: bool
    by_hand: bool
    head: str
    mark: int | None
    marks: int
    expected: Point | None
    origin: bool
    ticks: bool = False
    cuts: bool = False


def stage_name(stage: Stage, *, cuts: bool) -> str:
    """What a stage is called. cuts: the sheet is cut in the end."""
    return tr(CUT if cuts and stage is Stage.DRAW else NAMES[stage])


def sentence_for(stage: Stage, machine: Machine, now: Stands) -> str:
    """What is done at a stage, now."""
    show = show_for(machine)
    match stage:
        case Stage.ARTWORK:
            return tr("What is to be printed, and where it is cut: the line is drawn as it will run.")
        case Stage.PRINT if now.printed:
            return tr("Sheet {number} is printed. Measure both check bars, before anything else.", number=now.number)
        case Stage.PRINT:
            return tr("Print sheet {number} at actual size, on paper that doesn’t curl.", number=now.number)
        case Stage.LOAD:
            corner = show.corner(LOWEST)
            rolls = f" {tr(ROLLERS)}" if machine.file_format != "gcode" else tr(" Lay it flat and hold it down.")
            dry = (
                tr("Sheet {number} may dry as long as it takes: it is found here again. ", number=now.number)
                if now.cuts
                else ""
            )
            return tr(
                "{dry}The mark in the square goes {corner}, the print up.{rolls}", dry=dry, corner=corner, rolls=rolls
            )
        case Stage.AIM:
            return _aim(machine, now)
        case Stage.DRAW if now.cuts:
            return tr(
                "Sheet {number}, dry by now, is cut where it was printed: the knife in, its own speed and force.",
                number=now.number,
            )
        case Stage.DRAW if now.ticks:
            return tr("A pen or the knife, its own speed and force: two ticks each way, and a cross on each target.")
        case Stage.DRAW:
            on = tr("the mark") if now.by_hand else tr("each target")
            return tr("A pen in place of the tool, its own speed and force. It draws a cross on {on}.", on=on)


def _aim(machine: Machine, now: Stands) -> str:
    what = capital(say(f"pointer.{now.head}"))
    if now.origin:
        return tr("The machine’s origin is on mark 1: the rest is taken as it lies.")
    if now.mark is None:
        return tr("All marks are aimed at.") if now.marks > 1 else tr("The mark is aimed at.")
    if now.by_hand:
        return tr("Make a fine cross on the bed or a scrap. {what} onto it: what does the machine show?", what=what)
    near = tr(", near {place}", place=position_in_words(now.expected, machine)) if now.expected else ""
    if now.head == "sensor":
        return tr(
            "Have the sensor find mark {mark} of {marks}{near}: what does the machine show?",
            mark=now.mark + 1,
            marks=now.marks,
            near=near,
        )
    return tr(
        "{what} onto mark {mark} of {marks}{near}: what does the machine show?",
        what=what,
        mark=now.mark + 1,
        marks=now.marks,
        near=near,
    )


def position_in_words(at: Point, machine: Machine) -> str:
    """``X 227.3, Y 27.7 mm``, as the machine shows it."""
    size, decimals = (1.0, 1) if machine.controller_units == "mm" else (MM_PER_INCH, 2)
    x, y = (written(f"{v / size:.{decimals}f}").replace("-", "−") for v in at)
    return f"X {x}, Y {y} {machine.controller_units}"
