"""What a camera on a simulated head sees of drawn lines: turned, blurred, in uneven light, with grain."""

from __future__ import annotations

import io
import itertools
import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from keen_compass.standin.truth import Truth

Point = tuple[float, float]
Square = NDArray[np.floating]
SIZE = (800, 600)  # px
PEN = 0.3  # mm, what a line is wide


def matrix_of(truth: Truth) -> Square:
    """Pixels → mm; v runs down, so a camera that isn't mirrored turns one axis over."""
    scale, turn, mirrored = truth.camera
    c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))
    rotation = np.array([[c, -s], [s, c]])
    return rotation @ np.diag([scale, scale if mirrored else -scale])


def _about(to_pixels: Square, at: Point, a: Point, b: Point, beside: float) -> tuple[slice, slice]:
    """Rows and columns of the picture that a stroke from a to b may mark, `beside` px either side of it."""
    ends = [to_pixels @ np.subtract(p, at) + np.divide(SIZE, 2) for p in (a, b)]
    first = np.floor(np.min(ends, axis=0) - beside - 1).clip(0, SIZE).astype(int)
    last = np.ceil(np.max(ends, axis=0) + beside + 1).clip(0, SIZE).astype(int)
    return slice(first[1], last[1]), slice(first[0], last[0])


def picture(truth: Truth, at: Point, lines: Sequence[Sequence[Point]], seed: str) -> bytes:
    """JPEG with the camera's middle over `at`, mm. lines: drawn with the pen, mm."""
    from PIL import Image
    from scipy.ndimage import gaussian_filter

    rng = np.random.default_rng(sum(seed.encode()) + 7 * len(seed))
    w, h = SIZE
    v, u = np.mgrid[0:h, 0:w] + 0.5
    M = matrix_of(truth)
    x = at[0] + M[0, 0] * (u - w / 2) + M[0, 1] * (v - h / 2)
    y = at[1] + M[1, 0] * (u - w / 2) + M[1, 1] * (v - h / 2)
    soft, ink, to_pixels = truth.camera[0], np.zeros((h, w)), np.linalg.inv(M)
    for line in lines:
        for a, b in itertools.pairwise(line):
            there = _about(to_pixels, at, a, b, (PEN / 2 + soft) / soft)
            if not ink[there].size:
                continue
            (ax, ay), (bx, by), px, py = a, b, x[there], y[there]
            long = math.dist(a, b) or 1.0
            ux, uy = (bx - ax) / long, (by - ay) / long
            along = np.clip((px - ax) * ux + (py - ay) * uy, 0, long)
            away = np.hypot(px - ax - along * ux, py - ay - along * uy)
            ink[there] = np.maximum(ink[there], np.clip((PEN / 2 - away) / soft + 0.5, 0, 1))
    light = 1 + rng.uniform(-0.2, 0.2) * (u / w - 0.5) + rng.uniform(-0.2, 0.2) * (v / h - 0.5)
    grain = gaussian_filter(rng.normal(0, 1, (h, w)), 1.6)
    seen = (205 - 150 * ink) * light + 2.0 * grain / grain.std()
    seen = gaussian_filter(seen, 1.2) + rng.normal(0, 2.5, (h, w))
    out = io.BytesIO()
    Image.fromarray(np.clip(np.round(seen), 0, 255).astype(np.uint8)).save(out, "JPEG", quality=88)
    return out.getvalue()
