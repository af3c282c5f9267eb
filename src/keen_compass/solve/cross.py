"""The middle of a drawn cross in a picture, to a fraction of a pixel (arithmetic.md §9).

Two dark strokes on lighter ground. Where they may be is voted for by dark pixels on a coarse picture; then the middle
of each stroke is found across it, pixel by pixel along it, and a line is laid through these middles that single blots,
grain or a gap don't pull. Where both lines meet is the cross. Places in pixels, v downwards, the first pixel's middle
at (0.5, 0.5); greys from 0, black, to 255.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

COARSE = 320  # px, longest side of the picture on which it is looked for
ANGLES = 180
RIM = 0.03  # of the shorter side
FAINT = 0.35  # of the darkest few: less is a shadow
MOST_DARK = 0.06  # share of all pixels that may be strokes
SQUARE = math.radians(20)  # by which both strokes may miss the right angle
LEAST_ARM = 14.0  # px, shorter is no stroke
LEAST_CONTRAST = 4.0  # of the noise across a stroke
ALIKE = 2.6  # ratio of both strokes' widths and of their contrasts: they were drawn by one pen
ROUNDS = 2  # of laying the line and looking across it again
TUKEY = 4.0  # robust standard deviations beyond which a middle counts for nothing
NEIGHBOURS = 7.0  # middles beside one another see the same grain and the same lens: so many count as one
FLOOR = 0.005  # px, standard: what sampling itself leaves
LONGEST = 400.0  # px along a stroke that is looked at
FIRST_LOOK = 26.0  # px to either side, where a coarse picture says that a stroke runs
NEARER, WHOLE = (1.0, 0.75, 0.55), 0.9  # shares of what is looked at across a stroke, tried until so much is inside
AROUND = 520.0  # px to either side of a crossing that are kept at hand: all that is looked at, and some to move in
CLOSE = 110.0  # px from where both meet, within which strokes are surely seen
WIDEST = 60.0  # px, of a stroke
COVERED = 90  # px about a found cross that are wiped out before another is sought
LEAST_INSIDE = 14.0  # px from the rim: nearer, an arm is too short to say where its middle runs


@dataclass(frozen=True, slots=True)
class Cross:
    """Where it is, its standard uncertainties, px; how many of its four arms are seen."""

    u: float
    v: float
    u_u: float
    u_v: float
    arms: int


@dataclass(frozen=True)
class _Line:
    """n·p = c, n = (cos θ, sin θ) across it. variance: of (c, θ) about its own middle `t0` along it."""

    theta: float
    c: float
    width: float
    contrast: float
    arms: int
    t0: float
    variance: tuple[float, float]
    rms: float


@dataclass(frozen=True)
class _Part:
    """What is looked at of a large picture, a little blurred. left, top: its first pixel; longest: side of it all."""

    smooth: Array
    left: int
    top: int
    longest: int

    @staticmethod
    def about(grey: Array, at: Array) -> _Part:
        """Everything within reach of a place."""
        from scipy.ndimage import gaussian_filter

        (left, right), (top, bottom) = (
            (int(min(max(x - AROUND, 0), side)), int(min(max(x + AROUND, 0), side)))
            for x, side in zip(at, grey.shape[::-1], strict=True)
        )
        return _Part(gaussian_filter(grey[top:bottom, left:right], 0.7), left, top, max(grey.shape))


def find_cross(grey: Array, near: tuple[float, float] | None = None) -> Cross | None:
    """The clearest cross, or the one nearest to a place; None where there is none."""
    if min(grey.shape) < 3 * LEAST_ARM:
        return None
    for theta, c, across, d in _candidates(grey, near):
        middle = _meeting(theta, c, across, d)
        if middle is None:
            continue
        part = _Part.about(grey, middle)
        first, second = (_refined(part, *a, b) for a, b in (((theta, c), (across, d)), ((across, d), (theta, c))))
        if first is None or second is None:
            continue
        # Once more, knowing where the other really runs.
        again = _refined(part, first.theta, first.c, (second.theta, second.c), first.width)
        second = _refined(part, second.theta, second.c, (first.theta, first.c), second.width) or second
        first = again or first
        found = _met(first, second, grey.shape)
        if found is not None:
            return found
    return None


def another_cross(grey: Array, at: tuple[float, float]) -> Cross | None:
    """The clearest cross besides the one that is at a place, px; None where there is no other."""
    rest = grey.copy()
    u, v = round(at[0]), round(at[1])
    rest[max(v - COVERED, 0) : v + COVERED, max(u - COVERED, 0) : u + COVERED] = np.percentile(grey[::4, ::4], 75)
    return find_cross(rest)


def _candidates(grey: Array, near: tuple[float, float] | None) -> list[tuple[float, float, float, float]]:
    """(θ, c, θ of the other, its c), the likeliest first, from votes of dark pixels."""
    from scipy.ndimage import gaussian_filter, uniform_filter

    factor = max(math.ceil(max(grey.shape) / COARSE), 1)
    h, w = (side // factor * factor for side in grey.shape)
    small = grey[:h, :w].reshape(h // factor, factor, w).mean(axis=1)  # one way after the other: twice as fast
    small = small.reshape(h // factor, w // factor, factor).mean(axis=2)
    dark = np.clip(gaussian_filter(small, max(small.shape) / 12) - gaussian_filter(small, 0.6), 0, None)
    rim = max(round(RIM * min(small.shape)), 1)  # where light falls off and a picture ends
    dark[:rim], dark[-rim:], dark[:, :rim], dark[:, -rim:] = 0, 0, 0, 0
    if near is not None:
        rows, columns = np.indices(small.shape)
        away = np.hypot(columns * factor - near[0], rows * factor - near[1])
        dark = dark * np.exp(-((away / (0.25 * min(grey.shape))) ** 2))
    least = max(np.quantile(dark, 1 - MOST_DARK), FAINT * np.quantile(dark, 0.996))
    rows, columns = np.nonzero(dark > max(least, 1e-6))
    if len(rows) < 2 * LEAST_ARM / factor:
        return []
    weight = dark[rows, columns]
    weight = np.minimum(weight, np.quantile(weight, 0.9))  # a blot has no more votes than a stroke
    x, y = columns + 0.5, rows + 0.5
    reach = int(math.hypot(*small.shape)) + 2
    angles = np.arange(ANGLES) * math.pi / ANGLES
    votes = np.zeros((ANGLES, 2 * reach))
    for i, a in enumerate(angles):
        at = np.round(x * math.cos(a) + y * math.sin(a)).astype(int) + reach
        votes[i] = np.bincount(at, weight, 2 * reach)
    narrow = uniform_filter(votes, (1, 3)) - uniform_filter(votes, (1, 15))  # a line, not a shadow
    found = []
    rest = narrow.copy()
    for _ in range(3):
        i, j = map(int, np.unravel_index(int(rest.argmax()), rest.shape))
        turned = [k % ANGLES for k in range(i + ANGLES // 2 - _degrees(SQUARE), i + ANGLES // 2 + _degrees(SQUARE) + 1)]
        others = narrow[turned]
        for _ in range(2):
            k, m = map(int, np.unravel_index(int(others.argmax()), others.shape))
            if others[k, m] <= 0:
                break
            found.append(
                (float(angles[i]), (float(j) - reach) * factor, float(angles[turned[k]]), (float(m) - reach) * factor)
            )
            others = others.copy()
            others[:, max(m - 6, 0) : m + 7] = 0
        for k in range(i - 8, i + 9):
            rest[k % ANGLES, max(j - 8, 0) : j + 9] = 0
    return found


def _degrees(angle: float) -> int:
    return round(math.degrees(angle) * ANGLES / 180)


def _refined(part: _Part, theta: float, c: float, other: tuple[float, float], width_known: float = 0.0) -> _Line | None:
    """A stroke's middle line; None where there is no stroke. other: the line that crosses it; width_known: where it was
    looked at before.
    """
    from scipy.ndimage import map_coordinates

    height, width = part.smooth.shape
    reach, line = _reach(width_known) if width_known else FIRST_LOOK, None
    for turn in range(ROUNDS):
        fine = bool(width_known) or turn
        n, along = np.array([math.cos(theta), math.sin(theta)]), np.array([-math.sin(theta), math.cos(theta)])
        middle = _meeting(theta, c, *other)
        if middle is None:
            return None
        longest = min(0.55 * part.longest, LONGEST)
        t = np.arange(-longest, longest + 1, 1.0 if fine else 3.0)
        for share in NEARER:  # beside the picture's edge less is seen across a stroke, but enough
            s = np.arange(-share * reach, share * reach + 0.5, 0.5 if fine else 1.0)
            px = middle[0] - part.left + t[:, None] * along[0] + s[None, :] * n[0]
            py = middle[1] - part.top + t[:, None] * along[1] + s[None, :] * n[1]
            inside = (px > 1) & (py > 1) & (px < width - 1) & (py < height - 1)
            t_in, runs, close = inside.all(axis=1), inside[:, len(s) // 2], np.abs(t) < CLOSE
            if (t_in & close).sum() > WHOLE * (runs & close).sum():
                break
        if t_in.sum() < LEAST_ARM:
            return None
        t, px, py = t[t_in], px[t_in], py[t_in]
        grey = map_coordinates(part.smooth, [py - 0.5, px - 0.5], order=1)
        line = _laid(t, s, grey)
        if line is None:
            return None
        theta += math.atan(-line.slope)
        c = float(np.array([math.cos(theta), math.sin(theta)]) @ (middle + n * line.offset))
        reach = _reach(line.width)
    assert line is not None
    return _Line(theta, c, line.width, line.contrast, line.arms, line.t0, line.variance, line.rms)


def _reach(stroke: float) -> float:
    """How far across a stroke is looked at, px."""
    return min(max(2.4 * stroke, 6.0), WIDEST)


@dataclass(frozen=True)
class _Laid:
    """A line through a stroke's middles: offset where both lines meet, slope; t0: middle of what was used along it."""

    offset: float
    slope: float
    width: float
    contrast: float
    arms: int
    t0: float
    variance: tuple[float, float]  # of the offset at t0, of the slope
    rms: float


def _laid(t: Array, s: Array, grey: Array) -> _Laid | None:
    """None where there is no stroke. grey: across it (columns, at s) for each place along it (rows, at t)."""
    edge, step = max(len(s) // 6, 2), float(t[1] - t[0])
    left, right = grey[:, :edge].mean(axis=1), grey[:, -edge:].mean(axis=1)
    share = (s - s[0]) / (s[-1] - s[0])
    ground = left[:, None] + (right - left)[:, None] * share[None, :]
    dark = ground - grey
    typical = np.median(dark, axis=0)
    noise = 1.4826 * float(np.median(np.abs(dark - typical[None, :]))) + 0.3
    strongest = dark.max(axis=1)
    close = np.abs(t) < CLOSE
    good = float(np.quantile(strongest[close], 0.85)) if close.any() else 0.0
    if good < LEAST_CONTRAST * noise:
        return None
    dark = np.where(dark > 0.35 * strongest[:, None], dark - 0.35 * strongest[:, None], 0.0)
    weight = dark.sum(axis=1)
    at = (dark * s).sum(axis=1) / np.maximum(weight, 1e-9)
    spread = np.sqrt(np.maximum((dark * s**2).sum(axis=1) / np.maximum(weight, 1e-9) - at**2, 0))
    seen = (strongest > 0.45 * good) & (strongest > LEAST_CONTRAST * 0.75 * noise) & (spread < 0.3 * (s[-1] - s[0]))
    stroke = 3.46 * float(np.median(spread[seen])) if seen.sum() * step > LEAST_ARM else 0.0
    if not stroke:
        return None
    begins = 1.4 * stroke + 2
    clear = np.abs(t) > begins  # where the other stroke crosses it says nothing about this one's middle
    use = seen & clear & (np.abs(spread - np.median(spread[seen])) < 0.35 * stroke + 0.3)
    a = b = 0.0
    w = use.astype(float)
    for _ in range(12):
        total = w.sum()
        if total * step < LEAST_ARM:
            return None
        t0 = float((w * t).sum() / total)
        mean = float((w * at).sum() / total)
        sxx = float((w * (t - t0) ** 2).sum())
        b = float((w * (t - t0) * (at - mean)).sum() / sxx) if sxx else 0.0
        a = mean - b * t0
        off = at - a - b * t
        scale = 1.4826 * float(np.median(np.abs(off[use]))) + 0.02
        z = off / (TUKEY * scale)
        w = np.where(use & (np.abs(z) < 1), (1 - z**2) ** 2, 0.0)
    total = w.sum()
    if total * step < LEAST_ARM:
        return None
    rms = math.sqrt(float((w * off**2).sum() / total))
    variance = (rms**2 * NEIGHBOURS / total, rms**2 * NEIGHBOURS / sxx)
    on = (w > 0.05).astype(float)
    arms = sum(_arm(on, t, side, begins) for side in (-1, 1))
    return _Laid(a, b, stroke, good, arms, t0, variance, rms)


def _arm(on: Array, t: Array, side: int, begins: float) -> bool:
    """Whether a stroke really runs on from the crossing on one side of it, mostly unbroken."""
    here = on[(side * t > begins) & (side * t < begins + 2.5 * LEAST_ARM)]
    return len(here) >= 2 and float(here.mean()) > 0.6


def _meeting(theta: float, c: float, other: float, d: float) -> Array | None:
    """Where two lines meet; None where they hardly cross."""
    across = math.sin(other - theta)
    if abs(across) < 0.5:
        return None
    return np.array(
        [(c * math.sin(other) - d * math.sin(theta)) / across, (d * math.cos(theta) - c * math.cos(other)) / across]
    )


def _met(first: _Line, second: _Line, shape: Sequence[int]) -> Cross | None:
    """The cross of two strokes that one pen drew; None where they were not, or don't meet in the picture."""
    meets = _meeting(first.theta, first.c, second.theta, second.c)
    if meets is None:
        return None
    if min(meets[0], meets[1], shape[1] - meets[0], shape[0] - meets[1]) < LEAST_INSIDE:
        return None
    between = abs(math.remainder(first.theta - second.theta - math.pi / 2, math.pi))
    ratio = [
        max(a, b) / max(min(a, b), 1e-9) for a, b in ((first.width, second.width), (first.contrast, second.contrast))
    ]
    arms = first.arms + second.arms
    if between > SQUARE or max(ratio) > ALIKE or arms < 3 or min(first.arms, second.arms) < 1:
        return None
    if max(first.rms / first.width, second.rms / second.width) > 0.4:
        return None
    # Each line is uncertain across itself at the meeting point: by its own offset, and by its slope from its middle on.
    u1, u2 = (math.sqrt(line.variance[0] + line.variance[1] * line.t0**2 + FLOOR**2) for line in (first, second))
    across = math.sin(second.theta - first.theta)
    du = math.hypot(u1 * math.sin(second.theta), u2 * math.sin(first.theta)) / abs(across)
    dv = math.hypot(u1 * math.cos(second.theta), u2 * math.cos(first.theta)) / abs(across)
    return Cross(float(meets[0]), float(meets[1]), du, dv, arms)
