"""A simulated machine with hidden faults: what a real one would make of our file.

Commanded positions become real ones through each axis' true resolution, the controller's own backlash
compensation and a play operator (lost motion), then through skew and home offset; the tool clears a
strip as wide as the true kerf; what comes loose is the piece. A file that only moves and waits leaves
the places where it waited. Measuring adds the scatter between equal pieces and the errors of the
instrument, and rounds to the instrument's division.
"""

from __future__ import annotations

import math
import random
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from itertools import pairwise

from keen_compass.errors import FileFormatError
from keen_compass.quantities.geometry import Area, Point
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.resolution import StoredResolution
from keen_compass.quantities.stored import StoredValue
from keen_compass.standin.beside import moved_beside
from keen_compass.standin.cutting import Cut, Part, fallen
from keen_compass.standin.gcode_reader import Move, read_gcode
from keen_compass.standin.hpgl_reader import read_hpgl
from keen_compass.standin.svg_reader import read_svg
from keen_compass.standin.truth import Truth, amount

PEN_LINE = 0.4  # mm, width of a line that only marks the surface
LOST_AT_ONCE = 0.4  # mm; a motor that falls out of step loses some steps at once
LOST_PER_EXCESS = 2.0  # mm that a move loses besides for each 100 % above the feed that an axis holds
COME_FROM = 5.0  # mm, more than any play
MEETS = 2.0  # mm, within which a line has come back to where it began
MOST_PIERCE = 8.0  # mm, from which an arc still reaches the sheet
_PROBE = 0.02  # mm, half width of the jaws' contact


@dataclass(frozen=True)
class Burn:
    """One line that torch or beam burnt: height, power (%) and feed (mm/min) along it, and whether it went through."""

    height: float
    power: float
    feed: float
    through: bool


@dataclass
class Made:
    """What came of a file. Opaque to the solver.

    parts: what came loose, largest first. lower: it is looked at from below.
    lines: what was drawn or scribed, the middle of each line, in the order of the file.
    stops: real (x, y, z) wherever the file waited.
    burns: all that torch or beam burnt, in the order of the file.
    uses: of what cut it: pierces of a torch or beam, of a cutter metres.
    settings: what the controller held.
    """

    truth: Truth = field(repr=False)
    settings: Mapping[str, StoredValue]
    seed: int
    parts: tuple[Part, ...] = ()
    lower: bool = False
    lines: tuple[tuple[Point, ...], ...] = ()
    stops: tuple[tuple[float, float, float], ...] = ()
    burns: tuple[Burn, ...] = ()
    uses: float = 0.0

    @property
    def drawn(self) -> bool:
        """Whether it only marked."""
        return not self.parts and bool(self.lines)

    @cached_property
    def shape(self) -> Area:
        """The piece itself: the largest part, or the drawn lines with their width."""
        if not self.parts:
            return _drawn(self.lines)
        return self.parts[0].below(self.truth) if self.lower else self.parts[0].shape

    def read(
        self,
        line: tuple[Point, Point],
        name: str,
        count: int,
        instrument: Instrument,
        rng: random.Random,
        held: str = "jaws",
    ) -> list[float]:
        """`count` readings of the length along `line` (piece coordinates), mm, rounded as shown."""
        length = self.true_length(line, held) + random.Random(f"{self.seed}/{name}").gauss(0, self.truth.scatter)
        return [self.truth.read(length, instrument, rng) for _ in range(count)]

    def true_length(self, line: tuple[Point, Point], held: str) -> float:
        """The length that an instrument without error would show."""
        if held == "jaws":
            return self._between_jaws(line)
        if held == "inside":
            return self._inside(line)
        if held == "part":
            return self._one_of_several(line)
        (ax, ay), (bx, by) = line
        d = math.dist(line[0], line[1])
        u, v = (bx - ax) / d, (by - ay) / d
        along = [(x * u + y * v, x, y) for x, y in self._outline()]
        low, high = min(along), max(along)
        return math.dist(low[1:], high[1:]) if held == "corners" else high[0] - low[0]

    def slack(self, line: tuple[Point, Point]) -> float:
        """What the strips that came loose leave free in the frame's window, along a line across both."""
        return self._inside(line) - sum(_width_half_way(part.shape) for part in self.parts[1:])

    def positions(self, axis: str) -> list[float]:
        """Where an axis really was at each stop; of a plotter, where each tick lies."""
        if self.stops:
            return [stop["xyz".index(axis)] for stop in self.stops]
        return [self.line_at(i, axis) for i in range(len(self.lines))]

    def line_at(self, index: int, axis: str) -> float:
        """Where the middle of a drawn line lies along an axis; a flick may lead to it."""
        return sum(p["xy".index(axis)] for p in self.lines[index][-2:]) / 2

    def apart(self, first: int, last: int, axis: str) -> float:
        """From one drawn line to another, square to the first, mm; larger than 0 where it lies farther along the
        axis.
        """
        (ax, ay), (bx, by) = self.lines[first][-2:]
        (cx, cy), (dx, dy) = self.lines[last][-2:]
        square = (by - ay, ax - bx)
        way = math.copysign(1.0, square["xy".index(axis)])
        off = square[0] * (cx + dx - ax - bx) + square[1] * (cy + dy - ay - by)
        return way * off / 2 / math.hypot(*square)

    @cached_property
    def below(self) -> Made:
        """The same as it is at its lower edges."""
        return replace(self, lower=True)

    def _inside(self, line: tuple[Point, Point]) -> float:
        """Between the edges of the hole or slot that the line lies across; of its own place, wherever that is."""
        from shapely.geometry import LineString, Polygon, box

        if not self.parts:
            raise FileFormatError("nothing came loose: it was not cut through")
        x_low, y_low, _, _ = self.shape.bounds
        (ax, ay), (bx, by) = ((x + x_low, y + y_low) for x, y in line)
        middle = LineString([(ax, ay), (bx, by)]).interpolate(0.5, normalized=True)
        holes = [Polygon(ring) for ring in self.shape.interiors]
        hole = next((h for h in holes if h.contains(middle)), None)
        if hole is None:
            raise FileFormatError("the piece has no hole where the jaws were put")
        level = abs(bx - ax) > abs(by - ay)
        x0, y0, x1, y1 = hole.bounds
        at = (x0 + x1) / 2 if not level else (y0 + y1) / 2
        probe = (
            box(x0 - 1, at - _PROBE, x1 + 1, at + _PROBE) if level else box(at - _PROBE, y0 - 1, at + _PROBE, y1 + 1)
        )
        met = hole.intersection(probe).bounds
        return float(met[2] - met[0] if level else met[3] - met[1])

    def _one_of_several(self, line: tuple[Point, Point]) -> float:
        """The width of the part that lies where the line is, its place counted from the lowest corner of all."""
        from shapely.geometry import Point, box

        x_low, y_low = (min(part.shape.bounds[k] for part in self.parts) for k in (0, 1))
        (ax, ay), (bx, by) = ((x + x_low, y + y_low) for x, y in line)
        middle = Point((ax + bx) / 2, (ay + by) / 2)
        part = next((p.shape for p in self.parts if p.shape.contains(middle)), None)
        if part is None:
            raise FileFormatError("no part lies where the jaws were put")
        met = part.intersection(box(ax - 5, middle.y - _PROBE, bx + 5, middle.y + _PROBE))
        return float(met.bounds[2] - met.bounds[0])

    def _outline(self) -> list[Point]:
        """Corners of the piece, or the ends of what was drawn."""
        if self.drawn:
            return [p for line in self.lines for p in _wanted(line)]
        return [(x, y) for x, y, *_ in self.shape.exterior.coords]

    def _between_jaws(self, line: tuple[Point, Point]) -> float:
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


def _wanted(line: tuple[Point, ...]) -> tuple[Point, ...]:
    """What of a drawn line was meant to be read: of one that runs once round that, of an open one its last stretch; a
    flick may lead to either.
    """
    met = [i for i, p in enumerate(line[:-2]) if math.dist(p, line[-1]) < MEETS]
    return line[met[0] :] if met else line[-2:]


class Router:
    """A controller that keeps settings, by quantity, and a machine that obeys them."""

    def __init__(self, truth: Truth, settings: Mapping[str, StoredValue], seed: int) -> None:
        self.truth = truth
        self.settings = dict(settings)
        self._random = random.Random(seed)

    def make(
        self, file: str, seed: int | None = None, units_per_mm: float = 40.0, second_held: Point | None = None
    ) -> Made:
        """Run a file (G-code; HP-GL or SVG where it begins like that) on fresh stock.

        Raises FileFormatError where a controller would stop.

        seed: makes the very same again that an earlier run made.
        units_per_mm: what the plotter takes HP-GL's units for. second_held: where the controller has its second tool,
        mm from the first; as its settings have it where nothing is said.
        """
        start = file.lstrip()
        if start.startswith("IN"):
            moves = read_hpgl(file, units_per_mm)
        else:
            moves = read_svg(file) if start.startswith("<") else read_gcode(file)
        seed = self._random.randrange(2**31) if seed is None else seed
        one_run = _Run(self.truth, self.settings, seed)
        held = second_held or (amount(self.settings, "second_tool_x"), amount(self.settings, "second_tool_y"))
        sits = self.truth.heads.get("second_tool", held)
        moves = [replace(m, x=m.x - held[0], y=m.y - held[1]) if m.pen == 2 else m for m in moves]
        one_run.sits = sits
        follow = one_run.burn if self.truth.thermal and not start.startswith(("IN", "<")) else one_run.follow
        through, marks, stops = follow(moved_beside(moves, self.truth.kept_kerf(self.settings)))
        metres = sum(math.dist(a, b) for cut in through for a, b in pairwise(cut.way)) / 1000
        uses = float(len(through) + len(marks)) if self.truth.thermal else metres
        made = Made(self.truth, dict(self.settings), seed, stops=tuple(stops), burns=tuple(one_run.burns), uses=uses)
        if through or marks:
            parts = fallen(through, self.truth) if through else ()
            return replace(made, parts=parts, lines=tuple(map(tuple, marks)))
        if not stops:
            raise FileFormatError("the file neither cut nor marked anything, nor waited anywhere")
        return made

    def brought(self, to: Point) -> Point:
        """Where the head really stands when it is sent somewhere from below and from the left."""
        run, (x, y) = _Run(self.truth, self.settings, 0), to
        for back in (COME_FROM, 0.0):
            at = [run._axes[a].go(v - back, 1.0, rapid=True) for a, v in (("x", x), ("y", y))]
        return at[0] + run._tan * at[1] + run._shift["x"], at[1] + run._shift["y"]


class _Run:
    """One file on its way through the machine."""

    def __init__(self, truth: Truth, settings: Mapping[str, StoredValue], seed: int) -> None:
        self._truth = truth
        rng = random.Random(f"{seed}/rest")
        self._rest = rng
        self._axes = {a: _Axis(truth, settings, a, rng) for a in ("x", "y", "z")}
        self._tan = truth.tan_skew(settings)
        self.burns: list[Burn] = []
        self.sits: Point = (0.0, 0.0)  # where the second tool really is, mm from the first
        self._shift = {a: truth.home_shift(a, settings) for a in ("x", "y")}

    def follow(self, moves: Sequence[Move]) -> tuple[list[Cut], list[list[Point]], list[tuple[float, float, float]]]:
        """Real paths of the tool's centre: cut at least half through, only marked; and where it waited."""
        through: list[Cut] = []
        marks: list[list[Point]] = []
        stops: list[tuple[float, float, float]] = []
        run: list[Point] = []
        deepest, last_z = 0.0, math.inf
        for move in [*moves, None]:
            if move is None or move.z > 0:
                if len(run) > 1 and -deepest > self._truth.thickness / 2:
                    through.append(Cut(run, self._truth.kerf))
                elif len(run) > 1:
                    marks.append(run)
                run, deepest = [], 0.0
            if move is None:
                break
            if move.rapid and move.z <= 0 and last_z <= 0 and not move.waits:
                raise FileFormatError("a rapid move with the tool in the stock broke the cutter")
            x, y, z = (self._axes[a].go(getattr(move, a), move.feed, rapid=move.rapid) for a in ("x", "y", "z"))
            here = (x + self._tan * y + self._shift["x"], y + self._shift["y"])
            if move.pen == 2:
                here = (here[0] + self.sits[0], here[1] + self.sits[1])
            if move.waits:
                s = self._truth.settle
                stops.append(
                    (here[0] + self._rest.gauss(0, s), here[1] + self._rest.gauss(0, s), z + self._rest.gauss(0, s))
                )
            elif move.z <= 0:
                run.append(here)
                deepest = min(deepest, move.z)
            last_z = move.z
        return through, marks, stops

    def burn(self, moves: Sequence[Move]) -> tuple[list[Cut], list[list[Point]], list[tuple[float, float, float]]]:
        """Real paths where torch or beam was on: through, where it pierced; else only marked."""
        through: list[Cut] = []
        marks: list[list[Point]] = []
        stops: list[tuple[float, float, float]] = []
        run: list[Point] = []
        burning, pierced, height, power, feed = False, 0.0, 0.0, 0.0, 0.0
        before: Point = (0.0, 0.0)
        for move in [*moves, None]:
            if move is None or not move.spinning:
                if len(run) > 1:
                    goes = pierced >= self._truth.pierce and self._truth.goes_through(power, feed)
                    self.burns.append(Burn(height, power, feed, goes))
                    if goes:
                        through.append(Cut(run, self._truth.width_at(height)))
                    else:
                        marks.append(run)
                run, burning, pierced = [], False, 0.0
            if move is None:
                break
            if move.spinning and move.rapid:
                raise FileFormatError("a rapid move with the torch on burnt across the sheet")
            if not burning and move.spinning:
                burning, high = True, self._truth.thermal == "plasma" and move.z > MOST_PIERCE
                if high:
                    raise FileFormatError("the arc did not reach the sheet: it pierces too high")
            x, y, z = (self._axes[a].go(getattr(move, a), move.feed, rapid=move.rapid) for a in ("x", "y", "z"))
            here = (x + self._tan * y + self._shift["x"], y + self._shift["y"])
            if move.spinning:
                run = run or [before]
                pierced += move.dwell if len(set(run)) <= 1 else 0.0
                height, power, feed = move.z, move.power, move.feed
                run.append(here)
            elif move.waits:
                stops.append((*here, z))
            before = here
        return through, marks, stops


class _Axis:
    """Scale, compensation and play: the slide follows the screw only beyond half the lost motion on either side."""

    def __init__(self, truth: Truth, settings: Mapping[str, StoredValue], axis: str, rng: random.Random) -> None:
        stored = settings.get(f"{axis}_steps")
        known = isinstance(stored, StoredResolution) and axis in truth.motion
        self._scale = 1 + (truth.scale_error(axis, stored) if known else 0.0)  # type: ignore[arg-type]
        self._half = truth.lost_motion.get(axis, 0.0) / 2
        self._compensation = amount(settings, f"{axis}_backlash")
        self._limit = truth.limits.get(axis, math.inf)
        self._lead = truth.lead.get(axis)
        self._drift = truth.feed_drift(settings)
        self._truth, self._rng, self._slips = truth, rng, truth.feed_axis == axis
        self._commanded, self._way, self._lost = 0.0, 0, 0.0
        self._at = -self._half

    def go(self, commanded: float, feed: float, *, rapid: bool) -> float:
        moved = commanded - self._commanded
        self._commanded = commanded
        if moved:
            self._way = 1 if moved > 0 else -1
            self._lose(moved, feed, rapid=rapid)
        driven = commanded * self._scale + self._way * self._compensation / 2 + self._lost
        self._at = min(max(self._at, driven - self._half), driven + self._half)
        if self._lead:
            amplitude, period = self._lead
            return self._at + amplitude * math.sin(2 * math.pi * self._at / period)
        return self._at

    def _lose(self, moved: float, feed: float, *, rapid: bool) -> None:
        """Steps lost above the feed that the axis holds; a feed roller slips a little on its way back."""
        if not rapid and feed > self._limit:
            reached = min(feed, 60 * math.sqrt(abs(moved) * self._truth.acceleration))
            excess = reached / self._limit - 1
            if excess > 0:
                share = 1.0 if moved > 0 else 0.4  # the way back is easier, so a miss is left
                self._lost -= (
                    self._way * share * (LOST_AT_ONCE + LOST_PER_EXCESS * excess) * self._rng.uniform(0.7, 1.3)
                )
        if self._slips and moved < 0:
            metres = abs(moved) / 1000
            self._lost += self._drift * metres + self._rng.gauss(0, self._truth.slip * math.sqrt(metres))


def _width_half_way(part: Area) -> float:
    """Along X; strips that lean lie against one another all along."""
    from shapely.geometry import box

    x0, y0, x1, y1 = part.bounds
    middle = (y0 + y1) / 2
    met = part.intersection(box(x0 - 1, middle - _PROBE, x1 + 1, middle + _PROBE)).bounds
    return float(met[2] - met[0])


def _drawn(marks: Sequence[Sequence[Point]]) -> Area:
    from shapely.geometry import MultiLineString

    return MultiLineString([list(m) for m in marks]).buffer(PEN_LINE / 2, cap_style="square")
