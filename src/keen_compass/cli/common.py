"""What commands share: JSON on standard output, KEY=VALUE."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

from keen_compass.errors import InputError, UncertaintyError
from keen_compass.formats.files import read_whole
from keen_compass.language import tr

Commands = Any  # in which a parser keeps its own: argparse has no public name for it

LARGEST_INPUT = 20_000_000  # bytes


def print_json(body: Any) -> None:
    """Letters as they are where stdout can take them, else as JSON's escapes."""
    utf8 = (sys.stdout.encoding or "").lower().replace("-", "") == "utf8"
    try:
        text = json.dumps(body, indent=2, ensure_ascii=not utf8, allow_nan=False)
    except ValueError:  # a number that is none says nothing, and other programs can't read it
        raise UncertaintyError(tr("these numbers leave what can be computed")) from None
    print(text)


def pair(text: str) -> tuple[str, str]:
    """NAME=VALUE. Raises InputError."""
    name, equals, value = text.partition("=")
    if not equals or not name or not value:
        raise InputError(tr("expected NAME=VALUE, got {text!r}", text=text), "--set")
    return name, value


def read_json(name: str) -> Any:
    """What a file, or standard input as ``-``, holds. Raises InputError naming the place."""
    where = tr("standard input") if name == "-" else name
    data = sys.stdin.buffer.read(LARGEST_INPUT + 1) if name == "-" else read_whole(Path(name), LARGEST_INPUT)
    if len(data) > LARGEST_INPUT:
        raise InputError(tr("is larger than 20 MB; one case is a few kB"), where)
    try:
        return json.loads(data.decode("utf-8-sig"))
    except json.JSONDecodeError as error:
        raise InputError(
            tr(
                "is not JSON at line {lineno}, column {colno}: {msg}",
                lineno=error.lineno,
                colno=error.colno,
                msg=error.msg,
            ),
            where,
        ) from None
    except UnicodeDecodeError as error:
        raise InputError(tr("is not UTF-8 text at byte {start}", start=error.start), where) from None
    except (RecursionError, ValueError):
        raise InputError(tr("is nested too deeply or holds a number too long to read"), where) from None


def size_of(text: str, place: str) -> tuple[float, float]:
    from keen_compass.quantities.lengths import parse_length

    parts = text.lower().replace("×", "x").split("x")
    if len(parts) != 2:
        raise InputError(tr("expected width x height, like 400x300, got {text!r}", text=text), place)
    try:
        width, height = (parse_length(p).mm for p in parts)
    except InputError as error:
        raise InputError(error.message, place) from None
    return width, height


def paper_size(text: str, place: str) -> tuple[float, float]:
    """mm of a paper's name, or of ``210x297``. Raises InputError."""
    from keen_compass.pieces.page import PAPERS

    return next((s for paper, s in PAPERS.items() if paper.lower() == text.lower()), None) or size_of(text, place)


def length_given(text: str, where: str) -> float:
    """mm of a plain number, or of a length with its unit. Raises InputError."""
    from keen_compass.procedures.case import length_mm

    try:
        return length_mm(float(text), where)
    except ValueError:
        return length_mm(text, where)
