"""Artwork for a printed sticker: a drawing (SVG, a page of a PDF), or a picture with its resolution.

Lengths in mm from the artwork's upper left corner, Y down, as both kinds count. Whoever it comes from, its size is
looked at before anything unpacks it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from keen_compass.errors import InputError, NoSizeError
from keen_compass.formats.apart import run_apart
from keen_compass.formats.drawn import Drawing, check_size
from keen_compass.formats.files import read_whole
from keen_compass.formats.pdf_artwork import read_pdf
from keen_compass.formats.pictures import as_shown, opened
from keen_compass.formats.svg_artwork import read_drawing
from keen_compass.formats.tracing import traced
from keen_compass.language import tr
from keen_compass.pieces.outline import Outset, Ring, outlined
from keen_compass.pieces.sticker import Sticker, along
from keen_compass.progress import part, tell
from keen_compass.quantities.bodies import JsonMapping
from keen_compass.quantities.geometry import Area, Point

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Values = NDArray[np.floating[Any]]

DPI = (20.0, 10_000.0)
BETWEEN = 0.5  # threshold unless another is asked for


@dataclass(frozen=True)
class Picture:
    """Of a picture's file. values: 0 … 1 for each pixel, row by row from the top: how opaque, or how bright, it is.

    seen: by its opacity. pixel: mm (across, down). data: the file.
    """

    width: float
    height: float
    values: Values
    seen: bool
    pixel: Point
    data: bytes

    @property
    def on_dark(self) -> bool:
        """Whether what lies all round is dark: then what is lighter is the artwork."""
        import numpy as np

        edge = np.concatenate([self.values[0], self.values[-1], self.values[:, 0], self.values[:, -1]])
        return not self.seen and bool(np.median(edge) < BETWEEN)

    def area(self, threshold: float = BETWEEN, smooth: float = 0.0, smallest: float = 0.0) -> Area:
        """What it shows: opaque beyond the threshold, or darker than that (lighter, on dark). smooth: mm, standard, by
        which its edge is blurred first; smallest: mm² of what is looked at.
        """
        values = self.values if self.seen or self.on_dark else 1.0 - self.values
        level = threshold if self.seen or self.on_dark else 1.0 - threshold
        if smooth:
            from scipy.ndimage import gaussian_filter

            values = gaussian_filter(values, [smooth / v for v in reversed(self.pixel)], mode="nearest")
        return traced(values, level, self.pixel, smallest)

    def reduced(self, most: int) -> Picture:
        """The same with at most so many pixels, for a look at it."""
        k = math.ceil(math.sqrt(self.values.size / most))
        if k <= 1:
            return self
        rows, columns = (size // k * k for size in self.values.shape)
        whole = self.values[:rows, :columns].reshape(rows // k, k, columns // k, k)
        pixel = self.pixel[0] * k, self.pixel[1] * k
        return replace(self, values=whole.mean(axis=(1, 3)), pixel=pixel)


Artwork = Drawing | Picture


def shown_area(
    artwork: Artwork, threshold: float = BETWEEN, smooth: float = 0.0, smallest: float = 0.0, *, strokes: bool = True
) -> Area:
    """What an artwork covers, mm. threshold, smooth, smallest: of a picture; strokes: whether a drawing's lines count.

    smallest: mm, side of a square as large as what is looked at. Raises InputError where no computation finds it.
    """
    from shapely.errors import GEOSException

    try:
        if isinstance(artwork, Drawing):
            return artwork.area(strokes=strokes)
        return artwork.area(threshold, smooth, smallest**2)
    except (GEOSException, ArithmeticError) as error:
        raise InputError(tr("what it covers can't be found out: {error}", error=str(error)[:120])) from None


def traced_rings(data: bytes, name: str, settings: JsonMapping, outset: Outset) -> tuple[Ring, ...]:
    """The lines to cut about a picture, to its last pixel. settings: threshold, smooth, dpi. Raises InputError."""
    with part(0.0, 0.25):  # of the whole
        picture = read_picture(data, name, settings["dpi"])
    area = shown_area(picture, settings["threshold"], settings["smooth"], outset.smallest)
    tell(0.6)
    return outlined(area, outset)


def sticker_of(
    artwork: Artwork,
    name: str,
    outset: Outset,
    threshold: float = BETWEEN,
    smooth: float = 0.0,
    *,
    strokes: bool = True,
) -> Sticker:
    """The job of that name: cut along its own line, where that was taken out of what is printed, or else about what is
    seen. threshold, smooth, strokes: as `shown_area` takes them. Raises InputError where there is nothing to cut.
    """
    area = shown_area(artwork, threshold, smooth, outset.smallest, strokes=strokes)
    if isinstance(artwork, Drawing) and artwork.own_line and artwork.own_line.area is not None:
        rings = outlined(artwork.own_line.area, Outset(0.0, smallest=outset.smallest))
        return along(Sticker(name, artwork.width, artwork.height, rings, 0.0), area)
    return Sticker(name, artwork.width, artwork.height, outlined(area, outset), outset.by)


def read_artwork(data: bytes, name: str, dpi: float = 0.0, *, own_line: bool = False) -> Artwork:
    """What is in an artwork's file. name: what it is called where it is refused. dpi: of a picture that doesn't say its
    resolution, or in place of what it says. own_line: whether a cut line that a drawing names is taken out of it.

    Raises InputError for what is neither drawing nor picture, far too large, or not to be trusted.
    """
    start = data[:1000].lstrip(b"\xef\xbb\xbf \t\r\n")
    if start.startswith(b"<") or data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return run_apart(partial(read_drawing, own_line=own_line), data, name, name=name)
    if b"%PDF-" in start:
        return run_apart(partial(read_pdf, own_line=own_line), data, name, name=name)
    found = read_picture(data, name, dpi)
    check_size((found.width, found.height), name)
    return found


def read_file(file: Path, dpi: float = 0.0, *, own_line: bool = False) -> Artwork:
    """The same of a file. Raises InputError."""
    return read_artwork(read_whole(file), str(file), dpi, own_line=own_line)


def read_picture(data: bytes, name: str, dpi: float = 0.0) -> Picture:
    """A picture with its resolution, turned as its tag says. Raises InputError."""
    import numpy as np

    if dpi and not DPI[0] <= dpi <= DPI[1]:
        raise InputError(tr("{dpi:g} to {dpi2:g} pixels per inch are taken", dpi=DPI[0], dpi2=DPI[1]), "dpi")
    with opened(data, name, "is no artwork: SVG, PDF, PNG, JPEG, WebP or TIFF") as picture:
        said = _resolution(picture.info.get("dpi")) if not dpi else (dpi, dpi)
        shown = as_shown(picture)
        tell(0.5)
        if shown.size != picture.size and said:
            said = said[1], said[0]
        if said is None:
            pixels = f"{shown.width} × {shown.height} pixels"
            raise NoSizeError(
                tr("doesn't say how large it is ({pixels}): give its pixels per inch (--dpi)", pixels=pixels), name
            )
        alpha = np.asarray(shown.getchannel("A")) if shown.mode == "RGBA" else None
        seen = alpha is not None and int(alpha.min()) < 255
        plain = alpha if seen and alpha is not None else np.asarray(shown.convert("L"))
    tell(0.8)
    values = plain.astype(np.float32) / np.float32(255)
    pixel = 25.4 / said[0], 25.4 / said[1]
    high, wide = values.shape
    return Picture(wide * pixel[0], high * pixel[1], values, seen, pixel, data)


def _resolution(given: object) -> tuple[float, float] | None:
    """As a file says it; None where that can't be so."""
    if not isinstance(given, tuple) or len(given) != 2:
        return None
    try:
        x, y = (float(v) for v in given)
    except (TypeError, ValueError, ZeroDivisionError):
        return None
    return (x, y) if all(DPI[0] <= v <= DPI[1] for v in (x, y)) else None
