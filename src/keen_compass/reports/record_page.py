"""The calibration record of a signed round, as a PDF page that a customer can be handed. True vector."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from keen_compass.language import tr
from keen_compass.quantities.geometry import Point
from keen_compass.reports.paper import QUIET, Paper

HIGH = 180.0  # points, of the picture


@dataclass(frozen=True, slots=True)
class Record:
    """What goes on the page. Texts are as they are to be read.

    piece, measured: outlines in mm as seen by the technician, the measured one magnified by `magnified`; empty for a
        run, which has none.
    dimensions: (label, ordered, readings as typed, mean).
    findings: (quantity, old, new, error ± U, tolerance, verdict).
    """

    title: str
    machine: str
    signed: str
    instrument: str
    tool: str
    piece: Sequence[Point]
    measured: Sequence[Point]
    magnified: int
    dimensions: Sequence[tuple[str, str, str, str]]
    findings: Sequence[tuple[str, str, str, str, str, str]]
    notes: Sequence[str]
    software: str


def write_record(record: Record) -> bytes:
    """The record as a page of PDF."""
    paper = Paper(record.title, record.machine)
    paper.line(record.title, 20, bold=True)
    for words in (
        record.machine,
        tr("Signed {signed}", signed=record.signed),
        tr("Measured with {instrument}", instrument=record.instrument),
        tr("Made with {tool}", tool=record.tool),
    ):
        paper.y -= 2
        paper.line(words, 11, QUIET)
    if record.piece:
        paper.y -= 14
        paper.outlines([(record.piece, True, 0.7), (record.measured, False, 1.4)], HIGH)
        paper.line(
            tr("Dashed: nominal. Solid: measured, error drawn {magnified} times.", magnified=record.magnified), 8, QUIET
        )
    paper.y -= 26
    paper.table((tr("Length"), tr("Nominal"), tr("Readings"), tr("Mean")), (0.20, 0.14, 0.50, 0.16), record.dimensions)
    paper.y -= 22
    heads = (tr("Value"), tr("Old"), tr("New"), tr("Error ± U (95 %)"), tr("Allowed"), tr("Verdict"))
    paper.table(heads, (0.20, 0.14, 0.14, 0.26, 0.14, 0.12), record.findings)
    for note in record.notes:
        paper.y -= 14
        paper.line(note, 9, QUIET)
    paper.y = 70
    paper.line(
        tr("Uncertainty after JCGM 100, verdict after ISO 14253-1. {software}", software=record.software), 8, QUIET
    )
    return paper.done()
