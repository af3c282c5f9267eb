"""What a mark is, and the two that every round has: what was chosen, and which step is shown."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, field
from typing import ClassVar, TypeVar

from keen_compass.quantities.bodies import JsonMapping, JsonObject
from keen_compass.shop.kept import SHOWN


class Mark:
    """Base of all marks, which are dataclasses. `kind` is its name in the shop file and never changes."""

    __slots__ = ()
    kind: ClassVar[str]

    def to_body(self) -> JsonObject:
        """As the shop file keeps it."""
        return asdict(self)  # type: ignore[call-overload, no-any-return]  # each mark is one

    @classmethod
    def from_body(cls: type[M], body: JsonMapping) -> M:
        """Inverse of `to_body`. Fields that an older program didn't write have their defaults."""
        return cls(**body)


M = TypeVar("M", bound=Mark)


@dataclass(frozen=True, slots=True)
class Choices(Mark):
    """What was chosen for the next piece.

    size: mm. tool: its name. instrument: its uid. passes: readings of each. chosen: the procedure's own choices.
    """

    kind: ClassVar[str] = SHOWN[1]
    size: float = 400.0
    tool: str = ""
    instrument: str = ""
    passes: int = 3
    chosen: Mapping[str, object] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class StepShown(Mark):
    """Which step is shown: make, measure, correct or confirm."""

    kind: ClassVar[str] = SHOWN[0]
    step: str
