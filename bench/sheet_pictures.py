"""Sheets read from pictures, against where the tool really drew: `python bench/sheet_pictures.py [PICTURES] [ROW …]`.

Pictures as phones and scanners make them (`standin/photo.py`, which shares nothing with the reader): perspective, lens,
blur, noise, compression, uneven light, hands' shadows, dust, curled edges, a scanner's stretch and waves. A tool's
cross lies anywhere up to 6 mm beside its target, or nowhere (one target in six): then anything found is false.
"""

from __future__ import annotations

import math
import random
import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass

import numpy as np

from keen_compass.errors import InputError
from keen_compass.formats.pages import write_page
from keen_compass.formats.sheet_picture import read_sheet
from keen_compass.pieces.page import Page, sheet
from keen_compass.standin.photo import Camera, Ink, drawn_on, printed, taken

SIZE = (140.0, 150.0)  # the smallest sheet: pictures of it are made soonest
PENS = {
    "black": (0.1, 0.1, 0.1),
    "blue": (0.1, 0.15, 0.6),
    "red": (0.75, 0.1, 0.12),
    "green": (0.1, 0.5, 0.2),
    "orange": (0.95, 0.5, 0.1),
}


@dataclass(frozen=True)
class Row:
    """px_per_mm; ink: of the tool, by a random generator; film: the paper's colour; scan: by a scanner."""

    px_per_mm: float
    tool: str
    film: tuple[float, float, float] = (246.0, 245.0, 240.0)
    scan: bool = False


ROWS = {
    "pen, phone, 12 px/mm": Row(12, "pen"),
    "pen, phone, 6 px/mm": Row(6, "pen"),
    "pen, scan 300 dpi": Row(11.8, "pen", scan=True),
    "pen, scan 150 dpi": Row(5.9, "pen", scan=True),
    "knife, white film, 12 px/mm": Row(12, "knife"),
    "knife, white film, scan 300 dpi": Row(11.8, "knife", scan=True),
    "pen, grey film, 8 px/mm": Row(8, "pen", film=(150.0, 148.0, 150.0)),
    "knife, dark film, 12 px/mm": Row(12, "light knife", film=(105.0, 110.0, 120.0)),
}


def ink_of(tool: str, rng: random.Random) -> Ink:
    """What a pen or a knife leaves."""
    if tool == "pen":
        colour = rng.choice(list(PENS.values()))
        return Ink(
            colour, rng.uniform(0.6, 0.95), rng.uniform(0.25, 0.5), rng.uniform(0.005, 0.025), rng.uniform(0.4, 1.2)
        )
    light = tool == "light knife"
    shade = rng.uniform(-0.4, 0.4)
    colour = (0.95, 0.95, 0.95) if light else (0.3, 0.3, 0.3)
    return Ink(colour, rng.uniform(0.25, 0.5), rng.uniform(0.08, 0.16), 0.004, 0.7, 0.0, shade)


def camera_of(row: Row, rng: random.Random) -> Camera:
    """As someone holds a phone, or lays a sheet on the glass."""
    turn = rng.choice((0, 90, 180, 270)) + rng.uniform(-12, 12)
    if row.scan:
        return Camera(
            row.px_per_mm, rng.choice((0, 90, 180, 270)) + rng.gauss(0, 1.0), stretch=rng.gauss(0, 0.003),
            waves=rng.uniform(0, 0.25), blur=rng.uniform(0.5, 0.9), noise=rng.uniform(1, 2.5),
            quality=rng.choice((0, 85, 92)), dust=rng.randrange(60),
        )  # fmt: skip
    return Camera(
        row.px_per_mm, turn, (rng.uniform(-14, 14), rng.uniform(-14, 14)), rng.uniform(1.3, 2.2),
        rng.uniform(-0.03, 0.03), blur=rng.uniform(0.6, 1.2) * max(row.px_per_mm / 9, 0.8), noise=rng.uniform(1.5, 5),
        quality=rng.choice((80, 88, 95)), light=rng.uniform(0, 0.35), shadow=rng.choice((0, 0, 0.35)),
        dust=rng.randrange(40), curl=rng.choice((0, 0, 2.0)),
    )  # fmt: skip


def one(job: tuple[str, int]) -> list[tuple[str, float, float, float]]:
    """(what became of it, error, U, how far it lay) along each direction of each target of one picture."""
    name, seed = job
    row, rng = ROWS[name], random.Random(f"{name}/{seed}")
    page: Page = sheet("pointer", SIZE, 1 + seed % 900, targets=True)
    far = rng.choice((0.3, 1.0, 3.0, 6.0))
    off, turn = (rng.uniform(-far, far), rng.uniform(-far, far)), rng.gauss(0, 0.004)
    ink, lines, truth = ink_of(row.tool, rng), [], []
    for t in page.targets:
        if rng.random() < 1 / 6:
            truth.append(None)
            continue
        e = (off[0] + rng.gauss(0, 0.03) - turn * (t[1] - 84), off[1] + rng.gauss(0, 0.03) + turn * (t[0] - 70))
        truth.append(e)
        for stroke in page.drawn_at(t):
            places = [(p[0] - t[0], p[1] - t[1]) for p in stroke]
            c, s = math.cos(turn), math.sin(turn)
            lines.append([(t[0] + e[0] + c * x - s * y, t[1] + e[1] + s * x + c * y) for x, y in places])
    paper = drawn_on(
        printed(write_page(page, ("Targets", "Somebody’s words about it")), row.px_per_mm, row.film), lines, ink, seed
    )
    picture = taken(paper, camera_of(row, rng), seed)
    try:
        seen = read_sheet(picture, page, "picture")
    except InputError:
        return [("refused", 0.0, 0.0, 0.0)] * len(page.targets)
    found = []
    for e, b in zip(truth, seen.beside, strict=True):
        if e is None:
            found.append(("nothing there" if b is None else "false", 0.0, 0.0, 0.0))
        elif b is None:
            found.append(("missed", 0.0, 0.0, math.hypot(*e)))
        elif math.dist(b.at, e) > 0.5:
            found.append(("false", math.dist(b.at, e), b.U[0], math.hypot(*e)))
        else:
            found += [("read", b.at[k] - e[k], b.U[k], math.hypot(*e)) for k in range(2)]
    return found


def main(pictures: int, names: list[str]) -> None:
    """A line a row."""
    print(f"{'row':34} read missed refused false of   rms mm  covered  U mm")
    for name in names:
        with ProcessPoolExecutor(2) as pool:
            all_of = [r for found in pool.map(one, [(name, seed) for seed in range(pictures)]) for r in found]
        count = {
            what: sum(r[0] == what for r in all_of) for what in ("read", "missed", "refused", "false", "nothing there")
        }
        errors = np.array([(r[1], r[2]) for r in all_of if r[0] == "read"]).reshape(-1, 2)
        rms, covered = math.sqrt((errors[:, 0] ** 2).mean()), (np.abs(errors[:, 0]) <= errors[:, 1]).mean()
        print(
            f"{name:34} {count['read'] // 2:4} {count['missed']:6} {count['refused']:7} {count['false']:5} "
            f"{count['nothing there']:3} {rms:7.4f} {100 * covered:7.1f} {np.median(errors[:, 1]):7.4f}",
            flush=True,
        )


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 60, sys.argv[2:] or list(ROWS))
