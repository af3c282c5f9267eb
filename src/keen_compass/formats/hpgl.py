"""HP-GL for pen and knife plotters: 40 plotter units per mm unless the machine says otherwise."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from itertools import islice

from keen_compass.errors import PieceError
from keen_compass.pieces.placement import check_on_bed
from keen_compass.pieces.toolpath import ToolPath
from keen_compass.quantities.geometry import Box, Point

UNITS_PER_MM = 40.0
POINTS_PER_LINE = 8  # 8 × two numbers of at most 10 characters stay below 200
MOST_UNITS = 10_000.0  # per mm


def write_hpgl(path: ToolPath, units_per_mm: float = UNITS_PER_MM, bed: Box | None = None) -> str:
    """Pen up to the approach and the start, pen down along the stroke.

    Raises PieceError when any point lies off the bed (or the roll), where that is given.
    """
    if not 0 < units_per_mm <= MOST_UNITS:
        raise PieceError(f"must be larger than 0, at most {MOST_UNITS:g}", "units_per_mm")
    if bed:
        check_on_bed(path, bed, "roll")

    def at(p: Point) -> str:
        return f"{round(p[0] * units_per_mm)},{round(p[1] * units_per_mm)}"

    words = ["IN;", "PA;", "SP1;"]
    for stroke in path.strokes:
        if stroke.approach:
            words.append(f"PU{at(stroke.approach)};")
        words.append(f"PU{at(stroke.points[0])};")
        for part in batched(map(at, stroke.points[1:]), POINTS_PER_LINE):
            words.append(f"PD{','.join(part)};")  # a plotter's buffer is small
    return "\n".join([*words, "PU;", "SP0;"]) + "\n"


def batched(points: Iterable[str], size: int) -> Iterator[list[str]]:
    """Lists of at most so many; `itertools.batched` came with Python 3.12."""
    rest = iter(points)
    while part := list(islice(rest, size)):
        yield part
