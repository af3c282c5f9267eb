"""Sizes of cut pieces from scans, against what they really are: `python bench/scanner_pieces.py [PIECES] [ROW …]`.

A scanner has two scales, a skew, and edges that look too far out; it is calibrated with one plate that a caliper
measured, and reads others of other sizes, turned anyhow, dark on light and light on dark, with burrs, wavering edges,
its lamp's shadow along one side, dust, noise and compression. A comb's strips are pushed to either side, wedged and
with hairs between them; a row of corners is cut by a blade of any trail on axes with play of their own, and what it
went round stays on the liner or not. Nothing here is shared with the reader but the design.
"""

from __future__ import annotations

import io
import math
import random
import sys
from collections.abc import Callable, Iterable, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from PIL import Image, ImageDraw
from scipy.ndimage import gaussian_filter
from shapely import LineString, MultiPolygon, Polygon

from keen_compass.formats.piece_picture import read_piece
from keen_compass.pieces.blade import led
from keen_compass.pieces.job import Contour
from keen_compass.pieces.parts import parts_of
from keen_compass.procedures import load
from keen_compass.procedures.case_input import case_from_json
from keen_compass.procedures.seen import inside_of, sizes_of
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.uncertainty import K_95
from keen_compass.solve.scanner import EDGE_FLOOR, Known, Scanner, calibrated

FINER = 4
PLATES = 6  # that each scanner reads once it is known
Found = tuple[float, float]  # error, U, mm


@dataclass(frozen=True)
class Row:
    """of: what is on the glass; dpi: of the scan."""

    of: Callable[[Row, random.Random, np.random.Generator], list[Found]]
    dpi: float


def scanner_of(row: Row, rng: random.Random) -> dict[str, float]:
    """Any scanner: its pixels in mm, and its lean."""
    pixel = 25.4 / row.dpi
    return {
        "x": pixel * (1 + rng.gauss(0, 0.002)), "y": pixel * (1 + rng.gauss(0, 0.003)), "skew": rng.gauss(0, 0.0007),
    }  # fmt: skip


def scanned(
    rings: list[np.ndarray], truth: dict[str, float], dpi: float, rng: random.Random, within: Sequence[np.ndarray] = ()
) -> bytes:
    """rings: in mm, the outside first, holes after; within: what lies in a hole. truth: of the scanner."""
    noise = np.random.default_rng(rng.randrange(10**9))
    light = rng.random() < 0.4
    ground, body = (
        (rng.uniform(8, 30), rng.uniform(150, 235)) if light else (rng.uniform(232, 250), rng.uniform(25, 110))
    )
    all_of = np.concatenate(rings)
    lowest, size = all_of.min(axis=0) - 8, np.ptp(all_of, axis=0) + 16
    sx, sy = truth["x"], truth["y"]
    w, h = math.ceil(size[0] / sx), math.ceil(size[1] / sy)
    picture = Image.new("L", (w * FINER, h * FINER), int(ground))
    draw = ImageDraw.Draw(picture)
    for i, ring in enumerate([*rings, *within]):
        y = ring[:, 1] - lowest[1]
        u, v = (ring[:, 0] - lowest[0] - truth["skew"] * y) / sx, h - y / sy
        draw.polygon(
            [(float(a * FINER), float(b * FINER)) for a, b in zip(u, v, strict=True)],
            fill=int(body if i == 0 or i >= len(rings) else ground),
        )
    grey = np.asarray(picture, float).reshape(h, FINER, w, FINER).mean((1, 3))
    grey = gaussian_filter(grey, rng.uniform(0.5, 1.0) * dpi / 300)
    grey += noise.normal(0, rng.uniform(1, 3), grey.shape)
    for _ in range(rng.randrange(30)):
        r, c = rng.randrange(h), rng.randrange(w)
        grey[r : r + rng.randrange(1, 4), c : c + rng.randrange(1, 4)] += rng.choice((-60, 60))
    out = io.BytesIO()
    Image.fromarray(np.clip(grey, 0, 255).astype(np.uint8)).save(
        out, rng.choice(("PNG", "JPEG")), quality=92, dpi=(dpi, dpi)
    )
    return out.getvalue()


def ring_of(corners: list[tuple[float, float]], rough: float, spread: float, rng: np.random.Generator) -> np.ndarray:
    """A closed line whose edges waver (rough, mm, standard, over 2 mm) and stand out by `spread`."""
    points = np.array(corners)
    found = []
    for p, q in zip(points, np.roll(points, -1, axis=0), strict=True):
        n = max(int(math.dist(p, q) / 0.5), 1)
        t = np.arange(n)[:, None] / n
        d = (q - p) / math.dist(p, q)
        waver = gaussian_filter(rng.normal(0, 1, n), 2) * rough * 2.6 + spread
        found.append(p + t * (q - p) + waver[:, None] * np.array([d[1], -d[0]]))
    return np.concatenate(found)


def turned(points: Iterable[Point], turn: float) -> list[Point]:
    """About the origin, rad."""
    c, s = math.cos(turn), math.sin(turn)
    return [(c * x - s * y, s * x + c * y) for x, y in points]


def combs(row: Row, rng: random.Random, noise: np.random.Generator) -> list[Found]:
    """The room that strips leave, by a scanner whose scale is known to a thousandth or two."""
    truth, procedure = scanner_of(row, rng), load("kerf-comb")
    strips, K = rng.randrange(5, 12), rng.choice((0.2, 0.4, 1.5, 3.0)) * rng.uniform(0.8, 1.2)
    piece = procedure.piece({"strips": strips, "window": strips * 10.0, "thickness": 4.0})
    (x0, y), (x1, _) = piece.middle()
    low, high = y - piece.tall / 2 - K / 2, y + piece.tall / 2 + K / 2
    frame = [(u + K / 2 * (u > x0), v + K / 2 * (v > y)) for u, v in piece.outline()]
    window = [(x0 - K / 2, low), (x1 + K / 2, low), (x1 + K / 2, high), (x0 - K / 2, high)]
    at, laid = x0 - K / 2, []
    for _ in range(strips):
        at += abs(rng.gauss(0, 0.01))
        wide, wedge = 10.0 - K + rng.gauss(0, 0.01), rng.gauss(0, 0.01)
        laid.append([(at, low + K), (at + wide + wedge, low + K), (at + wide - wedge, high - K), (at, high - K)])
        at += wide
    free, turn = x1 + K / 2 - at, math.radians(rng.choice((0, 90, 180, 270)) + rng.gauss(0, 4))
    if rng.random() < 0.5:  # pushed to the right
        laid = [[(x0 + x1 - u, v) for u, v in strip] for strip in laid]
    rough = rng.uniform(0, 0.02)
    rings = [ring_of(turned(r, turn), rough, 0.0, noise) for r in (frame, window)]
    within = [np.array(turned(strip, turn)) for strip in laid]
    data = scanned(rings, truth, row.dpi, rng, within)
    seen = read_piece(data, parts_of(piece.job(1)), sizes_of(procedure, piece, below=False), "scan")
    size = seen.sizes["slack"]
    if size is None:
        return []
    scanner = Scanner((truth["x"], truth["y"]), truth["skew"], (2 * EDGE_FLOOR, 0.0))
    mm = scanner.length(size.u, size.v, inside=True)
    return [(mm - free, math.hypot(K_95 * size.u_px * scanner.mm_per_px[0], scanner.U_at(mm)))]


def corners(row: Row, rng: random.Random, noise: np.random.Generator) -> list[Found]:
    """By how much the blade trails, from squares that were lifted out of film."""
    truth, procedure = scanner_of(row, rng), load("drag-blade")
    step, trails = rng.choice((0.02, 0.05, 0.1)), rng.uniform(0.15, 0.8)
    first = max(trails + rng.uniform(-5.5, -0.5) * step, 0.0)
    piece = procedure.piece({"values": [round(first + i * step, 4) for i in range(7)], "overcut": 1.0})
    play, turn = (rng.choice((0, 0.02, 0.05)), rng.choice((0, 0.02, 0.05))), math.radians(rng.gauss(0, 4))
    stays, squares = rng.random() < 0.5, []
    for item in (item for layer in piece.job(1).layers for item in layer.items if isinstance(item, Contour)):
        tip = dragged(late(followed(item), play), trails)
        cut = Polygon(LineString([*tip, tip[0]]).buffer(0.01).exterior).buffer(-0.01)
        sides = cut.buffer(-1, join_style="mitre").minimum_rotated_rectangle.buffer(1, join_style="mitre")
        cut = cut.intersection(sides) if stays else cut
        squares.append(max(getattr(cut, "geoms", [cut]), key=lambda part: part.area))
    film = MultiPolygon(squares).envelope.buffer(9, join_style="mitre")
    rings = [np.array(turned(shape.exterior.coords, turn)) for shape in (film, *squares)]
    data = scanned(rings, truth, row.dpi, rng)
    seen = read_piece(data, parts_of(piece.job(1)), sizes_of(procedure, piece, below=False), "scan")
    if "pick" not in seen.picks:
        return []
    case = {**procedure.example(), "piece": {"values": list(piece.values)}}
    case["readings"] = [{"measurand": "pick", "values": [seen.picks["pick"]]}]
    (finding,) = procedure.solve(case_from_json(case)).findings
    return [(piece.at(seen.picks["pick"]) - trails, finding.expanded_uncertainty or 0.0)]


def followed(square: Contour) -> list[Point]:
    """Where the axis is sent: ahead of the tip by what it is thought to trail, round each corner."""
    line = led(square.stroke(), square.trails or 0.0)
    return [p for span in line.spans() for p in (span.a, *(span.at(k / 20) for k in range(1, 21)))]


def late(way: Sequence[Point], play: Point) -> list[Point]:
    """Where it is, with play in both axes."""
    x, y = way[0]
    found = []
    for u, v in way:
        x, y = min(max(x, u - play[0] / 2), u + play[0] / 2), min(max(y, v - play[1] / 2), v + play[1] / 2)
        found.append((x, y))
    return found


def dragged(way: Sequence[Point], trails: float, begins: float = 0.0) -> list[Point]:
    """The tip of a swivelling blade, from the equation of its angle: dθ/ds = sin(φ − θ)/f, in small steps."""
    theta, found = begins, []
    for (ax, ay), (bx, by) in pairwise(way):
        long = math.dist((ax, ay), (bx, by))
        if not long:
            continue
        phi, n = math.atan2(by - ay, bx - ax), max(math.ceil(long / (trails / 20)), 1)
        for k in range(1, n + 1):
            h = long / n / trails
            middle = theta + 0.5 * h * math.sin(phi - theta)
            theta += h * math.sin(phi - middle)
            x, y = ax + (bx - ax) * k / n, ay + (by - ay) * k / n
            found.append((x - trails * math.cos(theta), y - trails * math.sin(theta)))
    return found


def plates(row: Row, rng: random.Random, noise: np.random.Generator) -> list[Found]:
    """Each size of each plate of one scanner."""
    truth, dpi = scanner_of(row, rng), row.dpi
    procedure, scanner, found = load("kerf-square"), None, []
    for _ in range(1 + PLATES):
        sizes = {
            "width": rng.uniform(60, 110),
            "height": rng.uniform(50, 80),
            "hole": rng.uniform(15, 22),
            "slot": rng.uniform(8, 14),
        }
        sizes = {n: round(v, 1) for n, v in sizes.items()} | {"compensation": 1.0, "thickness": 1.0}
        piece = procedure.piece(sizes)
        real = {m: piece.nominal(m) + rng.gauss(0, 0.25) for m in ("width", "height", "hole_0", "slot")}
        real["hole_90"] = real["hole_0"] + rng.gauss(0, 0.03)
        rough, turn = rng.uniform(0, 0.02), math.radians(rng.choice((0, 90, 180, 270)) + rng.gauss(0, 4))
        outside = {m: real[m] for m in ("width", "height")}
        rings = [list(piece.outline(**outside)), *map(list, piece.inner(**real))]
        c, s = math.cos(turn), math.sin(turn)
        turned = [ring_of([(c * x - s * y, s * x + c * y) for x, y in r], rough, 0.0, noise) for r in rings]
        lines, inside = sizes_of(procedure, piece, below=False), inside_of(procedure, piece)
        seen = read_piece(scanned(turned, truth, dpi, rng), parts_of(piece.job(1)), lines, "scan")
        if scanner is None:
            U = 0.03
            known = [
                Known(size.u, size.v, size.u_px, real[m] + rng.gauss(0, U / 2), U, m in inside)
                for m, size in seen.sizes.items() if size
            ]  # fmt: skip
            scanner = calibrated(known, 25.4 / dpi)
            continue
        for m, size in seen.sizes.items():
            if size:
                mm = scanner.length(size.u, size.v, inside=m in inside)
                found.append((mm - real[m], math.hypot(K_95 * size.u_px * scanner.mm_per_px[0], scanner.U_at(mm))))
    assert isinstance(scanner, Scanner)
    return found


ROWS = {
    "plates, 600 dpi": Row(plates, 600),
    "plates, 300 dpi": Row(plates, 300),
    "combs, 600 dpi": Row(combs, 600),
    "combs, 300 dpi": Row(combs, 300),
    "corners, 600 dpi": Row(corners, 600),
    "corners, 300 dpi": Row(corners, 300),
}


def one(job: tuple[str, int]) -> list[Found]:
    """Of one scanner, or one scan."""
    name, seed = job
    return ROWS[name].of(ROWS[name], random.Random(f"{name}/{seed}"), np.random.default_rng(seed))


def main(scanners: int, names: list[str]) -> None:
    """A line a row."""
    print(f"{'row':18} read  rms mm  covered  U mm")
    for name in names:
        with ProcessPoolExecutor(2) as pool:
            errors = np.array([r for found in pool.map(one, [(name, s) for s in range(scanners)]) for r in found])
        rms, covered = math.sqrt((errors[:, 0] ** 2).mean()), (np.abs(errors[:, 0]) <= errors[:, 1]).mean()
        print(f"{name:18} {len(errors):4} {rms:7.4f} {100 * covered:7.1f} {np.median(errors[:, 1]):7.4f}", flush=True)


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 20, sys.argv[2:] or list(ROWS))
