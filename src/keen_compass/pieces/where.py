"""Where a measurand lies: on a piece, between drawn lines, at a stop of a run, on the bed, on a part.

A procedure says where; who reads there (a technician, or practice on a stand-in) finds it from that alone.

Faces      between faces of the piece, along a line, held by jaws, corner to corner or across
Fits       which of several that lie in a row has the size that was ordered
Burnt      how wide one of all that was burnt is
Narrowest  which of several burnt lines is narrowest
Closes     which of several squares has corners that close
Clean      whether what was cut with one setting came out clean
Slack      what strips leave free in their window when they are pushed together
LinesUp    which pair of ticks of two scales runs on in one another
Lines      from one drawn line to another, in the order of the file
EdgeLine   from an edge of the stock to a drawn line
OnRule     a scale beside the axis, at one of its stops
Return     by how much the axis misses, at one stop, the place where it was at another
Height     the gauge in the head over a place of the bed, against another place
Gap        between a swung arm and the bed, on one side of the head
Meets      bands of a printer's feed test
InView     a drawn cross in a picture
Beside     what was drawn or aimed at, beside its mark on a sheet
Border     what is left of a printed artwork's border where it was cut
Part       a number that is counted on, or stamped into, a part of the drive train
"""

from __future__ import annotations

from dataclasses import dataclass

from keen_compass.quantities.geometry import Point


@dataclass(frozen=True, slots=True)
class Faces:
    """Along `line` (piece coordinates, mm), `held`: jaws, corners (corner to corner), across (parallel jaws), inside
    (inside jaws, in a hole or slot) or part (jaws, on the one of several parts that lies there). below: at the lower
    edges, of a piece turned over.
    """

    line: tuple[Point, Point]
    held: str = "jaws"
    below: bool = False


@dataclass(frozen=True, slots=True)
class Fits:
    """One of `faces`, in their order, whose size is `size`, mm; or between two."""

    faces: tuple[Faces, ...]
    size: float


@dataclass(frozen=True, slots=True)
class Burnt:
    """One of all that was burnt, by its number in the order of the file, from 0."""

    order: int


@dataclass(frozen=True, slots=True)
class Narrowest:
    """Of those burnt lines."""

    orders: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class Clean:
    """What was cut as that number in the order of the file: 1 where it came out clean, else 0."""

    order: int


@dataclass(frozen=True, slots=True)
class Closes:
    """Of the squares that are cut as those numbers in the order of the file, each for a blade that trails by so much,
    mm.
    """

    orders: tuple[int, ...]
    trails: tuple[float, ...]


@dataclass(frozen=True, slots=True)
class Slack:
    """Along `line`, which runs across window and strips."""

    line: tuple[Point, Point]


@dataclass(frozen=True, slots=True)
class Lines:
    """Between the middles of two lines, by their numbers in the file, along an axis."""

    axis: str
    first: int
    last: int


@dataclass(frozen=True, slots=True)
class LinesUp:
    """Ticks of two scales along an axis, by their numbers in the file, pair by pair; the middle pair is number 0."""

    axis: str
    first: tuple[int, ...]
    second: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class EdgeLine:
    """From the stock's edge, which lies at `edge` on the bed (mm), to a line; `inwards` is +1 from a low edge."""

    axis: str
    line: int
    edge: float
    inwards: int = 1


@dataclass(frozen=True, slots=True)
class OnRule:
    """A rule beside the axis, read at the stop of that number.

    stops: how many there are in each cycle. zero: what it would show at the first of them, mm.
    parallel_within: rad, as the technician says that it lies; 0 where nothing was said.
    """

    axis: str
    stop: int
    stops: int
    zero: float = 0.0
    parallel_within: float = 0.0


@dataclass(frozen=True, slots=True)
class Return:
    """How far the axis, at `stop`, misses where it was at the stop `since`.

    each: by how many stops both move on with every repeat. zeroed: a dial was set to zero there, to its division.
    feed: mm/min, with which it ran in between, where that matters.
    """

    axis: str
    stop: int
    since: int
    each: int = 0
    zeroed: bool = False
    feed: float = 0.0


@dataclass(frozen=True, slots=True)
class Height:
    """Height of the bed at a stop, against its height at `zero` (mm on the bed)."""

    stop: int
    zero: Point


@dataclass(frozen=True, slots=True)
class Gap:
    """Gap under an arm of `radius` mm, swung to the high (+1) or low (−1) side of an axis."""

    axis: str
    side: int
    radius: float


@dataclass(frozen=True, slots=True)
class Part:
    """A number of the drive train of an axis, by its name; `usual` where the part doesn't say.

    link: 0 for the motor, 1 for the gear, 2 for what drives the carriage.
    """

    axis: str
    name: str
    usual: float
    link: int = 0


@dataclass(frozen=True, slots=True)
class Beside:
    """What was drawn or aimed at, beside its mark at `at` of a sheet (mm)."""

    at: Point


@dataclass(frozen=True, slots=True)
class Border:
    """From the edge of what is printed out to the cut, at a place `at` of the nominal cut (mm on the sheet), along its
    outward normal; ordered: mm.
    """

    at: Point
    out: Point
    ordered: float


@dataclass(frozen=True, slots=True)
class InView:
    """The cross of the piece, in the picture that is taken after this move of the head, mm."""

    move: Point


@dataclass(frozen=True, slots=True)
class Meets:
    """Which band just meets, of those printed with these corrections (counted from the value in force where
    `relative`); or what one of them looks like: `band`, from 0, is 1 where it overlaps, 2 where it meets, 3 a gap.
    """

    corrections: tuple[float, ...]
    relative: bool
    band: int = -1


Where = (
    Faces
    | Fits
    | Burnt
    | Narrowest
    | Clean
    | Closes
    | Slack
    | Lines
    | LinesUp
    | EdgeLine
    | OnRule
    | Return
    | Height
    | Gap
    | Part
    | (Beside)
    | Border
    | InView
    | Meets
)
