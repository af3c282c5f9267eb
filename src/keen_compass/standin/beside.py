"""How a controller moves the tool off the line that it was given: to the left or right of its way, by half of its kerf.

The first move after it is switched on ends beside the start of the next; corners are cut where the moved lines meet.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import replace

from keen_compass.errors import FileFormatError
from keen_compass.quantities.geometry import Point
from keen_compass.standin.gcode_reader import Move

LEAST = 1e-9  # mm of way
PARALLEL = 1e-6
SHARPEST = 8.0  # half kerfs, how far the tool leaves a corner before a controller stops


def moved_beside(moves: Sequence[Move], kerf: float) -> list[Move]:
    """The same moves where the controller really goes. kerf: full width that it keeps, mm."""
    found: list[Move] = []
    here, i = (0.0, 0.0), 0
    while i < len(moves):
        j = i
        while j < len(moves) and moves[j].beside and moves[j].beside == moves[i].beside:
            j += 1
        if j == i:
            found.append(moves[i])
            j = i + 1
        else:
            found += _shifted(moves[i:j], here, kerf / 2 * (1 if moves[i].beside == "left" else -1))
        here = moves[j - 1].x, moves[j - 1].y
        i = j
    return found


def _shifted(moves: Sequence[Move], start: Point, off: float) -> Iterator[Move]:
    """One stretch. off: to the left of the way, mm."""
    way = [start]
    for m in moves:
        if m.rapid:
            raise FileFormatError("a rapid move while the tool is beside its line")
        if math.dist(way[-1], (m.x, m.y)) > LEAST:
            way.append((m.x, m.y))
    if len(way) < 3:
        raise FileFormatError("too few moves to come beside the line")
    real = [_beside(way, k, off) for k in range(1, len(way))]
    k, last = -1, start
    for m in moves:
        if math.dist(last, (m.x, m.y)) > LEAST:
            k, last = k + 1, (m.x, m.y)
        x, y = real[k] if k >= 0 else start
        yield replace(m, x=x, y=y)


def pushed(way: Sequence[Point], off: float) -> list[Point]:
    """A way that is pushed to its left all along, as a cutter is that gives."""
    plain = [p for i, p in enumerate(way) if not i or math.dist(way[i - 1], p) > LEAST]
    if len(plain) < 2 or not off:
        return list(way)
    nx, ny = _left(plain[0], plain[1])
    first = plain[0][0] + off * nx, plain[0][1] + off * ny
    around = [plain[0], *plain]
    return [first, *(_beside(around, k, off) for k in range(2, len(around)))]


def _beside(way: Sequence[Point], k: int, off: float) -> Point:
    """Where the tool is after move `k`: the first ends beside the start of the next, the last beside its own end."""
    x, y = way[k]
    after = _left(way[k], way[k + 1]) if k + 1 < len(way) else None
    before = _left(way[k - 1], way[k]) if k > 1 else None
    if before is None or after is None:
        nx, ny = after or before or (0.0, 0.0)
        return x + off * nx, y + off * ny
    turn = 1 + before[0] * after[0] + before[1] * after[1]
    if turn < PARALLEL or math.sqrt(2 / turn) > SHARPEST:
        raise FileFormatError("the way turns back on itself beside its line")
    return x + off * (before[0] + after[0]) / turn, y + off * (before[1] + after[1]) / turn


def _left(a: Point, b: Point) -> Point:
    """Unit vector to the left of a way."""
    d = math.dist(a, b)
    return (a[1] - b[1]) / d, (b[0] - a[0]) / d
