"""A cut piece on a scanner's glass: found by its design, its sizes read between its edges (arithmetic.md §12).

The piece is what differs from the ground, dark on light or light on dark. Its outline says how it lies; then its
design is laid onto its edges, point by point, and each size is read where its line says: across both faces, at half
height between what lies on either side, over as much of the face as an instrument would touch. What strips leave free
in their window is looked for first, for nobody knows where they were pushed.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import TYPE_CHECKING, Any

from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.pieces.parts import Edge, Part, within
from keen_compass.pieces.where import Closes, Faces, Slack
from keen_compass.progress import tell
from keen_compass.quantities.geometry import Area, Point
from keen_compass.quantities.readings import pick_of
from keen_compass.solve.corners import trailing
from keen_compass.solve.robust import robust
from keen_compass.solve.scanner import Size

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Array = NDArray[np.floating[Any]]

COARSE = 700  # px, longest side of the picture in which it is looked for
SAMPLED = 220  # px, the same for holding the design against it
LEAST_ALIKE = 0.6  # of the largest part's area, that each of several has
LEAST_SHARE = 0.004  # of the picture, that a piece covers
LEAST_CONTRAST = 18.0  # of 255, between a piece and its ground
ALIKE = 0.80  # of the area both cover, from which on it is that piece
SAME = 0.004  # of the same: two ways in which it may lie, that can't be told apart
SEARCHED = (3.0, 1.5, 1.0)  # mm to either side of where an edge should be, turn by turn
AWAY_FROM_CORNER = 2.0  # mm
TOUCHED = 5.0  # mm to either side of its line, that are looked at of a face
OF_A_CURVE = 0.3  # of its radius, the same
STEP = 0.25  # px, along a profile
ROWS = 41  # profiles across a face
BLOCK = 2.0  # mm, that count as one: edges wander slowly
SHARP = 2.5  # px, over which an edge rises that is sharp; what is wider is burr, bevel or blur
OF_BURR = 0.12  # standard, of what is wider
EDGE_PX = 0.04  # px, standard: what sampling leaves
LEAST_SEEN = 0.5  # of the profiles across a face
CORNER = 1.8  # mm about a corner, that are looked at: film that is missing or left there
CLEAR = 1.4  # mm from it, where nothing is but the one or the other
LEAST_ROOM = 0.3  # mm: what is free and wider isn't where strips touch


@dataclass(frozen=True)
class SeenPiece:
    """px_per_mm, turn (rad, its X against the picture's, positive anticlockwise), mirrored: seen from below; of the
    first of several parts.

    ambiguous: it may as well lie another way. residual_px: rms of its edges beside its design. sizes: None where a
    face isn't seen. picks: which of several that lie in a row is the right one, from 1, halves between two.
    """

    px_per_mm: float
    turn: float
    mirrored: bool
    ambiguous: bool
    residual_px: float
    sizes: dict[str, Size | None]
    picks: dict[str, float]
    several: bool = False


def read_piece(
    data: bytes, parts: Sequence[Part], sought: Mapping[str, Faces | Slack | Closes], name: str
) -> SeenPiece:
    """parts: that it fell into; several lie in their order, row by row from the upper left. sought: what is read, by
    name. Raises InputError where there is no such piece, or not all of it.
    """
    import numpy as np

    from keen_compass.formats.pictures import grey_of

    grey = grey_of(data, name).astype(np.float32)
    tell(0.2)
    masks, factor = _masks(grey, len(parts), name)
    sizes: dict[str, Size | None] = {}
    laid, corners = [], []
    for k, (edges, mask) in enumerate(zip(parts, masks, strict=True)):
        T, ambiguous = _roughly(mask, edges, factor, name)
        rms = 0.0
        for i, reach in enumerate(SEARCHED):
            tell(0.4 + 0.5 * (k + i / len(SEARCHED)) / len(parts))
            T, rms = _laid_on(grey, edges, T, reach, name)
        for measurand, where in sought.items():
            if isinstance(where, Slack):
                sizes[measurand] = _free(grey, T, where.line, name)
            elif isinstance(where, Faces) and (len(parts) == 1 or within(where.line[0], edges[0])):
                sizes[measurand] = _size(grey, edges, T, where.line)
        if any(isinstance(where, Closes) for where in sought.values()):
            corners.append(_at_corners(grey, edges[0], T, name))
        laid.append((T, ambiguous, rms))
    T, ambiguous, rms = laid[0]
    scale = math.sqrt(abs(float(np.linalg.det(T[:, :2]))))
    across = T[:, 0]
    mirrored = bool(np.linalg.det(T[:, :2]) > 0)  # v runs down
    picks = {}
    for m, where in sought.items():
        if isinstance(where, Closes) and (trails := trailing(where.trails, corners)) is not None:
            picks[m] = pick_of(where.trails, trails)
    sizes |= {m: None for m in sought if m not in sizes and m not in picks}
    turn = math.atan2(-across[1], across[0])
    return SeenPiece(scale, turn, mirrored, ambiguous, rms, sizes, picks, len(parts) > 1)


def _masks(grey: Array, count: int, name: str) -> tuple[list[NDArray[np.bool_]], int]:
    """(where each of so many parts is in a smaller picture, row by row, how much smaller that is).

    Raises InputError.
    """
    import numpy as np
    from scipy.ndimage import binary_fill_holes, center_of_mass
    from skimage.filters import threshold_otsu
    from skimage.transform import downscale_local_mean

    factor = max(math.ceil(max(grey.shape) / COARSE), 1)
    small = downscale_local_mean(grey, (factor, factor)) if factor > 1 else grey
    rim = np.concatenate([small[:3].ravel(), small[-3:].ravel(), small[:, :3].ravel(), small[:, -3:].ravel()])
    differs = np.abs(small - np.median(rim))
    mask = differs > float(threshold_otsu(differs))
    if not mask.any() or differs[mask].mean() - differs[~mask].mean() < LEAST_CONTRAST:
        raise InputError(
            tr("shows no piece that stands out from its ground: put dark card on light, light on dark"), name
        )
    labels, areas = _apart(mask, count)
    largest = [labels == 1 + int(i) for i in np.argsort(-areas)[:count]]
    whole = binary_fill_holes(np.any(largest, axis=0))
    if whole.mean() < LEAST_SHARE:
        raise InputError(tr("shows no piece, or a very small one: scan it at 300 dpi or more"), name)
    if whole[0].any() or whole[-1].any() or whole[:, 0].any() or whole[:, -1].any():
        raise InputError(tr("shows a piece that reaches beyond the picture: lay all of it on the glass"), name)
    if count == 1:  # with what lies in its window
        return [whole & mask], factor
    if (alike := _alike(areas)) != count:
        raise InputError(
            tr("shows {alike} parts of about one size; lay all {count} on the glass, apart", alike=alike, count=count),
            name,
        )
    middles = [center_of_mass(part) for part in largest]
    high = max(float(np.ptp(np.nonzero(part)[0])) for part in largest)
    rows = np.searchsorted(_row_ends([v for v, _ in middles], high), [v for v, _ in middles])
    order = sorted(range(count), key=lambda i: (rows[i], middles[i][1]))
    return [largest[i] for i in order], factor


def _apart(mask: NDArray[np.bool_], count: int) -> tuple[NDArray[Any], NDArray[Any]]:
    """(the parts, numbered from 1; their areas in px): what stands out, or the holes of one that so many lie in."""
    import numpy as np
    from scipy.ndimage import binary_fill_holes, label

    def numbered(regions: NDArray[np.bool_]) -> tuple[NDArray[Any], NDArray[Any]]:
        labels, _ = label(regions)
        return labels, np.bincount(labels.ravel())[1:]

    standing = numbered(mask)
    if count == 1 or _alike(standing[1]) == count:
        return standing
    holes = numbered(binary_fill_holes(mask) & ~mask)
    return holes if _alike(holes[1]) == count else standing


def _alike(areas: NDArray[Any]) -> int:
    """How many parts have about the largest one's size."""
    return int((areas > LEAST_ALIKE * areas.max(initial=0)).sum())


def _row_ends(middles: Sequence[float], high: float) -> list[float]:
    """Between which places rows of parts lie, each `high`: where the next middle is more than half of that lower."""
    places = sorted(middles)
    return [(a + b) / 2 for a, b in pairwise(places) if b - a > high / 2]


def _roughly(mask: NDArray[np.bool_], edges: Part, factor: int, name: str) -> tuple[Array, bool]:
    """(part mm → px, 2×3, whether another way fits as well), from its outline. Raises InputError."""
    import numpy as np
    from scipy.ndimage import binary_fill_holes
    from shapely import MultiPoint, Polygon

    whole = binary_fill_holes(mask)
    held = mask if len(edges) > 1 else whole  # a design without holes says nothing of what lies in its window
    outline = Polygon(edges[0].ring())
    rows, columns = np.nonzero(whole)
    scale = math.sqrt(len(rows) / outline.area)
    hull = MultiPoint(np.column_stack([columns, rows])[:: max(len(rows) // 20_000, 1)] + 0.5).convex_hull
    turns = _leans(hull), _leans(outline)
    middle = np.array([columns.mean() + 0.5, rows.mean() + 0.5])
    found = []
    for flip in (-1.0, 1.0):  # v runs down: −1 is as seen from above
        for quarter in range(4):
            a = turns[0] - flip * turns[1] + quarter * math.pi / 2
            c, s = math.cos(a), math.sin(a)
            M = scale * np.array([[c, -s * flip], [s, c * flip]])
            centre = np.array(outline.centroid.coords[0])
            T = np.column_stack([M, middle - M @ centre])
            found.append((_covers(held, edges, T), T))
    found.sort(key=lambda f: -f[0])
    if found[0][0] < ALIKE:
        raise InputError(tr("shows another piece than the one in the case, or not all of it"), name)
    close = [f for f in found if f[0] > found[0][0] - SAME]
    # As it would be laid without thinking: seen from above, turned the least.
    best = min(close, key=lambda f: (np.linalg.det(f[1][:, :2]) > 0, abs(math.atan2(-f[1][1, 0], f[1][0, 0]))))
    return best[1] * factor, len(close) > 1


def _leans(shape: Area) -> float:
    """The turn of the smallest rectangle about it, rad."""
    import shapely

    corners = list(shapely.minimum_rotated_rectangle(shape).exterior.coords)
    (ax, ay), (bx, by) = max(((corners[i], corners[i + 1]) for i in range(2)), key=lambda e: math.dist(*e))
    return math.atan2(by - ay, bx - ax)


def _covers(mask: NDArray[np.bool_], edges: Part, T: Array) -> float:
    """Share of the area covered by either that both cover."""
    import numpy as np
    from skimage.draw import polygon2mask

    step = max(math.ceil(max(mask.shape) / SAMPLED), 1)
    coarse = mask[::step, ::step]
    design = np.zeros(coarse.shape, bool)
    for edge in edges:
        px = (np.array(edge.ring()) @ T[:, :2].T + T[:, 2] - 0.5) / step
        inside = polygon2mask(coarse.shape, px[:, ::-1])
        design = design & ~inside if edge.hole else design | inside
    return float((design & coarse).sum() / max((design | coarse).sum(), 1))


def _points(edge: Edge, spacing: float) -> tuple[Array, Array]:
    """Places along a line, clear of its corners, and their outward normals."""
    import numpy as np

    if edge.radius:
        a = np.arange(0, math.tau, min(spacing / edge.radius, 0.3))
        out = np.column_stack([np.cos(a), np.sin(a)])
        return np.array(edge.centre) + edge.radius * out, out
    places, normals = [], []
    for p, q in zip(edge.corners, (*edge.corners[1:], edge.corners[0]), strict=True):
        long = math.dist(p, q)
        if long < 2.5 * AWAY_FROM_CORNER:
            continue
        t = np.arange(AWAY_FROM_CORNER, long - AWAY_FROM_CORNER, spacing)
        d = np.array([q[0] - p[0], q[1] - p[1]]) / long
        places.append(np.array(p) + t[:, None] * d)
        normals.append(np.tile([d[1], -d[0]], (len(t), 1)))
    if not places:
        return np.zeros((0, 2)), np.zeros((0, 2))
    return np.concatenate(places), np.concatenate(normals)


def _laid_on(grey: Array, edges: Part, T: Array, reach: float, name: str, spacing: float = 2.0) -> tuple[Array, float]:
    """The design laid onto the edges that are seen, looked at every `spacing` mm or more: (map, rms in px).

    Raises InputError where few are.
    """
    import numpy as np

    around = sum(len(_points(e, spacing)[0]) for e in edges)
    places, normals = (
        np.concatenate(v) for v in zip(*(_points(e, spacing * max(around / 900, 1)) for e in edges), strict=True)
    )
    px = places @ T[:, :2].T + T[:, 2]
    out = normals @ T[:, :2].T
    out /= np.hypot(*out.T)[:, None]
    scale = math.sqrt(abs(float(np.linalg.det(T[:, :2]))))
    off, _ = _crossings(grey, px, out, reach * scale)
    seen = np.isfinite(off)
    if seen.mean() < LEAST_SEEN:
        raise InputError(tr("shows edges that can’t be followed: is it in focus, and flat on the glass?"), name)
    p, o, n = places[seen], off[seen], out[seen]
    q = np.column_stack([p, np.ones(len(p))])
    found = robust(np.column_stack([n[:, :1] * q, n[:, 1:] * q]), o, 0.1)
    return T + found.x.reshape(2, 3), found.rms


def _crossings(grey: Array, px: Array, out: Array, reach: float) -> tuple[Array, Array]:
    """(how far out each edge lies where it is crossed at half height, over how many px it rises), px; nan for none."""
    import numpy as np
    from scipy.ndimage import map_coordinates

    t = np.arange(-reach, reach + STEP / 2, STEP)
    u, v = (px[:, k, None] + out[:, k, None] * t[None, :] - 0.5 for k in range(2))
    inside = (u > 0) & (v > 0) & (u < grey.shape[1] - 1) & (v < grey.shape[0] - 1)
    g = map_coordinates(grey, [v, u], order=1, mode="nearest", output=float)
    n = max(len(t) // 5, 2)
    low, high = np.median(g[:, :n], axis=1), np.median(g[:, -n:], axis=1)
    rise = high - low
    noise = np.median(np.abs(np.diff(g, axis=1)), axis=1)
    way = float(np.sign(np.median(rise))) or 1.0  # the same all round: it is darker than its ground, or lighter
    good = inside.all(axis=1) & (way * rise > LEAST_CONTRAST) & (np.abs(rise) > 5 * noise)
    share = (g - low[:, None]) / np.where(good, rise, 1.0)[:, None]

    def crossed(level: float) -> Array:
        below, above = share[:, :-1] < level, share[:, 1:] >= level
        at = below & above
        middle = np.abs(np.arange(share.shape[1] - 1) - share.shape[1] / 2)
        k = np.where(at, middle[None, :], np.inf).argmin(axis=1)
        rows = np.arange(len(share))
        a, b = share[rows, k], share[rows, k + 1]
        found = t[k] + STEP * (level - a) / np.where(b > a, b - a, 1.0)
        return np.where(good & at.any(axis=1), found, np.nan)

    return crossed(0.5), crossed(0.85) - crossed(0.15)


def _size(grey: Array, edges: Part, T: Array, line: tuple[Point, Point]) -> Size | None:
    """From face to face along a line; None where a face isn't seen."""
    import numpy as np

    a, b = np.array(line[0], float), np.array(line[1], float)
    along = (b - a) / math.dist(line[0], line[1])
    return _between([_face(grey, T, p, d, _room(edges, p)) for p, d in ((a, -along), (b, along))])


def _at_corners(grey: Array, edge: Edge, T: Array, name: str) -> float:
    """mm² by which what lies within reaches beyond the corners of its straight sides (below 0: falls short of them),
    on average.
    """
    import numpy as np
    from scipy.ndimage import map_coordinates

    T, _ = _laid_on(grey, (edge,), T, SEARCHED[-1], name, spacing=0.25)
    step = 0.5 / math.sqrt(abs(float(np.linalg.det(T[:, :2]))))
    n = math.ceil(CORNER / step)
    at = (np.arange(2 * n) + 0.5 - n) * step  # beyond a corner above 0
    s, t = np.meshgrid(at, at, indexing="ij")
    found = []
    ring = edge.corners
    for before, corner, after in zip((ring[-1], *ring), ring, (*ring[1:], ring[0]), strict=False):
        u, v = ((np.array(corner) - side) / math.dist(corner, side) for side in (before, after))
        px = (corner + s[..., None] * u + t[..., None] * v) @ T[:, :2].T + T[:, 2] - 0.5
        g = map_coordinates(grey, [px[..., 1], px[..., 0]], order=1, mode="nearest", output=float)
        inside, outside = np.median(g[(s < -CLEAR) & (t < -CLEAR)]), np.median(g[np.maximum(s, t) > CLEAR])
        found.append(float(((g - outside) / (inside - outside)).sum() - n * n) * step**2)
    return float(np.mean(found))


def _free(grey: Array, T: Array, line: tuple[Point, Point], name: str) -> Size | None:
    """The room that strips leave in their window along a line, pushed to either side. Raises InputError where they
    leave it in several places.
    """
    import numpy as np
    from scipy.ndimage import find_objects, label, map_coordinates

    a, b = np.array(line[0], float), np.array(line[1], float)
    along = (b - a) / math.dist(line[0], line[1])
    scale = math.sqrt(abs(float(np.linalg.det(T[:, :2]))))
    t = np.arange(-2 * TOUCHED, math.dist(line[0], line[1]) + 2 * TOUCHED, 0.5 / scale)  # from frame to frame
    aside = np.linspace(-TOUCHED, TOUCHED, ROWS)
    places = a + t[:, None, None] * along + aside[None, :, None] * np.array([-along[1], along[0]])
    px = places @ T[:, :2].T + T[:, 2] - 0.5
    g = np.median(map_coordinates(grey, [px[..., 1], px[..., 0]], order=1, mode="nearest", output=float), axis=1)
    body = float(np.median(g[t < -TOUCHED]))
    ground = float(g[np.argmax(np.abs(g - body))])
    runs = find_objects(label(np.abs(g - body) > abs(ground - body) / 2)[0])
    free = [(float(t[run.start]), float(t[run.stop - 1])) for (run,) in runs]
    free = [(low, high) for low, high in free if high - low > LEAST_ROOM]
    if len(free) > 1:
        raise InputError(tr("shows room in several places: push all strips together to one side, and scan again"), name)
    if not free or abs(ground - body) < LEAST_CONTRAST:
        return None
    reach = min(free[0][1] - free[0][0], 2 * SEARCHED[-1]) / 2
    ends = [
        _face(grey, T, a + at * along, d, (TOUCHED, TOUCHED, 0.0), reach)
        for at, d in zip(free[0], (-along, along), strict=True)
    ]
    return _between(ends)


def _between(ends: Sequence[tuple[Array, float] | None]) -> Size | None:
    """From the first face to the last."""
    if ends[0] is None or ends[1] is None:
        return None
    (first, u1), (last, u2) = ends[0], ends[1]
    u, v = (last - first).tolist()
    return Size(u, -v, math.hypot(u1, u2))


def _face(
    grey: Array, T: Array, at: Array, out: Array, room: tuple[float, float, float] | None, reach: float = 1.0
) -> tuple[Array, float] | None:
    """(where a face crosses a line, px, standard uncertainty px), within `reach` mm of where it should be; room: as
    `_room` has it.
    """
    import numpy as np

    if room is None:
        return None
    low, high, curved = room
    s = np.linspace(-low, high, ROWS)
    places = at + s[:, None] * np.array([-out[1], out[0]])
    px = places @ T[:, :2].T + T[:, 2]
    way = T[:, :2] @ out
    scale = float(np.hypot(*way))
    way = way / scale
    searched = reach * scale + (high**2 / 2 / curved * scale if curved else 0.0)
    off, wide = _crossings(grey, px, np.tile(way, (ROWS, 1)), searched)
    seen = np.isfinite(off)
    if seen.mean() < LEAST_SEEN:
        return None
    x, o = s[seen], off[seen]
    A = np.column_stack([np.ones_like(x), x, *([x * x] if curved else [])])
    fit = robust(A, o, 0.03)
    independent = max((x.max() - x.min()) / BLOCK, 2.0)
    lever = math.sqrt(float(np.linalg.inv(A.T @ (A * fit.weight[:, None]))[0, 0]) * fit.weight.sum())
    burr = OF_BURR * max(float(np.nanmedian(wide)) - SHARP, 0.0)
    u = math.hypot(fit.rms * lever / math.sqrt(independent), burr, EDGE_PX)
    return T[:, :2] @ at + T[:, 2] + way * float(fit.x[0]), u


def _room(edges: Part, at: Array) -> tuple[float, float, float] | None:
    """(how far one may look to either side of a place on its face, mm; its radius, 0 of a straight one)."""
    for edge in edges:
        if edge.radius and abs(math.dist(edge.centre, at.tolist()) - edge.radius) < 0.05:
            wide = min(OF_A_CURVE * edge.radius, TOUCHED)
            return wide, wide, edge.radius
        ring = edge.corners
        for p, q in zip(ring, (*ring[1:], *ring[:1]), strict=True):
            long = math.dist(p, q)
            t = ((at[0] - p[0]) * (q[0] - p[0]) + (at[1] - p[1]) * (q[1] - p[1])) / long
            across = abs((at[0] - p[0]) * (q[1] - p[1]) - (at[1] - p[1]) * (q[0] - p[0])) / long
            if across < 0.05 and AWAY_FROM_CORNER / 2 < t < long - AWAY_FROM_CORNER / 2:
                wide = min(t - 1.0, long - t - 1.0, TOUCHED)
                return wide, wide, 0.0
    return None
