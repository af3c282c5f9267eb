"""G-code (ISO 6983 words) for routers.

The file states its units and distance mode, starts and ends with the tool up and stopped, and
never leaves the bed; what doesn't fit is refused before a line is written.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

from keen_compass.errors import PieceError
from keen_compass.language import tr
from keen_compass.pieces.moves import Go, MoveProgram
from keen_compass.pieces.placement import check_on_bed
from keen_compass.pieces.toolpath import Does, Span, Stroke, ToolPath
from keen_compass.quantities.geometry import Box, Point
from keen_compass.quantities.lengths import MM_PER_INCH
from keen_compass.quantities.notes import Note

BELOW_STOCK = 0.3  # mm deeper than the stock is thick, so that the last fibre is cut
TAB_HEIGHT = 1.5  # mm; always less than half the stock
DWELL_SECONDS = 3
LEAST_CLEARANCE = 2.0  # mm between the stock and the tool on its way
LEAST_MARK = 0.01  # mm
# Field → (least, most), mm and mm/min: what no machine can do is refused before a line is written.
LIMITS: dict[str, tuple[float, float]] = {
    "thickness": (0.001, 500.0),
    "depth_per_pass": (0.01, 500.0),
    "feed": (1.0, 1_000_000.0),
    "plunge_feed": (1.0, 1_000_000.0),
    "safe_height": (0.5, 500.0),
}
MOST_RPM, MOST_PASSES, MOST_STEPS = 1_000_000, 300, 100_000


@dataclass(frozen=True, slots=True)
class CutSettings:
    """How the router is to cut; lengths in mm, feeds in mm/min.

    mark_depth: of strokes that only mark the surface; 0 for a pen that floats on it.
    z_travel: how far Z moves in all; 0 where not stated.
    """

    bed: Box
    thickness: float = 9.0
    depth_per_pass: float = 3.0
    feed: float = 2400.0
    plunge_feed: float = 600.0
    safe_height: float = 8.0
    spindle_rpm: int = 18000
    mark_depth: float = 0.4
    spindle: bool = True
    inches: bool = False
    z_travel: float = 0.0

    def __post_init__(self) -> None:
        for name, (low, high) in LIMITS.items():
            value = getattr(self, name)
            if not low <= value <= high:
                raise PieceError(
                    tr(
                        "must be larger than 0, between {low:g} and {high:g}, got {value:g}",
                        low=low,
                        high=high,
                        value=value,
                    ),
                    name,
                )
        if self.spindle and not 1 <= self.spindle_rpm <= MOST_RPM:
            raise PieceError(
                tr(
                    "must be larger than 0, at most {most_rpm:,}, got {spindle_rpm:g}",
                    most_rpm=MOST_RPM,
                    spindle_rpm=self.spindle_rpm,
                ),
                "spindle_rpm",
            )
        if not 0 <= self.z_travel <= LIMITS["thickness"][1] * 20:
            raise PieceError(tr("must not be negative, got {z_travel:g}", z_travel=self.z_travel), "z_travel")
        if self.mark_depth and not LEAST_MARK <= self.mark_depth <= LIMITS["thickness"][1]:
            raise PieceError(
                tr("must not be negative, and at least {least_mark:g} mm where it marks", least_mark=LEAST_MARK),
                "mark_depth",
            )
        passes = (self.thickness + BELOW_STOCK) / self.depth_per_pass
        if passes > MOST_PASSES:
            raise PieceError(
                tr("{passes:.0f} passes are more than anybody cuts; make each deeper", passes=passes), "depth_per_pass"
            )

    def clearance(self, depth: float) -> float:
        """How high over the stock the tool travels, when it goes so deep: less where Z has little room.

        Raises PieceError where there is not enough for both.
        """
        if not self.z_travel:
            return self.safe_height
        left = self.z_travel - depth
        if left < LEAST_CLEARANCE:
            raise PieceError(
                tr(
                    "Z moves by {z_travel:g} mm: too little to go {depth:g} mm deep and clear the stock by "
                    "{least_clearance:g} mm",
                    z_travel=self.z_travel,
                    depth=depth,
                    least_clearance=LEAST_CLEARANCE,
                )
            )
        return min(self.safe_height, left)


def write_gcode(path: ToolPath, settings: CutSettings) -> str:
    """The whole file. Raises PieceError when any point lies off the bed."""
    check_on_bed(path, settings.bed)
    settings = replace(
        settings, safe_height=settings.clearance(settings.thickness + BELOW_STOCK if path.cuts else settings.mark_depth)
    )
    lines = [*_head(path.title, settings, "Z0 on top of the stock")]
    if settings.spindle:
        lines += [f"M3 S{settings.spindle_rpm}", f"G4 P{DWELL_SECONDS}"]
    tool = 1
    for layer in path.layers:
        if layer.strokes and layer.pen != tool:
            tool = layer.pen
            lines += [f"G0 Z{_n(settings.safe_height, settings)}", f"T{tool} M6"]
        for stroke in layer.strokes:
            lines += _stroke_lines(stroke, settings, through=layer.does is Does.CUT)
    lines += [f"G0 Z{_n(settings.safe_height, settings)}", "M5", "M2"]
    return "\n".join(lines) + "\n"


def write_moves(program: MoveProgram, settings: CutSettings, say: Callable[[Note], str]) -> str:
    """Moves and program stops, spindle off. Raises PieceError where an axis would leave its travel.

    Where Z itself runs, its zero is the low end of the run. say: makes the remarks.
    """
    bed = settings.bed
    heights = [step.z for step in program.steps if isinstance(step, Go) and step.z is not None]
    settings = replace(settings, safe_height=settings.clearance(0.0))
    if heights and (min(heights) < 0 or (settings.z_travel and max(heights) > settings.z_travel)):
        raise PieceError(
            tr(
                "Z would go from {min:g} to {max:g} mm and leave its travel ({z_travel:g} mm); make the run shorter",
                min=min(heights),
                max=max(heights),
                z_travel=settings.z_travel,
            )
        )
    if len(program.steps) > MOST_STEPS:
        raise PieceError(tr("{n:,} moves are more than anybody reads; make the run shorter", n=len(program.steps)))
    if any(
        not LIMITS["feed"][0] <= step.feed <= LIMITS["feed"][1]
        for step in program.steps
        if isinstance(step, Go) and step.feed is not None
    ):
        raise PieceError(
            tr("a feed must be between {feed:g} and {feed2:g} mm/min", feed=LIMITS["feed"][0], feed2=LIMITS["feed"][1])
        )
    for x, y in program.corners():
        if not (bed.x <= x <= bed.x_high and bed.y <= y <= bed.y_high):
            raise PieceError(
                tr(
                    "the head would go to X{x:.1f} Y{y:.1f} and leave the bed ({width:g} × {height:g} mm); "
                    "make the run shorter",
                    x=x,
                    y=y,
                    width=bed.width,
                    height=bed.height,
                )
            )
    zero = "Z0 at the low end of its run" if heights else "Z0 on top of the stock"
    lines = [*_head(say(program.title), settings, f"{zero}, spindle off")]
    for step in program.steps:
        if isinstance(step, Go):
            words = [
                f"{letter}{_n(v, settings)}"
                for letter, v in (("X", step.x), ("Y", step.y), ("Z", step.z))
                if v is not None
            ]
            feed = [] if step.feed is None else [f"F{_n(step.feed, settings)}"]
            lines.append(" ".join(["G0" if step.feed is None else "G1", *words, *feed]))
        else:
            lines += [f"({comment(say(step.read))})", "M0"]
    up = max(heights, default=settings.safe_height)
    return "\n".join([*lines, f"G0 Z{_n(up, settings)}", "M5", "M2"]) + "\n"


def _head(title: str, settings: CutSettings, what: str) -> Iterator[str]:
    """Units, distance mode, everything off, tool up."""
    yield f"(Keen Compass, {comment(title)})"
    yield f"({'inch' if settings.inches else 'mm'}, absolute, {what})"
    yield "G20" if settings.inches else "G21"
    yield "G90 G94 G17"
    yield "M5"
    yield f"G0 Z{_n(settings.safe_height, settings)}"


def pass_depths(settings: CutSettings) -> list[float]:
    """Depths of equal passes down to just below the stock, mm, positive downwards."""
    total = settings.thickness + BELOW_STOCK
    count = math.ceil(total / settings.depth_per_pass - 1e-9)
    return [total * (i + 1) / count for i in range(count)]


def _stroke_lines(stroke: Stroke, settings: CutSettings, *, through: bool) -> Iterator[str]:
    depths = pass_depths(settings) if through else [settings.mark_depth]
    for depth in depths:
        yield f"G0 Z{_n(settings.safe_height, settings)}"
        if stroke.approach:
            yield f"G0 {_xy(stroke.approach, settings)}"
        yield f"G0 {_xy(stroke.points[0], settings)}"
        yield f"G1 Z{_n(-depth, settings)} F{_n(settings.plunge_feed, settings)}"
        last_pass = through and depth is depths[-1]
        yield from beside(stroke, _cutting_lines(stroke, depth, stroke.tabs if last_pass else (), settings))


def _cutting_lines(
    stroke: Stroke, depth: float, tabs: tuple[tuple[float, float], ...], settings: CutSettings
) -> Iterator[str]:
    """Feed moves of one pass, rising over the tabs."""
    tab_height = min(TAB_HEIGHT, settings.thickness / 2 - 0.1)
    tab_z = -(settings.thickness - tab_height)
    changes = sorted([(start, tab_z) for start, _ in tabs] + [(end, -depth) for _, end in tabs])
    feed, travelled = f" F{_n(settings.feed, settings)}", 0.0
    for span in stroke.spans():
        length, here = span.length, span.a
        while changes and changes[0][0] <= travelled + length:
            at, z = changes.pop(0)
            corner = span.at((at - travelled) / length if length else 0.0)
            yield f"{to(span, here, corner, inches=settings.inches)}{feed}"
            # Down again at the plunge feed: the tool goes into full stock there.
            yield f"G1 Z{_n(z, settings)} F{_n(settings.plunge_feed, settings)}"
            feed, here = f" F{_n(settings.feed, settings)}", corner
        yield f"{to(span, here, span.b, inches=settings.inches)}{feed}"
        feed, travelled = "", travelled + length


def beside(stroke: Stroke, moves: Iterator[str]) -> Iterator[str]:
    """Moves of a stroke off whose line the controller moves the tool (ISO 6983's G41 and G42), if it is to."""
    if not stroke.beside:
        yield from moves
        return
    yield "G41" if stroke.beside == "left" else "G42"
    yield from moves
    yield "G40"


def _n(value: float, settings: CutSettings) -> str:
    return numbered(value, inches=settings.inches)


def _xy(point: Point, settings: CutSettings) -> str:
    return xy(point, inches=settings.inches)


def numbered(value: float, *, inches: bool = False) -> str:
    """A word's number: 0.1 µm steps, well below any machine's, and no ``-0``."""
    decimals = 5 if inches else 4
    text = f"{value / (MM_PER_INCH if inches else 1.0):.{decimals}f}".rstrip("0").rstrip(".")
    return "0" if text in ("-0", "") else text


def xy(point: Point, *, inches: bool = False) -> str:
    """The words of a place."""
    return f"X{numbered(point[0], inches=inches)} Y{numbered(point[1], inches=inches)}"


def to(span: Span, a: Point, b: Point, *, inches: bool = False) -> str:
    """Along a span from `a` to `b`: straight, or round its centre, which is given from `a`."""
    if span.arc is None or a == b:
        return f"G1 {xy(b, inches=inches)}"
    cx, cy = span.arc.centre
    word = "G3" if span.arc.anticlockwise else "G2"
    return f"{word} {xy(b, inches=inches)} I{numbered(cx - a[0], inches=inches)} J{numbered(cy - a[1], inches=inches)}"


def comment(text: str) -> str:
    """Comments end at the first closing bracket, and controllers expect ASCII: ``ä`` is written as ``a``."""
    from anyascii import anyascii  # late: most comments are ASCII already

    plain = text if text.isascii() else "".join(ch if ch.isascii() else anyascii(ch) or "?" for ch in text)
    return " ".join(plain.replace("(", "[").replace(")", "]").split("\n"))
