"""What is read off a piece, a run or a page, by its kind: a length, a count, a pick, a spot, a picture.

Each kind is a type of its own from the callout to the shop file and back, so that no number of teeth is ever taken for
millimetres. A length is `lengths.Length`; the others are here.
"""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from keen_compass.errors import LengthError
from keen_compass.language import tr
from keen_compass.quantities.lengths import LONGEST_TEXT, Length, parse_length, parse_number, plain_number, trim_number

LARGEST_COUNT = 1e9
WIDEST_PICTURE = 100_000.0  # px


class Reads(StrEnum):
    """What the readings of a measurand have in common."""

    SIZE = "size"  # one thing, near its nominal whatever is sought
    ABOUT = "about"  # one thing, only about as large as its nominal
    EVENTS = "events"  # each what happened that time: they may differ as they like


class Kind(StrEnum):
    """The kinds of reading; the names never change."""

    LENGTH = "length"
    COUNT = "count"
    PICK = "pick"
    SPOT = "spot"
    PICTURE = "picture"


@dataclass(frozen=True, slots=True)
class Count:
    """A plain number: how many, or how many of a unit that is no length (°, teeth). text: as typed."""

    value: float
    text: str
    unit: str = ""


@dataclass(frozen=True, slots=True)
class Pick:
    """Which of several that lie in a row fits: its place from 1, halves between two; or a judgement in its words."""

    at: float
    text: str


@dataclass(frozen=True, slots=True)
class Spot:
    """A place in the plane, mm, along the axes of what it was read on."""

    x: float
    y: float
    text: str


@dataclass(frozen=True, slots=True)
class Picture:
    """A picture, by the name under which the shop file keeps it, and the point that was found in it, px; none yet."""

    blob: str
    at: tuple[float, float] | None
    text: str


Reading = Length | Count | Pick | Spot | Picture


def kind_of(reading: Reading) -> Kind:
    """Which kind of reading it is: length, count, pick, place."""
    return _KINDS[type(reading)]


_KINDS: dict[type, Kind] = {
    Length: Kind.LENGTH,
    Count: Kind.COUNT,
    Pick: Kind.PICK,
    Spot: Kind.SPOT,
    Picture: Kind.PICTURE,
}


def number_of(reading: Reading) -> float:
    """The one number that a reading is: mm of a length, what was counted, the place of a pick. Raises LengthError."""
    match reading:
        case Length():
            return reading.mm
        case Count():
            return reading.value
        case Pick():
            return reading.at
    raise LengthError(tr("this reading is no single number"))


def parse_count(text: str, unit: str, label: str = "this") -> Count:
    """A plain number, with the unit or without. Raises LengthError for a length, or anything else."""
    plain = text.strip()
    if len(plain) > LONGEST_TEXT:
        raise LengthError(tr("{n:,} characters is too long for a number", n=len(plain)))
    if not plain:
        raise LengthError(tr("nothing typed yet"))
    try:
        value = parse_number(plain.removesuffix(unit) if unit else plain)
    except LengthError as error:
        if _is_length(plain):
            raise LengthError(tr("{label} is no length: type a plain number", label=label)) from None
        raise error from None
    if abs(value) > LARGEST_COUNT:
        raise LengthError(tr("{label} can't be as large as that", label=label))
    return Count(value, text, unit)


def _is_length(text: str) -> bool:
    """Whether it is one, with its unit."""
    try:
        return parse_length(text, allow_negative=True).text.strip()[-1:].isalpha()
    except LengthError:
        return False


def parse_pick(text: str, count: int = 0, words: Sequence[str] = ()) -> Pick:
    """One of `words`, or a place from 1 to `count` in halves: ``3``, ``2.5``, ``2,5``. Raises LengthError."""
    plain = text.strip().lower()
    for i, word in enumerate(words):
        if plain == word.lower():
            return Pick(float(i + 1), word)
    if words:
        raise LengthError(tr("choose one of {words}", words=", ".join(words)))
    try:
        at = plain_number(plain)
    except ValueError:
        at = math.nan
    if not (1 <= at <= count and at * 2 == round(at * 2)):
        raise LengthError(tr("choose 1 to {count}, or halfway between two, like 2.5", count=count))
    return Pick(at, trim_number(at, 1))


def picked_of(values: Sequence[float], at: float) -> float:
    """The number of what was picked, counted from 1, or halfway between two neighbours."""
    low = math.floor(at)
    share, a = at - low, values[low - 1]
    return a + share * (values[low] - a) if share else a


def pick_of(values: Sequence[float], number: float) -> float:
    """Which of the rising values comes nearest to a number, counted from 1, or halfway between two neighbours."""
    halves = [1 + k / 2 for k in range(2 * len(values) - 1)]
    return min(halves, key=lambda at: abs(picked_of(values, at) - number))


def parse_spot(text: str, unit: str = "mm") -> Spot:
    """A place in the plane: ``120.4 88.2``, ``X120.4 Y88.2``, ``120,4; 88,2``. Bare numbers in `unit`. Raises
    LengthError.
    """
    plain = text.strip()
    if len(plain) > LONGEST_TEXT:
        raise LengthError(tr("{n:,} characters is too long for a place", n=len(plain)))
    if not plain:
        raise LengthError(tr("nothing typed yet"))
    parts = [part for part in re.split(r"[;\s]+", re.sub(r"[XYxy]\s*[:=]?", " ", plain)) if part]
    if len(parts) == 4 and all(part.isalpha() or part == '"' for part in parts[1::2]):  # each with its unit
        parts = [a + b for a, b in zip(parts[::2], parts[1::2], strict=True)]
    if len(parts) == 1 and plain.count(",") == 1 and "." in plain:
        parts = plain.split(",")
    if len(parts) != 2:
        raise LengthError(tr("type both numbers, X then Y, like 120.4 88.2"))
    x, y = (parse_length(part.removesuffix(","), unit, allow_negative=True).mm for part in parts)
    return Spot(x, y, plain)


def parse_pixel(text: str) -> tuple[float, float]:
    """A place in a picture, px from its top left corner: ``620.1 468.2``. Raises LengthError."""
    parts = text.replace(";", " ").split()
    try:
        u, v = (plain_number(part) for part in parts)
    except ValueError:
        raise LengthError(tr("type both numbers in pixels, across then down, like 620.1 468.2")) from None
    if not (0 <= u <= WIDEST_PICTURE and 0 <= v <= WIDEST_PICTURE):
        raise LengthError(tr("that place is in no picture"))
    return u, v


@dataclass(frozen=True, slots=True)
class Row:
    """A reading as a row of the shop file has it: what it is made of by columns, whatever its kind."""

    kind: str
    text: str
    value: float | None
    second: float | None
    unit: str
    resolution: float
    blob: str


def to_row(reading: Reading) -> Row:
    """What the columns hold of it."""
    kind = str(kind_of(reading))
    match reading:
        case Length():
            return Row(kind, reading.text, reading.mm, None, reading.unit, reading.resolution_mm, "")
        case Count():
            return Row(kind, reading.text, reading.value, None, reading.unit, 0.0, "")
        case Pick():
            return Row(kind, reading.text, reading.at, None, "", 0.0, "")
        case Spot():
            return Row(kind, reading.text, reading.x, reading.y, "mm", 0.0, "")
        case Picture():
            u, v = reading.at or (None, None)
            return Row(kind, reading.text, u, v, "px", 0.0, reading.blob)


def from_row(row: Row) -> Reading:
    """Inverse of `to_row`. Raises ValueError for what is no reading."""
    value, second = row.value, row.second
    match row.kind:
        case Kind.PICTURE if row.blob and (value is None) == (second is None):
            return Picture(row.blob, None if value is None or second is None else (value, second), row.text)
        case Kind.SPOT if value is not None and second is not None:
            return Spot(value, second, row.text)
        case Kind.LENGTH if value is not None:
            return Length(value, row.text, row.unit, row.resolution)
        case Kind.COUNT if value is not None:
            return Count(value, row.text, row.unit)
        case Kind.PICK if value is not None:
            return Pick(value, row.text)
    raise ValueError(tr("no reading: {kind!r} without what it needs", kind=row.kind))
