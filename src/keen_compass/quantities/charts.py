"""What a procedure shows besides its findings, as data: lines of figures, a table of settings, a chart's points."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from keen_compass.quantities.notes import Note, Said


@dataclass(frozen=True, slots=True)
class Section:
    """A cut edge in section: by how much a size is larger below (mm), over which thickness (mm); its range of ISO 9013
    and the limits of the ranges (u, mm), the best first.
    """

    larger_below: float
    thickness: float
    range: int
    limits: tuple[float, ...]


@dataclass(frozen=True, slots=True)
class Setting:
    """A row of a table of settings. now: as it is at the machine. worthwhile: it may be chosen."""

    cells: tuple[Note, ...]
    now: bool
    worthwhile: bool


@dataclass(frozen=True, slots=True)
class Shown:
    """lines: (what, how much). settings: a table, none where empty; heads and foot: codes of what is round it."""

    lines: tuple[tuple[Said, Note], ...] = ()
    heads: tuple[str, ...] = ()
    settings: tuple[Setting, ...] = ()
    foot: str = ""
    section: Section | None = None


@dataclass(frozen=True, slots=True)
class Deviations:
    """Deviation against position (mm) going up and coming back, None where nothing was read; the line through them.

    scale: mm/mm. lost_motion: mm.
    """

    positions: tuple[float, ...]
    up: tuple[float | None, ...]
    down: tuple[float | None, ...]
    scale: float
    lost_motion: float


@dataclass(frozen=True, slots=True)
class Feeds:
    """Limits beside a ladder of feeds, mm/min; None where there is none. within: mm that a clean rung may miss."""

    within: float
    safe: float | None = None
    rate_limit: float | None = None
    in_force: float | None = None


@dataclass(frozen=True, slots=True)
class Heights:
    """What is left above the plane at each measurand, mm."""

    rest: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Rungs:
    """A row of the same thing with a number that rises. values: that number, mm. off: by how much each came out off,
    mm, None where it wasn't read. pick: which was picked, from 1, halves between two. right: the number that is right.
    caption: what is above and below each.
    """

    values: tuple[float, ...]
    off: tuple[float | None, ...]
    pick: float | None
    right: float | None
    caption: str = "kerf_ladder.row"


@dataclass(frozen=True, slots=True)
class Cells:
    """Squares at power (rows, %, from below) against feed (columns, mm/min). proposed, now: (row, column), in which a
    place between two is a fraction; None where there is none.
    """

    powers: tuple[float, ...]
    feeds: tuple[float, ...]
    proposed: tuple[float, float] | None
    now: tuple[float, float] | None


Chart = Cells | Deviations | Feeds | Heights | Rungs


@dataclass(frozen=True, slots=True)
class Extent:
    """How large a piece or run is: one length or two (mm), or so many points each way. axis: of a run."""

    lengths: tuple[float, ...] = ()
    points: tuple[int, int] | None = None
    axis: str = ""
