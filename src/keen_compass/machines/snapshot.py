"""What was in force when a stage of a piece was made: numbers, since when each was known, tool, stock."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, field

from keen_compass.machines.fitted import Stock, Tool, subject_of
from keen_compass.quantities.bodies import JsonMapping, JsonObject
from keen_compass.quantities.stored import StoredValue, stored_from_body
from keen_compass.quantities.subjects import Subject


@dataclass(frozen=True, slots=True)
class Snapshot:
    """All that counts for what was made then.

    held: what the controller held, by quantity. seen: since when (UTC) each of these was known; those that nobody ever
        entered are absent. tool, stock: what was mounted, None for nothing.
    process: settings with which it was cut.
    applied: correction → who applied it to what was sent: the file, the controller or a registration.
    """

    held: Mapping[str, StoredValue] = field(default_factory=dict)
    seen: Mapping[str, str] = field(default_factory=dict)
    tool: Tool | None = None
    stock: Stock | None = None
    process: str = ""
    applied: Mapping[str, str] = field(default_factory=dict)
    fitted: Mapping[str, str] = field(default_factory=dict)

    @property
    def subject(self) -> Subject:
        """Whose the values are that were found with it."""
        return subject_of(self.tool, self.stock, self.process, self.fitted)

    def same_making(self, other: Snapshot) -> bool:
        """Whether nothing that counts differs: the same numbers, tool and stock."""
        mine, others = ((s.held, s.tool, _material(s.stock), s.process, dict(s.fitted)) for s in (self, other))
        return mine == others

    def to_body(self) -> JsonObject:
        """As the shop file keeps it."""
        return {
            "held": {q: v.to_body() for q, v in self.held.items()},
            "seen": dict(self.seen),
            "tool": asdict(self.tool) if self.tool else None,
            "stock": asdict(self.stock) if self.stock else None,
            "process": self.process,
            "applied": dict(self.applied),
            **({"fitted": dict(self.fitted)} if self.fitted else {}),
        }

    @classmethod
    def from_body(cls, body: JsonMapping) -> Snapshot:
        """Inverse of `to_body`."""
        tool, stock = body.get("tool"), body.get("stock")
        return cls(
            {q: stored_from_body(v) for q, v in body["held"].items()},
            dict(body.get("seen", {})),
            Tool(**tool) if tool else None,
            Stock(**stock) if stock else None,
            str(body.get("process", "")),
            dict(body.get("applied", {})),
            dict(body.get("fitted", {})),
        )


def _material(stock: Stock | None) -> tuple[str, float] | None:
    return (stock.name, stock.thickness) if stock else None
