"""G-code (ISO 6983 words) for plasma and laser tables: absolute, mm; M3 is on, M5 is off.

Torch or beam is off on every rapid. Every contour that is cut begins where its lead does, in the scrap: a plasma
pierces there, higher than it cuts and for its own time; a laser takes each layer's power, speed and height of the lens.
Marks are burnt lightly: fast, without a pierce. Nothing goes over the same line twice, and bridges are no part of it.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from keen_compass.errors import PieceError
from keen_compass.formats.gcode import beside, comment, numbered, to, xy
from keen_compass.language import tr
from keen_compass.pieces.placement import check_on_bed
from keen_compass.pieces.toolpath import Does, Layer, Stroke, ToolPath
from keen_compass.quantities.geometry import Box

FULL_POWER = 1000  # S of a laser at 100 %
MARK_FASTER = 4.0  # times the cutting feed: then it only marks
MARK_POWER = 0.15  # of the cutting power
LIMITS: dict[str, tuple[float, float]] = {
    "feed": (1.0, 1_000_000.0),
    "pierce_height": (0.1, 50.0),
    "cut_height": (0.0, 50.0),
    "pierce_delay": (0.0, 60.0),
    "safe_height": (0.5, 500.0),
    "power": (0.1, 100.0),
}


@dataclass(frozen=True, slots=True)
class ThermalSettings:
    """How it is to burn; lengths in mm over the stock's top, feed in mm/min, delay in s, power in % (lasers).

    focus: where a laser's lens stands, as its controller counts Z, mm; None where no file moves it.
    z_travel: how far Z moves in all, mm; 0 where not stated.
    """

    bed: Box
    beam: bool = False
    feed: float = 2400.0
    pierce_height: float = 3.8
    cut_height: float = 1.5
    pierce_delay: float = 0.5
    safe_height: float = 10.0
    power: float = 80.0
    focus: float | None = None
    z_travel: float = 0.0

    def __post_init__(self) -> None:
        for name, (low, high) in LIMITS.items():
            value = getattr(self, name)
            if not low <= value <= high:
                raise PieceError(
                    tr("must be between {low:g} and {high:g}, got {value:g}", low=low, high=high, value=value), name
                )
        if not self.beam and self.safe_height < self.pierce_height:
            raise PieceError(tr("must be at least as high as the pierce"), "safe_height")
        if self.z_travel and not self.beam and self.z_travel < self.pierce_height:
            raise PieceError(
                tr(
                    "Z moves by {z_travel:g} mm: too little to pierce {pierce_height:g} mm over the stock",
                    z_travel=self.z_travel,
                    pierce_height=self.pierce_height,
                ),
                "z_travel",
            )

    @property
    def clearance(self) -> float:
        """How high over the stock a torch travels, mm: less where Z has little room."""
        return min(self.safe_height, self.z_travel) if self.z_travel else self.safe_height


def write_thermal(path: ToolPath, settings: ThermalSettings) -> str:
    """The whole file. Raises PieceError when any point lies off the bed."""
    check_on_bed(path, settings.bed)
    what = "laser" if settings.beam else "plasma, Z0 on top of the stock"
    lines = [f"(Keen Compass, {comment(path.title)})", f"(mm, absolute, {what})", "G21", "G90 G94 G17", "M5"]
    if not settings.beam:
        lines.append(f"G0 Z{numbered(settings.clearance)}")
    stands: float | None = None
    for layer in path.layers:
        wanted = settings.focus if layer.height is None else layer.height
        if settings.beam and wanted is not None and wanted != stands:
            if settings.focus is None:
                raise PieceError(tr("this machine’s files don’t move the lens"), "focus")
            if settings.z_travel and wanted > settings.z_travel:
                raise PieceError(
                    tr(
                        "Z moves by {z_travel:g} mm: the lens can’t stand at {wanted:g} mm",
                        z_travel=settings.z_travel,
                        wanted=wanted,
                    ),
                    "z_travel",
                )
            lines.append(f"G0 Z{numbered(wanted)}")
            stands = wanted
        for stroke in layer.strokes:
            lines += _burnt(stroke, settings, layer)
    if stands is not None and stands != settings.focus:
        lines.append(f"G0 Z{numbered(settings.focus or 0.0)}")
    return "\n".join([*lines, "M5", "M2"]) + "\n"


def _burnt(stroke: Stroke, settings: ThermalSettings, layer: Layer) -> Iterator[str]:
    """There with all off, on, along it, off again."""
    cut = layer.does is Does.CUT
    if stroke.approach:
        yield f"G0 {xy(stroke.approach)}"
    yield f"G0 {xy(stroke.points[0])}"
    feed = layer.feed or settings.feed * (1.0 if cut else MARK_FASTER)
    if settings.beam:
        share = (layer.power or settings.power) / 100 * (1.0 if cut else MARK_POWER)
        yield f"M3 S{max(round(FULL_POWER * share), 1)}"
        if cut and settings.pierce_delay:
            yield f"G4 P{numbered(settings.pierce_delay)}"
    else:
        yield f"G0 Z{numbered(settings.pierce_height if cut else settings.cut_height)}"
        yield "M3"
        if cut:
            if settings.pierce_delay:
                yield f"G4 P{numbered(settings.pierce_delay)}"
            yield f"G1 Z{numbered(settings.cut_height)} F{numbered(settings.feed)}"
    yield from beside(stroke, _along(stroke, f" F{numbered(min(feed, LIMITS['feed'][1]))}"))
    yield "M5"
    if not settings.beam:
        yield f"G0 Z{numbered(settings.clearance)}"


def _along(stroke: Stroke, first: str) -> Iterator[str]:
    """first: what the first of its moves says besides."""
    for span in stroke.spans():
        yield f"{to(span, span.a, span.b)}{first}"
        first = ""
