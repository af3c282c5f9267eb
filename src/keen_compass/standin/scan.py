"""What an office scanner makes of a cut piece on its glass: its own two scales and skew, blur, noise and dust.

It shares nothing with the reader: the piece is a polygon, drawn finer than the scan and averaged.
"""

from __future__ import annotations

import io
import math
import random
from dataclasses import dataclass

import numpy as np

from keen_compass.quantities.geometry import Area

FINER = 3  # subpixels each way
AROUND = 12.0  # mm of glass about the piece
DUST = 12  # specks


@dataclass(frozen=True)
class Glass:
    """A scanner. dpi: what its pictures say. x, y: by how much its pixels are larger, share; skew: tan of its lean.

    ground, body: grey of the lid and of the piece.
    """

    dpi: float = 300.0
    x: float = 0.0012
    y: float = -0.0021
    skew: float = 0.0006
    ground: float = 244.0
    body: float = 92.0


def scanned(shape: Area, glass: Glass, seed: int) -> bytes:
    """A JPEG of a piece (a shapely polygon, or several, mm), laid down by hand: a few degrees askew."""
    from PIL import Image, ImageDraw
    from scipy.ndimage import gaussian_filter
    from shapely import affinity

    rng, noise = random.Random(seed), np.random.default_rng(seed)
    laid = affinity.rotate(shape, rng.uniform(-4, 4))
    left, low, right, high = laid.bounds
    sx, sy = 25.4 / glass.dpi * (1 + glass.x), 25.4 / glass.dpi * (1 + glass.y)
    wide, tall = math.ceil((right - left + 2 * AROUND) / sx), math.ceil((high - low + 2 * AROUND) / sy)
    picture = Image.new("L", (wide * FINER, tall * FINER), round(glass.ground))
    draw = ImageDraw.Draw(picture)
    rings = []
    for part in getattr(laid, "geoms", [laid]):
        rings += [(part.exterior, glass.body), *((hole, glass.ground) for hole in part.interiors)]
    for ring, fill in rings:
        points = []
        for x, y in ring.coords:
            up = y - low + AROUND
            across = x - left + AROUND - glass.skew * up
            points.append((FINER * across / sx, FINER * (tall - up / sy)))
        draw.polygon(points, fill=round(fill))
    grey = np.asarray(picture, float).reshape(tall, FINER, wide, FINER).mean((1, 3))
    grey = gaussian_filter(grey, 0.7 * glass.dpi / 300) + noise.normal(0, 1.6, grey.shape)
    for _ in range(DUST):
        row, column = rng.randrange(tall), rng.randrange(wide)
        grey[row : row + 2, column : column + 2] += rng.choice((-50, 50))
    found = io.BytesIO()
    picture = Image.fromarray(np.clip(grey, 0, 255).astype(np.uint8))
    picture.save(found, "JPEG", quality=92, dpi=(glass.dpi, glass.dpi))
    return found.getvalue()
