"""Something to be said, before it is a sentence: a stable code and its values. `words` makes the sentences."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any


@dataclass(frozen=True, slots=True)
class Note:
    """One remark.

    code: what is said, as `note_codes` has it. values: what it says it of, plain numbers (mm, or as their names say),
    names and lists of these, so that it can be kept as JSON.
    """

    code: str
    values: Mapping[str, Any] = field(default_factory=dict)

    def to_body(self) -> list[Any]:
        """As the shop file keeps it."""
        return [self.code, dict(self.values)]


def note(code: str, **values: Any) -> Note:
    """A note of these values."""
    return Note(code, values)
