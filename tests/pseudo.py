"""A language that nobody speaks: every message is accented, a sentence longer and in brackets as well.

What is shown without accents wasn't translated; on a picture a bracket that is missing was cut.
"""

from __future__ import annotations

import gettext
import json
import re
import sqlite3
from collections.abc import Iterable
from contextlib import closing, suppress

import pytest

from keen_compass import language
from keen_compass.shop.store import Shop

CODE = "xx"
ACCENTS = str.maketrans("aeiouyAEIOUY", "áéíóúýÁÉÍÓÚÝ")
AS_IT_IS = re.compile(
    r"/[\w/.-]+|[\w-]+\.[a-z]{2,4}\b"  # files
    r"|\b\w*_\w+|\b[A-Z]{2,}\b|\d for \d|practice (?:controller|text)"  # what controllers hold and say
    r"|\bin/min\b|\bthou\b"
    r"|[\w ]+…|\bdouble\b"  # a name that has no room, and what is typed
)
PLACE = re.compile(r"(%-?[A-Za-z]|\{(?:[^{}]|\{[^{}]*\})*\})")
WORD = re.compile(r"[A-Za-z]+(?:[’'][a-z]+)?")
SENTENCE = 30  # letters, from which a message is longer and in brackets: for a label a translator finds a short word
LONGER = 0.1


def pseudo(message: str) -> str:
    """That message in it; its ``{places}`` stay."""
    parts = PLACE.split(message)
    said = "".join(p if k % 2 else p.translate(ACCENTS) for k, p in enumerate(parts))
    before, after = said[: len(said) - len(said.lstrip())], said[len(said.rstrip()) :]
    letters = sum(len(p) for p in parts[::2])
    if letters < SENTENCE:
        return said
    return f"{before}[{said.strip()}{'~' * round(letters * LONGER)}]{after}"


class Pseudo(gettext.NullTranslations):
    """Its catalogue, which holds whatever is asked for."""

    def gettext(self, message: str) -> str:
        return pseudo(message)

    def ngettext(self, msgid1: str, msgid2: str, n: int) -> str:
        return pseudo(msgid1 if n == 1 else msgid2)

    def pgettext(self, context: str, message: str) -> str:
        """The signs of numbers are German’s."""
        return {".": ",", ",": "."}[message]


def spoken(monkeypatch: pytest.MonkeyPatch) -> None:
    """It is one of the languages, for as long as the test runs."""
    monkeypatch.setitem(language.LANGUAGES, CODE, "Pseudo")
    monkeypatch.setattr(gettext, "translation", lambda *_: Pseudo())


def said_by_people(shop: Shop) -> list[str]:
    """Whatever is kept in a shop that is no code: with a capital, or a space in it. The longest first."""
    said: set[str] = set()

    def walk(kept: object) -> None:
        if isinstance(kept, str) and kept[:1] in "{[":
            with suppress(ValueError):  # or it is text that looks like it
                walk(json.loads(kept))
        elif isinstance(kept, str) and (" " in kept or not kept.islower()):
            said.add(kept)
        elif isinstance(kept, (dict, list)):
            for one in kept.values() if isinstance(kept, dict) else kept:
                walk(one)

    with closing(sqlite3.connect(shop.file)) as db:
        for (table,) in db.execute("SELECT name FROM sqlite_master WHERE type = 'table'").fetchall():
            for row in db.execute(f"SELECT * FROM {table}"):
                walk(list(row))
    return sorted(filter(None, said), key=len, reverse=True)


def untranslated(texts: Iterable[str], shop: Shop, names: Iterable[str]) -> list[str]:
    """Those with words that no message brought; names of files, a controller’s keys and what people said aside."""
    left = [text for text in texts if _plain_words(text, names)]
    said = said_by_people(shop) if left else []
    return [text for text in left if _plain_words(text, (*said, *names))]


def _plain_words(text: str, names: Iterable[str]) -> bool:
    for name in names:
        text = text.replace(name, " ")
    return any(len(w) > 2 and re.search("[aeiouyAEIOUY]", w) for w in WORD.findall(AS_IT_IS.sub(" ", text)))
