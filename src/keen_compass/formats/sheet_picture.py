"""A sheet of ours in somebody's photo or scan: where it lies, and what a tool drew beside its targets (arithmetic.md §12).

Its code says which sheet it is and, roughly, where. From there on the printed marks are looked for, each where those
found before say, then the targets; each target's print and the tool's cross beside it are fitted together, in the
colour that shows the tool best. The map is fitted anew through everything found, and takes what was seen back to mm.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from keen_compass.errors import InputError
from keen_compass.formats.pages import BESIDE, LINE, THIN
from keen_compass.pieces.page import ARM, CODE, CROSS, DRAWN_TICKS, RINGS, TARGET, Page
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.notes import Note, note
from keen_compass.solve.sheet_map import Fitted, SheetMap, fitted
from keen_compass.solve.strokes import Laid, Ring, Start, Stroke, laid

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

OURS = "KC "  # how our codes begin
LEAST_PX = 3.0  # px per mm: below, a printed line is no line any more
FINEST = 8.0  # px per mm that are looked at: more tells nothing new
COARSE = 6.0  # px per mm, in which things are looked for
FIRST_REACH, FARTHER = 1.6, 0.07  # mm, by which a mark may lie off, and mm for each mm from what is known already
LIKE = 0.42  # correlation with what is printed there, from which on it is that
LEAST_INK = 5.0  # standard uncertainties of its ink, from which on print is there
FARTHEST = 9.0  # mm, that a tool's cross may lie beside its target
OVER_PRINT = 0.15  # of what the print hides, from which on a tool isn't looked for there
STANDS_OUT = 7.0  # robust standard deviations of what else looks like a cross
PLAINLY_BETTER = 1.15  # by which one colour must show it better than their mean
LEAST_TINT = 6.0  # standard uncertainties of the tool's ink
ARM_SEEN = 0.3  # of a stroke's tint: what each end of an arm must have at least
WIDEST = 1.0  # mm, of a tool's stroke
FLOOR, FLOOR_PX = 0.006, 0.03  # mm and px: standard, of what no fit of strokes sees (their edges are not alike)
SCALE_KNOWN = 0.004  # standard, of the local scale of a map: what lies farther beside its target is known less well
OFF_FLAT = 0.35  # mm, by which marks may lie off a flat sheet
FAR = 6.0  # mm, from where what is beside a target is looked for by hand again


@dataclass(frozen=True)
class Beside:
    """How a tool's cross lies beside a target's, mm on the page (Y up), with its expanded uncertainty (95 %)."""

    at: Point
    U: Point


@dataclass(frozen=True)
class SeenSheet:
    """A sheet in a picture. beside: of each target, None where nothing surely of the tool was found.

    found: how many of its printed marks and targets. map: sheet → picture; residual_px: rms of its marks.
    """

    page: Page
    map: SheetMap
    residual_px: float
    beside: tuple[Beside | None, ...]
    found: int
    notes: tuple[Note, ...] = ()

    @property
    def px_per_mm(self) -> float:
        """In the middle of the sheet."""
        return self.map.px_per_mm(_middle(self.page))


class _Picture:
    """Its colours, and their mean, as they are sampled."""

    def __init__(self, colours: Array) -> None:
        """colours: rows of red, green, blue 0 … 255."""
        import numpy as np

        self.shape = colours.shape[:2]
        self.channels = [*np.moveaxis(colours, 2, 0), colours.mean(axis=2, dtype=np.float32)]

    def sampled(self, where: SheetMap, at: Point, x: Array, y: Array, channel: int = 3) -> tuple[Array, NDArray[np.bool_]]:
        """Greys at places `x`, `y` mm about `at`; and whether they are in the picture."""
        import numpy as np
        from scipy.ndimage import map_coordinates

        px = where.to_picture(np.column_stack([at[0] + x.ravel(), at[1] + y.ravel()]))
        u, v = px[:, 0] - 0.5, px[:, 1] - 0.5
        inside = (u >= 1) & (v >= 1) & (u <= self.shape[1] - 2) & (v <= self.shape[0] - 2)
        left, top = math.floor(max(u.min(), 0)), math.floor(max(v.min(), 0))
        part = self.channels[channel][top : math.ceil(v.max()) + 2, left : math.ceil(u.max()) + 2]
        if part.size == 0:
            return np.zeros(x.shape), np.zeros(x.shape, bool)
        found = map_coordinates(part, [v - top, u - left], order=1, mode="nearest", output=float)
        return found.reshape(x.shape), inside.reshape(x.shape)


def read_sheet(data: bytes, page: Page, name: str, step: Callable[[float], None] = lambda _share: None) -> SeenSheet:
    """What a picture shows of a sheet. name: of the file, where it is refused; step: told the share that is done.

    Raises InputError where there is no sheet, another one, or too little of it.
    """
    import numpy as np

    from keen_compass.formats.pictures import colours_of

    picture = _Picture(colours_of(data, name))
    step(0.15)
    first = _by_code(picture, page, name)
    if first.px_per_mm(_middle(page)) < LEAST_PX:
        raise InputError("shows the sheet too small: come nearer, or scan it at 150 dpi or more", name)
    seen = _found(picture, page, first)
    if len(seen) < 3:
        raise InputError("shows the sheet’s code, but too few of its marks: take all of it, sharp and from above", name)
    step(0.4)
    rough = _fit(seen, picture)
    looks = []
    for i, target in enumerate(page.targets):
        looks.append(_look(picture, rough, page, page.on_paper(target), seen))
        step(0.4 + 0.6 * (i + 1) / len(page.targets))
    print_at = {at: px for at, px in seen.items() if at not in map(page.on_paper, page.targets)}
    for target, look in zip(page.targets, looks, strict=True):
        at = page.on_paper(target)
        if look is not None:
            print_at[at] = _px(rough, at, look.print)
        elif at in seen:
            print_at[at] = seen[at]
    last = _fit(print_at, picture)
    beside = []
    for target, look in zip(page.targets, looks, strict=True):
        beside.append(_measured(look, page.on_paper(target), rough, last.map) if look and look.tint else None)
    off = last.residuals / last.map.px_per_mm(_middle(page))
    flat = bool(np.hypot(*off.T).max() <= OFF_FLAT) and not last.left_out.any()
    notes = () if flat else (note("picture.not_flat", mm=float(np.hypot(*off.T).max())),)
    return SeenSheet(page, last.map, last.rms, tuple(beside), len(print_at), notes)


def _middle(page: Page) -> Array:
    import numpy as np

    return np.array([page.width / 2, page.height / 2])


def _by_code(picture: _Picture, page: Page, name: str) -> SheetMap:
    """Roughly where the sheet lies, by its code. Raises InputError where there is none, or another."""
    import numpy as np
    import zxingcpp

    grey = np.clip(picture.channels[3], 0, 255).astype(np.uint8)
    codes = [c for c in zxingcpp.read_barcodes(grey, formats=zxingcpp.BarcodeFormat.QRCode) if c.text.startswith(OURS)]
    mine = next((c for c in codes if c.text == page.code), None)
    if mine is None and codes:
        raise InputError(f"shows {codes[0].text.removeprefix(OURS)}, not {page.code.removeprefix(OURS)}", name)
    if mine is None:
        raise InputError(
            f"shows no sheet whose code can be read: {page.code.removeprefix(OURS)} was looked for; take all of it, "
            "sharp, in even light",
            name,
        )
    p = mine.position
    pixels = np.array([(c.x + 0.5, c.y + 0.5) for c in (p.top_left, p.top_right, p.bottom_right, p.bottom_left)], float)
    return fitted(np.array(code_corners(page)), pixels, picture.shape, projective=False).map


def code_corners(page: Page) -> tuple[Point, ...]:
    """Of its code on the paper: upper left, upper right, lower right, lower left."""
    x, y = page.on_paper(page.code_at)
    y -= CODE if page.down else 0.0
    return (x, y + CODE), (x + CODE, y + CODE), (x + CODE, y), (x, y)


def design_of(page: Page, at: Point) -> tuple[Stroke | Ring, ...]:
    """What is printed about a mark or target of the paper, mm from it."""
    mark = next((m for m in page.marks if page.on_paper(m.at) == at), None)
    arm, width = (CROSS, LINE) if mark else (TARGET, THIN)
    cross = tuple(Stroke((0.0, 0.0), along, arm, width) for along in ((1.0, 0.0), (0.0, 1.0)))
    if mark is None:
        return (*cross, *(Ring((0.0, 0.0), r, THIN) for r in RINGS))
    if not mark.unlike:
        return cross
    side = 2 * LINE
    ends = (((0.0, s * CROSS), (1.0, 0.0)) for s in (-1, 1)), (((s * CROSS, 0.0), (0.0, 1.0)) for s in (-1, 1))
    return (*cross, *(Stroke(middle, along, CROSS, side) for pair in ends for middle, along in pair))


def _fit(seen: dict[Point, Array], picture: _Picture) -> Fitted:
    import numpy as np

    return fitted(np.array(list(seen)), np.array(list(seen.values())), picture.shape)


def _px(where: Fitted | SheetMap, at: Point, off: Point) -> Array:
    import numpy as np

    found = where.map if isinstance(where, Fitted) else where
    px: Array = found.to_picture(np.array([[at[0] + off[0], at[1] + off[1]]]))[0]
    return px


def _found(picture: _Picture, page: Page, first: SheetMap) -> dict[Point, Array]:
    """Places on the paper → px, of all marks and targets that are in the picture, the nearest to what is known first."""
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
        reach = FIRST_REACH + FARTHER * away * (1.0 if len(seen) < 4 else 0.3)
        px = _printed_at(picture, where, page, at, min(reach, 12.0))
        if px is None:
            continue
        seen[at] = px
        # The code's corners are known to a pixel or two; once there is enough else, they no longer count.
        all_of = seen if len(seen) >= 5 else {**known, **seen}
        fit = fitted(
            np.array(list(all_of)), np.array(list(all_of.values())), picture.shape, projective=None if len(seen) > 2 else False
        )
        where = fit.map
        if len(seen) >= 6 and fit.left_out.any():
            for k, bad in zip(list(all_of), fit.left_out, strict=True):
                if bad:
                    seen.pop(k, None)
    return seen


def _printed_at(picture: _Picture, where: SheetMap, page: Page, at: Point, reach: float) -> Array | None:
    """Where what is printed at a place is in the picture, px; None where it isn't seen within `reach` mm."""
    import numpy as np
    from skimage.feature import match_template

    res = min(where.px_per_mm(np.array(at)), COARSE)
    design = design_of(page, at)
    rings = [s for s in design if isinstance(s, Ring)]
    arm = TARGET if rings else CROSS
    size = arm + 0.8
    template = _rendered(rings or design, size, res)
    x, y = _grid(size + reach, res)
    grey, inside = picture.sampled(where, at, x, y)
    if inside.mean() < 0.5:
        return None
    ground = np.median(grey)
    like = match_template(np.where(inside, grey, ground), template)
    i, j = np.unravel_index(int(like.argmax()), like.shape)
    if like[i, j] < LIKE:
        return None
    n, m = (np.array(x.shape) - np.array(template.shape)) // 2
    off = (float(j - m) / res, float(n - i) / res)
    x, y = _grid(arm + 0.9, min(where.px_per_mm(np.array(at)), FINEST))
    moved = (at[0] + off[0], at[1] + off[1])
    grey, inside = picture.sampled(where, moved, x, y)
    use = inside & _free(page, at, x, y)
    if use.mean() < 0.4:
        return None
    fit = laid(x[use], y[use], grey[use], design, Start(blur=0.6 / res))
    if fit is None or fit.ink < LEAST_INK * fit.ink_u or math.hypot(*fit.print) > 0.8:
        return None
    return _px(where, moved, fit.print)


def _grid(reach: float, res: float) -> tuple[Array, Array]:
    """Places from −reach to reach mm, rows from the top, `res` to a mm."""
    import numpy as np

    steps = np.arange(-math.floor(reach * res), math.floor(reach * res) + 1) / res
    x, y = np.meshgrid(steps, -steps)
    return x, y


def _rendered(design: Sequence[Stroke | Ring], size: float, res: float) -> Array:
    """How light it is there, roughly."""
    import numpy as np
    from scipy.ndimage import gaussian_filter

    x, y = _grid(size, res)
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


def _free(page: Page, at: Point, x: Array, y: Array) -> NDArray[np.bool_]:
    """Where about a mark or target there is nothing but what its design says: no number, no verniers."""
    import numpy as np

    is_mark = any(page.on_paper(m.at) == at for m in page.marks)
    begins = (CROSS if is_mark else TARGET) + BESIDE - 0.6
    if is_mark:
        inwards = 1.0 if at[0] < page.width / 2 else -1.0
        return ~((x * inwards > begins) & (y > -0.5))
    number = (x > begins) & (x < begins + 6.0) & (np.abs(y) < 2.8)
    if not page.fine:
        return ~number
    up = -1.0 if page.down else 1.0
    scales = (y * up > DRAWN_TICKS["x"][0] - 0.4) | (x < -(DRAWN_TICKS["y"][0] - 0.6))
    return ~(number | scales)


def _look(picture: _Picture, rough: Fitted, page: Page, at: Point, seen: dict[Point, Array]) -> Laid | None:
    """Print and tool at a target, tint 0 where no tool is surely there; None where not even the print is seen."""
    import numpy as np

    if at not in seen:
        return None
    where = rough.map
    start = (where.to_sheet(seen[at][None, :])[0] - np.array(at)).tolist()
    fine = min(where.px_per_mm(np.array(at)), FINEST)
    x, y = _grid(TARGET + 0.9, fine)
    grey, inside = picture.sampled(where, at, x, y)
    use = inside & _free(page, at, x, y)
    alone = laid(x[use], y[use], grey[use], design_of(page, at), Start((start[0], start[1]), 0.6 / fine))
    if alone is None:
        return None
    best: tuple[float, int, Point, float] | None = None
    for channel in (3, 0, 1, 2):
        for score, off, sign in _crosses(picture, where, page, at, alone, channel):
            if best is None or score > best[0] * (PLAINLY_BETTER if best[1] != channel else 1.0):
                best = (score, channel, off, sign)
    if best is None or best[0] < STANDS_OUT:
        return alone
    return _together(picture, where, page, at, best, fine, alone) or alone


def _together(
    picture: _Picture,
    where: SheetMap,
    page: Page,
    at: Point,
    best: tuple[float, int, Point, float],
    fine: float,
    alone: Laid,
) -> Laid | None:
    """Print and tool fitted together; None where what was found is no tool's cross after all."""
    import numpy as np

    _, channel, off, sign = best
    start = alone.print
    x, y = _grid(max(TARGET, ARM + max(abs(off[0]), abs(off[1]))) + 1.2, fine)
    grey, inside = picture.sampled(where, at, x, y, channel)
    dx, dy = x - start[0] - off[0], y - start[1] - off[1]
    near = np.minimum(np.where(np.abs(dy) < ARM + 1.0, np.abs(dx), 9.0), np.where(np.abs(dx) < ARM + 1.0, np.abs(dy), 9.0))
    own = np.maximum(np.abs(x - start[0]), np.abs(y - start[1])) < TARGET + 0.7
    use = inside & _free(page, at, x, y) & ((near < 1.1) | own)
    if use.sum() < 100:
        return None
    found = None
    for width in (0.35, 0.1):
        begin = Start(start, 0.5 / fine, off, ARM, width, sign * (0.6 if width > 0.2 else 0.3))
        fit = laid(x[use], y[use], grey[use], design_of(page, at), begin)
        if fit is not None and (found is None or fit.noise < 0.98 * found.noise):
            found = fit
    if found is None or abs(found.tint) < LEAST_TINT * found.tint_u or found.width > WIDEST:
        return None
    if math.dist(found.tool, off) > 0.6 or math.dist(found.print, start) > 0.5:
        return None
    return found if _arms(x, y, grey, use, found) else None


def _arms(x: Array, y: Array, grey: Array, use: NDArray[np.bool_], fit: Laid) -> bool:
    """Whether what was found has the arms of a cross: at least three of four, seen beyond what is printed."""
    import numpy as np

    ground, hidden = fit.ground, fit.printed
    left = np.zeros_like(grey)
    left[use] = 1 - grey[use] / np.maximum(ground * (1 - hidden), 1.0)
    clear = use.copy()
    clear[use] = hidden < OVER_PRINT
    dx, dy = x - fit.print[0] - fit.tool[0], y - fit.print[1] - fit.tool[1]
    across = {"x": dx - fit.slopes[0] * dy, "y": dy - fit.slopes[1] * dx}
    good = known = 0
    half, aside = max(fit.width / 2, 0.06), fit.width / 2 + 2.5 * fit.blur
    for name, along in (("x", dy), ("y", dx)):
        for side in (-1, 1):
            arm = clear & (side * along > 0.8) & (side * along < ARM - 0.2)
            on, off = arm & (np.abs(across[name]) < half), arm & (np.abs(np.abs(across[name]) - aside - 0.25) < 0.25)
            if on.sum() < 4 or off.sum() < 4:
                continue
            known += 1
            good += bool(fit.tint * (left[on].mean() - left[off].mean()) > 0.25 * ARM_SEEN * fit.tint**2)
    return known >= 3 and good >= known - (known == 4)


def _crosses(
    picture: _Picture, where: SheetMap, page: Page, at: Point, fit: Laid, channel: int
) -> list[tuple[float, Point, float]]:
    """(how much it stands out, mm beside the print, +1 dark or −1 light) of what looks most like a tool's cross."""
    import numpy as np
    from scipy.ndimage import uniform_filter1d

    res = min(where.px_per_mm(np.array(at)), COARSE)
    x, y = _grid(FARTHEST + ARM + 1.0, res)
    grey, inside = picture.sampled(where, at, x, y, channel)
    dx, dy = x - fit.print[0], y - fit.print[1]
    hidden = np.zeros_like(x)
    for s in design_of(page, at):
        if isinstance(s, Ring):
            away = np.abs(np.hypot(dx, dy) - s.radius)
        else:
            (ax, ay) = s.along
            away = np.hypot(np.maximum(np.abs(dx * ax + dy * ay) - s.half, 0), dx * -ay + dy * ax)
        hidden = np.maximum(hidden, (away < s.width / 2 + 1.8 * fit.blur + 0.04).astype(float))
    clear = (inside & _free(page, at, x, y) & (hidden == 0)).astype(float)
    dark = -np.log(np.clip(grey, 4.0, None)) * clear
    wide = int(3.0 * res) | 1
    base = uniform_filter1d(uniform_filter1d(dark, wide, 0), wide, 1) / np.maximum(
        uniform_filter1d(uniform_filter1d(clear, wide, 0), wide, 1), 0.02
    )
    dark = np.clip((dark - base) * clear, -0.5, 0.5)
    length, thick = int(2 * ARM * res) | 1, int(1.6 * res) | 1

    def strokes(axis: int) -> Array:
        mean = uniform_filter1d(dark, length, axis) / np.maximum(uniform_filter1d(clear, length, axis), 0.12)
        found: Array = mean - uniform_filter1d(mean, thick, 1 - axis)
        return found

    both = [strokes(0), strokes(1)]
    within = np.maximum(np.abs(dx), np.abs(dy)) < FARTHEST
    found = []
    for sign in (1.0, -1.0):
        score = np.minimum(sign * both[0], sign * both[1])
        noise = 1.4826 * float(np.median(np.abs(both[0][within]))) + 1e-4
        i, j = np.unravel_index(int(np.where(within, score, -1).argmax()), score.shape)
        found.append((float(score[i, j]) / noise, (float(dx[i, j]), float(dy[i, j])), sign))
    return found


def _measured(look: Laid, at: Point, rough: Fitted, last: SheetMap) -> Beside:
    """Back on the sheet by the last map, with what the fit of strokes can't know."""
    import numpy as np

    both = np.array([_px(rough, at, look.print), _px(rough, at, (look.print[0] + look.tool[0], look.print[1] + look.tool[1]))])
    print_at, tool_at = last.to_sheet(both)
    off = tool_at - print_at
    own = FLOOR_PX / last.px_per_mm(np.array(at))
    U = [
        math.hypot(look.tool_U[k], 2 * FLOOR, 2 * own, 2 * SCALE_KNOWN * math.hypot(*off.tolist())) for k in range(2)
    ]
    return Beside((float(off[0]), float(off[1])), (U[0], U[1]))
