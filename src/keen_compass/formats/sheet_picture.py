"""A sheet of ours in a photo or a scan: where it lies, and what a tool drew beside its targets (arithmetic.md §12).

Its code says which sheet it is and, roughly, where. From there on the printed marks are looked for, each where those
found before say, then the targets; each target's print and the tool's cross beside it are fitted together, in the
colour that shows the tool best. The map is fitted again through everything found, and takes what was seen back to mm.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from types import MappingProxyType
from typing import TYPE_CHECKING

from keen_compass.errors import InputError
from keen_compass.formats.beside_target import COARSE, FINEST, LEAST_INK, LEAST_SEEN, design_of, free_about, look_at
from keen_compass.formats.picture_lines import across
from keen_compass.formats.sampled import GREY, Sampled, grid, likeness
from keen_compass.language import tr
from keen_compass.pieces.in_picture import Across, Sought
from keen_compass.pieces.page import CODE, CROSS, TARGET, Offset, Page
from keen_compass.progress import tell
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.notes import Note, note
from keen_compass.solve.sheet_map import Fitted, SheetMap, fitted
from keen_compass.solve.strokes import Laid, Ring, Start, Stroke, laid

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

OURS = "KC "  # how our codes begin
LEAST_MARKS = 3  # seen, so that there is a map
EXACT = 4  # places, through which one map goes exactly
LEAST_PX = 3.0  # px per mm: below, a printed line is no line any more
FIRST_REACH, FARTHER = 1.6, 0.07  # mm, by which a mark may lie off, and mm for each mm from what is known already
FARTHER_ALONE = 0.16  # the same where no targets lie between
FARTHEST, FARTHEST_ALONE = 12.0, 26.0  # mm, of either
LIKE = 0.42  # correlation with what is printed there, from which on it is that
FLOOR, FLOOR_PX = 0.006, 0.05  # mm and px: standard, of what no fit of strokes sees (their edges are not alike)
NARROW, OF_A_CUT = 0.2, 0.009  # mm: of so narrow a line nobody sees which lip lies in its own shadow; standard
SCALE_KNOWN, WAVE = 0.0015, 6.0  # standard, of a map’s local scale; mm over which what it leaves may change
OFF_FLAT = 0.35  # mm, by which what is printed may lie off a flat sheet
FAR = 6.0  # mm, from where what is beside a target is looked for by hand again


@dataclass(frozen=True)
class SeenSheet:
    """A sheet, or lines by themselves (then page is None), in a picture. middle: of it, mm.

    beside: of each target, None where nothing surely of the tool was found; lines: of each that was sought, the same.
    found: how many of its printed marks and targets. map: sheet → picture; residual_px: rms of its marks.
    """

    page: Page | None
    middle: Point
    map: SheetMap
    residual_px: float
    beside: tuple[Offset | None, ...]
    lines: Mapping[str, tuple[Across | None, ...]]
    found: int
    notes: tuple[Note, ...] = ()

    @property
    def px_per_mm(self) -> float:
        """In its middle."""
        return self.map.px_per_mm(self.middle)


def read_sheet(
    data: bytes, page: Page, name: str, sought: Mapping[str, Sequence[Sought]] = MappingProxyType({})
) -> SeenSheet:
    """What a picture shows of a sheet. name: of the file, where it is refused. sought: lines that are looked for, too.

    Raises InputError where there is no sheet, another one, or too little of it.
    """
    import numpy as np

    from keen_compass.formats.pictures import colours_of

    picture = Sampled(colours_of(data, name))
    tell(0.15)
    seen: dict[Point, Array] = {}
    for first in _by_code(picture, page, name):
        if first.px_per_mm(_middle(page)) < LEAST_PX:
            raise InputError(tr("shows the sheet too small: come nearer, or scan it at 150 dpi or more"), name)
        if len(seen) < LEAST_MARKS:
            seen = _found(picture, page, first)
    if len(seen) < LEAST_MARKS:
        raise InputError(
            tr("shows the sheet’s code, but too few of its marks: take all of it, sharp and from above"), name
        )
    tell(0.4)
    rough = _fit(seen, picture, page)
    looks = []
    for i, at in enumerate(map(page.on_paper, page.targets)):
        looks.append(look_at(picture, rough.map, page, at, seen.get(at)))
        tell(0.4 + 0.5 * (i + 1) / len(page.targets))
    print_at = {at: px for at, px in seen.items() if at not in map(page.on_paper, page.targets)}
    for target, look in zip(page.targets, looks, strict=True):
        at = page.on_paper(target)
        if look is not None:
            print_at[at] = _px(rough, at, look.print)
        elif at in seen:
            print_at[at] = seen[at]
    last = _fit(print_at, picture, page)
    off_map = dict(zip(print_at, np.hypot(*last.residuals.T) / last.map.px_per_mm(_middle(page)), strict=True))
    beside = []
    for target, look in zip(page.targets, looks, strict=True):
        at = page.on_paper(target)
        fits = off_map.get(at, math.inf) <= OFF_FLAT  # print that lies elsewhere is something else, or not flat at all
        beside.append(_measured(look, at, rough, last) if look and look.tint and fits else None)
    moved = _moved(beside)
    lines = {key: tuple(_along(picture, last.map, one, moved) for one in all_of) for key, all_of in sought.items()}
    worst = float(max(off_map.values()))
    notes = () if worst <= OFF_FLAT else (note("picture.not_flat", mm=worst),)
    return SeenSheet(page, _middle(page), last.map, last.rms, tuple(beside), lines, len(print_at), notes)


def _along(picture: Sampled, where: SheetMap, one: Sought, moved: Point) -> Across | None:
    """A line that is sought. What is printed moved with the marks: an edge that lies elsewhere is another, or too few
    marks were seen for the map to hold there.
    """
    if not one.edge:
        return across(picture, where, one, moved)
    found = across(picture, where, one)
    return found if found is not None and abs(found.off) <= OFF_FLAT else None


def _moved(beside: Sequence[Offset | None]) -> Point:
    """How far the tool is off all over the sheet, mm: its lines lie about there."""
    import numpy as np

    seen = [b.at for b in beside if b is not None]
    x, y = np.median(np.array(seen), axis=0).tolist() if seen else (0.0, 0.0)
    return x, y


def _middle(page: Page) -> Point:
    return page.width / 2, page.height / 2


def _by_code(picture: Sampled, page: Page, name: str) -> list[SheetMap]:
    """Roughly where the sheet lies, by its code, as seen from the front, then from behind.

    Raises InputError where there is none, or another.
    """
    import numpy as np
    import zxingcpp

    grey = picture.channels[GREY].astype(np.uint8)
    codes = [
        c
        for c in zxingcpp.read_barcodes(grey, formats=zxingcpp.BarcodeFormats(zxingcpp.BarcodeFormat.QRCode))
        if c.text.startswith(OURS)
    ]
    mine = next((c for c in codes if c.text == page.code), None)
    if mine is None and codes:
        raise InputError(
            tr(
                "shows {code}, not {wanted}", code=codes[0].text.removeprefix(OURS), wanted=page.code.removeprefix(OURS)
            ),
            name,
        )
    if mine is None:
        raise InputError(
            tr(
                "shows no sheet whose code can be read: {code} was looked for; take all of it, sharp, in even light",
                code=page.code.removeprefix(OURS),
            ),
            name,
        )
    p = mine.position
    front = (p.top_left, p.top_right, p.bottom_right, p.bottom_left)
    behind = (p.top_left, p.bottom_left, p.bottom_right, p.top_right)
    places = np.array(code_corners(page))
    return [
        fitted(places, np.array([(c.x + 0.5, c.y + 0.5) for c in corners]), picture.shape, projective=False).map
        for corners in (front, behind)
    ]


def code_corners(page: Page) -> tuple[Point, ...]:
    """Of its code on the paper: upper left, upper right, lower right, lower left."""
    x, y = page.on_paper(page.code_at)
    y -= CODE if page.down else 0.0
    return (x, y + CODE), (x + CODE, y + CODE), (x + CODE, y), (x, y)


def _fit(seen: dict[Point, Array], picture: Sampled, page: Page) -> Fitted:
    """Four marks are just enough for perspective; where a sheet has no targets there is nothing else."""
    import numpy as np

    exact = True if len(seen) == EXACT and not page.targets else None
    return fitted(np.array(list(seen)), np.array(list(seen.values())), picture.shape, projective=exact)


def _px(where: Fitted | SheetMap, at: Point, off: Point) -> Array:
    import numpy as np

    found = where.map if isinstance(where, Fitted) else where
    px: Array = found.to_picture(np.array([[at[0] + off[0], at[1] + off[1]]]))[0]
    return px


def _found(picture: Sampled, page: Page, first: SheetMap) -> dict[Point, Array]:
    """Places on the paper → px, of all marks and targets that are seen, the nearest to what is known first."""
    import numpy as np

    known = {at: _px(first, at, (0.0, 0.0)) for at in code_corners(page)}
    places = [page.on_paper(m.at) for m in page.marks] + [page.on_paper(t) for t in page.targets]
    seen: dict[Point, Array] = {}
    where, left = first, set(places)
    again = True
    while left or again:
        if not left:  # what was not seen before there was a map worth the name
            again, left = False, {p for p in places if p not in seen}
            continue
        at = min(left, key=lambda p: min(math.dist(p, q) for q in (*known, *seen)))
        left.discard(at)
        away = min(math.dist(at, q) for q in (*known, *seen))
        farther, most = (FARTHER, FARTHEST) if page.targets else (FARTHER_ALONE, FARTHEST_ALONE)
        reach = FIRST_REACH + farther * away * (1.0 if len(seen) < 4 else 0.3)
        px = _printed_at(picture, where, page, at, min(reach, most))
        if px is None:
            continue
        seen[at] = px
        # The code's corners are known to a pixel or two; once there is enough else, they no longer count.
        all_of = seen if len(seen) >= 5 else {**known, **seen}
        fit = fitted(
            np.array(list(all_of)),
            np.array(list(all_of.values())),
            picture.shape,
            projective=None if len(seen) > 2 else False,
        )
        where = fit.map
        if len(seen) >= 6 and fit.left_out.any():
            for k, bad in zip(list(all_of), fit.left_out, strict=True):
                if bad:
                    seen.pop(k, None)
    return seen


def _printed_at(picture: Sampled, where: SheetMap, page: Page, at: Point, reach: float) -> Array | None:
    """Where what is printed at a place is in the picture, px; None where it isn't seen within `reach` mm."""
    import numpy as np

    res = min(where.px_per_mm(np.array(at)), COARSE)
    design = design_of(page, at)
    rings = [s for s in design if isinstance(s, Ring)]
    arm = TARGET if rings else CROSS
    size = arm + 0.8
    template = _rendered(rings or design, size, res)
    x, y = grid(size + reach, res)
    grey, inside = picture.sampled(where, at, x, y)
    if inside.mean() < 0.5:
        return None
    ground = np.median(grey)
    like = likeness(np.where(inside, grey, ground), template)
    i, j = np.unravel_index(int(like.argmax()), like.shape)
    if like[i, j] < LIKE:
        return None
    n, m = (np.array(x.shape) - np.array(template.shape)) // 2
    off = (float(j - m) / res, float(n - i) / res)
    x, y = grid(arm + 0.9, min(where.px_per_mm(np.array(at)), FINEST))
    moved = (at[0] + off[0], at[1] + off[1])
    grey, inside = picture.sampled(where, moved, x, y)
    use = inside & free_about(page, at, x, y)
    if use.mean() < LEAST_SEEN:
        return None
    fit = laid(x[use], y[use], grey[use], design, Start(blur=0.6 / res))
    if fit is None or fit.ink < LEAST_INK * fit.ink_u or math.hypot(*fit.print) > 0.8:
        return None
    return _px(where, moved, fit.print)


def _rendered(design: Sequence[Stroke | Ring], size: float, res: float) -> Array:
    """How light it is there, roughly."""
    import numpy as np
    from scipy.ndimage import gaussian_filter

    x, y = grid(size, res)
    dark = np.zeros_like(x)
    for s in design:
        if isinstance(s, Ring):
            away = np.abs(np.hypot(x, y) - s.radius)
        else:
            (ax, ay), dx, dy = s.along, x - s.at[0], y - s.at[1]
            away = np.hypot(np.maximum(np.abs(dx * ax + dy * ay) - s.half, 0), dx * -ay + dy * ax)
        dark = np.maximum(dark, np.clip(0.5 + (s.width / 2 - away) * res, 0, 1) + 0.0)
    soft: Array = 1 - gaussian_filter(np.clip(dark, 0, 1), 0.7)
    return soft


def _measured(look: Laid, at: Point, rough: Fitted, fit: Fitted) -> Offset:
    """Back on the sheet by the last map, with what the fit of strokes can't know."""
    import numpy as np

    tool = (look.print[0] + look.tool[0], look.print[1] + look.tool[1])
    both = np.array([_px(rough, at, look.print), _px(rough, at, tool)])
    last = fit.map
    print_at, tool_at = last.to_sheet(both)
    off = tool_at - print_at
    scale = SCALE_KNOWN + fit.rms / last.px_per_mm(at) / WAVE
    own = math.hypot(FLOOR_PX / last.px_per_mm(at), OF_A_CUT if look.width < NARROW else FLOOR)
    U = [math.hypot(look.tool_U[k], 2 * own, 2 * scale * math.hypot(*off.tolist())) for k in range(2)]
    return Offset((float(off[0]), float(off[1])), (U[0], U[1]))
