"""What was seen in a picture of a sheet or of a cut piece, as readings of the procedure whose it is."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

from msgspec import Struct

from keen_compass.pieces.in_picture import Across, Sought
from keen_compass.pieces.page import Offset, Page
from keen_compass.pieces.where import Beside, Border, Closes, Faces, Lines, Slack
from keen_compass.procedures.base import AnyPiece, AnyProcedure, Lined
from keen_compass.procedures.case import Case
from keen_compass.procedures.sheets import BAR_READ, nominal_bars, printed_scale
from keen_compass.quantities.bodies import Parameters
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.notes import Note, note
from keen_compass.quantities.uncertainty import K_95
from keen_compass.solve.scanner import Known, Scanner, Size

CROSS = 2  # strokes of a target without verniers
LONGEST = 4.0  # mm, the same of straight lines beside each other
LONG_ENOUGH = 2.0  # mm, half of a line that is looked at
FROM_ENDS = 0.6  # mm, of a line that aren't
STRAYS = 2.0  # mm, by which a line may lie off
LEAST_BORDER = 0.8  # mm: nearer to its print a cut can't be told from it
NEAR = 0.5  # of a border, by which the cut, or the print's edge, may lie off


class SheetIn(Struct):
    """Which sheet it is."""

    kind: str
    number: int
    size: tuple[float, float]


class AxesIn(Struct):
    """Where the machine's axes point on the page."""

    y: tuple[float, float]


class DrawnIn(Struct):
    """What is drawn at a target."""

    strokes: list[Any]


class Geometry(Struct):
    """Of a geometry file, as `Page.to_json` writes it, what tells the sheet."""

    sheet: SheetIn
    axes: AxesIn
    drawn: list[DrawnIn] = []

    @property
    def fine(self) -> bool:
        """Whether its targets have verniers."""
        return any(len(d.strokes) > CROSS for d in self.drawn)


class Reading(NamedTuple):
    """What was read, mm, and to what (95 %); or which of several was picked, and 0."""

    measurand: str
    mm: float
    U: float


class Readings(NamedTuple):
    """missed: measurands that the picture doesn't show."""

    read: tuple[Reading, ...]
    missed: tuple[str, ...]
    notes: tuple[Note, ...]


def sought_on(procedure: AnyProcedure, piece: AnyPiece, page: Page | None) -> dict[str, tuple[Sought, Sought]]:
    """What is read from one line to another: measurand → both, mm on the sheet, or on the piece where there is none."""
    found = {}
    for m in procedure.measurands(piece):
        if isinstance(m.where, Lines) and isinstance(piece, Lined):
            lines = piece.lines()
            found[m.name] = _facing(lines[m.where.first], lines[m.where.last], m.where.axis, page)
        elif isinstance(m.where, Border) and page is not None and abs(m.where.ordered) >= LEAST_BORDER:
            found[m.name] = _print_and_cut(m.where, page)
    return found


def _facing(
    first: tuple[Point, Point], last: tuple[Point, Point], axis: str, page: Page | None
) -> tuple[Sought, Sought]:
    """Two lines square to an axis, where they run beside each other."""
    k = "xy".index(axis)
    along = [sorted(end[1 - k] for end in line) for line in (first, last)]
    low, high = max(a for a, _ in along), min(b for _, b in along)
    half = min((high - low) / 2 - FROM_ENDS, LONGEST)

    def sought(line: tuple[Point, Point]) -> Sought:
        at = (line[0][0], (low + high) / 2) if k == 0 else ((low + high) / 2, line[0][1])
        return Sought(page.on_paper(at) if page else at, _on_paper(k, page), half, STRAYS)

    return sought(first), sought(last)


def _print_and_cut(where: Border, page: Page) -> tuple[Sought, Sought]:
    """The edge of the print, and the cut beside it: each is looked for where the other can't be."""
    x, y = page.on_paper(where.at)
    (u, v), border = where.out, where.ordered
    out = (u, -v if page.down else v)
    reach = min(NEAR * abs(border), STRAYS)
    edge = Sought((x - border * out[0], y - border * out[1]), out, LONG_ENOUGH, reach, edge=True)
    return edge, Sought((x, y), out, LONG_ENOUGH, reach)


def _on_paper(k: int, page: Page | None) -> Point:
    """Where an axis points on the paper."""
    return (1.0, 0.0) if k == 0 else (0.0, -1.0 if page and page.down else 1.0)


class SheetBars(NamedTuple):
    """What a printed sheet is known to be stretched by. scale: mm/mm, (along X, along Y); U: of each (95 %)."""

    scale: Point
    U: Point


def bars_of(parameters: Parameters, U: float = K_95 * BAR_READ) -> SheetBars | None:
    """By its check bars, where they were measured. U: of one of them, mm (95 %)."""
    scale = printed_scale(parameters)
    if scale is None:
        return None
    x, y = nominal_bars(parameters)
    return SheetBars(scale, (U / x, U / y))


class Found(NamedTuple):
    """In a picture of a sheet. beside: of each of its targets what the tool drew there, None where nothing was; lines:
    of all that was sought; map_u: mm, standard, of a place on the sheet.
    """

    beside: Sequence[Offset | None]
    lines: Mapping[str, Sequence[Across | None]]
    map_u: float


def readings_of(
    procedure: AnyProcedure, piece: AnyPiece, page: Page | None, found: Found, bars: SheetBars | None = None
) -> Readings:
    """Tool minus print, along the machine's axes, and borders; distances across a sheet where its check bars say by how
    much printer and paper stretch them.
    """
    by_target = dict(zip(page.targets, found.beside, strict=True)) if page else {}
    read, missed, distances = [], [], False
    for m in procedure.measurands(piece):
        reading: Reading | None = None
        if isinstance(m.where, Beside) and (seen := by_target.get(m.where.at)) is not None:
            k = "xy".index(m.axis)
            sign = _on_paper(k, page)[k]
            reading = Reading(m.name, sign * seen.at[k] + 0.0, seen.U[k])
        elif (ends := found.lines.get(m.name)) and ends[0] is not None and ends[1] is not None:
            off, U = ends[1].off - ends[0].off, math.hypot(ends[0].U, ends[1].U)
            if isinstance(m.where, Border) or page is None:
                reading = Reading(m.name, m.nominal + off, U)
            elif bars is None:
                distances = True
            else:
                k = "xy".index(m.axis)
                mm = (m.nominal + off) * bars.scale[k]
                U = math.hypot(U, K_95 * math.sqrt(2) * found.map_u, bars.U[k] * m.nominal)
                reading = Reading(m.name, mm, U)
        if reading is None:
            missed.append(m.name)
        else:
            read.append(reading)
    return Readings(tuple(read), tuple(missed), (note("picture.distances"),) if distances else ())


def sizes_of(procedure: AnyProcedure, piece: AnyPiece, *, below: bool) -> dict[str, Faces | Slack | Closes]:
    """What can be read of a piece that lies on a scanner's glass, by measurand.

    below: of a piece turned over, at its lower edges.
    """
    found: dict[str, Faces | Slack | Closes] = {}
    for m in procedure.measurands(piece):
        if isinstance(m.where, Faces):
            if m.where.held in ("jaws", "inside", "part") and m.where.below is below:
                found[m.name] = m.where
        elif isinstance(m.where, (Slack, Closes)) and not below:
            found[m.name] = m.where
    return found


def inside_of(procedure: AnyProcedure, piece: AnyPiece) -> frozenset[str]:
    """Of these, the sizes of holes and slots, and of room that is free."""
    return frozenset(
        m.name
        for m in procedure.measurands(piece)
        if isinstance(m.where, Slack) or (isinstance(m.where, Faces) and m.where.held == "inside")
    )


def on_glass(
    procedure: AnyProcedure,
    piece: AnyPiece,
    sizes: Mapping[str, Size | None],
    picks: Mapping[str, float],
    scanner: Scanner,
    *,
    mirrored: bool,
    ambiguous: bool = False,
    several: bool = False,
) -> Readings:
    """Sizes of a piece that lies on a scanner's glass, seen from the side on the glass; mirrored: its lower one;
    ambiguous: it looks the same another way; several: it fell into parts, which lie in their order.
    """
    above, below = (sizes_of(procedure, piece, below=side) for side in (False, True))
    inside, seen, read = inside_of(procedure, piece), below if mirrored and below else above, []
    for m in seen:
        if m in picks:
            read.append(Reading(m, picks[m], 0.0))
        elif (size := sizes[m]) is not None:
            mm = scanner.length(size.u, size.v, inside=m in inside)
            U = math.hypot(K_95 * size.u_px * scanner.mm_per_px[0], scanner.U_at(mm))
            read.append(Reading(m, mm, U))
    taken = {r.measurand for r in read}
    missed = tuple(m for m in (*above, *below) if m not in taken)
    if several:
        return Readings(tuple(read), missed, (note("picture.in_order"),))
    if not any(isinstance(where, Faces) for where in seen.values()):  # free room is the same from either side
        return Readings(tuple(read), missed, ())
    side = note("picture.lower" if mirrored else "picture.upper")
    return Readings(tuple(read), missed, (side, note("picture.either_way")) if ambiguous else (side,))


def known_lengths(procedure: AnyProcedure, case: Case, sizes: Mapping[str, Size | None]) -> list[Known]:
    """What a caliper says of the piece that lies on a scanner's glass, beside what is seen of it."""
    piece = procedure.piece(case.piece)
    inside, found = inside_of(procedure, piece), []
    for m in procedure.measurands(piece):
        if case.readings.get(m.name) and (size := sizes.get(m.name)) is not None:
            mean = case.measured(m.name, nominal=m.nominal).mean
            found.append(Known(size.u, size.v, size.u_px, mean.value, mean.U, m.name in inside))
    return found
