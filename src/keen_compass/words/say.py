"""Notes into sentences: the one place where a code becomes words.

A text is a template or a function of the values. In a template ``{name:spec}`` puts a value in:

len, len0, len3   a length in mm, in the unit that is shown, with 2, 0, 3 decimals (inches take two more); +len signed
small             by how much something is off, mm or thou; +small signed
feed              mm per min, or inches per min
slope, slope0     mm per m, or thou per foot where inches are shown; +slope signed
say, Say          another note or code, and with a capital
word              a word of its own, such as a kind of instrument
up                a letter in capitals
way               ``+x`` as +X, and where that is as seen from the standpoint
anything else     as Python formats it
"""

from __future__ import annotations

import string
from collections.abc import Callable, Mapping
from functools import cache
from importlib import import_module
from typing import Any, NamedTuple

from keen_compass.language import marked, tr, written
from keen_compass.machines.profile import Machine
from keen_compass.quantities.lengths import format_mm, length_in_words, length_number
from keen_compass.quantities.notes import Note, Said
from keen_compass.quantities.rates import FEEDS, rate_number, show_rate, usual_unit
from keen_compass.quantities.standpoint import Standpoint

CORNERS = {
    (True, False): marked("far left"),
    (True, True): marked("far right"),
    (False, False): marked("near left"),
    (False, True): marked("near right"),
}  # whether it is away from who looks, and to the right


class Show(NamedTuple):
    """How it is shown: lengths in mm or inches; directions as seen from a standpoint, where there is one."""

    units: str = "mm"
    standpoint: Standpoint | None = None

    def way(self, way: str) -> str:
        """``+x`` → ``+X, to the right``; the letter alone without a standpoint."""
        sign, axis = ("+" if way[0] == "+" else "−"), way[1]
        seen = self.standpoint.words(axis, 1.0 if sign == "+" else -1.0) if self.standpoint and axis in "xy" else ""
        return f"{sign}{axis.upper()}{', ' if seen else ''}{seen}"

    def corner(self, corner: str) -> str:
        """``low X, high Y``; from a standpoint, where that is: ``far left``."""
        x, y = (end.split()[0] for end in corner.split(", "))
        if self.standpoint is None:
            return tr(corner)
        right, away = self.standpoint.to_view(*(1.0 if end == "high" else -1.0 for end in (x, y)))
        return tr(CORNERS[away > 0, right > 0])

    def turning(self, turn: float, decimals: int, unit: str) -> str:
        """``↺ 0.56°``: a turn in the controller's axes, as it is seen; in a sentence `way_round` says the way."""
        return f"{self.arrow(turn, decimals)}{written(f'{abs(turn):.{decimals}f}')}{unit}"

    def arrow(self, turn: float, decimals: int) -> str:
        """Which way it is seen to turn, as an arrow to stand before it; empty where it is nothing, rounded."""
        return {1: "↺ ", -1: "↻ ", 0: ""}[self._seen_way(turn, decimals)]

    def way_round(self, turn: float, decimals: int) -> str:
        """Which way it is seen to turn, in words; empty where it is nothing, rounded."""
        return {1: tr("anticlockwise"), -1: tr("clockwise"), 0: ""}[self._seen_way(turn, decimals)]

    def _seen_way(self, turn: float, decimals: int) -> int:
        """+1 anticlockwise, left-handed axes the other way; 0 where it is nothing, rounded."""
        if not float(f"{abs(turn):.{decimals}f}"):
            return 0
        left_handed = self.standpoint is not None and self.standpoint.left_handed
        return 1 if (turn > 0) is not left_handed else -1

    def length(self, mm: float, decimals: int = 2, *, signed: bool = False) -> str:
        """A length with its unit."""
        return written(length_in_words(mm, self.units, decimals, signed=signed))

    def number(self, mm: float, decimals: int = 2, *, signed: bool = False) -> str:
        """A length without its unit, where that is beside several."""
        return written(length_number(mm, self.units, decimals, signed=signed))

    def small(self, mm: float, *, signed: bool = False) -> str:
        """What a machine is off by, with its unit: hundredths of a mm, or tenths of a thou."""
        if self.units == "in":
            return tr("{amount} thou", amount=written(format_mm(mm / THOU, 1, signed=signed)))
        return self.length(mm, 2, signed=signed)

    def feed(self, mm_per_min: float) -> str:
        """A feed with its unit."""
        return show_rate(mm_per_min, FEEDS, self.units)

    def feed_number(self, mm_per_min: float) -> str:
        """The same without its unit."""
        return rate_number(mm_per_min, FEEDS, self.units)

    @property
    def feed_unit(self) -> str:
        """In which feeds are shown."""
        return usual_unit(FEEDS, self.units)

    def slope(self, mm_per_m: float, decimals: int = 2, *, signed: bool = False) -> str:
        """A slope, or by how much a length is out, with its unit; decimals: of mm per m."""
        if self.units == "in":
            return tr(
                "{amount} thou per foot",
                amount=written(format_mm(THOU_PER_FOOT * mm_per_m, max(0, decimals - 1), signed=signed)),
            )
        return tr("{amount} mm per m", amount=written(format_mm(mm_per_m, decimals, signed=signed)))


PLAIN = Show()
THOU = 0.0254  # mm
THOU_PER_FOOT = 12  # in 1 mm per m
Values = Mapping[str, Any]  # of a note, by name
Text = str | Callable[[Values, Show], str]


def say(said: Said | Values, show: Show = PLAIN) -> str:
    """The words of a note, of a code, or of a note in its kept form."""
    if isinstance(said, str):  # the empty code says nothing
        said = Note(said)
    elif not isinstance(said, Note):
        said = Note.from_body(said)
    try:
        text = _text(said.code)
        return text(said.values, show) if callable(text) else _Template(show).vformat(tr(text), (), said.values)
    except (LookupError, ValueError, TypeError, AttributeError, ImportError):
        return f"“{said.code}”"  # a logbook from elsewhere may say what this program has no words for


def show_for(machine: Machine, quantity: str = "") -> Show:
    """As a machine's technician sees it: in inches where it is shown in them, or its controller counts in them;
    directions from where they stand. quantity: an answer about it, in the unit of its number.
    """
    return Show(machine.unit_of(quantity) if quantity else machine.shown_in, machine.standpoint)


def capital(text: str) -> str:
    """With a capital; nothing else changes."""
    return text[:1].upper() + text[1:]


def finished(text: str) -> str:
    """With a capital and a full stop, unless it asks."""
    return capital(text) + ("" if text.endswith((".", "?")) else ".")


def asked(text: str) -> Callable[[Values, Show], str]:
    """A text that may be said of something: ``Width: zero: nothing is that small.``"""

    def words(v: Values, show: Show) -> str:
        plain = _Template(show).vformat(tr(text), (), v)
        return finished(f"{say(v['of'], show)}: {plain}" if v.get("of") else plain)

    return words


@cache
def _text(code: str) -> Text:
    """Of a code: after a dot, of that procedure."""
    module, dot, key = code.rpartition(".")
    if dot and not module.isidentifier():
        raise LookupError(code)
    texts: Mapping[str, Text] = import_module(f"keen_compass.words.texts.{module if dot else 'common'}").TEXTS
    return texts[key]


class _Template(string.Formatter):
    def __init__(self, show: Show) -> None:
        self._show = show

    def format_field(self, value: Any, spec: str) -> Any:
        match spec:
            case "say":
                return say(value, self._show)
            case "Say":
                return capital(say(value, self._show))
            case "word":
                return tr(str(value))
            case "up":
                return str(value).upper()
            case "way":
                return self._show.way(value)
            case "feed":
                return self._show.feed(value)
        if spec.lstrip("+") == "small":
            return self._show.small(value, signed=spec.startswith("+"))
        if spec.lstrip("+").startswith("len"):
            return self._show.length(value, int(spec.lstrip("+")[3:] or 2), signed=spec.startswith("+"))
        if spec.lstrip("+").startswith("slope"):
            return self._show.slope(value, int(spec.lstrip("+")[5:] or 2), signed=spec.startswith("+"))
        text = super().format_field(value, spec)
        if isinstance(value, (int, float)):
            text = written(text)
        return text.replace("-", "−") if spec.endswith("f") else text
