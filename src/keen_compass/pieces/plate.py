"""The kerf plate: an outside, a round hole and a straight slot, cut as any part is, and measured (arithmetic.md §8).

(0,H)──────────────(W,H)       An outside holds  n(1+s) + c − K − B, an inside  n(1+s) − c + K − B (+ h, round).
  │    __      ┌─┐    │        So outside and inside together tell scale from kerf, a slot tells K from B, and
  │   /  \\     │ │    │        the hole then its bias h. With short lengths the outside is the stepped outline,
  │   \\__/     │ │    │        whose long and short lengths tell the scale by themselves.
  │            └─┘    │
(0,0)──────────────(W,0)       Inside contours first; every lead lies in the scrap; number and mark are scribed.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from keen_compass.errors import PieceError
from keen_compass.language import tr
from keen_compass.pieces.job import Contour, Job, JobLayer, Side
from keen_compass.pieces.stepped import SteppedOutline
from keen_compass.pieces.toolpath import Does, Stroke, figures
from keen_compass.quantities.geometry import Box, Point

OUTSIDE = ("width", "height", "short_width", "short_height")
INSIDE = ("hole_0", "hole_90", "slot")
BOTTOM = "_bottom"
LEAD_IN, OVERLAP, TAB = 6.0, 4.0, 6.0  # mm
APPROACH = 6.0  # mm; more than any lost motion
LEAST_INSIDE = 3.0  # mm
WALL = 6.0  # mm that stay between the contours, the cut not counted
MARK_MARGIN, FIGURE = 5.0, 6.0  # mm
SLOT_SHARE = 0.5  # of the room, how long the slot is
GOVERN = ("outside", "inside", "balanced")


@dataclass(frozen=True, slots=True)
class KerfPlate:
    """As ordered; mm. hole: diameter, slot: width, measured along `slot_axis`; 0 for none. short lengths 0 for a plain
    outside. compensation: full width. hole_bias: by how much holes would come out larger, which is taken off them.
    thermal: cut so that the good side of the cut lies on the part, without tabs. tabs: bridges that a cutter leaves.
    """

    width: float
    height: float
    short_width: float = 0.0
    short_height: float = 0.0
    hole: float = 0.0
    slot: float = 0.0
    slot_axis: str = "x"
    compensation: float = 0.0
    hole_bias: float = 0.0
    thickness: float = 0.0
    thermal: bool = False
    tabs: bool = True

    def __post_init__(self) -> None:
        for name in ("width", "height"):
            if not getattr(self, name) > 0:
                raise PieceError(tr("must be larger than 0"), name)
        for name in ("short_width", "short_height", "hole", "slot", "compensation", "thickness"):
            if getattr(self, name) < 0:
                raise PieceError(tr("must not be negative"), name)
        if self.slot_axis not in ("x", "y"):
            raise PieceError(tr("expected x or y"), "slot_axis")
        if bool(self.short_width) != bool(self.short_height):
            raise PieceError(tr("give both short lengths, or neither"), "short_width")
        if self.hole and abs(self.hole_bias) > self.hole / 2:
            raise PieceError(tr("more than half of the hole"), "hole_bias")
        for name, size in (("hole", self.hole), ("slot", self.slot)):
            if size and size <= 1.2 * self.compensation:
                raise PieceError(
                    tr("too small for a cut {compensation:g} mm wide", compensation=self.compensation), name
                )
            if 0 < size < LEAST_INSIDE:
                raise PieceError(
                    tr(
                        "must be at least {least_inside:g} mm, or nothing can be put into it", least_inside=LEAST_INSIDE
                    ),
                    name,
                )
        self._check_room()

    def _check_room(self) -> None:
        """The hole on the left of the room, the slot on its right, with walls about them."""
        room, wall = self._room(), WALL + self.compensation
        needs = [(self.hole + wall, self.hole), (self.slot_box.width + wall, self.slot)]
        across = sum(need for need, size in needs if size) + wall
        if (self.hole or self.slot) and across > room.width:
            raise PieceError(tr("no room beside each other for hole and slot; make the plate larger"), "width")
        for name, tall in (("hole", self.hole), ("slot", self.slot_box.height if self.slot else 0.0)):
            if tall and tall + 2 * wall > room.height + 1e-9:
                raise PieceError(tr("too large for this plate"), name)

    @property
    def stepped(self) -> SteppedOutline | None:
        """The outside, where it has short lengths."""
        if not self.short_width:
            return None
        sizes = self.width, self.height, self.short_width, self.short_height, self.compensation
        return SteppedOutline(*sizes, clockwise=self.thermal)

    def _room(self) -> Box:
        """Where hole and slot may lie."""
        return s.arm if (s := self.stepped) else Box(0.0, 0.0, self.width, self.height)

    @property
    def slot_box(self) -> Box:
        """The slot nominal."""
        room, wall = self._room(), WALL + self.compensation
        long = SLOT_SHARE * (room.height if self.slot_axis == "x" else room.width / 2)
        w, h = (self.slot, long) if self.slot_axis == "x" else (long, self.slot)
        right = room.x_high - wall if self.hole else (room.x + room.x_high + w) / 2
        return Box(right - w, room.y + (room.height - h) / 2, w, h)

    @property
    def hole_at(self) -> Point:
        """Where the hole's centre lies, mm."""
        room, wall = self._room(), WALL + self.compensation
        x = room.x + wall + self.hole / 2 if self.slot else room.x + room.width / 2
        return x, room.y + room.height / 2

    def measurands(self) -> tuple[str, ...]:
        """What can be read on its upper side, in the order of walking round it."""
        outside = OUTSIDE if self.short_width else OUTSIDE[:2]
        return (*outside, *(("hole_0", "hole_90") if self.hole else ()), *(("slot",) if self.slot else ()))

    def nominal(self, measurand: str) -> float:
        """As ordered, at either edge."""
        name = measurand.removesuffix(BOTTOM)
        return float(self.hole if name.startswith("hole") else getattr(self, name))

    def _sizes(self, actual: Mapping[str, float]) -> dict[str, float]:
        """Sizes that were read at either edge, by the name that they have at the upper one."""
        return {name.removesuffix(BOTTOM): size for name, size in actual.items()}

    def outline(self, **actual: float) -> tuple[Point, ...]:
        """Corners of the outside; lengths that were read, at either edge, replace the nominal ones."""
        actual = self._sizes(actual)
        if s := self.stepped:
            return s.outline(**{m: v for m, v in actual.items() if m in OUTSIDE})
        W, H = actual.get("width", self.width), actual.get("height", self.height)
        return (0, 0), (W, 0), (W, H), (0, H)

    def inner(self, **actual: float) -> tuple[tuple[Point, ...], ...]:
        """Outlines of hole and slot, as they are pictured; sizes that were read replace the nominal ones."""
        actual, found = self._sizes(actual), []
        if self.hole:
            (x, y), rx, ry = self.hole_at, *(actual.get(m, self.hole) / 2 for m in ("hole_0", "hole_90"))
            turns = [math.tau * i / 72 for i in range(72)]
            found.append(tuple((x + rx * math.cos(a), y + ry * math.sin(a)) for a in turns))
        if self.slot:
            b, more = self.slot_box, actual.get("slot", self.slot) - self.slot
            dx, dy = (more, 0.0) if self.slot_axis == "x" else (0.0, more)
            found.append(_corners(Box(b.x - dx / 2, b.y - dy / 2, b.width + dx, b.height + dy)))
        return tuple(found)

    def line(self, measurand: str) -> tuple[Point, Point]:
        """Where jaws or tips go."""
        name = measurand.removesuffix(BOTTOM)
        if name == "slot":
            b = self.slot_box
            x, y = b.x + b.width / 2, b.y + b.height / 2
            return ((b.x, y), (b.x_high, y)) if self.slot_axis == "x" else ((x, b.y), (x, b.y_high))
        if name.startswith("hole"):
            (x, y), r = self.hole_at, self.hole / 2
            return ((x - r, y), (x + r, y)) if name == "hole_0" else ((x, y - r), (x, y + r))
        if s := self.stepped:
            return s.dimension_line(name)
        if name == "width":
            return (0, 0.12 * self.height), (self.width, 0.12 * self.height)
        return (0.06 * self.width, 0), (0.06 * self.width, self.height)

    def footprint(self) -> tuple[float, float]:
        """Room on the stock, mm."""
        extra = 2 * (self.compensation + LEAD_IN + APPROACH)
        return self.width + extra, self.height + extra

    def job(self, number: int) -> Job:
        """Marks, then inside contours, then the outside."""
        title = f"piece {number}, kerf plate {self.width:g} x {self.height:g}"
        inside = []
        if self.hole:
            lead = min(LEAD_IN, 0.6 * (self.hole - self.compensation) / 2)
            inside.append(
                Contour(
                    Side.INSIDE,
                    centre=self.hole_at,
                    radius=self.hole / 2,
                    lead=(-lead, 0.0),
                    overlap=min(OVERLAP, 0.2 * self.hole),
                )
            )
        if self.slot:
            inside.append(self._slot())
        return Job(
            title,
            (
                JobLayer(Does.MARK, self._marks(number)),
                JobLayer(Does.CUT, tuple(inside)),
                JobLayer(Does.CUT, (self._outside(),)),
            ),
        )

    def _slot(self) -> Contour:
        """Led in from its middle onto a long side."""
        lead = 0.4 * (self.slot - self.compensation)
        edge, way = (1, (-lead, 0.0)) if self.slot_axis == "x" else (0, (0.0, lead))
        return Contour(Side.INSIDE, _corners(self.slot_box), start=(edge, 0.5), lead=way, overlap=OVERLAP)

    def _outside(self) -> Contour:
        tabs = () if self.thermal or not self.tabs else ((0, 0.3, TAB), (1, 0.3, TAB), (3, 0.3, TAB))
        if s := self.stepped:
            return s.contour(tabs=self.tabs and not self.thermal)
        return Contour(
            Side.OUTSIDE,
            self.outline(),
            lead=(-LEAD_IN, 0.0),
            tail=(0.0, -LEAD_IN),
            # Each edge is met moving outwards: the slack is on that side before the first one begins.
            approach=(APPROACH, -APPROACH) if self.thermal else (-APPROACH, APPROACH),
            tabs=tabs,
            clockwise=self.thermal,
        )

    def _marks(self, number: int) -> tuple[Stroke, ...]:
        """A dot near the corner at lowest X and Y, and the number above it, where there is room."""
        at = MARK_MARGIN + self.compensation / 2
        dot = Stroke(((at, at), (at + 0.5, at)))
        written = figures(number, (at + 4, at), FIGURE)
        clear = min(self._room().width, self.width)
        wide = max(x for stroke in written for x, _ in stroke.points)
        tall = (self._room().height - max(self.hole, self.slot_box.height if self.slot else 0.0)) / 2
        return (dot, *written) if wide < clear - at and (at + FIGURE < tall or self.stepped) else (dot,)


def _corners(b: Box) -> tuple[Point, ...]:
    return (b.x, b.y), (b.x_high, b.y), (b.x_high, b.y_high), (b.x, b.y_high)


class EdgePlate(KerfPlate):
    """A plate of which one size is read above (`top`) and below (`bottom`): the hole, where it has one, else width."""

    __slots__ = ()

    @property
    def size(self) -> str:
        """Name of that size."""
        return "hole_0" if self.hole else "width"

    def nominal(self, measurand: str) -> float:
        """Above and below alike."""
        return KerfPlate.nominal(self, self.size)

    def _sizes(self, actual: Mapping[str, float]) -> dict[str, float]:
        for size in actual.values():  # one side is seen at a time
            return {self.size: size}
        return {}
