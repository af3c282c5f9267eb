"""One thing to read."""

from __future__ import annotations

from dataclasses import dataclass

from keen_compass.pieces.where import Where
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.notes import Said
from keen_compass.quantities.readings import Kind, Reads


@dataclass(frozen=True, slots=True)
class Measurand:
    """One thing to read.

    where: on what, and where on it, it is read. nominal: nominal, in `unit`. axis: "x", "y", "z" or "".
    line: where its dimension line is drawn, piece coordinates, mm.
    side: on which side of the piece its dimension line is drawn, as (±1, 0) or (0, ±1) in X and Y.
    box_at: where its callout goes instead of onto its line, piece coordinates, mm; None for the usual place.
    label, hint: what it is called, and how to read it.
    unit: mm (a length, as typed), or what a plain number counts: °, teeth, mm/min, empty for a bare number.
    signed: readings below zero make sense. way: direction of approach, ±1, where that matters.
    at: where on the bed it is read, mm.
    usual: what is there until something is typed, for numbers that hardly ever differ.
    spot: it is a place in the plane.
    options: among how many one is picked, by its number, halves between two; 0 for what is no pick.
    below: it is read with the piece turned over, where someone wants that.
    by_eye: what the eye is worth for it, beside what is measured with an instrument: read once, after all others.
    spoken: what it is called in a sentence, where its label is a mere number.
    reads: what its readings have in common.
    """

    name: str
    label: Said
    axis: str
    nominal: float
    where: Where
    line: tuple[Point, Point] = ((0.0, 0.0), (0.0, 0.0))
    side: tuple[int, int] = (0, 0)
    hint: Said = ""
    box_at: Point | None = None
    unit: str = "mm"
    signed: bool = False
    way: int = 0
    at: Point = (0.0, 0.0)
    usual: float | None = None
    below: bool = False
    options: int = 0
    spot: bool = False
    by_eye: Instrument | None = None
    spoken: Said = ""
    reads: Reads = Reads.SIZE

    @property
    def ordered(self) -> bool:
        """Whether what is read has to come near to what was ordered."""
        return self.reads is Reads.SIZE and self.nominal > 0 and not self.signed

    @property
    def kind(self) -> Kind:
        """What kind of reading it takes."""
        if self.options:
            return Kind.PICK
        if self.spot:
            return Kind.SPOT
        return Kind.LENGTH if self.unit == "mm" else Kind.COUNT
