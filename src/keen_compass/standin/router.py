"""A simulated router with hidden faults: what a real one would make of our file.

Commanded positions become real ones through each axis' true resolution and a play operator (lost
motion); the tool clears a strip as wide as the true kerf; what comes loose is the piece. Measuring
takes the distance between its edges, adds the scatter between equal pieces and the errors of the
instrument, and rounds to the instrument's division.
"""

from __future__ import annotations

import math
import random
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field
from typing import Any

from keen_compass.errors import FileFormatError, InputError
from keen_compass.pieces.toolpath import Point
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.resolution import StoredResolution
from keen_compass.standin.gcode_reader import Move, read_gcode
from keen_compass.standin.hpgl_reader import read_hpgl
from keen_compass.standin.svg_reader import read_svg

PEN_LINE = 0.4  # mm, width of a line that only marks the surface
_PROBE = 0.02  # mm, half width of the jaws' contact


@dataclass(frozen=True, slots=True)
class RouterTruth:
    """What is really so, hidden from the solver. Lengths in mm.

    motion: axis → the stored number's motion factor at which the axis would move exactly.
    lost_motion: axis → B.
    scatter: s of equal pieces, per dimension.
    instrument_error: (offset, slope) of the instrument used, inside its permissible error.
    repeat: s of single readings.
    """

    motion: Mapping[str, float]
    lost_motion: Mapping[str, float]
    kerf: float
    scatter: float
    instrument_error: tuple[float, float]
    repeat: float
    thickness: float = 9.0

    def to_json(self) -> dict[str, Any]:
        """For the demo shop's practice record."""
        return asdict(self)

    @classmethod
    def from_json(cls, body: Mapping[str, Any]) -> RouterTruth:
        """Inverse of `to_json`."""
        return cls(**{**body, "instrument_error": tuple(body["instrument_error"])})

    def scale_error(self, axis: str, stored: StoredResolution) -> float:
        """actual/commanded − 1 of an axis with this number in the controller."""
        return stored.motion_factor / self.motion[axis] - 1


@dataclass(frozen=True)
class MadePiece:
    """What came off the machine: edge polygons or lines, as they really are. Opaque to the solver."""

    shape: Any  # shapely geometry: the loose part, or the drawn lines
    drawn: bool
    scatter_seed: int
    truth: RouterTruth = field(repr=False)

    def read(
        self, line: tuple[Point, Point], name: str, count: int, instrument: Instrument, rng: random.Random
    ) -> list[float]:
        """`count` readings of the length along `line` (piece coordinates), mm, rounded as shown."""
        length = self._true_length(line) + random.Random(f"{self.scatter_seed}/{name}").gauss(0, self.truth.scatter)
        offset, slope = self.truth.instrument_error
        shown = []
        for _ in range(count):
            value = length + offset + slope * length + rng.gauss(0, self.truth.repeat)
            shown.append(round(value / instrument.resolution) * instrument.resolution)
        return [round(v, 6) for v in shown]

    def _true_length(self, line: tuple[Point, Point]) -> float:
        """Distance between the outermost edges met along `line`, jaws lying on the lowest corner's axes."""
        from shapely.geometry import box

        x_low, y_low, _, _ = self.shape.bounds
        (ax, ay), (bx, by) = line
        horizontal = abs(bx - ax) > abs(by - ay)
        # The line's position across is found from the piece itself, its reach along is open-ended:
        # jaws close on the edges, wherever those really are.
        if horizontal:
            at = y_low + ay
            probe = box(x_low - 1, at - _PROBE, x_low + 1.2 * max(ax, bx) + 1, at + _PROBE)
        else:
            at = x_low + ax
            probe = box(at - _PROBE, y_low - 1, at + _PROBE, y_low + 1.2 * max(ay, by) + 1)
        met = self.shape.intersection(probe)
        if met.is_empty:
            raise FileFormatError("the piece has no edge where the jaws were put")
        x0, y0, x1, y1 = met.bounds
        span = x1 - x0 if horizontal else y1 - y0
        return float(span - (PEN_LINE if self.drawn else 0.0))  # lines are read left edge to left edge


class Router:
    """A simulated router: a controller that keeps settings, and a machine that obeys them."""

    def __init__(self, truth: RouterTruth, settings: Mapping[str, StoredResolution], seed: int) -> None:
        self.truth = truth
        self.settings = dict(settings)
        self._random = random.Random(seed)

    def make(self, file: str, scatter_seed: int | None = None, units_per_mm: float = 40.0) -> MadePiece:
        """Run a file (G-code; HP-GL or SVG where it begins like that) on fresh stock.

        Raises FileFormatError where a controller would stop.

        scatter_seed: makes the very piece again that an earlier run made.
        units_per_mm: what the plotter takes HP-GL's units for.
        """
        from shapely.geometry import MultiLineString
        from shapely.ops import unary_union

        start = file.lstrip()
        if start.startswith("IN"):
            moves = read_hpgl(file, units_per_mm)
        else:
            moves = read_svg(file) if start.startswith("<") else read_gcode(file)
        through, marks = self._swept(moves)
        seed = self._random.randrange(2**31) if scatter_seed is None else scatter_seed
        if through:
            kerf = unary_union([_line(p).buffer(self.truth.kerf / 2, cap_style="round") for p in through])
            loose = [part for part in _enclosed(kerf) if part.area > self.truth.kerf**2]
            if not loose:
                raise FileFormatError("the file cut no closed outline: nothing came loose")
            return MadePiece(max(loose, key=lambda part: part.area), False, seed, self.truth)
        if not marks:
            raise FileFormatError("the file neither cut nor marked anything")
        drawn = MultiLineString(marks).buffer(PEN_LINE / 2, cap_style="square")
        return MadePiece(drawn, True, seed, self.truth)

    def _swept(self, moves: Sequence[Move]) -> tuple[list[list[Point]], list[list[Point]]]:
        """Real paths of the tool's centre: (cut at least half through, only marked)."""
        real = {axis: _Axis(self.truth.scale_error(axis, s), self.truth.lost_motion[axis])
                for axis, s in self.settings.items()}  # fmt: skip
        through: list[list[Point]] = []
        marks: list[list[Point]] = []
        run: list[Point] = []
        deepest, last_z = 0.0, math.inf
        here = (0.0, 0.0)
        for move in [*moves, None]:
            if move is None or move.z > 0:
                if len(run) > 1:
                    (through if -deepest > self.truth.thickness / 2 else marks).append(run)
                run, deepest = [], 0.0
            if move is None:
                break
            if move.rapid and move.z <= 0 and last_z <= 0:
                raise FileFormatError("a rapid move with the tool in the stock broke the cutter")
            here = (real["x"].go(move.x), real["y"].go(move.y))
            if move.z <= 0:
                run.append(here)
                deepest = min(deepest, move.z)
            last_z = move.z
        return through, marks


class _Axis:
    """Scale and play: the slide follows the screw only beyond half the lost motion on either side."""

    def __init__(self, scale_error: float, lost_motion: float) -> None:
        self._scale = 1 + scale_error
        self._half = lost_motion / 2
        self._at = -self._half

    def go(self, commanded: float) -> float:
        driven = commanded * self._scale
        self._at = min(max(self._at, driven - self._half), driven + self._half)
        return self._at


def _line(points: Sequence[Point]) -> Any:
    from shapely.geometry import LineString

    return LineString(points)


def _enclosed(kerf: Any) -> list[Any]:
    from shapely.geometry import Polygon

    parts = getattr(kerf, "geoms", [kerf])
    return [Polygon(hole) for part in parts for hole in part.interiors]


def random_truth(
    rng: random.Random, correct_motion: Mapping[str, float], compensation: float, instrument: Instrument
) -> RouterTruth:
    """A machine as it may turn up: all faults from one generator."""
    if not correct_motion:
        raise InputError("a machine needs at least one axis")
    a, b = instrument.permissible_error
    return RouterTruth(
        motion=dict(correct_motion),
        lost_motion={axis: rng.uniform(0.04, 0.25) for axis in correct_motion},
        kerf=compensation + rng.uniform(-0.25, 0.25),
        scatter=rng.uniform(0.008, 0.02),
        instrument_error=(rng.uniform(-a, a), rng.uniform(-b, b)),
        repeat=instrument.resolution * rng.uniform(0.6, 1.2),
    )
