"""Pictures of crosses as a shop's camera takes them, rendered apart from whatever looks for them."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from scipy.ndimage import gaussian_filter

Picture = np.ndarray[Any, np.dtype[np.float64]]


class Sheet:
    """Paper of so many pixels, and what is drawn on it."""

    def __init__(self, size: tuple[int, int]) -> None:
        self.y, self.x = np.mgrid[0 : size[0], 0 : size[1]] + 0.5
        self.cover: Picture = np.zeros(size)

    def stroke(
        self, at: tuple[float, float], angle: float, ends: tuple[float, float], width: float, ink: float = 1.0
    ) -> None:  # fmt: skip
        """A straight stroke through a place, its edges as soft as a pixel."""
        c, s = math.cos(angle), math.sin(angle)
        t, d = (self.x - at[0]) * c + (self.y - at[1]) * s, (self.y - at[1]) * c - (self.x - at[0]) * s
        within = np.clip(t - ends[0] + 0.5, 0, 1) * np.clip(ends[1] - t + 0.5, 0, 1)
        self.cover = np.maximum(self.cover, ink * np.clip(width / 2 - np.abs(d) + 0.5, 0, 1) * within)


def taken(rng: np.random.Generator, cover: Picture) -> Picture:
    """Ink on paper under uneven light, grain, a lens out of focus, a noisy sensor; whole greys."""
    h, w = cover.shape
    y, x = np.mgrid[0:h, 0:w] + 0.5
    light = 1 + rng.uniform(-0.2, 0.2) * (x / w - 0.5) + rng.uniform(-0.2, 0.2) * (y / h - 0.5)
    light -= rng.uniform(0, 0.5) * ((x / w - 0.5) ** 2 + (y / h - 0.5) ** 2)
    grain = gaussian_filter(rng.normal(0, 1, (h, w)), rng.uniform(1, 2.5))
    seen = (rng.uniform(170, 230) - rng.uniform(60, 150) * cover) * light + grain * rng.uniform(1, 4) / grain.std()
    seen = gaussian_filter(seen, rng.uniform(0.6, 2.2)) + rng.normal(0, rng.uniform(1, 5), (h, w))
    return np.clip(np.round(seen), 0, 255).astype(float)


def of_a_cross(
    seed: int, size: tuple[int, int] = (960, 1280), *, half_hidden: bool = False
) -> tuple[Picture, tuple[float, float]]:  # fmt: skip
    """(picture, where its middle is, px); every third has a scratch beside it."""
    rng, sheet = np.random.default_rng(seed), Sheet(size)
    h, w = size
    middle = (rng.uniform(0.3, 0.7) * w, rng.uniform(0.3, 0.7) * h)
    turn, width, arm = rng.uniform(0, math.pi / 2), rng.uniform(4, 16), rng.uniform(100, 320) * min(size) / 960
    for k, angle in enumerate((turn, turn + math.pi / 2 + rng.normal(0, math.radians(1)))):
        ends = (-arm * rng.uniform(0.8, 1.2), arm * rng.uniform(0.8, 1.2))
        ends = (-rng.uniform(0, 20), ends[1]) if half_hidden and not k else ends
        sheet.stroke(middle, angle, ends, width, rng.uniform(0.85, 1))
    if seed % 3 == 0:
        reach = rng.uniform(40, 200)
        at = (rng.uniform(0, w), rng.uniform(0, h))
        sheet.stroke(at, rng.uniform(0, math.pi), (-reach, reach), rng.uniform(4, 12), 0.5)
    return taken(rng, sheet.cover), middle


def beside_an_edge(seed: int, size: tuple[int, int] = (600, 800)) -> tuple[Picture, tuple[float, float]]:
    """A cross whose middle lies 15 to 60 px from an edge of the picture, which cuts one of its arms off."""
    rng, sheet, (h, w) = np.random.default_rng(seed), Sheet(size), size
    width, far = rng.uniform(4, 18), rng.uniform(15, 60)
    u, v = rng.uniform(0.3, 0.7) * w, rng.uniform(0.3, 0.7) * h
    middle = [(far, v), (w - far, v), (u, far), (u, h - far)][seed % 4]
    turn, arm = rng.uniform(-0.12, 0.12), rng.uniform(100, 240)
    for angle in (turn, turn + math.pi / 2):
        sheet.stroke(middle, angle, (-arm, arm), width)
    return taken(rng, sheet.cover), middle


def without_a_cross(seed: int, size: tuple[int, int] = (960, 1280)) -> Picture:
    """One stroke, two side by side, two that end before they meet, an angle, a disc, or nothing at all."""
    rng, sheet = np.random.default_rng(seed), Sheet(size)
    h, w = size
    at, angle, width = (rng.uniform(0.3, 0.7) * w, rng.uniform(0.3, 0.7) * h), rng.uniform(0, 3), rng.uniform(4, 14)
    arm = rng.uniform(120, 300) * min(size) / 960
    square = angle + math.pi / 2
    match seed % 6:
        case 0:
            sheet.stroke(at, angle, (-arm, arm), width)
        case 1:
            sheet.stroke(at, angle, (-arm, arm), width)
            sheet.stroke((at[0] - 60 * math.sin(angle), at[1] + 60 * math.cos(angle)), angle, (-arm, arm), width)
        case 2:
            sheet.stroke(at, angle, (-arm, arm), width)
            sheet.stroke(at, square, (arm * 0.5, arm * 1.5), width)
        case 3:
            sheet.stroke(at, angle, (0, arm), width)
            sheet.stroke(at, square, (0, arm), width)
        case 4:
            sheet.cover = np.clip(arm / 2 - np.hypot(sheet.x - at[0], sheet.y - at[1]) + 0.5, 0, 1)
    return taken(rng, sheet.cover)
