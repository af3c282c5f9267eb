"""The language that is spoken: messages in it, numbers and days as they are written there.

English is what stands in the code. Any other language is one catalogue, ``words/locale/CODE/LC_MESSAGES/``,
in gettext’s format; CONTRIBUTING says how it is made. Whoever shows something calls `tr` at the moment of showing, so
that the language can change under a running window. Nothing that is calculated depends on it.
"""

from __future__ import annotations

import os
from collections.abc import Mapping
from datetime import date
from pathlib import Path
from string import Formatter
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from gettext import NullTranslations

ENGLISH = "en"
LANGUAGES = {ENGLISH: "English", "de": "Deutsch"}  # each by its own name
CATALOGUES = Path(__file__).with_name("words") / "locale"
DOMAIN = "keen_compass"
ASKED_BY = ("LANGUAGE", "LC_ALL", "LC_MESSAGES", "LANG")  # as POSIX and gettext have it, the first that is set


def marked(message: str) -> str:
    """The message itself: it stands in a table, and whoever shows it translates it."""
    return message


MONTHS = (
    marked("January"),
    marked("February"),
    marked("March"),
    marked("April"),
    marked("May"),
    marked("June"),
    marked("July"),
    marked("August"),
    marked("September"),
    marked("October"),
    marked("November"),
    marked("December"),
)
SHORT_MONTHS = (
    marked("Jan"),
    marked("Feb"),
    marked("Mar"),
    marked("Apr"),
    marked("May"),
    marked("Jun"),
    marked("Jul"),
    marked("Aug"),
    marked("Sep"),
    marked("Oct"),
    marked("Nov"),
    marked("Dec"),
)
DAY = marked("%-d %b %Y")
WEEKDAYS = (marked("Mon"), marked("Tue"), marked("Wed"), marked("Thu"), marked("Fri"), marked("Sat"), marked("Sun"))


class _Spoken(Formatter):
    """Numbers with the language’s own decimal sign."""

    def format_field(self, value: Any, spec: str) -> Any:
        text = format(value, spec)
        return written(text) if isinstance(value, (int, float)) else text


_catalogue: NullTranslations | None = None  # none in English
_code = ENGLISH
_signs: Mapping[int, str] = {}  # what stands for the point and the comma of a number
_spoken = _Spoken()


def speak(code: str) -> None:
    """From now on in this language; English where there is no such catalogue."""
    global _catalogue, _code, _signs  # noqa: PLW0603 – one language a process, as gettext has it
    _catalogue, _code, _signs = None, ENGLISH, {}
    if code in LANGUAGES and code != ENGLISH:
        from gettext import translation

        _catalogue, _code = translation(DOMAIN, CATALOGUES, [code]), code
        point, comma = (_catalogue.pgettext("sign in a number", sign) for sign in (".", ","))
        _signs = str.maketrans({".": point, ",": comma})


def language() -> str:
    """The code of what is spoken."""
    return _code


def asked_for() -> str:
    """The language that the desktop or the shell asks for, as far as there is a catalogue of it."""
    asked = next((os.environ[name] for name in ASKED_BY if os.environ.get(name)), "")
    codes = (one.split(".")[0].split("_")[0].lower() for one in asked.split(":"))
    return next((code for code in codes if code in LANGUAGES), ENGLISH)


def tr(message: str, /, **values: Any) -> str:
    """A message in the language that is spoken; values fill its ``{places}``, as Python formats them."""
    if _catalogue is None:
        return message.format(**values) if values else message
    text = _catalogue.gettext(message) if message else message
    return _spoken.vformat(text, (), values) if values else text


def tr_n(one: str, many: str, n: int, /, **values: Any) -> str:
    """The same of so many things, ``{n}`` in it."""
    if _catalogue is None:
        return (one if n == 1 else many).format(n=n, **values)
    return _spoken.vformat(_catalogue.ngettext(one, many, n), (), {"n": n, **values})


def decimal_sign() -> str:
    """What stands before decimals."""
    return _signs.get(ord("."), ".")


def written(text: str) -> str:
    """A number that Python wrote, as one writes it in that language: ``1,234.5`` → ``1.234,5`` in German."""
    return text.translate(_signs) if _signs else text


def dated(moment: date, pattern: str = DAY) -> str:
    """A day, or a day and its time. pattern: as `strftime` has it, and a message itself."""
    pattern = tr(pattern)
    for sign, name in (
        ("%B", MONTHS[moment.month - 1]),
        ("%b", SHORT_MONTHS[moment.month - 1]),
        ("%a", WEEKDAYS[moment.weekday()]),
    ):
        pattern = pattern.replace(sign, tr(name))
    return moment.strftime(pattern)
