"""The command line: the same core, for scripts and for checks from outside. See `keen-compass --help`."""

from __future__ import annotations

import argparse
import contextlib
import gc
import io
import os
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import NoReturn

from keen_compass import __version__
from keen_compass.cli.common import print_json, read_json, size_of
from keen_compass.errors import InputError, KeenCompassError
from keen_compass.language import CATALOGUES, DOMAIN, ENGLISH, LANGUAGES, asked_for, language, speak, tr


class _Parser(argparse.ArgumentParser):
    """One line on stderr for whatever is wrong with the arguments, as for everything else."""

    def error(self, message: str) -> NoReturn:
        print(
            tr("keen-compass: {said}; see {prog} --help", said=" ".join(message.split()), prog=self.prog),
            file=sys.stderr,
        )
        sys.exit(2)


def main(argv: Sequence[str] | None = None) -> int:
    """Run; returns the exit status: 0, or 2 with one line on stderr."""
    _open_what_is_closed()
    speak(asked_for())
    if language() != ENGLISH:
        _let_others_speak()
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
        return _failed(f"{error.filename or tr('standard output')}: {error.strerror or error}")
    except KeyboardInterrupt:
        return 130
    return status


def _let_others_speak() -> None:
    """What argparse says stands in our catalogue; what the system says of a file is in its own language too."""
    import gettext
    import locale

    gettext.bindtextdomain(DOMAIN, str(CATALOGUES))
    gettext.textdomain(DOMAIN)
    with contextlib.suppress(locale.Error):  # asked for, and not installed
        locale.setlocale(locale.LC_MESSAGES, "")


def _open_what_is_closed() -> None:
    """Nothing that is opened later may take a standard stream's place; what is written there then is refused."""
    for name, mode in (("stdin", os.O_RDONLY), ("stdout", os.O_RDONLY), ("stderr", os.O_WRONLY)):
        if getattr(sys, name) is None:
            setattr(sys, name, os.fdopen(os.open(os.devnull, mode), "r" if name == "stdin" else "w"))


def _failed(words: str) -> int:
    print(tr("keen-compass: {said}", said=" ".join(words.split())), file=sys.stderr)
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
    return parser().parse_args(words)


def _add_window(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--demo", action="store_true", help=tr("open a scratch copy of the Lantern Quay demo shop"))
    parser.add_argument("--shop", type=Path, metavar="FILE", help=tr("open this shop file instead of the usual one"))
    parser.add_argument("--shots", type=Path, metavar="DIR", help=tr("write every main view as PNG and leave"))
    parser.add_argument("--size", default="1280x800", metavar=tr("WxH"), help=tr("window size for --shots"))
    parser.add_argument("--version", action="store_true", help=tr("say which version this is, and leave"))
    parser.add_argument("--verbose", action="store_true", help=tr("with --version: also of what it stands on"))
    parser.add_argument(
        "--log",
        choices=("debug", "info", "warning", "error"),
        default="",
        help=tr("keep a log of what the window does"),
    )
    parser.add_argument("--theme", choices=("light", "dark", "white", "black"), help=tr("instead of the desktop's own"))
    parser.add_argument(
        "--language", choices=tuple(LANGUAGES), default="", help=tr("of the window, instead of the desktop's own")
    )
    parser.set_defaults(run=_window)


def parser() -> argparse.ArgumentParser:
    """Of all commands and options."""
    from keen_compass.cli.artwork import add_artwork, add_pictures
    from keen_compass.cli.check import add_check
    from keen_compass.cli.controller import add_cable, add_listing
    from keen_compass.cli.diagnose import add_diagnose
    from keen_compass.cli.due import add_due
    from keen_compass.cli.fit import add_fit
    from keen_compass.cli.manual import add_manual
    from keen_compass.cli.pictures import add_reading
    from keen_compass.cli.piece import add_piece
    from keen_compass.cli.practice import add_practice

    parser = _Parser(prog="keen-compass", description=tr("Calibrate cutters and plotters."))
    _add_window(parser)
    commands = parser.add_subparsers(metavar=tr("COMMAND"))

    known = commands.add_parser("procedures", help=tr("what can be calibrated"))
    known.add_argument("--json", action="store_true", help=tr("as JSON, with the measurands"))
    known.set_defaults(run=_procedures)

    solve = commands.add_parser("solve", help=tr("findings from readings, as JSON"))
    solve.add_argument("file", nargs="?", metavar=tr("FILE|-"), help=tr("a case as JSON; -: standard input"))
    solve.add_argument("--example", metavar=tr("PROCEDURE"), help=tr("print a complete input"))
    solve.set_defaults(run=_solve)

    add_piece(commands)
    add_pictures(commands)
    add_artwork(commands)
    add_fit(commands)
    add_check(commands)
    add_due(commands)
    add_diagnose(commands)
    add_reading(commands)
    add_listing(commands)
    add_cable(commands)
    add_practice(commands)
    add_manual(commands)
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
            "measurands": list(load(name).read_by.names),
            "yields": list(entry.yields),
        }
        for name, entry in REGISTRY.items()
    ]
    if options.json:
        print_json(rows)
        return 0
    for row in rows:
        print(f"{row['name']}: {row['title']}")
        print(tr("  needs     {needs}", needs=", ".join(row["needs"])))
        print(tr("  piece     {piece}", piece=row["piece"]))
        print(tr("  measure   {measurands}", measurands=", ".join(row["measurands"])))
        print(tr("  yields    {yields}", yields=", ".join(row["yields"])))
    return 0


def _solve(options: argparse.Namespace) -> int:
    from keen_compass.procedures import load

    if (options.example is None) == (options.file is None):
        raise InputError(tr("give either a file (or -) or --example PROCEDURE"), "solve")
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


def _window(options: argparse.Namespace) -> int:
    if options.version or options.verbose:
        from keen_compass.reports.versions import stands_on

        print("\n".join([__version__, *(stands_on() if options.verbose else [])]))
        return 0
    width, height = size_of(options.size, "--size")
    if options.shots is not None and options.shop is not None:
        raise InputError(tr("shows the demo’s shop: leave --shop out"), "--shots")
    if options.shots is None and not _has_display():
        raise InputError(tr("no display to open a window on; `--demo --shots DIR` writes pictures instead"))
    if options.shots is not None:
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
    # Starting makes many objects and hardly any garbage; collecting it costs a sixth of the time.
    # It begins when the window is up, between events (`app.garbage`).
    gc.disable()
    from keen_compass.app.start import start

    return start(
        shop_file=options.shop,
        demo=options.demo,
        shots=options.shots,
        size=(int(width), int(height)),
        theme=options.theme,
        language=options.language,
        log=options.log,
    )


def _has_display() -> bool:
    """Qt aborts without a display, so look first. A platform named by the user is the user's choice."""
    return bool(os.environ.get("QT_QPA_PLATFORM") or os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))
