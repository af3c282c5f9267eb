"""Single lines and edges in a picture, each near a place where it should be and about square to a known way: ticks of a
tool, a cut beside its print, the edge of what is printed (arithmetic.md §12).

A strip about the place is straightened and summed up along the line, for each way that the line may lean; what stands
out there is followed piece by piece. Its uncertainty comes from how the pieces differ.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from keen_compass.formats.sampled import CHANNELS, Sampled
from keen_compass.pieces.in_picture import Across, Sought
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.uncertainty import K_95, t_95
from keen_compass.solve.sheet_map import SheetMap

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

FINEST = 16.0  # px per mm that are looked at
FILTER = 0.11  # mm, standard, of what a line is smoothed by, at least; px of the same
FILTER_PX = 0.8
WIDER = 3.0  # times that, of the ground that it stands out from
LEANS = np.linspace(-0.04, 0.04, 17)  # of a line beside the way that it should run
STANDS_OUT = 6.0  # robust standard deviations of the rest of the strip
ONLY = 0.6  # of the best: a second line as plain as that leaves it open which one is meant
PIECE = 0.7  # mm, of a line that is followed by itself
PIECES_SEEN = 0.7  # share of them that must show it
STRAY = 0.25  # mm, by which a piece may lie off the line
ANYWHERE = 0.4  # of what pieces would scatter by that lay anywhere within `_near`: those of a line lie closer
LEAST_NOISE = 0.02  # hundredths of the logarithm of light: a strip of nothing at all has some, too
BESIDE = 2.2  # of that smoothing, how far beside it its sides are
LEAST_LINE = 1.2  # hundredths of the logarithm of light: what is fainter is the paper's own grain
FLAT, RISES = 0.2, 1.04  # mm over which an edge no longer rises by as much, times: there what it ends is fully seen
EDGE_STEP = 5.0  # of 255, by which the two sides of an edge differ at least
MARGIN = 0.8  # mm of the strip beyond what is looked through
FLOOR, FLOOR_PX = 0.012, 0.11  # mm and px: standard, of what no scatter of pieces shows
CURVED = 6  # pieces, from which on a line may bend


def across(picture: Sampled, where: SheetMap, sought: Sought, moved: Point = (0.0, 0.0)) -> Across | None:
    """Where the line is; None where none is surely seen, or more than one. moved: mm, by which it is known to lie off,
    as everything else of its kind.
    """
    (ax, ay), (nx, ny) = sought.at, sought.out
    at, along = (ax + moved[0], ay + moved[1]), moved[0] * nx + moved[1] * ny
    res = min(where.px_per_mm(np.array(at)), FINEST)
    wide = sought.reach + MARGIN
    s = np.arange(-math.floor(sought.half * res), math.floor(sought.half * res) + 1) / res
    t = np.arange(-math.floor(wide * res), math.floor(wide * res) + 1) / res
    rows, columns = np.meshgrid(s, t, indexing="ij")
    x, y = -ny * rows + nx * columns, nx * rows + ny * columns
    best: tuple[float, Array] | None = None
    for channel in CHANNELS:
        grey, inside = picture.sampled(where, at, x, y, channel)
        if not inside.all():
            return None
        if sought.edge:
            found = _edge(grey, s, t, sought.reach, res)
        else:
            found = _line(100 * np.log(np.clip(grey, 4.0, None)), s, t, sought.reach, res)
        if found is not None and (best is None or found[0] > 1.1 * best[0]):
            best = found
    if best is None:
        return None
    found_at = _through(s, best[1], res, math.inf if sought.edge else _near(res))
    return found_at and found_at._replace(off=found_at.off + along)


def _line(light: Array, s: Array, t: Array, reach: float, res: float) -> tuple[float, Array] | None:
    """(how much it stands out, where each row has it, mm; nan for not at all), of what a tool left."""
    from scipy.ndimage import gaussian_filter1d

    fine = _fine(res) * res
    soft = gaussian_filter1d(light, fine, axis=1)
    within = np.abs(t) <= reach
    found: tuple[float, Array, float, float] | None = None
    for lean in LEANS:
        mean = _sheared(soft, s, t, lean).mean(axis=0)
        for sign in (1.0, -1.0):
            ridge = _ridge(sign * mean, round(BESIDE * fine))
            peak = float(np.where(within, ridge, 0.0).max())
            if found is None or peak > found[0]:
                found = peak, ridge, float(lean), sign
    assert found is not None
    plain, ridge, lean, sign = found
    k = int(np.where(within, ridge, 0.0).argmax())
    elsewhere = within & (np.abs(t - t[k]) > 4 * fine / res)
    other = float(ridge[elsewhere].max()) if elsewhere.any() else 0.0
    noise = float(np.abs(ridge[elsewhere]).mean()) + LEAST_NOISE if elsewhere.any() else LEAST_NOISE
    if plain < max(STANDS_OUT * noise, LEAST_LINE) or other > ONLY * plain:
        return None
    likeness = soft - gaussian_filter1d(light, WIDER * fine, axis=1)
    places = _followed(sign * _sheared(likeness, s, t, lean), s, t, float(t[k]), _near(res))
    return plain / noise, places + lean * s


def _fine(res: float) -> float:
    """mm, standard, of what a line is smoothed by."""
    return max(FILTER, FILTER_PX / res)


def _near(res: float) -> float:
    """mm, how far off a line its pieces are looked for."""
    return 3 * _fine(res)


def _ridge(mean: Array, beside: int) -> Array:
    """How far each place rises above both its sides: where something ends, there is only one."""
    left, right = np.roll(mean, beside), np.roll(mean, -beside)
    left[:beside], right[len(right) - beside :] = mean[:beside], mean[len(mean) - beside :]
    found: Array = np.clip(mean - np.maximum(left, right), 0.0, None)
    return found


def _followed(like: Array, s: Array, t: Array, at: float, near: float) -> Array:
    """Where it is most alike within `near` of a place, in pieces, to a part of a pixel; nan where it isn't there."""
    window = np.flatnonzero(np.abs(t - at) <= near)
    found = np.full(len(s), np.nan)
    step = t[1] - t[0]
    whole = like.mean(axis=0)[window].max()
    for rows in _pieces(s):
        mean = like[rows].mean(axis=0)
        k = window[int(mean[window].argmax())]
        if not 0 < k < len(t) - 1 or mean[k] < 0.35 * whole:
            continue
        a, b, c = mean[k - 1], mean[k], mean[k + 1]
        bend = a - 2 * b + c
        found[rows] = t[k] + (0.5 * step * (a - c) / bend if bend < 0 else 0.0)
    return found


def _edge(light: Array, s: Array, t: Array, reach: float, res: float) -> tuple[float, Array] | None:
    """The same of where what lies inside (below 0) ends: half way between the two sides, seen from outside."""
    from scipy.ndimage import gaussian_filter1d

    soft = gaussian_filter1d(light, FILTER_PX, axis=1)
    whole = soft.mean(axis=0)
    outside = (t > reach) & (t < reach + MARGIN / 2)  # whatever is cut there lies beyond
    least = max(EDGE_STEP, STANDS_OUT * float(np.std(whole[outside])))
    begins = np.flatnonzero((np.abs(whole - np.median(whole[outside])) > least) & (np.abs(t) <= reach))
    if not len(begins):
        return None
    first = int(begins[-1])
    if t[first] > reach - FLAT:  # something else reaches into the strip
        return None
    begun = _risen(np.abs(whole - np.median(whole[outside])), first, max(round(FLAT * res), 2))
    found = np.full(len(s), np.nan)
    for rows in _pieces(s):
        mean = soft[rows].mean(axis=0)
        differs = np.abs(mean - float(np.median(mean[outside])))
        top = float(differs[max(begun - 1, 0) : begun + 2].mean())
        near = slice(max(begun - 1, 0), min(2 * first - begun + 2, len(t)))
        down = near.start + np.flatnonzero((differs[near][:-1] >= top / 2) & (differs[near][1:] < top / 2))
        if not len(down) or top < EDGE_STEP:
            continue
        i = int(down[-1])
        found[rows] = t[i] + (t[1] - t[0]) * (differs[i] - top / 2) / (differs[i] - differs[i + 1])
    return float(np.abs(whole[first] - np.median(whole[outside]))) / least, found


def _risen(differs: Array, first: int, flat: int) -> int:
    """Where, inwards from the first that differs, it has risen to all it will for a while."""
    best = first
    for k in range(first, -1, -1):
        if differs[k] > RISES * differs[best]:
            best = k
        elif best - k >= flat:
            break
    return best


def _sheared(light: Array, s: Array, t: Array, lean: float) -> Array:
    """Rows moved so that a line of that lean stands upright."""
    step = t[1] - t[0]
    column = np.clip(np.arange(len(t))[None, :] + lean * s[:, None] / step, 0, len(t) - 1.001)
    k = column.astype(int)
    part = column - k
    rows = np.arange(len(s))[:, None]
    found: Array = light[rows, k] * (1 - part) + light[rows, k + 1] * part
    return found


def _pieces(s: Array) -> list[NDArray[np.int_]]:
    count = max(round((s[-1] - s[0]) / PIECE), 2)
    return np.array_split(np.arange(len(s)), count)


def _through(s: Array, places: Array, res: float, near: float) -> Across | None:
    """A line through what each piece shows; bent, where there are enough of them. near: mm, within which pieces of
    nothing at all would lie, too.
    """
    pieces = _pieces(s)
    along = np.array([s[p].mean() for p in pieces])
    off = np.array([np.nanmean(places[p]) if np.isfinite(places[p]).any() else np.nan for p in pieces])
    seen = np.isfinite(off)
    if seen.mean() < PIECES_SEEN:
        return None
    along, off = along[seen], off[seen]
    A = np.column_stack([np.ones_like(along), along, *([along**2] if len(along) >= CURVED else [])])
    keep = np.ones(len(off), bool)
    for _ in range(2):
        if keep.sum() <= A.shape[1]:
            return None
        x = np.linalg.lstsq(A[keep], off[keep], rcond=None)[0]
        left = off - A @ x
        scatter = max(1.4826 * float(np.median(np.abs(left[keep]))), 0.01)
        keep = np.abs(left) < max(4 * scatter, 0.03)
    dof = int(keep.sum()) - A.shape[1]
    if dof < 1 or keep.mean() < PIECES_SEEN or float(np.abs(left[keep]).max()) > STRAY:
        return None
    x = np.linalg.lstsq(A[keep], off[keep], rcond=None)[0]
    left = off[keep] - A[keep] @ x
    scatter = math.sqrt(float(left @ left) / dof)
    if scatter > ANYWHERE * near / math.sqrt(3):
        return None
    u = scatter * math.sqrt(float(np.linalg.inv(A[keep].T @ A[keep])[0, 0]))
    return Across(float(x[0]), math.hypot(t_95(dof) * u, K_95 * math.hypot(FLOOR, FLOOR_PX / res)))
