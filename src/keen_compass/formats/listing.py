"""A controller's listing of its settings, or any text that holds them: read, compared, one number changed.

A listing is lines of a key, a value and perhaps a remark, in one of many dialects: ``key = value``, ``key: value``,
``key,value`` or ``key value``, in sections like ``[axis]``; remarks after ``;``, ``#`` or ``//``, or in round brackets.
Nothing of it is ever written again: an entry is a place in the text, and a change replaces the bytes of one value.
"""

from __future__ import annotations

import codecs
import math
import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from keen_compass.errors import InputError, shown_input
from keen_compass.formats.files import read_whole
from keen_compass.language import tr
from keen_compass.machines.places import Spot
from keen_compass.quantities.lengths import parse_number

PLAIN = re.compile(r"[-+]?[0-9]{1,15}(?:\.[0-9]{1,15})?")
ONE_COMMA = re.compile(r"\d{1,3},\d{3}")  # thousands, or decimals
LARGEST = 20_000_000  # bytes
_LINE = re.compile(r"([^\r\n]*)(\r\n|\r|\n|$)")
_SECTION = re.compile(r"\s*\[([^\[\]]*)\]\s*$")
_BRACKETS = re.compile(r"\([^()]*\)")
_REST = re.compile(r";|(?<!:)//|(?<=\s)#|^\s*#(?!\w+\s*[=:,])")  # `#100 = 3` is a key of its own
_NUMBER = re.compile(
    r"[-+−]?(?:\d[\d.,'’\u00a0\u202f]*\d|\d|\.\d+)(?:[eE][-+]?\d+)?(?:(?:[ -]\d+)?/\d+)?[\"”″]?"
)  # thousands, fractions and an inch mark included
_WORD_BEFORE = re.compile(r"[\w$.#]")


@dataclass(frozen=True, slots=True)
class Entry:
    """One setting. start, end: of its value in the text; line, from 1; section: its name, empty before the first."""

    key: str
    value: str
    remark: str
    line: int
    section: str
    start: int
    end: int


@dataclass(frozen=True, slots=True)
class Number:
    """A number as it is in a text. start, end: there; line, column: both from 1, in characters."""

    text: str
    start: int
    end: int
    line: int
    column: int


@dataclass(frozen=True)
class Listing:
    """A text whose bytes are known: mark, then `text` in `encoding`. by_key: its entries, by their keys."""

    text: str
    encoding: str
    mark: bytes
    entries: tuple[Entry, ...]
    by_key: Mapping[str, Sequence[Entry]]

    def as_bytes(self, text: str | None = None) -> bytes:
        """Of this text or another in the same encoding. Raises InputError for letters that it doesn't have."""
        try:
            return self.mark + (self.text if text is None else text).encode(self.encoding, "surrogatepass")
        except UnicodeEncodeError as error:
            letter = error.object[error.start : error.end]
            raise InputError(
                tr(
                    "{letter!r} can't be written in this file’s letters ({encoding})",
                    letter=letter,
                    encoding=self.encoding,
                )
            ) from None

    def name_of(self, entry: Entry) -> str:
        """By which it is found again: its key, with its section where the key appears twice."""
        twice = len(self.by_key.get(entry.key, ())) > 1
        return f"{entry.section}/{entry.key}" if twice and entry.section else entry.key

    def stands_alone(self, entry: Entry) -> bool:
        """Whether its name finds it, and nothing else."""
        try:
            return self.entry(self.name_of(entry)) is entry
        except InputError:
            return False

    def entry(self, name: str) -> Entry:
        """By its key; one that appears twice by section/key. Raises InputError."""
        found = self.by_key.get(name, [])
        if not found and "/" in name:  # a section's own name may hold a stroke
            cuts = [i for i, letter in enumerate(name) if letter == "/"]
            found = [e for i in cuts for e in self.by_key.get(name[i + 1 :], []) if e.section == name[:i] != ""]
        if not found:
            raise InputError(tr("is no key of this listing"), name)
        if len(found) > 1:
            lines = ", ".join(str(e.line) for e in found)
            raise InputError(tr("stands in lines {lines}: say which as SECTION/KEY, or point at it", lines=lines), name)
        return found[0]

    def changed(self, changes: Mapping[str, str]) -> bytes:
        """With other values, by key; nothing else differs by a byte. Raises InputError."""
        places: list[tuple[int, int, str]] = []
        for name, new in changes.items():
            entry, wanted = self.entry(name), new.strip()
            if any(start == entry.start for start, _, _ in places):
                raise InputError(
                    tr("is set twice: another name of the entry in line {line} is given too", line=entry.line), name
                )
            _check_one_line(wanted, name)
            places.append((entry.start, entry.end, wanted))
            again = read_text(self.text[: entry.start] + wanted + self.text[entry.end :])
            there = next((e for e in again if e.line == entry.line), None)
            if there is None or (there.key, there.value) != (entry.key, wanted):
                raise InputError(
                    tr("{given} would not be read back as that in this line", given=shown_input(new)), name
                )
            if _NUMBER.fullmatch(entry.value) and not _NUMBER.fullmatch(wanted):
                raise InputError(tr("{given} is no number, and one stands there now", given=shown_input(new)), name)
        return self.as_bytes(replaced(self.text, places))

    def number_at(self, line: int, column: int) -> Number:
        """The number that is at a place, both from 1, in characters. Raises InputError where there is none."""
        place = f"{line}:{column}"
        for number, (start, text) in enumerate(_lines(self.text), 1):
            if number != line:
                continue
            if not 1 <= column <= len(text) + 1:
                raise InputError(tr("line {line} has {n} characters", line=line, n=len(text)), place)
            for first, last in _numbers_in(text):
                if first <= column - 1 < last or column - 1 == last:
                    return Number(text[first:last], start + first, start + last, line, first + 1)
            raise InputError(tr("no number stands there"), place)
        raise InputError(tr("the file has no such line"), place)

    def spot(self, number: Number, file: str) -> Spot:
        """How a number that is pointed at is found again."""
        lines = [text for _, text in _lines(self.text)]
        text = lines[number.line - 1]
        firsts = [first for first, _ in _numbers_in(text)]
        bare = _bare(text)
        nth = sum(_bare(line) == bare for line in lines[: number.line - 1])
        return Spot(file, bare, firsts.index(number.column - 1), nth)

    def at_spot(self, spot: Spot) -> Number:
        """The number in a place that was pointed at before. Raises InputError where its line is not there any more."""
        alike = [(i, start, text) for i, (start, text) in enumerate(_lines(self.text), 1) if _bare(text) == spot.line]
        if spot.nth >= len(alike):
            raise InputError(
                tr("the line {given} is not there any more: point at it again", given=shown_input(spot.line.strip()))
            )
        line, start, text = alike[spot.nth]
        first, last = list(_numbers_in(text))[spot.number]
        return Number(text[first:last], start + first, start + last, line, first + 1)

    def with_number(self, line: int, column: int, old: str, new: str) -> bytes:
        """Another number in the place of one that is pointed at. Raises InputError where `old` isn't there."""
        there = self.number_at(line, column)
        if there.text != old.strip():
            raise InputError(
                tr("{text} stands there, not {given}: look again", text=there.text, given=shown_input(old)),
                f"{line}:{column}",
            )
        _check_one_line(new, "new")
        return self.as_bytes(replaced(self.text, [(there.start, there.end, new.strip())]))


def read_listing(file: Path) -> Listing:
    """Raises InputError, naming the file, where it can't be read."""
    data = read_whole(file, LARGEST)
    try:
        return understood(data)
    except InputError as error:
        raise error.at(str(file)) from None


def understood(data: bytes) -> Listing:
    """From bytes in UTF-8, UTF-16 (with its mark, or plain letters) or else Latin-1."""
    mark, encoding = _encoding_of(data)
    try:
        text = data[len(mark) :].decode(encoding, "surrogatepass")
    except UnicodeDecodeError:
        raise InputError(tr("ends in the middle of a letter: it was cut off")) from None
    entries, by_key = tuple(read_text(text)), dict[str, list[Entry]]()
    for e in entries:
        by_key.setdefault(e.key, []).append(e)
    return Listing(text, encoding, mark, entries, by_key)


def _encoding_of(data: bytes) -> tuple[bytes, str]:
    for mark, encoding in (
        (codecs.BOM_UTF8, "utf-8"),
        (codecs.BOM_UTF16_LE, "utf-16-le"),
        (codecs.BOM_UTF16_BE, "utf-16-be"),
    ):
        if data.startswith(mark):
            return mark, encoding
    if len(data) % 2 == 0 and b"\0" in data:
        for first, encoding in ((1, "utf-16-le"), (0, "utf-16-be")):
            if data[first::2].count(0) > len(data) // 4 and not data[1 - first :: 2].count(0):
                return b"", encoding
    try:
        data.decode("utf-8")
    except UnicodeDecodeError:
        return b"", "latin-1"
    return b"", "utf-8"


def read_text(text: str) -> Iterator[Entry]:
    """Every entry, in order."""
    section = ""
    for number, (start, line) in enumerate(_lines(text), 1):
        if head := _SECTION.match(_without_remarks(line)[0]):
            section = head[1].strip()
            continue
        if (found := _entry(line)) is not None:
            key, (first, last), remark = found
            yield Entry(key, line[first:last], remark, number, section, start + first, start + last)


def _lines(text: str) -> Iterator[tuple[int, str]]:
    """(where it begins, without its end) of each line."""
    at = 0
    while at < len(text):
        match = _LINE.match(text, at)
        assert match is not None
        yield at, match[1]
        at = match.end()


def _without_remarks(line: str) -> tuple[str, list[str]]:
    """The line with blanks in the place of its remarks, so that places stay; and the remarks."""
    remarks = [m[0][1:-1].strip() for m in _BRACKETS.finditer(line)]
    code = _BRACKETS.sub(lambda m: " " * len(m[0]), line)
    if rest := _REST.search(code):
        remarks.append(line[rest.start() :].strip().lstrip(";#/ ").strip())
        code = code[: rest.start()] + " " * (len(code) - rest.start())
    return code, remarks


def _entry(line: str) -> tuple[str, tuple[int, int], str] | None:
    """(key, (start, end) of the value, remark); None for what is no entry."""
    code, remarks = _without_remarks(line)
    for sign in "=:,":
        if sign in code:
            at = code.index(sign)
            key, first = code[:at].strip(), at + 1
            break
    else:
        split = _by_blanks(code)
        if split is None:
            return None
        key, first = split
    if not key:
        return None
    rest = code[first:]
    first += len(rest) - len(rest.lstrip())
    last = first + len(rest.strip())
    if sign == "," and not re.fullmatch(r"\d+,\d+", code[first:last]) and "," in code[first:last]:
        comma = code.index(",", first)
        remarks.insert(0, code[comma + 1 : last].strip())
        last = first + len(code[first:comma].rstrip())
    number = _NUMBER.match(code, first, last)
    if number and code[number.end() : number.end() + 1].isspace():  # `106.667 steps/mm`
        remarks.insert(0, code[number.end() : last].strip())
        last = number.end()
    return key, (first, max(last, first)), " ".join(filter(None, remarks))


def _by_blanks(code: str) -> tuple[str, int] | None:
    """(key, where the value begins) of ``key value``: before its first number, else before the second of two words."""
    words = list(re.finditer(r"\S+", code))
    for word in words[1:]:
        number = _NUMBER.match(code, word.start())
        if number and number.end() >= word.end():
            return code[: word.start()].strip(), word.start()
    return (words[0][0], words[1].start()) if len(words) == 2 else None


def _numbers_in(line: str) -> Iterator[tuple[int, int]]:
    """Where numbers stand in a line; digits that end a name (``X2``) are none."""
    for match in _NUMBER.finditer(line):
        first = match.start()
        before = line[first - 1] if first else ""
        signed = match[0][0] in "-+−"
        if not signed and before and _WORD_BEFORE.match(before) and not _axis_letter(line, first):
            continue
        yield first, match.end()


def _bare(line: str) -> str:
    """A line with every number taken out."""
    found, at = [], 0
    for first, last in _numbers_in(line):
        found.append(line[at:first])
        at = last
    return "…".join([*found, line[at:]])


def _axis_letter(line: str, at: int) -> bool:
    """Whether just one letter comes before, as in ``X106.5``: a word of a machine's own language."""
    return line[at - 1].isalpha() and (at < 2 or not (line[at - 2].isalnum() or line[at - 2] in "_$.#"))


def replaced(text: str, places: Iterable[tuple[int, int, str]]) -> str:
    """Other words at some places, which don't overlap."""
    found, at = [], 0
    for first, last, new in sorted(places):
        found += [text[at:first], new]
        at = last
    return "".join([*found, text[at:]])


def _check_one_line(new: str, name: str) -> None:
    if not new.strip() or re.search(r"[\r\n\0]", new):
        raise InputError(tr("expected a value on one line, got {given}", given=shown_input(new)), name)


@dataclass(frozen=True, slots=True)
class Difference:
    """changed: (entry there, entry here); only_a, only_b: what is in one alone."""

    changed: tuple[tuple[Entry, Entry], ...]
    only_a: tuple[Entry, ...]
    only_b: tuple[Entry, ...]


def compared(a: Listing, b: Listing) -> Difference:
    """By section and key, those that stand twice in their order. Values that mean the same number are the same."""
    mine, others = _by_name(a), _by_name(b)
    changed = tuple(
        (e, others[name]) for name, e in mine.items() if name in others and not same_value(e.value, others[name].value)
    )
    return Difference(
        changed,
        tuple(e for name, e in mine.items() if name not in others),
        tuple(e for name, e in others.items() if name not in mine),
    )


def _by_name(listing: Listing) -> dict[tuple[str, str, int], Entry]:
    found: dict[tuple[str, str, int], Entry] = {}
    seen: dict[tuple[str, str], int] = {}
    for e in listing.entries:
        count = seen[e.section, e.key] = seen.get((e.section, e.key), 0) + 1
        found[e.section, e.key, count] = e
    return found


def written_like(old: str, new: str) -> str:
    """A plain number as the one that it replaces is written: with its comma, its thousands, its sign, its inch mark."""
    plain = old.strip()
    mark = plain[-1] if plain[-1:] in tuple('"”″') else ""
    body = plain.removesuffix(mark).lstrip("-+−")
    minus = "−" if plain.startswith("−") else "-"
    sign = minus if new.startswith("-") else "+" if plain.startswith("+") else ""
    whole, point, rest = new.lstrip("-+").partition(".")
    if ONE_COMMA.fullmatch(body):
        comma = number_in(body, float(new)) == float(body.replace(",", "."))
    else:
        comma = re.fullmatch(r"\d*,\d+|\d{1,3}(?:[.'’\u00a0\u202f]\d{3})+,\d+", body) is not None
    groups = re.match(r"\d{1,3}(?:(['’\u00a0\u202f,.])\d{3})+(?![\d])", body)
    tail = f"{',' if comma and point else point}{rest}{mark}"
    if groups and groups[1] != ("," if comma else "."):
        grouped = f"{sign}{int(whole):,}".replace(",", groups[1]) + tail
        if number_in(grouped) == float(new):  # `1.000` without its decimals could be two numbers
            return grouped
    return sign + whole + tail


def same_value(a: str, b: str) -> bool:
    """As text, or as the number that they mean."""
    if a == b:
        return True
    x, y = number_in(a), number_in(b)
    return x is not None and x == y


def means(text: str, plain: str) -> bool:
    """Whether what is in a listing is a number that is known."""
    return number_in(text, float(plain)) == float(plain)


def number_in(value: str, near: float | None = None) -> float | None:
    """What a value means as a number: with thousands, a decimal comma, a fraction, an inch mark (the number of inches);
    None where it is none, or could be two.

    near: what it is known to be about, which tells what the comma of ``1,234`` is.
    """
    plain = value.strip().replace("−", "-")
    if PLAIN.fullmatch(plain):
        return float(plain)
    if near and ONE_COMMA.fullmatch(plain.lstrip("-+")):
        both = float(plain.replace(",", ".")), float(plain.replace(",", ""))
        return min(both, key=lambda n: abs(math.log(abs(n / near))) if n else math.inf)
    if re.fullmatch(r"[-+]?\d{1,3}(?:['’\u00a0\u202f]\d{3})+(?:[.,]\d+)?", plain):
        plain = re.sub(r"['’\u00a0\u202f]", "", plain)
    elif re.fullmatch(r"[-+]?\d{1,3}(?:,\d{3})+\.\d+", plain):
        plain = plain.replace(",", "")
    elif re.fullmatch(r"[-+]?\d{1,3}(?:\.\d{3})+,\d+", plain):
        plain = plain.replace(".", "").replace(",", ".")
    plain = plain.rstrip('"”″')
    try:
        return parse_number(plain)
    except InputError:
        pass
    try:
        found = float(plain)  # `1e-4`
    except ValueError:
        return None
    return found if math.isfinite(found) else None
