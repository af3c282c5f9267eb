#!/usr/bin/env python3
"""Bring the catalogues of all languages up to date with the messages in the code, and compile them.

`python tools/catalogues.py [CODE …]`: CODE begins the catalogue of another language (add it to `language.LANGUAGES`).
What is missing in one stays empty in its ``.po`` and is counted; whoever translates fills it in and runs this again.
"""

from __future__ import annotations

import ast
import io
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

from babel.messages.catalog import Catalog
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po, write_po

SOURCE = Path(__file__).resolve().parent.parent / "src" / "keen_compass"
LOCALE = SOURCE / "words" / "locale"
CALLS = {"tr": (0,), "marked": (0,), "dated": (1,), "tr_n": (0, 1), "_counted": (1, 2)}  # which arguments are messages
SIGNS = ("sign in a number", (".", ","))  # a context of gettext's, and its messages
TABLES = "words/texts"  # whose tables are messages all through


class Message(NamedTuple):
    """Where it stands in the code; several: its plural, where it has one."""

    text: str
    several: str
    line: int


def messages_in(file: Path) -> Iterator[Message]:
    """Of a module, in its order."""
    tree = ast.parse(file.read_text(encoding="utf-8"))
    for node in ast.walk(tree):
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in CALLS:
            at = CALLS[node.func.id]
            if len(node.args) > max(at) and all(map(_text, (node.args[i] for i in at))):
                one, *more = (_text(node.args[i]) for i in at)
                yield Message(one, more[0] if more else "", node.lineno)
    if file.parent == SOURCE / TABLES:
        for statement in tree.body:
            if isinstance(statement, (ast.Assign, ast.AnnAssign)) and statement.value is not None:
                targets = statement.targets if isinstance(statement, ast.Assign) else [statement.target]
                if not any(isinstance(t, ast.Name) and t.id.startswith("__") for t in targets):
                    yield from _in_table(statement.value)


def _text(node: ast.expr) -> str:
    return node.value if isinstance(node, ast.Constant) and isinstance(node.value, str) else ""


def _in_table(node: ast.AST) -> Iterator[Message]:
    if isinstance(node, (ast.Lambda, ast.ListComp, ast.DictComp, ast.GeneratorExp)):
        return
    if isinstance(node, ast.Constant) and _text(node) and any(map(str.isalpha, _text(node))):
        yield Message(_text(node), "", node.lineno)
    below = node.values if isinstance(node, ast.Dict) else ast.iter_child_nodes(node)
    for child in below:
        yield from _in_table(child)


def template() -> Catalog:
    """All messages of the program."""
    catalog = Catalog(project="Keen Compass", charset="utf-8", fuzzy=False)
    for file in sorted(SOURCE.rglob("*.py")):
        place = file.relative_to(SOURCE).as_posix()
        for message in messages_in(file):
            named = (message.text, message.several) if message.several else message.text
            catalog.add(named, locations=[(place, message.line)])
    for sign in SIGNS[1]:
        catalog.add(sign, context=SIGNS[0])
    return catalog


def brought_up_to_date(code: str, messages: Catalog) -> Catalog:
    """A language's catalogue with today's messages: what was translated stays, what isn't said any more goes."""
    file = LOCALE / code / "LC_MESSAGES" / "keen_compass.po"
    old = read_po(io.BytesIO(file.read_bytes()), locale=code) if file.exists() else Catalog(locale=code, fuzzy=False)
    old.update(messages, no_fuzzy_matching=True)
    old.obsolete.clear()
    return old


def missing_in(catalog: Catalog) -> list[str]:
    """Messages that it doesn't translate."""
    return [str(m.id) for m in catalog if m.id and not (all(m.string) if isinstance(m.string, tuple) else m.string)]


def main(codes: list[str]) -> None:
    """Write them all, and say what they lack."""
    messages = template()
    for code in sorted({*codes, *(path.name for path in LOCALE.iterdir())} if LOCALE.is_dir() else codes):
        catalog = brought_up_to_date(code, messages)
        folder = LOCALE / code / "LC_MESSAGES"
        folder.mkdir(parents=True, exist_ok=True)
        with (folder / "keen_compass.po").open("wb") as po:
            write_po(po, catalog, width=120, omit_header=False, sort_by_file=True, include_lineno=False)
        with (folder / "keen_compass.mo").open("wb") as mo:
            write_mo(mo, catalog)
        lacks = missing_in(catalog)
        print(f"{code}: {len(catalog)} messages, {len(lacks)} not translated", *lacks[:20], sep="\n  ")


if __name__ == "__main__":
    main(sys.argv[1:])
