"""Sizes of cut pieces from scans, against what they really are: `python bench/scanner_pieces.py [PIECES]`.

A scanner has two scales, a skew, and edges that look too far out; it is calibrated with one plate that a caliper
measured, and reads others of other sizes, turned anyhow, dark on light and light on dark, with burrs, wavering edges,
its lamp's shadow along one side, dust, noise and compression. Nothing here is shared with the reader but the design.
"""

from __future__ import annotations

import io
import math
import random
import sys
from concurrent.futures import ProcessPoolExecutor

import numpy as np
from PIL import Image, ImageDraw
from scipy.ndimage import gaussian_filter

from keen_compass.formats.piece_picture import parts_of, read_piece
from keen_compass.procedures import load
from keen_compass.procedures.seen import inside_of, sizes_of
from keen_compass.quantities.uncertainty import K_95
from keen_compass.solve.scanner import Known, Scanner, calibrated

FINER = 4
PLATES = 6  # that each scanner reads once it is known
DPI = {"scan 600 dpi": 600, "scan 300 dpi": 300}


def scanned(rings: list[np.ndarray], truth: dict[str, float], dpi: float, rng: random.Random) -> bytes:
    """rings: in mm, the outside first, holes after; truth: of the scanner."""
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
    for i, ring in enumerate(rings):
        y = ring[:, 1] - lowest[1]
        u, v = (ring[:, 0] - lowest[0] - truth["skew"] * y) / sx, h - y / sy
        draw.polygon(
            [(float(a * FINER), float(b * FINER)) for a, b in zip(u, v, strict=True)],
            fill=int(body if i == 0 else ground),
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


def one(job: tuple[str, int]) -> list[tuple[float, float]]:
    """(error, U) of each size of each plate of one scanner."""
    name, seed = job
    dpi, rng = DPI[name], random.Random(f"{name}/{seed}")
    noise = np.random.default_rng(seed)
    truth = {
        "x": 25.4 / dpi * (1 + rng.gauss(0, 0.002)), "y": 25.4 / dpi * (1 + rng.gauss(0, 0.003)),
        "skew": rng.gauss(0, 0.0007),
    }  # fmt: skip
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


def main(scanners: int) -> None:
    """A line a row."""
    print(f"{'row':14} sizes  rms mm  covered  U mm")
    for name in DPI:
        with ProcessPoolExecutor(2) as pool:
            errors = np.array([r for found in pool.map(one, [(name, s) for s in range(scanners)]) for r in found])
        rms, covered = math.sqrt((errors[:, 0] ** 2).mean()), (np.abs(errors[:, 0]) <= errors[:, 1]).mean()
        print(f"{name:14} {len(errors):5} {rms:7.4f} {100 * covered:7.1f} {np.median(errors[:, 1]):7.4f}", flush=True)


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 20)
