"""What a camera on a simulated head sees of drawn lines: turned, blurred, in uneven light, with grain."""

from __future__ import annotations

import io
import itertools
import math
from collections.abc import Sequence

import numpy as np

from keen_compass.standin.truth import Truth

Point = tuple[float, float]
SIZE = (800, 600)  # px
PEN = 0.3  # mm, what a line is wide
SEEN = 30.0  # mm from the middle, beyond which nothing is in the picture


def matrix_of(truth: Truth) -> np.ndarray[tuple[int, int], np.dtype[np.float64]]:
    """Pixels → mm; v runs down, so a camera that isn't mirrored turns one axis over."""
    scale, turn, mirrored = truth.camera
    c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))
    rotation = np.array([[c, -s], [s, c]])
    return rotation @ np.diag([scale, scale if mirrored else -scale])


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
    soft, ink = truth.camera[0], np.zeros((h, w))
    for line in lines:
        for (ax, ay), (bx, by) in itertools.pairwise(line):
            if min(math.dist(at, p) for p in ((ax, ay), (bx, by), ((ax + bx) / 2, (ay + by) / 2))) > SEEN:
                continue
            long = math.dist((ax, ay), (bx, by)) or 1.0
            ux, uy = (bx - ax) / long, (by - ay) / long
            along = np.clip((x - ax) * ux + (y - ay) * uy, 0, long)
            away = np.hypot(x - ax - along * ux, y - ay - along * uy)
            ink = np.maximum(ink, np.clip((PEN / 2 - away) / soft + 0.5, 0, 1))
    light = 1 + rng.uniform(-0.2, 0.2) * (u / w - 0.5) + rng.uniform(-0.2, 0.2) * (v / h - 0.5)
    grain = gaussian_filter(rng.normal(0, 1, (h, w)), 1.6)
    seen = (205 - 150 * ink) * light + 2.0 * grain / grain.std()
    seen = gaussian_filter(seen, 1.2) + rng.normal(0, 2.5, (h, w))
    out = io.BytesIO()
    Image.fromarray(np.clip(np.round(seen), 0, 255).astype(np.uint8)).save(out, "JPEG", quality=88)
    return out.getvalue()
