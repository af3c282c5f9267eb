"""Sheets read from pictures, against where the tool really drew: `python bench/sheet_pictures.py [PICTURES] [ROW …]`.

Pictures as phones and scanners make them (`standin/photo.py`, which shares nothing with the reader): perspective, lens,
blur, noise, compression, uneven light, hands' shadows, dust, curled edges, a scanner's stretch and waves. A tool's
cross lies anywhere up to 6 mm beside its target, or nowhere (one target in six): then anything found is false. So for
ticks that are cut far apart, for cuts round an artwork of any shape and colour, and for what a second tool draws.
"""

from __future__ import annotations

import math
import random
import sys
from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass

import numpy as np
import shapely
from shapely import LineString, MultiLineString

from keen_compass.errors import InputError
from keen_compass.formats.artwork import sticker_of
from keen_compass.formats.pages import write_page
from keen_compass.formats.pattern_picture import read_pattern
from keen_compass.formats.sheet_picture import read_sheet
from keen_compass.formats.svg_artwork import read_drawing
from keen_compass.pieces.outline import Outset
from keen_compass.pieces.page import cut_ticks, sheet
from keen_compass.pieces.sticker import border_places, lines_to_cut, sticker_page, to_sheet
from keen_compass.procedures import load
from keen_compass.procedures.seen import Found as Seen
from keen_compass.procedures.seen import Reading, bars_of, readings_of, sought_on
from keen_compass.procedures.sheets import BAR_READ
from keen_compass.quantities.geometry import Point
from keen_compass.standin.photo import Camera, Ink, blank, drawn_on, printed, taken

THINNEST = 15.0  # px per mm of the paper: a cut is a tenth of a millimetre wide
FILM = 12.0  # mm of bare film about what was drawn
Strokes = Sequence[Sequence[Point]]
SIZE = (140.0, 150.0)  # the smallest sheet: pictures of it are made soonest
PENS = {
    "black": (0.1, 0.1, 0.1),
    "blue": (0.1, 0.15, 0.6),
    "red": (0.75, 0.1, 0.12),
    "green": (0.1, 0.5, 0.2),
    "orange": (0.95, 0.5, 0.1),
}


Found = tuple[str, float, float]  # what became of something, its error, its U


@dataclass(frozen=True)
class Row:
    """take: of what, as one picture; px_per_mm; tool: that draws; film: the paper's colour; scan: by a scanner."""

    take: Callable[[Row, random.Random, int], list[Found]]
    px_per_mm: float
    tool: str
    film: tuple[float, float, float] = (246.0, 245.0, 240.0)
    scan: bool = False


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


def turned(lines: Strokes, about: Point, off: Point, turn: float) -> Strokes:
    """Turned about a place and moved."""
    c, s = math.cos(turn), math.sin(turn)
    (ax, ay), (dx, dy) = about, off
    return [
        [(ax + c * (x - ax) - s * (y - ay) + dx, ay + s * (x - ax) + c * (y - ay) + dy) for x, y in line]
        for line in lines
    ]


def outcome(found: float | None, U: float, really: float | None, false: float) -> Found:
    """What became of a reading."""
    if really is None:
        return ("nothing there" if found is None else "false", 0.0, 0.0)
    if found is None:
        return "missed", 0.0, 0.0
    return ("read" if abs(found - really) <= false else "false", found - really, U)


def crosses(row: Row, rng: random.Random, seed: int) -> list[Found]:
    """Beside the targets of a sheet, along each direction."""
    page = sheet("pointer", SIZE, 1 + seed % 900, targets=True)
    far = rng.choice((0.3, 1.0, 3.0, 6.0))
    off, turn = (rng.uniform(-far, far), rng.uniform(-far, far)), rng.gauss(0, 0.004)
    lines: Strokes = []
    truth: list[Point | None] = []
    for t in page.targets:
        if rng.random() < 1 / 6:
            truth.append(None)
            continue
        e = (off[0] + rng.gauss(0, 0.03) - turn * (t[1] - 84), off[1] + rng.gauss(0, 0.03) + turn * (t[0] - 70))
        truth.append(e)
        lines += turned(page.drawn_at(t), t, e, turn)
    paper = printed(write_page(page, ("Targets", "Somebody’s words about it")), row.px_per_mm, row.film)
    data = taken(drawn_on(paper, lines, ink_of(row.tool, rng), seed), camera_of(row, rng), seed)
    beside = read_sheet(data, page, "picture").beside
    return [
        outcome(b.at[k] if b else None, b.U[k] if b else 0.0, e[k] if e else None, 0.5)
        for e, b in zip(truth, beside, strict=True)
        for k in range(2)
    ]


def ticks(row: Row, rng: random.Random, seed: int) -> list[Found]:
    """Distances between ticks over most of a sheet, whose check bars were measured to a tenth."""
    procedure, page = load("print-scale"), sheet("print-scale", SIZE, 1 + seed % 900, targets=True)
    parameters = procedure.on_page(page)
    piece = procedure.piece(parameters)
    off, turn = (rng.uniform(-1, 1), rng.uniform(-1, 1)), rng.gauss(0, 0.004)
    lines, truth = [], {}
    for axis, pair in cut_ticks(SIZE).items():
        more = rng.gauss(0, 0.3)
        there = rng.random() > 1 / 6
        truth[axis] = piece.nominal(axis) + more if there else None
        last = [(x + more * (axis == "x"), y + more * (axis == "y")) for x, y in pair[1]]
        lines += [list(pair[0]), *([last] if there else [])]
    lines = turned(lines, (SIZE[0] / 2, SIZE[1] / 2), off, turn)
    wide = max(row.px_per_mm, THINNEST)
    paper = printed(write_page(page, ("Over", "Words")), wide, row.film)
    data = taken(drawn_on(paper, lines, ink_of(row.tool, rng), seed), camera_of(row, rng), seed)
    seen = read_sheet(data, page, "picture", sought_on(procedure, piece, page))
    lies = Seen(seen.beside, seen.lines, seen.residual_px / seen.px_per_mm)
    bars = [length + rng.gauss(0, BAR_READ) for length in page.bar_lengths]
    found = readings_of(procedure, piece, page, lies, bars_of({**parameters, "bars": bars}))
    return _compared(found.read, truth, 1.0)


def borders(row: Row, rng: random.Random, seed: int) -> list[Found]:
    """Between an artwork's edge and the cut round it."""
    procedure, border = load("proof"), rng.uniform(1.6, 4.0)
    art = read_drawing(artwork(rng), "art")
    sticker = sticker_of(art, "Quay", Outset(border, rng.choice(("round", "mitre"))))
    page = sticker_page(sticker, SIZE, 1 + seed % 900)
    places = []
    for x, y, nx, ny, _ in border_places(sticker):
        u, v = to_sheet(page.art[0], page, (x, y))
        places.append((u, v, nx, -ny))
    piece = procedure.piece({"border": border, "places": [list(p) for p in places], "size": list(SIZE)})
    off = rng.uniform(-0.5, 0.5), rng.uniform(-0.5, 0.5)
    lines = turned(lines_to_cut(sticker, page), (SIZE[0] / 2, SIZE[1] / 2), off, rng.gauss(0, 0.003))
    cut, truth = MultiLineString(lines), {}
    for i, (u, v, nx, ny) in enumerate(places, 1):
        ray = LineString([(u - 2.5 * nx, v - 2.5 * ny), (u + 2.5 * nx, v + 2.5 * ny)])
        hits = shapely.get_parts(cut.intersection(ray))
        if len(hits):
            truth[f"b{i}"] = border + min(((h.x - u) * nx + (h.y - v) * ny for h in shapely.centroid(hits)), key=abs)
    paper = printed(write_page(page, ("Proof", "Words"), art=art), max(row.px_per_mm, THINNEST), row.film, finer=2)
    data = taken(drawn_on(paper, lines, ink_of(row.tool, rng), seed), camera_of(row, rng), seed)
    seen = read_sheet(data, page, "picture", sought_on(procedure, piece, page))
    found = readings_of(procedure, piece, page, Seen(seen.beside, seen.lines, 0.0))
    return _compared(found.read, truth, 0.4)


def artwork(rng: random.Random) -> bytes:
    """A shape of any colour but the film's, with something in it."""

    def colour(low: int, high: int) -> str:
        return "rgb({},{},{})".format(*(rng.randint(low, high) for _ in range(3)))

    w, h, base = rng.uniform(30, 60), rng.uniform(25, 36), colour(20, 200)
    shape = rng.choice((
        f'<rect width="{w}" height="{h}" fill="{base}"/>',
        f'<rect width="{w}" height="{h}" rx="6" fill="{base}"/>',
        f'<ellipse cx="{w / 2}" cy="{h / 2}" rx="{w / 2}" ry="{h / 2}" fill="{base}"/>',
        f'<rect x=".5" y=".5" width="{w - 1}" height="{h - 1}" fill="{colour(150, 250)}" stroke="{base}"/>',
    ))  # fmt: skip
    inside = f'<circle cx="{w / 2}" cy="{h / 2}" r="{h / 4}" fill="{colour(0, 255)}"/>'
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{w}mm" height="{h}mm" viewBox="0 0 {w} {h}">'
        f"{shape}{inside}</svg>"
    ).encode()


def pairs(row: Row, rng: random.Random, seed: int) -> list[Found]:
    """Gaps between a cross that one tool cut and what another drew astride it."""
    procedure = load("second-tool")
    piece = procedure.piece(procedure.usual_piece())
    d = rng.uniform(-3, 3), rng.uniform(-3, 3)
    both: list[Strokes] = [[], []]
    for name, ends in piece.named():
        second = not name.startswith("cut")
        both[second].append([(x + FILM + second * d[0], y + FILM + second * d[1]) for x, y in ends])
    size = tuple(side + 2 * FILM for side in piece.footprint())
    film = blank((size[0], size[1]), max(row.px_per_mm, THINNEST), row.film)
    for lines, tool in zip(both, (row.tool, "pen"), strict=True):
        film = drawn_on(film, lines, ink_of(tool, rng), seed)
    pattern = procedure.pattern(piece)
    assert pattern is not None
    seen = read_pattern(taken(film, camera_of(row, rng), seed), pattern, sought_on(procedure, piece, None), "picture")
    found = readings_of(procedure, piece, None, Seen((), seen.lines, 0.0))
    half = pattern.apart / 2
    truth = {f"{a}_{side}": half + way * d[k] for k, a in enumerate("xy") for side, way in (("high", 1), ("low", -1))}
    return _compared(found.read, truth, 0.5)


def _compared(read: Iterable[Reading], truth: Mapping[str, float | None], false: float) -> list[Found]:
    by_name = {r.measurand: r for r in read}
    return [
        outcome(by_name[m].mm if m in by_name else None, by_name[m].U if m in by_name else 0.0, really, false)
        for m, really in truth.items()
    ]


ROWS = {
    "pen, phone, 12 px/mm": Row(crosses, 12, "pen"),
    "pen, phone, 6 px/mm": Row(crosses, 6, "pen"),
    "pen, scan 300 dpi": Row(crosses, 11.8, "pen", scan=True),
    "pen, scan 150 dpi": Row(crosses, 5.9, "pen", scan=True),
    "knife, white film, 12 px/mm": Row(crosses, 12, "knife"),
    "knife, white film, scan 300 dpi": Row(crosses, 11.8, "knife", scan=True),
    "pen, grey film, 8 px/mm": Row(crosses, 8, "pen", film=(150.0, 148.0, 150.0)),
    "knife, dark film, 12 px/mm": Row(crosses, 12, "light knife", film=(105.0, 110.0, 120.0)),
    "ticks, pen, phone, 12 px/mm": Row(ticks, 12, "pen"),
    "ticks, pen, phone, 6 px/mm": Row(ticks, 6, "pen"),
    "ticks, knife, scan 300 dpi": Row(ticks, 11.8, "knife", scan=True),
    "borders, phone, 12 px/mm": Row(borders, 12, "knife"),
    "borders, phone, 6 px/mm": Row(borders, 6, "knife"),
    "borders, scan 300 dpi": Row(borders, 11.8, "knife", scan=True),
    "two tools, phone, 12 px/mm": Row(pairs, 12, "knife"),
    "two tools, phone, 20 px/mm": Row(pairs, 20, "knife"),
    "two tools, scan 300 dpi": Row(pairs, 11.8, "knife", scan=True),
}


def one(job: tuple[str, int]) -> list[Found]:
    """Of one picture."""
    name, seed = job
    row, rng = ROWS[name], random.Random(f"{name}/{seed}")
    try:
        return row.take(row, rng, seed)
    except InputError:
        return [("refused", 0.0, 0.0)]


def main(pictures: int, names: list[str]) -> None:
    """A line a row."""
    print(f"{'row':34} read missed refused false of   rms mm  covered  U mm")
    for name in names:
        with ProcessPoolExecutor(2) as pool:
            all_of = [r for found in pool.map(one, [(name, seed) for seed in range(pictures)]) for r in found]
        count = Counter(r[0] for r in all_of)
        errors = np.array([(r[1], r[2]) for r in all_of if r[0] == "read"]).reshape(-1, 2)
        rms, covered = math.sqrt((errors[:, 0] ** 2).mean()), (np.abs(errors[:, 0]) <= errors[:, 1]).mean()
        print(
            f"{name:34} {count['read']:4} {count['missed']:6} {count['refused']:7} {count['false']:5} "
            f"{count['nothing there']:3} {rms:7.4f} {100 * covered:7.1f} {np.median(errors[:, 1]):7.4f}",
            flush=True,
        )


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 60, sys.argv[2:] or list(ROWS))
