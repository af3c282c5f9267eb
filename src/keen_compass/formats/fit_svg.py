"""SVG laid onto a print: every shape where the map says, transforms taken into the places, all else as it stands.

What is written counts in mm, x the machine's X and y minus its Y; the page is made to fit. Shapes that a map can't
leave what they are become paths. Text, pictures and copies (`use`) are refused with their line.
"""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from xml.sax.saxutils import escape

from keen_compass.errors import FileFormatError, InputError
from keen_compass.formats.fit import Crosses, Drawn, Fitted, written
from keen_compass.formats.fit_svg_shapes import DECIMALS, NUMBER, SHAPES, attribute_number, outline, pair, stretched
from keen_compass.language import tr
from keen_compass.progress import counted
from keen_compass.solve.warp import SAME, Rows, Warp

NAMES = ("id", "class", "label")  # attributes that may call a layer so
MARGIN = 5.0  # mm of page about what is drawn
MM_OF = {"mm": 1.0, "cm": 10.0, "in": 25.4, "pt": 25.4 / 72, "pc": 25.4 / 6, "px": 25.4 / 96, "": 25.4 / 96}
_TAG = re.compile(
    r"<!--.*?-->|<!\[CDATA\[.*?\]\]>|<\?.*?\?>|<(/?)([\w:.-]+)((?:[^>\"']|\"[^\"]*\"|'[^']*')*?)(/?)>", re.S
)
_ATTRIBUTE = re.compile(r"\s+([\w:.-]+)\s*=\s*(\"[^\"]*\"|'[^']*')")
_TRANSFORM = re.compile(r"(matrix|translate|scale|rotate|skewX|skewY)\s*\(([^)]*)\)")
GROUPS = ("g", "a", "switch")
# Hold nothing that is cut: what is in them stays as it is.
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
        """Whether what is here is a mark."""
        return bool(self.stack) and self.stack[-1][2]


def fit_svg(data: bytes, warp: Warp, crosses: Crosses) -> Fitted:
    """Every place where the map says. Raises FileFormatError with the line of what can't be mapped."""
    text = _checked(data)
    state, found, at = _Drawing(warp, Drawn(), crosses), [], 0
    root: tuple[int, re.Match[str]] | None = None
    for match in counted(list(_TAG.finditer(text))):
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
            raise FileFormatError(
                tr("line {line}: {match}: {message}", line=line, match=match[2], message=error.message)
            ) from None
    if root is None:
        raise FileFormatError(tr("no drawing"))
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
        raise FileFormatError(tr("line {position}: can’t read the drawing", position=error.position[0])) from None
    except DefusedXmlException:
        raise FileFormatError(tr("declares things of its own: save it as a plain SVG")) from None
    except UnicodeDecodeError:
        raise FileFormatError(tr("is not written in UTF-8")) from None


def _attributes(match: re.Match[str]) -> dict[str, str]:
    return {m[1]: m[2][1:-1] for m in _ATTRIBUTE.finditer(match[3])}


def _length(text: str, otherwise: float) -> float:
    """mm of a page's side."""
    found = re.fullmatch(rf"\s*({NUMBER.pattern})\s*([a-z%]*)\s*", text)
    if not found or found[2] not in MM_OF:
        return otherwise
    return float(found[1]) * MM_OF[found[2]]


def _page(match: re.Match[str]) -> Warp:
    """From user units to mm from the page's lower left corner, Y up."""
    given = _attributes(match)
    if match[2].rpartition(":")[2] != "svg":
        raise InputError(tr("is no drawing"))
    box = [float(n) for n in NUMBER.findall(given.get("viewBox", ""))]
    if len(box) != 4 or box[2] <= 0 or box[3] <= 0:
        width, height = (_length(given.get(name, ""), 0.0) for name in ("width", "height"))
        if height <= 0:
            raise InputError(tr("doesn’t say how large it is"))
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
        raise InputError(tr("can’t be mapped: save it as paths"))
    if name not in GROUPS and name not in SHAPES:
        return match[0]
    given = _attributes(match)
    if "transform" in given.get("style", ""):
        raise InputError(tr("a transform in its style can’t be mapped"))
    here = state.to_file.after(_transform(given.get("transform", "")))
    named = any(key.rpartition(":")[2] in NAMES and state.crosses.on_layer(value) for key, value in given.items())
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
        raise InputError(tr("{text!r} is no transform", text=text[:30]))
    for name, inside in _TRANSFORM.findall(text):
        n = [float(v) for v in NUMBER.findall(inside)]
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
        raise InputError(tr("{name} lacks a number", name=name)) from None


def _shape(match: re.Match[str], name: str, given: dict[str, str], state: _Drawing, here: Warp, *, marks: bool) -> str:
    """A shape where it will be; one that a map can't leave what it is becomes a path."""
    parts = list(outline(name, given))
    out = Warp(((1.0, 0.0, 0.0), (0.0, -1.0, 0.0), SAME[2])).after(state.warp).after(here)  # as it is written
    texts: list[str] = []
    start = last = (0.0, 0.0)
    for part in parts:
        if part.letter == "M":
            start = last = part.points[0]
            texts.append(f"M{pair(out.at(last))}")
            begins = True
            continue
        before, after, text = stretched(part, last, start, out)
        state.drawn.draw([here.at(p) for p in before], [(x, -y) for x, y in after], begins=begins)
        if marks and part.letter in "LZ":
            state.crosses.add([here.at(p) for p in before])
        texts.append(text)
        begins = False
        last = start if part.letter == "Z" else part.points[-1]
    if marks and name in ("circle", "ellipse"):
        state.crosses.middle(here.at((attribute_number(given, "cx"), attribute_number(given, "cy"))))
    drop = ("transform", *SHAPES[name])
    ends = [p.points[-1] for p in parts if p.points]
    if name == "line":
        (x1, y1), (x2, y2) = out.at(ends[0]), out.at(ends[1])
        values = {k: written(v, DECIMALS) for k, v in zip(SHAPES[name], (x1, y1, x2, y2), strict=True)}
        return _with(match, values, drop=("transform",))
    if name in ("polyline", "polygon"):
        return _with(match, {"points": " ".join(pair(out.at(p), ",") for p in ends)}, drop=("transform",))
    if name == "circle" and (size := out.scale) is not None:
        x, y = out.at((attribute_number(given, "cx"), attribute_number(given, "cy")))
        round_it = {"cx": x, "cy": y, "r": attribute_number(given, "r") * size}
        return _with(match, {k: written(v, DECIMALS) for k, v in round_it.items()}, drop=("transform",))
    if name == "path":
        return _with(match, {"d": " ".join(texts)}, drop=("transform",))
    return _with(match, {"d": " ".join(texts)}, drop=drop, name=match[2].replace(name, "path"))
