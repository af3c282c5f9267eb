"""Commands about controllers: a listing of settings, a cable, a simulated controller at its other end."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from keen_compass.cli.common import LARGEST_INPUT, Commands, pair, print_json, read_json
from keen_compass.errors import InputError
from keen_compass.formats.files import read_whole
from keen_compass.language import tr
from keen_compass.quantities.bodies import JsonObject

if TYPE_CHECKING:
    from keen_compass.formats.listing import Entry


def add_cable(commands: Commands) -> None:
    """What is done over a cable, and a practice controller at its other end."""
    simulated = commands.add_parser("stand-in", help=tr("a simulated controller on a pseudo-terminal"))
    simulated.add_argument(
        "--machine", default="heron", metavar="NAME", help=tr("whose: heron, swift, kingfisher, ember")
    )
    simulated.add_argument("--fault", default="", metavar=tr("FAULT"), help=tr("what goes wrong with what is asked"))
    simulated.add_argument("--seed", type=int, default=1, help=tr("another controller, another fault"))
    simulated.set_defaults(run=_stand_in)
    port = commands.add_parser("port", help=tr("a controller over its cable: read, send, position, run"))
    port.add_argument("path", metavar="PATH", help=tr("of the serial port"))
    does = port.add_subparsers(metavar="WHAT", required=True)
    for name, run, told in (
        ("read", _port_read, tr("its settings, as JSON")),
        ("position", _port_position, tr("where it is, mm, as JSON")),
        ("send", _port_send, tr("another number, read back")),
        ("run", _port_run, tr("a program, line by line")),
    ):
        one = does.add_parser(name, help=told)
        if name == "send":
            one.add_argument("settings", nargs="+", metavar=tr("KEY=VALUE"), help=tr("settings to send"))
        if name == "run":
            one.add_argument("file", type=Path, help=tr("a program to run"))
        one.add_argument("--baud", type=int, metavar="N", help=tr("bits per second"))
        one.add_argument("--profile", type=Path, metavar="FILE", help=tr("its patterns, as JSON"))
        one.set_defaults(run=run)
    example = does.add_parser("profile", help=tr("an example of a profile, as JSON"))
    example.set_defaults(run=_port_profile)


def add_listing(commands: Commands) -> None:
    """What is done with a controller's listing."""
    listing = commands.add_parser("listing", help=tr("a controller's listing of settings: read, compare, patch, find"))
    does = listing.add_subparsers(metavar="WHAT", required=True)
    read = does.add_parser("read", help=tr("its entries, as JSON"))
    read.add_argument("file", type=Path, help=tr("the listing"))
    read.set_defaults(run=_listing_read)
    compare = does.add_parser("compare", help=tr("what differs between two, as JSON"))
    compare.add_argument("a", type=Path, help=tr("one listing"))
    compare.add_argument("b", type=Path, help=tr("the other listing"))
    compare.set_defaults(run=_listing_compare)
    find = does.add_parser("find", help=tr("the number at a place, as JSON"))
    find.add_argument("file", type=Path, help=tr("the listing"))
    find.add_argument("--at", required=True, metavar=tr("LINE:COLUMN"), help=tr("counted from 1"))
    find.set_defaults(run=_listing_find)
    patch = does.add_parser("patch", help=tr("a copy in which one value, or some, are others and nothing else differs"))
    patch.add_argument("file", type=Path, help=tr("the listing"))
    patch.add_argument(
        "--set", action="append", default=[], metavar=tr("KEY=VALUE"), dest="settings", help=tr("its new value")
    )
    patch.add_argument("--at", metavar=tr("LINE:COLUMN"), help=tr("a number without a key, counted from 1"))
    patch.add_argument("--old", metavar=tr("NUMBER"), help=tr("that stands there now"))
    patch.add_argument("--new", metavar=tr("NUMBER"), help=tr("what is to stand there"))
    patch.add_argument("-o", "--output", type=Path, required=True, metavar="FILE", help=tr("the copy"))
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
        body = read_json(str(options.profile))
        try:
            dialects = [Dialect.from_json(body)]
        except InputError as error:
            raise error.at(str(options.profile)) from None
    return Cable(options.path, find_out(options.path, dialects, [options.baud] if options.baud else []))


def _port_read(options: argparse.Namespace) -> int:
    with _cable(options) as cable:
        print_json({"entries": [_entry_json(e) for e in cable.read().entries]})
    return 0


def _port_send(options: argparse.Namespace) -> int:
    pairs = [(key.strip(), value.strip()) for key, _, value in (s.partition("=") for s in options.settings)]
    if wrong := next((s for s in options.settings if "=" not in s), None):
        raise InputError(tr("expected KEY=VALUE"), wrong)
    with _cable(options) as cable:
        print_json({"held": [{"key": key, "value": cable.send(key, value)} for key, value in pairs]})
    return 0


def _port_position(options: argparse.Namespace) -> int:
    with _cable(options) as cable:
        print_json(cable.position())
    return 0


def _port_run(options: argparse.Namespace) -> int:
    from keen_compass.controllers.wire import Progress, RunControl

    program = read_whole(options.file, LARGEST_INPUT)
    with _cable(options) as cable:
        done, control = Progress(0, 0, 0), RunControl()
        try:
            for done in cable.run(program, control):
                if done.holding:
                    _wait_for_somebody(done.acknowledged, done.total)
                    control.hold.clear()
        except (KeyboardInterrupt, InputError):
            cable.make_safe(control)
            raise
        print_json({"commands": done.total, "acknowledged": done.acknowledged, "position": cable.position()})
    return 0


def _wait_for_somebody(done: int, total: int) -> None:
    """The program waits (M0): until Enter. Raises InputError where nobody can press it."""
    print(
        tr("keen-compass: the program waits after {done} of {total} commands; Enter goes on", done=done, total=total),
        file=sys.stderr,
    )
    if not sys.stdin.readline():
        raise InputError(
            tr("the program waits for somebody (M0), and nobody is here; it was stopped"), tr("standard input")
        )


def _port_profile(options: argparse.Namespace) -> int:
    from keen_compass.controllers.practice_dialects import TEXT

    print_json(TEXT.to_json())
    return 0


def _listing_read(options: argparse.Namespace) -> int:
    from keen_compass.formats.listing import read_listing

    print_json({"entries": [_entry_json(e) for e in read_listing(options.file).entries]})
    return 0


def _entry_json(entry: Entry) -> JsonObject:
    return {
        "key": entry.key,
        "value": entry.value,
        "remark": entry.remark,
        "line": entry.line,
        "section": entry.section,
    }


def _listing_compare(options: argparse.Namespace) -> int:
    from keen_compass.formats.listing import compared, read_listing

    found = compared(read_listing(options.a), read_listing(options.b))
    print_json(
        {
            "changed": [
                {"key": a.key, "section": a.section, "a": a.value, "b": b.value, "lines": [a.line, b.line]}
                for a, b in found.changed
            ],
            "only_in_a": [_entry_json(e) for e in found.only_a],
            "only_in_b": [_entry_json(e) for e in found.only_b],
        }
    )
    return 0


def _listing_find(options: argparse.Namespace) -> int:
    from keen_compass.formats.listing import read_listing

    found = read_listing(options.file).number_at(*_place(options.at))
    print_json({"number": found.text, "line": found.line, "column": found.column, "length": len(found.text)})
    return 0


def _listing_patch(options: argparse.Namespace) -> int:
    from keen_compass.formats.files import write_whole
    from keen_compass.formats.listing import read_listing

    pointed = [options.at, options.old, options.new]
    if bool(options.settings) == any(p is not None for p in pointed) or (not options.settings and None in pointed):
        raise InputError(tr("give --set KEY=VALUE, or --at LINE:COLUMN with --old and --new"), "patch")
    listing = read_listing(options.file)
    if options.settings:
        given = [pair(text) for text in options.settings]
        if len(dict(given)) < len(given):
            raise InputError(tr("a key is set twice"), "--set")
        data = listing.changed(dict(given))
    else:
        data = listing.with_number(*_place(options.at), options.old, options.new)
    write_whole(options.output, data)
    return 0


def _place(text: str) -> tuple[int, int]:
    line, _, column = text.partition(":")
    if not (line.isascii() and line.isdigit() and column.isascii() and column.isdigit()) or len(text) > 18:
        raise InputError(tr("expected LINE:COLUMN, like 12:8, got {text!r}", text=text[:30]), "--at")
    return int(line), int(column)
