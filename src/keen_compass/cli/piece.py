"""The file of a test piece, or a printed sheet."""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import TYPE_CHECKING, Any

from keen_compass.cli.common import Commands, pair, paper_size, size_of
from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.quantities.bodies import JsonObject
from keen_compass.quantities.kinds import MachineKind

if TYPE_CHECKING:
    from keen_compass.formats.gcode import CutSettings
    from keen_compass.machines.profile import Machine
    from keen_compass.pieces.moves import MoveProgram
    from keen_compass.pieces.toolpath import ToolPath
    from keen_compass.procedures.base import AnyProcedure
    from keen_compass.quantities.geometry import Box

BURNING = ("pierce_height", "cut_height", "pierce_delay", "power", "focus")  # of torch or beam, that may be set
MOST_CYCLES = 100


def add_piece(commands: Commands) -> None:
    """The command."""
    piece = commands.add_parser("piece", help=tr("write a test piece's file"))
    piece.add_argument("procedure", metavar=tr("PROCEDURE"), help=tr("a name that `procedures` lists"))
    piece.add_argument(
        "--size", metavar=tr("WxH"), dest="piece_size", help=tr("in mm, or with a unit: 400x300, 16inx12in")
    )
    piece.add_argument(
        "--set",
        action="append",
        default=[],
        metavar=tr("NAME=VALUE"),
        dest="settings",
        help=tr("what may be chosen of the piece"),
    )
    piece.add_argument(
        "--machine", choices=[kind.value for kind in MachineKind], help=tr("whose own file is written (G-code)")
    )
    piece.add_argument(
        "--format", choices=("gcode", "hpgl", "svg", "dxf", "pdf"), default="gcode", help=tr("of the file")
    )
    piece.add_argument("-o", "--output", type=Path, required=True, metavar="FILE", help=tr("the file"))
    piece.add_argument("--geometry", type=Path, metavar="FILE", help=tr("what is on a printed sheet, as JSON"))
    piece.set_defaults(run=_piece)


def _piece(options: argparse.Namespace) -> int:
    from dataclasses import replace

    from keen_compass.formats import drawings
    from keen_compass.formats.files import write_whole
    from keen_compass.formats.machine_file import file_for
    from keen_compass.pieces.placement import GAP
    from keen_compass.procedures import load
    from keen_compass.procedures.case import length_mm
    from keen_compass.procedures.stages import Makes
    from keen_compass.quantities.geometry import Box
    from keen_compass.words.say import say

    procedure = load(options.procedure)
    given = dict(pair(text) for text in options.settings)
    if procedure.on_paper.printed or options.geometry:
        return _printed(options, procedure, given)
    bed = Box(0, 0, *size_of(given.pop("bed", "1300x900"), tr("--set bed")))
    number, cycles = _whole_setting(given, "number", 1), _cycles(given, procedure.read_by.passes)
    units_per_mm = length_mm(_maybe_number(given.pop("units_per_mm", "40")), tr("--set units_per_mm"))
    own = procedure.makes is not Makes.PIECE  # of a run, x and y are its own
    at = tuple(length_mm(_maybe_number("40" if own else given.pop(k, "40")), tr("--set {k}", k=k)) for k in ("x", "y"))
    settings = _cut_settings(given, bed)
    kind = _kind(options, procedure)
    machine = _machine(procedure, kind, settings, units_per_mm, given)
    if procedure.on_stock.thermal and kind.thermal:
        given.setdefault("thermal", "true")
    parameters = _parameters(procedure, options.piece_size, given)
    draws = kind.plots or parameters.get("made_by", "cut") != "cut"
    settings = replace(settings, spindle=settings.spindle and not draws)
    why = {Makes.NOTHING: tr("its parts are counted"), Makes.PRINT: tr("the printer prints its own test")}
    if procedure.makes in why:
        raise InputError(tr("makes no piece: {why}", why=why[procedure.makes]), procedure.name)
    shape = procedure.piece(parameters)
    made: ToolPath | MoveProgram
    if procedure.makes is Makes.MOVES:
        made = program = shape.program(machine, cycles)
        path = program.as_ticks(
            getattr(shape, "axis", "x"), say(program.title)
        )  # what can't wait draws a tick where it would
        made = made if options.format == "gcode" else path
    else:
        path = procedure.tool_path(shape, number)
        if path.cuts and kind is MachineKind.PEN:
            raise InputError(tr("a pen cuts nothing; make it on what cuts"), "--machine")
        made = path.moved(*(shape.origin if procedure.on_stock.anchored else (at[0] + GAP, at[1] + GAP)))
    if options.format in ("gcode", "hpgl"):
        takes = {"gcode": MachineKind.ROUTER, "hpgl": MachineKind.KNIFE}[options.format]
        machine = machine if kind.file == options.format else replace(machine, kind=takes)
        data = file_for(machine, made, say, reach=bed, cut=settings).encode("ascii")
    else:
        text = {"svg": drawings.write_svg, "dxf": drawings.write_dxf}.get(options.format)
        data = text(path).encode("utf-8") if text else drawings.write_pdf(path)
    write_whole(options.output, data)
    return 0


def _printed(options: argparse.Namespace, procedure: AnyProcedure, given: dict[str, str]) -> int:
    """A sheet as PDF, and what is on it as JSON."""
    from keen_compass.formats.files import write_whole
    from keen_compass.formats.pages import write_page
    from keen_compass.words.pages import page_words

    if not procedure.on_paper.printed:
        raise InputError(tr("is for what is printed: registration, pointer"), "--geometry")
    if options.format != "pdf":
        raise InputError(tr("is a printed sheet: --format pdf"), procedure.name)
    size = paper_size(options.piece_size or "A4", "--size")
    number = _whole_setting(given, "number", 1)
    if given:
        raise InputError(tr("not known here; expected number"), tr("--set {min}", min=min(given)))
    page = procedure.page(size, number)
    if page is None:
        raise InputError(tr("prints an artwork: use proof-job"), procedure.name)
    if options.geometry:
        write_whole(options.geometry, (json.dumps(page.to_json(), indent=2) + "\n").encode())
    write_whole(options.output, write_page(page, page_words(page)))
    return 0


def _kind(options: argparse.Namespace, procedure: AnyProcedure) -> MachineKind:
    """Of machine, as it was said or is usual."""
    kind = MachineKind(options.machine or procedure.on_stock.usual_on)
    if procedure.on_stock.burns and (kind is not MachineKind.LASER or options.format != "gcode"):
        raise InputError(tr("a beam burns it: make it as G-code for a laser"), "--machine")
    return kind


def _machine(
    procedure: AnyProcedure, kind: MachineKind, settings: CutSettings, units_per_mm: float, given: dict[str, str]
) -> Machine:
    """A machine of that kind with what was set of it, taken out of that. A lens is moved only where someone says."""
    from dataclasses import replace

    from keen_compass.machines.forms import usual_machine

    burns: JsonObject = {n: _number_setting(given, n) for n in BURNING if n in given} if kind.thermal else {}
    still = kind is MachineKind.LASER and not procedure.on_stock.burns and "focus" not in burns
    return replace(
        usual_machine(kind),
        bed=(settings.bed.width, settings.bed.height),
        stock=None,
        z_travel=0.0 if still else settings.z_travel,
        units_per_mm=units_per_mm,
        feed=settings.feed,
        **burns,
    )


def _cut_settings(given: dict[str, str], bed: Box) -> CutSettings:
    """How it is to be cut, taken out of what was set by name."""
    from dataclasses import fields, replace

    from keen_compass.formats.gcode import CutSettings
    from keen_compass.procedures.case import length_mm

    own = {f.name for f in fields(CutSettings)} - {"bed", "inches", "spindle", "spindle_rpm"}
    given.setdefault("z_travel", "80")
    settings = CutSettings(
        bed, inches=given.pop("units", "mm") == "in", spindle_rpm=_whole_setting(given, "spindle_rpm", 18000)
    )
    for name in sorted(own & given.keys()):
        value = length_mm(_maybe_number(given.pop(name)), tr("--set {name}", name=name))
        try:
            settings = replace(settings, **{name: value})  # type: ignore[arg-type]
        except InputError as error:
            raise InputError(error.message, tr("--set {name}", name=name)) from None
    return settings


def _parameters(procedure: AnyProcedure, size: str | None, given: dict[str, str]) -> JsonObject:
    """The piece's parameters: a size where it has one, and what was set by name."""
    parameters = dict(procedure.unless_said(given))
    if size:
        if not procedure.sizes.sides:
            raise InputError(tr("{name} has no size; use --set", name=procedure.name), "--size")
        if len(procedure.sizes.sides) == 1:
            parameters[procedure.sizes.sides[0]] = _maybe_number(size)
        else:
            parameters |= dict(zip(procedure.sizes.sides, size_of(size, "--size"), strict=True))
    return parameters | {name: _plain_value(text) for name, text in given.items()}


def _plain_value(text: str) -> Any:
    """A number, a list of numbers, true or false; else the text, which may be a length with its unit."""
    if text in ("true", "false"):
        return text == "true"
    if "," in text:
        return [_maybe_number(part) for part in text.split(",")]
    return int(text) if text.isascii() and text.isdigit() else _maybe_number(text)


def _maybe_number(text: str) -> float | str:
    """Plain numbers stay numbers (mm); anything else is read as a length with its unit."""
    try:
        return float(text)
    except ValueError:
        return text


def _number_setting(given: dict[str, str], name: str) -> float:
    value = _maybe_number(given.pop(name))
    if isinstance(value, str):
        raise InputError(tr("expected a number, got {value!r}", value=value), tr("--set {name}", name=name))
    return value


def _whole_setting(given: dict[str, str], name: str, default: int) -> int:
    text = given.pop(name, str(default))
    if not text.isascii() or not text.isdigit() or not 0 < int(text[:9]) < 10**8:
        raise InputError(
            tr("expected a whole number larger than 0, got {text!r}", text=text), tr("--set {name}", name=name)
        )
    return int(text)


def _cycles(given: dict[str, str], usual: int) -> int:
    cycles = _whole_setting(given, "cycles", usual)
    if cycles > MOST_CYCLES:
        raise InputError(
            tr("expected at most {most_cycles}, got {cycles}", most_cycles=MOST_CYCLES, cycles=cycles),
            tr("--set cycles"),
        )
    return cycles
