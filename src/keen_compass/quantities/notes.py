"""Something to be said, before it is a sentence: a stable code and its values. `words` makes the sentences."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

from keen_compass.quantities.bodies import JsonMapping, JsonObject


@dataclass(frozen=True, slots=True)
class Note:
    """One remark.

    code: what is said, as `note_codes` has it. values: what it says it of, plain numbers (mm, or as their names say),
    texts and other notes in their kept form, so that all of it can be kept as JSON.
    """

    code: str
    values: JsonMapping = field(default_factory=dict)

    def of(self, what: Note | str) -> Note:
        """The same, said of something: a measurand's label."""
        return replace(self, values={**self.values, "of": _plain(what)})

    def to_body(self) -> JsonObject:
        """As the shop file keeps it."""
        return {"code": self.code, "values": dict(self.values)}

    @classmethod
    def from_body(cls, body: Any) -> Note:
        """Inverse of `to_body`; a sentence that an older program kept stays as it was."""
        return note("plain", text=body) if isinstance(body, str) else cls(body["code"], body["values"])

    def to_figure(self) -> JsonObject:
        """Among a solution's figures."""
        return {"note": self.to_body()}


Said = Note | str  # a note, or the code of one that needs no values


def note(code: str, **values: Any) -> Note:
    """A note of these values."""
    return Note(code, {name: _plain(value) for name, value in values.items()})


def plain(text: str) -> Note:
    """What needs no words: numbers, letters, someone's own name."""
    return note("plain", text=text)


def figure(text: str) -> Note:
    """A number as Python writes it, perhaps with its unit, said as one writes it in a language: ``1,234.5 mm``."""
    return Note("figure", {"text": text})


def _plain(value: Any) -> Any:
    if isinstance(value, Note):
        return value.to_body()
    if isinstance(value, (list, tuple)):
        return [_plain(v) for v in value]
    return value
