"""HP-GL for pen and knife plotters: 40 plotter units per mm unless the machine says otherwise."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator
from itertools import islice

from keen_compass.errors import PieceError
from keen_compass.language import tr
from keen_compass.pieces.placement import check_on_bed
from keen_compass.pieces.toolpath import Stroke, ToolPath
from keen_compass.quantities.geometry import Box, Point

UNITS_PER_MM = 40.0
POINTS_PER_LINE = 8  # 8 × two numbers of at most 10 characters stay below 200
CHORD_DEGREES = 1  # of arcs: plotters take 5° unless told, which is seen
START = ("IN;", "PA;")
MOST_UNITS = 10_000.0  # per mm


def write_hpgl(path: ToolPath, units_per_mm: float = UNITS_PER_MM, bed: Box | None = None) -> str:
    """Pen up to the approach and the start, pen down along the stroke.

    Raises PieceError when any point lies off the bed (or the roll), where that is given.
    """
    if not 0 < units_per_mm <= MOST_UNITS:
        raise PieceError(tr("must be larger than 0, at most {most_units:g}", most_units=MOST_UNITS), "units_per_mm")
    if bed:
        check_on_bed(path, bed, "roll")

    def at(p: Point) -> str:
        return f"{round(p[0] * units_per_mm)},{round(p[1] * units_per_mm)}"

    words = [*START]
    pen = 0
    for layer in path.layers:
        if layer.strokes and layer.pen != pen:
            pen = layer.pen
            words += ["PU;"] if len(words) > len(START) else []
            words.append(f"SP{pen};")
        for stroke in layer.strokes:
            if stroke.approach:
                words.append(f"PU{at(stroke.approach)};")
            words.append(f"PU{at(stroke.points[0])};")
            words += _down(stroke, at)
    return "\n".join([*words, "PU;", "SP0;"]) + "\n"


def _down(stroke: Stroke, at: Callable[[Point], str]) -> Iterator[str]:
    """Along a stroke: lines in short instructions, as a plotter's buffer is small; and arcs, to their very ends."""
    straight: list[str] = []
    for span in stroke.spans():
        if span.arc:
            yield from (f"PD{','.join(part)};" for part in batched(straight or [at(span.a)], POINTS_PER_LINE))
            yield f"AA{at(span.arc.centre)},{math.degrees(span.sweep):.4f},{CHORD_DEGREES};"
            straight = []
        straight.append(at(span.b))
    yield from (f"PD{','.join(part)};" for part in batched(straight, POINTS_PER_LINE))


def batched(points: Iterable[str], size: int) -> Iterator[list[str]]:
    """Lists of at most so many; `itertools.batched` came with Python 3.12."""
    rest = iter(points)
    while part := list(islice(rest, size)):
        yield part
