"""A worksheet for measuring where no screen is: the piece drawn, a box for each reading in the order of the screen."""

from __future__ import annotations

import math
from collections.abc import Sequence
from datetime import datetime
from typing import Any

from keen_compass import __version__
from keen_compass.errors import InputError
from keen_compass.formats.worksheet_picture import Box, Layout
from keen_compass.language import dated, tr
from keen_compass.machines.shown import show_length
from keen_compass.procedures.base import Outlined, Pierced
from keen_compass.procedures.measurand import Measurand
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.readings import Kind
from keen_compass.quantities.standpoint import Standpoint
from keen_compass.reports.paper import LINE, MM, QUIET, Frame, Paper
from keen_compass.rounds import RoundSession
from keen_compass.words.procedures import title
from keen_compass.words.say import say, show_for

HIGH = 220.0  # points, of the picture
ROW, BOX = 27.0, 22.0  # points: of a row of boxes; how high a box is
WRITTEN = 0.6  # of the width, for what is written by hand
CLEAR = 18.0  # points, between the numbers of two lines
MOST = 5  # boxes in a row: of more readings each has a row more
CODE, LOW, LAST = 62.0, 24.0, 100.0  # points: side; how high the one at the foot is; below which no box stands


def worksheet(session: RoundSession) -> bytes:
    """The PDF for the piece that is measured now. Raises InputError where there is none."""
    return _drawn(session)[0]


def layout_of(session: RoundSession) -> Layout:
    """Where its boxes and codes are, for whoever reads a picture of it. Raises InputError where there is none."""
    return _drawn(session)[1]


def _drawn(session: RoundSession) -> tuple[bytes, Layout]:
    context, measuring = session.context, session.measuring
    piece = context.piece
    if piece is None:
        raise InputError(tr("There is no piece to measure yet: make it first."))
    machine, show = context.machine, show_for(context.machine)
    units, measurands = machine.shown_in, measuring.measurands()
    paper = Paper(tr("Worksheet: {title}", title=title(context.procedure.name)), machine.name)
    codes: dict[str, tuple[int, Point]] = {}
    boxes: list[Box] = []
    paper.head = CODE + 12
    _codes(paper, session, codes)
    paper.line(f"{title(context.procedure.name)}, {machine.name}", 18, bold=True, width=paper.width - CODE)
    made = datetime.fromisoformat(piece.at).astimezone()
    instrument = measuring.instrument()
    for words in (
        tr("Piece {number}, made {on}", number=piece.number, on=dated(made, "%-d %B %Y")),
        tr("Measured with {name}", name=instrument.said) if instrument else "",
        tr("Measured by ______________________   on ______________   at ________ °C"),
    ):
        paper.y -= 4
        paper.line(words, 11, QUIET)
    shape = measuring.shape()
    if isinstance(shape, Outlined):
        paper.y -= 6
        view = machine.standpoint
        holes = shape.inner() if isinstance(shape, Pierced) else ()
        lines = [[view.to_view(*at) for at in line] for line in (shape.outline(), *holes)]
        frame = paper.outlines([(line, False, 1.2) for line in lines], HIGH)
        _lines(paper, frame, measurands, view)
    paper.y -= 16
    paper.foot = LAST
    count = min(max(context.choices.passes, 1), MOST)
    shares = (0.06, 0.22, 1 - WRITTEN - 0.28, *[WRITTEN / count] * count)
    paper.row(
        ("No.", tr("Length"), tr("Nominal"), *(tr("Reading") if i == 0 else "" for i in range(count))),
        shares,
        head=True,
    )
    for number, m in enumerate(measurands, 1):
        nominal = show_length(m.nominal, units) if m.kind is Kind.LENGTH and not m.signed else ""
        page = paper.page
        y = paper.row((str(number), say(m.label, show), nominal, *[""] * count), shares, high=ROW)
        if paper.page != page:
            _codes(paper, session, codes)
        boxes += _boxes(paper, y, count, m.name)
    paper.y -= 10
    paper.line(tr("Write what the instrument shows, unit included where it changes."), 9, QUIET)
    paper.line(tr("Then type it in this order, or photograph the whole page and press F4."), 9, QUIET)
    paper.y = LOW
    paper.line(tr("Keen Compass {version}", version=__version__), 8, QUIET, x=paper.left + CODE + 12)
    return paper.done(), Layout(tuple(boxes), codes, CODE / MM)


def code_of(session: RoundSession, page: int, end: str) -> str:
    """What a code says: which round, piece and page it belongs to; end: of the page, head, left or right."""
    piece = session.context.piece
    return f"KC worksheet {session.context.kept.id} {piece.number if piece else 0} {page} {end}"


def _codes(paper: Paper, session: RoundSession, codes: dict[str, tuple[int, Point]]) -> None:
    """All of a page, at three corners, so that a picture of it shows how it lies."""
    head = paper.left + paper.width - CODE, paper.size[1] - paper.left - CODE + 2
    for end, at in (("head", head), ("left", (paper.left, LOW)), ("right", (head[0], LOW))):
        text = code_of(session, paper.page, end)
        paper.code(text, at, CODE)
        codes[text] = paper.page, (at[0] / MM, at[1] / MM)


def _lines(paper: Paper, frame: Frame, measurands: Sequence[Measurand], view: Standpoint) -> None:
    """Each length from end to end, with its number in the middle."""
    c: Any = paper.canvas
    taken: list[Point] = []
    for number, m in enumerate(measurands, 1):
        if m.below:  # where the same size is read above
            continue
        ends = [frame.at(view.to_view(*end)) for end in m.line]
        if ends[0] == ends[1]:
            ends = [frame.at(view.to_view(*m.at))] * 2
        c.setLineWidth(0.6)
        c.setStrokeColorRGB(*QUIET)
        c.line(*ends[0], *ends[1])
        (ax, ay), (bx, by) = ends
        along = [(ax + share * (bx - ax), ay + share * (by - ay)) for share in (0.5, 0.25, 0.75)]
        free = [at for at in along if all(math.dist(at, other) > CLEAR for other in taken)]
        taken.append((free or along)[0])
        _number(c, taken[-1], number)


def _number(c: Any, at: Point, number: int) -> None:
    c.setFillColorRGB(1, 1, 1)
    c.circle(*at, 8, stroke=1, fill=1)
    c.setFillColorRGB(0, 0, 0)
    c.setFont("VeraBd", 9)
    c.drawCentredString(at[0], at[1] - 3.2, str(number))


def _boxes(paper: Paper, top: float, count: int, measurand: str) -> list[Box]:
    c: Any = paper.canvas
    wide = paper.width * WRITTEN / count
    x = paper.left + paper.width * (1 - WRITTEN)
    c.setStrokeColorRGB(*LINE)
    c.setLineWidth(0.8)
    found = []
    for i in range(count):
        c.rect(x + i * wide, top - BOX + 8, wide - 6, BOX, stroke=1, fill=0)
        corner, size = ((x + i * wide) / MM, (top - BOX + 8) / MM), ((wide - 6) / MM, BOX / MM)
        found.append(Box(measurand, i, paper.page, corner, size))
    return found
