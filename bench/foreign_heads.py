"""Heads and print under physics that the solver doesn't have, beside `foreign.py`: what the pen, the pointer, the
camera, the blade and the printer really do, and what someone with a rule, an eye or a screen makes of it.

Play whenever an axis turns round, scales that are off, sheets that bow, lenses that bend, hands that wander to one
side, blots; rules whose error is their own at every length or the same everywhere, tenths, half millimetres and
sixty-fourths, one reading, no record; controllers that count inches or the other way.

    python bench/foreign_heads.py [findings per row] [row …]
"""

from __future__ import annotations

import math
import random
import re
from collections.abc import Callable
from dataclasses import dataclass, replace

from foreign import Body, Gauge, Gauged, Made, Tally, asked_for, near, show, solved, tallied, with_faults

FINDINGS = 1000
RULE = Gauge("rule", 0.1, 0.05, 0.0, spread=0.4, readings=2)
MM_RULE = replace(RULE, division=0.5, a=0.1, spread=0.3)
IN = 25.4


@dataclass(frozen=True)
class World:
    """gauge: what is read with. play: mm lost when an axis turns round, at most. scale: of an axis, at most, off by.

    bow: mm by which a sheet or its lens bends. hand: mm, standard, of every aim. one_way: the hand's own bias, mm.
    inches: the controller counts them; turned: it keeps tool minus secondary, X counted the other way.
    """

    gauge: Gauge = RULE
    play: float = 0.0
    scale: float = 0.0
    bow: float = 0.0
    hand: float = 0.03
    one_way: float = 0.0
    inches: bool = False
    turned: bool = False


def sign_of(world: World, quantity: str) -> int:
    """By which the controller counts an offset."""
    return (-1 if world.turned else 1) * (-1 if world.turned and quantity.endswith("_x") else 1)


def machine(world: World, held: dict[str, float]) -> Body:
    """As it is in the input; held: mm, secondary minus tool."""
    values = {q: sign_of(world, q) * mm / (IN if world.inches else 1) for q, mm in held.items()}
    body: Body = {"values": values, "decimals": 6, "controller_units": "in" if world.inches else "mm"}
    if world.turned:
        body |= {"offset_form": "tool_minus_secondary", "flipped": [q for q in held if q.endswith("_x")]}
    return body


def offsets(rng: random.Random, head: str, off: float) -> tuple[dict[str, float], dict[str, float], list[float]]:
    """(held, true errors, d = true − held) of both components."""
    d = [rng.uniform(-off, off) for _ in "xy"]
    held = {f"{head}_{a}": rng.uniform(-60, 60) for a in "xy"}
    return held, {f"{head}_{a}": -v for a, v in zip("xy", d, strict=True)}, d


def asked(
    world: World, rng: random.Random, procedure: str, held: dict[str, float], truth: dict[str, float], piece: Body,
    readings: list[Body],
) -> Body:  # fmt: skip
    """The input, with tolerances such that the answer is often close."""
    T = {q: near(rng, e, 0.1) for q, e in truth.items()}
    return {
        "procedure": procedure, "machine": machine(world, held), "piece": piece,
        "instrument": world.gauge.json(rng), "tolerance": T, "readings": readings,
    }  # fmt: skip


def picked(misses: list[float], alike: float) -> float:
    """What an eye says of a row: the number of the least miss, or between two beside each other that look alike."""
    off = [abs(m) for m in misses]
    a, b = sorted(range(len(off)), key=off.__getitem__)[:2]
    return (a + b) / 2 + 1 if abs(a - b) == 1 and abs(off[a] - off[b]) < alike else a + 1


def wander(world: World, rng: random.Random) -> float:
    """Where an axis stops beside where it should, mm: lost motion, met from either side, and a hand."""
    return rng.choice((-0.5, 0.5)) * world.play + rng.gauss(0, world.hand) + world.one_way


def mark(world: World, rng: random.Random) -> Made:
    """One mark, one landing: e = held − true, read once or a few times."""
    held, truth, d = offsets(rng, "pointer", 2.0)
    gauged, readings = Gauged(world.gauge, rng), []
    for a, v in zip("xy", d, strict=True):
        readings.append({"measurand": a, "values": gauged.read(a, -v + wander(world, rng))})
    return asked(world, rng, "pointer", held, truth, {"way": "mark"}, readings), truth


def sheet(world: World, rng: random.Random) -> Made:
    """Targets over a sheet that lies turned, is printed long, bows: the mean place is what counts."""
    held, truth, d = offsets(rng, "pointer", 1.0)
    at = [(20, 20), (190, 20), (190, 270), (20, 270), (105, 145), (60, 200), (150, 90)][: rng.choice((5, 7))]
    mx, my = (sum(p[i] for p in at) / len(at) for i in (0, 1))
    turn, sx, sy = rng.gauss(0, 1e-3), rng.uniform(-1, 1) * 6e-4, rng.uniform(-1, 1) * 6e-4
    bow = rng.choice((-1, 1)) * world.bow
    gauged, readings = Gauged(world.gauge, rng), []
    for i, (x, y) in enumerate(at, 1):
        bent = bow * (((y - my) / 125) ** 2 - sum(((p[1] - my) / 125) ** 2 for p in at) / len(at))
        e = (-d[0] + sx * (x - mx) - turn * (y - my) + bent, -d[1] + sy * (y - my) + turn * (x - mx))
        for a, v in zip("xy", e, strict=True):
            readings.append({"measurand": f"t{i}_{a}", "values": gauged.read(f"{a}{i}", v + wander(world, rng))})
    return asked(world, rng, "pointer", held, truth, {"way": "sheet", "targets": at}, readings), truth


def gaps(world: World, rng: random.Random) -> Made:
    """Lines astride a cut: each lies a little off, the cut is not where it was meant."""
    held, truth, d = offsets(rng, "second_tool", 1.5)
    gauged, readings, wide = Gauged(world.gauge, rng), [], rng.uniform(9, 14)
    for a, v in zip("xy", d, strict=True):
        cut, high, low = rng.gauss(0, 0.01), wide / 2 + v + wander(world, rng), -wide / 2 + v + wander(world, rng)
        for side, gap in (("high", high - cut), ("low", cut - low)):
            readings.append({"measurand": f"{a}_{side}", "values": gauged.read(f"{a}{side}", gap)})
    return asked(world, rng, "second-tool", held, truth, {"way": "gaps", "spacing": wide}, readings), truth


def vernier(world: World, rng: random.Random) -> Made:
    """Ticks against ticks: the eye takes the pair that looks best, or says between two."""
    held, truth, d = offsets(rng, "second_tool", 1.2)
    p, n, readings = 2.0, 20, []
    gauged = Gauged(world.gauge, rng)
    for a, v in zip("xy", d, strict=True):
        off = v + rng.gauss(0, world.hand)
        s = rng.uniform(-world.scale, world.scale)
        misses = []
        for k in range(-n // 2, n // 2 + 1):
            second = off + k * p * (1 - 1 / n) * (1 + s) + rng.gauss(0, 0.01)
            misses.append((k, abs(math.remainder(second - k * p, p)) + abs(rng.gauss(0, 0.008))))
        ranked = sorted(misses, key=lambda m: m[1])
        (k, best), (other, next_best) = ranked[:2]
        line = (k + other) / 2 if abs(k - other) == 1 and next_best - best < 0.02 else float(k)
        readings.append({"measurand": f"{a}_line", "values": [line]})
        readings.append({"measurand": f"{a}_coarse", "values": gauged.read(a, off)})
    piece = {"way": "vernier", "pitch": p, "divisions": n}
    return asked(world, rng, "second-tool", held, truth, piece, readings), truth


def camera(world: World, rng: random.Random) -> Made:
    """A pinhole with a lens that bends, held a little askew; moves that lose a little."""
    held, truth, d = offsets(rng, "camera", 1.5)
    w, h = rng.choice(((1280, 960), (640, 480), (1920, 1080)))
    per_px = 12.0 / w * rng.uniform(0.8, 1.6)  # mm
    phi, mirror = rng.uniform(-math.pi, math.pi), rng.choice((1, -1))
    k1 = rng.choice((-1, 1)) * world.bow / (w / 2) ** 2  # of the lens: the share of bow at the rim
    lean = rng.choice((-1, 1)) * world.bow / 4 / w
    reach = 0.25 * h * per_px
    moves = [(0.0, 0.0), (reach, 0.0), (0.0, reach), (-reach, 0.0), (0.0, -reach), (reach, reach)][
        : rng.choice((4, 5, 6))
    ]
    seen = []
    s = [rng.uniform(-world.scale, world.scale) for _ in "xy"]
    for mx, my in moves:
        # the cross as the camera has it: o_true − o_set − move is where its middle is beside the cross
        beside = [
            -(v + m * (1 + e)) + rng.choice((-0.5, 0.5)) * world.play + rng.gauss(0, 0.004)
            for v, m, e in zip(d, (mx, my), s, strict=True)
        ]
        x, y = (
            beside[0] * math.cos(phi) - beside[1] * math.sin(phi),
            beside[0] * math.sin(phi) + beside[1] * math.cos(phi),
        )
        u, v = mirror * x / per_px, -y / per_px
        grow = (1 + k1 * (u * u + v * v)) / (1 + lean * u)
        seen.append([w / 2 + u * grow + rng.gauss(0, 0.25), h / 2 + v * grow + rng.gauss(0, 0.25)])
    T = {q: near(rng, e, 0.02) for q, e in truth.items()}
    return {
        "procedure": "camera", "machine": machine(world, held),
        "piece": {"picture": [w, h], "moves": [list(m) for m in moves]}, "tolerance": T,
        "readings": [{"measurand": "cross", "values": seen}],
    }, truth  # fmt: skip


def proof(world: World, rng: random.Random) -> Made:
    """Borders left about a sticker: the cut lies beside, turned, long, wavers; the largest deviation is what counts."""
    border, w, h = 2.0, rng.uniform(40, 90), rng.uniform(30, 70)
    places = [(w, h / 4, 1, 0), (w, 3 * h / 4, 1, 0), (3 * w / 4, h, 0, 1), (w / 4, h, 0, 1),
              (0, 3 * h / 4, -1, 0), (0, h / 4, -1, 0), (w / 4, 0, 0, -1), (3 * w / 4, 0, 0, -1)]  # fmt: skip
    dx, dy, turn, grown = rng.gauss(0, 0.2), rng.gauss(0, 0.2), rng.gauss(0, 0.002), rng.gauss(0, 0.05)
    gauged, readings, off = Gauged(world.gauge, rng), [], {}
    for i, (x, y, nx, ny) in enumerate(places, 1):
        moved = (dx - turn * (y - h / 2), dy + turn * (x - w / 2))
        off[i] = moved[0] * nx + moved[1] * ny + grown + wander(world, rng)
        readings.append({"measurand": f"b{i}", "values": gauged.read(f"b{i}", border + off[i])})
    largest = max(off.values(), key=abs)
    return {
        "procedure": "proof", "machine": {"values": {}},
        "piece": {"border": border, "places": [list(p) for p in places]},
        "instrument": world.gauge.json(rng), "tolerance": near(rng, largest, 0.1), "readings": readings,
    }, {"proof": largest, **{f"b{i}": v for i, v in off.items()}}  # fmt: skip


def registration(world: World, rng: random.Random) -> Made:
    """Marks of a sheet that lies anyhow, each come to from somewhere else, aimed at by hand, shown in steps."""
    w, h = rng.choice(((190, 277), (420, 300), (600, 900)))
    marks = [(10, 10), (w, 10), (w, h), (10, h), (w / 2, h / 2), (w / 2, 10), (w, h / 2)][: rng.choice((5, 6, 7))]
    turn, s = rng.uniform(-0.02, 0.02), [rng.uniform(-3e-3, 3e-3) for _ in "xy"]
    at = [rng.uniform(-30, 30) for _ in "xy"]
    step, readings = world.gauge.step, []
    for i, (x, y) in enumerate(marks, 1):
        px, py = x * (1 + s[0]), y * (1 + s[1])
        seen = (at[0] + px * math.cos(turn) - py * math.sin(turn), at[1] + px * math.sin(turn) + py * math.cos(turn))
        shown = [round((v + wander(world, rng)) / step) * step for v in seen]
        readings.append({"measurand": f"mark_{i}", "values": [shown]})
    return {
        "procedure": "registration", "machine": {"values": {}}, "piece": {"marks": [list(m) for m in marks]},
        "instrument": {"name": "position", "resolution": step, "permissible_error": [0.05, 0]}, "tolerance": 0.3,
        "readings": readings,
    }, {"turn_deg": math.degrees(turn), "scale x": 1 + s[0], "scale y": 1 + s[1],
        "shift x": at[0] + world.one_way, "shift y": at[1] + world.one_way}  # fmt: skip


def claims(body: Body) -> list[Body]:
    """What a registration says of how the sheet lies, as findings."""
    figures = solved(body)["figures"]
    U = figures["expanded_uncertainty"]
    told = [("turn_deg", figures["turn_deg"], U["turn_deg"])]
    for what in ("scale", "shift"):
        told += [(f"{what} {a}", v, u) for a, v, u in zip("xy", figures[what], U[what], strict=True)]
    return [
        {"quantity": q, "error": v, "expanded_uncertainty": u, "verdict": "", "tolerance": math.inf} for q, v, u in told
    ]


def blade(world: World, rng: random.Random) -> Made:
    """Corners with a rising offset: the eye takes the one that closes best, or says between two."""
    true, step = rng.uniform(0.15, 0.9), rng.choice((0.02, 0.05, 0.1))
    held = true + rng.uniform(-2, 2) * step
    first = max(held - 3 * step, 0.01)
    tried = [round(first + i * step, 4) for i in range(7)]
    pick = picked([v - true + rng.gauss(0, 0.08 * step) for v in tried], 0.5 * step)
    by = IN if world.inches else 1.0
    return {
        "procedure": "drag-blade",
        "machine": {"decimals": 6, "values": {"drag": held / by}, "controller_units": "in" if world.inches else "mm"},
        "piece": {"values": tried}, "tolerance": near(rng, held - true, 0.02),
        "readings": [{"measurand": "pick", "values": [pick]}],
    }, {"drag": held - true}  # fmt: skip


def bands(world: World, rng: random.Random) -> Made:
    """Bands at rising feed: each step's overlap is seen from a hundredth or two of a millimetre on."""
    relative, held = rng.random() < 0.5, rng.uniform(-0.5, 0.5)
    step = rng.choice((0.05, 0.1, 0.2))
    tried = [round(step * (i - 5), 3) for i in range(11)]
    true = (held if relative else 0.0) + rng.uniform(-4, 4) * step
    misses = [c + (held if relative else 0.0) - true + rng.gauss(0, 0.1 * step) for c in tried]
    if rng.random() < 0.5:
        reading: Body = {"measurand": "pick", "values": [picked(misses, 0.4 * step)]}
    else:
        blind = 0.35 * step
        reading = {"measurand": "bands", "values": [
            "meets" if abs(m) < blind else "gap" if m > 0 else "overlap" for m in misses]}  # fmt: skip
    return {
        "procedure": "media-feed", "machine": {"decimals": 6, "values": {"media_feed": held}},
        "piece": {"corrections": tried, "relative": relative}, "tolerance": near(rng, held - true, 0.02),
        "readings": [reading],
    }, {"media_feed": held - true}  # fmt: skip


def rows(names: list[str]) -> dict[str, tuple[Callable[[World, random.Random], Made], World]]:
    """Everything that is tried."""
    found: dict[str, tuple[Callable[[World, random.Random], Made], World]] = {}

    def add(name: str, make: Callable[[World, random.Random], Made], world: World) -> None:
        if not names or any(name.startswith(n) for n in names):
            found[name] = (make, world)

    for words, gauge in with_faults(RULE).items():
        if "zero" in words or "tilt" in words:
            continue  # a gap of a few millimetres isn't read with what is set to zero, nor askew to any effect
        for name, make in (("mark", mark), ("targets", sheet), ("gaps", gaps), ("vernier", vernier), ("proof", proof)):
            # Who reads two noughts off a rule in sixteenths can't be told from one who has tenths of a millimetre.
            stated = replace(gauge, division=gauge.step) if make is mark else gauge
            add(f"{name}, {words}", make, World(stated))
    for name, make in (("mark", mark), ("targets", sheet), ("gaps", gaps), ("vernier", vernier), ("camera", camera)):
        add(f"{name}, inch controller", make, World(inches=True))
        add(f"{name}, tool minus secondary", make, World(turned=True))
        add(f"{name}, inch controller, tool minus secondary", make, World(inches=True, turned=True))
    for name, make in (("mark", mark), ("targets", sheet), ("gaps", gaps)):
        add(f"{name}, play", make, World(play=0.06))  # a vernier's ticks are all drawn from one side
        add(f"{name}, hand to one side", make, World(one_way=0.03))
    for name, make in (("vernier", vernier), ("camera", camera)):
        add(f"{name}, scale", make, World(scale=0.002))
    add("camera, play", camera, World(play=0.02))
    add("targets, bowed sheet", sheet, World(bow=0.15))
    add("targets, bowed sheet, half millimetres", sheet, World(MM_RULE, bow=0.3))
    add("camera, as it should be", camera, World())
    add("camera, lens that bends", camera, World(bow=0.02))
    add("camera, lens that bends, play", camera, World(bow=0.04, play=0.02))
    add("registration, as it should be", registration, World(replace(RULE, division=0.01)))
    add("registration, tenths", registration, World(RULE))
    add("registration, half millimetres", registration, World(MM_RULE))
    add("registration, play", registration, World(replace(RULE, division=0.01), play=0.1))
    add("registration, hand to one side", registration, World(replace(RULE, division=0.01), one_way=0.1))
    add("blade, as it should be", blade, World())
    add("blade, inch controller", blade, World(inches=True))
    add("bands, as they should be", bands, World())
    return found


def run(task: tuple[str, int]) -> tuple[str, Tally]:
    """One row."""
    name, count = task
    make, world = rows([name])[name]
    per = IN if world.inches else 1.0

    def true_of(finding: Body, truth: dict[str, float]) -> float:
        q = finding["quantity"]
        if q != "proof" and finding["new"] is not None:  # what is entered has to be right, too
            moved = sign_of(world, q) * (finding["old"] - finding["new"]) * per
            assert abs(moved - finding["error"]) < 1e-3 * per, (name, finding)
        places = (re.match(r"At place (\d+) ", said) for said in finding["notes"] if q == "proof")
        place = next(filter(None, places), None)
        return truth[
            f"b{place[1]}" if place else q
        ]  # the place that is named; whether it is the worst, the verdict says

    if make is registration:
        return name, tallied(name, count, lambda rng: make(world, rng), lambda f, truth: truth[f["quantity"]], claims)
    return name, tallied(name, count, lambda rng: make(world, rng), true_of)


if __name__ == "__main__":
    findings, words = asked_for(FINDINGS)
    show(run, rows(words), findings)
