"""A cut file laid onto a print, by marks that were aimed at, by what is known of the machine's errors, or both."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from keen_compass.cli.common import Commands, print_json
from keen_compass.errors import FileFormatError, InputError
from keen_compass.formats.files import read_whole
from keen_compass.language import tr

if TYPE_CHECKING:
    from keen_compass.quantities.geometry import Point

FIND = "find"
MODELS = ("auto", "shift", "similarity", "affine", "projective")


def add_fit(commands: Commands) -> None:
    """The command."""
    fit = commands.add_parser("fit", help=tr("lay a cut file onto a print: HP-GL, SVG, DXF or G-code"))
    fit.add_argument("file", type=Path, metavar="FILE", help=tr("HP-GL, SVG, DXF or G-code"))
    fit.add_argument(
        "--marks", metavar=tr("X,Y;X,Y…|find"), default="", help=tr("in the file; find: crosses on a layer marks")
    )
    fit.add_argument(
        "--seen", metavar="X,Y;X,Y…", default="", help=tr("where the machine was when it was aimed at them")
    )
    fit.add_argument("--model", choices=MODELS, default="auto", help=tr("auto: as the number of marks allows"))
    fit.add_argument("--unit", choices=("mm", "in"), default="mm", help=tr("of the places given here"))
    fit.add_argument(
        "--errors", metavar=tr("NAME=MM_PER_M,…"), default="", help=tr("of the machine: x_scale, y_scale, skew")
    )
    fit.add_argument("--tolerance", metavar="MM", default="0.3", help=tr("largest residual of a mark that is in"))
    fit.add_argument("-o", "--output", type=Path, required=True, metavar="OUT", help=tr("the same format"))
    fit.set_defaults(run=_fit)


def _fit(options: argparse.Namespace) -> int:
    from keen_compass.formats.files import write_whole
    from keen_compass.formats.fit import LARGEST, fit_file, marks_in
    from keen_compass.procedures.laying import lay
    from keen_compass.quantities.lengths import UNITS_MM
    from keen_compass.words.say import say

    data, unit = read_whole(options.file, LARGEST), UNITS_MM[options.unit]
    name = options.file.name
    try:
        marks = marks_in(data, name) if options.marks == FIND else _places(options.marks, unit, "--marks")
        tolerance = _number(options.tolerance, "--tolerance") * unit
        if not tolerance > 0:
            raise InputError(tr("must be larger than 0"), "--tolerance")
        laid = lay(marks, _places(options.seen, unit, "--seen"), options.model, _errors(options.errors), tolerance)
        fitted = fit_file(data, laid.warp, name)
    except FileFormatError as error:
        raise InputError(str(error), str(options.file)) from None
    write_whole(options.output, fitted.data)
    drawn = fitted.drawn
    extent = [*drawn.low, *drawn.high] if drawn.strokes else None
    body = {"strokes": drawn.strokes, "extent": extent, "length": [drawn.before, drawn.after]}
    print_json(laid.to_json() | body | {"notes": [say(note) for note in laid.notes]})
    return 0


def _places(text: str, unit: float, place: str) -> list[Point]:
    """``X,Y;X,Y…`` in mm."""
    found = []
    for part in filter(None, (p.strip() for p in text.split(";"))):
        numbers = part.split(",")
        if len(numbers) != 2:
            raise InputError(tr("expected X,Y;X,Y…, got {part!r}", part=part[:30]), place)
        x, y = (_number(n, place) * unit for n in numbers)
        found.append((x, y))
    return found


def _errors(text: str) -> dict[str, float]:
    """``NAME=MM_PER_M,…``."""
    found: dict[str, float] = {}
    for part in filter(None, (p.strip() for p in text.split(","))):
        name, equals, value = part.partition("=")
        if not equals or name in found:
            raise InputError(tr("expected NAME=MM_PER_M,…, each once, got {part!r}", part=part[:30]), "--errors")
        found[name] = _number(value, "--errors")
    return found


def _number(text: str, place: str) -> float:
    """A number that a place, or an error, can be."""
    try:
        value = float(text)
    except ValueError:
        raise InputError(tr("expected a number, got {typed!r}", typed=text.strip()[:20]), place) from None
    if not abs(value) <= 1e6:
        raise InputError(tr("{typed!r} is too large, or no number", typed=text.strip()[:20]), place)
    return value
