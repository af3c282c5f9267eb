"""What may be behind what is complained of."""

from __future__ import annotations

import argparse

from keen_compass.cli.common import Commands, print_json, read_json
from keen_compass.language import tr


def add_diagnose(commands: Commands) -> None:
    """The command."""
    diagnose = commands.add_parser("diagnose", help=tr("what may be behind complaints, as JSON"))
    diagnose.add_argument("file", metavar=tr("FILE|-"), help=tr("complaints as JSON; -: standard input"))
    diagnose.set_defaults(run=_diagnose)


def _diagnose(options: argparse.Namespace) -> int:
    from keen_compass.procedures.complaints import diagnose
    from keen_compass.words.complaints import diagnosis_as_json

    print_json(diagnosis_as_json(diagnose(read_json(options.file))))
    return 0
