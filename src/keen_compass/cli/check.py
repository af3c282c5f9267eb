"""Whether a shop file is sound, and what is sound of it as a new one."""

from __future__ import annotations

import argparse
from contextlib import closing
from pathlib import Path

from keen_compass.cli.common import Commands, print_json
from keen_compass.errors import InputError
from keen_compass.language import tr


def add_check(commands: Commands) -> None:
    """The command."""
    check = commands.add_parser(
        "check", help=tr("go over every row of a shop file: exit 0 sound, 1 with what is wrong")
    )
    check.add_argument("file", type=Path, metavar="FILE", help=tr("the shop file"))
    check.add_argument("--repair", type=Path, metavar="OUT", help=tr("write what is sound as a new shop file"))
    check.add_argument(
        "--compact", action="store_true", help=tr("first drop pictures and files of what was taken back")
    )
    check.add_argument("--json", action="store_true", help=tr("as JSON"))
    check.set_defaults(run=_check)


def _check(options: argparse.Namespace) -> int:
    from keen_compass.shop.soundness import faults, repair
    from keen_compass.shop.store import Shop
    from keen_compass.words.say import say

    if options.compact:
        if not options.file.exists():
            raise InputError(tr("is not there"), str(options.file))
        with closing(Shop(options.file)) as shop:
            shop.compact()
    found = repair(options.file, options.repair) if options.repair else faults(options.file)
    if options.json:
        print_json({"sound": not found, "faults": [f._asdict() | {"what": say(f.what)} for f in found]})
    else:
        for f in found:
            print(f"{f.table} {f.number}: {say(f.what)}" if f.number else say(f.what))
        print("sound" if not found else tr("{n} faults", n=len(found)) if len(found) > 1 else tr("1 fault"))
    return int(bool(found))
