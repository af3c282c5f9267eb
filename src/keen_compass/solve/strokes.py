"""A printed mark and what a tool drew beside it, fitted together to a piece of a picture (arithmetic.md §12).

    I = (b₀ + b·q + q·B·q) · ((1 − a_p·P)·(1 − a_t·T) + c·a_p·P·T),  P = 1 − Π(1 − sᵢ), T = 1 − Π(1 − tⱼ)

sᵢ are the print's strokes and rings, whose places among each other are known, tⱼ both strokes of the tool's cross; each
a band of its width, blurred by σ (half the sum of two error functions across it). c: how much of the print a tool's
ink covers, 0 where it is clear. Unknown: where the print is, where the tool's cross is beside it and how its strokes
slope, blur, widths, inks, the ground. Least squares, reweighted:
dust and grain count for nothing. What a place is worth comes from how single pieces of the strokes differ (a sandwich
of blocks), not from the noise of pixels: pens wander, paper has grain. Lengths in mm, greys 0 … 255.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from keen_compass.quantities.uncertainty import t_95

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]
    Columns = dict[int, Array]

BLOCK = 1.1  # mm, of strokes that are looked at by themselves: longer than a pen's line keeps to one side
ROUNDS = 14
WEIGHED = 3  # the turn from which on dust counts for less
MANY = 1500  # pixels, enough to come near; all of them are looked at only at the end
ENOUGH = 4e-4  # mm, that a step may still move anything
BLURRED = 4.5  # standard deviations of a blur, beyond which nothing of it is left
TUKEY = 4.5  # robust standard deviations
DAMPING = 1e-3
MOST_LEAN = 0.15  # by which print lies askew where the map is still a rough one
GROUND = 6  # of the parameters
PRINT, TOOL = 13, 20  # how many parameters there are without and with a tool's cross
PX, PY, LEAN_X, LEAN_Y, SIGMA, GAIN, INK = range(GROUND, PRINT)
EX, EY, SX, SY, WIDTH, TINT, COVER = range(PRINT, TOOL)


class Stroke(NamedTuple):
    """A straight stroke: its middle, half its length along its direction (a unit vector), mm wide."""

    at: tuple[float, float]
    along: tuple[float, float]
    half: float
    width: float


class Ring(NamedTuple):
    """A circle about a place, mm."""

    at: tuple[float, float]
    radius: float
    width: float


@dataclass(frozen=True)
class Start:
    """Where to begin. print: where it is taken to be; blur: mm. tool: where its cross is taken to be beside it, or
    None; half: of its strokes, width: mm; tint: which part of the light it takes (below 0: it is brighter).
    """

    print: tuple[float, float] = (0.0, 0.0)
    blur: float = 0.1
    tool: tuple[float, float] | None = None
    half: float = 5.0
    width: float = 0.35
    tint: float = 0.5


@dataclass(frozen=True)
class Laid:
    """print: where the print is, mm, with its standard uncertainties. tool: where the tool's cross is beside it.

    ink, tint: of print and tool, with their standard uncertainties; width: of the tool's strokes, mm. blur: σ, mm.
    noise: of a pixel, of 255. model: print alone (ground and print), as fitted.
    """

    print: tuple[float, float]
    print_u: tuple[float, float]
    tool: tuple[float, float]
    tool_U: tuple[float, float]
    slopes: tuple[float, float]
    ink: float
    ink_u: float
    tint: float
    tint_u: float
    width: float
    blur: float
    noise: float
    ground: Array
    printed: Array


def laid(x: Array, y: Array, grey: Array, design: Sequence[Stroke | Ring], start: Start) -> Laid | None:
    """The fit; None where it goes nowhere. x, y, grey: of the pixels that count."""
    with_tool = start.tool is not None
    n = TOOL if with_tool else PRINT
    p = np.zeros(n)
    p[0] = float(np.percentile(grey, 80))
    p[PX], p[PY] = start.print
    p[SIGMA], p[GAIN], p[INK] = start.blur, 0.02, 0.7
    if start.tool is not None:
        p[EX], p[EY], p[SX], p[SY] = *start.tool, 0.0, 0.0
        p[WIDTH], p[TINT] = start.width, start.tint
    first = 0
    if len(grey) > 2 * MANY:
        some = np.random.default_rng(len(grey)).choice(len(grey), MANY, replace=False)
        p, _ = _settled(p, x[some], y[some], grey[some], design, start.half, first)
        first = WEIGHED
    p, weight = _settled(p, x, y, grey, design, start.half, first)
    value, J = _model(p, x, y, design, start.half)
    r = grey - value
    if not np.isfinite(p).all() or not weight.any():
        return None
    cells = np.floor(x / BLOCK).astype(int) * 4096 + np.floor(y / BLOCK).astype(int)
    # How much ink there is, widths and blur aside: a faint wide line and a dark narrow one look alike.
    kept = [k for k in range(n) if k not in (SIGMA, GAIN, WIDTH)]
    sharp = J[:, kept]
    u = [*(_block_u(J, weight, r, k, cells) for k in (PX, PY)), _block_u(sharp, weight, r, kept.index(INK), cells)]
    e = [(0.0, 1.0)] * 3
    if with_tool:
        e = [*(_block_u(J, weight, r, k, cells) for k in (EX, EY)), _block_u(sharp, weight, r, kept.index(TINT), cells)]
    ground, alone = _print_alone(p, x, y, design)
    return Laid(
        (float(p[PX]), float(p[PY])),
        (u[0][0], u[1][0]),
        (float(p[EX]), float(p[EY])) if with_tool else (0.0, 0.0),
        (e[0][0] * t_95(e[0][1]), e[1][0] * t_95(e[1][1])),
        (float(p[SX]), float(p[SY])) if with_tool else (0.0, 0.0),
        float(p[INK]),
        u[2][0],
        float(p[TINT]) if with_tool else 0.0,
        e[2][0],
        float(p[WIDTH]) if with_tool else 0.0,
        float(p[SIGMA]),
        1.4826 * float(np.median(np.abs(r))),
        ground,
        alone,
    )


def _settled(
    p: Array, x: Array, y: Array, grey: Array, design: Sequence[Stroke | Ring], half: float, first: int
) -> tuple[Array, Array]:
    """The parameters that suit these pixels best, begun at p in a turn of the fit; and what each pixel counts for."""
    places = [PX, PY, *((EX, EY) if len(p) == TOOL else ())]
    weight, damping, last = np.ones_like(grey), DAMPING, math.inf
    for turn in range(first, ROUNDS):
        value, J = _model(p, x, y, design, half)
        r = grey - value
        scale = 1.4826 * float(np.median(np.abs(r))) + 0.3
        z = r / (TUKEY * scale)
        weight = np.where(np.abs(z) < 1, (1 - z**2) ** 2, 0.0) if turn >= WEIGHED else np.ones_like(r)
        cost = float(np.minimum(np.abs(z), 1).sum())
        damping = damping / 3 if cost <= last else damping * 4
        last = cost
        A = (J * weight[:, None]).T @ J
        step = np.linalg.solve(A + damping * np.diag(np.diag(A) + 1e-9), J.T @ (weight * r)).astype(float)
        p = _bounded(p, step, len(p))
        if turn > WEIGHED + 1 and float(np.abs(step[places]).max()) < ENOUGH:
            break
    return p, weight


def _bounded(p: Array, step: Array, n: int) -> Array:
    """A step that leaves what can be: nothing jumps, blur and widths stay above nothing, inks below all."""
    most = np.full(n, np.inf)
    most[[PX, PY]], most[[LEAN_X, LEAN_Y]], most[[SIGMA, GAIN, INK]] = 0.4, 0.03, (0.06, 0.06, 0.25)
    if n == TOOL:
        most[[EX, EY]], most[[SX, SY]], most[[WIDTH, TINT, COVER]] = 0.4, 0.02, (0.15, 0.25, 0.3)
    p = p + np.clip(step, -most, most)
    p[[LEAN_X, LEAN_Y]] = np.clip(p[[LEAN_X, LEAN_Y]], -MOST_LEAN, MOST_LEAN)
    p[SIGMA], p[GAIN] = np.clip(p[SIGMA], 0.015, 0.6), np.clip(p[GAIN], -0.08, 0.4)
    p[INK] = np.clip(p[INK], 0.02, 0.995)
    if n == TOOL:
        p[[SX, SY]] = np.clip(p[[SX, SY]], -0.15, 0.15)
        p[WIDTH], p[TINT] = np.clip(p[WIDTH], 0.03, 1.2), np.clip(p[TINT], -1.5, 0.995)
        p[COVER] = np.clip(p[COVER], 0.0, 1.0)
    return p


def _model(p: Array, x: Array, y: Array, design: Sequence[Stroke | Ring], half: float) -> tuple[Array, Array]:
    """Greys and their slopes by each parameter."""
    J = np.zeros((len(x), len(p)))
    shapes = np.stack([np.ones_like(x), x, y, x * x, x * y, y * y], axis=1)
    ground = shapes @ p[:GROUND]
    hidden, by = _hidden(design, x, y, p)
    paper = 1 - p[INK] * hidden
    tool, tool_by = _cross(x, y, p, half) if len(p) == TOOL else (np.zeros_like(x), {})
    tinted, covers = (float(p[TINT]), float(p[COVER])) if len(p) == TOOL else (0.0, 0.0)
    tint, both = 1 - tinted * tool, covers * hidden * tool
    light = paper * tint + p[INK] * both
    J[:, :GROUND] = shapes * light[:, None]
    on_print, on_tool = ground * p[INK] * (covers * tool - tint), ground * (covers * p[INK] * hidden - tinted * paper)
    for k, slope in by.items():
        J[:, k] = on_print * slope
    J[:, INK] = ground * (both - tint * hidden)
    for k, slope in tool_by.items():
        J[:, k] += on_tool * slope
    if len(p) == TOOL:  # the tool's cross is where it is beside the print: it moves with it
        J[:, PX] += J[:, EX]
        J[:, PY] += J[:, EY]
        J[:, TINT], J[:, COVER] = -ground * paper * tool, ground * p[INK] * hidden * tool
    return ground * light, J


def _print_alone(p: Array, x: Array, y: Array, design: Sequence[Stroke | Ring]) -> tuple[Array, Array]:
    """The ground, and how much of it the print hides (0 … 1)."""
    shapes = np.stack([np.ones_like(x), x, y, x * x, x * y, y * y], axis=1)
    return shapes @ p[:GROUND], p[INK] * _hidden(design, x, y, p)[0]


def _hidden(design: Sequence[Stroke | Ring], x: Array, y: Array, p: Array) -> tuple[Array, Columns]:
    """How much of the paper print hides, 0 … 1; and its slopes by PX, PY, LEAN_X, LEAN_Y, SIGMA, GAIN."""
    sigma = float(p[SIGMA])
    u, v = x - p[PX], y - p[PY]
    lean_u, lean_v = u - p[LEAN_X] * v, v - p[LEAN_Y] * u
    parts: list[_Part] = []
    for s in design:
        dx, dy = lean_u - s.at[0], lean_v - s.at[1]
        reach = _half(s.width + p[GAIN]) + BLURRED * sigma
        if isinstance(s, Ring):
            r = np.hypot(dx, dy) + 1e-12
            near = np.flatnonzero(np.abs(r - s.radius) < reach)
            dx, dy, r = dx[near], dy[near], r[near]
            band = _band(r - s.radius, s.width + p[GAIN], sigma)
            share, slopes = (
                band.value,
                {PX: -band.across * dx / r, PY: -band.across * dy / r, SIGMA: band.sigma, GAIN: band.width},
            )
        else:
            ax, ay = s.along
            across, along = dx * -ay + dy * ax, dx * ax + dy * ay
            near = np.flatnonzero((np.abs(across) < reach) & (np.abs(along) < s.half + reach))
            band = _band(across[near], s.width + p[GAIN], sigma)
            cap = _band(along[near], 2 * s.half + p[GAIN], sigma)
            share = band.value * cap.value
            slopes = {
                PX: ay * band.across * cap.value - ax * cap.across * band.value,
                PY: -ax * band.across * cap.value - ay * cap.across * band.value,
                SIGMA: band.sigma * cap.value + cap.sigma * band.value,
                GAIN: band.width * cap.value + cap.width * band.value,
            }
        slopes[LEAN_X], slopes[LEAN_Y] = slopes[PX] * v[near], slopes[PY] * u[near]
        parts.append(_Part(near, share, slopes))
    return _put_together(parts, len(x))


def _cross(x: Array, y: Array, p: Array, half: float) -> tuple[Array, Columns]:
    """The same of the tool's cross, its strokes along Y and along X, by EX, EY, SX, SY, WIDTH, SIGMA."""
    dx, dy, sigma, width = x - p[PX] - p[EX], y - p[PY] - p[EY], float(p[SIGMA]), float(p[WIDTH])
    reach = _half(width) + BLURRED * sigma
    parts: list[_Part] = []
    for off, along, slope, across_at, along_at, slope_at in ((dx, dy, p[SX], EX, EY, SX), (dy, dx, p[SY], EY, EX, SY)):
        across = off - slope * along
        near = np.flatnonzero((np.abs(across) < reach) & (np.abs(along) < half + reach))
        band, cap = _band(across[near], width, sigma), _band(along[near], 2 * half + width, sigma)
        parts.append(
            _Part(
                near,
                band.value * cap.value,
                {
                    across_at: -band.across * cap.value,
                    along_at: slope * band.across * cap.value - cap.across * band.value,
                    slope_at: -along[near] * band.across * cap.value,
                    WIDTH: band.width * cap.value + cap.width * band.value,
                    SIGMA: band.sigma * cap.value + cap.sigma * band.value,
                },
            )
        )
    return _put_together(parts, len(x))


class _Part(NamedTuple):
    """What one stroke hides: of which pixels, how much, and its slopes; of all others nothing."""

    near: NDArray[np.intp]
    share: Array
    slopes: Columns


def _put_together(parts: Sequence[_Part], pixels: int) -> tuple[Array, Columns]:
    """1 − Π(1 − s), and its slopes."""
    left = np.ones(pixels)
    for near, share, _ in parts:
        left[near] *= 1 - share
    found: Columns = {}
    for near, share, slopes in parts:
        others = left[near] / np.maximum(1 - share, 1e-9)
        for k, slope in slopes.items():
            found.setdefault(k, np.zeros(pixels))[near] += others * slope
    return 1 - left, found


def _half(width: float) -> float:
    return max(width, 0.01) / 2


class _Band(NamedTuple):
    """A blurred band at a distance, and its slopes by distance, width and σ."""

    value: Array
    across: Array
    width: Array
    sigma: Array


def _band(d: Array, width: float, sigma: float) -> _Band:
    from scipy.special import erf

    root, half = math.sqrt(2) * sigma, _half(width)
    found = _Band((np.abs(d) < half).astype(float), *(np.zeros_like(d) for _ in range(3)))
    edge = np.flatnonzero(np.abs(np.abs(d) - half) < BLURRED * sigma)  # elsewhere it is all or nothing
    near = d[edge]
    a, b = (half - near) / root, (half + near) / root
    ga, gb = (np.exp(-t * t) / (math.sqrt(math.pi) * root) for t in (a, b))
    found.value[edge] = 0.5 * (erf(a) + erf(b))
    found.across[edge] = gb - ga
    found.width[edge] = (ga + gb) / 2
    found.sigma[edge] = -(a * ga + b * gb) * math.sqrt(2)
    return found


def _block_u(J: Array, weight: Array, r: Array, k: int, cells: NDArray[np.int_]) -> tuple[float, float]:
    """(standard uncertainty, degrees of freedom) of a parameter, from how much single blocks of pixels want it moved.

    With all else free: the parameter's slope is taken square to all others (Frisch–Waugh), blocks are summed up by
    themselves (a clustered sandwich: Liang, Zeger 1986).
    """
    root = np.sqrt(weight)
    others, own = np.delete(J, k, axis=1) * root[:, None], J[:, k] * root
    others /= np.sqrt((others**2).sum(axis=0)) + 1e-12
    own = own - others @ np.linalg.solve(others.T @ others + 1e-9 * np.eye(others.shape[1]), others.T @ own)
    information = own**2
    total = float(information.sum())
    if total <= 0:
        return math.inf, 1.0
    _, index = np.unique(cells, return_inverse=True)
    wants = np.bincount(index, own * r * root)
    worth = np.bincount(index, information)
    effective = total**2 / float((worth**2).sum())
    dof = max(effective - 2.0, 1.0)
    return math.sqrt(float((wants**2).sum()) * effective / dof) / total, dof
