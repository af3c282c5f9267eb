"""Moves without a cut: the axes go somewhere and wait until the technician has read what they came to read.

A router takes them as G-code with program stops. A plotter has no stop, so where it would wait it
draws a short tick across the axis, arriving as the program says.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from keen_compass.pieces.toolpath import Stroke, ToolPath, drawn
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.notes import Note

TICK = 6.0  # mm, length of a drawn tick
TICK_ROW = 9.0  # mm between rows of ticks, one row for each cycle and direction


@dataclass(frozen=True, slots=True)
class Go:
    """A straight move; axes left out stay. feed in mm/min, None for as fast as the machine goes."""

    x: float | None = None
    y: float | None = None
    z: float | None = None
    feed: float | None = None


def aside(axis: str, across: float) -> Go:
    """To where the other axis, or X and Y under Z, stand while one axis runs; mm."""
    return Go(x=None if axis == "x" else across, y=None if axis == "y" else across)


@dataclass(frozen=True, slots=True)
class Stop:
    """Wait. read: what is to be read there. row: into which row a plotter draws its tick."""

    read: Note
    row: int = 0


@dataclass(frozen=True, slots=True)
class MoveProgram:
    """Moves and stops in order, in the machine's coordinates, mm."""

    title: Note
    steps: tuple[Go | Stop, ...]

    def corners(self) -> list[Point]:
        """Every (x, y) that is visited."""
        return [at for step, at in self._walked() if isinstance(step, Go)]

    def stops(self) -> list[Point]:
        """Where (x, y) it waits, in order."""
        return [at for step, at in self._walked() if isinstance(step, Stop)]

    def as_ticks(self, axis: str, title: str) -> ToolPath:
        """The same for a plotter: a tick at each stop, approached from where the program came."""
        here = before = (0.0, 0.0)
        strokes = []
        for step, (x, y) in self._walked():
            if isinstance(step, Go):
                before, here = here, (x, y)
            else:
                off = step.row * TICK_ROW
                a, b = ((x, y + off), (x, y + off + TICK)) if axis == "x" else ((x + off, y), (x + off + TICK, y))
                come = (before[0], a[1]) if axis == "x" else (a[0], before[1])
                strokes.append(Stroke((a, b), approach=come))
        return drawn(title, tuple(strokes))

    def _walked(self) -> Iterator[tuple[Go | Stop, Point]]:
        """Each step, and the (x, y) at which it ends."""
        x = y = 0.0
        for step in self.steps:
            if isinstance(step, Go):
                x, y = x if step.x is None else step.x, y if step.y is None else step.y
            yield step, (x, y)
