"""HP-GL for pen and knife plotters: 40 plotter units per mm unless the machine says otherwise."""

from __future__ import annotations

from keen_compass.errors import PieceError
from keen_compass.pieces.placement import Box, check_on_bed
from keen_compass.pieces.toolpath import Point, ToolPath

UNITS_PER_MM = 40.0


def write_hpgl(path: ToolPath, units_per_mm: float = UNITS_PER_MM, bed: Box | None = None) -> str:
    """Pen up to the approach and the start, pen down along the stroke.

    Raises PieceError when any point lies off the bed (or the roll), where that is given.
    """
    if not units_per_mm > 0:
        raise PieceError("must be larger than 0", "units_per_mm")
    if bed:
        check_on_bed(path, bed)

    def at(p: Point) -> str:
        return f"{round(p[0] * units_per_mm)},{round(p[1] * units_per_mm)}"

    words = ["IN;", "PA;", "SP1;"]
    for stroke in path.strokes:
        if stroke.approach:
            words.append(f"PU{at(stroke.approach)};")
        words.append(f"PU{at(stroke.points[0])};")
        words.append("PD" + ",".join(map(at, stroke.points[1:])) + ";")
    return "\n".join([*words, "PU;", "SP0;"]) + "\n"
