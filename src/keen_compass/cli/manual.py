"""The manual, as a folder of HTML."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from keen_compass.cli.common import Commands
from keen_compass.language import tr


def add_manual(commands: Commands) -> None:
    """The command."""
    manual = commands.add_parser("manual", help=tr("write the manual as a folder of HTML"))
    manual.add_argument("folder", type=Path, metavar="DIR", help=tr("the folder"))
    manual.set_defaults(run=_manual)


def _manual(options: argparse.Namespace) -> int:
    from keen_compass.reports.manual import write_manual

    print(write_manual(options.folder)[0])
    return 0


def described(parser: argparse.ArgumentParser) -> str:
    """The page of the manual about the command line: each command with its arguments, as Markdown."""
    commands = _commands(parser)
    summaries = {a.dest: str(a.help) for a in commands._choices_actions}
    parts = [
        tr("# The command line"),
        tr(
            "The same calculations without the window. Results are JSON on standard output. The exit status is 0, or 2 "
            "with one line on standard error that names the place."
        ),
        *_usage(parser),
    ]
    for name, command in commands.choices.items():
        parts += [f"## {name}", f"{summaries[name][:1].upper()}{summaries[name][1:]}.", *_usage(command)]
        inner = _commands(command)
        for own in inner.choices.values() if inner else ():
            parts += _usage(own)
    return "\n\n".join(parts) + "\n"


def _commands(parser: argparse.ArgumentParser) -> Any:
    return next((a for a in parser._actions if isinstance(a, argparse._SubParsersAction)), None)


def _usage(command: argparse.ArgumentParser) -> list[str]:
    """How it is called, then what its arguments mean; argparse's own layout differs between versions of Python."""
    actions = [a for a in command._actions if not isinstance(a, (argparse._HelpAction, argparse._SubParsersAction))]
    words = [word if a.required else f"[{word}]" for a in actions for word in [_word(a)]]
    call = [] if _commands(command) else [f"    {' '.join([command.prog, *words])}"]
    cells = [(_word(a).replace("|", "\\|"), a.help) for a in actions]  # a bar would end the cell
    rows = [f"| `{word}` | {meaning} |" for word, meaning in cells]
    return [*call, "\n".join([tr("| Argument | Meaning |"), "|---|---|", *rows])] if rows else call


def _word(action: argparse.Action) -> str:
    """``--size WxH``, ``{light,dark}``, ``FILE``: an argument as it is typed."""
    metavar = " ".join(action.metavar) if isinstance(action.metavar, tuple) else action.metavar
    named = metavar or ("|".join(map(str, action.choices)) if action.choices else "")
    value = "" if action.nargs == 0 else str(named or action.dest.upper())
    return " ".join(w for w in (action.option_strings[0] if action.option_strings else "", value) if w)
