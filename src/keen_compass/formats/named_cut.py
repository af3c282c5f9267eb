"""The cut line that an artwork names itself: a layer, an element or a spot colour that is called so.

Designers keep it in the same file as what is printed. So an artwork is taken apart into what is printed and the lines
alone, each closed, as something that is filled: whatever finds paths can follow that.
"""

from __future__ import annotations

import copy
import io
import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import TYPE_CHECKING, Any, Generic, TypeVar

if TYPE_CHECKING:
    from xml.etree.ElementTree import Element

T = TypeVar("T")

NAMES = {"cut", "cutline", "kisscut", "thrucut", "dieline"}
WORD = re.compile(r"[A-Z]?[a-z]+|[A-Z]+(?![a-z])")
SVG = "{http://www.w3.org/2000/svg}"
NAMED_BY = ("id", "label", "data-name", "class")  # attributes, of whatever namespace
PAINTED_BY = ("stroke", "fill", "style")
PAINTS = re.compile(r"url\(\s*['\"]?#([^)'\"]+)|icc-color\(\s*([^,\s)]+)")  # SVG 1.1, §11.2
SHAPES = {"path", "rect", "circle", "ellipse", "line", "polyline", "polygon"}
OTHER = {"text", "image", "foreignObject"}  # is seen, and has no line
UNSEEN = {"defs", "symbol", "clipPath", "mask", "pattern", "marker", "linearGradient", "radialGradient", "filter"}
LOOKS = {"style", "class", "clip-path", "mask", "filter", "opacity", "display", "visibility", "stroke", "fill-opacity"}
DEEPEST = 16  # groups within one another
Pdf = Any  # an object of a PDF, as its reader gives it: of any kind


@dataclass(frozen=True)
class Parted(Generic[T]):
    """An artwork in two: what is printed, and its cut line alone, upright. name: what that is called there."""

    printed: T
    line: T
    name: str


def is_cut_line(name: str) -> bool:
    """Whether a layer or colour of that name is a cut line: cut, Cut line, KissCut …, but not shortcut or cutter."""
    words = [word.lower() for word in WORD.findall(name)]
    return not NAMES.isdisjoint([*words, *(a + b for a, b in pairwise(words))])


# Drawings


def parted_svg(root: Element) -> Parted[Element] | None:
    """None where no cut line is named, or nothing else is drawn."""
    named = _first_name(root)
    if not named:
        return None
    printed, line = copy.deepcopy(root), copy.deepcopy(root)
    _keep_svg(printed, lines=False, inside=False)
    if not _draws(printed, SHAPES | OTHER | {"use"}):
        return None
    _keep_svg(line, lines=True, inside=False)
    return Parted(printed, line, named) if _draws(line, SHAPES | {"use"}) else None


def _names(element: Element) -> Iterator[str]:
    """All that an element is called by, or what its colour is."""
    for attribute, value in element.attrib.items():
        plain = attribute.rpartition("}")[2]
        if plain == "class":
            yield from value.split()
        elif plain in NAMED_BY:
            yield value
        elif plain == "href" and plain_tag(element) == "use":
            yield value.removeprefix("#")
        elif plain in PAINTED_BY:
            yield from (a or b for a, b in PAINTS.findall(value))


def plain_tag(element: Element) -> str:
    """What an element is, without the name of the language."""
    return str(element.tag).removeprefix(SVG)


def _first_name(root: Element) -> str:
    for child in root:
        if plain_tag(child) not in UNSEEN:
            found = next((name for name in _names(child) if is_cut_line(name)), "") or _first_name(child)
            if found:
                return found
    return ""


def _draws(element: Element, what: set[str]) -> bool:
    return any(plain_tag(c) in what or (plain_tag(c) not in UNSEEN and _draws(c, what)) for c in element)


def _keep_svg(parent: Element, *, lines: bool, inside: bool) -> None:
    """Take out all that is cut line, or all that isn't. inside: whether the parent belongs to one."""
    for child in list(parent):
        tag = plain_tag(child)
        if tag in UNSEEN:
            if lines and tag in ("defs", "symbol"):
                _keep_svg(child, lines=True, inside=True)  # it may be used again, as a line
            continue
        cut = inside or any(map(is_cut_line, _names(child)))
        elsewhere = tag in OTHER | {"style"} or (not cut and tag in SHAPES | {"use"})
        if elsewhere if lines else cut:
            parent.remove(child)
            continue
        if lines:
            _as_area(child)
        _keep_svg(child, lines=lines, inside=cut)


def _as_area(element: Element) -> None:
    """A line as what it encloses, however it was painted, even if it was hidden from print."""
    for attribute in list(element.attrib):
        if attribute.rpartition("}")[2] in LOOKS:
            del element.attrib[attribute]
    element.set("fill", "black")
    element.set("fill-rule", "evenodd")


# Pages


@dataclass(frozen=True)
class _State:
    """Whether what a page strokes and fills from here on has a colour that is a cut line."""

    strokes: bool = False
    fills: bool = False


STROKED = {"S": "n", "s": "n", "B": "f", "B*": "f*", "b": "f", "b*": "f*"}  # → the same without its stroke
FILLED = {"f": "n", "F": "n", "f*": "n", "B": "S", "B*": "S", "b": "s", "b*": "s"}  # → the same without its fill
PATH = {"q", "Q", "cm", "m", "l", "c", "v", "y", "h", "re", "n"}
PAINTS_ELSE = {"Tj", "TJ", "'", '"', "sh", "INLINE IMAGE"}


def parted_pdf(data: bytes, page: int) -> Parted[bytes] | None:
    """Documents of a page, counted from 0; None where no cut line is named, or nothing else is drawn."""
    from pypdf import PdfReader

    try:
        found = PdfReader(io.BytesIO(data)).pages[page]
        named = next(filter(is_cut_line, _named_in(found.get("/Resources"), 0)), "")
        if not named:
            return None
        printed, line = (_Parting(data, page, lines=lines) for lines in (False, True))
        return Parted(printed.document(), line.document(), named) if printed.kept and line.kept else None
    except Exception:  # whatever is wrong with a page that can be shown all the same: then it names nothing
        return None


def _named_in(resources: Pdf, depth: int) -> Iterator[str]:
    """Names of spot colours and layers that a page, or a group on it, may use."""
    if resources is None or depth > DEEPEST:
        return
    here = resources.get_object()
    for space in _entries(here, "/ColorSpace"):
        yield from _inks(space)
    for layer in _entries(here, "/Properties"):
        yield _layer(layer)
    for thing in _entries(here, "/XObject"):
        if thing.get("/Subtype") == "/Form":
            yield _layer(thing.get("/OC"))
            yield from _named_in(thing.get("/Resources"), depth + 1)


def _entries(resources: Pdf, kind: str) -> Iterable[Pdf]:
    held = resources.get(kind)
    return [value.get_object() for value in held.get_object().values()] if held is not None else []


def _inks(space: Pdf) -> Iterator[str]:
    """Of a colour space with colours of its own: ISO 32000-1, §8.6.6."""
    if isinstance(space, list) and len(space) > 1:
        if space[0] == "/Separation":
            yield str(space[1]).removeprefix("/")
        elif space[0] == "/DeviceN":
            yield from (str(ink).removeprefix("/") for ink in space[1].get_object())


def _layer(given: Pdf) -> str:
    """What a layer is called (ISO 32000-1, §8.11.2), or the first of several that something belongs to."""
    if given is None:
        return ""
    layer = given.get_object()
    if not isinstance(layer, dict):
        return ""
    several = layer.get("/OCGs")
    if several is not None:
        members = several.get_object()
        return _layer(members[0] if isinstance(members, list) and members else members)
    return str(layer.get("/Name", ""))


@dataclass
class _Parting:
    """A document of one page of which one half is taken out. kept: how much is painted by what was left."""

    data: bytes
    page: int
    lines: bool
    kept: int = 0
    _writer: Any = field(init=False)
    _seen: set[int] = field(default_factory=set, init=False)

    def __post_init__(self) -> None:
        from pypdf import PageObject, PdfReader, PdfWriter

        self._writer = PdfWriter()
        page: PageObject = self._writer.add_page(PdfReader(io.BytesIO(self.data)).pages[self.page])
        contents = page.get_contents()
        if contents is not None:
            self._part(contents, page.get("/Resources"), inside=False, depth=0)
            page.replace_contents(contents)
        if self.lines:
            _set_upright(page)

    def document(self) -> bytes:
        """As a file."""
        held = io.BytesIO()
        self._writer.write(held)
        return held.getvalue()

    def _part(self, stream: Pdf, resources: Pdf, *, inside: bool, depth: int) -> None:
        """inside: whether all of it lies in a layer that is a cut line."""
        here = resources.get_object() if resources is not None else {}
        state, held = _State(), []
        layers: list[bool] = []
        found: list[tuple[Pdf, bytes]] = []
        for operands, code in stream.operations:
            operator = code.decode("latin-1")
            cut = inside or any(layers)
            match operator:
                case "q":
                    held.append(state)
                case "Q":
                    state = held.pop() if held else state
                case "CS" | "cs":
                    by_cut = any(map(is_cut_line, _inks(_resource(here, "/ColorSpace", operands[0]))))
                    state = replace(state, **{"strokes" if operator == "CS" else "fills": by_cut})
                case "G" | "RG" | "K":
                    state = replace(state, strokes=False)
                case "g" | "rg" | "k":
                    state = replace(state, fills=False)
                case "BDC":
                    layer = _resource(here, "/Properties", operands[1]) if operands[0] == "/OC" else None
                    layers.append(is_cut_line(_layer(layer)))
                case "BMC":
                    layers.append(False)
                case "EMC" if layers:
                    layers.pop()
            if operator == "Do":
                kept = self._used(_resource(here, "/XObject", operands[0]), here, cut=cut, depth=depth)
                found += [(operands, code)] if kept else []
            else:
                found += self._half(operands, operator, cut=cut, state=state)
        stream.operations = found

    def _half(self, operands: Pdf, operator: str, *, cut: bool, state: _State) -> list[tuple[Pdf, bytes]]:
        """What is left of an operator."""
        strokes, fills = operator in STROKED, operator in FILLED
        if self.lines:
            if strokes or fills:
                line = cut or (strokes and state.strokes) or (fills and state.fills)
                self.kept += line
                return [(operands, b"f*" if line else b"n")]
            return [(operands, operator.encode("latin-1"))] if operator in PATH else []
        left = operator
        if strokes and (cut or state.strokes):
            left = STROKED[left]
        if fills and left != "n" and (cut or state.fills):
            left = FILLED.get(left, left)
        if operator in PAINTS_ELSE and cut:
            return []
        self.kept += (strokes or fills or operator in PAINTS_ELSE) and left != "n"
        return [(operands, left.encode("latin-1"))]

    def _used(self, thing: Pdf, around: Pdf, *, cut: bool, depth: int) -> bool:
        """Whether a group or a picture stays, with the half of it that does."""
        if thing is None or depth > DEEPEST:
            return False
        cut = cut or is_cut_line(_layer(thing.get("/OC")))
        if thing.get("/Subtype") != "/Form":
            self.kept += not self.lines and not cut
            return not self.lines and not cut
        if cut and not self.lines:
            return False
        if id(thing) not in self._seen:
            from pypdf.generic import ContentStream

            self._seen.add(id(thing))
            inner = ContentStream(thing, self._writer)
            self._part(inner, thing.get("/Resources", around), inside=cut, depth=depth + 1)
            thing.set_data(inner.get_data())
        return True


def _resource(resources: Pdf, kind: str, name: Pdf) -> Pdf:
    held = resources.get(kind)
    found = held.get_object().get(name) if held is not None and isinstance(name, str) else None
    return found.get_object() if found is not None else None


def _set_upright(page: Pdf) -> None:
    """As it is seen: not turned, its visible corner at 0."""
    from pypdf import Transformation
    from pypdf.generic import RectangleObject

    if page.rotation:
        page.transfer_rotation_to_content()
    box = page.cropbox
    page.add_transformation(Transformation().translate(-float(box.left), -float(box.bottom)))
    upright = RectangleObject((0, 0, float(box.width), float(box.height)))
    page.mediabox = page.cropbox = upright
