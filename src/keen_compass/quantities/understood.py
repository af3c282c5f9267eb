"""What comes in from somewhere else: JSON against typed structures. Every refusal has its place, in our own words."""

from __future__ import annotations

import enum
import re
import typing
from collections.abc import Mapping, Sequence
from types import UnionType
from typing import Any, TypeVar

from keen_compass.errors import InputError, shown_input
from keen_compass.language import tr

T = TypeVar("T")
_WORDS = {
    "object": "an object {…}",
    "array": "a list […]",
    "str": "text",
    "bool": "true or false",
    "int": "a whole number",
    "float": "a number",
}
_STEP = re.compile(r"\.(\w+)|\[(\d+|\.\.\.)\]")


def understood(kind: type[T], given: object, place: str = "") -> T:
    """`given` as that structure. Raises InputError: what was expected, what is there, and where."""
    import msgspec  # late: what is typed by hand needs none

    try:
        return msgspec.convert(given, kind)
    except msgspec.ValidationError as error:
        words, _, path = str(error).partition(" - at `$")
        raise _refusal(words, kind, given, _STEP.findall(path), place) from None


def _refusal(words: str, kind: Any, given: Any, steps: list[tuple[str, str]], place: str) -> InputError:
    """The library's complaint about the place that these steps lead to, in our words."""
    for name, index in steps:
        kind = _inside(kind, name)
        key = name or (_wrong_key(kind, given) if index == "..." else int(index))
        place += f"[{key}]" if isinstance(key, int) else f".{key}"
        given = given[key] if isinstance(key, int) else given.get(key) if isinstance(given, Mapping) else None
    place = place.removeprefix(".")
    if not words.startswith(("Expected", "Object", "Invalid")):  # a number that no machine has
        return InputError(tr("{given} is no number that can be here", given=shown_input(given)), place)
    if found := re.search(r"(missing required|unknown) field `(.*)`", words):
        at = f"{place}.{found[2]}".removeprefix(".")
        if found[1] == "unknown":
            return InputError(
                tr("not known here; expected one of {fields}", fields=", ".join(sorted(_fields(kind)))), at
            )
        return InputError("missing", at)
    if options := _options(kind):
        return InputError(
            tr(
                "expected one of {options}, got {given}",
                options=", ".join(filter(None, options)),
                given=shown_input(given),
            ),
            place,
        )
    expected, _, _ = words.removeprefix("Expected ").partition(", got ")
    names = [_WORDS.get(name, name) for name in re.findall(r"\w+", (re.findall("`(.*?)`", expected) or [""])[0])]
    limits = expected.partition("` ")[2].replace(">=", "of at least").replace("<=", "of at most")
    limits = limits.replace("of length of", "of").replace(" > ", " larger than ").replace("> ", "larger than ")
    wanted = tr(" or ").join(name for name in names if name != "null")
    return InputError(
        tr("expected {wanted} {limits}", wanted=wanted, limits=limits).rstrip()
        + tr(", got {given}", given=shown_input(given)),
        place,
    )


def _wrong_key(kind: Any, given: Any) -> str:
    """Of a mapping the key whose value isn't of that type: the library doesn't say it."""
    import msgspec

    for key, value in given.items():
        try:
            msgspec.convert(value, kind)
        except msgspec.ValidationError:
            return str(key)
    return ""


def _members(kind: Any) -> Sequence[Any]:
    """What a type may be: itself, or the members of a union; what is annotated is left out."""
    while hasattr(kind, "__metadata__"):
        kind = typing.get_args(kind)[0]
    if isinstance(kind, UnionType) or typing.get_origin(kind) is typing.Union:
        return [m for part in typing.get_args(kind) for m in _members(part)]
    return [kind]


def _fields(kind: Any) -> dict[str, Any]:
    """Fields of a structure, with their types."""
    found: dict[str, Any] = {}
    for member in _members(kind):
        if hasattr(member, "__struct_fields__") or hasattr(member, "__dataclass_fields__"):
            found |= typing.get_type_hints(member, include_extras=True)
    return found


def _inside(kind: Any, name: str) -> Any:
    """The type of a field, or of what a list or mapping holds."""
    if name:
        return _fields(kind).get(name, Any)
    return next((typing.get_args(m)[-1] for m in _members(kind) if typing.get_args(m)), Any)


def _options(kind: Any) -> list[str]:
    """The words that it may be, where there are only some."""
    found: list[str] = []
    for member in _members(kind):
        if isinstance(member, enum.EnumMeta):
            found += [str(m.value) for m in member]  # type: ignore[var-annotated]
        elif typing.get_origin(member) is typing.Literal:
            found += [str(value) for value in typing.get_args(member)]
    return found
