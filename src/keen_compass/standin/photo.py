"""Pictures of a sheet as phones and office scanners make them: what was printed, what a tool drew on it, how it was
held, what lens, light, sensor and compression do to it.

The page is rendered by a library that shares nothing with whoever wrote it. Places on the page in mm from its lower
left corner, Y up; in the picture in px, v downwards.
"""

from __future__ import annotations

import io
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import TYPE_CHECKING, Any

from keen_compass.quantities.geometry import Point

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Pixels = NDArray[np.floating[Any]]
    ToPage = Callable[[Pixels, Pixels], tuple[Pixels, Pixels]]

POINT = 25.4 / 72  # mm
FINER = 1.7  # pixels of the paper for one of the picture; each gathers what falls on its area
MOST_FINE = 26.0  # px per mm of the paper
AT_ONCE = 32  # rows of a picture that are worked out together: they fit into a processor’s cache
TABLE = (118.0, 104.0, 92.0)  # what a sheet lies on
MARGIN = 0.06  # of a sheet’s size that is seen of the table about it


@dataclass(frozen=True, slots=True)
class Ink:
    """A line that a tool leaves: its colour 0 … 1, how much of the paper it hides, mm wide.

    wobble: mm, standard, by which its edges wander; wander_over: mm over which they do; starts_thick: how much wider
    the first half millimetre of a pen’s line is. shade: of a cut’s one lip, which lies in its own shadow.
    """

    colour: tuple[float, float, float] = (0.15, 0.15, 0.6)
    hides: float = 0.85
    width: float = 0.35
    wobble: float = 0.012
    wander_over: float = 0.7
    starts_thick: float = 0.25
    shade: float = 0.0


@dataclass(frozen=True, slots=True)
class Camera:
    """How a picture is taken.

    px_per_mm: in its middle. turn: degrees. tilt: (about X, about Y), degrees, from `away` sheet sizes. bends: radial
    distortion k₁ at the picture’s corner. stretch: of a scanner along its travel, mm/mm; waves: px, of its belt.
    blur: px. noise: of 255. quality: of JPEG; 0 for PNG. light: share by which it falls off across the picture;
    shadow: of someone’s hand, share. dust: specks. curl: mm by which the upper edge stands up. mirrored: taken through
    the sheet. cut: (left, lower, right, upper) shares of the sheet that are not in the picture.
    """

    px_per_mm: float = 8.0
    turn: float = 0.0
    tilt: tuple[float, float] = (0.0, 0.0)
    away: float = 1.6
    bends: float = 0.0
    stretch: float = 0.0
    waves: float = 0.0
    blur: float = 0.8
    noise: float = 3.0
    quality: int = 90
    light: float = 0.0
    shadow: float = 0.0
    dust: int = 0
    curl: float = 0.0
    mirrored: bool = False
    cut: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)


@dataclass(frozen=True)
class Paper:
    """A printed page and what was drawn on it: rows of red, green, blue 0 … 255 from its top; its size in mm."""

    pixels: Pixels
    size: Point

    @property
    def fine(self) -> Point:
        """Pixels per mm, along and up: a page is as many whole pixels."""
        return self.pixels.shape[1] / self.size[0], self.pixels.shape[0] / self.size[1]


def printed(
    pdf: bytes, px_per_mm: float, film: tuple[float, float, float] = (246.0, 245.0, 240.0), finer: int = 1
) -> Paper:
    """The first page on paper of that colour; black toner is not quite black. finer: how many times as fine it is
    rendered first, each way, for its pictures are put onto whole pixels.
    """
    import numpy as np
    import pypdfium2

    document = pypdfium2.PdfDocument(pdf)
    try:
        fine = _fineness(px_per_mm)
        drawn = document[0].render(scale=finer * fine * POINT, rev_byteorder=True).to_numpy()[..., :3]
        share = _averaged(drawn, finer) / np.float32(255)
        wide, high = (side * POINT for side in document[0].get_size())
    finally:
        document.close()
    return Paper(share * np.array(film, np.float32) + (1 - share) * np.float32(28.0), (wide, high))


def _averaged(drawn: NDArray[np.uint8], finer: int) -> Pixels:
    """The means of so many pixels each way; a colour at a time, which is many times as fast as all at once."""
    import numpy as np

    if finer == 1:
        return drawn.astype(np.float32)
    high, wide = (side // finer for side in drawn.shape[:2])
    means = np.empty((high, wide, 3), np.float32)
    for k in range(3):
        plane = np.ascontiguousarray(drawn[: high * finer, : wide * finer, k])
        rows = plane.reshape(high, finer, -1).sum(axis=1, dtype=np.uint16)
        means[..., k] = sum(rows[:, i::finer] for i in range(finer)) / np.float32(finer**2)
    return means


def blank(size: Point, px_per_mm: float, film: tuple[float, float, float] = (246.0, 245.0, 240.0)) -> Paper:
    """Film of that colour with nothing on it. size: mm."""
    import numpy as np

    fine = _fineness(px_per_mm)
    shape = round(size[1] * fine), round(size[0] * fine), 3
    return Paper(np.broadcast_to(np.array(film, np.float32), shape).copy(), size)


def _fineness(px_per_mm: float) -> float:
    """Pixels of the paper to a mm, for a picture with so many."""
    return min(max(FINER * px_per_mm, 10.0), MOST_FINE)


def drawn_on(paper: Paper, lines: Sequence[Sequence[Point]], ink: Ink, seed: int) -> Paper:
    """The same with lines that a tool left, mm on the page."""
    import numpy as np

    rng, pixels, (fx, fy), high = np.random.default_rng(seed), paper.pixels.copy(), paper.fine, paper.size[1]
    for line in lines:
        for a, b in pairwise(line):
            length = math.dist(a, b) or 1e-6
            ux, uy = (b[0] - a[0]) / length, (b[1] - a[1]) / length
            reach = ink.width + 0.5
            x0, x1 = (int((v + s * reach) * fx) for v, s in ((min(a[0], b[0]), -1), (max(a[0], b[0]), 1)))
            y0, y1 = (int((high - v + s * reach) * fy) for v, s in ((max(a[1], b[1]), -1), (min(a[1], b[1]), 1)))
            x0, y0 = max(x0, 0), max(y0, 0)
            part = pixels[y0:y1, x0:x1]
            if not part.size:
                continue
            rows, columns = np.mgrid[y0 : y0 + part.shape[0], x0 : x0 + part.shape[1]]
            px, py = (columns + 0.5) / fx - a[0], high - (rows + 0.5) / fy - a[1]
            along, across = px * ux + py * uy, py * ux - px * uy
            knots = max(int(length / ink.wander_over) + 3, 3)
            where = np.linspace(-reach, length + reach, knots)
            left, right = (rng.normal(0, ink.wobble, knots) for _ in "lr")
            half = ink.width / 2 * (1 + ink.starts_thick * (along < 0.5) * (along > -0.3))
            left_edge, right_edge = (np.interp(along, where, side) for side in (left, right))
            inside = np.minimum(half + left_edge - across, half + right_edge + across)
            inside = np.minimum(inside, np.minimum(along, length - along) + ink.width / 2)
            hides = ink.hides * np.clip(inside * fx + 0.5, 0, 1)
            if ink.shade:
                hides *= 1 + ink.shade * np.sign(across)
            colour = 255 * np.array(ink.colour)
            part[:] = part * (1 - hides[..., None]) + colour * hides[..., None]
    return Paper(pixels, paper.size)


def taken(paper: Paper, camera: Camera, seed: int) -> bytes:
    """The picture as a file: JPEG, or PNG where its quality is 0."""
    from PIL import Image

    pixels = _sensed(paper, camera, seed)
    out = io.BytesIO()
    picture = Image.fromarray(pixels)
    if camera.quality:
        picture.save(out, "JPEG", quality=camera.quality)
    else:
        picture.save(out, "PNG")
    return out.getvalue()


def _sensed(paper: Paper, camera: Camera, seed: int) -> NDArray[np.uint8]:
    import numpy as np
    from scipy.ndimage import gaussian_filter

    rng = np.random.default_rng(seed)
    to_page, (w, h) = _seen_from(paper, camera, rng)
    surface = 1 + 0.04 * gaussian_filter(rng.standard_normal((h, w), np.float32), 1.2)
    bright_at, hand_at = (rng.uniform(0, 1), rng.uniform(0, 1)), w * rng.uniform(0.2, 0.8)
    (fx, fy), high = paper.fine, paper.size[1]
    colours = np.ascontiguousarray(paper.pixels.transpose(2, 0, 1))
    seen = np.empty((3, h, w), np.float32)
    for first in range(0, h, AT_ONCE):
        rows = np.s_[first : first + AT_ONCE]
        v, u = np.mgrid[first : min(first + AT_ONCE, h), 0:w].astype(np.float32) + np.float32(0.5)
        x, y = to_page(u, v)
        column, row = x * fx - 0.5, (high - y) * fy - 0.5
        inside = (column > 0) & (row > 0) & (column < paper.pixels.shape[1] - 1) & (row < paper.pixels.shape[0] - 1)
        page = _between(colours, row, column)
        fall = 1 - camera.light * ((u / w - bright_at[0]) ** 2 + (v / h - bright_at[1]) ** 2)
        hand = 1 / (1 + np.exp(-((u - hand_at) + 0.4 * (v - h / 2)) / (0.05 * w)))
        light = fall * (1 - camera.shadow * hand)
        for k in range(3):
            seen[k, rows] = np.where(inside, page[k] * surface[rows], TABLE[k]) * light
    for k in range(3):
        shifted = camera.blur * (1 + 0.08 * (k - 1))  # colours are not all equally sharp
        seen[k] = gaussian_filter(seen[k], shifted, truncate=3.0)
    return _recorded(np.ascontiguousarray(seen.transpose(1, 2, 0)), camera, rng)


def _recorded(seen: Pixels, camera: Camera, rng: np.random.Generator) -> NDArray[np.uint8]:
    """What dust on the sensor and its grain make of it."""
    import numpy as np
    from scipy.ndimage import gaussian_filter

    h, w = seen.shape[:2]
    for _ in range(camera.dust):
        at, size = (rng.uniform(0, h), rng.uniform(0, w)), rng.uniform(0.6, 2.5)
        r0, c0 = int(at[0]), int(at[1])
        near = np.s_[max(r0 - 8, 0) : min(r0 + 8, h), max(c0 - 8, 0) : min(c0 + 8, w)]
        v, u = np.mgrid[near] + 0.5
        seen[near] *= 1 - rng.uniform(0.2, 0.7) * (np.hypot(v - at[0], u - at[1]) < size)[..., None]
    grain = rng.standard_normal(seen.shape, np.float32)
    seen += camera.noise * (0.75 * grain + 1.2 * gaussian_filter(grain, (0.8, 0.8, 0), truncate=2.5))
    return np.clip(np.round(seen), 0, 255).astype(np.uint8)


def _between(colours: Pixels, row: Pixels, column: Pixels) -> list[Pixels]:
    """Each colour between four pixels, by how near they are; beyond the rim that of the rim. colours: one after
    another, each in rows.
    """
    import numpy as np

    high, wide = colours.shape[1:]
    r, c = np.clip(row, 0, high - 1.001), np.clip(column, 0, wide - 1.001)
    r0, c0 = r.astype(np.int32), c.astype(np.int32)
    fr, fc = ((v - whole).astype(np.float32) for v, whole in ((r, r0), (c, c0)))
    at = r0 * wide + c0
    found = []
    for flat in colours.reshape(len(colours), -1):
        upper = flat.take(at) * (1 - fc) + flat.take(at + 1) * fc
        lower = flat.take(at + wide) * (1 - fc) + flat.take(at + wide + 1) * fc
        found.append(upper * (1 - fr) + lower * fr)
    return found


def _seen_from(paper: Paper, camera: Camera, rng: np.random.Generator) -> tuple[ToPage, tuple[int, int]]:
    """(picture → page, the picture’s width and height in px)."""
    import numpy as np

    wide, high = paper.size
    c, s = math.cos(math.radians(camera.turn)), math.sin(math.radians(camera.turn))
    ax, ay = (math.radians(t) for t in camera.tilt)
    far = camera.away * max(wide, high)
    # From the page's plane, turned about its middle, tilted, to the sensor far away.
    spin = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]])
    about_x = np.array([[1, 0, 0], [0, math.cos(ax), -math.sin(ax)], [0, math.sin(ax), math.cos(ax)]])
    about_y = np.array([[math.cos(ay), 0, math.sin(ay)], [0, 1, 0], [-math.sin(ay), 0, math.cos(ay)]])
    turned = about_y @ about_x @ spin
    scale = camera.px_per_mm * far
    flip = -1.0 if camera.mirrored else 1.0
    H = np.array(
        [
            [flip * scale * turned[0, 0], flip * scale * turned[0, 1], 0.0],
            [-scale * turned[1, 0], -scale * turned[1, 1] * (1 + camera.stretch), 0.0],
            [turned[2, 0], turned[2, 1], far],
        ]
    )
    left, low, right, upper = camera.cut
    about = MARGIN * max(wide, high)
    corners = np.array(
        [
            (x - wide / 2, y - high / 2, 1.0)
            for x in (wide * left - about * (not left), wide * (1 - right) + about * (not right))
            for y in (high * low - about * (not low), high * (1 - upper) + about * (not upper))
        ]
    )
    at = corners @ H.T
    at = at[:, :2] / at[:, 2:]
    first, last = at.min(axis=0), at.max(axis=0)
    w, h = (math.ceil(v) for v in last - first)
    middle, half = np.array([w / 2, h / 2]), math.hypot(w, h) / 2
    back = np.linalg.inv(H)

    phase = rng.uniform(0, 6) if camera.waves else 0.0

    def to_page(u: Pixels, v: Pixels) -> tuple[Pixels, Pixels]:
        du, dv = u - middle[0], v - middle[1]
        r2 = (du * du + dv * dv) / half**2
        bent = 1 + camera.bends * r2
        u, v = middle[0] + du * bent + first[0], middle[1] + dv * bent + first[1]
        if camera.waves:
            v = v + camera.waves * np.sin(2 * math.pi * v / (37.0 * camera.px_per_mm) + phase)
        below = back[2, 0] * u + back[2, 1] * v + back[2, 2]
        x = (back[0, 0] * u + back[0, 1] * v + back[0, 2]) / below + wide / 2
        y = (back[1, 0] * u + back[1, 1] * v + back[1, 2]) / below + high / 2
        if camera.curl:  # the nearer it is, the larger it looks
            up = camera.curl * np.clip((y / high - 0.6) / 0.4, 0, None) ** 2
            x, y = wide / 2 + (x - wide / 2) * (1 - up / far), high / 2 + (y - high / 2) * (1 - up / far)
        return x, y

    return to_page, (w, h)
