"""Cutting under physics that the solver doesn't have, beside `foreign.py`: plates, rungs, strips and leaning edges.

Cuts that differ from piece to piece and from one side to the other, play, scales that nobody proved, holes that run
small, arcs that run out of round; jaws whose error is their own at every size, held askew, in sixteenths, once, without
a record; controllers that count inches or half of the width.

    python bench/foreign_cut.py [findings per row] [row …]
"""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass

from foreign import CALIPER, Body, Gauge, Gauged, Made, Tally, asked_for, near, show, tallied, with_faults

FINDINGS = 1000
IN = 25.4


@dataclass(frozen=True)
class World:
    """gauge: what is read with. kind: of machine. scatter: mm, of equal pieces. proven: whether its scales are known.

    oval: mm by which holes are out of round. uneven: mm, standard, by which one cut differs from the next.
    inches: the controller counts them; half: it keeps half of the width. odd: a size is left out.
    """

    gauge: Gauge = CALIPER
    kind: str = "plasma"
    scatter: float = 0.02
    proven: bool = True
    oval: float = 0.0
    uneven: float = 0.0
    inches: bool = False
    half: bool = False
    odd: bool = False
    govern: str = "outside"

    def by(self) -> float:
        """mm of one of the controller's."""
        return (IN if self.inches else 1.0) * (2.0 if self.half else 1.0)


def start(world: World, c: float, known: Body) -> Body:
    """The machine and what is known of it."""
    return {
        "kind": world.kind,
        "decimals": 6,
        "values": {"kerf": c / world.by(), **known},
        "controller_units": "in" if world.inches else "mm",
        "kerf_form": "half" if world.half else "full",
    }


def axes(world: World, rng: random.Random) -> tuple[dict[str, float], dict[str, float], Body]:
    """(scale errors, play, what is known of both)."""
    s = {a: rng.gauss(0, 1.5e-4) if world.proven else rng.uniform(-1.8e-3, 1.8e-3) for a in "xy"}
    B = {a: abs(rng.gauss(0.03, 0.03)) for a in "xy"}
    known: Body = {}
    if world.proven:
        for a in "xy":
            known[f"{a}_scale"] = {"value": s[a] + rng.gauss(0, 1.5e-4), "expanded_uncertainty": 3e-4}
            known[f"{a}_lost_motion"] = {"value": B[a] + rng.gauss(0, 0.02), "expanded_uncertainty": 0.04}
    return s, B, known


def plate(world: World, rng: random.Random) -> Made:
    """Outsides, a slot and a hole; what governs is what must come out right."""
    s, B, known = axes(world, rng)
    K = {"plasma": rng.uniform(1.0, 3.0), "laser": rng.uniform(0.15, 0.5), "router": rng.uniform(2.9, 6.5)}[world.kind]
    c = round(K + rng.uniform(-0.2, 0.2) * min(K, 1.5), 3)
    h = rng.uniform(-0.3, 0.05) if world.kind != "router" else rng.gauss(0, 0.03)
    slot, hole = max(12.0, round(3 * c)), max(25.0, round(5 * c))
    piece = {"width": 180.0, "height": 140.0, "short_width": 0.0, "short_height": 0.0, "slot": slot, "hole": hole}

    def cut() -> float:
        return K + rng.gauss(0, world.uneven)

    oval = rng.choice((-1, 1)) * world.oval
    made = {
        "width": 180 * (1 + s["x"]) + c - (cut() + cut()) / 2 - B["x"],
        "height": 140 * (1 + s["y"]) + c - (cut() + cut()) / 2 - B["y"],
        "slot": slot * (1 + s["x"]) - c + (cut() + cut()) / 2 - B["x"],
        "hole_0": hole * (1 + s["x"]) - c + K - B["x"] + h + oval / 2,
        "hole_90": hole * (1 + s["y"]) - c + K - B["y"] + h - oval / 2,
    }
    if world.odd:
        made.pop(rng.choice(["height", "slot", "hole_90"]))
    gauged, readings = Gauged(world.gauge, rng), []
    for m, v in made.items():
        readings.append({"measurand": m, "values": gauged.read(m, v + rng.gauss(0, world.scatter))})
    outer = (B["x"] + B["y"]) / 2 if "height" in made else B["x"]
    inner = (B["x"] + B["y"]) / 2 if "hole_90" in made else B["x"]
    right = {"outside": K + outer, "inside": K - inner + (0.0 if "slot" in made else h)}[world.govern]
    return {
        "procedure": "kerf-square", "machine": start(world, c, known), "instrument": world.gauge.json(rng),
        "piece": {**piece, "slot_axis": "x", "compensation": c, "govern": world.govern},
        "piece_scatter": {"s": world.scatter, "dof": 12}, "tolerance": near(rng, c - right, 0.05),
        "readings": readings,
    }, {"kerf": c - right, "hole_bias": h}  # fmt: skip


def ladder(world: World, rng: random.Random) -> Made:
    """One size with rising room; read, or tried by hand against a part of the right size."""
    s, B, known = axes(world, rng)
    K, inside = rng.uniform(0.15, 0.5), rng.random() < 0.5
    c = round(K + rng.uniform(-0.06, 0.06), 3)
    tried = [round(max(c + 0.03 * (i - 3), 0.01), 3) for i in range(7)]
    n, gauged, readings = 20.0, Gauged(world.gauge, rng), []
    right = K + (B["x"] if not inside else -B["x"])
    sizes = []
    for k in tried:
        made = n * (1 + s["x"]) + (k - right) * (-1 if inside else 1)
        sizes.append(made + rng.gauss(0, world.scatter / 2))
    if rng.random() < 0.5:
        for i, v in enumerate(sizes, 1):
            readings.append({"measurand": f"rung_{i}", "values": gauged.read(f"{i}", v)})
    else:
        ranked = sorted(range(7), key=lambda i: abs(sizes[i] - n + rng.gauss(0, 0.004)))
        a, b = ranked[:2]
        between = abs(a - b) == 1 and abs(abs(sizes[a] - n) - abs(sizes[b] - n)) < 0.008
        readings.append({"measurand": "pick", "values": [(a + b) / 2 + 1 if between else a + 1]})
    return {
        "procedure": "kerf-ladder", "machine": start(world, c, known), "instrument": world.gauge.json(rng),
        "piece": {"nominal": n, "side": "inside" if inside else "outside", "compensations": tried},
        "piece_scatter": {"s": world.scatter, "dof": 12}, "tolerance": near(rng, c - right, 0.02), "readings": readings,
    }, {"kerf": c - right}  # fmt: skip


def comb(world: World, rng: random.Random) -> Made:
    """Strips pushed to one side of their window: what is left is all the cuts together."""
    K, n = rng.uniform(0.15, 0.6), rng.choice((8, 10, 16))
    c = round(K + rng.uniform(-0.06, 0.06), 3)
    slack = sum(K + rng.gauss(0, world.uneven) for _ in range(n + 1)) + 100 * rng.gauss(0, 1e-4)
    readings = [{"measurand": "slack", "values": Gauged(world.gauge, rng).read("slack", slack)}]
    return {
        "procedure": "kerf-comb", "machine": start(world, c, {}), "instrument": world.gauge.json(rng),
        "piece": {"strips": n, "window": 100, "thickness": 4},
        "piece_scatter": {"s": world.scatter, "dof": 12}, "tolerance": near(rng, c - K, 0.02), "readings": readings,
    }, {"kerf": c - K}  # fmt: skip


def bevel(world: World, rng: random.Random) -> Made:
    """A size at its upper and its lower edges."""
    t, inside = rng.uniform(4, 20), rng.random() < 0.5
    lean = rng.choice((-1, 1)) * rng.uniform(0.0, 0.4)
    top = 80 + rng.gauss(0, 0.3)
    gauged, readings = Gauged(world.gauge, rng), []
    for m, v in (("top", top), ("bottom", top + 2 * lean)):
        readings.append({"measurand": m, "values": gauged.read(m, v)})
    return {
        "procedure": "bevel", "machine": {"kind": "plasma", "decimals": 3, "values": {}},
        "instrument": world.gauge.json(rng), "piece": {"thickness": t, "side": "inside" if inside else "outside"},
        "tolerance": {"bevel": near(rng, lean, 0.05)}, "readings": readings,
    }, {"bevel": abs(lean)}  # fmt: skip


def rows(names: list[str]) -> dict[str, tuple[Callable[[World, random.Random], Made], World]]:
    """Everything that is tried."""
    found: dict[str, tuple[Callable[[World, random.Random], Made], World]] = {}

    def add(name: str, make: Callable[[World, random.Random], Made], world: World) -> None:
        if not names or any(name.startswith(n) for n in names):
            found[name] = (make, world)

    for words, gauge in with_faults(CALIPER).items():
        for name, make in (("plate", plate), ("ladder", ladder), ("comb", comb), ("bevel", bevel)):
            if words in ("in 1/16 in", "coarse") and make in (ladder, comb):
                continue  # a few hundredths of a millimetre are what they are about
            add(f"{name}, {words}", make, World(gauge))
    for kind in ("plasma", "laser", "router"):
        add(f"plate, {kind}, nothing proven", plate, World(kind=kind, proven=False))
        add(f"plate, {kind}, a size left out", plate, World(kind=kind, odd=True))
        add(f"plate, {kind}, insides govern", plate, World(kind=kind, govern="inside"))
        add(f"plate, {kind}, holes out of round", plate, World(kind=kind, oval=0.06))
        add(f"plate, {kind}, uneven cuts", plate, World(kind=kind, uneven=0.02, scatter=0.01))
        add(f"plate, {kind}, inch controller", plate, World(kind=kind, inches=True))
        add(f"plate, {kind}, half of the width in inches", plate, World(kind=kind, inches=True, half=True))
    for name, make in (("ladder", ladder), ("comb", comb)):
        add(f"{name}, inch controller", make, World(kind="laser", inches=True))
        add(f"{name}, half of the width", make, World(kind="laser", half=True))
    add("ladder, nothing proven", ladder, World(kind="laser", proven=False))
    add("comb, uneven cuts", comb, World(kind="laser", uneven=0.01))
    return found


def run(task: tuple[str, int]) -> tuple[str, Tally]:
    """One row."""
    name, count = task
    make, world = rows([name])[name]

    def true_of(finding: Body, truth: dict[str, float]) -> float:
        if finding["quantity"] == "kerf" and finding["new"] is not None:  # what is entered has to be right, too
            moved = (finding["old"] - finding["new"]) * world.by()
            assert abs(moved - finding["error"]) < 1e-3, (name, finding)
        return truth[finding["quantity"]]

    return name, tallied(name, count, lambda rng: make(world, rng), true_of)


if __name__ == "__main__":
    findings, words = asked_for(FINDINGS)
    show(run, rows(words), findings)
