"""A maker's cutting chart as CSV: whichever columns it has, read once the technician said which is which, and in what
units. What can't be understood is named, line by line, and left out.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from keen_compass.errors import FileFormatError, InputError
from keen_compass.language import tr
from keen_compass.quantities.lengths import parse_length, plain_number
from keen_compass.quantities.rates import FEEDS

# What a line can say → words of a column's head by which it is guessed.
FIELDS: dict[str, tuple[str, ...]] = {
    "material": ("material", "stock", "sheet"),
    "thickness": ("thick", "gauge"),
    "process": ("process", "current", "amp", "nozzle", "gas", "lens"),
    "kerf": ("kerf", "cut width", "slot width"),
    "feed": ("feed", "speed", "velocity"),
    "pierce_height": ("pierce height", "piercing height"),
    "cut_height": ("cut height", "cutting height", "torch height", "standoff"),
    "pierce_delay": ("delay", "pierce time", "dwell"),
    "power": ("power",),
}
LENGTHS = ("thickness", "kerf", "pierce_height", "cut_height")
NEEDED = ("thickness", "kerf")
MOST_LINES, MOST_CHARACTERS, MOST_COLUMNS = 5000, 2_000_000, 60
LONGEST_NAME = 80


@dataclass(frozen=True, slots=True)
class Table:
    """What a file holds: its head, and its lines with their numbers."""

    head: tuple[str, ...]
    lines: tuple[tuple[int, tuple[str, ...]], ...]


@dataclass(frozen=True, slots=True)
class Columns:
    """Which column says what.

    columns: field → numbers of columns (several are joined). fixed: field → what holds for every line instead.
    unit: mm or in, of bare lengths. feed: one of `FEEDS`. half: the kerf is given as half width.
    """

    columns: Mapping[str, tuple[int, ...]]
    fixed: Mapping[str, str]
    unit: str = "mm"
    feed: str = "mm/min"
    half: bool = False


@dataclass(frozen=True, slots=True)
class Line:
    """One line, understood: lengths in mm, kerf in full width, feed in mm/min, delay in s, power in %."""

    material: str
    thickness: float
    process: str
    kerf: float
    settings: Mapping[str, float]


def read_table(text: str) -> Table:
    """Its cells. Raises FileFormatError for what is no table."""
    if len(text) > MOST_CHARACTERS:
        raise FileFormatError(tr("larger than any cutting chart (2 MB)"))
    text = text.lstrip("\ufeff")
    try:
        dialect: Any = csv.Sniffer().sniff(text[:4096], delimiters=",;\t|")
    except csv.Error:
        dialect = csv.excel
    try:
        rows = [
            (i, tuple(cell.strip() for cell in row)) for i, row in enumerate(csv.reader(io.StringIO(text), dialect), 1)
        ]
    except csv.Error as error:
        raise FileFormatError(tr("no table of cells: {error}", error=error)) from None
    rows = [(i, row) for i, row in rows if any(row)]
    if len(rows) < 2 or len(rows[0][1]) < 2:
        raise FileFormatError(tr("expected a line of headings, and lines below it, with commas or semicolons between"))
    if len(rows) > MOST_LINES or len(rows[0][1]) > MOST_COLUMNS:
        raise FileFormatError(
            tr(
                "more than {most_lines} lines or {most_columns} columns",
                most_lines=MOST_LINES,
                most_columns=MOST_COLUMNS,
            )
        )
    return Table(rows[0][1], tuple(rows[1:]))


def guessed(head: Sequence[str]) -> dict[str, tuple[int, ...]]:
    """Field → columns, by what the headings say."""
    found: dict[str, tuple[int, ...]] = {}
    free = set(range(len(head)))
    for name in (
        "pierce_height",
        "cut_height",
        "pierce_delay",
        "kerf",
        "thickness",
        "material",
        "feed",
        "power",
        "process",
    ):
        fit = [i for i in sorted(free) if any(word in head[i].casefold() for word in FIELDS[name])]
        if fit:
            found[name] = tuple(fit) if name == "process" else (fit[0],)
            free -= set(found[name])
    return found


def understood(table: Table, how: Columns) -> tuple[list[Line], list[str]]:
    """(lines, complaints): each complaint says which line, what is wrong."""
    lines, complaints = [], []
    for number, cells in table.lines:
        try:
            lines.append(_line(cells, how))
        except InputError as error:
            complaints.append(f"line {number}: {error.place or 'it'} {error.message}")
    return lines, complaints


def _line(cells: Sequence[str], how: Columns) -> Line:
    said = {name: _cell(cells, how, name) for name in FIELDS}
    for name in NEEDED:
        if not said[name]:
            raise InputError(tr("is missing"), name)
    numbers = {}
    for name in (*LENGTHS, "feed", "pierce_delay", "power"):
        if said[name]:
            numbers[name] = _length(said[name], how.unit, name) if name in LENGTHS else _number(said[name], name)
    if "feed" in numbers:
        numbers["feed"] *= FEEDS[how.feed]
    kerf = numbers.pop("kerf") * (2.0 if how.half else 1.0)
    thickness = numbers.pop("thickness")
    if not 0 < kerf < 500 or not 0 < thickness < 500:
        raise InputError(
            tr("is not between 0 and 500 mm: {kerf}, {thickness}", kerf=said["kerf"], thickness=said["thickness"]),
            tr("kerf or thickness"),
        )
    return Line(said["material"] or "stock", thickness, said["process"], kerf, numbers)


def _cell(cells: Sequence[str], how: Columns, name: str) -> str:
    columns = how.columns.get(name, ())
    text = ", ".join(cells[i] for i in columns if i < len(cells) and cells[i]) or how.fixed.get(name, "")
    return text.strip()[:LONGEST_NAME]


def _length(text: str, unit: str, name: str) -> float:
    try:
        return parse_length(text, unit).mm
    except InputError as error:
        raise InputError(error.message, name) from None


def _number(text: str, name: str) -> float:
    try:
        value = plain_number(text)
    except ValueError:
        raise InputError(tr("is no number: {text!r}", text=text[:20]), name) from None
    if not 0 <= value < 1e6:
        raise InputError(tr("can’t be {text}", text=text[:20]), name)
    return value
