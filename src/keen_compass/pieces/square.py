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
from dataclasses import dataclass

from keen_compass.errors import PieceError
from keen_compass.pieces.toolpath import Stroke, ToolPath, figures, offset_outward
from keen_compass.quantities.geometry import Point

APPROACH = 6.0  # mm; more than any lost motion
LEAD_IN = 8.0
MARK_MARGIN = 12.0
SEGMENTS = 360  # of a circle: corners stand at 0°, 45°, 90° … exactly
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
            raise PieceError("expected rectangle or circle", "figure")
        for name in ("width", "height"):
            if not getattr(self, name) > 0:
                raise PieceError("must be larger than 0", name)
        if self.compensation < 0:
            raise PieceError("must not be negative", "compensation")

    def nominal(self, measurand: str) -> float:
        """As ordered."""
        match measurand:
            case "height":
                return self.height
            case "diagonal_1" | "diagonal_2":
                return math.hypot(self.width, self.height)
            case _:
                return self.width

    def outline(self, **actual: float) -> tuple[Point, ...]:
        """Corners, anticlockwise; lengths that were read replace the ordered ones."""
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

    def tool_path(self, number: int) -> ToolPath:
        """The path, lowest corner of the finished figure at (0, 0), bearing its number."""
        kind = "drawn" if self.drawn else "cut"
        title = f"piece {number}, {self.figure} {self.width:g} x {self.height:g} for squareness, {kind}"
        return ToolPath(title, (*self._marks(number), *(self._drawn() if self.drawn else (self._cut(),))))

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
        corners = self.outline()
        if self.figure == "circle":  # one stroke, met from below in X and Y
            (x, y) = corners[0]
            return (Stroke((*corners, corners[0]), approach=(x - APPROACH, y - APPROACH)),)
        strokes = []
        for a, b in zip(corners, (*corners[1:], corners[0]), strict=True):
            low, high = min(a, b), max(a, b)
            strokes.append(Stroke((low, high), approach=(low[0] - APPROACH, low[1] - APPROACH)))
        return tuple(strokes)

    def _cut(self) -> Stroke:
        """Closed, led in along the first edge."""
        if self.figure == "circle":
            r = (self.width + self.compensation) / 2
            middle = self.width / 2
            ring = tuple(
                (middle + r * math.cos(a), middle + r * math.sin(a))
                for a in (2 * math.pi * i / SEGMENTS for i in range(SEGMENTS))
            )
            lead = (ring[0][0], ring[0][1] - LEAD_IN)  # upwards at the right: so it comes back
            approach = (lead[0] - APPROACH, lead[1] - APPROACH)
            points = (lead, *ring, *ring[:3])
            return Stroke(points, approach, through=True, tabs=self._tabs(2 * math.pi * r))
        path = offset_outward(self.outline(), self.compensation / 2)
        (x, y) = path[0]
        lead = (x - LEAD_IN, y)
        points = (lead, *path, (x, y - LEAD_IN))
        approach = (lead[0] - APPROACH, y + APPROACH)  # down onto the lower edge, as the left one comes down to it
        return Stroke(points, approach, through=True, tabs=self._tabs(2 * (self.width + self.height)))

    def _tabs(self, around: float) -> tuple[tuple[float, float], ...]:
        """Three bridges, away from where jaws and tips touch."""
        return tuple((LEAD_IN + share * around - 4, LEAD_IN + share * around + 4) for share in (0.06, 0.31, 0.69))

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
