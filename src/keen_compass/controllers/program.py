"""A program as it goes to a controller, command by command: nothing in it that the controller could take otherwise.

Lines end at CR and LF and nowhere else. Remarks are taken out, or sent whole where the profile says that it reads them.
What remains must be plain ASCII; anything else is refused with its line before the first command leaves.
"""

from __future__ import annotations

import re
from typing import NamedTuple

from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.machines.dialect import Dialect

BLANKS = re.compile(r"[ \t]+")  # and no other: what else looks like one is no part of a command
LINE_ENDS = re.compile(r"\r\n|\r|\n")
# In brackets up to the first that closes, or from a semicolon to the end of the line.
REMARK = re.compile(r"\([^)]*\)|;.*")
PAUSE = re.compile(r"(?<![A-Z])M\s*0*[01](?![\d.])", re.IGNORECASE)
NUMBERED = re.compile(r"N\s*\d+", re.IGNORECASE)  # a line's own number, with nothing for it to do
ETX = "\x03"  # ends a label of a plotter's language


class Command(NamedTuple):
    """text: as it is sent; empty where the program only waits. pauses: it then waits for someone. line: from 1."""

    text: str
    pauses: bool
    line: int


def commands_of(program: bytes, dialect: Dialect) -> list[Command]:
    """A program in single commands. Raises InputError naming the line of what no controller can mean."""
    text = program.decode("latin-1")  # byte by byte: what isn't ASCII is found below, where it is
    return _instructions(text) if dialect.end == ";" else _lines(text, dialect)


def _lines(text: str, dialect: Dialect) -> list[Command]:
    found = []
    for number, line in enumerate(LINE_ENDS.split(text), 1):
        code = REMARK.sub(" ", line)
        if "(" in code or ")" in code:
            raise InputError(
                tr("a remark is opened or closed alone: put both brackets on one line"),
                tr("line {number}", number=number),
            )
        pauses = PAUSE.search(code) is not None
        rest = PAUSE.sub(" ", code) if pauses else code
        sent = (line if dialect.remarks and not pauses else BLANKS.sub(" ", rest)).strip(" \t")
        _check(sent, number)
        if pauses and NUMBERED.fullmatch(sent):
            sent = ""
        if sent or pauses:
            found.append(Command(sent, pauses, number))
    return found


def _instructions(text: str) -> list[Command]:
    """Of a plotter's language: each ends with a semicolon; line ends between them are blanks."""
    found, number = [], 1
    for part in text.split(";"):
        begins = number + len(LINE_ENDS.findall(part[: len(part) - len(part.lstrip(" \t\r\n"))]))
        number += len(LINE_ENDS.findall(part))
        sent = LINE_ENDS.sub(" ", part).strip(" \t")
        _check(sent.replace(ETX, ""), begins)
        if sent:
            found.append(Command(sent, False, begins))
    return found


def _check(sent: str, number: int) -> None:
    for at, letter in enumerate(sent, 1):
        if not (" " <= letter <= "~" or letter == "\t"):
            raise InputError(
                tr(
                    "byte 0x{byte:02X} at place {at} is no part of a command: take it out of the program",
                    byte=ord(letter),
                    at=at,
                ),
                tr("line {number}", number=number),
            )
