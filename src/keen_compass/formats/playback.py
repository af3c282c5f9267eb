"""The dry run: a written file read back, word by word, and played on the bed before anything is cut.

It knows what ISO 6983, HP-GL and SVG mean and nothing of how our writers work, so it says what the machine was really
sent: in which order, where the tool is on and where it only travels, how long it takes.
"""

from __future__ import annotations

import bisect
import math
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import accumulate

from keen_compass.errors import FileFormatError
from keen_compass.language import tr
from keen_compass.pieces.toolpath import ToolPath
from keen_compass.quantities.geometry import Box, Point
from keen_compass.quantities.lengths import MM_PER_INCH
from keen_compass.quantities.notes import Note, note

CHORD_WITHIN = 0.01  # mm, that a bit of an arc may lie off it
TURNS = math.radians(12)  # a corner sharper than this is taken at a stop
RAPID = 6000.0  # mm/min, where unknown
PEN_SECONDS = 0.15  # to lift or to lower a pen
MEANT_WITHIN = 0.05  # mm, of the nominal line: what is further off was not meant
LEAST_STRAY = 0.5  # mm of line, shorter bits are rounding at corners
_WORD = re.compile(r"([A-Z])\s*([-+]?(?:\d+\.?\d*|\.\d+))")
_REMARK = re.compile(r"\([^)]*\)|;.*")


@dataclass(frozen=True, slots=True)
class Speeds:
    """What the file doesn't say: rapid, and pen where it has no feed (mm/min); acceleration, mm/s²."""

    rapid: float = RAPID
    pen: float = 2400.0
    acceleration: float = 400.0


@dataclass(frozen=True, slots=True)
class Step:
    """A straight bit of the way; an arc comes as several.

    on: the tool is in the stock, the pen down. z: where it ends. feed: mm/min. seconds: how long it takes, or waits.
    line: of the file, from 1. waits: it stops until told to go on.
    """

    a: Point
    b: Point
    z: float
    on: bool
    rapid: bool
    feed: float
    line: int
    seconds: float = 0.0
    waits: bool = False

    @property
    def far(self) -> float:
        """mm in X and Y."""
        return math.dist(self.a, self.b)


@dataclass(frozen=True)
class DryRun:
    """Everything that a file makes a machine do.

    ends: when each step ends, s. lines: each stretch during which the tool stays on, in order. extents: the box of
    everything that the tool does while on; of all its places where it never is.
    """

    steps: tuple[Step, ...]
    ends: tuple[float, ...]
    lines: tuple[tuple[Step, ...], ...]
    extents: Box

    @classmethod
    def of(cls, steps: tuple[Step, ...]) -> DryRun:
        """What these steps are in all."""
        return cls(steps, tuple(accumulate(step.seconds for step in steps)), _lines(steps), _extents(steps))

    def moved(self, dx: float, dy: float) -> DryRun:
        """The same elsewhere on the bed."""

        def shift(p: Point) -> Point:
            return p[0] + dx, p[1] + dy

        return DryRun.of(tuple(replace(s, a=shift(s.a), b=shift(s.b)) for s in self.steps))

    @property
    def seconds(self) -> float:
        """How long it takes in all, stops not counted."""
        return self.ends[-1] if self.steps else 0.0

    def length(self, *, on: bool) -> float:
        """mm travelled with the tool on, or off."""
        return sum(step.far for step in self.steps if step.on is on)

    def at(self, seconds: float) -> tuple[int, Point]:
        """How many steps are done then, and where the tool is."""
        if not self.steps:
            return 0, (0.0, 0.0)
        i = min(bisect.bisect_right(self.ends, seconds), len(self.steps) - 1)
        step = self.steps[i]
        share = 1.0 if not step.seconds else min(max(1 - (self.ends[i] - seconds) / step.seconds, 0.0), 1.0)
        (ax, ay), (bx, by) = step.a, step.b
        return i, (ax + share * (bx - ax), ay + share * (by - ay))


def _lines(steps: Sequence[Step]) -> tuple[tuple[Step, ...], ...]:
    found: list[list[Step]] = []
    begun = False
    for step in steps:
        if step.on and step.far:
            if not begun:
                found.append([])
            found[-1].append(step)
        begun = step.on and (begun or step.far > 0)
    return tuple(map(tuple, found))


def _extents(steps: Sequence[Step]) -> Box:
    on = [p for s in steps if s.on for p in (s.a, s.b)] or [p for s in steps for p in (s.a, s.b)]
    xs, ys = [x for x, _ in on] or [0.0], [y for _, y in on] or [0.0]
    return Box(min(xs), min(ys), max(xs) - min(xs), max(ys) - min(ys))


def read_back(text: str, speeds: Speeds, units_per_mm: float = 40.0, *, thermal: bool = False) -> DryRun:
    """Play a file. thermal: what is on is torch or beam, whatever the height.

    Raises FileFormatError, naming the place, for what a machine would not understand.
    """
    start = text.lstrip()
    if start.startswith("<"):
        steps = _svg(text, speeds)
    elif start.startswith("IN"):
        steps = _hpgl(text, units_per_mm, speeds)
    else:
        steps = _gcode(text, speeds, thermal=thermal)
    return DryRun.of(tuple(_timed(list(steps), speeds)))


def misfits(run: DryRun, bed: Box, meant: ToolPath | None = None) -> list[Note]:
    """What is wrong with it: leaves the bed, travels in the stock, makes or omits lines against the order."""
    wrong = []
    for step in run.steps:
        x, y = step.b
        if not (bed.x - 1e-6 <= x <= bed.x_high + 1e-6 and bed.y - 1e-6 <= y <= bed.y_high + 1e-6):
            wrong.append(note("file_leaves_bed", line=step.line, x=x, y=y))
            break
    through = next((s for s in run.steps if s.rapid and s.on and s.far), None)
    if through:
        wrong.append(note("file_rapid_in_stock", line=through.line))
    if run.steps and run.steps[-1].on:
        wrong.append(note("file_ends_on"))
    if meant is not None and meant.strokes:
        from shapely.geometry import MultiLineString

        # Passes go over the same line again and again.
        made = MultiLineString(list({(s.a, s.b) for s in run.steps if s.on and s.far}))
        ordered = MultiLineString([stroke.flat() for stroke in meant.strokes])
        stray = made.difference(ordered.buffer(MEANT_WITHIN))
        if stray.length > LEAST_STRAY:
            x, y = stray.representative_point().coords[0]
            wrong.append(note("file_line_not_meant", x=x, y=y, length=stray.length))
        missing = ordered.difference(made.buffer(MEANT_WITHIN))
        if missing.length > LEAST_STRAY:
            x, y = missing.representative_point().coords[0]
            wrong.append(note("file_line_missing", x=x, y=y, length=missing.length))
    return wrong


def _timed(steps: list[Step], speeds: Speeds) -> Iterator[Step]:
    """Each with its time: from stop to stop, with a ramp at both ends; a smooth bend needs no stop."""
    i = 0
    while i < len(steps):
        j = i + 1
        while j < len(steps) and _flows(steps[j - 1], steps[j]):
            j += 1
        run = steps[i:j]
        if not any(s.far for s in run):
            yield from run
        else:
            length = sum(s.far for s in run)
            v, a = (speeds.rapid if run[0].rapid else run[0].feed) / 60, speeds.acceleration
            total = length / v + v / a if length > v * v / a else 2 * math.sqrt(length / a)
            yield from (replace(s, seconds=s.seconds + total * s.far / length) for s in run)
        i = j


def _flows(a: Step, b: Step) -> bool:
    if not (a.far and b.far) or (a.on, a.rapid, a.feed) != (b.on, b.rapid, b.feed) or a.waits or b.waits:
        return False
    turn = math.atan2(b.b[1] - b.a[1], b.b[0] - b.a[0]) - math.atan2(a.b[1] - a.a[1], a.b[0] - a.a[0])
    return abs((turn + math.pi) % math.tau - math.pi) < TURNS


def round_to(a: Point, b: Point, centre: Point, turn: float) -> Iterator[Point]:
    """Points after `a` along an arc of `turn` rad round a centre, the last one `b`."""
    r, start = math.dist(a, centre), math.atan2(a[1] - centre[1], a[0] - centre[0])
    count = max(math.ceil(abs(turn) / (2 * math.acos(max(1 - CHORD_WITHIN / max(r, CHORD_WITHIN), -1.0)))), 1)
    for i in range(1, count):
        angle = start + turn * i / count
        yield centre[0] + r * math.cos(angle), centre[1] + r * math.sin(angle)
    yield b


def _gcode(text: str, speeds: Speeds, *, thermal: bool) -> Iterator[Step]:
    unit, absolute, mode, feed, ended, burns = 0.0, True, "", 0.0, False, False
    x = y = 0.0
    z = math.inf  # no known end the tool is before it was sent up
    for number, raw in enumerate(text.splitlines(), 1):
        line = _REMARK.sub(" ", raw).strip().upper()
        if not line:
            continue
        if ended or _WORD.sub("", line).strip():
            raise FileFormatError(
                tr(
                    "line {number}: {value!r}",
                    number=number,
                    value=tr("something follows the end") if ended else raw.strip()[:40],
                )
            )
        words = [(letter, float(value)) for letter, value in _WORD.findall(line)]
        given = {letter: value for letter, value in words if letter not in "GM"}
        codes = {f"{letter}{value:g}" for letter, value in words if letter in "GM"}
        unit = MM_PER_INCH if "G20" in codes else 1.0 if "G21" in codes else unit
        absolute = "G91" not in codes and (absolute or "G90" in codes)
        mode = next((c for c in ("G0", "G1", "G2", "G3") if c in codes), mode)
        ended = bool(codes & {"M2", "M30"})
        feed = given["F"] * unit if "F" in given else feed
        burns = "M3" in codes or (burns and "M5" not in codes)
        if "G4" in codes:
            yield Step((x, y), (x, y), z, thermal and burns, False, feed, number, given.get("P", 0.0))
        elif given.keys() & {"X", "Y", "Z"}:
            if not unit or not mode or (mode != "G0" and feed <= 0):
                raise FileFormatError(tr("line {number}: a move without its unit, its kind or its feed", number=number))
            here = x, y
            x, y = (
                (given[c] * unit + (0.0 if absolute else old)) if c in given else old for c, old in (("X", x), ("Y", y))
            )
            above = z
            z = given["Z"] * unit + (0.0 if absolute else z) if "Z" in given else z
            on = burns if thermal else (min if here != (x, y) else max)(above, z) <= 0
            points: Iterator[Point] = iter([(x, y)])
            if mode in ("G2", "G3"):
                centre = here[0] + given.get("I", 0.0) * unit, here[1] + given.get("J", 0.0) * unit
                points = round_to(here, (x, y), centre, _turn(here, (x, y), centre, 1 if mode == "G3" else -1))
            rise = abs(z - above) if math.isfinite(above) else 0.0
            extra = rise / ((speeds.rapid if mode == "G0" else feed) / 60)
            for p in points:
                yield Step(here, p, z, on, mode == "G0", feed, number, extra)
                here, extra = p, 0.0
        elif thermal and "M5" in codes:
            yield Step((x, y), (x, y), z, False, False, feed, number)
        if "M0" in codes:
            yield Step((x, y), (x, y), z, False, False, feed, number, waits=True)
    if not ended:
        raise FileFormatError(tr("the file has no end"))


def _turn(a: Point, b: Point, centre: Point, way: int) -> float:
    start, end = (math.atan2(p[1] - centre[1], p[0] - centre[0]) for p in (a, b))
    return way * ((way * (end - start)) % math.tau or math.tau)


def _hpgl(text: str, units_per_mm: float, speeds: Speeds) -> Iterator[Step]:
    here, down, absolute = (0.0, 0.0), False, True
    for number, raw in enumerate(text.splitlines(), 1):
        for part in filter(None, (p.strip() for p in raw.split(";"))):
            name, rest = part[:2].upper(), part[2:]
            try:
                numbers = [float(n) for n in rest.replace(",", " ").split()]
            except ValueError:
                raise FileFormatError(tr("line {number}: {part!r}", number=number, part=part[:40])) from None
            if name in ("PU", "PD"):
                if down != (name == "PD"):
                    down = name == "PD"
                    yield Step(here, here, 0.0 if down else 1.0, down, not down, speeds.pen, number, PEN_SECONDS)
            elif name in ("PA", "PR"):
                absolute = name == "PA"
            elif name == "AA" and len(numbers) in (3, 4):
                centre, turn = (numbers[0] / units_per_mm, numbers[1] / units_per_mm), math.radians(numbers[2])
                dx, dy = here[0] - centre[0], here[1] - centre[1]
                end = (
                    centre[0] + dx * math.cos(turn) - dy * math.sin(turn),
                    centre[1] + dx * math.sin(turn) + dy * math.cos(turn),
                )
                for p in round_to(here, end, centre, turn):
                    yield Step(here, p, 0.0 if down else 1.0, down, not down, speeds.pen, number)
                    here = p
                numbers = []
            elif name not in ("IN", "SP"):
                raise FileFormatError(tr("line {number}: {part!r}", number=number, part=part[:40]))
            if name in ("PU", "PD", "PA", "PR"):
                for px, py in zip(numbers[::2], numbers[1::2], strict=True):
                    old = (0.0, 0.0) if absolute else here
                    there = old[0] + px / units_per_mm, old[1] + py / units_per_mm
                    yield Step(here, there, 0.0 if down else 1.0, down, not down, speeds.pen, number)
                    here = there


def _svg(text: str, speeds: Speeds) -> Iterator[Step]:
    """Paths of M, L and A, the page's lower left corner as (0, 0)."""
    page = re.search(r'viewBox="0 0 ([\d.]+) ([\d.]+)"', text)
    if page is None:
        raise FileFormatError(tr("the drawing doesn’t say how large it is"))
    height, here = float(page[2]), (0.0, 0.0)
    for number, raw in enumerate(text.splitlines(), 1):
        for d in re.findall(r'<path d="([^"]*)"', raw):
            for letter, numbers in _parts(d, number):
                there = numbers[-2], height - numbers[-1]
                if letter == "A":
                    points = list(_svg_arc(here, there, numbers[0], large=numbers[3] > 0, ccw=numbers[4] == 0))
                else:
                    points = [there]
                for p in points:
                    yield Step(here, p, 0.0 if letter != "M" else 1.0, letter != "M", letter == "M", speeds.pen, number)
                    here = p
        if "</svg" in raw:
            yield Step(here, here, 1.0, False, True, speeds.pen, number, PEN_SECONDS)


def _parts(d: str, line: int) -> Iterator[tuple[str, Sequence[float]]]:
    for letter, rest in re.findall(r"([A-Za-z])([^A-Za-z]*)", d):
        numbers = [float(n) for n in rest.replace(",", " ").split()]
        if len(numbers) != {"M": 2, "L": 2, "A": 7}.get(letter):
            raise FileFormatError(tr("line {line}: {letter}{rest!r}", line=line, letter=letter, rest=rest[:40]))
        yield letter, numbers


def _svg_arc(a: Point, b: Point, r: float, *, large: bool, ccw: bool) -> Iterator[Point]:
    half = math.dist(a, b) / 2
    rise = math.sqrt(max(r * r - half * half, 0.0)) * (1 if large != ccw else -1)
    ux, uy = (b[0] - a[0]) / (2 * half), (b[1] - a[1]) / (2 * half)
    centre = (a[0] + b[0]) / 2 - rise * uy, (a[1] + b[1]) / 2 + rise * ux
    return round_to(a, b, centre, _turn(a, b, centre, 1 if ccw else -1))
