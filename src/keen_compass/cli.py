"""The command line: the same core, for scripts and for checks from outside. See `keen-compass --help`."""

from __future__ import annotations

import argparse
import contextlib
import gc
import io
import json
import math
import os
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, NoReturn

from keen_compass import __version__
from keen_compass.errors import InputError, KeenCompassError, UncertaintyError

if TYPE_CHECKING:
    from keen_compass.formats.gcode import CutSettings
    from keen_compass.formats.listing import Entry
    from keen_compass.pieces.toolpath import ToolPath
    from keen_compass.procedures.base import Procedure
    from keen_compass.quantities.geometry import Box

THERMAL = ("plasma", "laser")
MACHINES = ("router", "plasma", "laser", "pen", "knife")
LARGEST_INPUT = 20_000_000  # bytes
KEPT_FILES = 300  # of practice rounds
BURNING = ("pierce_height", "cut_height", "pierce_delay", "power", "focus")  # of torch or beam, that may be set
MOST_CYCLES = 100


class _Parser(argparse.ArgumentParser):
    """One line on stderr for whatever is wrong with the arguments, as for everything else."""

    def error(self, message: str) -> NoReturn:
        print(f"keen-compass: {' '.join(message.split())}; see {self.prog} --help", file=sys.stderr)
        sys.exit(2)


def main(argv: Sequence[str] | None = None) -> int:
    """Run; returns the exit status: 0, or 2 with one line on stderr."""
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")  # a terminal of few letters still shows the rest
    words = list(sys.argv[1:] if argv is None else argv)
    if words and words[0].endswith(".kcshop"):  # as file managers call it
        words.insert(0, "--shop")
    options = _parser().parse_args(words)
    try:
        status = int(options.run(options))
        sys.stdout.flush()
    except KeenCompassError as error:
        return _failed(str(error))
    except BrokenPipeError:
        _drop_stdout()
        return 0
    except OSError as error:  # what a command writes to is full, or gone
        _drop_stdout()
        return _failed(f"{error.filename or 'standard output'}: {error.strerror or error}")
    except KeyboardInterrupt:
        return 130
    return status


def _failed(words: str) -> int:
    print(f"keen-compass: {' '.join(words.split())}", file=sys.stderr)
    return 2


def _drop_stdout() -> None:
    """Nobody reads it any more; Python would complain once more when it ends."""
    with contextlib.suppress(OSError, ValueError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())


def _print_json(body: Any) -> None:
    """Letters as they are where stdout can take them, else as JSON's escapes."""
    utf8 = (sys.stdout.encoding or "").lower().replace("-", "") == "utf8"
    try:
        text = json.dumps(body, indent=2, ensure_ascii=not utf8, allow_nan=False)
    except ValueError:  # a number that is none says nothing, and other programs can't read it
        raise UncertaintyError("these numbers leave what can be computed") from None
    print(text)


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(prog="keen-compass", description="Calibrate cutters and plotters.")
    parser.add_argument("--version", action="version", version=__version__)
    parser.add_argument("--demo", action="store_true", help="open a scratch copy of the Lantern Quay demo shop")
    parser.add_argument("--shop", type=Path, metavar="FILE", help="open this shop file instead of the usual one")
    parser.add_argument("--shots", type=Path, metavar="DIR", help="write every main view as PNG and leave")
    parser.add_argument("--size", default="1280x800", metavar="WxH", help="window size for --shots")
    parser.add_argument("--theme", choices=("light", "dark"), help="instead of the desktop's own")
    parser.set_defaults(run=_window)
    commands = parser.add_subparsers(metavar="COMMAND")

    known = commands.add_parser("procedures", help="what can be calibrated")
    known.add_argument("--json", action="store_true")
    known.set_defaults(run=_procedures)

    solve = commands.add_parser("solve", help="findings from readings, as JSON")
    solve.add_argument("file", nargs="?", metavar="FILE|-")
    solve.add_argument("--example", metavar="PROCEDURE", help="print a complete input")
    solve.set_defaults(run=_solve)

    piece = commands.add_parser("piece", help="write a test piece's file")
    piece.add_argument("procedure")
    piece.add_argument("--size", metavar="WxH", dest="piece_size", help="in mm, or with a unit: 400x300, 16inx12in")
    piece.add_argument("--set", action="append", default=[], metavar="NAME=VALUE", dest="settings")
    piece.add_argument("--machine", choices=MACHINES, help="whose own file is written (G-code)")
    piece.add_argument("--format", choices=("gcode", "hpgl", "svg", "dxf", "pdf"), default="gcode")
    piece.add_argument("-o", "--output", type=Path, required=True, metavar="FILE")
    piece.add_argument("--geometry", type=Path, metavar="FILE", help="what is on a printed sheet, as JSON")
    piece.set_defaults(run=_piece)

    _add_pictures(commands)
    _add_listing(commands)
    _add_cable(commands)
    practice = commands.add_parser("practice", help="whole rounds on a simulated machine")
    practice.add_argument("procedure", help="its name; or all: a router wrong in everything, put right in order")
    practice.add_argument("--seed", type=int, default=1)
    practice.add_argument("--rounds", type=int)
    practice.add_argument("--json", action="store_true")
    practice.add_argument("--out", type=Path, metavar="DIR", help="where the rounds' files go")
    practice.set_defaults(run=_practice)
    return parser


def _add_cable(commands: Any) -> None:
    """What is done over a cable, and a practice controller at its other end."""
    simulated = commands.add_parser("stand-in", help="a simulated controller on a pseudo-terminal")
    simulated.add_argument("--machine", default="heron", metavar="NAME", help="whose: heron, swift, kingfisher, ember")
    simulated.add_argument("--fault", default="", metavar="FAULT", help="what goes wrong with what is asked")
    simulated.add_argument("--seed", type=int, default=1)
    simulated.set_defaults(run=_stand_in)
    port = commands.add_parser("port", help="a controller over its cable: read, send, position, run")
    port.add_argument("path", metavar="PATH")
    does = port.add_subparsers(metavar="WHAT", required=True)
    for name, run, told in (
        ("read", _port_read, "its settings, as JSON"), ("position", _port_position, "where it is, mm, as JSON"),
        ("send", _port_send, "another number, read back"), ("run", _port_run, "a program, line by line"),
    ):  # fmt: skip
        one = does.add_parser(name, help=told)
        if name == "send":
            one.add_argument("settings", nargs="+", metavar="KEY=VALUE")
        if name == "run":
            one.add_argument("file", type=Path)
        one.add_argument("--baud", type=int, metavar="N")
        one.add_argument("--profile", type=Path, metavar="FILE", help="its patterns, as JSON")
        one.set_defaults(run=run)
    example = does.add_parser("profile", help="an example of a profile, as JSON")
    example.set_defaults(run=_port_profile)


def _add_pictures(commands: Any) -> None:
    """What is found in pictures."""
    cross = commands.add_parser("find-cross", help="the middle of a drawn cross in a picture, as JSON")
    cross.add_argument("picture", type=Path, metavar="PICTURE", help="PNG, JPEG, WebP or TIFF")
    cross.add_argument("--near", metavar="U,V", help="where it is, roughly, px from the upper left corner")
    cross.set_defaults(run=_find_cross)


def _add_listing(commands: Any) -> None:
    """What is done with a controller's listing."""
    listing = commands.add_parser("listing", help="a controller's listing of settings: read, compare, patch, find")
    does = listing.add_subparsers(metavar="WHAT", required=True)
    read = does.add_parser("read", help="its entries, as JSON")
    read.add_argument("file", type=Path)
    read.set_defaults(run=_listing_read)
    compare = does.add_parser("compare", help="what differs between two, as JSON")
    compare.add_argument("a", type=Path)
    compare.add_argument("b", type=Path)
    compare.set_defaults(run=_listing_compare)
    find = does.add_parser("find", help="the number at a place, as JSON")
    find.add_argument("file", type=Path)
    find.add_argument("--at", required=True, metavar="LINE:COLUMN")
    find.set_defaults(run=_listing_find)
    patch = does.add_parser("patch", help="a copy in which one value, or some, are others and nothing else differs")
    patch.add_argument("file", type=Path)
    patch.add_argument("--set", action="append", default=[], metavar="KEY=VALUE", dest="settings")
    patch.add_argument("--at", metavar="LINE:COLUMN")
    patch.add_argument("--old", metavar="NUMBER", help="that stands there now")
    patch.add_argument("--new", metavar="NUMBER")
    patch.add_argument("-o", "--output", type=Path, required=True, metavar="FILE")
    patch.set_defaults(run=_listing_patch)


def _stand_in(options: argparse.Namespace) -> int:
    from keen_compass.practice.wire import named, stand_in

    with stand_in(named(options.machine), fault=options.fault, seed=options.seed) as controller:
        print(controller.path, flush=True)
        sys.stdin.read()
    return 0


def _cable(options: argparse.Namespace) -> Any:
    """An open port, in the language of the profile, or of one that it answers in."""
    from keen_compass.controllers.by_port import Cable, find_out
    from keen_compass.controllers.practice_dialects import PRACTICE
    from keen_compass.machines.dialect import Dialect

    dialects: Sequence[Dialect] = PRACTICE
    if options.profile:
        body = _read_json(str(options.profile))
        try:
            dialects = [Dialect.from_json(body)]
        except InputError as error:
            raise error.at(str(options.profile)) from None
    return Cable(options.path, find_out(options.path, dialects, [options.baud] if options.baud else []))


def _port_read(options: argparse.Namespace) -> int:
    with _cable(options) as cable:
        _print_json({"entries": [_entry_json(e) for e in cable.read().entries]})
    return 0


def _port_send(options: argparse.Namespace) -> int:
    pairs = [(key.strip(), value.strip()) for key, _, value in (s.partition("=") for s in options.settings)]
    if wrong := next((s for s in options.settings if "=" not in s), None):
        raise InputError("expected KEY=VALUE", wrong)
    with _cable(options) as cable:
        _print_json({"held": [{"key": key, "value": cable.send(key, value)} for key, value in pairs]})
    return 0


def _port_position(options: argparse.Namespace) -> int:
    with _cable(options) as cable:
        _print_json(cable.position())
    return 0


def _port_run(options: argparse.Namespace) -> int:
    from keen_compass.controllers.by_port import Progress, RunControl

    try:
        with options.file.open("rb") as file:
            program = file.read(LARGEST_INPUT).decode("latin-1")
    except OSError as error:
        raise InputError(f"can't be read: {error.strerror}", str(options.file)) from None
    with _cable(options) as cable:
        done, control = Progress(0, 0, 0), RunControl()
        try:
            for done in cable.run(program, control):
                if done.holding:
                    _wait_for_somebody(done.acknowledged, done.total)
                    control.hold.clear()
        except (KeyboardInterrupt, InputError):
            cable.stop(control)
            raise
        _print_json({"commands": done.total, "acknowledged": done.acknowledged, "position": cable.position()})
    return 0


def _wait_for_somebody(done: int, total: int) -> None:
    """The program waits (M0): until Enter. Raises InputError where nobody can press it."""
    print(f"keen-compass: the program waits after {done} of {total} commands; Enter goes on", file=sys.stderr)
    if not sys.stdin.readline():
        raise InputError("the program waits for somebody (M0), and nobody is here; it was stopped", "standard input")


def _port_profile(options: argparse.Namespace) -> int:
    from keen_compass.controllers.practice_dialects import TEXT

    _print_json(TEXT.to_json())
    return 0


def _listing_read(options: argparse.Namespace) -> int:
    from keen_compass.formats.listing import read_listing

    _print_json({"entries": [_entry_json(e) for e in read_listing(options.file).entries]})
    return 0


def _entry_json(entry: Entry) -> dict[str, Any]:
    return {
        "key": entry.key, "value": entry.value, "remark": entry.remark, "line": entry.line, "section": entry.section,
    }  # fmt: skip


def _listing_compare(options: argparse.Namespace) -> int:
    from keen_compass.formats.listing import compared, read_listing

    found = compared(read_listing(options.a), read_listing(options.b))
    _print_json({
        "changed": [
            {"key": a.key, "section": a.section, "a": a.value, "b": b.value, "lines": [a.line, b.line]}
            for a, b in found.changed
        ],
        "only_in_a": [_entry_json(e) for e in found.only_a],
        "only_in_b": [_entry_json(e) for e in found.only_b],
    })  # fmt: skip
    return 0


def _listing_find(options: argparse.Namespace) -> int:
    from keen_compass.formats.listing import read_listing

    found = read_listing(options.file).number_at(*_place(options.at))
    _print_json({"number": found.text, "line": found.line, "column": found.column, "length": len(found.text)})
    return 0


def _listing_patch(options: argparse.Namespace) -> int:
    from keen_compass.formats.files import write_whole
    from keen_compass.formats.listing import read_listing

    pointed = [options.at, options.old, options.new]
    if bool(options.settings) == any(p is not None for p in pointed) or (not options.settings and None in pointed):
        raise InputError("give --set KEY=VALUE, or --at LINE:COLUMN with --old and --new", "patch")
    listing = read_listing(options.file)
    if options.settings:
        given = [_pair(text) for text in options.settings]
        if len(dict(given)) < len(given):
            raise InputError("a key is set twice", "--set")
        data = listing.changed(dict(given))
    else:
        data = listing.with_number(*_place(options.at), options.old, options.new)
    write_whole(options.output, data)
    return 0


def _place(text: str) -> tuple[int, int]:
    line, _, column = text.partition(":")
    if not (line.isascii() and line.isdigit() and column.isascii() and column.isdigit()) or len(text) > 18:
        raise InputError(f"expected LINE:COLUMN, like 12:8, got {text[:30]!r}", "--at")
    return int(line), int(column)


def _procedures(options: argparse.Namespace) -> int:
    from keen_compass.procedures import REGISTRY, load
    from keen_compass.words.procedures import about, title

    rows = [
        {
            "name": name,
            "title": title(name),
            "needs": list(about(name).needs),
            "piece": about(name).piece,
            "measurands": list(load(name).measurand_names),
            "yields": list(entry.yields),
        }
        for name, entry in REGISTRY.items()
    ]
    if options.json:
        _print_json(rows)
        return 0
    for row in rows:
        print(f"{row['name']}: {row['title']}")
        print(f"  needs     {', '.join(row['needs'])}")
        print(f"  piece     {row['piece']}")
        print(f"  measure   {', '.join(row['measurands'])}")
        print(f"  yields    {', '.join(row['yields'])}")
    return 0


def _solve(options: argparse.Namespace) -> int:
    from keen_compass.procedures import load

    if (options.example is None) == (options.file is None):
        raise InputError("give either a file (or -) or --example PROCEDURE", "solve")
    if options.example is not None:
        _print_json(load(options.example).example())
        return 0
    from keen_compass.procedures.case_input import case_from_json
    from keen_compass.words.answers import solution_as_json
    from keen_compass.words.say import Show

    body = _read_json(options.file)
    case = case_from_json(body)
    solution = load(case.procedure).solve(case)
    _print_json(solution_as_json(solution, Show(case.controller_units)))
    return 0


def _read_json(name: str) -> Any:
    where = "standard input" if name == "-" else name
    try:
        if name == "-":
            data = sys.stdin.buffer.read(LARGEST_INPUT + 1)
        else:
            with Path(name).open("rb") as file:
                data = file.read(LARGEST_INPUT + 1)
    except OSError as error:
        raise InputError(f"can't be read: {error.strerror}", where) from None
    if len(data) > LARGEST_INPUT:
        raise InputError("is larger than 20 MB; one case is a few kB", where)
    try:
        return json.loads(data.decode("utf-8-sig"))
    except json.JSONDecodeError as error:
        raise InputError(f"is not JSON at line {error.lineno}, column {error.colno}: {error.msg}", where) from None
    except UnicodeDecodeError as error:
        raise InputError(f"is not UTF-8 text at byte {error.start}", where) from None
    except (RecursionError, ValueError):
        raise InputError("is nested too deeply or holds a number too long to read", where) from None


def _piece(options: argparse.Namespace) -> int:
    from dataclasses import replace

    from keen_compass.formats.files import write_whole
    from keen_compass.formats.gcode import write_moves
    from keen_compass.pieces.placement import GAP
    from keen_compass.practice.whole_rounds import TABLE
    from keen_compass.procedures import load
    from keen_compass.procedures.base import Makes
    from keen_compass.procedures.case import length_mm
    from keen_compass.quantities.geometry import Box
    from keen_compass.words.say import say

    procedure = load(options.procedure)
    given = dict(_pair(text) for text in options.settings)
    if procedure.printed or options.geometry:
        return _printed(options, procedure, given)
    bed = Box(0, 0, *_size(given.pop("bed", "1300x900"), "--set bed"))
    number, cycles = _whole_setting(given, "number", 1), _cycles(given, procedure.passes)
    units_per_mm = length_mm(_maybe_number(given.pop("units_per_mm", "40")), "--set units_per_mm")
    own = procedure.makes is not Makes.PIECE  # of a run, x and y are its own
    at = tuple(length_mm(_maybe_number("40" if own else given.pop(k, "40")), f"--set {k}") for k in ("x", "y"))
    settings = _cut_settings(given, bed)
    kind = _kind(options, procedure)
    burning = ({"focus": 0.0} if procedure.burns else {}) | _burning(given, kind)
    if procedure.thermal_pieces and kind in THERMAL:
        given.setdefault("thermal", "true")
    parameters = _parameters(procedure, options.piece_size, given)
    settings = replace(settings, spindle=settings.spindle and parameters.get("made_by", "cut") == "cut")
    why = {Makes.NOTHING: "its parts are counted", Makes.PRINT: "the printer prints its own test"}
    if procedure.makes in why:
        raise InputError(f"makes no piece: {why[procedure.makes]}", procedure.name)
    shape = procedure.piece(parameters)
    if procedure.makes is Makes.MOVES:
        program = shape.program(TABLE, cycles)
        if options.format == "gcode":
            write_whole(options.output, write_moves(program, settings, say).encode("ascii"))
            return 0
        # What can't wait draws a tick wherever it would.
        path = program.as_ticks(getattr(shape, "axis", "x"), say(program.title))
        at = (0.0, 0.0)
    else:
        path = procedure.tool_path(shape, number)
        if path.cuts and kind == "pen":
            raise InputError("a pen cuts nothing; make it on what cuts", "--machine")
        at = shape.origin if procedure.anchored else (at[0] + GAP, at[1] + GAP)
    if options.format == "gcode":
        data = _as_gcode(path.moved(*at), kind, settings, burning).encode("ascii")
    elif options.format == "hpgl":
        from keen_compass.formats.hpgl import write_hpgl

        data = write_hpgl(path.moved(*at), units_per_mm, bed).encode("ascii")
    else:
        from keen_compass.formats import drawings

        text = {"svg": drawings.write_svg, "dxf": drawings.write_dxf}.get(options.format)
        data = text(path).encode("utf-8") if text else drawings.write_pdf(path)
    write_whole(options.output, data)
    return 0


def _printed(options: argparse.Namespace, procedure: Procedure[Any], given: dict[str, str]) -> int:
    """A sheet as PDF, and what is on it as JSON."""
    from keen_compass.formats.files import write_whole
    from keen_compass.formats.pages import write_page
    from keen_compass.pieces.page import PAPERS
    from keen_compass.words.pages import page_words

    if not procedure.printed:
        raise InputError("is for what is printed: registration, pointer", "--geometry")
    if options.format != "pdf":
        raise InputError("is a printed sheet: --format pdf", procedure.name)
    name = options.piece_size or "A4"
    size = next((s for paper, s in PAPERS.items() if paper.lower() == name.lower()), None) or _size(name, "--size")
    number = _whole_setting(given, "number", 1)
    if given:
        raise InputError("not known here; expected number", f"--set {min(given)}")
    page = procedure.page(size, number)
    assert page is not None
    if options.geometry:
        write_whole(options.geometry, (json.dumps(page.to_json(), indent=2) + "\n").encode())
    write_whole(options.output, write_page(page, page_words(page)))
    return 0


def _kind(options: argparse.Namespace, procedure: Procedure[Any]) -> str:
    """Of machine, as it was said or is usual."""
    usual = "laser" if procedure.burns else "plasma" if procedure.yields[:1] == ("kerf",) else "router"
    kind = str(options.machine or usual)
    if procedure.burns and (kind != "laser" or options.format != "gcode"):
        raise InputError("a beam burns it: make it as G-code for a laser", "--machine")
    return kind


def _as_gcode(path: ToolPath, kind: str, settings: CutSettings, burning: dict[str, Any]) -> str:
    """That kind of machine's own file. burning: what was set of torch or beam."""
    from dataclasses import replace

    from keen_compass.formats.gcode import write_gcode
    from keen_compass.formats.thermal import ThermalSettings, write_thermal

    if kind in THERMAL:
        return write_thermal(path, ThermalSettings(settings.bed, kind == "laser", settings.feed, **burning))
    return write_gcode(path, replace(settings, spindle=settings.spindle and kind not in ("pen", "knife")))


def _cut_settings(given: dict[str, str], bed: Box) -> CutSettings:
    """How it is to be cut, taken out of what was set by name."""
    from dataclasses import fields, replace

    from keen_compass.formats.gcode import CutSettings
    from keen_compass.practice.whole_rounds import TABLE
    from keen_compass.procedures.case import length_mm

    own = {f.name for f in fields(CutSettings)} - {"bed", "inches", "spindle", "spindle_rpm"}
    given.setdefault("z_travel", f"{TABLE.z_travel:g}")
    settings = CutSettings(
        bed,
        inches=given.pop("units", "mm") == "in",
        spindle_rpm=_whole_setting(given, "spindle_rpm", 18000),
    )
    for name in sorted(own & given.keys()):
        value = length_mm(_maybe_number(given.pop(name)), f"--set {name}")
        try:
            settings = replace(settings, **{name: value})  # type: ignore[arg-type]
        except InputError as error:
            raise InputError(error.message, f"--set {name}") from None
    return settings


def _parameters(procedure: Procedure[Any], size: str | None, given: dict[str, str]) -> dict[str, Any]:
    """The piece's parameters: a size where it has one, and what was set by name."""
    parameters = procedure.unless_said(given)
    if size:
        if not procedure.sides:
            raise InputError(f"{procedure.name} has no size; use --set", "--size")
        if len(procedure.sides) == 1:
            parameters[procedure.sides[0]] = _maybe_number(size)
        else:
            parameters |= dict(zip(procedure.sides, _size(size, "--size"), strict=True))
    return parameters | {name: _plain_value(text) for name, text in given.items()}


def _plain_value(text: str) -> Any:
    """A number, a list of numbers, true or false; else the text, which may be a length with its unit."""
    if text in ("true", "false"):
        return text == "true"
    if "," in text:
        return [_maybe_number(part) for part in text.split(",")]
    return int(text) if text.isascii() and text.isdigit() else _maybe_number(text)


def _pair(text: str) -> tuple[str, str]:
    name, equals, value = text.partition("=")
    if not equals or not name or not value:
        raise InputError(f"expected NAME=VALUE, got {text!r}", "--set")
    return name, value


def _maybe_number(text: str) -> float | str:
    """Plain numbers stay numbers (mm); anything else is read as a length with its unit."""
    try:
        return float(text)
    except ValueError:
        return text


def _burning(given: dict[str, str], kind: str) -> dict[str, Any]:
    """What was set of torch or beam; elsewhere there is neither."""
    return {name: _number_setting(given, name) for name in BURNING if name in given} if kind in THERMAL else {}


def _number_setting(given: dict[str, str], name: str) -> float:
    value = _maybe_number(given.pop(name))
    if isinstance(value, str):
        raise InputError(f"expected a number, got {value!r}", f"--set {name}")
    return value


def _whole_setting(given: dict[str, str], name: str, default: int) -> int:
    text = given.pop(name, str(default))
    if not text.isascii() or not text.isdigit() or not 0 < int(text[:9]) < 10**8:
        raise InputError(f"expected a whole number larger than 0, got {text!r}", f"--set {name}")
    return int(text)


def _cycles(given: dict[str, str], usual: int) -> int:
    cycles = _whole_setting(given, "cycles", usual)
    if cycles > MOST_CYCLES:
        raise InputError(f"expected at most {MOST_CYCLES}, got {cycles}", "--set cycles")
    return cycles


def _size(text: str, place: str) -> tuple[float, float]:
    from keen_compass.quantities.lengths import parse_length

    parts = text.lower().replace("×", "x").split("x")
    if len(parts) != 2:
        raise InputError(f"expected width x height, like 400x300, got {text!r}", place)
    try:
        width, height = (parse_length(p).mm for p in parts)
    except InputError as error:
        raise InputError(error.message, place) from None
    return width, height


def _find_cross(options: argparse.Namespace) -> int:
    from keen_compass.formats.pictures import read_grey
    from keen_compass.quantities.uncertainty import K_95
    from keen_compass.solve.cross import find_cross

    near = None
    if options.near is not None:
        try:
            u, v = (float(part) for part in options.near.split(","))
        except ValueError:
            raise InputError("expected U,V in pixels, like 640,480", "--near") from None
        if not (math.isfinite(u) and math.isfinite(v)):
            raise InputError("expected U,V in pixels, like 640,480", "--near")
        near = (u, v)
    found = find_cross(read_grey(options.picture), near)
    if found is None:
        raise InputError("shows no cross: two dark strokes on lighter ground, as sharp as can be", str(options.picture))
    _print_json({
        "u": round(found.u, 4), "v": round(found.v, 4), "u_uncertainty": round(K_95 * found.u_u, 4),
        "v_uncertainty": round(K_95 * found.u_v, 4), "arms": found.arms,
    })  # fmt: skip
    return 0


def _practice(options: argparse.Namespace) -> int:
    from keen_compass.practice.paper_rounds import SheetRound
    from keen_compass.practice.whole_rounds import PracticeRound, run

    if options.procedure == "all":
        return _practice_all(options)
    folder = options.out or _practice_folder()
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise InputError(f"can't be made: {error.strerror}", str(folder)) from None
    practice = run(options.procedure, options.seed, options.rounds, folder)
    body = practice.to_json()
    if options.json:
        _print_json(body)
        return 0
    rounds: Sequence[PracticeRound | SheetRound] = practice.rounds
    for i, done in enumerate(rounds, 1):
        print(f"round {i}: {', '.join(done.files)}")
        for name, values in done.readings.items():
            print(f"  {name:<13} {'  '.join(_shown(v) for v in values)}")
        for f in done.solution.findings:
            off = f"{f.error:+.3f} ± {f.expanded_uncertainty:.3f} {f.error_unit}" if f.error is not None else "-"
            print(f"  {f.quantity:<13} {off}  {f.verdict}  {f.old} -> {f.new}")
    print("hidden truth:", "  ".join(f"{k} {v:.4f}" for k, v in body["truth"].items() if v is not None))
    print("found:       ", "  ".join(f"{k} {v}" for k, v in body["found"].items()))
    return 0


def _shown(reading: Any) -> str:
    """A number, or both of a place."""
    return " ".join(f"{v:.2f}" for v in (reading if isinstance(reading, list) else [reading]))


def _practice_folder() -> Path:
    """Where the files of rounds go that nobody gave a folder for: one place, of which only the newest are kept."""
    import platformdirs

    folder = Path(platformdirs.user_cache_dir("keen-compass")) / "practice"
    with contextlib.suppress(OSError):
        old = sorted(folder.glob("*.nc"), key=lambda file: file.stat().st_mtime)
        for file in old[:-KEPT_FILES]:
            file.unlink(missing_ok=True)
    return folder


def _practice_all(options: argparse.Namespace) -> int:
    """A router that is wrong in everything, put right in the order that the program proposes."""
    from keen_compass.practice.walk import walked_from_wrong

    done, left = walked_from_wrong(options.seed)
    rows = [
        {"procedure": w.procedure, "quantities": list(w.quantities), "rounds": w.rounds, "verdicts": list(w.verdicts)}
        for w in done
    ]
    if options.json:
        _print_json({"seed": options.seed, "walked": rows, "left": left})
        return 0
    for w in done:
        print(f"{w.procedure:<12} {', '.join(w.quantities):<24} rounds {w.rounds}  {', '.join(w.verdicts)}")
    print("really left:", "  ".join(f"{q} {e:+.3f}" for q, e in left.items()))
    return 0


def _window(options: argparse.Namespace) -> int:
    width, height = _size(options.size, "--size")
    if options.shots is None and not _has_display():
        raise InputError("no display to open a window on; `--demo --shots DIR` writes pictures instead")
    if options.shots is not None:
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
    # Starting makes many objects and hardly any garbage; collecting it costs a sixth of the time.
    # The collector starts when the window is up.
    gc.disable()
    from keen_compass.app.start import start

    return start(
        shop_file=options.shop, demo=options.demo, shots=options.shots, size=(int(width), int(height)),
        theme=options.theme,
    )  # fmt: skip


def _has_display() -> bool:
    """Qt aborts without a display, so look first. A platform named by the user is the user's choice."""
    return bool(os.environ.get("QT_QPA_PLATFORM") or os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))
