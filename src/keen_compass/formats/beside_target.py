"""What is printed about a mark or target of a sheet, and the tool's cross beside it, in a piece of a picture.

A tool's cross is looked for where nothing is printed, in each colour, dark or light; then print and tool are fitted
together (`solve/strokes.py`), and what has no arms of a cross is none.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from keen_compass.formats.pages import BESIDE, LINE, THIN, words_box
from keen_compass.formats.sampled import CHANNELS, Sampled, grid
from keen_compass.pieces.page import ARM, CROSS, DRAWN_TICKS, RINGS, TARGET, Page
from keen_compass.quantities.geometry import Point
from keen_compass.solve.sheet_map import SheetMap
from keen_compass.solve.strokes import Laid, Ring, Start, Stroke, laid

if TYPE_CHECKING:
    from keen_compass.formats.sampled import Array, Mask

FINEST = 8.0  # px per mm that are looked at: more tells nothing new
COARSE = 6.0  # px per mm, in which things are looked for
LEAST_SEEN = 0.4  # of what is about a mark or target, that must be in the picture
LEAST_INK = 5.0  # standard uncertainties of its ink, from which on print is there
FARTHEST = 9.0  # mm, that a tool's cross may lie beside its target
OVER_PRINT = 0.15  # of what the print hides, from which on a tool isn't looked for there
DEEPEST = 1.2  # of the logarithm of light: darker counts no more
STANDS_OUT = 7.0  # robust standard deviations of what else looks like a cross
PLAINLY_BETTER = 1.15  # by which one colour must show it better than their mean
LEAST_TINT = 6.0  # standard uncertainties of the tool's ink
ARM_SEEN, FAINT_ARM = 0.4, 0.2  # of what a stroke should show: what three arms must, and the fourth at least
MOVED = 0.6  # mm, by which a fit may end beside where it began
WIDEST = 1.0  # mm, of a tool's stroke


def design_of(page: Page, at: Point) -> tuple[Stroke | Ring, ...]:
    """What is printed about a mark or target of the paper, mm from it."""
    mark = next((m for m in page.marks if page.on_paper(m.at) == at), None)
    arm, width = (CROSS, LINE) if mark else (TARGET, THIN)
    cross = tuple(Stroke((0.0, 0.0), along, arm, width) for along in ((1.0, 0.0), (0.0, 1.0)))
    if mark is None:
        return (*cross, *(Ring((0.0, 0.0), r * page.graduation.division, THIN) for r in RINGS))
    if not mark.unlike:
        return cross
    side = 2 * LINE
    ends = (((0.0, s * CROSS), (1.0, 0.0)) for s in (-1, 1)), (((s * CROSS, 0.0), (0.0, 1.0)) for s in (-1, 1))
    return (*cross, *(Stroke(middle, along, CROSS, side) for pair in ends for middle, along in pair))


def free_about(page: Page, at: Point, x: Array, y: Array) -> Mask:
    """Where about a mark or target there is nothing but what its design says: no number, no verniers."""
    import numpy as np

    words = words_box(page)
    u, v = at[0] + x, at[1] + y
    clear = ~((u > words.x - 1) & (u < words.x_high) & (v > words.y) & (v < words.y_high))
    is_mark = any(page.on_paper(m.at) == at for m in page.marks)
    begins = (CROSS if is_mark else TARGET) + BESIDE - 0.6
    if is_mark:
        inwards = 1.0 if at[0] < page.width / 2 else -1.0
        return clear & ~((x * inwards > begins) & (y > -0.5))
    number = (x > begins) & (x < begins + 6.0) & (np.abs(y) < 2.8)
    if not page.fine:
        return clear & ~number
    up = -1.0 if page.down else 1.0
    scales = (y * up > DRAWN_TICKS["x"][0] - 0.4) | (x < -(DRAWN_TICKS["y"][0] - 0.6))
    return clear & ~(number | scales)


def look_at(picture: Sampled, where: SheetMap, page: Page, at: Point, seen: Array | None) -> Laid | None:
    """Print and tool at a target, tint 0 where no tool is surely there; None where not even the print is seen."""
    import numpy as np

    start = [0.0, 0.0]  # a tool that drew all over it hides it from the first look
    if seen is not None:
        start = (where.to_sheet(seen[None, :])[0] - np.array(at)).tolist()
    fine = min(where.px_per_mm(np.array(at)), FINEST)
    x, y = grid(TARGET + 0.9, fine)
    grey, inside = picture.sampled(where, at, x, y)
    use = inside & free_about(page, at, x, y)
    if use.mean() < LEAST_SEEN:
        return None
    alone = laid(x[use], y[use], grey[use], design_of(page, at), Start((start[0], start[1]), 0.6 / fine))
    if alone is None:
        return None
    best: tuple[float, int, Point, float] | None = None
    for channel in CHANNELS:
        for score, off, sign in _crosses(picture, where, page, at, alone, channel):
            if best is None or score > best[0] * (PLAINLY_BETTER if best[1] != channel else 1.0):
                best = (score, channel, off, sign)
    if best is None or best[0] < STANDS_OUT:
        return alone
    return _together(picture, where, page, at, best, fine, alone) or alone


def _together(
    picture: Sampled,
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
    x, y = grid(max(TARGET, ARM + max(abs(off[0]), abs(off[1]))) + 1.2, fine)
    grey, inside = picture.sampled(where, at, x, y, channel)
    dx, dy = x - start[0] - off[0], y - start[1] - off[1]
    near = np.minimum(
        np.where(np.abs(dy) < ARM + 1.0, np.abs(dx), 9.0), np.where(np.abs(dx) < ARM + 1.0, np.abs(dy), 9.0)
    )
    own = np.maximum(np.abs(x - start[0]), np.abs(y - start[1])) < TARGET + 0.7
    use = inside & free_about(page, at, x, y) & ((near < 1.1) | own)
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
    if (
        found.ink < LEAST_INK * found.ink_u
        or math.dist(found.tool, off) > MOVED
        or math.dist(found.print, start) > MOVED
    ):
        return None
    return found if _arms(x, y, grey, use, found) else None


def _arms(x: Array, y: Array, grey: Array, use: Mask, fit: Laid) -> bool:
    """Whether what was found has the arms of a cross, seen beyond what is printed: three plainly, none not at all."""
    import numpy as np

    ground, hidden = fit.ground, fit.printed
    left = np.zeros_like(grey)
    left[use] = 1 - grey[use] / np.maximum(ground * (1 - hidden), 1.0)
    clear = use.copy()
    clear[use] = hidden < OVER_PRINT
    dx, dy = x - fit.print[0] - fit.tool[0], y - fit.print[1] - fit.tool[1]
    across = {"x": dx - fit.slopes[0] * dy, "y": dy - fit.slopes[1] * dx}
    shares: list[float] = []
    peak = math.erf(fit.width / 2 / (math.sqrt(2) * fit.blur))  # of its tint, what a blurred stroke still has
    half, aside = max(fit.width / 2, 0.06), fit.width / 2 + 2.5 * fit.blur
    for name, along in (("x", dy), ("y", dx)):
        for side in (-1, 1):
            arm = clear & (side * along > 0.8) & (side * along < ARM - 0.2)
            on, off = arm & (np.abs(across[name]) < half), arm & (np.abs(np.abs(across[name]) - aside - 0.25) < 0.25)
            if on.sum() < 4 or off.sum() < 4:
                continue
            shares.append(float(left[on].mean() - left[off].mean()) / (peak * fit.tint))
    return len(shares) >= 3 and min(shares) > FAINT_ARM and sorted(shares)[-3] > ARM_SEEN


def _crosses(
    picture: Sampled, where: SheetMap, page: Page, at: Point, fit: Laid, channel: int
) -> list[tuple[float, Point, float]]:
    """(how much it stands out, mm beside the print, +1 dark or −1 light) of what looks most like a tool's cross."""
    import numpy as np
    from scipy.ndimage import uniform_filter1d

    res = min(where.px_per_mm(np.array(at)), COARSE)
    x, y = grid(FARTHEST + ARM + 1.0, res)
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
    clear = (inside & free_about(page, at, x, y) & (hidden == 0)).astype(float)
    dark = -np.log(np.clip(grey, 4.0, None)) * clear
    wide = int(3.0 * res) | 1
    base = uniform_filter1d(uniform_filter1d(dark, wide, 0), wide, 1) / np.maximum(
        uniform_filter1d(uniform_filter1d(clear, wide, 0), wide, 1), 0.02
    )
    dark = np.clip((dark - base) * clear, -DEEPEST, DEEPEST)
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
