"""What shows whether X and Y are square: a rectangle with its diagonals, or a circle with four diameters.

(0,H)───────(W,H)          γ > 0: the corner at lowest X and Y is less than 90°
  │ ╲       ╱ │            D₁ from lowest X, Y to highest; D₂ the other
  │   ╲   ╱   │
  │   ╱   ╲   │            Drawn or scribed, each line is approached from one side. Cut, one trip
(0,0)───────(W,0)          anticlockwise; kerf and lost motion are the same for both diagonals.

Cut, the trip must begin as it ends: an edge that the tool first meets moving up and comes back to moving down has a
step as high as the lost motion, and 0.25 mm over 120 mm would pass for a lean of 0.7 mm per m. So the lead runs along
the first edge, from beyond its corner, with both axes' slack taken up the way in which the trip closes.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from keen_compass.errors import PieceError
from keen_compass.language import tr
from keen_compass.pieces.job import Contour, Job, JobLayer, Side
from keen_compass.pieces.toolpath import Does, Stroke, circle, figures
from keen_compass.quantities.geometry import Point

APPROACH = 6.0  # mm; more than any lost motion
LEAD_IN = 8.0
OVERLAP = 6.0  # mm, past a circle's start
TAB = 8.0
MARK_MARGIN = 12.0
SEGMENTS = 360  # of a circle as it is pictured
RECTANGLE = ("width", "height", "diagonal_1", "diagonal_2")
CIRCLE = ("d_0", "d_45", "d_90", "d_135")


@dataclass(frozen=True, slots=True)
class SquareFigure:
    """figure: rectangle or circle. width, height in mm (a circle's diameter is its width); compensation as cut."""

    figure: str
    width: float
    height: float
    compensation: float = 0.0
    drawn: bool = True

    def __post_init__(self) -> None:
        if self.figure not in ("rectangle", "circle"):
            raise PieceError(tr("expected rectangle or circle"), "figure")
        for name in ("width", "height"):
            if not getattr(self, name) > 0:
                raise PieceError(tr("must be larger than 0"), name)
        if self.compensation < 0:
            raise PieceError(tr("must not be negative"), "compensation")

    def nominal(self, measurand: str) -> float:
        """A side as it is ordered, mm."""
        match measurand:
            case "height":
                return self.height
            case "diagonal_1" | "diagonal_2":
                return math.hypot(self.width, self.height)
            case _:
                return self.width

    def outline(self, **actual: float) -> tuple[Point, ...]:
        """Corners, anticlockwise; lengths that were read replace the nominal ones."""
        return self._circle(actual) if self.figure == "circle" else self._rectangle(actual)

    def line(self, measurand: str) -> tuple[Point, Point]:
        """Where the jaws go."""
        W, H = self.width, self.height
        match measurand:
            case "width":
                return (0, 0.5 * H), (W, 0.5 * H)
            case "height":
                return (0.5 * W, 0), (0.5 * W, H)
            case "diagonal_1":
                return (0, 0), (W, H)
            case "diagonal_2":
                return (0, H), (W, 0)
        angle = math.radians(float(measurand.removeprefix("d_")))
        r = W / 2
        x, y = r * math.cos(angle), r * math.sin(angle)
        return (r - x, r - y), (r + x, r + y)

    def footprint(self) -> tuple[float, float]:
        """Room on the stock, mm."""
        extra = APPROACH if self.drawn else 2 * (self.compensation + LEAD_IN + APPROACH)
        return self.width + extra, self.height + extra

    def job(self, number: int) -> Job:
        """Lowest corner of the finished figure at (0, 0), bearing its number."""
        kind = "drawn" if self.drawn else "cut"
        title = f"piece {number}, {self.figure} {self.width:g} x {self.height:g} for squareness, {kind}"
        marks = self._marks(number)
        if self.drawn:
            return Job.marking(title, (*marks, *self._drawn()))
        return Job(title, (JobLayer(Does.MARK, marks), JobLayer(Does.CUT, (self._contour(),))))

    @property
    def mark(self) -> float:
        """Where its dot is, along X and Y alike: near the low corner, in a circle as near as that has a place."""
        at = max(MARK_MARGIN, 1.5 * self.compensation)
        return at + 0.15 * self.width if self.figure == "circle" else at

    def _marks(self, number: int) -> tuple[Stroke, ...]:
        at = self.mark
        dot = Stroke(((at, at), (at + 0.5, at)))
        height, left = min(14.0, 0.1 * self.height), at + 8
        wide = max(x for stroke in figures(number, (0, 0), height) for x, _ in stroke.points)
        height *= min(1.0, max(self.width - left - MARK_MARGIN, 0.0) / wide)  # it stays within the figure
        return (dot, *figures(number, (left, at), height)) if height >= 4 else (dot,)

    def _drawn(self) -> tuple[Stroke, ...]:
        if self.figure == "circle":  # one stroke, met from below in X and Y
            r = self.width / 2
            (x, y) = (self.width, r)
            return (replace(circle((r, r), r), approach=(x - APPROACH, y - APPROACH)),)
        corners = self.outline()
        strokes = []
        for a, b in zip(corners, (*corners[1:], corners[0]), strict=True):
            low, high = min(a, b), max(a, b)
            strokes.append(Stroke((low, high), approach=(low[0] - APPROACH, low[1] - APPROACH)))
        return tuple(strokes)

    def _contour(self) -> Contour:
        """Closed, led in along the first edge; bridges lie away from where jaws and tips touch."""
        if self.figure == "circle":
            r = self.width / 2  # upwards at the right: so it comes back
            return Contour(
                Side.OUTSIDE,
                centre=(r, r),
                radius=r,
                lead=(0.0, -LEAD_IN),
                approach=(-APPROACH, -APPROACH),
                overlap=OVERLAP,
                tabs=tuple((0, share, TAB) for share in (0.06, 0.31, 0.69)),
            )
        bottom, right, left = 0, 1, 3
        return Contour(
            Side.OUTSIDE,
            self.outline(),
            lead=(-LEAD_IN, 0.0),
            tail=(0.0, -LEAD_IN),
            approach=(-APPROACH, APPROACH),  # down onto the lower edge, as the left one comes down to it
            tabs=((bottom, 0.24, TAB), (right, 0.24, TAB), (left, 0.24, TAB)),
        )

    def _rectangle(self, actual: dict[str, float]) -> tuple[Point, ...]:
        W, H = actual.get("width", self.width), actual.get("height", self.height)
        d1, d2 = (actual.get(k, self.nominal(k)) for k in ("diagonal_1", "diagonal_2"))
        lean = (d1 - d2) * (d1 + d2) / (4 * W)  # H·sin γ
        return (0, 0), (W, 0), (W + lean, H), (lean, H)

    def _circle(self, actual: dict[str, float]) -> tuple[Point, ...]:
        r = self.width / 2
        d0, d90 = actual.get("d_0", self.width), actual.get("d_90", self.width)
        d45, d135 = actual.get("d_45", self.width), actual.get("d_135", self.width)
        tan = (d45 - d135) * (d45 + d135) / (2 * d0 * d90)
        around = []
        for i in range(SEGMENTS):
            a = 2 * math.pi * i / SEGMENTS
            x, y = math.cos(a) * d0 / 2, math.sin(a) * d90 / 2
            around.append((r + x + tan * y, r + y))
        return tuple(around)
