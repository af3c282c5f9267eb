"""What was seen in a picture of a sheet or of a cut piece, as readings of the procedure whose it is."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

from msgspec import Struct

from keen_compass.pieces.page import Offset, Page
from keen_compass.pieces.where import Beside, Faces
from keen_compass.procedures.base import Procedure
from keen_compass.procedures.case import Case
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.notes import Note, note
from keen_compass.quantities.uncertainty import K_95
from keen_compass.solve.scanner import Known, Scanner, Size

CROSS = 2  # strokes of a target without verniers


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
    """What was read, mm, and to what (95 %)."""

    measurand: str
    mm: float
    U: float


class Readings(NamedTuple):
    """missed: measurands that the picture doesn't show."""

    read: tuple[Reading, ...]
    missed: tuple[str, ...]
    notes: tuple[Note, ...]


def readings_of(procedure: Procedure[Any], page: Page, beside: Sequence[Offset | None]) -> Readings:
    """beside: of each of the page's targets what was seen there, None where nothing was.

    Tool minus print, along the machine's axes; distances across a sheet are none of it: paper and printer stretch them.
    """
    by_target = dict(zip(page.targets, beside, strict=True))
    read, missed, distances = [], [], False
    for m in procedure.measurands(procedure.piece(procedure.on_page(page))):
        seen = by_target.get(m.where.at) if isinstance(m.where, Beside) else None
        distances = distances or not isinstance(m.where, Beside)
        if seen is None:
            missed.append(m.name)
            continue
        k = "xy".index(m.axis)
        sign = -1.0 if page.down and m.axis == "y" else 1.0
        read.append(Reading(m.name, sign * seen.at[k] + 0.0, seen.U[k]))
    return Readings(tuple(read), tuple(missed), (note("picture.distances"),) if distances else ())


def sizes_of(procedure: Procedure[Any], piece: Any, *, below: bool) -> dict[str, tuple[Point, Point]]:
    """What can be read between faces of a piece that lies on a scanner's glass: measurand → from face to face, mm.

    below: of a piece turned over, at its lower edges.
    """
    return {
        m.name: m.where.line
        for m in procedure.measurands(piece)
        if isinstance(m.where, Faces) and m.where.below is below and m.where.held in ("jaws", "inside")
    }


def inside_of(procedure: Procedure[Any], piece: Any) -> frozenset[str]:
    """Of these, the sizes of holes and slots."""
    return frozenset(
        m.name for m in procedure.measurands(piece) if isinstance(m.where, Faces) and m.where.held == "inside"
    )


def on_glass(
    procedure: Procedure[Any], piece: Any, sizes: Mapping[str, Size | None], scanner: Scanner, *, mirrored: bool
) -> Readings:
    """Sizes of a piece that lies on a scanner's glass, seen from the side on the glass; mirrored: its lower one."""
    above, below = (sizes_of(procedure, piece, below=side) for side in (False, True))
    inside, seen, read = inside_of(procedure, piece), below if mirrored and below else above, []
    for m in seen:
        if (size := sizes[m]) is not None:
            mm = scanner.length(size.u, size.v, inside=m in inside)
            U = math.hypot(K_95 * size.u_px * scanner.mm_per_px[0], scanner.U_at(mm))
            read.append(Reading(m, mm, U))
    missed = tuple(m for m in (*above, *below) if m not in seen or sizes[m] is None)
    return Readings(tuple(read), missed, (note("picture.lower" if mirrored else "picture.upper"),))


def known_lengths(procedure: Procedure[Any], case: Case, sizes: Mapping[str, Size | None]) -> list[Known]:
    """What a caliper says of the piece that lies on a scanner's glass, beside what is seen of it."""
    piece = procedure.piece(case.piece)
    inside, found = inside_of(procedure, piece), []
    for m in procedure.measurands(piece):
        if case.readings.get(m.name) and (size := sizes.get(m.name)) is not None:
            mean = case.measured(m.name, nominal=m.nominal).mean
            found.append(Known(size.u, size.v, size.u_px, mean.value, mean.U, m.name in inside))
    return found
