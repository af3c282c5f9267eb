"""How a controller is spoken to over its cable: what it is sent, and what its answers look like.

Nothing of any product is built in: the technician fills the patterns in from a few examples seen on their own
controller. A pattern is the text as it is on the wire with names in braces for what changes; ``|`` parts several
that mean the same; blanks may be more or fewer. What is sent may hold ``\\xNN`` for a character that no key has.
"""

from __future__ import annotations

import re
import string
from collections.abc import Mapping
from dataclasses import asdict, dataclass, fields
from functools import lru_cache

from keen_compass.errors import InputError, shown_input
from keen_compass.language import tr
from keen_compass.quantities.bodies import JsonObject

LONGEST = 200  # characters of a pattern
BAUDS = (115200, 9600, 57600, 38400, 19200, 250000)
NUMBER = r"[-+]?(?:\d+\.?\d*|\.\d+)"
# Placeholder → what may be there in an answer.
IN_ANSWERS = {"x": NUMBER, "y": NUMBER, "z": NUMBER, "n": NUMBER, "why": ".*", "text": ".*"}
# Field of what is sent → names that may stand in it.
IN_SENT: dict[str, tuple[str, ...]] = {
    "hello": (),
    "ask_listing": (),
    "set_value": ("key", "value"),
    "ask_position": (),
    "jog": ("axis", "distance", "dx", "dy", "dz", "feed"),
    "stop": (),
    "hold": (),
    "go_on": (),
    "alive": (),
    "sync": (),
    "ask_why": (),
    "reset": (),
    "off": (),
}
ANSWERS = ("greeting", "acknowledged", "refused", "alarm", "position", "listing_ends", "idle")
_TYPES: dict[str, tuple[tuple[type, ...], str]] = {
    "float": ((int, float), "a number"),
    "int": ((int,), "a whole number"),
    "bool": ((bool,), "true or false"),
}
ESCAPE = re.compile(r"\\x([0-9a-fA-F]{2})")
ENDS = {"\\n": "\n", "\\r": "\r", "\\r\\n": "\r\n", ";": ";"}  # what ends a command, as it is written here


@dataclass(frozen=True, slots=True)
class Dialect:
    """What is sent (as text) and what is answered (as patterns); empty where a controller has no such thing.

    hello, greeting: what makes it say what it is, and that; it says the same when it starts again.
    ask_listing, listing_ends: its settings, and the line after them; the acknowledgement where that is empty.
    set_value: with {key} and {value}.
    ask_position, position: with {x}, {y}, {z}; per_mm: how many of its units are one mm; position_acknowledged:
    whether an acknowledgement follows.
    jog: {axis} and {distance}, or {dx}, {dy}, {dz}; {feed} in mm/min. Distances in its own units.
    stop, hold, go_on: acted upon at once, whatever else waits. off: what switches spindle, torch or beam off, sent
    after the stop where a run ends early.
    remarks: it reads remarks of a program, which are sent with it; they are taken out otherwise.
    acknowledged, refused, alarm: after each command; ask_why: for the reason where the refusal has none.
    sync: what is sent after commands that are never acknowledged, to be answered in their place; every `group`.
    alive: answered at once even while it moves, with one line and no acknowledgement; idle: what it then says when it
    stands still; where that is empty, the same answer twice says so.
    ends: what ends a command, a key of `ENDS`. baud: bits per second.
    """

    name: str
    hello: str = ""
    greeting: str = ""
    ask_listing: str = ""
    listing_ends: str = ""
    set_value: str = ""
    ask_position: str = ""
    position: str = ""
    per_mm: float = 1.0
    position_acknowledged: bool = False
    jog: str = ""
    stop: str = ""
    hold: str = ""
    go_on: str = ""
    off: str = ""
    remarks: bool = False
    acknowledged: str = ""
    refused: str = ""
    alarm: str = ""
    ask_why: str = ""
    sync: str = ""
    group: int = 1
    alive: str = ""
    idle: str = ""
    reset: str = ""
    ends: str = "\\n"
    baud: int = 115200

    def __post_init__(self) -> None:
        if not self.name.strip():
            raise InputError(tr("give it a name"), "name")
        if self.ends not in ENDS:
            raise InputError(tr("choose one of {ends}", ends=", ".join(ENDS)), "ends")
        if not 300 <= self.baud <= 4_000_000:
            raise InputError(tr("expected bits per second, like 115200"), "baud")
        if not 0 < self.per_mm < 1e6:
            raise InputError(tr("how many of its units are one mm?"), "per_mm")
        if not 1 <= self.group <= 100:
            raise InputError(tr("between 1 and 100 commands"), "group")
        for name, allowed in IN_SENT.items():
            _check(getattr(self, name), allowed, name)
            on_wire(getattr(self, name), name)
        for name in ANSWERS:
            _check(getattr(self, name), tuple(IN_ANSWERS), name, once=True)
        if self.position and not {"x", "y"} <= _names(self.position):
            raise InputError(tr("say where {x} and {y} stand in it"), "position")
        if not self.acknowledged:
            raise InputError(tr("what does it answer when it has understood?"), "acknowledged")

    @property
    def end(self) -> str:
        """What ends a command, as it goes over the wire."""
        return ENDS[self.ends]

    def matches(self, name: str, line: str) -> dict[str, str] | None:
        """What is in the places of an answer's pattern; None where a line is none of that kind."""
        pattern = getattr(self, name)
        found = _compiled(pattern).fullmatch(line.strip()) if pattern else None
        return found.groupdict() if found else None

    def to_json(self) -> JsonObject:
        """As the shop file and a profile file keep it."""
        return asdict(self)

    @classmethod
    def from_json(cls, body: object) -> Dialect:
        """Inverse of `to_json`. Raises InputError naming what isn't known."""
        if not isinstance(body, Mapping):
            raise InputError(tr("expected an object {…} of patterns"))
        known = {f.name: f.type for f in fields(cls)}
        for name, value in body.items():
            if name not in known:
                raise InputError(tr("not known here; expected one of {known}", known=", ".join(known)), str(name))
            wanted, called = _TYPES.get(str(known[name]), ((str,), "text"))
            if not isinstance(value, wanted) or (isinstance(value, bool) and wanted != (bool,)):
                raise InputError(tr("expected {called}, got {given}", called=called, given=shown_input(value)), name)
        if "name" not in body:
            raise InputError(tr("give it a name"), "name")
        return cls(**body)


def on_wire(pattern: str, place: str = "", **values: str) -> bytes:
    """What a pattern sends: its escapes as the characters that they are, its names as these values, letter by letter.

    A value is never read as a pattern. Raises InputError for letters that a cable doesn't carry.
    """
    sent = b""
    try:
        for text, name, _, _ in string.Formatter().parse(pattern):
            sent += ESCAPE.sub(lambda m: chr(int(m[1], 16)), text).encode("latin-1")
            if name is not None:
                sent += _plain(values.get(name, ""), name)
    except (UnicodeEncodeError, ValueError):
        raise InputError(tr("a cable carries only plain letters"), place) from None
    return sent


def _plain(value: str, place: str) -> bytes:
    if not value.isascii() or (value and not value.isprintable()):
        raise InputError(tr("expected plain letters and figures on one line"), place)
    return value.encode("ascii")


def pattern_from(example: str, names: tuple[str, ...] = ("x", "y", "z")) -> str:
    """A pattern from an answer that was seen: its numbers, in order, are these.

    >>> pattern_from("at X12.500 Y-3.000 Z0.000")
    'at X{x} Y{y} Z{z}'
    """
    left = iter(names)

    def named(match: re.Match[str]) -> str:
        name = next(left, "")
        return f"{{{name}}}" if name else match[0]

    return re.sub(rf"(?<![\d.]){NUMBER}", named, example.strip())


def _names(pattern: str) -> set[str]:
    return {name for _, name, _, _ in string.Formatter().parse(pattern) if name is not None}


def _check(text: str, allowed: tuple[str, ...], place: str, *, once: bool = False) -> None:
    """once: what is read out of an answer is at one place in it."""
    if not isinstance(text, str) or len(text) > LONGEST:
        raise InputError(tr("expected text of at most {longest} characters", longest=LONGEST), place)
    try:
        parts = list(string.Formatter().parse(text))
    except ValueError:
        raise InputError(tr("a brace is not closed"), place) from None
    for _, name, spec, how in parts:
        if name is not None and (name not in allowed or spec or how):
            said = ", ".join(f"{{{n}}}" for n in allowed) or "nothing"
            raise InputError(tr("{{{name}}} can’t stand there; {said} can", name=name, said=said), place)
    names = [name for _, name, _, _ in string.Formatter().parse(text.split("|", maxsplit=1)[0]) if name is not None]
    if once and len(names) > len(set(names)):
        raise InputError(tr("each of its numbers stands there once"), place)


@lru_cache(maxsize=256)
def _compiled(pattern: str) -> re.Pattern[str]:
    return re.compile("|".join(f"(?:{_one(part.strip(), i)})" for i, part in enumerate(pattern.split("|"))))


def _one(pattern: str, number: int) -> str:
    """A regular expression of one alternative; names stand only in the first, where they can be told apart."""
    found = []
    for text, name, _, _ in string.Formatter().parse(pattern):
        found.append(re.sub(r"(?:\\\s|\s)+", r"\\s*", re.escape(text)))
        if name is not None:
            found.append(f"(?P<{name}>{IN_ANSWERS[name]})" if not number else f"(?:{IN_ANSWERS[name]})")
    return "".join(found)
