"""A cross with pairs of lines astride it in a photo or a scan: where it lies, and where each of its lines does.

Nothing is printed there, so the pattern is its own scale: the cross says where it lies and how it is turned, the arms
that carry pairs which way is up, and the pairs, drawn by one tool, how large a millimetre is.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from itertools import combinations, product
from typing import TYPE_CHECKING

import numpy as np

from keen_compass.errors import InputError
from keen_compass.formats.picture_lines import across
from keen_compass.formats.sampled import CHANNELS, Sampled
from keen_compass.formats.sheet_picture import SeenSheet
from keen_compass.language import tr
from keen_compass.pieces.in_picture import Across, Pattern, Sought
from keen_compass.progress import tell
from keen_compass.solve.sheet_map import SheetMap, fitted

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

COARSE = 1200  # px, longest side of the picture in which it is looked for
RIDGE = 1.5  # px, standard, of a line there
PLAIN = 6.0  # robust standard deviations, from which on a ridge may be a line
MOST_RIDGE = 0.15  # share of the picture that lines cover at most
ANGLES = 360
NEAR = 3.0  # px, from a line as it is first found, that belongs to it
BREAK = 5  # px, that a line may break off for
LEAST_ARM = 40.0  # px: shorter arms can't be told from scratches
MOST_LINES = 24  # that are looked at
SQUARE = 0.12  # cosine, of lines that cross squarely: perspective
RIM = 4  # px of the picture's rim, where no ridge is told
EQUAL = 0.12  # by which arms may differ: perspective
STRAYS = 3.8  # mm, by which a pair may lie off the middle of its arm
CLEAR = 1.2  # mm beside a cut that are taken for it
KNOWN = 0.8  # mm, to which all lines are known then
TOLD = 1.4  # times: by how much one way of lying must fit better than any other
RES = 8.0  # px per mm, in which pairs are looked for
LEAST_PX = 5.0  # px per mm


def read_pattern(data: bytes, pattern: Pattern, sought: Mapping[str, Sequence[Sought]], name: str) -> SeenSheet:
    """What a picture shows of a pattern. Raises InputError where there is none."""
    from keen_compass.formats.pictures import colours_of

    picture = Sampled(colours_of(data, name))
    tell(0.2)
    found: tuple[float, SheetMap, tuple[float, float]] | None = None
    for channel, dark in product(CHANNELS, (True, False)):
        for cross in _crosses(picture.channels[channel], dark=dark):
            placed = _lying(picture, channel, cross, pattern)
            if placed is not None and (found is None or placed[0] > found[0]):
                found = placed
        if found is not None:
            break
    tell(0.6)
    if found is None:
        raise InputError(
            tr("shows no cross with pairs of lines astride two of its arms: take it alone, sharp and from above"), name
        )
    _, where, shift = found
    if where.px_per_mm(pattern.centre) < LEAST_PX:
        raise InputError(tr("shows the lines too small: come nearer"), name)
    for _ in range(2):
        lines = {
            key: tuple(_line(picture, where, one, pattern, shift) for one in all_of) for key, all_of in sought.items()
        }
        where = _scaled(where, sought, lines, pattern)
    tell(0.95)
    seen = sum(one is not None for all_of in lines.values() for one in all_of)
    return SeenSheet(None, pattern.centre, where, 0.0, (), lines, seen)


def _crosses(grey: Array, *, dark: bool) -> Iterator[Array]:
    """Its middle and the ends of its arms, each one turned to the left of the last as they are seen, px of the picture,
    of all there may be; dark or light: beside a dark line there is something light, and both together are three lines.
    """
    from skimage.filters import sato
    from skimage.transform import downscale_local_mean

    factor = max(math.ceil(max(grey.shape) / COARSE), 1)
    small = downscale_local_mean(grey, (factor, factor)) if factor > 1 else grey
    ridge = sato(np.log(np.clip(small, 4.0, None)), sigmas=[RIDGE], black_ridges=dark)
    ridge[:RIM], ridge[-RIM:], ridge[:, :RIM], ridge[:, -RIM:] = 0.0, 0.0, 0.0, 0.0
    for cross in _crosses_on(ridge):
        yield cross * factor


def _crosses_on(ridge: Array) -> Iterator[Array]:
    from skimage.morphology import skeletonize
    from skimage.transform import hough_line, hough_line_peaks

    spread = 1.4826 * float(np.median(np.abs(ridge - np.median(ridge)))) + 1e-6
    mask = skeletonize(ridge > max(float(np.quantile(ridge, 1 - MOST_RIDGE)), PLAIN * spread))
    votes, angles, dists = hough_line(mask, np.linspace(-math.pi / 2, math.pi / 2, ANGLES, endpoint=False))
    rows, columns = np.nonzero(mask)
    points = np.column_stack([columns + 0.5, rows + 0.5])
    peaks = zip(*hough_line_peaks(votes, angles, dists, 4, 6, LEAST_ARM, num_peaks=MOST_LINES)[1:], strict=True)
    fits = (_fitted(points, np.array([math.cos(a), math.sin(a)]), float(d) + 0.5) for a, d in peaks)
    for one, other in combinations([line for line in fits if line is not None], 2):
        if abs(float(one[0] @ other[0])) < SQUARE and (cross := _crossed(points, one, other)) is not None:
            yield cross


def _crossed(points: Array, *lines: tuple[Array, float]) -> Array | None:
    """The cross that two lines make; None where they don't run on equally far to all sides."""
    middle = np.linalg.solve(np.array([n for n, _ in lines]), np.array([d for _, d in lines]))
    arms = []
    for n, d in lines:
        along = np.array([-n[1], n[0]])
        ends = _ends(points, n, d, along, float(middle @ along))
        if ends is None or min(-ends[0], ends[1]) < LEAST_ARM or abs(sum(ends)) > EQUAL * (ends[1] - ends[0]):
            return None
        arms += [middle + along * end for end in (ends[1], ends[0])]
    long = [math.dist(middle, arm) for arm in arms]
    if long[0] + long[1] > (1 + EQUAL) * (long[2] + long[3]) or long[2] + long[3] > (1 + EQUAL) * (long[0] + long[1]):
        return None
    (ax, ay), (bx, by) = arms[0] - middle, arms[2] - middle
    left, right = (2, 3) if ax * by - ay * bx < 0 else (3, 2)  # v runs down
    return np.array([middle, arms[0], arms[left], arms[1], arms[right]])


def _fitted(points: Array, normal: Array, dist: float) -> tuple[Array, float] | None:
    """A line through the points near it: its normal, and how far it is from the corner."""
    for reach in (NEAR, NEAR / 2):
        near = points[np.abs(points @ normal - dist) < reach]
        if len(near) < LEAST_ARM:
            return None
        middle = near.mean(axis=0)
        direction = np.linalg.svd(near - middle, full_matrices=False)[2][0]
        turned = np.array([-direction[1], direction[0]])
        normal = turned if turned @ normal > 0 else -turned
        dist = float(middle @ normal)
    return normal, dist


def _ends(points: Array, normal: Array, dist: float, along: Array, middle: float) -> tuple[float, float] | None:
    """How far a line runs to either side of its middle, px."""
    near = points[np.abs(points @ normal - dist) < NEAR / 2]
    s = np.sort(near @ along - middle)
    breaks = np.flatnonzero(np.diff(s) > BREAK)
    runs = np.split(s, breaks + 1)
    run = next((r for r in runs if r[0] <= 0 <= r[-1]), None)
    return None if run is None else (float(run[0]), float(run[-1]))


def _lying(
    picture: Sampled, channel: int, cross: Array, pattern: Pattern
) -> tuple[float, SheetMap, tuple[float, float]] | None:
    """(how well it fits, map, by how much pairs lie off along X and along Y) of the way it lies, if that is told."""
    (x, y), r = pattern.centre, pattern.arm
    places = np.array([(x, y), (x + r, y), (x, y + r), (x - r, y), (x, y - r)])
    upright = fitted(places, cross, picture.shape, projective=True).map
    ways, scores = [], []
    for c, s in ((1, 0), (0, 1), (-1, 0), (0, -1)):
        turn = np.array([[c, -s, x - c * x + s * y], [s, c, y - s * x - c * y], [0, 0, 1]])
        where = SheetMap(upright.H @ turn, upright.k1, upright.centre, upright.half)
        on_right, on_up = (_pair(picture, channel, where, pattern, axis) for axis in (0, 1))
        ways.append((min(on_right[0], on_up[0]), where, (on_up[1], on_right[1])))
        scores.append(ways[-1][0])
    scores.sort()
    best = max(ways, key=lambda w: w[0])
    return best if best[0] > 0 and best[0] >= TOLD * scores[-2] else None


def _pair(picture: Sampled, channel: int, where: SheetMap, pattern: Pattern, axis: int) -> tuple[float, float]:
    """(how plain a pair is astride the arm along an axis, by how much it lies off across it, mm)."""
    from scipy.ndimage import gaussian_filter1d

    low, high = pattern.along
    s = np.arange(low + 0.8, high - 0.8, 1 / RES)
    reach = pattern.apart / 2 + STRAYS + 1.0
    t = np.arange(-reach, reach, 1 / RES)
    rows, columns = np.meshgrid(s, t, indexing="ij")
    x, y = (rows, columns) if axis == 0 else (columns, rows)
    grey, inside = picture.sampled(where, pattern.centre, x, y, channel)
    if inside.mean() < 0.9:
        return 0.0, 0.0
    light = np.log(np.clip(grey, 4.0, None)).mean(axis=0)
    fine = gaussian_filter1d(light, 0.15 * RES) - gaussian_filter1d(light, 0.6 * RES)
    alike = np.where(np.abs(t) < CLEAR, 0.0, np.abs(fine))
    noise = 1.4826 * float(np.median(alike)) + 1e-4
    half = round(pattern.apart / 2 * RES)
    spots = np.flatnonzero(np.abs(t) <= STRAYS)
    score = np.minimum(alike[spots - half], alike[spots + half])
    k = int(score.argmax())
    plain = float(score[k]) / noise
    return (plain if plain > PLAIN else 0.0), float(t[spots[k]])


def _line(
    picture: Sampled, where: SheetMap, sought: Sought, pattern: Pattern, shift: tuple[float, float]
) -> Across | None:
    """shift: of the pairs, mm."""
    out = sought.out
    beside = (sought.at[0] - pattern.centre[0]) * out[0] + (sought.at[1] - pattern.centre[1]) * out[1]
    moved = shift[0] * out[0] + shift[1] * out[1] if abs(beside) > CLEAR else 0.0
    return across(picture, where, sought._replace(reach=KNOWN), (moved * out[0], moved * out[1]))


def _scaled(
    where: SheetMap,
    sought: Mapping[str, Sequence[Sought]],
    lines: Mapping[str, Sequence[Across | None]],
    pattern: Pattern,
) -> SheetMap:
    """So that the lines of each pair are as far apart as they were drawn."""
    at: dict[tuple[int, bool], float] = {}
    for key, all_of in sought.items():
        for one, seen in zip(all_of, lines[key], strict=True):
            axis = 0 if abs(one.out[0]) > abs(one.out[1]) else 1
            beside = one.at[axis] - pattern.centre[axis]
            if seen is not None and abs(beside) > CLEAR:
                at[axis, beside > 0] = beside + seen.off * one.out[axis]
    H = where.H.copy()
    for axis in (0, 1):
        if (axis, True) in at and (axis, False) in at:
            wider = (at[axis, True] - at[axis, False]) / pattern.apart
            H[:, 2] += H[:, axis] * pattern.centre[axis] * (1 - wider)
            H[:, axis] *= wider
    return SheetMap(H, where.k1, where.centre, where.half)
