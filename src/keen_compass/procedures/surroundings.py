"""What is chosen before a piece is made, and what a procedure may look at to propose its parameters."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from keen_compass.machines.fitted import Tool
from keen_compass.machines.profile import Machine
from keen_compass.pieces.sticker import Order
from keen_compass.quantities.bodies import Parameters
from keen_compass.quantities.geometry import Box, Point
from keen_compass.quantities.notes import Said

CLEAR = 2.0  # mm between the marks of two pieces


@dataclass(frozen=True, slots=True)
class Choice:
    """Something to choose before a piece is made: parameter name, label, (what it is called, value) of each option."""

    name: str
    label: Said
    options: tuple[tuple[Said, object], ...]


@dataclass(frozen=True, slots=True)
class Surroundings:
    """What a procedure may look at to propose parameters: lengths in mm.

    size: as chosen with the slider. fine: sizes are multiples of it. across: most room across the size.
    chosen: what was chosen of the procedure's `choices`.
    fastest: axis → fastest feed in the controller, mm/min. passes: how often each measurand is to be read.
    taken: what lies on the sheet already, and what was marked on the bed itself.
    kerf: full width by which the cut is to be given room, mm. hole_bias: that is to be taken off round holes, mm.
    trails: by how much the blade trails, as it is held, mm. camera: where the controller has it, from the tool, mm.
    fed: correction of the printer's media feed in force, %. order: of someone's artwork; None where there is none
    yet.
    """

    machine: Machine
    tool: Tool
    size: float
    fine: float
    across: float
    chosen: Parameters = field(default_factory=dict)
    fastest: Mapping[str, float] = field(default_factory=dict)
    passes: int = 1
    taken: tuple[Box, ...] = ()
    kerf: float = 0.0
    hole_bias: float = 0.0
    trails: float = 0.0
    camera: Point = (0.0, 0.0)
    fed: float = 0.0
    order: Order | None = None

    def free(self, boxes: Sequence[Box], on: Box) -> bool:
        """Whether all of these lie on that and clear of everything that lies there."""
        return all(on.holds(box) and not any(box.overlaps(t, CLEAR) for t in self.taken) for box in boxes)

    def rounded(self, length: float) -> float:
        """A multiple of `fine`."""
        return round(length / self.fine) * self.fine

    def sides(self, long: float, across: float) -> dict[str, float]:
        """Width and height of a piece that lies along the machine's long axis."""
        width, height = (long, across) if self.machine.long_axis == "x" else (across, long)
        return {"width": width, "height": height}

    def made(self) -> Parameters:
        """How the tool makes it."""
        drawn = self.tool.drawn
        return {
            "compensation": 0.0 if drawn else self.kerf or self.tool.diameter,
            "made_by": "drawn" if drawn else "cut",
        }


COMPENSATION = Choice("compensation_off", "compensation", (("on", False), ("off", True)))
