"""What may stand in the body of a row from somewhere else: numbers within what a machine can be, texts of some length.

Whatever is wrong raises `Wrong` with the field's name; `incoming` says in which row.
"""

from __future__ import annotations

import json
from datetime import datetime
from typing import Annotated, Any, Literal, TypeVar

from msgspec import Meta, Struct, field, to_builtins

from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.machines.fitted import Stock, Tool
from keen_compass.machines.limits import LIMITS, THICKNESS, WIDEST_TOOL
from keen_compass.quantities.bodies import JsonObject
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.resolution import StoredResolution
from keen_compass.quantities.stored import StoredAmount, StoredValue
from keen_compass.quantities.understood import understood
from keen_compass.shop.consumables import MOST_AGE
from keen_compass.shop.listings import LONGEST_REASON

T = TypeVar("T")
LARGEST_NUMBER = 1e12
LONGEST_NAME = 200
LONGEST_PATH = 4096
Name = Annotated[str, Meta(max_length=LONGEST_NAME)]
Reason = Annotated[str, Meta(max_length=LONGEST_REASON)]
LongText = Annotated[str, Meta(max_length=LONGEST_PATH)]
Number = Annotated[float, Meta(ge=-LARGEST_NUMBER, le=LARGEST_NUMBER)]
Positive = Annotated[float, Meta(gt=0, le=LARGEST_NUMBER)]
Box = tuple[Number, Number, Number, Number]


class Wrong(Exception):  # noqa: N818 (becomes a FileFormatError with its place)
    """Something that isn't taken over; field: where in its row."""

    def __init__(self, message: str, field: str = "") -> None:
        super().__init__(message)
        self.field = f".{field}" if field else ""


def no_number(name: str) -> float:
    """For JSON's parser: NaN and the infinities are none."""
    raise ValueError(tr("{name} is no number", name=name))


def time_of(text: str) -> str:
    """A time as the shop file writes it, so that it sorts as text."""
    try:
        time = datetime.strptime(text, "%Y-%m-%dT%H:%M:%S.%fZ")
    except ValueError:
        raise Wrong(
            tr("expected a time like 2026-10-06T08:00:00.000000Z, got {text!r}", text=text[:30]), "at"
        ) from None
    if time.year < 1970:
        raise Wrong(tr("{text} is before there were such machines", text=text[:10]), "at")
    return time.strftime("%Y-%m-%dT%H:%M:%S.%fZ")


def object_of(text: str) -> JsonObject:
    """A JSON object. Raises Wrong."""
    try:
        body = json.loads(text, parse_constant=no_number)
    except (ValueError, RecursionError):
        raise Wrong(tr("is not JSON"), "body") from None
    if not isinstance(body, dict):
        raise Wrong(tr("expected an object"), "body")
    return body


class LineBody(Struct):
    """Settings of a process; what of them the machine has."""

    name: Name
    machine: Name
    process: Name
    material: Name
    thickness: Annotated[float, Meta(ge=THICKNESS[0], le=THICKNESS[1])]
    feed: Annotated[float, Meta(ge=LIMITS["feed"][0], le=LIMITS["feed"][1])] | None = None
    pierce_height: Annotated[float, Meta(ge=LIMITS["pierce_height"][0], le=LIMITS["pierce_height"][1])] | None = None
    cut_height: Annotated[float, Meta(ge=LIMITS["cut_height"][0], le=LIMITS["cut_height"][1])] | None = None
    pierce_delay: Annotated[float, Meta(ge=LIMITS["pierce_delay"][0], le=LIMITS["pierce_delay"][1])] | None = None
    power: Annotated[float, Meta(ge=LIMITS["power"][0], le=LIMITS["power"][1])] | None = None
    focus: Annotated[float, Meta(ge=LIMITS["focus"][0], le=LIMITS["focus"][1])] | None = None


class ChartBody(LineBody, kw_only=True):
    """A line of a maker's chart."""

    kerf: Annotated[float, Meta(ge=0, le=WIDEST_TOOL)]


class LeftBody(Struct):
    """A difference between listings that someone left as it is."""

    name: Reason
    machine: Name
    what: LongText
    here: LongText
    there: LongText
    at: Name


Scale = Annotated[float, Meta(gt=0, le=10)]  # mm per px
Share = Annotated[float, Meta(ge=0, le=10)]


class ListingBody(Struct):
    """A copy of a controller's listing; its bytes are a blob."""

    name: Reason
    machine: Name
    origin: LongText
    at: Name
    sheet: bool
    blob: Annotated[str, Meta(pattern="^[0-9a-f]{64}$")]


class ConsumablesBody(Struct):
    """How much consumables were used, as someone told."""

    name: Name
    machine: Name
    tool: Name
    age: Annotated[float, Meta(ge=0, le=MOST_AGE)]
    counted: Literal["pierces", "metres", "minutes"]


class ScannerBody(Struct):
    """What is known of a scanner, and of which piece of which machine; at: when."""

    name: Name
    mm_per_px: tuple[Scale, Scale]
    skew: Annotated[float, Meta(ge=-0.1, le=0.1)]
    U: tuple[Share, Share]
    edge: Annotated[float, Meta(ge=-1, le=1)]
    dpi: Annotated[float, Meta(ge=0, le=1e5)]
    at: Name


# What of a thing is nothing but its body, by kind.
PLAIN_THINGS: dict[str, type[Struct]] = {
    "chart": ChartBody,
    "process": LineBody,
    "listing": ListingBody,
    "left": LeftBody,
    "consumables": ConsumablesBody,
    "scanner": ScannerBody,
}


class RoundBody(Struct):
    """Tolerances as they were copied when it began, mm over the length."""

    tolerances: dict[str, Positive]
    reference_length: Positive


class PieceBody(Struct):
    """What was ordered, and the places that it takes, or the only one: x, y, width, height."""

    parameters: JsonObject
    place: list[Any] | None = None
    on_bed: bool = False
    use: dict[Literal["pierces", "metres", "minutes"], Annotated[float, Meta(ge=0, le=LARGEST_NUMBER)]] | None = None


class StageBody(Struct):
    """What was in force."""

    held: JsonObject
    seen: dict[str, str] = field(default_factory=dict)
    tool: Tool | None = None
    stock: Stock | None = None
    process: str = ""
    applied: dict[str, str] = field(default_factory=dict)
    fitted: dict[Literal["accessory", "printer", "carrier"], str] = field(default_factory=dict)


class MountedBody(Struct):
    """What is on the machine, by uid, and where stock lies."""

    tool: Name = ""
    stock: Name = ""
    accessory: Name = ""
    printer: Name = ""
    carrier: Name = ""
    x: Number | None = None
    y: Number | None = None
    width: Positive | None = None
    height: Positive | None = None


class FoundBody(Struct):
    """What was found to be otherwise in a controller."""

    quantity: Name
    here: Name
    said: Name
    since: Name
    pieces: list[int]


def kept(body: Struct) -> JsonObject:
    """What of a body is kept: what it says, in the order of its fields; a time as the shop file writes it."""
    found = {name: value for name, value in to_builtins(body).items() if value is not None}
    return found | ({"at": time_of(found["at"])} if "at" in found else {})


def strict(kind: type[T], body: object, place: str = "body") -> T:
    """A structure from JSON, every field of its declared type, its own limits kept. Raises Wrong."""
    try:
        return understood(kind, body, place)
    except InputError as error:
        inside = error.place if error.place.startswith(place) else f"{place}.{error.place}"
        raise Wrong(error.message[:160], inside.rstrip(".")[:60]) from None
    except (ValueError, TypeError, OverflowError) as error:
        raise Wrong(" ".join(str(error).split())[:160], place) from None


def stored_of(quantity: str, body: Any, place: str) -> StoredValue:
    """A number as a controller keeps it. Raises Wrong."""
    if quantity not in QUANTITIES or not isinstance(body, dict):
        raise Wrong(tr("is nothing that a controller keeps"), place)
    stored: StoredValue
    stored = strict(StoredResolution, body, place) if "form" in body else strict(StoredAmount, body, place)
    if isinstance(stored, StoredAmount) and (stored.quantity != quantity or not abs(stored.value) < 1e9):
        raise Wrong(tr("doesn’t fit its quantity"), place)
    return stored
