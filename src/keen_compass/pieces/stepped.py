"""The stepped outline: a long and a short outside length along each axis (arithmetic.md §4).

    (0,H)──(w₂,H)
      │      │
      │      │                       H  height        w  short width
      │      │                       h  short height  W  width
      │    (w₂,h)─────────────(W,h)
      │                          │
      │         (w,y₁)────────(W,y₁)
      │           │
    (0,0)───────(w,0)

All four are outside lengths, so each is n(1+s) + c − K − B: the difference of the long and the short
one holds only scale. That lost motion B cancels is a matter of the path, not only of the shape: an
edge counts as "outside" for B only when the tool arrives at it moving outwards. In a plain L the
tool comes to one of the two step edges from outside, and B stays in the difference: 0.1 mm over a
280 mm difference is 0.36 mm per metre. Here the foot (w, below) and the ledge (h, above) are met
outwards on one anticlockwise trip, as are all four outer edges. The two edges that nobody measures,
x = w₂ and y = y₁, take the lead-in and the tabs.

Drawn or scribed, every line is a stroke of its own that both axes approach moving upwards: no K, no B.
"""

from __future__ import annotations

from dataclasses import dataclass

from keen_compass.errors import PieceError
from keen_compass.language import tr
from keen_compass.pieces.job import Contour, Job, JobLayer, Side
from keen_compass.pieces.toolpath import Does, Stroke, figures
from keen_compass.quantities.geometry import Box, Point

SMALLEST_STEP = 0.2  # of the long length: a smaller difference resolves too little
UNMEASURED_SHARE = 0.45  # of the short lengths, where w₂ and y₁ lie
LEAD_IN = 8.0  # mm
OVERLAP = 5.0  # mm, past the starting point, so that no cusp is left
APPROACH = 6.0  # mm; more than any lost motion, so that the slack is taken up
TAB = 8.0  # mm
DEFAULT_SHORT = 0.3  # of the long length
MARK_MARGIN = 10.0  # mm from an edge to the mark and the figures

MEASURANDS = ("width", "height", "short_width", "short_height")


@dataclass(frozen=True, slots=True)
class SteppedOutline:
    """The piece nominal; lengths in mm.

    compensation: full width by which the path is moved outwards in all (half on each side), 0 when drawn.
    drawn: made with a pen or scribed, each line approached from one side.
    clockwise: upside down, so that a clockwise trip meets every measured edge moving outwards, as a torch must go to
        have the good side of its cut on the part.
    """

    width: float
    height: float
    short_width: float
    short_height: float
    compensation: float = 0.0
    drawn: bool = False
    clockwise: bool = False

    def __post_init__(self) -> None:
        for name in MEASURANDS:
            if not getattr(self, name) > 0:
                raise PieceError(tr("must be larger than 0"), name)
        for long, short in (("width", "short_width"), ("height", "short_height")):
            if getattr(self, short) > (1 - SMALLEST_STEP) * getattr(self, long):
                raise PieceError(
                    tr(
                        "must be at most {smallest_step:.0%} of the {long}, or the step tells nothing",
                        smallest_step=1 - SMALLEST_STEP,
                        long=long,
                    ),
                    short,
                )
        if self.compensation < 0:
            raise PieceError(tr("must not be negative"), "compensation")
        if min(self.y1, self.short_height - self.y1, self.w2, self.short_width - self.w2) < self.compensation:
            raise PieceError(
                tr(
                    "too small for a cut {compensation:g} mm wide; make the short lengths larger",
                    compensation=self.compensation,
                ),
                "short_width",
            )

    @classmethod
    def sized(cls, width: float, height: float, compensation: float = 0.0, *, drawn: bool = False) -> SteppedOutline:
        """With the short lengths at their usual share."""
        short = (round(DEFAULT_SHORT * width), round(DEFAULT_SHORT * height))
        return cls(width, height, *short, compensation, drawn)

    @property
    def w2(self) -> float:
        """Width of the column above the ledge; not measured."""
        return UNMEASURED_SHARE * self.short_width

    @property
    def y1(self) -> float:
        """Height of the notch under the arm; not measured."""
        return UNMEASURED_SHARE * self.short_height

    def nominal(self, measurand: str) -> float:
        """A length as it is ordered, mm."""
        return float(getattr(self, measurand))

    def outline(self, **actual: float) -> tuple[Point, ...]:
        """Corners, anticlockwise from lowest X and Y; `actual` lengths replace the nominal ones."""
        W, H, w, h = (actual.get(m, self.nominal(m)) for m in MEASURANDS)
        corners = ((0, 0), (w, 0), (w, self.y1), (W, self.y1), (W, h), (self.w2, h), (self.w2, H), (0, H))
        if not self.clockwise:
            return corners
        turned = [(x, H - y) for x, y in corners[::-1]]
        return tuple(turned)

    @property
    def arm(self) -> Box:
        """The room between foot and column, that reaches across both."""
        y = self.height - self.short_height if self.clockwise else self.y1
        return Box(0.0, y, self.short_width, self.short_height - self.y1)

    def dimension_line(self, measurand: str) -> tuple[Point, Point]:
        """Where the jaws go: the two points between which the length is taken."""
        (ax, ay), (bx, by) = self._dimension_line(measurand)
        if not self.clockwise:
            return (ax, ay), (bx, by)
        low, high = sorted((self.height - ay, self.height - by))
        return (ax, low), (bx, high)

    def _dimension_line(self, measurand: str) -> tuple[Point, Point]:
        mid_arm = (self.y1 + self.short_height) / 2
        mid_foot = (self.w2 + self.short_width) / 2
        match measurand:
            case "width":
                return (0, mid_arm), (self.width, mid_arm)
            case "short_width":
                return (0, self.y1 / 2), (self.short_width, self.y1 / 2)
            case "height":
                return (self.w2 / 2, 0), (self.w2 / 2, self.height)
            case "short_height":
                return (mid_foot, 0), (mid_foot, self.short_height)
        raise KeyError(measurand)

    def free_corner(self) -> Point:
        """The middle of the room above the ledge, where the picture has space for words."""
        y = self.short_height + 0.4 * (self.height - self.short_height)
        return (self.w2 + self.width) / 2, self.height - y if self.clockwise else y

    def job(self, number: int) -> Job:
        """With lowest X and Y of the finished piece at (0, 0), bearing the piece's number."""
        kind = "drawn" if self.drawn else "cut"
        title = f"piece {number}, stepped outline {self.width:g} x {self.height:g}, {kind}"
        marks = self._marks(number)
        if self.drawn:
            return Job.marking(title, (*marks, *self._drawn_strokes()))
        return Job(title, (JobLayer(Does.MARK, marks), JobLayer(Does.CUT, (self.contour(),))))

    def footprint(self) -> tuple[float, float]:
        """Room it takes on the stock, mm, the cut and its lead-in included."""
        extra = 2 * self.compensation if not self.drawn else APPROACH
        return self.width + extra, self.height + extra

    def _marks(self, number: int) -> tuple[Stroke, ...]:
        """A dot at the corner of lowest X and Y, and the number beside it, on the foot."""
        margin = max(MARK_MARGIN, 1.5 * self.compensation)
        room = min(self.short_height - 2 * margin, 30.0)
        digits = len(str(number))
        height = min(room, (self.short_width - 3 * margin) / (0.8 * digits))
        if height < max(4.0, 2.5 * self.compensation):
            return ()  # no room to write legibly; the file's title still carries the number
        dot = (margin, margin)
        figures_at = (2 * margin, margin)
        return (Stroke((dot, (dot[0] + 0.5, dot[1]))), *figures(number, figures_at, height))

    def contour(self, *, tabs: bool = True) -> Contour:
        """One anticlockwise trip, led in from the notch onto the underside of the arm.

        Three bridges where no jaw touches: under the arm, on the column's right, high on its left. The start lies
        far enough from both ends of the underside that lead-in and overlap stay on it.
        """
        under, right_of_column, left = 2, 5, 7
        if self.clockwise:
            last = len(self.outline()) - 1
            return Contour(
                Side.OUTSIDE,
                self.outline(),
                start=(last - 1 - under, 0.6),
                tail=(0.0, min(LEAD_IN, self.y1)),
                overlap=OVERLAP,
                clockwise=True,
            )
        return Contour(
            Side.OUTSIDE,
            self.outline(),
            start=(under, 0.4),
            lead=(0.0, -min(LEAD_IN, self.y1)),
            overlap=OVERLAP,
            tabs=((under, 0.76, TAB), (right_of_column, 0.5, TAB), (left, 0.3, TAB)) if tabs else (),
        )

    def _drawn_strokes(self) -> tuple[Stroke, ...]:
        corners = self.outline()
        strokes = []
        for a, b in zip(corners, (*corners[1:], corners[0]), strict=True):
            low, high = min(a, b), max(a, b)
            strokes.append(Stroke((low, high), approach=(low[0] - APPROACH, low[1] - APPROACH)))
        return tuple(strokes)
