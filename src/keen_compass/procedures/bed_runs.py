"""Runs of a gauge over a bed, and of an arm about the head."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from keen_compass.machines.profile import Machine
from keen_compass.pieces.moves import Go, MoveProgram, Stop
from keen_compass.quantities.notes import note

if TYPE_CHECKING:
    pass


TRAM = ("x_high", "y_high", "x_low", "y_low")  # as the arm is swung round


@dataclass(frozen=True, slots=True)
class BedRun:
    """A grid of `columns` × `rows` over `width` × `height`, its low corner at (x, y) on the bed; mm."""

    columns: int
    rows: int
    x: float
    y: float
    width: float
    height: float

    def points(self) -> dict[str, tuple[float, float]]:
        """Measurand → place, in the order walked: along a row, and the next row back."""
        found = {}
        for row in range(self.rows):
            order = range(self.columns) if row % 2 == 0 else range(self.columns - 1, -1, -1)
            for column in order:
                found[f"h_{column + 1}_{row + 1}"] = (
                    self.x + self.width * column / (self.columns - 1),
                    self.y + self.height * row / (self.rows - 1),
                )
        return found

    def nominal(self, measurand: str) -> float:
        """Level with the first."""
        return 0.0

    def program(self, machine: Machine, cycles: int) -> MoveProgram:
        """The way from place to place of the grid."""
        steps: list[Go | Stop] = []
        for name, (x, y) in self.points().items():
            column, row = name.split("_")[1:]
            steps += [Go(x=x, y=y), Stop(note("bed.read", column=column, row=row))]
        return MoveProgram(note("bed.program", columns=self.columns, rows=self.rows), tuple(steps * max(cycles, 1)))


@dataclass(frozen=True, slots=True)
class TramRun:
    """A dial on an arm of `radius`, swung round over one place; `mount`: between the head's screws; mm."""

    radius: float
    mount: float
    x: float
    y: float

    def nominal(self, measurand: str) -> float:
        """What every place should read: the same, mm."""
        return 0.0

    def program(self, machine: Machine, cycles: int) -> MoveProgram:
        """Stay there; the arm is swung by hand."""
        steps: list[Go | Stop] = [Go(x=self.x, y=self.y)]
        for _ in range(max(cycles, 1)):
            steps += [Stop(note("bed.swing", side=arm_side(name))) for name in TRAM]
        return MoveProgram(note("bed.tram_program", radius=self.radius), tuple(steps))


def corners(run: BedRun) -> dict[str, tuple[float, float]]:
    x0, x1, y0, y1 = run.x, run.x + run.width, run.y, run.y + run.height
    return {"low X, low Y": (x0, y0), "high X, low Y": (x1, y0), "low X, high Y": (x0, y1), "high X, high Y": (x1, y1)}


def arm_side(measurand: str) -> str:
    """Of the head, as a way: ``+x``."""
    return f"{'+' if measurand.endswith('high') else '-'}{measurand[0]}"
