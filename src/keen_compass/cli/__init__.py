"""The command line: the same core, for scripts and for checks from outside. See `keen-compass --help`."""

from __future__ import annotations

import argparse
import contextlib
import gc
import io
import json
import os
import sys
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, NoReturn

from keen_compass import __version__
from keen_compass.cli.common import pair, paper_size, print_json, read_json, size_of
from keen_compass.errors import InputError, KeenCompassError
from keen_compass.quantities.kinds import MachineKind

if TYPE_CHECKING:
    from keen_compass.formats.gcode import CutSettings
    from keen_compass.machines.profile import Machine
    from keen_compass.pieces.moves import MoveProgram
    from keen_compass.pieces.toolpath import ToolPath
    from keen_compass.procedures.base import Procedure
    from keen_compass.quantities.geometry import Box


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
    _open_what_is_closed()
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")  # a terminal of few letters still shows the rest
    words = list(sys.argv[1:] if argv is None else argv)
    if words and words[0].endswith(".kcshop"):  # as file managers call it
        words.insert(0, "--shop")
    options = _parsed(words)
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


def _open_what_is_closed() -> None:
    """Nothing that is opened later may take a standard stream's place; what is written there then is refused."""
    for name, mode in (("stdin", os.O_RDONLY), ("stdout", os.O_RDONLY), ("stderr", os.O_WRONLY)):
        if getattr(sys, name) is None:
            setattr(sys, name, os.fdopen(os.open(os.devnull, mode), "r" if name == "stdin" else "w"))


def _failed(words: str) -> int:
    print(f"keen-compass: {' '.join(words.split())}", file=sys.stderr)
    return 2


def _drop_stdout() -> None:
    """Nobody reads it any more; Python would complain once more when it ends."""
    with contextlib.suppress(OSError, ValueError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())


def _parsed(words: list[str]) -> argparse.Namespace:
    """What was asked for. Who opens the window doesn't wait for all the commands to be described."""
    if not words or words[0].startswith("-"):
        window = _Parser(prog="keen-compass", add_help=False)
        _add_window(window)
        options, rest = window.parse_known_args(words)
        if not rest:
            return options
    return _parser().parse_args(words)


def _add_window(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--demo", action="store_true", help="open a scratch copy of the Lantern Quay demo shop")
    parser.add_argument("--shop", type=Path, metavar="FILE", help="open this shop file instead of the usual one")
    parser.add_argument("--shots", type=Path, metavar="DIR", help="write every main view as PNG and leave")
    parser.add_argument("--size", default="1280x800", metavar="WxH", help="window size for --shots")
    parser.add_argument("--theme", choices=("light", "dark"), help="instead of the desktop's own")
    parser.set_defaults(run=_window)


def _parser() -> argparse.ArgumentParser:
    from keen_compass.cli.artwork import add_artwork, add_pictures
    from keen_compass.cli.check import add_check
    from keen_compass.cli.controller import add_cable, add_listing
    from keen_compass.cli.diagnose import add_diagnose
    from keen_compass.cli.due import add_due
    from keen_compass.cli.fit import add_fit
    from keen_compass.cli.pictures import add_reading

    parser = _Parser(prog="keen-compass", description="Calibrate cutters and plotters.")
    parser.add_argument("--version", action="version", version=__version__)
    _add_window(parser)
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
    piece.add_argument(
        "--machine", choices=[kind.value for kind in MachineKind], help="whose own file is written (G-code)"
    )
    piece.add_argument("--format", choices=("gcode", "hpgl", "svg", "dxf", "pdf"), default="gcode")
    piece.add_argument("-o", "--output", type=Path, required=True, metavar="FILE")
    piece.add_argument("--geometry", type=Path, metavar="FILE", help="what is on a printed sheet, as JSON")
    piece.set_defaults(run=_piece)

    add_pictures(commands)
    add_artwork(commands)
    add_fit(commands)
    add_check(commands)
    add_due(commands)
    add_diagnose(commands)
    add_reading(commands)
    add_listing(commands)
    add_cable(commands)
    practice = commands.add_parser("practice", help="whole rounds on a simulated machine")
    practice.add_argument("procedure", help="its name; or all: a machine as it turned up, put right in order")
    practice.add_argument("--seed", type=int, default=1)
    practice.add_argument("--rounds", type=int)
    practice.add_argument(
        "--machine", choices=[kind.value for kind in MachineKind], help="on which; what it is usually done on otherwise"
    )
    practice.add_argument("--json", action="store_true")
    practice.add_argument("--out", type=Path, metavar="DIR", help="where the rounds' files go")
    practice.set_defaults(run=_practice)
    return parser


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
        print_json(rows)
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
        print_json(load(options.example).example())
        return 0
    from keen_compass.procedures.case_input import case_from_json
    from keen_compass.words.answers import solution_as_json
    from keen_compass.words.say import Show

    body = read_json(options.file)
    case = case_from_json(body)
    solution = load(case.procedure).solve(case)
    print_json(solution_as_json(solution, Show(case.controller_units)))
    return 0


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
    if procedure.printed or options.geometry:
        return _printed(options, procedure, given)
    bed = Box(0, 0, *size_of(given.pop("bed", "1300x900"), "--set bed"))
    number, cycles = _whole_setting(given, "number", 1), _cycles(given, procedure.passes)
    units_per_mm = length_mm(_maybe_number(given.pop("units_per_mm", "40")), "--set units_per_mm")
    own = procedure.makes is not Makes.PIECE  # of a run, x and y are its own
    at = tuple(length_mm(_maybe_number("40" if own else given.pop(k, "40")), f"--set {k}") for k in ("x", "y"))
    settings = _cut_settings(given, bed)
    kind = _kind(options, procedure)
    machine = _machine(procedure, kind, settings, units_per_mm, given)
    if procedure.thermal_pieces and kind.thermal:
        given.setdefault("thermal", "true")
    parameters = _parameters(procedure, options.piece_size, given)
    draws = kind.plots or parameters.get("made_by", "cut") != "cut"
    settings = replace(settings, spindle=settings.spindle and not draws)
    why = {Makes.NOTHING: "its parts are counted", Makes.PRINT: "the printer prints its own test"}
    if procedure.makes in why:
        raise InputError(f"makes no piece: {why[procedure.makes]}", procedure.name)
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
            raise InputError("a pen cuts nothing; make it on what cuts", "--machine")
        made = path.moved(*(shape.origin if procedure.anchored else (at[0] + GAP, at[1] + GAP)))
    if options.format in ("gcode", "hpgl"):
        takes = {"gcode": MachineKind.ROUTER, "hpgl": MachineKind.KNIFE}[options.format]
        machine = machine if kind.file == options.format else replace(machine, kind=takes)
        data = file_for(machine, made, say, reach=bed, cut=settings).encode("ascii")
    else:
        text = {"svg": drawings.write_svg, "dxf": drawings.write_dxf}.get(options.format)
        data = text(path).encode("utf-8") if text else drawings.write_pdf(path)
    write_whole(options.output, data)
    return 0


def _printed(options: argparse.Namespace, procedure: Procedure[Any], given: dict[str, str]) -> int:
    """A sheet as PDF, and what is on it as JSON."""
    from keen_compass.formats.files import write_whole
    from keen_compass.formats.pages import write_page
    from keen_compass.words.pages import page_words

    if not procedure.printed:
        raise InputError("is for what is printed: registration, pointer", "--geometry")
    if options.format != "pdf":
        raise InputError("is a printed sheet: --format pdf", procedure.name)
    size = paper_size(options.piece_size or "A4", "--size")
    number = _whole_setting(given, "number", 1)
    if given:
        raise InputError("not known here; expected number", f"--set {min(given)}")
    page = procedure.page(size, number)
    if page is None:
        raise InputError("prints an artwork: use proof-job", procedure.name)
    if options.geometry:
        write_whole(options.geometry, (json.dumps(page.to_json(), indent=2) + "\n").encode())
    write_whole(options.output, write_page(page, page_words(page)))
    return 0


def _kind(options: argparse.Namespace, procedure: Procedure[Any]) -> MachineKind:
    """Of machine, as it was said or is usual."""
    kind = MachineKind(options.machine or procedure.usual_on)
    if procedure.burns and (kind is not MachineKind.LASER or options.format != "gcode"):
        raise InputError("a beam burns it: make it as G-code for a laser", "--machine")
    return kind


def _machine(
    procedure: Procedure[Any], kind: MachineKind, settings: CutSettings, units_per_mm: float, given: dict[str, str]
) -> Machine:
    """A machine of that kind with what was set of it, taken out of that. A lens is moved only where somebody says."""
    from dataclasses import replace

    from keen_compass.machines.forms import usual_machine

    burns: dict[str, Any] = {n: _number_setting(given, n) for n in BURNING if n in given} if kind.thermal else {}
    still = kind is MachineKind.LASER and not procedure.burns and "focus" not in burns
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
            parameters |= dict(zip(procedure.sides, size_of(size, "--size"), strict=True))
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


def _practice(options: argparse.Namespace) -> int:
    from keen_compass.practice.whole_rounds import run

    if options.procedure == "all":
        return _practice_all(options)
    folder = options.out or _practice_folder()
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise InputError(f"can't be made: {error.strerror}", str(folder)) from None
    practice = run(options.procedure, options.seed, options.rounds, folder, _asked_kind(options))
    body = practice.to_json()
    if options.json:
        print_json(body)
        return 0
    for i, done in enumerate(practice.rounds, 1):
        print(f"round {i}: {', '.join(done.files)}")
        for name, values in done.readings.items():
            print(f"  {name:<13} {'  '.join(_shown(v) for v in values)}")
        for f in done.solution.findings:
            off = f"{f.error:+.3f} ± {f.expanded_uncertainty:.3f} {f.error_unit}" if f.error is not None else "-"
            print(f"  {f.quantity:<13} {off}  {f.verdict}  {f.old} -> {f.new}")
    print("hidden truth:", "  ".join(f"{k} {_shown(v)}" for k, v in body["truth"].items() if v is not None))
    print("found:       ", "  ".join(f"{k} {_shown(v)}" for k, v in body["found"].items()))
    print_left(body["left"])
    return 0


def _asked_kind(options: argparse.Namespace) -> MachineKind | None:
    return MachineKind(options.machine) if options.machine else None


def print_left(left: Mapping[str, Mapping[str, float]]) -> None:
    """What is really left, in tolerances: 1 is just in."""
    print("really left, in tolerances:", "  ".join(f"{q} {v['tolerances']:.2f}" for q, v in left.items()) or "-")


def _shown(reading: Any) -> str:
    """A number, both of a place, or both of a pair."""
    if isinstance(reading, dict):
        return " for ".join(f"{v:g}" for v in reading.values())
    return " ".join(f"{v:.6g}" for v in (reading if isinstance(reading, list) else [reading]))


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
    """A machine as it turned up, put right in the order that the program proposes."""
    from keen_compass.practice.whole_rounds import run_all

    practice = run_all(options.seed, _asked_kind(options) or MachineKind.ROUTER)
    left = {q: v for q in practice.yields if (v := practice.left(q))}
    if options.json:
        rows = [{**w._asdict(), "verdicts": list(w.verdicts)} for w in practice.walked]
        print_json({"seed": options.seed, "machine": practice.kind, "walked": rows, "left": left})
        return 0
    for w in practice.walked:
        print(f"{w.procedure:<12} {', '.join(w.quantities):<24} rounds {w.rounds}  {', '.join(w.verdicts)}")
    print_left(left)
    return 0


def _window(options: argparse.Namespace) -> int:
    width, height = size_of(options.size, "--size")
    if options.shots is not None and options.shop is not None:
        raise InputError("shows the demo’s shop: leave --shop out", "--shots")
    if options.shots is None and not _has_display():
        raise InputError("no display to open a window on; `--demo --shots DIR` writes pictures instead")
    if options.shots is not None:
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
    # Starting makes many objects and hardly any garbage; collecting it costs a sixth of the time.
    # The collector starts when the window is up.
    gc.disable()
    from keen_compass.app.start import start

    return start(
        shop_file=options.shop,
        demo=options.demo,
        shots=options.shots,
        size=(int(width), int(height)),
        theme=options.theme,
    )


def _has_display() -> bool:
    """Qt aborts without a display, so look first. A platform named by the user is the user's choice."""
    return bool(os.environ.get("QT_QPA_PLATFORM") or os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))
