"""Machines with one to three faults, and what a person says of their parts: is the largest cause named?

python bench/complaints.py [MACHINES]

The machine is simulated apart from the program's own rows: parts are made with its errors, somebody looks at them and
says what they notice, rounded to what a rule or an eye shows, often only which way; one complaint in ten is wrong.
Half of what is in order was found so within a year. What broke was found in order before it broke in three of ten, and
mostly something happened to the machine then.
"""

from __future__ import annotations

import math
import random
import sys
from collections import Counter
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field, replace

from keen_compass.machines.profile import Machine
from keen_compass.procedures import yielding
from keen_compass.procedures.complaints import (
    Diagnosis,
    EventIn,
    KnownIn,
    SeenIn,
    _of_that_kind,
    _quantities,
    complaints_on,
    diagnosed,
    unit_of,
)
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.kinds import MachineKind
from keen_compass.solve.complaints import Explained

KINDS = (MachineKind.ROUTER, MachineKind.PLASMA, MachineKind.LASER, MachineKind.PRINT_AND_CUT)
# What breaks, and how badly: mm per m, mm; a feed that is too fast, as steps that are lost, mm; a feed of paper, %.
BADLY: dict[str, tuple[float, float]] = {
    "steps": (1.5, 6.0),
    "squareness": (1.5, 6.0),
    "backlash": (0.15, 0.5),
    "kerf": (0.25, 0.8),
    "hole_bias": (0.2, 0.6),
    "bevel": (0.6, 1.5),
    "home": (0.8, 3.0),
    "tram": (1.5, 4.0),
    "bed": (0.4, 1.0),
    "tracking": (0.4, 1.0),
    **dict.fromkeys(("pointer", "sensor", "camera", "second_tool"), (0.6, 3.0)),
    "registration": (0.4, 1.0),
    "print_scale": (3.0, 10.0),
    "drag": (0.1, 0.3),
    "speed": (0.5, 3.0),
    "media_feed": (0.5, 2.0),
}
ONE_SIDED = ("backlash", "speed", "tracking")
ALIKE = 0.9  # share of the largest, from which nobody would say which is larger
NOTICED = 0.25  # mm, from which someone says something
SIZES = (50.0, 100.0, 200.0, 300.0, 400.0, 600.0, 1000.0)


@dataclass
class Broken:
    """A machine as it really is. errors: by quantity; faults: those that broke."""

    machine: Machine
    errors: dict[str, float]
    faults: list[str]
    known: dict[str, KnownIn] = field(default_factory=dict)
    events: list[EventIn] = field(default_factory=list)


def broken(kind: MachineKind, rng: random.Random) -> Broken:
    """One to three faults; everything else within a third of what is allowed."""
    heads = (rng.choice(("pointer", "sensor", "camera")), *(["second_tool"] if rng.random() < 0.3 else []))
    machine = replace(_of_that_kind(kind), heads=heads if rng.random() < 0.8 else ())
    names = [q for q in _quantities(machine) if QUANTITIES[q].family.name in BADLY]
    faults = rng.sample(names, rng.choice((1, 1, 2, 3)))
    found = Broken(machine, {}, faults)
    for q in names:
        family, T = QUANTITIES[q].family.name, QUANTITIES[q].default_tolerance
        way = 1 if family in ONE_SIDED else rng.choice((-1, 1))
        if q in faults:
            little = 0.2 if family == "hole_bias" and not kind.thermal else 1.0  # a cutter leaves round holes round
            found.errors[q] = way * little * rng.uniform(*BADLY[family])
        else:
            found.errors[q] = 0.0 if family in ("speed", "media_feed") else way * abs(rng.gauss(0, T / 3))
        if rng.random() < (0.3 if q in faults else 0.5):
            before = found.errors[q] if q not in faults else rng.gauss(0, T / 3)
            before = -rng.uniform(0, 3 * T) if family == "speed" else before  # what was safe
            days = rng.uniform(5, 365)
            found.known[q] = KnownIn(before + rng.gauss(0, T / 8), T / 4, days)
            if q in faults and QUANTITIES[q].group == "motion" and rng.random() < 0.8:
                found.events.append(EventIn(rng.choice(("moved", "update", "mechanics")), rng.uniform(0, days)))
    return found


def really(broke: Broken, what: str, axis: str, n: float) -> float:
    """What is seen on a part of size n, mm."""
    e: Callable[[str], float] = lambda q: broke.errors.get(q, 0.0)  # noqa: E731
    steps, play = e(f"{axis}_steps") * n / 1000, e(f"{axis}_backlash")
    match what:
        case "outside_size":
            return steps - play + e("kerf")
        case "inside_size":
            return steps - play - e("kerf") + e("hole_bias")
        case "diagonals":
            a = math.atan(e("squareness") / 1000)  # of a square: its two diagonals, Y leaning
            return n * (math.hypot(1 + math.sin(a), math.cos(a)) - math.hypot(1 - math.sin(a), math.cos(a)))
        case "oval":
            x, y = (e(f"{a}_steps") * n / 1000 - e(f"{a}_backlash") for a in "xy")
            return x - y
        case "slanted":
            return e("bevel") + e(f"{axis}_tram") * 10 / 1000
        case "does_not_meet":
            return abs(play) + 0.2 * abs(e(f"{axis}_speed"))
        case "lost_steps":
            return e(f"{axis}_speed")
        case "depth":
            return e("z_steps") * 12 / 1000 + e("z_backlash") + e("bed")
        case "beside_print":
            return max((e(f"{h}_{axis}") for h in ("pointer", "sensor", "camera")), key=abs) + e("registration")
        case "drifts_along_print":
            return (e(f"print_scale_{axis}") + e(f"{axis}_steps")) * n / 1000 + e("tracking")
        case "corners":
            return e("drag") + play / 2
        case "bands":
            return e("media_feed")
        case "tools_miss":
            return e(f"second_tool_{axis}")
    return e(f"{axis}_home") + 0.3 * e(f"{axis}_speed")


def said(broke: Broken, rng: random.Random) -> list[SeenIn]:
    """What someone says: up to three things, the plainest first; amounts rounded, or only which way."""
    candidates = []
    for what in complaints_on(broke.machine):
        for axis in "xy":
            n = rng.choice(SIZES)
            amount = really(broke, what, axis, n)
            least = {"corners": 0.08, "bands": 0.4}.get(what, NOTICED)
            other = really(broke, what, "y" if axis == "x" else "x", n)
            if abs(amount) >= least:
                named = axis if abs(other) < abs(amount) / 2 else ""  # along one, or along both alike
                candidates.append((abs(amount) / least * rng.uniform(0.6, 1.4), what, named, n, amount))
    candidates.sort(reverse=True)
    found: list[SeenIn] = []
    for _, what, along, n, seen in candidates[:4]:
        if any(s.what == what for s in found):
            continue
        wrong = rng.random() < 0.1  # a slip, a wrong part, the wrong way round
        amount = rng.choice((-seen, seen * rng.choice((0.1, 3.0)), rng.uniform(-1, 1))) if wrong else seen
        named = along if along and what not in ("diagonals", "oval", "bands", "depth") else None
        step = 0.1 if abs(amount) < 1 else 0.5
        rounded = round(amount / step) * step
        if rng.random() < 0.4 or not rounded or what in ("lost_steps", "bands", "corners", "slanted", "depth"):
            found.append(SeenIn(what, named, None, "+" if amount > 0 else "-"))  # type: ignore[arg-type]
        else:
            found.append(SeenIn(what, named, n, rounded))  # type: ignore[arg-type]
    return found


def largest(broke: Broken, complaints: list[SeenIn]) -> list[str]:
    """The fault that explains most of what was complained of, and any that explains as much."""

    def explains(fault: str) -> float:
        without = Broken(broke.machine, {**broke.errors, fault: 0.0}, [])
        share = 0.0
        for c in complaints:
            n = c.nominal if isinstance(c.nominal, float) else 300.0
            both = [(really(broke, c.what, a, n), really(without, c.what, a, n)) for a in c.axis or "xy"]
            seen, left = max(both, key=lambda pair: abs(pair[0]))
            share += max(min((seen - left) / seen, 1.0), 0.0) if abs(seen) >= NOTICED / 4 else 0.0
        return share

    most = max(map(explains, broke.faults))
    return [f for f in broke.faults if explains(f) >= ALIKE * most]


def minutes_by_advice(broke: Broken, complaints: list[SeenIn], first: Diagnosis) -> float:
    """Until every fault that shows was measured, each time what the page puts first."""
    showing = [f for f in broke.faults if f in first.causes]
    known, done, spent, found = dict(broke.known), set[str](), 0.0, first
    for _ in range(20):
        if all(f in done for f in showing):
            break
        left = [(entry, told) for entry, told in found.tell if not set(told) <= done]
        if not left:
            return spent + minutes_by_rose(broke, [f for f in showing if f not in done], done)
        entry, told = left[0]
        spent += entry.minutes
        done |= set(told)
        known |= {
            q: KnownIn(broke.errors.get(q, 0.0) * unit_of(q), QUANTITIES[q].default_tolerance / 4, 0.0) for q in told
        }
        found = diagnosed(broke.machine, complaints, known, [])
    return spent


def minutes_by_rose(broke: Broken, showing: list[str], done: set[str] | None = None) -> float:
    """The same in the order of the rose: what was never measured or may have changed, one after another."""
    spent, over = 0.0, set(done or ())
    for q in broke.machine.quantities:
        if all(f in over for f in showing):
            break
        shaken = QUANTITIES[q].group == "motion" and broke.events
        if q in over or (q in broke.known and not shaken and q not in showing):
            continue
        entries = yielding(q, broke.machine.file_format)
        if entries:
            spent += entries[0].minutes
            over |= set(entries[0].yields)
    return spent


def judged(task: tuple[int, MachineKind]) -> Counter[str]:
    """One machine."""
    seed, kind = task
    rng = random.Random(f"{seed}/{kind}")
    for _ in range(50):
        broke = broken(kind, rng)
        complaints = said(broke, rng)
        if complaints:
            break
    found = diagnosed(broke.machine, complaints, broke.known, broke.events)
    truly, ranked = [f for f in largest(broke, complaints) if f in found.causes], list(found.causes)
    count: Counter[str] = Counter(machines=1)
    if not truly:  # only what is wrong was said
        count["not asked"] += 1
        return count
    count["first"] += ranked[0] in truly
    count["three"] += bool(set(truly) & set(ranked[:3]))
    count["covered"] += _covered(found.causes[truly[0]], broke.errors[truly[0]], unit_of(truly[0]))
    count["advice"] += round(minutes_by_advice(broke, complaints, found))
    count["rose"] += round(minutes_by_rose(broke, [f for f in broke.faults if f in found.causes]))
    return count


def _covered(e: Explained, really: float, unit: float) -> bool:
    return abs(e.value - really * unit) <= e.U


def main() -> None:
    """Judge and print."""
    machines = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    with ProcessPoolExecutor() as pool:
        for kind in (*KINDS, None):
            tasks = [(seed, k) for k in KINDS for seed in range(machines // len(KINDS)) if kind in (None, k)]
            total: Counter[str] = sum(pool.map(judged, tasks, chunksize=20), Counter())
            n = total["machines"] - total["not asked"]
            saved = 100 * (1 - total["advice"] / max(total["rose"], 1))
            print(
                f"{kind or 'all'}: {n} of {total['machines']}: first {100 * total['first'] / n:.1f} %, among three "
                f"{100 * total['three'] / n:.1f} %, covered {100 * total['covered'] / n:.1f} %; "
                f"minutes {total['advice'] / n:.1f} against {total['rose'] / n:.1f}: {saved:.0f} % saved",
                flush=True,
            )


if __name__ == "__main__":
    main()
