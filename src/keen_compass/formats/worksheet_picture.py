"""A worksheet that was filled in by hand, in a picture: its boxes cut out, for somebody to read.

Each of its pages bears three codes, at its corners: they say which page it is, and where it lies.
"""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.quantities.geometry import Point

PX_PER_MM = 12.0  # of what is cut out
CODES = 3  # of a page
AROUND = 1.0  # mm about a box: paper isn't quite flat


@dataclass(frozen=True)
class Box:
    """Where a reading is written. page: from 1; corner: lower left, mm from the page’s; size: mm."""

    measurand: str
    count: int
    page: int
    corner: Point
    size: Point


@dataclass(frozen=True)
class Layout:
    """A worksheet as it was printed. codes: text of each → (page, its lower left corner, mm); side: of a code, mm."""

    boxes: tuple[Box, ...]
    codes: Mapping[str, tuple[int, Point]]
    side: float


def read_boxes(data: bytes, layout: Layout, name: str) -> dict[tuple[str, int], bytes]:
    """(measurand, count) → what is written there, as PNG, of the page that is seen. name: of the file.

    Raises InputError where the codes of a page of this worksheet can't all be read.
    """
    import numpy as np
    import zxingcpp
    from PIL import Image
    from skimage.transform import ProjectiveTransform

    from keen_compass.formats.pictures import grey_of

    grey = np.clip(grey_of(data, name), 0, 255).astype(np.uint8)
    found = zxingcpp.read_barcodes(grey, formats=zxingcpp.BarcodeFormats(zxingcpp.BarcodeFormat.QRCode))
    ours = [code for code in found if code.text in layout.codes]
    if not ours:
        other = next((code.text.removeprefix("KC ") for code in found if code.text.startswith("KC ")), "")
        raise InputError(
            tr("shows {other}, not this one", other=other) if other else tr("shows no worksheet: take all of it"), name
        )
    page = layout.codes[ours[0].text][0]
    places: list[Point] = []
    pixels: list[Point] = []
    for code in ours:
        on, (x, y) = layout.codes[code.text]
        if on == page:
            p = code.position
            places += [(x, y + layout.side), (x + layout.side, y + layout.side), (x + layout.side, y), (x, y)]
            pixels += [(c.x + 0.5, c.y + 0.5) for c in (p.top_left, p.top_right, p.bottom_right, p.bottom_left)]
    if len(places) < 4 * CODES:
        raise InputError(
            tr("shows not all of the page’s {codes} codes: take all of it, sharp and from above", codes=CODES), name
        )
    seen = ProjectiveTransform.from_estimate(np.array(places), np.array(pixels))
    picture = Image.fromarray(grey)
    cut: dict[tuple[str, int], bytes] = {}
    for box in layout.boxes:
        if box.page != page:
            continue
        (x, y), (w, h) = ((v - AROUND) for v in box.corner), ((v + 2 * AROUND) for v in box.size)
        corners = seen(np.array([(x, y + h), (x, y), (x + w, y), (x + w, y + h)]))
        size = round(w * PX_PER_MM), round(h * PX_PER_MM)
        quad: Sequence[float] = corners.ravel().tolist()
        out = io.BytesIO()
        picture.transform(size, Image.Transform.QUAD, quad, Image.Resampling.BICUBIC).save(out, "PNG")
        cut[box.measurand, box.count] = out.getvalue()
    return cut
