"""What a procedure is. The Round screen and the command line know procedures only through this.

A procedure is one small object: what it needs from the machine, its steps, the piece it makes, its
measurands and how each is read, the one surface on which readings are given, and the values it
yields. Adding one touches one new module, its tests and one line in the registry.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import Any, Protocol

from keen_compass.pieces.toolpath import Point, ToolPath
from keen_compass.procedures.case import Case
from keen_compass.quantities.findings import Solution


class Surface(StrEnum):
    """Where readings are given."""

    CALLOUTS = "callouts"


class Step(StrEnum):
    """The steps of a round."""

    MAKE = "make"
    MEASURE = "measure"
    CORRECT = "correct"
    CONFIRM = "confirm"


@dataclass(frozen=True, slots=True)
class Measurand:
    """One thing to read on the piece.

    nominal: as ordered, mm. axis: "x" or "y". line: where the jaws go, piece coordinates, mm.
    side: on which side of the piece its dimension line is drawn, as (±1, 0) or (0, ±1) in X and Y.
    box_at: where its callout goes instead of onto its line, piece coordinates, mm; None for the usual place.
    hint: how to read it, one short sentence.
    """

    name: str
    label: str
    axis: str
    nominal: float
    line: tuple[Point, Point]
    side: tuple[int, int]
    hint: str
    box_at: Point | None = None


class Piece(Protocol):
    """A test piece as the procedures see it."""

    def nominal(self, measurand: str) -> float:
        """The ordered length, mm."""

    def outline(self, **actual: float) -> tuple[Point, ...]:
        """Corners of the closed outline, with `actual` lengths in place of ordered ones."""

    def footprint(self) -> tuple[float, float]:
        """Room on the stock, mm."""

    def tool_path(self, number: int) -> ToolPath:
        """Path of the tool, lowest corner at (0, 0)."""


class Procedure(Protocol):
    """A calibration procedure."""

    name: str
    title: str
    needs: tuple[str, ...]
    steps: tuple[Step, ...]
    surface: Surface
    yields: tuple[str, ...]
    piece_name: str
    measurand_names: tuple[str, ...]
    lookalikes: tuple[str, ...]

    def piece(self, parameters: Mapping[str, Any]) -> Piece:
        """The piece for these parameters. Raises InputError or PieceError."""

    def measurands(self, piece: Piece) -> tuple[Measurand, ...]:
        """What is read on it, in the order in which a technician walks round it."""

    def solve(self, case: Case) -> Solution:
        """What the readings say."""

    def predict(self, case: Case, readings_each: int) -> dict[str, float]:
        """Expanded uncertainty that each yield would have, in its error unit, before anything is cut."""

    def example(self) -> dict[str, Any]:
        """A complete input with made-up readings."""
