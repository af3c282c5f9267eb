"""What procedures share that are read on a printed sheet: its paper, its check bars, places on it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

from keen_compass.errors import InputError, shown_input
from keen_compass.language import tr
from keen_compass.machines.heads import TOOL
from keen_compass.machines.profile import Machine
from keen_compass.pieces.page import (
    GRADUATIONS,
    LARGEST,
    METRIC,
    PAPERS,
    SMALLEST,
    Graduation,
    Page,
    bar_lengths,
    fitting,
)
from keen_compass.procedures.case import listed, number
from keen_compass.procedures.surroundings import Choice, Surroundings
from keen_compass.quantities.bodies import Parameters
from keen_compass.quantities.families import AIMED_WITH
from keen_compass.quantities.notes import Note, note, plain
from keen_compass.quantities.uncertainty import Cause, Origin, Source

if TYPE_CHECKING:
    from keen_compass.procedures.base import AnyProcedure

# Parameters of every sheet: its size, what its check bars measured (mm), the unit that it is graduated in.
ON_PAPER = ("size", "bars", "graduated")
USUAL_PAPER, SMALLEST_PAPER = "A4", "A5"
ROLL = "as_wide_as_the_roll"
BAR_READ = 0.1  # mm, standard: of a check bar read with a rule
FIT_TO_PAGE = 0.015  # both bars off by the same and by more than that: a print dialog did it
SAME_SCALE = 0.005
BAR_OFF = 0.002  # more than a rule can misread over 100 mm
LONGEST_BAR = 1000.0
CREEP = 0.03  # mm, standard, that a roll creeps between aiming and drawing


def place(given: object, where: str) -> tuple[float, float]:
    """``[x, y]`` in mm. Raises InputError."""
    if not listed(given, 2, 2):
        raise InputError(tr("expected [x, y], got {given}", given=shown_input(given)), where)
    x, y = (number(v, f"{where}[{i}]", -1e6, 1e6) for i, v in enumerate(given))
    return x, y


def graduation_of(parameters: Parameters) -> Graduation:
    """How a sheet's rings, verniers and bars are divided. Raises InputError."""
    unit = parameters.get("graduated", METRIC.unit)
    if unit not in GRADUATIONS:
        raise InputError(
            tr(
                "expected {graduations}, got {given}", graduations=tr(" or ").join(GRADUATIONS), given=shown_input(unit)
            ),
            "piece.graduated",
        )
    return GRADUATIONS[str(unit)]


def proposed_page(procedure: AnyProcedure, around: Surroundings, *, fine: bool = False) -> Page:
    """The sheet of a printed procedure on the chosen paper, graduated as lengths are shown on the machine."""
    graduation = GRADUATIONS[around.machine.shown_in]
    page = procedure.page(paper_size(around), 1, fine=fine, graduation=graduation)
    assert page is not None
    return page


def on_paper(size: tuple[float, float], graduation: Graduation) -> Parameters:
    """Parameters that every piece on such a sheet has."""
    return {"size": list(size)} | ({} if graduation is METRIC else {"graduated": graduation.unit})


def check_paper(parameters: Parameters) -> None:
    """Refuse a sheet that no printer makes, and bars that measure nothing. Raises InputError."""
    if "size" in parameters:
        for side in place(parameters["size"], "piece.size"):
            if not SMALLEST <= side <= LARGEST:
                raise InputError(
                    tr("a sheet is {smallest:g} to {largest:g} mm long either way", smallest=SMALLEST, largest=LARGEST),
                    "piece.size",
                )
    if "bars" in parameters:
        for bar in place(parameters["bars"], "piece.bars"):
            if not 0 < bar <= LONGEST_BAR:
                raise InputError(
                    tr("a check bar measures more than 0 and at most {longest_bar:g} mm", longest_bar=LONGEST_BAR),
                    "piece.bars",
                )
    graduation_of(parameters)


def aiming_choice(machine: Machine) -> Choice:
    """What marks are aimed at with, where the tool's own tip will do."""
    heads = (*(h for h in AIMED_WITH if h in machine.heads), TOOL)
    return Choice("aimed_with", "pointer.aimed_with", tuple((f"pointer.{h}", h) for h in heads))


def fed_along(parameters: Parameters) -> str:
    """The axis along which a roll is fed; none of a sheet that lies still. Raises InputError."""
    fed = parameters.get("fed", "")
    if fed not in ("", "x", "y"):
        raise InputError(tr("expected x or y, got {given}", given=shown_input(fed)), "piece.fed")
    return str(fed)


def creep(parameters: Parameters, axis: str) -> tuple[tuple[Source, float], ...]:
    """By how much a roll that goes back and forth may have crept along that axis meanwhile: in no residual."""
    return ((Source(Origin("creep"), CREEP, Cause.ASSUMED), 1.0),) if axis and fed_along(parameters) == axis else ()


def papers_for(machine: Machine) -> dict[str, tuple[float, float]]:
    """What goes onto the machine, the usual paper first; on a roll also a sheet of its own width."""
    room = (machine.media.width, machine.media.height)
    fit = fitting(room)
    names = sorted(fit, key=lambda name: (name != USUAL_PAPER, list(PAPERS).index(name)))
    found = {name: fit[name] for name in names}
    if machine.kind.plots and min(room) >= SMALLEST:
        across = 0 if machine.long_axis == "y" else 1
        wide = min(math.floor(room[across]), LARGEST)
        long = min(math.floor(wide * math.sqrt(2)), math.floor(room[1 - across]), LARGEST)
        found[ROLL] = (wide, long) if across == 0 else (long, wide)
    return found


def paper_choice(machine: Machine) -> Choice:
    """Papers that go onto the machine."""
    return Choice(
        "paper", "paper", tuple((name if name == ROLL else plain(name), name) for name in papers_for(machine))
    )


def paper_size(around: Surroundings) -> tuple[float, float]:
    """Of the chosen paper, as it lies on the machine; of the smallest where none fits: that is refused in Make."""
    fit = papers_for(around.machine) or {SMALLEST_PAPER: PAPERS[SMALLEST_PAPER]}
    chosen = around.chosen.get("paper")
    return fit[chosen] if isinstance(chosen, str) and chosen in fit else next(iter(fit.values()))


def nominal_bars(parameters: Parameters) -> tuple[float, float]:
    """How long the check bars of such a sheet should be, mm, along X and Y. Raises InputError."""
    return bar_lengths(place(parameters["size"], "piece.size"), graduation_of(parameters))


def printed_scale(parameters: Parameters) -> tuple[float, float] | None:
    """What the printer made of a length, (along X, along Y), where its bars were measured."""
    if "size" not in parameters or "bars" not in parameters:
        return None
    x, y = (
        bar / length
        for bar, length in zip(place(parameters["bars"], "piece.bars"), nominal_bars(parameters), strict=True)
    )
    return x, y


def fits_to_page(off: Sequence[float], same: float) -> bool:
    """Whether a print dialog did it: both ways off alike, to within `same`, and by more than printers are."""
    return min(map(abs, off)) > FIT_TO_PAGE and abs(off[0] - off[1]) < same


def bars_said(parameters: Parameters) -> tuple[Note, ...]:
    """What the check bars say of the printer: never the cutter's error."""
    scale = printed_scale(parameters)
    if scale is None:
        return ()
    off = [s - 1 for s in scale]
    if fits_to_page(off, SAME_SCALE):
        return (note("bars_fit_to_page", percent=50 * (off[0] + off[1])),)
    if max(map(abs, off)) > BAR_OFF:
        return (note("bars_off", percent=[100 * v for v in off]),)
    return ()
