"""Drawings (SVG) as artwork: sized, made harmless, and handed to renderers.

One renderer, the closest to the standard, says how a drawing looks. Another makes a PDF of it; where that looks the
same, it is what is printed. Nothing is fetched, and no file is read that wasn't given.
"""

from __future__ import annotations

import io
import math
import re
import subprocess
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field
from importlib import resources
from typing import TYPE_CHECKING

from keen_compass.errors import InputError
from keen_compass.formats.drawn import Drawing, NothingSeenError, OwnLine, Rendering, check_size, drawing, resolution
from keen_compass.formats.named_cut import SVG, parted_svg, plain_tag
from keen_compass.formats.pdf_artwork import enclosed_by, page_paths, rendered
from keen_compass.formats.vectors import NotPathsError
from keen_compass.language import tr
from keen_compass.progress import tell
from keen_compass.quantities.geometry import Area, Point

if TYPE_CHECKING:
    from xml.etree.ElementTree import Element

    from PIL import Image

PX = 25.4 / 96  # mm, of CSS Values 3, §5.2
# px of a unit; relative ones of a root that says nothing of its font.
UNITS = {
    "": 1.0,
    "px": 1.0,
    "mm": 1 / PX,
    "cm": 10 / PX,
    "in": 96.0,
    "pt": 96 / 72,
    "pc": 16.0,
    "q": 0.25 / PX,
    "em": 16.0,
    "rem": 16.0,
    "ex": 8.0,
}
LENGTH = re.compile(r"([+-]?(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?)([a-z]*)", re.IGNORECASE)
UNSIZED = (300.0, 150.0)  # px, of a drawing that says nothing about its size
MOST_BYTES = 60_000_000  # of a drawing
MOST_ELEMENTS = 200_000  # with all that is used again
FAR = 1e6  # user units: beyond that no coordinate is meant
GEOMETRY = frozenset(
    (
        "x",
        "y",
        "x1",
        "y1",
        "x2",
        "y2",
        "cx",
        "cy",
        "r",
        "rx",
        "ry",
        "fx",
        "fy",
        "dx",
        "dy",
        "d",
        "points",
        "width",
        "height",
        "transform",
        "gradientTransform",
        "patternTransform",
        "stroke-width",
        "font-size",
    )
)  # attributes that are numbers and nothing else: names may hold any
MITRE_LIMIT = 4.0  # SVG 2, §13.5.5, initial value
COMPARED, MOST_COMPARED = 8.0, 4_000_000  # pixels per mm, pixels of two pictures that are compared
UNLIKE, ABOUT = 0.06, 9  # how far two pictures may differ, 0 … 1, on average over so many pixels each way
HERE = ("#", "data:")  # what a reference may begin with
GENERIC = {"serif", "sans-serif", "monospace", "cursive", "fantasy", "system-ui", "inherit", "initial"}
FAMILIES = re.compile(r"font-family\s*:\s*([^;}]+)")
NUMBER = re.compile(r"[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?")
NO_STROKES = "* { stroke: none !important }"


def read_drawing(data: bytes, name: str, *, own_line: bool = False) -> Drawing:
    """An SVG. own_line: whether a cut line that it names is taken out of what is printed, to be cut along.

    Raises InputError for what is no drawing, is too much, or isn't to be trusted.
    """
    from xml.etree.ElementTree import tostring

    root = _parsed(data, name)
    width, height = _sized(root, name)
    size = width * PX, height * PX
    check_size(size, name)
    _refuse_senseless(root, name)
    if (count := _expanded(root)) > MOST_ELEMENTS:
        raise InputError(
            tr("draws {count:,} things; at most {most_elements:,} are taken", count=count, most_elements=MOST_ELEMENTS),
            name,
        )
    left_out = Counter(_made_harmless(root))
    parted, line = parted_svg(root), None
    if parted and own_line:
        root = parted.printed
        line = _line_area(parted.line, (width, height), name)
    fonts = _fonts(root)
    left_out.update({f"font {font}": count for font, count in fonts.missing.items()})
    text = tostring(root, encoding="unicode")
    tell(0.2)
    looks = _renderer(text, size, fonts)
    bare = _renderer(text, size, fonts, NO_STROKES) if "stroke" in text else None
    pdf = _as_pdf(text)

    def by_paths() -> tuple[Area, Area]:
        if not pdf:
            raise NotPathsError
        return page_paths(pdf, size, MITRE_LIMIT)

    try:
        tell(0.4)
        shown = pdf if pdf and _alike(pdf, looks, size) else b""
        tell(0.6)
        return drawing(size, shown, looks, by_paths, bare, left_out, OwnLine(parted.name, line) if parted else None)
    except NothingSeenError as error:
        if line is not None:
            return read_drawing(data, name)  # what it calls its cut line is all that is seen
        raise NothingSeenError(error.message, name) from None
    except InputError as error:
        raise InputError(error.message, name) from None
    except ValueError as error:  # what the renderer says of what it can't make sense of
        raise InputError(tr("holds something that can't be drawn: {error}", error=str(error)[:120]), name) from None


def _parsed(data: bytes, name: str) -> Element:
    from xml.etree.ElementTree import ParseError, register_namespace

    from defusedxml.common import DefusedXmlException
    from defusedxml.ElementTree import fromstring

    if len(data) > MOST_BYTES:
        raise InputError(tr("is larger than {most_bytes} MB", most_bytes=MOST_BYTES // 1_000_000), name)
    register_namespace("", SVG[1:-1])
    register_namespace("xlink", "http://www.w3.org/1999/xlink")
    try:
        root: Element = fromstring(data)
    except DefusedXmlException:
        raise InputError(tr("declares entities of its own; save it without them"), name) from None
    except (ParseError, ValueError, LookupError) as error:
        raise InputError(tr("is no drawing that can be read: {error}", error=error), name) from None
    if root.tag == "svg":  # it forgot to say what it is
        for element in root.iter():
            if isinstance(element.tag, str) and not element.tag.startswith("{"):
                element.tag = SVG + element.tag
    if root.tag != f"{SVG}svg":
        raise InputError(tr("is no drawing: SVG, PDF, PNG, JPEG, WebP or TIFF"), name)
    return root


def _sized(root: Element, name: str) -> Point:
    """Its size in px, and says it plainly to whoever draws it: SVG 2, §8.2 and CSS Images 3, §5.3."""
    box = _view_box(root, name)
    width, height = (_length(root.get(side, "")) for side in ("width", "height"))
    ratio = box[2] / box[3] if box else None
    if width is None and height is None:
        width, height = (box[2], box[3]) if box else UNSIZED
    elif width is None:
        width = (height or 0.0) * ratio if ratio else UNSIZED[0]
    elif height is None:
        height = width / ratio if ratio else UNSIZED[1]
    assert width is not None
    assert height is not None
    root.set("width", f"{width:.9g}")
    root.set("height", f"{height:.9g}")
    if box is None:
        root.set("viewBox", f"0 0 {width:.9g} {height:.9g}")
    return width, height


def _length(text: str) -> float | None:
    """px; None for what says nothing: a share of a page that isn't there, or no length."""
    found = LENGTH.fullmatch(text.strip())
    unit = UNITS.get(found[2].lower()) if found else None
    value = float(found[1]) * unit if found and unit else math.nan
    return value if 0 < value < math.inf else None


def _view_box(root: Element, name: str) -> tuple[float, ...] | None:
    text = root.get("viewBox", "").replace(",", " ").split()
    if not text:
        return None
    try:
        x, y, w, h = (float(v) for v in text)
    except ValueError:
        raise InputError(tr("has a viewBox that is no four numbers"), name) from None
    if not (w > 0 and h > 0 and math.isfinite(w + h + x + y)):
        raise InputError(tr("has a viewBox of no size"), name)
    return x, y, w, h


def _refuse_senseless(root: Element, name: str) -> None:
    """Numbers that nobody can mean make renderers draw anything, or nothing."""
    for element in root.iter():
        for attribute in GEOMETRY & element.attrib.keys():
            for number in NUMBER.findall(element.attrib[attribute]):
                if abs(float(number)) > FAR:
                    raise InputError(
                        tr(
                            "holds a number that no drawing has: {number} ({attribute})",
                            number=number,
                            attribute=attribute,
                        ),
                        name,
                    )


def _href(element: Element) -> tuple[str, str] | None:
    """The attribute that refers to something, and to what."""
    return next(((a, v.strip()) for a, v in element.attrib.items() if a.rpartition("}")[2] == "href"), None)


def _expanded(root: Element) -> int:
    """How many elements are drawn, with what is used again counted each time."""
    named = {element.get("id"): element for element in root.iter() if element.get("id")}
    counts: dict[int, int] = {}

    def count(element: Element, within: frozenset[int]) -> int:
        key = id(element)
        if key in within:
            return 0  # it uses itself: nobody draws that
        if key not in counts:
            inside = within | {key}
            found = 1 + sum(count(child, inside) for child in element)
            reference = _href(element) if plain_tag(element) == "use" else None
            used = named.get(reference[1][1:]) if reference else None
            counts[key] = min(found + (count(used, inside) if used is not None else 0), 10**12)
        return counts[key]

    try:
        return count(root, frozenset())
    except RecursionError:
        return MOST_ELEMENTS + 1


def _made_harmless(root: Element) -> Iterator[str]:
    """Takes out what would be fetched from elsewhere, and what nobody draws; says what it was."""
    for parent in list(root.iter()):
        for child in list(parent):
            if plain_tag(child) in ("foreignObject", "script"):
                parent.remove(child)
                if plain_tag(child) == "foreignObject":
                    yield "foreignObject"
    for element in root.iter():
        reference = _href(element)
        if reference and not reference[1].startswith(HERE):
            del element.attrib[reference[0]]
            if plain_tag(element) in ("image", "use", "feImage"):
                yield f"{plain_tag(element)} from elsewhere"
        if plain_tag(element) == "style" and element.text:
            element.text = re.sub(r"@import[^;]*;?", "", element.text)


def _families(root: Element) -> Iterator[list[str]]:
    for element in root.iter():
        given = [element.get("font-family", ""), *FAMILIES.findall(element.get("style", ""))]
        given += FAMILIES.findall(element.text or "") if plain_tag(element) == "style" else []
        for names in given:
            if found := [n.strip().strip("'\"") for n in names.split(",") if n.strip()]:
                yield found


@dataclass(frozen=True)
class _Fonts:
    """What the system has for each kind of font. missing: which fonts a drawing asks for in vain, how often."""

    missing: Counter[str] = field(default_factory=Counter)
    serif: str = ""
    sans_serif: str = ""
    monospace: str = ""
    cursive: str = ""
    fantasy: str = ""


def _fonts(root: Element) -> _Fonts:
    """Of a drawing without words: none. Serif also stands for what is missing, as the system would have it."""
    if not any(plain_tag(element) == "text" for element in root.iter()):
        return _Fonts()
    there = {name.strip().lower() for line in _fontconfig("fc-list", ":", "family") for name in line.split(",")}
    missing = Counter(
        names[0] for names in _families(root) if not any(n.lower() in GENERIC or n.lower() in there for n in names)
    )
    asked = next(iter(missing), "serif"), "sans-serif", "monospace", "cursive", "fantasy"
    found = ("".join(_fontconfig("fc-match", "-f", "%{family[0]}", kind)) or "DejaVu Sans" for kind in asked)
    return _Fonts(missing, *found)


def _fontconfig(*words: str) -> list[str]:
    try:
        return subprocess.run(words, capture_output=True, timeout=20, check=True).stdout.decode().splitlines()
    except (OSError, ValueError, subprocess.SubprocessError):
        return []


def _renderer(text: str, size: Point, fonts: _Fonts, style: str | None = None) -> Rendering:
    """Of the drawing at so many pixels per mm."""
    import resvg_py
    from PIL import Image

    ours = str(resources.files("keen_compass") / "app" / "fonts")

    def draw(per_mm: float) -> Image.Image:
        wide, high = (math.ceil(side * per_mm - 1e-6) for side in size)
        # Left to itself it stretches a drawing to whole pixels.
        framed = (
            f'<svg xmlns="{SVG[1:-1]}" width="{wide}" height="{high}">'
            f'<g transform="scale({per_mm * PX:.12g})">{text}</g></svg>'
        )
        png = resvg_py.svg_to_bytes(
            svg_string=framed,
            dpi=96,
            style_sheet=style,
            skip_system_fonts=not fonts.serif,
            font_dirs=[ours],
            font_family=fonts.serif,
            serif_family=fonts.serif,
            sans_serif_family=fonts.sans_serif,
            monospace_family=fonts.monospace,
            cursive_family=fonts.cursive,
            fantasy_family=fonts.fantasy,
        )
        with Image.open(io.BytesIO(png)) as picture:
            return picture.convert("RGBA")

    return draw


def _line_area(line: Element, size: Point, name: str) -> Area:
    """What a cut line encloses, mm, even where it lies beyond what is printed: on a page as large again all round, for
    no renderer draws beyond its page. size: px. Raises InputError.
    """
    from xml.etree.ElementTree import tostring

    from shapely.affinity import translate

    wide, high = size
    line.attrib |= {"x": f"{wide:.9g}", "y": f"{high:.9g}", "overflow": "visible"}
    inside = tostring(line, encoding="unicode")
    page = f'<svg xmlns="{SVG[1:-1]}" width="{3 * wide:.9g}" height="{3 * high:.9g}">{inside}</svg>'
    area = enclosed_by(_as_pdf(page), (3 * wide * PX, 3 * high * PX), name)
    return translate(area, -wide * PX, -high * PX)


def _as_pdf(text: str) -> bytes:
    """Its page as PDF; empty where no renderer makes one."""
    try:
        import cairosvg

        found: bytes = cairosvg.svg2pdf(bytestring=text.encode())  # it fetches nothing unless told to
    except Exception:  # whatever a drawing makes of it: then its picture is printed
        return b""
    return found


def _alike(pdf: bytes, looks: Rendering, size: Point) -> bool:
    """Whether a PDF shows what the other renderer shows, wherever one looks."""
    import numpy as np
    import pypdfium2
    from scipy.ndimage import uniform_filter

    per_mm = resolution(size, COMPARED, MOST_COMPARED)
    try:
        document = pypdfium2.PdfDocument(pdf)
    except pypdfium2.PdfiumError:
        return False
    try:
        theirs = rendered(document[0], size, per_mm)
    finally:
        document.close()
    seen = looks(per_mm)
    a, b = (np.asarray(p.convert("RGBa"), np.float32) / 255 for p in (seen, theirs))
    beyond = np.maximum(_beyond(a, b), _beyond(b, a)).max(axis=2)
    return bool(uniform_filter(beyond, ABOUT).max() <= UNLIKE)


def _beyond(a: Area, b: Area) -> Area:
    """By how much pixels of one leave all that the other shows there and next to it: one draws edges a pixel aside."""
    import numpy as np
    from scipy.ndimage import maximum_filter, minimum_filter

    around = (3, 3, 1)
    return np.maximum(a - maximum_filter(b, around), minimum_filter(b, around) - a).clip(0)
