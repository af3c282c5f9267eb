"""A drawing as artwork: what it covers, and how it looks on paper and on a screen.

Its page as PDF is kept where that shows what is to be seen, and its picture. What it covers follows from the page's own
paths wherever these and the picture agree, and is traced from the picture where they don't.
"""

from __future__ import annotations

import io
import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import TYPE_CHECKING

from keen_compass.errors import InputError
from keen_compass.formats.tracing import traced
from keen_compass.formats.vectors import SEEN, NotPathsError
from keen_compass.language import tr
from keen_compass.pieces.outline import grown, polygons
from keen_compass.quantities.geometry import Area, Point

if TYPE_CHECKING:
    from PIL import Image

SIZES = (1.0, 5000.0)  # mm, of an artwork
Rendering = Callable[[float], "Image.Image"]  # pixels per mm → as it looks, RGBA
FINE = 600 / 25.4  # pixels per mm, of what has to stand for paths
ROUGH = 300 / 25.4  # of a look at it
MOST_FINE, MOST_ROUGH = 36_000_000, 2_000_000  # pixels
ALIKE = 0.1, 1.5  # mm, and pixels: by which an outline from paths may leave the traced one
SPECK = 0.05  # mm²: what is smaller isn't traced, for nobody cuts it
CROOKED = 4.0  # squares as wide as that may lie beyond it: corners that pixels round


class NothingSeenError(InputError):
    """Nothing of a drawing is seen."""


@dataclass(frozen=True)
class OwnLine:
    """The cut line that an artwork names. area: what it encloses, mm; None where it is printed like all the rest."""

    name: str
    area: Area | None


@dataclass(frozen=True)
class Drawing:
    """width, height: mm. whole, bare: what it covers, with and without its strokes. exact: by its paths, not traced.

    pdf: a page that shows it; empty where its picture has to do. picture: PNG with clear ground, and its pixels per mm.
    left_out: what isn't shown as it was drawn, by its name, and how often. own_line: its own cut line, if it names one.
    """

    width: float
    height: float
    whole: Area
    bare: Area
    exact: bool
    pdf: bytes
    picture: bytes
    per_mm: float
    left_out: Mapping[str, int] = field(default_factory=lambda: MappingProxyType({}))
    own_line: OwnLine | None = None

    def area(self, *, strokes: bool = True) -> Area:
        """What is painted, mm; what a drawing has beside itself isn't seen."""
        from shapely import box

        seen = self.whole if strokes else self.bare
        return seen.intersection(box(0, 0, self.width, self.height))


def drawing(
    size: Point,
    pdf: bytes,
    rendering: Rendering,
    paths: Callable[[], tuple[Area, Area]],
    without_strokes: Rendering | None = None,
    left_out: Mapping[str, int] = MappingProxyType({}),
    own_line: OwnLine | None = None,
) -> Drawing:
    """From all that is known of it. size: mm. rendering: how it looks. paths: (whole, bare) by its page's own paths.

    without_strokes: how it looks without its lines, where that can be had. Raises InputError where nothing is seen.
    """
    rough_scale = resolution(size, ROUGH, MOST_ROUGH)
    rough = rendering(rough_scale)
    exact = _by_paths(paths, _outline(rough, rough_scale), rough_scale)
    per_mm, picture = rough_scale, rough
    if not exact or not pdf:
        per_mm = resolution(size, FINE, MOST_FINE)
        picture = rendering(per_mm)
    if exact:
        whole, bare = exact
    else:
        whole = _outline(picture, per_mm)
        bare = _outline(without_strokes(per_mm), per_mm) if without_strokes else whole
    if whole.is_empty:
        raise NothingSeenError(tr("shows nothing that is drawn"))
    return Drawing(*size, whole, bare, exact is not None, pdf, _png(picture), per_mm, dict(left_out), own_line)


def check_size(size: Point, name: str) -> None:
    """Raises InputError where no artwork is as large, or as small. size: mm."""
    if not all(SIZES[0] <= side <= SIZES[1] for side in size):
        raise InputError(
            tr(
                "is {size:.4g} × {size2:.4g} mm; {sizes:g} to {sizes2:g} mm are taken",
                size=size[0],
                size2=size[1],
                sizes=SIZES[0],
                sizes2=SIZES[1],
            ),
            name,
        )


def resolution(size: Point, per_mm: float, most: int) -> float:
    """Pixels per mm, as many as are asked for unless they would be too many."""
    return min(per_mm, math.sqrt(most / (size[0] * size[1])))


def _by_paths(paths: Callable[[], tuple[Area, Area]], seen: Area, per_mm: float) -> tuple[Area, Area] | None:
    """What they cover, if that is what is seen."""
    from shapely import MultiPolygon
    from shapely.errors import GEOSException

    try:
        whole, bare = paths()
        within = max(ALIKE[0], ALIKE[1] / per_mm)
        beyond = (CROOKED * within) ** 2
        large = MultiPolygon([part for part in polygons(whole) if part.area >= SPECK])
        if any(a.difference(grown(b, within)).area > beyond for a, b in ((seen, whole), (large, seen))):
            return None
    except (NotPathsError, GEOSException, ArithmeticError, ValueError):
        return None
    return whole, bare


def _outline(picture: Image.Image, per_mm: float) -> Area:
    """What is seen at all. Where it ends a pixel says how much of it is covered: beside the one next to it, for what
    is drawn may be clear itself.
    """
    import numpy as np
    from scipy.ndimage import maximum_filter, minimum_filter

    opacity = np.asarray(picture.getchannel("A"))
    least = math.ceil(SEEN * 255)
    inside = minimum_filter(opacity, 3, mode="constant") >= least
    beside = np.maximum(maximum_filter(opacity, 3), least)
    share = np.where(inside, np.float32(1), opacity / beside.astype(np.float32))
    return traced(share, 0.5, (1 / per_mm, 1 / per_mm), SPECK)


def _png(picture: Image.Image) -> bytes:
    held = io.BytesIO()
    picture.save(held, "PNG", compress_level=1)
    return held.getvalue()
