"""What may stand in the body of a row from somewhere else: numbers within what a machine can be, texts of some length.

Whatever is wrong raises `Wrong` with the field's name; `incoming` says in which row.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Mapping
from datetime import datetime
from functools import partial
from typing import Any, TypeVar

from keen_compass.errors import InputError
from keen_compass.machines.profile import COUNTS, LIMITS, PROCESS_SETTINGS, THICKNESS, WIDEST_TOOL
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.resolution import StoredResolution
from keen_compass.quantities.stored import StoredAmount, StoredValue
from keen_compass.shop.consumables import MOST_AGE
from keen_compass.shop.listings import LONGEST_REASON

T = TypeVar("T")
LARGEST_NUMBER = 1e12
LONGEST_NAME = 200
LONGEST_PATH = 4096


class Wrong(Exception):  # noqa: N818 (becomes a FileFormatError with its place)
    """Something that isn't taken over; field: where in its row."""

    def __init__(self, message: str, field: str = "") -> None:
        super().__init__(message)
        self.field = f".{field}" if field else ""


def no_number(name: str) -> float:
    """For JSON's parser: NaN and the infinities are none."""
    raise ValueError(f"{name} is no number")


def time_of(text: str) -> str:
    """A time as the shop file writes it, so that it sorts as text."""
    try:
        time = datetime.strptime(text, "%Y-%m-%dT%H:%M:%S.%fZ")
    except ValueError:
        raise Wrong(f"expected a time like 2026-10-06T08:00:00.000000Z, got {text[:30]!r}", "at") from None
    if time.year < 1970:
        raise Wrong(f"{text[:10]} is before there were such machines", "at")
    return time.strftime("%Y-%m-%dT%H:%M:%S.%fZ")


def object_of(text: str) -> dict[str, Any]:
    """A JSON object. Raises Wrong."""
    try:
        body = json.loads(text, parse_constant=no_number)
    except (ValueError, RecursionError):
        raise Wrong("is not JSON", "body") from None
    if not isinstance(body, dict):
        raise Wrong("expected an object", "body")
    return body


def converted(kind: type[T], text: str) -> T:
    """As `strict`, from text."""
    return strict(kind, object_of(text))


def _settings_line(body: Mapping[str, Any], *, charted: bool) -> dict[str, Any]:
    """Settings of a process, or a line of a maker's chart."""
    for name in ("name", "machine", "process", "material"):
        if not isinstance(body.get(name), str) or len(body[name]) > LONGEST_NAME:
            raise Wrong("expected a name", f"body.{name}")
    limits = {"thickness": THICKNESS, **{name: LIMITS[name] for name in PROCESS_SETTINGS}}
    if charted:
        limits["kerf"] = (0.0, WIDEST_TOOL)
    for name, (low, high) in limits.items():
        wanted = name in ("thickness", "kerf")
        if (wanted or body.get(name) is not None) and not (is_number(body.get(name)) and low <= body[name] <= high):
            raise Wrong(f"expected a number between {low:g} and {high:g}", f"body.{name}")
    known = ("name", "machine", "process", "material", *limits)
    return {name: body[name] for name in known if body.get(name) is not None}


def texts_of(body: Mapping[str, Any], limits: Mapping[str, int]) -> dict[str, str]:
    """What of a body is text, each at most so long. Raises Wrong."""
    for name, most in limits.items():
        if not isinstance(body.get(name), str) or len(body[name]) > most:
            raise Wrong("expected text", f"body.{name}")
    return {name: body[name] for name in limits}


def _left(body: Mapping[str, Any]) -> dict[str, Any]:
    """A difference that somebody left as it is."""
    most = {
        "name": LONGEST_REASON,
        "machine": LONGEST_NAME,
        "what": LONGEST_PATH,
        "here": LONGEST_PATH,
        "there": LONGEST_PATH,
        "at": LONGEST_NAME,
    }
    return {**texts_of(body, most), "at": time_of(body["at"])}


def _copy_of_listing(body: Mapping[str, Any]) -> dict[str, Any]:
    """A copy of a controller's listing; its bytes are a blob."""
    most = {"name": LONGEST_REASON, "machine": LONGEST_NAME, "origin": LONGEST_PATH, "at": LONGEST_NAME}
    texts = texts_of(body, most)
    if not isinstance(body.get("sheet"), bool):
        raise Wrong("expected true or false", "body.sheet")
    if not isinstance(body.get("blob"), str) or not re.fullmatch("[0-9a-f]{64}", body["blob"]):
        raise Wrong("expected the name of its bytes", "body.blob")
    return {**texts, "sheet": body["sheet"], "blob": body["blob"], "at": time_of(body["at"])}


def _consumables(body: Mapping[str, Any]) -> dict[str, Any]:
    """How much consumables were used, as somebody told."""
    texts = texts_of(body, dict.fromkeys(("name", "machine", "tool"), LONGEST_NAME))
    if body.get("counted") not in COUNTS:
        raise Wrong(f"expected one of {', '.join(COUNTS)}", "body.counted")
    if not is_number(body.get("age")) or not 0 <= body["age"] <= MOST_AGE:
        raise Wrong(f"expected a number between 0 and {MOST_AGE:g}", "body.age")
    return {**texts, "age": body["age"], "counted": body["counted"]}


# What of a thing is nothing but its body, by kind.
PLAIN_THINGS: dict[str, Callable[[Mapping[str, Any]], dict[str, Any]]] = {
    "chart": partial(_settings_line, charted=True),
    "process": partial(_settings_line, charted=False),
    "listing": _copy_of_listing,
    "left": _left,
    "consumables": _consumables,
}


def strict(kind: type[T], body: Mapping[str, Any]) -> T:
    """A dataclass from JSON, every field of its declared type, its own limits kept. Raises Wrong."""
    import msgspec

    try:
        return msgspec.convert(body, kind)
    except (msgspec.ValidationError, InputError, ValueError, TypeError, OverflowError) as error:
        words, _, place = str(error).partition(" - at `$")
        raise Wrong(" ".join(words.split())[:160], f"body{place.rstrip('`')}"[:60]) from None


def stored_of(quantity: str, body: Any, field: str) -> StoredValue:
    """A number as a controller keeps it. Raises Wrong."""
    if quantity not in QUANTITIES or not isinstance(body, dict):
        raise Wrong("is nothing that a controller keeps", field)
    stored: StoredValue
    try:
        stored = strict(StoredResolution, body) if "form" in body else strict(StoredAmount, body)
    except Wrong as wrong:
        raise Wrong(str(wrong), field) from None
    if isinstance(stored, StoredAmount) and (stored.quantity != quantity or not abs(stored.value) < 1e9):
        raise Wrong("doesn’t fit its quantity", field)
    return stored


def is_number(value: Any) -> bool:
    """Whether it is one that anything here can be."""
    return isinstance(value, (int, float)) and not isinstance(value, bool) and abs(value) <= LARGEST_NUMBER


def is_positive(value: Any) -> bool:
    """Whether it is a number above zero."""
    return is_number(value) and value > 0
