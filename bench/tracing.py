"""Tracing and outsetting an A4 picture at 300 dpi, against scikit-image and Shapely called bare; a look at it.

Both in one process, in turn; the ratio of the medians is what counts.
"""

from __future__ import annotations

import io
import math
import time
from collections.abc import Callable
from statistics import median

import numpy as np
import shapely
from PIL import Image
from skimage.measure import find_contours

from keen_compass.formats.artwork import Picture, read_artwork
from keen_compass.pieces.outline import Outset, outlined

RUNS = 5
A4 = (2480, 3508)
SCREEN = 200_000  # pixels that a look at it takes


def picture() -> bytes:
    """Leaves, rings and specks, dark on white."""
    rng = np.random.default_rng(4)
    y, x = np.mgrid[0 : A4[1], 0 : A4[0]]
    light = np.full((A4[1], A4[0]), 255.0)
    for _ in range(40):
        cx, cy, r, n = rng.uniform(200, 2200), rng.uniform(200, 3300), rng.uniform(30, 260), rng.integers(2, 9)
        angle = np.arctan2(y - cy, x - cx)
        edge = r * (1 + 0.25 * np.sin(n * angle)) - np.hypot(x - cx, y - cy)
        light -= 230 * np.clip(edge + 0.5, 0, 1) * (np.hypot(x - cx, y - cy) > 0.3 * r)
    light = np.clip(light + rng.normal(0, 3, light.shape), 0, 255)
    held = io.BytesIO()
    Image.fromarray(light.astype(np.uint8)).save(held, "PNG", dpi=(300, 300))
    return held.getvalue()


def bare(values: np.ndarray) -> object:
    """What anybody would write first."""
    rings = [shapely.linearrings(c[:, ::-1] * 25.4 / 300) for c in find_contours(1 - values, 0.5) if len(c) > 3]
    return shapely.build_area(shapely.multilinestrings(rings)).buffer(2.0, quad_segs=16)


def timed(run: Callable[[], object]) -> float:
    """s."""
    start = time.perf_counter()
    run()
    return time.perf_counter() - start


def main() -> None:
    """Measure and print."""
    found = read_artwork(picture(), "a4.png")
    assert isinstance(found, Picture)
    plain, ours = [], []
    for _ in range(RUNS):
        plain.append(timed(lambda: bare(found.values)))
        ours.append(timed(lambda: outlined(found.area(), Outset(2.0))))
    print(
        f"bare {median(plain):.2f} s, ours {median(ours):.2f} s: ratio {median(ours) / median(plain):.2f} (target 1.5)"
    )
    little = found.reduced(SCREEN)
    look = [timed(lambda: outlined(little.area(0.4), Outset(2.0))) for _ in range(2 * RUNS)]
    size = " × ".join(map(str, little.values.shape))
    print(f"a look at {size} pixels after a slider's move: {1000 * median(look):.0f} ms (target 100)")
    assert math.isfinite(found.area().area)


if __name__ == "__main__":
    main()
