"""SVG laid onto a print: every shape where the map says, transforms taken into the places, all else as it stands.

What is written counts in mm, x the machine's X and y minus its Y; the page is made to fit. Shapes that a map can't
leave what they are become paths. Text, pictures and copies (`use`) are refused with their line.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple
from xml.sax.saxutils import escape

from keen_compass.errors import FileFormatError, InputError
from keen_compass.formats.fit import Crosses, Drawn, Fitted, written
from keen_compass.quantities.geometry import Point
from keen_compass.solve.warp import SAME, Rows, Warp, turned

DECIMALS = 5
MARKS = "marks"
NAMES = ("id", "class", "label")  # attributes that may call a layer so
MARGIN = 5.0  # mm of page about what is drawn
MM_OF = {"mm": 1.0, "cm": 10.0, "in": 25.4, "pt": 25.4 / 72, "pc": 25.4 / 6, "px": 25.4 / 96, "": 25.4 / 96}
_TAG = re.compile(
    r"<!--.*?-->|<!\[CDATA\[.*?\]\]>|<\?.*?\?>|<(/?)([\w:.-]+)((?:[^>\"']|\"[^\"]*\"|'[^']*')*?)(/?)>", re.S
)
_ATTRIBUTE = re.compile(r"\s+([\w:.-]+)\s*=\s*(\"[^\"]*\"|'[^']*')")
_NUMBER = re.compile(r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?")
_COMMAND = re.compile(r"([MmLlHhVvCcSsQqTtAaZz])([^MmLlHhVvCcSsQqTtAaZz]*)")
_TRANSFORM = re.compile(r"(matrix|translate|scale|rotate|skewX|skewY)\s*\(([^)]*)\)")
_TAKES = {"M": 2, "L": 2, "H": 1, "V": 1, "C": 6, "S": 4, "Q": 4, "T": 2, "A": 7, "Z": 0}
SHAPES = {
    "path": ("d",),
    "line": ("x1", "y1", "x2", "y2"),
    "polyline": ("points",),
    "polygon": ("points",),
    "rect": ("x", "y", "width", "height", "rx", "ry"),
    "circle": ("cx", "cy", "r"),
    "ellipse": ("cx", "cy", "rx", "ry"),
}
GROUPS = ("g", "a", "switch")
# Hold nothing that is cut: what stands in them stays as it is.
ASIDE = (
    "defs",
    "style",
    "title",
    "desc",
    "metadata",
    "script",
    "pattern",
    "clipPath",
    "mask",
    "symbol",
    "linearGradient",
    "radialGradient",
    "filter",
    "marker",
)
REFUSED = ("text", "image", "use", "foreignObject", "svg")


class Part(NamedTuple):
    """A stretch of a path, absolute: L, C, Q or Z with its points, A with (rx, ry, turn in rad, large, sweep)."""

    letter: str
    points: tuple[Point, ...]
    arc: tuple[float, float, float, bool, bool] = (0.0, 0.0, 0.0, False, False)


@dataclass
class _Drawing:
    """What holds where the reader is: transforms of all groups about it, whether it is a layer of marks."""

    warp: Warp
    drawn: Drawn
    crosses: Crosses
    user: Warp = field(default_factory=Warp)
    stack: list[tuple[str, Warp, bool]] = field(default_factory=list)
    aside: int = 0

    @property
    def to_file(self) -> Warp:
        """From where the reader is to the file's own coordinates, mm, Y up."""
        return self.stack[-1][1] if self.stack else self.user

    @property
    def marks(self) -> bool:
        """Whether what stands here is a mark."""
        return bool(self.stack) and self.stack[-1][2]


def fit_svg(data: bytes, warp: Warp, crosses: Crosses) -> Fitted:
    """Every place where the map says. Raises FileFormatError with the line of what can't be mapped."""
    text = _checked(data)
    state, found, at = _Drawing(warp, Drawn(), crosses), [], 0
    root: tuple[int, re.Match[str]] | None = None
    for match in _TAG.finditer(text):
        found.append(text[at : match.start()])
        at = match.end()
        if match[2] is None:
            found.append(match[0])
            continue
        try:
            if root is None:
                root = len(found), match
                state.user = _page(match)
                found.append(match[0])
                continue
            found.append(_tag(match, state))
        except InputError as error:
            line = text.count("\n", 0, match.start()) + 1
            raise FileFormatError(f"line {line}: {match[2]}: {error.message}") from None
    if root is None:
        raise FileFormatError("no drawing")
    found[root[0]] = _resized(root[1], state.drawn)
    found.append(text[at:])
    return Fitted("".join(found).encode("utf-8"), state.drawn)


def _checked(data: bytes) -> str:
    """The text of a drawing that is sound and declares nothing. Raises FileFormatError."""
    from xml.etree.ElementTree import ParseError

    from defusedxml import DefusedXmlException
    from defusedxml.ElementTree import fromstring

    try:
        fromstring(data, forbid_dtd=False)
        return data.decode("utf-8-sig")
    except ParseError as error:
        raise FileFormatError(f"line {error.position[0]}: can’t read the drawing") from None
    except DefusedXmlException:
        raise FileFormatError("declares things of its own: save it as a plain SVG") from None
    except UnicodeDecodeError:
        raise FileFormatError("is not written in UTF-8") from None


def _attributes(match: re.Match[str]) -> dict[str, str]:
    return {m[1]: m[2][1:-1] for m in _ATTRIBUTE.finditer(match[3])}


def _length(text: str, otherwise: float) -> float:
    """mm of a page's side."""
    found = re.fullmatch(rf"\s*({_NUMBER.pattern})\s*([a-z%]*)\s*", text)
    if not found or found[2] not in MM_OF:
        return otherwise
    return float(found[1]) * MM_OF[found[2]]


def _page(match: re.Match[str]) -> Warp:
    """From user units to mm from the page's lower left corner, Y up."""
    given = _attributes(match)
    if match[2].rpartition(":")[2] != "svg":
        raise InputError("is no drawing")
    box = [float(n) for n in _NUMBER.findall(given.get("viewBox", ""))]
    if len(box) != 4 or box[2] <= 0 or box[3] <= 0:
        width, height = (_length(given.get(name, ""), 0.0) for name in ("width", "height"))
        if height <= 0:
            raise InputError("doesn’t say how large it is")
        one = MM_OF["px"]
        return Warp(((one, 0.0, 0.0), (0.0, -one, height), SAME[2]))
    x, y, w, h = box
    px = MM_OF["px"]
    width, height = _length(given.get("width", ""), w * px), _length(given.get("height", ""), h * px)
    if given.get("preserveAspectRatio", "").startswith("none"):
        sx, sy, left, low = width / w, height / h, 0.0, 0.0
    else:
        sx = sy = min(width / w, height / h)
        left, low = (width - sx * w) / 2, (height - sy * h) / 2
    return Warp(((sx, 0.0, left - sx * x), (0.0, -sy, height - low + sy * y), SAME[2]))


def _resized(match: re.Match[str], drawn: Drawn) -> str:
    """The root as it will be: a page in mm about what is drawn."""
    if drawn.strokes:
        x, y = drawn.low[0] - MARGIN, -drawn.high[1] - MARGIN
        w, h = drawn.high[0] - drawn.low[0] + 2 * MARGIN, drawn.high[1] - drawn.low[1] + 2 * MARGIN
    else:
        x, y, w, h = 0.0, 0.0, 1.0, 1.0
    numbers = [written(v, 3) for v in (x, y, w, h)]
    values = {"viewBox": " ".join(numbers), "width": f"{numbers[2]}mm", "height": f"{numbers[3]}mm"}
    return _with(match, values, drop=("preserveAspectRatio",))


def _with(match: re.Match[str], values: dict[str, str], drop: Sequence[str] = (), name: str = "") -> str:
    """A tag with other attributes; those that it lacks are added."""
    left = dict(values)

    def changed(m: re.Match[str]) -> str:
        if m[1] in left:
            return m[0][: m.start(2) - m.start()] + f'"{escape(left.pop(m[1]))}"'
        return "" if m[1] in drop else m[0]

    inside = _ATTRIBUTE.sub(changed, match[3])
    added = "".join(f' {key}="{escape(value)}"' for key, value in left.items())
    body = inside.rstrip() + added + inside[len(inside.rstrip()) :]
    return f"<{match[1]}{name or match[2]}{body}{match[4]}>"


def _tag(match: re.Match[str], state: _Drawing) -> str:
    """A tag after the root."""
    name = match[2].rpartition(":")[2]
    if match[1]:
        if state.aside and name in ASIDE:
            state.aside -= 1
        elif state.stack and state.stack[-1][0] == name and name in GROUPS:
            state.stack.pop()
        return match[0]
    if name in ASIDE:
        state.aside += not match[4]
        return match[0]
    if state.aside:
        return match[0]
    if name in REFUSED:
        raise InputError("can’t be mapped: save it as paths")
    if name not in GROUPS and name not in SHAPES:
        return match[0]
    given = _attributes(match)
    if "transform" in given.get("style", ""):
        raise InputError("a transform in its style can’t be mapped")
    here = state.to_file.after(_transform(given.get("transform", "")))
    named = any(key.rpartition(":")[2] in NAMES and value.lower() == MARKS for key, value in given.items())
    marks = state.marks or named
    if name in GROUPS:
        if not match[4]:
            state.stack.append((name, here, marks))
        return _with(match, {}, drop=("transform",))
    return _shape(match, name, given, state, here, marks=marks)


def _transform(text: str) -> Warp:
    """A list of them, the last one applied first."""
    found = Warp()
    if _TRANSFORM.sub("", text).replace(",", "").strip():
        raise InputError(f"{text[:30]!r} is no transform")
    for name, inside in _TRANSFORM.findall(text):
        n = [float(v) for v in _NUMBER.findall(inside)]
        found = found.after(Warp(_rows(name, n)))
    return found


def _rows(name: str, n: list[float]) -> Rows:
    """Of one transform."""
    try:
        match name:
            case "matrix":
                return (n[0], n[2], n[4]), (n[1], n[3], n[5]), SAME[2]
            case "translate":
                return (1.0, 0.0, n[0]), (0.0, 1.0, n[1] if len(n) > 1 else 0.0), SAME[2]
            case "scale":
                return (n[0], 0.0, 0.0), (0.0, n[1] if len(n) > 1 else n[0], 0.0), SAME[2]
            case "rotate":
                c, s = math.cos(math.radians(n[0])), math.sin(math.radians(n[0]))
                x, y = (n[1], n[2]) if len(n) > 2 else (0.0, 0.0)
                return (c, -s, x - c * x + s * y), (s, c, y - s * x - c * y), SAME[2]
            case "skewX":
                return (1.0, math.tan(math.radians(n[0])), 0.0), SAME[1], SAME[2]
            case _:
                return SAME[0], (math.tan(math.radians(n[0])), 1.0, 0.0), SAME[2]
    except IndexError:
        raise InputError(f"{name} lacks a number") from None


def _shape(match: re.Match[str], name: str, given: dict[str, str], state: _Drawing, here: Warp, *, marks: bool) -> str:
    """A shape where it will be; one that a map can't leave what it is becomes a path."""
    parts = list(_outline(name, given))
    out = Warp(((1.0, 0.0, 0.0), (0.0, -1.0, 0.0), SAME[2])).after(state.warp).after(here)  # as it is written
    texts: list[str] = []
    start = last = (0.0, 0.0)
    for part in parts:
        if part.letter == "M":
            start = last = part.points[0]
            texts.append(f"M{_pair(out.at(last))}")
            begins = True
            continue
        before, after, text = _stretch(part, last, start, out)
        state.drawn.draw([here.at(p) for p in before], [(x, -y) for x, y in after], begins=begins)
        if marks and part.letter in "LZ":
            state.crosses.add([here.at(p) for p in before])
        texts.append(text)
        begins = False
        last = start if part.letter == "Z" else part.points[-1]
    if marks and name in ("circle", "ellipse"):
        state.crosses.middle(here.at((_number(given, "cx"), _number(given, "cy"))))
    drop = ("transform", *SHAPES[name])
    ends = [p.points[-1] for p in parts if p.points]
    if name == "line":
        (x1, y1), (x2, y2) = out.at(ends[0]), out.at(ends[1])
        values = {k: written(v, DECIMALS) for k, v in zip(SHAPES[name], (x1, y1, x2, y2), strict=True)}
        return _with(match, values, drop=("transform",))
    if name in ("polyline", "polygon"):
        return _with(match, {"points": " ".join(_pair(out.at(p), ",") for p in ends)}, drop=("transform",))
    if name == "circle" and (size := out.scale) is not None:
        x, y = out.at((_number(given, "cx"), _number(given, "cy")))
        round_it = {"cx": x, "cy": y, "r": _number(given, "r") * size}
        return _with(match, {k: written(v, DECIMALS) for k, v in round_it.items()}, drop=("transform",))
    if name == "path":
        return _with(match, {"d": " ".join(texts)}, drop=("transform",))
    return _with(match, {"d": " ".join(texts)}, drop=drop, name=match[2].replace(name, "path"))


def _number(given: dict[str, str], name: str) -> float:
    """A length of a shape, in user units."""
    text = given.get(name, "0").strip().removesuffix("px")
    try:
        return float(text)
    except ValueError:
        raise InputError(f"{name} {text[:20]!r} can’t be mapped: give it in user units") from None


def _pair(p: Point, between: str = " ") -> str:
    return f"{written(p[0], DECIMALS)}{between}{written(p[1], DECIMALS)}"


def _outline(name: str, given: dict[str, str]) -> Iterator[Part]:
    """A shape as stretches of a path, in its own coordinates."""
    if name == "path":
        yield from _path(given.get("d", ""))
        return
    if name in ("polyline", "polygon", "line"):
        text = given.get("points", "") if name != "line" else " ".join(given.get(k, "0") for k in SHAPES[name])
        n = [float(v) for v in _NUMBER.findall(text)]
        for i, p in enumerate(zip(n[::2], n[1::2], strict=False)):
            yield Part("L" if i else "M", (p,))
        if name == "polygon" and n:
            yield Part("Z", ())
        return
    if name == "rect":
        yield from _rect(given)
        return
    cx, cy = _number(given, "cx"), _number(given, "cy")
    rx = _number(given, "r") if name == "circle" else _number(given, "rx")
    ry = rx if name == "circle" else _number(given, "ry")
    yield Part("M", ((cx + rx, cy),))
    yield Part("A", ((cx - rx, cy),), (rx, ry, 0.0, False, True))
    yield Part("A", ((cx + rx, cy),), (rx, ry, 0.0, False, True))
    yield Part("Z", ())


def _rect(given: dict[str, str]) -> Iterator[Part]:
    x, y, w, h = (_number(given, k) for k in ("x", "y", "width", "height"))
    rx = _number(given, "rx") if "rx" in given else _number(given, "ry")
    ry = _number(given, "ry") if "ry" in given else rx
    rx, ry = min(rx, w / 2), min(ry, h / 2)
    yield Part("M", ((x + rx, y),))
    arc = (rx, ry, 0.0, False, True)
    for side, corner in (
        ((x + w - rx, y), (x + w, y + ry)),
        ((x + w, y + h - ry), (x + w - rx, y + h)),
        ((x + rx, y + h), (x, y + h - ry)),
        ((x, y + ry), (x + rx, y)),
    ):
        yield Part("L", (side,))
        if rx and ry:
            yield Part("A", (corner,), arc)
    yield Part("Z", ())


def _path(d: str) -> Iterator[Part]:
    """All of a path's stretches, absolute. Raises InputError for what is none."""
    x = y = 0.0
    start, mirror, before = (0.0, 0.0), (0.0, 0.0), ""
    if _COMMAND.sub("", d).strip():
        raise InputError(f"{d.strip()[:20]!r} is no path")
    if d.strip() and d.strip()[0] not in "Mm":
        raise InputError(f"{d.strip()[:20]!r} begins nowhere")
    for letter, rest in _COMMAND.findall(d):
        kind, takes = letter.upper(), _TAKES[letter.upper()]
        numbers = _arc_numbers(rest) if kind == "A" else [float(v) for v in _NUMBER.findall(rest)]
        if (takes and (not numbers or len(numbers) % takes)) or (not takes and numbers):
            raise InputError(f"{letter}{rest[:20]!r} lacks a number, or has one too many")
        for i in range(0, max(len(numbers), 1), takes or 1):
            n = numbers[i : i + takes]
            ox, oy = (x, y) if letter.islower() else (0.0, 0.0)
            if kind == "Z":
                yield Part("Z", ())
                x, y = start
            elif kind == "A":
                x, y = n[5] + ox, n[6] + oy
                yield Part("A", ((x, y),), (abs(n[0]), abs(n[1]), math.radians(n[2]), n[3] != 0, n[4] != 0))
            elif kind in "HV":
                x, y = (n[0] + ox, y) if kind == "H" else (x, n[0] + oy)
                yield Part("L", ((x, y),))
            else:
                points = [(px + ox, py + oy) for px, py in zip(n[::2], n[1::2], strict=True)]
                if kind in "ST":
                    again = before in ("CS" if kind == "S" else "QT")
                    points.insert(0, (2 * x - mirror[0], 2 * y - mirror[1]) if again else (x, y))
                named = {"S": "C", "T": "Q"}.get(kind, "L" if kind == "M" and i else kind)
                yield Part(named, tuple(points))
                x, y = points[-1]
                mirror = points[-2] if len(points) > 1 else points[-1]
                start = (x, y) if named == "M" else start
            before = kind


def _arc_numbers(text: str) -> list[float]:
    """Of arcs: flags are single digits, whatever follows them."""
    found: list[float] = []
    rest = text.replace(",", " ").strip()
    while rest:
        m = re.match(r"[01]", rest) if len(found) % 7 in (3, 4) else _NUMBER.match(rest)
        if m is None:
            raise InputError(f"{rest[:20]!r} is no number of an arc")
        found.append(float(m[0]))
        rest = rest[m.end() :].strip()
    return found


def _stretch(part: Part, last: Point, start: Point, out: Warp) -> tuple[list[Point], list[Point], str]:
    """(places before, after as they are written, and its text)."""
    here = out.at(last)
    if part.letter in "LZ":
        end = start if part.letter == "Z" else part.points[0]
        there = out.at(end)
        return [last, end], [here, there], "Z" if part.letter == "Z" else f"L{_pair(there)}"
    if part.letter == "A":
        return _arc(part, last, out)
    curve = (last, *part.points)
    after = [here, *out.bent(curve)]
    before = [last, *Warp().bent(curve)]
    if out.affine:
        return before, after, part.letter + " ".join(_pair(out.at(p)) for p in part.points)
    return before, after, " ".join(f"L{_pair(p)}" for p in after[1:])


def _arc(part: Part, last: Point, out: Warp) -> tuple[list[Point], list[Point], str]:
    """An elliptical arc: an arc again under a similarity, or where it stays a circle's; else chords."""
    end, (rx, ry, tilt, large, sweep) = part.points[0], part.arc
    if not rx or not ry or math.dist(last, end) < 1e-12:
        there = out.at(end)
        return [last, end], [out.at(last), there], f"L{_pair(there)}"
    centre, rx, ry, first, turn = _centred(last, end, rx, ry, tilt, large=large, sweep=sweep)
    c, s = math.cos(tilt), math.sin(tilt)

    def place(t: float) -> Point:
        x, y = rx * math.cos(t), ry * math.sin(t)
        return centre[0] + c * x - s * y, centre[1] + s * x + c * y

    r = max(rx, ry) * max(out.stretch, 1e-9)
    count = min(max(math.ceil(abs(turn) / (2 * math.acos(max(1 - 0.003 / r, 0.0)))) if r > 0.003 else 4, 2), 20_000)
    before = [place(first + turn * i / count) for i in range(count + 1)]
    after = [out.at(p) for p in before]
    there = after[-1]
    size = out.scale
    kept = out.arc(last, centre, turn) if abs(rx - ry) < 1e-9 * rx else None
    if size is None and kept is None:
        return before, after, " ".join(f"L{_pair(p)}" for p in after[1:])
    if size is not None:
        (a, _, _), (d, _, _), _ = out.rows
        angle = math.degrees(math.atan2(d, a) + (-tilt if out.mirrored else tilt))
        radii = rx * size, ry * size
    else:
        assert kept is not None
        angle, radii = 0.0, (math.dist(there, kept[0]),) * 2
    way = int(sweep is not out.mirrored)
    # In parts of a third of a turn at most: half a turn's centre hangs on the last digit of its ends.
    parts = math.ceil(abs(turn) / (math.tau / 3) - 1e-9)
    ends = [out.at(place(first + turn * (i + 1) / parts)) for i in range(parts - 1)] + [there]
    head = f"A{_pair(radii)} {written(angle, 6)} 0 {way} "
    return before, after, " ".join(head + _pair(p) for p in ends)


def _centred(
    a: Point, b: Point, rx: float, ry: float, tilt: float, *, large: bool, sweep: bool
) -> tuple[Point, float, float, float, float]:
    """(centre, radii, first angle, turn) of an arc (SVG 1.1, appendix F.6.5); radii too small are made larger."""
    c, s = math.cos(tilt), math.sin(tilt)
    hx, hy = (a[0] - b[0]) / 2, (a[1] - b[1]) / 2
    x, y = c * hx + s * hy, -s * hx + c * hy
    need = (x / rx) ** 2 + (y / ry) ** 2
    if need > 1:
        rx, ry = rx * math.sqrt(need), ry * math.sqrt(need)
    under = max((rx * ry) ** 2 - (rx * y) ** 2 - (ry * x) ** 2, 0.0)
    k = math.sqrt(under / ((rx * y) ** 2 + (ry * x) ** 2)) * (-1 if large is sweep else 1)
    ux, uy = k * rx * y / ry, -k * ry * x / rx
    centre = c * ux - s * uy + (a[0] + b[0]) / 2, s * ux + c * uy + (a[1] + b[1]) / 2
    begins = ((x - ux) / rx, (y - uy) / ry)
    ends = ((-x - ux) / rx, (-y - uy) / ry)
    turn = turned(begins, ends, (0.0, 0.0), 1 if sweep else -1)
    return centre, rx, ry, math.atan2(begins[1], begins[0]), turn
