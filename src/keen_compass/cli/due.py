"""What of a shop should be looked at again, and when."""

from __future__ import annotations

import argparse
from pathlib import Path

from keen_compass.cli.common import Commands, print_json
from keen_compass.errors import InputError
from keen_compass.language import tr


def add_due(commands: Commands) -> None:
    """The command."""
    due = commands.add_parser("due", help=tr("what should be looked at again, and on which day, soonest first"))
    due.add_argument("--shop", type=Path, required=True, metavar="FILE", help=tr("the shop file"))
    due.add_argument("--json", action="store_true", help=tr("as JSON"))
    due.set_defaults(run=_due)


def _due(options: argparse.Namespace) -> int:
    from keen_compass.quantities.catalogue import QUANTITIES
    from keen_compass.shop.due import due
    from keen_compass.shop.store import Shop
    from keen_compass.words.due import because

    if not options.shop.is_file():
        raise InputError(tr("is not there, or no file"), str(options.shop))
    shop = Shop(options.shop)
    try:
        found = due(shop)
    finally:
        shop.close()
    if options.json:
        print_json(
            [
                {
                    "machine": d.machine.name,
                    "quantity": d.quantity,
                    "subject": d.subject.to_json(),
                    "on": d.on.isoformat(),
                    "because": because(d),
                }
                for d in found
            ]
        )
        return 0
    for d in found:
        print(f"{d.on}  {d.machine.name:<12} {QUANTITIES[d.quantity].label:<16} {because(d)}")
    return 0
