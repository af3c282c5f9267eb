"""A reader of machine files that shares nothing with the program: strict, and suspicious of everything.

It knows the words that a plain controller knows, walks the file once and says what a bystander would see: where every
axis was, what was on, what was marked. Anything else than it expects is an AssertionError with its line.
"""

from __future__ import annotations

import cmath
import re
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any
from xml.etree import ElementTree

from keen_compass.pieces.job import Corrections, composed
from keen_compass.pieces.toolpath import ToolPath

LONGEST_LINE = 100  # characters of a G-code line
LONGEST_PLOTTER_LINE = 199  # small buffers lose what is longer
_PLOTTER = re.compile(
    r"(IN|PA|SP[0-9]|AA-?[0-9]+,-?[0-9]+,-?[0-9.]+,1|P[UD](-?[0-9]+,-?[0-9]+(,-?[0-9]+,-?[0-9]+)*)?);"
)
_WORD = re.compile(r"([GMXYZFSPIJ])(-?[0-9]{1,7}(?:\.[0-9]{1,5})?)")
Place = tuple[float, float]
Line = tuple[Place, Place]


@dataclass
class Seen:
    """What happened: places visited (x, y, z), straight lines that left a mark, spans of all axes; mm."""

    places: list[tuple[float, float, float]] = field(default_factory=list)
    marks: list[Line] = field(default_factory=list)
    spun: bool = False

    def span(self, axis: int) -> tuple[float, float]:
        """Lowest and highest place of an axis."""
        values = [place[axis] for place in self.places]
        return min(values), max(values)


def read_gcode(text: str, *, drawn: bool) -> Seen:  # noqa: PLR0915 (one walk, one place to read it)
    """Walk a table's file. drawn: the tool marks without turning."""
    seen, unit, absolute, feed = Seen(), 0.0, False, 0.0
    x: float | None = None
    y: float | None = None
    z: float | None = None
    turning = ended = False
    assert text.isascii()
    assert text.endswith("\n")
    for number, line in enumerate(text.splitlines(), 1):
        where = f"line {number}: {line!r}"
        assert len(line) <= LONGEST_LINE, where
        assert not ended, where
        if line.startswith("("):
            assert line.endswith(")"), where
            assert "(" not in line[1:], where
            assert ")" not in line[:-1], where
            continue
        words = _WORD.findall(line)
        assert line == " ".join(a + b for a, b in words), where
        given = dict(words)
        motion = next((b for a, b in words if a == "G" and b in ("0", "1", "2", "3")), None)
        for letter, value in words:
            if letter == "G":
                assert value in ("0", "1", "2", "3", "4", "17", "20", "21", "90", "94"), where
                unit = {"20": 25.4, "21": 1.0}.get(value, unit)
                absolute = absolute or value == "90"
            elif letter == "M":
                assert value in ("0", "2", "3", "5"), where
                turning = {"3": True, "5": False}.get(value, turning)
                seen.spun = seen.spun or turning
                ended = value == "2"
        if motion is None:
            assert not {"X", "Y", "Z"} & given.keys(), where
            if ended:
                assert not turning, where
                assert z is not None, where
                assert z >= 0, where
            continue
        assert unit, where
        assert absolute, where
        if "F" in given:
            feed = float(given["F"]) * unit
            assert 1 <= feed <= 1e6, where
        assert motion == "0" or feed, where
        before = (x, y, z)
        x = float(given["X"]) * unit if "X" in given else x
        y = float(given["Y"]) * unit if "Y" in given else y
        z = float(given["Z"]) * unit if "Z" in given else z
        assert z is not None, where  # nothing goes sideways before the tool is known to be up
        if {"X", "Y"} & given.keys() and before[2] is not None:
            assert motion != "0" or before[2] > 0 or "Z" in given, where  # no rapid through the stock
            down = min(before[2], z) <= 0 and "Z" not in given
            if motion != "0" and down and None not in (*before, x, y):
                assert turning or drawn, where
                a, b = (before[0], before[1]), (x, y)
                corners = [a, b]
                if motion in ("2", "3"):
                    centre = a[0] + float(given["I"]) * unit, a[1] + float(given["J"]) * unit  # type: ignore[operator]
                    corners = [a, *round_to(a, b, centre, 1 if motion == "3" else -1)]  # type: ignore[arg-type]
                seen.marks += list(pairwise(corners))  # type: ignore[arg-type]
                seen.places += [(*place, z) for place in corners[1:-1]]  # type: ignore[misc]
        if motion == "1" and before[2] is not None and z < 0:
            assert turning or drawn, where
        if x is not None and y is not None:
            seen.places.append((x, y, z))
    assert ended
    return seen


def read_hpgl(text: str, units_per_mm: float) -> Seen:
    """Walk a plotter's file."""
    seen, here, down, pen = Seen(), (0.0, 0.0), False, 0
    assert text.isascii()
    lines = text.splitlines()
    assert lines[0] == "IN;"
    assert lines[-1] == "SP0;"
    for number, line in enumerate(lines, 1):
        where = f"line {number}: {line[:60]!r}"
        assert len(line) <= LONGEST_PLOTTER_LINE, where
        assert re.fullmatch(
            r"(IN|PA|SP[0-9]|AA-?[0-9]+,-?[0-9]+,-?[0-9.]+,1|P[UD](-?[0-9]+,-?[0-9]+(,-?[0-9]+,-?[0-9]+)*)?);", line
        ), where
        name = line[:2]
        if name == "SP":
            pen = int(line[2])
        if name == "AA":
            assert down, where
            x, y, turn, _ = (float(n) for n in line[2:-1].split(","))
            centre = complex(x, y) / units_per_mm
            for _ in range(360):
                at = centre + (complex(*here) - centre) * cmath.exp(1j * cmath.pi / 180 * turn / 360)
                seen.marks.append((here, (at.real, at.imag)))
                here = (at.real, at.imag)
                seen.places.append((*here, 0.0))
        if name not in ("PU", "PD"):
            continue
        down = name == "PD"
        assert pen or not down, where
        numbers = [int(n) / units_per_mm for n in re.findall(r"-?[0-9]+", line[2:])]
        for place in zip(numbers[::2], numbers[1::2], strict=True):
            if down:
                seen.marks.append((here, place))
            here = place
            seen.places.append((*here, 0.0 if down else 1.0))
    assert not down
    return seen


def read_svg(text: str) -> Seen:
    """Walk a drawing; its own page is the frame."""
    seen, root = Seen(), ElementTree.fromstring(text)
    assert root.attrib["width"].endswith("mm")
    _, _, width, height = map(float, root.attrib["viewBox"].split())
    assert (width, height) == (float(root.attrib["width"][:-2]), float(root.attrib["height"][:-2]))
    for element in root.iter():
        assert element.tag.rpartition("}")[2] in ("svg", "g", "title", "path"), element.tag
        if not element.tag.endswith("path"):
            continue
        parts = re.findall(r"([MLA])([-0-9. ]+)", element.attrib["d"])
        assert element.attrib["d"] == " ".join(a + b.strip() for a, b in parts)
        assert [a for a, _ in parts].count("M") == 1
        corners = [(float(b.split()[-2]), float(b.split()[-1])) for _, b in parts]
        assert all(0 <= a <= width and 0 <= b <= height for a, b in corners)
        seen.marks += list(pairwise(corners))
        seen.places += [(a, b, 0.0) for a, b in corners]
    return seen


def round_to(a: Place, b: Place, centre: Place, way: int) -> list[Place]:
    """From `a` to `b` round a centre, +1 anticlockwise, in whole degrees or less."""
    c, start = complex(*centre), complex(*a) - complex(*centre)
    end = complex(*b) - c
    assert abs(abs(start) - abs(end)) < 0.01, (a, b, centre)
    turn = way * cmath.phase(end / start) % cmath.tau or cmath.tau
    count = int(turn * 180 / cmath.pi) + 1
    seen = [c + start * cmath.exp(1j * way * turn * k / count) for k in range(1, count)]
    return [*((p.real, p.imag) for p in seen), b]


def path_of(piece: Any, number: int) -> ToolPath:
    """A piece's path, composed with the compensation that it is ordered with."""
    return composed(piece.job(number), Corrections(getattr(piece, "compensation", 0.0)))


@dataclass
class Burn:
    """What torch or beam did while it was on once: where, how it came there, how long it stood before it moved."""

    line: list[Place]
    stood: float
    height: float
    feed: float
    power: float


def read_thermal(text: str, *, beam: bool, beside: bool = False) -> list[Burn]:  # noqa: PLR0915 (one walk)
    """Walk a thermal table's file: nothing but what such a table knows, off on every rapid, everything ended.

    beside: the controller moves what is cut off its line, from the first move to the last, and nothing else.
    """
    moved = False
    on = ended = absolute = metric = False
    x = y = feed = power = stood = 0.0
    z, burns = float("inf"), list[Burn]()
    for number, line in enumerate(text.splitlines(), 1):
        where = f"line {number}: {line!r}"
        assert not ended, where
        if line.startswith("("):
            assert re.fullmatch(r"\([ -'*-~]*\)", line), where
            continue
        words = _WORD.findall(line)
        assert line == " ".join(a + b for a, b in words), where
        given = dict(words)
        codes = [a + b for a, b in words if a in "GM"]
        if beside and codes in (["G41"], ["G42"], ["G40"]):
            assert on, where
            assert stood, where  # it has pierced
            assert moved is (codes == ["G40"]), where
            moved = codes != ["G40"]
            continue
        assert set(codes) <= {"G0", "G1", "G2", "G3", "G4", "G21", "G90", "G94", "G17", "M3", "M5", "M2"}, where
        metric, absolute = metric or "G21" in codes, absolute or "G90" in codes
        power = float(given.get("S", power))
        assert "S" not in given or beam, where
        if "M3" in codes:
            assert not on, where
            on, stood = True, 0.0
            burns.append(Burn([(x, y)], 0.0, z, 0.0, power))
        if "M5" in codes:
            assert not moved, where
            on = False
        if "G4" in codes:
            assert on, where
            stood += float(given["P"])
        motion = next((c for c in codes if c in ("G0", "G1", "G2", "G3")), None)
        if motion is None:
            assert not {"X", "Y", "Z"} & given.keys(), where
        else:
            assert metric, where
            assert absolute, where
            assert not (motion == "G0" and on), where
            feed = float(given.get("F", feed))
            assert motion == "G0" or feed > 0, where
            # A lens goes up and down by itself, with the beam off.
            assert not (beam and "Z" in given and (on or motion != "G0" or {"X", "Y"} & given.keys())), where
            z = float(given.get("Z", z))
            a, (x, y) = (x, y), (float(given.get("X", x)), float(given.get("Y", y)))
            assert on or motion == "G0", where
            if on and a != (x, y):
                burns[-1].stood, burns[-1].feed = (stood, feed) if len(burns[-1].line) == 1 else (burns[-1].stood, feed)
                assert moved is (beside and bool(stood)), where
                corners = [(x, y)]
                if motion in ("G2", "G3"):
                    centre = a[0] + float(given["I"]), a[1] + float(given["J"])
                    corners = round_to(a, (x, y), centre, 1 if motion == "G3" else -1)
                burns[-1].line += corners
        ended = "M2" in codes
        assert not (ended and on), where
    assert ended
    return burns
