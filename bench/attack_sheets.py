"""The attack's other half: artwork, pictures, listings, what cuts and its wear, the wire, outlines, odd clocks.

python bench/attack_sheets.py [how many of each, 40 unless said]

kills        while artwork, pictures, listings and uses are written
full disk    while a picture or a page is kept
imports      a logbook of a whole shop with something odd at any place of it
clocks       set again before each stage of a sheet, a picture, a row
formulas     names and remarks that a spreadsheet would run
artwork      drawings with something odd at any place of them, damaged pages and pictures
outlines     of random shapes, against distances from point to line
wire         random programs, as a controller hears them
talk         a controller that says anything at any time
cases        inputs of every procedure with something odd at any place of them
crosses      pictures with one cross near an edge, or with two
"""

from __future__ import annotations

import copy
import csv
import io
import json
import math
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
from shapely import Polygon, union_all
from shapely.geometry.base import BaseGeometry

ROOT = Path(__file__).parents[1]
sys.path.insert(0, str(ROOT / "tests"))

from crosses import Sheet, beside_an_edge, of_a_cross, taken
from keen_compass.controllers.by_port import Cable
from keen_compass.controllers.program import commands_of
from keen_compass.errors import InputError, KeenCompassError, PortError, ShopError
from keen_compass.formats.artwork import Picture, read_artwork, shown_area
from keen_compass.pieces.outline import Outset, outlined
from keen_compass.practice.playing import correct_all, cut, read_all
from keen_compass.practice.shipped import open_demo
from keen_compass.procedures import REGISTRY, load, understands
from keen_compass.procedures.stages import Step
from keen_compass.quantities.uncertainty import K_95
from keen_compass.reports.table import to_csv
from keen_compass.rounds import RoundSession
from keen_compass.shop.consumables import ages
from keen_compass.shop.exchange import from_json, to_json
from keen_compass.shop.logbook import Filter, entries
from keen_compass.shop.standing import spokes
from keen_compass.shop.store import Shop
from keen_compass.solve.cross import another_cross, find_cross
from keen_compass.words.logbook import entry_words
from said import solved as answered
from spoiling import spoilt
from test_artwork import picture, svg
from test_cable import TEXT, Talker, heard, meant
from test_drawings import FEATURES, PAGES, page

CHILD = """
import hashlib, resource, sys
from pathlib import Path
from keen_compass.errors import KeenCompassError, ShopError
from keen_compass.practice.playing import artwork, cut, prepare_sheet
from keen_compass.practice.stand_in import take, takes
from keen_compass.rounds import RoundSession
from keen_compass.shop.consumables import tell_age
from keen_compass.shop.listings import keep
from keen_compass.shop.store import Shop
what, file, limit = sys.argv[1], Path(sys.argv[2]), int(sys.argv[3])
def said(words):
    print(words, flush=True)
shop = Shop(file)
def session_of(machine, procedure):
    session = RoundSession.begin(shop, shop.machine(machine), procedure)
    session.give_up("again")
    return RoundSession.begin(shop, shop.machine(machine), procedure)
if what == "picture":
    session = session_of("swift", "camera")
    cut(session)
    take(session)
    name = next(iter(session.pictures.taken.blobs))
    shown = session.pictures.data(name)
elif what == "artwork":
    session = session_of("kingfisher", "proof")
    drawn = artwork("harbour-sticker.svg")
    session.making.artworks.put(drawn, "sticker.svg")
if limit:
    resource.setrlimit(resource.RLIMIT_FSIZE, (limit, limit))
said("go")
for i in range(10 if limit else 10_000):
    try:
        if what == "picture":
            data = shown + bytes(i)  # what follows a picture's end nobody looks at
            session.pictures.put(name, data)
        elif what == "artwork":
            data = drawn + b"<!--%d-->" % i
            session.making.artworks.put(data, "sticker.svg")
            session.making.sheets.draw_up()
            session.making.sheets.printed()
        elif what == "listing":
            data = b"AXIS 1\\nSTEPS = %d\\n" % i * 400
            keep(shop, "heron", data, f"copy {i}")
        else:
            data = b""
            tell_age(shop, shop.machine("ember"), "nozzle-11", 5000.0 + i)
            said(f"age {5000 + i}")
        if data:
            said(f"blob {hashlib.sha256(data).hexdigest()}")
    except ShopError:
        said("refused")
    except KeenCompassError as error:
        said(f"refused {error}")
"""
Attack = Callable[[Path, Path, int], Counter[str]]  # a demo shop's file, a folder, how many → what was found
WHAT = ("picture", "artwork", "listing", "age")
FORMULAS = ("=1+1", "+1", "-1", "@A1", "\t=1", "\r=1", "=cmd|' /C calc'!A0", '"=1', "=HYPERLINK(1)", " =1", "−1", "'=1")


def worked(demo: Path, file: Path, what: str, limit: int = 0, seconds: float | None = None) -> tuple[list[str], str]:
    """What another process says that it kept, and its errors; killed after so many seconds of work."""
    shutil.copy(demo, file)
    words = [sys.executable, "-c", CHILD, what, str(file), str(limit)]
    process = subprocess.Popen(words, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    assert process.stdout is not None
    if seconds is None:
        said, errors = process.communicate(timeout=300)
    else:
        process.stdout.readline()
        time.sleep(seconds)
        process.send_signal(signal.SIGKILL)
        said, errors = process.communicate()
    return said.splitlines(), errors


def look_through(shop: Shop) -> None:
    """Everything that a window would show of it."""
    to_json(shop)
    for entry in entries(shop):
        entry_words(entry)
    for machine in shop.machines():
        spokes(shop, machine)
        for kept in shop.open_rounds(machine.uid):
            session = RoundSession(shop, kept)
            session.measuring.callouts()
            session.making.artworks.prepare()


def missing(file: Path, said: list[str]) -> int:
    """How much of it isn't there; everything counts where the file doesn't open soundly."""
    try:
        shop = Shop(file)
    except ShopError as error:
        print(f"{file.name}: {error}")
        return len(said)
    try:
        if shop.check(60) or shop.read_only:
            print(f"{file.name}: {shop.damage or shop.why_read_only}")
            return len(said)
        blobs = [line.split()[1] for line in said if line.startswith("blob")]
        told = [float(line.split()[1]) for line in said if line.startswith("age")]
        age = ages(shop, shop.machine("ember"), "nozzle-11").now[0]
        look_through(shop)
        return sum(shop.blob(blob) is None for blob in blobs) + sum(age < v for v in told[-1:])
    finally:
        shop.close()


def kills(demo: Path, folder: Path, times: int) -> Counter[str]:
    """Another process is killed at any moment of each kind of writing."""
    found = Counter[str]()
    for what in WHAT:
        for seed in range(times):
            rng = random.Random(f"{what}/{seed}")
            file = folder / f"{what}-{seed}.kcshop"
            said, errors = worked(demo, file, what, seconds=rng.uniform(0, 0.6))
            found["kills"] += 1
            found["said to be kept"] += len(said)
            found["lost"] += missing(file, said)
            found["tracebacks"] += "Traceback" in errors
    return found


def full_disk(demo: Path, folder: Path, times: int) -> Counter[str]:
    """A limit of the file's size stands for the disk."""
    found, rng = Counter[str](), random.Random(2)
    for i in range(times):
        what, file = WHAT[i % len(WHAT)], folder / f"full-{i}.kcshop"
        said, errors = worked(demo, file, what, limit=rng.randrange(20_000, 700_000))
        found["runs"] += 1
        found["kept"] += sum(not line.startswith(("go", "refused")) for line in said)
        found["refused"] += sum(line.startswith("refused") for line in said)
        found["lost"] += missing(file, said)
        found["tracebacks"] += "Traceback" in errors and "go" in said  # before that there was no room to begin
    return found


def imports(demo: Path, folder: Path, times: int) -> Counter[str]:
    """Odd logbooks of a whole shop; what is accepted must open, and be read, ever after."""
    found, rng, shop = Counter[str](), random.Random(3), Shop(Path(shutil.copy(demo, folder / "whole.kcshop")))
    whole = json.loads(to_json(shop))
    shop.close()
    for i in range(times):
        body, file = copy.deepcopy(whole), folder / f"import-{i}.kcshop"
        table = rng.choice(("thing", "mounted", "piece", "blob", "mark", "stage", "value", "finding", "event"))
        for _ in range(rng.choice((1, 1, 2))):
            rows = body["tables"][table]
            at = rng.randrange(len(rows))
            inside = isinstance(rows[at], dict) and "body" in rows[at] and rng.random() < 0.7
            odd = spoilt(rng, json.loads(rows[at]["body"]) if inside else rows[at])
            rows[at] = {**rows[at], "body": json.dumps(odd)} if inside else odd
        taken = Shop(file)
        try:
            from_json(taken, json.dumps(body), understands)
            found["accepted"] += 1
        except KeenCompassError as error:
            found["refused"] += 1
            found["without a place"] += "." not in str(error)
        except Exception as error:
            found["tracebacks"] += 1
            print(f"import {i}: {error!r}")
        taken.close()
        try:
            again = Shop(file)
            look_through(again)
            again.close()
        except Exception as error:
            found["stops later starts"] += 1
            print(f"import {i} opened again: {error!r}")
        file.unlink()
    return found


def clocks(demo: Path, folder: Path, times: int) -> Counter[str]:
    """A clock that jumps by up to a year before each act of a round."""
    found = Counter[str]()
    for i in range(times):
        rng, file = random.Random(f"clock {i}"), folder / f"clock-{i}.kcshop"
        shop = Shop(Path(shutil.copy(demo, file)))

        def jump(shop: Shop = shop, rng: random.Random = rng) -> None:
            at = datetime.now(UTC) + timedelta(days=rng.uniform(-400, 400))
            shop.clock = lambda: at.strftime("%Y-%m-%dT%H:%M:%S.%fZ")

        machine, procedure = rng.choice((("kingfisher", "proof"), ("swift", "camera"), ("swift", "drag-blade"),
                                         ("ember", "kerf-square"), ("heron", "rectangle")))  # fmt: skip
        try:
            session = RoundSession.begin(shop, shop.machine(machine), procedure)
            session.give_up("again")
            jump()
            session = RoundSession.begin(shop, shop.machine(machine), procedure)
            jump()
            cut(session)
            jump()
            read_all(session)
            jump()
            if Step.CORRECT in session.context.procedure.steps:
                session.go(Step.CORRECT)
                correct_all(session)
                jump()
            session.give_up("done")
            found["rounds"] += 1
        except Exception as error:
            found["tracebacks"] += 1
            print(f"clock {i}, {procedure}: {error!r}")
        shop.close()
        found["lost"] += missing(file, [])
    return found


def formulas(demo: Path, folder: Path, times: int) -> Counter[str]:
    """No cell of a written logbook begins as a formula does."""
    found, rng, shop = Counter[str](), random.Random(5), Shop(Path(shutil.copy(demo, folder / "formulas.kcshop")))
    heron = shop.machine("heron")
    for _ in range(times):
        shop.put_machine(replace(heron, name=rng.choice(FORMULAS)[:20].strip() or "x"))
        shop.put_event("heron", "note", rng.choice(FORMULAS) + rng.choice(("", "\n=2", ",=3", '",=4')))
    for row in csv.reader(io.StringIO(to_csv(shop, Filter()))):
        found["cells"] += len(row)
        found["formulas"] += sum(cell[:1] in ("=", "+", "-", "@", "\t", "\r", "\n") for cell in row)
    shop.close()
    return found


ODD = ("1e300", "-1e300", "1e999", "nan", "-5", "0", "", "1e-300", "url(#g)", "url(#none)", "#", "inherit", "100000000",
       "rotate(1e9)", "scale(0)", "matrix(1 1 1 1 1 1)", "M0 0L", "M0 0A1 1 0 0 0 1", "data:,",
       "data:image/png;base64,AA", "\u202e", "x" * 3000)  # fmt: skip
NAMES = ("x", "y", "width", "height", "r", "d", "transform", "fill", "stroke", "stroke-width", "opacity", "clip-path",
         "mask", "filter", "viewBox", "href", "id", "style", "class", "font-size", "preserveAspectRatio",
         "stroke-dasharray", "stroke-miterlimit", "gradientTransform")  # fmt: skip


def odd_artwork(rng: random.Random) -> bytes:
    """A drawing, a page or a picture with something odd in it."""
    kind = rng.randrange(6)
    if kind < 4:
        text = svg("".join(rng.choice(list(FEATURES.values())) for _ in range(rng.randint(1, 3)))).decode()
        for _ in range(rng.randint(1, 3)):
            name = rng.choice(NAMES)
            at = [i for i in range(len(text)) if text.startswith(f' {name}="', i)]
            if at:
                start = rng.choice(at) + len(name) + 3
                text = text[:start] + rng.choice(ODD) + text[text.index('"', start) :]
        return text.encode()
    whole = page(rng.choice(PAGES)) if kind == 4 else picture(Polygon([(2, 2), (28, 3), (9, 20)]), 100, (30, 24))
    data = bytearray(whole)
    for _ in range(rng.randint(1, 8)):
        at = rng.randrange(len(data))
        data[at : at + rng.choice((0, 1, 1, 30))] = rng.randbytes(rng.choice((0, 1, 3)))
    return bytes(data)


def artworks(_demo: Path, _folder: Path, times: int) -> Counter[str]:
    """Read or refused with its name, in a minute at most."""
    found = Counter[str]()
    for i in range(times):
        rng = random.Random(f"artwork {i}")
        data, start = odd_artwork(rng), time.perf_counter()
        try:
            art = read_artwork(data, "odd")
            area = shown_area(art.reduced(160_000) if isinstance(art, Picture) else art)
            found["read"] += 1
            found["no area"] += not math.isfinite(area.area)
        except InputError as error:
            found["refused"] += 1
            found["without their name"] += "odd" not in str(error) and "artwork" not in str(error)
        except Exception as error:
            found["tracebacks"] += 1
            print(f"artwork {i}: {error!r}")
        found["longer than 70 s"] += time.perf_counter() - start > 70
    return found


def shape(rng: np.random.Generator) -> BaseGeometry:
    """Stars, rings and blots, one or several."""
    parts = []
    for _ in range(int(rng.integers(1, 4))):
        n = int(rng.integers(5, 40))
        angles = np.sort(rng.uniform(0, 2 * np.pi, n))
        radii = rng.uniform(3, 12) * rng.uniform(0.4, 1.0, n)
        middle = rng.uniform(0, 40, 2)
        ring = Polygon(np.stack([radii * np.cos(angles), radii * np.sin(angles)], axis=1) + middle).buffer(0)
        hole = Polygon(0.4 * np.stack([radii * np.cos(angles), radii * np.sin(angles)], axis=1) + middle).buffer(0)
        parts.append(ring.difference(hole) if rng.random() < 0.4 else ring)
    return union_all(parts)


def rings_of(area: BaseGeometry) -> list[np.ndarray]:
    """Its lines, closed."""
    polygons = [p for p in getattr(area, "geoms", [area]) if p.geom_type == "Polygon"]
    return [np.asarray(r.coords) for p in polygons for r in (p.exterior, *p.interiors)]


def distances(at: np.ndarray, rings: list[np.ndarray]) -> tuple[np.ndarray, np.ndarray]:
    """(how far each place lies from the nearest line, whether it lies within): by every line, nothing borrowed."""
    edges = np.concatenate([np.hstack([r[:-1], r[1:]]) for r in rings])
    a, b = edges[:, :2], edges[:, 2:]
    along = b - a
    length = np.maximum((along**2).sum(axis=1), 1e-18)
    away = np.empty(len(at))
    inside = np.empty(len(at), bool)
    for i, p in enumerate(at):
        share = np.clip(((p - a) * along).sum(axis=1) / length, 0, 1)
        away[i] = np.sqrt((((a + share[:, None] * along) - p) ** 2).sum(axis=1)).min()
        crosses = (a[:, 1] > p[1]) != (b[:, 1] > p[1])
        x = a[crosses, 0] + (p[1] - a[crosses, 1]) / (b[crosses, 1] - a[crosses, 1]) * along[crosses, 0]
        inside[i] = int((x > p[0]).sum()) % 2 == 1
    return away, inside


def outline_misses(seed: int) -> int:
    """How many places of one random shape an outline has on the wrong side, or lies off by over 0.01 mm."""
    rng = np.random.default_rng(seed)
    area, by = shape(rng), float(rng.choice((-1, 1)) * rng.uniform(0.2, 3.0))
    corners = str(rng.choice(("round", "mitre")))
    try:
        rings = outlined(area, Outset(by, corners, smallest=0.0))
    except InputError:
        away, inside = distances(rng.uniform(-15, 55, (4000, 2)), rings_of(area))
        reach = 4.5 if corners == "mitre" else 1.0  # corners reach inwards, too
        return int((inside & (away > reach * abs(by) + 0.05)).sum()) if by < 0 else 1
    cut = [np.array([*r.points, r.points[0]]) for r in rings]
    at = rng.uniform(-15, 55, (1500, 2))
    away, within = distances(at, rings_of(area))
    kept = distances(at, cut)[1]
    signed = np.where(within, -away, away)
    clear = np.abs(signed - by) > 0.02
    sharp = corners == "mitre"  # then corners reach out to four outsets, and a little where a tip is cut off
    wrong = kept & (signed > (4.5 * by if sharp and by > 0 else by))
    missed = ~kept & (signed < (4.5 * by if sharp and by < 0 else by))
    line = np.concatenate(cut)
    off = np.abs(distances(line, rings_of(area))[0] - abs(by)) if corners == "round" else np.zeros(1)
    return int(((wrong | missed) & clear).sum()) + int((off > 0.01).sum())


def outlines(_demo: Path, _folder: Path, times: int) -> Counter[str]:
    """Shapes at random."""
    return Counter(shapes=times, misses=sum(outline_misses(seed) for seed in range(times)))


def wire(_demo: Path, _folder: Path, times: int) -> Counter[str]:
    """What a controller executes is what the program says."""
    found, rng = Counter[str](), random.Random(31)
    for _ in range(times):
        program, words, _pauses = meant(rng)
        sent = b"".join(c.text.encode("ascii") + b"\n" for c in commands_of(program, TEXT))
        found["programs"] += 1
        found["otherwise"] += [w for w in heard(sent) if w[0] != "N"] != [w for w in words if w[0] != "N"]
        found["dangerous bytes"] += sum(not (32 <= b < 127 or b == 10) for b in sent)
    return found


def talk(_demo: Path, _folder: Path, times: int) -> Counter[str]:
    """Whatever comes over the cable, everything that is asked of it ends, with a number or in words."""
    found = Counter[str]()
    for seed in range(times):
        rng = random.Random(f"talk {seed}")
        bits = [rng.randbytes(rng.choice((1, 40, 3000))), b"tick\n", b"", b"ok\n", b"done\n", b"x_steps = 1e999\n",
                b"\n" * 900, b"a" * 60_000, "prędko\n".encode(), b"pos 1 2 3\n"]  # fmt: skip
        mood = rng.choices(bits, k=4)

        def says(asked: bytes, rng: random.Random = rng, mood: list[bytes] = mood) -> list[bytes]:
            return [rng.choice(mood)] if asked or rng.random() < 0.7 else []

        talker, start = Talker(says), time.perf_counter()
        try:
            with Cable(talker.path, TEXT) as cable:
                for does in (cable.hello, cable.position, cable.read):
                    try:
                        does()
                        found["answered"] += 1
                    except PortError:
                        found["refused"] += 1
        except PortError:
            found["refused"] += 1
        except Exception as error:
            found["tracebacks"] += 1
            print(f"talk {seed}: {error!r}")
        finally:
            talker.close()
        found["without end"] += time.perf_counter() - start > 60
    return found


def cases(_demo: Path, _folder: Path, times: int) -> Counter[str]:
    """Every procedure's own example, spoilt; every tenth with thousands of readings."""
    found = Counter[str]()
    for i in range(times):
        rng = random.Random(f"case {i}")
        name = rng.choice(sorted(REGISTRY))
        body = json.loads(json.dumps(load(name).example()))
        if i % 10 == 0 and body.get("readings"):
            body["readings"][0]["values"] = body["readings"][0].get("values", [1.0])[:1] * 9000
        body, start = spoilt(rng, body), time.perf_counter()
        try:
            answered(body)
            found["answered"] += 1
        except KeenCompassError as error:
            found["refused"] += 1
            found["more than one line"] += "\n" in str(error)
        except Exception as error:
            found["tracebacks"] += 1
            print(f"case {i}, {name}: {error!r}")
        found["longer than 5 s"] += time.perf_counter() - start > 5
    return found


def crosses(_demo: Path, _folder: Path, times: int) -> Counter[str]:
    """Found within five times what is said of it, or not at all; of two alike neither is passed off as the only one."""
    found = Counter[str]()
    for seed in range(times):
        rng = np.random.default_rng(seed)
        grey, at = beside_an_edge(seed) if seed % 2 else of_a_cross(seed, (600, 800))
        cross = find_cross(grey, None)
        if cross is None:
            found["none"] += 1
        else:
            found["found"] += 1
            found["beside"] += math.dist((cross.u, cross.v), at) > 5 * K_95 * math.hypot(cross.u_u, cross.u_v) + 0.2
        sheet = Sheet((600, 800))
        places = (rng.uniform(150, 300), rng.uniform(150, 450)), (rng.uniform(500, 650), rng.uniform(150, 450))
        for place in places:
            for angle in (0.1, 0.1 + math.pi / 2):
                sheet.stroke(place, angle, (-90, 90), 9)
        both = taken(rng, sheet.cover)
        one = find_cross(both, None)
        found["one of two"] += one is not None and another_cross(both, (one.u, one.v)) is None
    return found


def main(times: int = 40) -> None:
    """All of it."""
    with tempfile.TemporaryDirectory(prefix="keen-compass-attack-") as name:
        folder = Path(name)
        shop = open_demo(folder)
        shop.close()
        demo = shop.file
        runs: tuple[tuple[str, Attack, float], ...] = (
            ("kills", kills, 1), ("full disk", full_disk, 1), ("imports", imports, 8), ("clocks", clocks, 1),
            ("formulas", formulas, 10), ("artwork", artworks, 12.5),
            ("outlines", outlines, 12.5), ("wire", wire, 250), ("talk", talk, 0.25),
            ("cases", cases, 100),
            ("crosses", crosses, 5),
        )  # fmt: skip
        for title, run, factor in runs:
            start = time.perf_counter()
            print(f"{title}: {dict(run(demo, folder, round(factor * times)))}, {time.perf_counter() - start:.0f} s")


if __name__ == "__main__":
    main(*map(int, sys.argv[1:]))
