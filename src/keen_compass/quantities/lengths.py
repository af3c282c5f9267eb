"""Lengths as technicians type them: ``400.31``, ``400,31 mm``, ``22 5/8``, ``22-5/8"``, ``12.5 thou``.

Inside the program a length is a float in mm. A `Length` also keeps what was typed, the unit
that it meant and how finely it was stated, because a fraction of an inch is a coarser statement
than the scale it was read from (arithmetic.md §2).

A text that could mean two numbers is refused, never guessed: ``1,234`` is 1.234 to one shop and
1234 to the next.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import TYPE_CHECKING

from keen_compass.errors import LengthError
from keen_compass.language import decimal_sign, tr

if TYPE_CHECKING:
    from fractions import Fraction

MM_PER_INCH = 25.4
LONGEST_TEXT = 48  # characters; nobody types a longer length
LARGEST_MM = 1.0e6  # a kilometre: beyond every machine

UNITS_MM: dict[str, float] = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "um": 0.001, "in": 25.4, "thou": 0.0254}
_SPELLINGS = {
    "mm": "mm",
    "millimetre": "mm",
    "millimetres": "mm",
    "millimeter": "mm",
    "millimeters": "mm",
    "cm": "cm",
    "m": "m",
    "um": "um",
    "µm": "um",
    "μm": "um",
    "in": "in",
    "inch": "in",
    "inches": "in",
    '"': "in",
    "''": "in",
    "″": "in",
    "”": "in",
    "thou": "thou",
    "thous": "thou",
}
_FRACTION_SIGNS = {
    "½": "1/2",
    "¼": "1/4",
    "¾": "3/4",
    "⅛": "1/8",
    "⅜": "3/8",
    "⅝": "5/8",
    "⅞": "7/8",
    "⅓": "1/3",
    "⅔": "2/3",
}

_UNIT = r"(?P<unit>[a-zµμ]+|\"|''|″|”)?"
# Compiled when they are asked for first: the first screen reads no length.
_DECIMAL = rf"(?P<sign>[+-]?)\s*(?P<number>[0-9.,]*[0-9][0-9.,]*)\s*{_UNIT}"
_MIXED = rf"(?P<sign>[+-]?)\s*(?:(?P<whole>[0-9]+)(?:\s+|\s*-\s*))?(?P<top>[0-9]+)\s*/\s*(?P<bottom>[0-9]+)\s*{_UNIT}"


@dataclass(frozen=True, slots=True)
class Length:
    """A length and how it was stated.

    mm: the value in mm.
    text: as typed.
    unit: the unit it meant, a key of `UNITS_MM`.
    resolution_mm: for a fraction, one step of its denominator; otherwise 0 (the instrument decides).
    """

    mm: float
    text: str
    unit: str
    resolution_mm: float = 0.0


def parse_length(text: str, default_unit: str = "mm", *, allow_negative: bool = False) -> Length:
    """Read a typed length; bare digits take `default_unit`.

    Raises LengthError with a message that fits beside the field.
    """
    if default_unit not in UNITS_MM:
        raise LengthError(
            tr(
                "unit {default_unit!r} is not one of {units_mm}",
                default_unit=default_unit,
                units_mm=", ".join(UNITS_MM),
            )
        )
    if len(text) > LONGEST_TEXT:
        raise LengthError(tr("{n:,} characters is too long for a length; type one number", n=len(text)))
    plain = _plain(text)
    if not plain:
        raise LengthError(tr("nothing typed yet"))
    if match := re.fullmatch(_MIXED, plain):
        unit = _unit_of(match["unit"], default_unit)
        value, step = _mixed_value(match)
        # A denominator states how finely someone read; decimals don't (trailing zeros get dropped).
        length = Length(float(value) * UNITS_MM[unit], text, unit, step * UNITS_MM[unit])
    elif match := re.fullmatch(_DECIMAL, plain):
        unit = _unit_of(match["unit"], default_unit)
        number = float(_decimal_text(match["number"], text))
        length = Length((-number if match["sign"] == "-" else number) * UNITS_MM[unit], text, unit)
    else:
        raise LengthError(
            tr("can't read {short} as a length; type it like 400.31, 22 5/8 in or 12.5 thou", short=_short(text))
        )
    if length.mm < 0 and not allow_negative:
        raise LengthError(tr("a size is never negative"))
    if abs(length.mm) > LARGEST_MM:
        raise LengthError(tr("that is longer than a kilometre; check the digits and the unit"))
    return length


def _plain(text: str) -> str:
    for sign, spelled in _FRACTION_SIGNS.items():
        text = text.replace(sign, f" {spelled}")
    text = text.replace("−", "-").replace("⁄", "/").replace("\u00a0", " ").replace("\u202f", " ")
    return text.strip().lower()


def _unit_of(spelling: str | None, default_unit: str) -> str:
    if spelling is None:
        return default_unit
    try:
        return _SPELLINGS[spelling]
    except KeyError:
        hint = "; a mil is a thou to some and a millimetre to others" if spelling.startswith("mil") else ""
        raise LengthError(
            tr("unit {short} is not known{hint}; use mm, in or thou", short=_short(spelling), hint=hint)
        ) from None


def _mixed_value(match: re.Match[str]) -> tuple[Fraction, float]:
    from fractions import Fraction  # late: only fractions need it

    bottom = int(match["bottom"])
    if bottom == 0:
        raise LengthError(tr("a fraction can't have 0 below the line"))
    top = int(match["top"])
    if match["whole"] and top >= bottom:
        raise LengthError(tr("{top}/{bottom} beside a whole number must be less than one", top=top, bottom=bottom))
    value = int(match["whole"] or 0) + Fraction(top, bottom)
    return (-value if match["sign"] == "-" else value), 1.0 / bottom


def _decimal_text(number: str, text: str) -> str:
    """The number with a decimal point, or LengthError where comma and point could mean two things."""
    if number.count(".") + number.count(",") > 1:
        raise LengthError(
            tr("{short} has more than one comma or point; type one, before the decimals", short=_short(text))
        )
    if "," in number:
        whole, _, decimals = number.partition(",")
        thousands = decimal_sign() != ","  # where it might stand for them
        if thousands and len(decimals) == 3 and 1 <= len(whole) <= 3 and whole.strip("0"):
            raise LengthError(
                tr(
                    "is {short} {whole}.{decimals} or {whole}{decimals}? Type a point, or no comma",
                    short=_short(text),
                    whole=whole,
                    decimals=decimals,
                )
            )
        number = f"{whole}.{decimals}"
    return number


def _short(text: str) -> str:
    return f"“{text[:16]}…”" if len(text) > 17 else f"“{text}”"


def parse_number(text: str, otherwise: str = "") -> float:
    """A number as it is typed: a decimal, a fraction, either minus. Raises LengthError, also for what could be two;
    otherwise: its words for what is none.
    """
    plain = _plain(text)
    if match := re.fullmatch(_MIXED, plain):
        if match["unit"] is None:
            return float(_mixed_value(match)[0])
    elif (match := re.fullmatch(_DECIMAL, plain)) and match["unit"] is None:
        value = float(_decimal_text(match["number"], text))
        return -value if match["sign"] == "-" else value
    raise LengthError(otherwise or tr("can't read {short} as a number", short=_short(text)))


def plain_number(text: str) -> float:
    """A number with a point or comma, and either minus. Raises ValueError."""
    return float(text.strip().replace(",", ".").replace("−", "-"))


def parse_count(text: str) -> float:
    """A count that may be grouped by thousands, as the language that is spoken writes them. Raises ValueError."""
    group = re.escape("," if decimal_sign() == "." else ".")
    return plain_number(re.sub(rf"(?<=\d)(?:{group}|[ \u202f])(?=\d{{3}}(?:\D|$))", "", text.strip()))


def format_mm(mm: float, decimals: int = 2, *, signed: bool = False) -> str:
    """``-0.31`` as ``−0.31``: a real minus sign, and never ``−0.00``."""
    text = f"{mm:+.{decimals}f}" if signed else f"{mm:.{decimals}f}"
    if float(text) == 0:
        text = f"{0:.{decimals}f}"
    return text.replace("-", "−")


def length_in_words(mm: float, units: str, decimals: int = 2, *, signed: bool = False) -> str:
    """A length with its unit, mm or in. decimals: in mm; inches take two more."""
    return f"{length_number(mm, units, decimals, signed=signed)} {'in' if units == 'in' else 'mm'}"


def length_number(mm: float, units: str, decimals: int = 2, *, signed: bool = False) -> str:
    """The same without its unit."""
    if units == "in":
        return format_mm(mm / MM_PER_INCH, decimals + 2, signed=signed)
    return format_mm(mm, decimals, signed=signed)


def format_fraction(inches: float, denominator: int = 64) -> str:
    """Inches to the nearest 1/`denominator`, in lowest terms: ``22 5/8``."""
    from fractions import Fraction  # late, as above

    steps = Fraction(round(abs(inches) * denominator), denominator)
    whole, rest = divmod(steps.numerator, steps.denominator)
    parts = [str(whole)] if whole or not rest else []
    if rest:
        parts.append(f"{rest}/{steps.denominator}")
    return ("−" if inches < 0 and steps else "") + " ".join(parts)


def trim_number(value: float, decimals: int) -> str:
    """`value` with at most `decimals` decimals and no trailing zeros, with a plain ASCII minus.

    For files and for sizes in running text: ``400``, ``11.8125``.
    """
    text = f"{value:.{decimals}f}"
    if "." in text:
        text = text.rstrip("0").rstrip(".")
    return "0" if text == "-0" else text
