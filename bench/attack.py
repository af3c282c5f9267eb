"""An attack on the shop file and on the files for machines, with fixed seeds: what is lost, what breaks, what lies.

python bench/attack.py [how many of each, 40 unless said] [kills [of what …]]

kills        another process works and says after each step that it is kept; it is killed at any moment: in a new shop,
             at a round's beginning, typing, signing, sending, importing, migrating, copying, compacting. By itself
             where that is said
flips        one bit of a closed file is flipped; all that the file says is compared with what it said
full disk    a file-size limit stands for the disk, at any size
imports      a logbook with something odd at any place of it
piece        the command line's piece, with any settings

and all of attack_sheets.py
"""

from __future__ import annotations

import contextlib
import copy
import io
import json
import os
import random
import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any

ROOT = Path(__file__).parents[1]
sys.path[:0] = [str(ROOT / "tests"), str(ROOT / "bench")]

import attack_sheets

from keen_compass.cli import main as command_line
from keen_compass.errors import KeenCompassError, ShopError
from keen_compass.procedures import REGISTRY, understands
from keen_compass.rounds import RoundSession
from keen_compass.shop.exchange import from_json, to_json
from keen_compass.shop.schema import FORMAT
from keen_compass.shop.store import Shop
from reading_out import read_out
from spoiling import spoilt

OLD = json.loads((ROOT / "tests" / "data" / "logbook.json").read_text(encoding="utf-8"))
KEPT = ROOT / "tests" / "data" / "small.kcshop"
CHILD = """
import sys
from dataclasses import replace
from pathlib import Path
from keen_compass.procedures.stages import Step
from keen_compass.practice.demo import put_heron
from keen_compass.practice.demo_machines import HERON, INSTRUMENTS, SQUARE, START
from keen_compass.practice.playing import correct_all, cut, read_all
from keen_compass.rounds import RoundSession
from keen_compass.shop.store import Shop
what, file = sys.argv[1], Path(sys.argv[2])
print("go", flush=True)
if what == "migration":  # to a format that comes later, with one table more
    from keen_compass.shop import schema
    schema.FORMAT += 1
    schema.MIGRATIONS[schema.FORMAT] = lambda db: db.execute("CREATE TABLE later (x)")
    import sqlite3
    fresh = sqlite3.connect(":memory:")
    schema.bring_up(fresh, 0)
    schema.SHAPE = schema.shape(fresh)
    Shop(file).close()
    sys.exit()
shop = Shop(file)
def said(words):
    print(words, flush=True)
if what == "new":
    put_heron(shop, SQUARE, START)
    said("machine")
    for i in range(10000):
        shop.put_event("heron", "note", f"event {i}")
        said(f"event {i}")
if what == "import":
    from keen_compass.procedures import understands
    from keen_compass.shop.exchange import from_json, to_json
    from_json(shop, Path(sys.argv[3]).read_text(), understands)
    said("import")
if what == "copy":
    for i in range(1000):
        shop.put_event("heron", "note", f"event {i}")
        said(f"event {i}")
        shop.copy_to(file.with_name(f"{file.stem} copy {i}.kcshop"))
        said(f"copied {i}")
if what == "compact":
    for i in range(1000):
        shop.put_event("heron", "note", f"event {i}")
        said(f"event {i}")
        shop.put_blob(str(i).encode() * 100_000)
        shop.compact()
heron = shop.machine("heron")
if what == "type":
    session = RoundSession.begin(shop, heron, "squareness")
    cut(session)
    session.measuring.identify("")
    for i in range(100000):
        session.measuring.type(str(i))
        said(f"typed {session.context.piece.id} {i}")
for i in range(1000):
    session = RoundSession.begin(shop, heron, "squareness")
    said(f"begun {session.context.kept.id}")
    if what == "begin":
        session.give_up("again")
        continue
    if session.making.refusal():
        session.making.new_sheet()
    cut(session)
    read_all(session)
    said(f"readings {session.context.piece.id} {sum(len(c.readings) for c in session.measuring.callouts())}")
    if what == "send":
        session.go(Step.CORRECT)
        correct_all(session)
        said(f"sent {session.context.kept.id}")
        session.give_up("again")
    else:
        session.give_up("signed off")
        said(f"settled {session.context.kept.id}")
"""


def killed(folder: Path, what: str, seed: int, found: Counter[str]) -> None:
    """One process, killed at a moment that the seed says; then the file is opened and compared with what was said."""
    rng, file = random.Random(f"{what}/{seed}"), folder / f"{what}-{seed}.kcshop"
    if what != "new":
        shutil.copy(KEPT, file)
    words = [sys.executable, "-c", CHILD, what, str(file), str(ROOT / "tests/data/logbook.json")]
    process = subprocess.Popen(words, stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    process.stdout.readline()
    time.sleep(rng.uniform(0, {"new": 0.25, "migration": 0.12, "import": 0.8, "begin": 1.0}.get(what, 4.0)))
    process.send_signal(signal.SIGKILL)
    said = process.stdout.read().splitlines()
    process.wait()
    process.stdout.close()
    if what == "migration" and later(file):
        found["kills"] += 1
        return
    try:
        shop = Shop(file)
    except ShopError as error:
        found["lost"] += 1
        print(f"{what} {seed}: {error}")
        return
    if shop.check(60) or shop.read_only:
        found["lost"] += 1
        print(f"{what} {seed}: {shop.damage or shop.why_read_only}")
    events = {text for _, _, text in shop.events("heron")}
    machines = {m.uid for m in shop.machines()}
    rounds = {kept.id: kept for uid in machines for kept in shop.rounds(uid)}
    for line in said:
        name, *numbers = line.split()
        missing = (
            (name == "typed" and line is said[-1] and not typed_there(shop, *map(int, numbers)))
            or (name == "copied" and event_missing(file.with_name(f"{file.stem} copy {numbers[0]}.kcshop"), numbers[0]))
            or (name == "machine" and "heron" not in machines)
            or (name == "event" and line not in events)
            or (name == "begun" and int(numbers[0]) not in rounds)
            or (name == "settled" and rounds[int(numbers[0])].status == "open")
            or (name == "import" and "swift" not in machines)
            or (name == "readings" and len(shop.readings(int(numbers[0]))) < int(numbers[1]))
        )  # fmt: skip
        if missing:
            found["lost"] += 1
            print(f"{what} {seed}: said {line!r}, and it is not there")
    for kept in rounds.values():
        if kept.status == "open":
            session = RoundSession(shop, kept)
            if session.context.instrument is None or session.context.tool.name == "pen":
                found["half done"] += 1
    shop.close()
    found["kills"] += 1
    found["acknowledged"] += len(said)


def typed_there(shop: Shop, piece: int, number: int) -> bool:
    """Whether half a reading is there; killed before it was said, what was typed next may be there already."""
    draft = shop.draft(piece)
    return draft is not None and draft[1] in (str(number), str(number + 1))


def event_missing(file: Path, number: str) -> bool:
    """Whether a copy lacks what was kept before it was made."""
    with contextlib.closing(Shop(file)) as copied:
        return f"event {number}" not in {text for _, _, text in copied.events("heron")}


def later(file: Path) -> bool:
    """Whether it was brought up to the format that comes later, whole."""
    with contextlib.closing(sqlite3.connect(file)) as db:
        ((version,),) = db.execute("PRAGMA user_version")
        ((tables,),) = db.execute("SELECT count(*) FROM sqlite_master WHERE name = 'later'")
        return bool(version == FORMAT + 1 and tables)


def flipped(folder: Path, times: int) -> Counter[str]:
    """Bits of a closed file."""
    file = Path(shutil.copy(KEPT, folder / "flip.kcshop"))
    Shop(file).close()
    with contextlib.closing(sqlite3.connect(file)) as db:
        db.execute("VACUUM")
    data, sound, found = file.read_bytes(), said(file)[1], Counter[str]()
    rng = random.Random(1)
    for i in range(times):
        at, one = rng.randrange(len(data)), folder / f"flip-{i}.kcshop"
        one.write_bytes(data[:at] + bytes([data[at] ^ 1 << rng.randrange(8)]) + data[at + 1 :])
        try:
            how, what = said(one)
        except Exception as error:
            found["tracebacks"] += 1
            print(f"flip at {at}: {error!r}")
            continue
        found[how] += 1
        found["silently different"] += how == "same" and what != sound
        for left in folder.glob(f"flip-{i}.kcshop*"):
            left.unlink()
    return found


def said(file: Path) -> tuple[str, dict[str, Any] | None]:
    """(refused, named or same; all that it says)."""
    try:
        shop = Shop(file)
    except ShopError:
        return "refused", None
    try:
        shop.check(60)
        return "named" if shop.damage else "same", json.loads(json.dumps(read_out(shop)))
    finally:
        shop.close()


FULL = """
import resource, sys
from pathlib import Path
from keen_compass.errors import ShopError
from keen_compass.rounds import RoundSession
from keen_compass.shop.store import Shop
resource.setrlimit(resource.RLIMIT_FSIZE, (int(sys.argv[2]), int(sys.argv[2])))
try:
    shop = Shop(Path(sys.argv[1]))
except ShopError as error:
    print("refused", "damaged" if "damaged" in str(error) else "", flush=True)
    sys.exit()
for kept in shop.open_rounds("heron"):
    session = RoundSession(shop, kept)
    for i in range(120):
        text = f"300.{i:03d}"
        session.measuring.choose("width")
        session.measuring.type(text)
        try:
            with session.together():
                session.measuring.keep()
        except ShopError:
            pass
        if session.measuring.draft != text and session.measuring.draft:
            print("wiped", text, flush=True)
        if not session.measuring.draft:
            print("kept", text, flush=True)
"""


def full_disk(folder: Path, times: int) -> Counter[str]:
    """A disk that is full from some size on."""
    found, rng = Counter[str](), random.Random(2)
    start = Path(shutil.copy(KEPT, folder / "full.kcshop"))
    Shop(start).close()
    for i in range(times):
        file = Path(shutil.copy(start, folder / f"full-{i}.kcshop"))
        limit = rng.choice((0, 5_000, 40_000, 100_000, 170_000, rng.randrange(400_000)))
        done = subprocess.run(
            [sys.executable, "-c", FULL, str(file), str(limit)], capture_output=True, text=True, check=False
        )
        found["runs"] += 1
        found["tracebacks"] += "Traceback" in done.stderr
        found["called damaged"] += "refused damaged" in done.stdout
        found["wiped"] += done.stdout.count("wiped")
        kept = [line.split()[1] for line in done.stdout.splitlines() if line.startswith("kept")]
        found["kept"] += len(kept)
        shop = Shop(file)
        there = {r.text for k in shop.rounds("heron") for p in shop.pieces(k.id) for r in shop.readings(p.id)}
        found["lost"] += len(set(kept) - there)
        shop.close()
    return found


def imports(folder: Path, times: int) -> Counter[str]:
    """Odd logbooks; what is accepted must open, and be read, ever after."""
    found, rng = Counter[str](), random.Random(3)
    of_today = Shop(Path(shutil.copy(KEPT, folder / "today.kcshop")))
    today = json.loads(to_json(of_today))
    of_today.close()
    for i in range(times):
        shop, body = Shop(folder / f"import-{i}.kcshop"), copy.deepcopy(today if i % 2 else OLD)
        for _ in range(rng.choice((1, 1, 2, 4))):
            body["tables"] = spoilt(rng, body["tables"])
        try:
            from_json(shop, json.dumps(body), understands)
            found["accepted"] += 1
        except KeenCompassError:
            found["refused"] += 1
        except Exception as error:
            found["tracebacks"] += 1
            print(f"import {i}: {error!r}")
        shop.close()
        try:
            again = Shop(folder / f"import-{i}.kcshop")
            read_out(again)
            again.close()
        except Exception as error:
            found["stops later starts"] += 1
            print(f"import {i} opened again: {error!r}")
    return found


VALUES = ("0", "-1", "1e-9", "1e-300", "1e300", "nan", "inf", "1", "5", "40", "300", "1e6", "57 3/4 in", "", "x",
          "true", "1,2,3", "99999999999", "x" * 300, "y", "z", "circle", "cut", "drawn")  # fmt: skip
NAMES = ("feed", "plunge_feed", "thickness", "depth_per_pass", "safe_height", "mark_depth", "spindle_rpm", "number",
         "cycles", "bed", "x", "y", "units", "axis", "targets", "width", "height", "length", "run", "feeds", "columns",
         "rows", "spacing", "x_span", "figure", "trips", "travel", "z_travel", "units_per_mm", "made_by",
         "odd")  # fmt: skip


def pieces(folder: Path, times: int) -> Counter[str]:
    """Any settings on the command line."""
    found, rng, file = Counter[str](), random.Random(4), folder / "piece.out"
    for _ in range(times):
        words = ["piece", rng.choice(sorted(REGISTRY.keys() - {"drive-train"})), "-o", str(file), "--format",
                 rng.choice(("gcode", "gcode", "hpgl", "svg", "dxf", "pdf"))]  # fmt: skip
        if rng.random() < 0.5:
            words += ["--size", rng.choice(("400x300", "0x0", "1e9x1", "300", "12inx8in", "1e-9x1e-9"))]
        for _ in range(rng.randrange(4)):
            words += ["--set", f"{rng.choice(rng.choice((NAMES, NAMES[:9])))}={rng.choice(VALUES)}"]
        start, errors = time.perf_counter(), io.StringIO()
        try:
            with contextlib.redirect_stderr(errors):
                status = command_line(words)
        except SystemExit as end:
            status = int(end.code or 0)
        except Exception as error:
            found["tracebacks"] += 1
            print(f"{words}: {error!r}")
            continue
        took = time.perf_counter() - start
        found["written" if status == 0 else "refused"] += 1
        found["more than one line"] += status != 0 and errors.getvalue().count("\n") != 1
        found["longer than 3 s"] += took > 3
        if status == 0:
            found["larger than 5 MB"] += file.stat().st_size > 5_000_000
            text = file.read_bytes()
            found["with exponents"] += words[5] in ("gcode", "hpgl") and b"e-" in text.split(b")")[-1]
    return found


def main() -> None:
    """All of it."""
    times = int(sys.argv[1]) if len(sys.argv) > 1 else 40
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    with tempfile.TemporaryDirectory(prefix="keen-compass-attack-") as name:
        folder = Path(name)
        for what in sys.argv[3:] or ("new", "begin", "type", "sign", "send", "import", "migration", "copy", "compact"):
            found = Counter[str]()
            for seed in range(times):
                killed(folder, what, seed, found)
            print(f"kills, {what}: {dict(found)}, lost {found['lost']}, half done {found['half done']}", flush=True)
        if sys.argv[2:3] == ["kills"]:
            return
        others: tuple[tuple[str, Callable[[Path, int], Counter[str]], int], ...] = (
            ("flips", flipped, 10), ("full disk", full_disk, 1), ("imports", imports, 25), ("piece", pieces, 50),
        )  # fmt: skip
        for title, run, factor in others:
            print(f"{title}: {dict(run(folder, factor * times))}")
    attack_sheets.main(times)


if __name__ == "__main__":
    main()
