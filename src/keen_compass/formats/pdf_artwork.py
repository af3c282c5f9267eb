"""A page of a PDF as artwork: put in as it is; its outline from its paths."""

from __future__ import annotations

import io
import math
from collections.abc import Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any

from keen_compass.errors import InputError
from keen_compass.formats.drawn import Drawing, NothingSeenError, OwnLine, check_size, drawing
from keen_compass.formats.named_cut import parted_pdf
from keen_compass.formats.vectors import MITRE_LIMIT, NotPathsError, covered, enclosed
from keen_compass.language import tr, tr_n
from keen_compass.progress import tell
from keen_compass.quantities.geometry import Area

if TYPE_CHECKING:
    from PIL import Image

MM = 25.4 / 72  # of a point


def read_pdf(data: bytes, name: str, page: int = 1, *, own_line: bool = False) -> Drawing:
    """One of its pages, counted from 1. own_line: whether a cut line that it names is taken out of what is printed, to
    be cut along. Raises InputError.
    """
    import pypdfium2

    try:
        document = pypdfium2.PdfDocument(data)
    except pypdfium2.PdfiumError as error:
        locked = "password" in str(error).lower()
        raise InputError(
            tr("is locked: save it without its password") if locked else tr("is no PDF that can be read"), name
        ) from None
    line = None
    try:
        if not 1 <= page <= len(document):
            raise InputError(
                tr_n("has {n} page, no page {page}", "has {n} pages, no page {page}", len(document), page=page), name
            )
        others = {"further pages": len(document) - 1} if len(document) > 1 else {}
        at = page - 1
        found = document[at]
        size = found.get_width() * MM, found.get_height() * MM
        check_size(size, name)
        parted = parted_pdf(data, at)
        tell(0.3)
        if parted and own_line:
            line = enclosed_by(parted.line, size, name)
            document.close()
            document = pypdfium2.PdfDocument(parted.printed)
            found, at = document[0], 0
        return drawing(
            size,
            _alone(document, at),
            lambda k: rendered(found, size, k),
            lambda: covered(found, (MM, MM)),
            left_out=others,
            own_line=OwnLine(parted.name, line) if parted else None,
        )
    except NothingSeenError as error:
        if line is None:
            raise NothingSeenError(error.message, name) from None
    except InputError as error:
        raise InputError(error.message, name) from None
    except pypdfium2.PdfiumError:
        raise InputError(tr("has a page that can't be read: page {page}", page=page), name) from None
    finally:
        document.close()
    return read_pdf(data, name, page)  # what it calls its cut line is all that is seen


def _alone(document: Any, index: int) -> bytes:
    """One page by itself; empty where it is shown turned or cut, which is lost where a page is put onto another."""
    import pypdfium2

    page = document[index]
    if page.get_rotation() or page.get_bbox() != (0.0, 0.0, page.get_width(), page.get_height()):
        return b""
    alone = pypdfium2.PdfDocument.new()
    try:
        alone.import_pages(document, [index])
        held = io.BytesIO()
        alone.save(held)
    finally:
        alone.close()
    return held.getvalue()


def rendered(page: Any, size: tuple[float, float], per_mm: float) -> Image.Image:
    """A page of pypdfium2 as it looks on clear ground, RGBA. size: mm, that it is to have."""
    from pypdfium2 import PdfBitmap, raw

    wide, high = (math.ceil(side * per_mm - 1e-6) for side in size)
    bitmap = PdfBitmap.new_native(wide, high, raw.FPDFBitmap_BGRA)
    bitmap.fill_rect((255, 255, 255, 0), 0, 0, wide, high)
    # Left to itself it stretches a page to whole pixels.
    to = raw.FS_MATRIX(size[0] * per_mm / page.get_width(), 0, 0, size[1] * per_mm / page.get_height(), 0, 0)
    raw.FPDF_RenderPageBitmapWithMatrix(bitmap, page, to, raw.FS_RECTF(0, 0, wide, high), raw.FPDF_ANNOT)
    found: Image.Image = bitmap.to_pil().convert("RGBA")
    return found


def page_paths(pdf: bytes, size: tuple[float, float], mitre_limit: float = MITRE_LIMIT) -> tuple[Area, Area]:
    """(filled and stroked, filled alone) of the first page, mm. size: mm, that it is to have. Raises NotPathsError."""
    with _first_page(pdf, size) as (page, scale):
        return covered(page, scale, mitre_limit)


@contextmanager
def _first_page(pdf: bytes, size: tuple[float, float]) -> Iterator[tuple[Any, tuple[float, float]]]:
    """It, and the mm of a point on it (across, down). size: mm, that it is to have."""
    import pypdfium2

    document = pypdfium2.PdfDocument(pdf)
    try:
        page = document[0]
        yield page, (size[0] / page.get_width(), size[1] / page.get_height())
    finally:
        document.close()


def enclosed_by(pdf: bytes, size: tuple[float, float], name: str) -> Area:
    """What the cut line on a page encloses, mm. size: mm, that the page is to have. Raises InputError where that is
    nothing, or can't be followed.
    """
    import pypdfium2

    try:
        with _first_page(pdf, size) as (page, scale):
            area = enclosed(page, scale)
    except (NotPathsError, pypdfium2.PdfiumError):
        raise InputError(tr("names a cut line that can't be followed: cut about what is seen"), name) from None
    if area.is_empty:
        raise InputError(tr("names a cut line that encloses nothing: cut about what is seen"), name)
    return area
