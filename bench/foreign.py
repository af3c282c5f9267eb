"""Coverage under physics that the solver doesn't have: this simulation shares nothing with the program.

It has its own tool with play, its own lean, kerf and media, and its own instruments: whose error differs from length to
length within what is permitted, which lie askew, are read to coarse divisions or fractions, once or often, with a
record of their spread or without. What comes out is typed into `solve` as a technician would, text and all.

    python bench/foreign.py [findings per row] [procedure …]
"""

from __future__ import annotations

import math
import random
import re
import sys
from collections.abc import Callable, Iterable, Mapping
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from typing import Any

FINDINGS = 1200
Body = dict[str, Any]


# The machine


@dataclass(frozen=True)
class Axis:
    """An axis that moves 1 + s for 1 and loses B when it turns round."""

    s: float
    B: float

    def walk(self, *commands: float) -> list[float]:
        """Where the carriage comes to stand: the motor pulls it along once the play is taken up."""
        at, found = commands[0] * (1 + self.s), []
        for c in commands:
            motor = c * (1 + self.s)
            at = min(max(at, motor - self.B / 2), motor + self.B / 2)
            found.append(at)
        return found

    def between(self, low: float, high: float) -> float:
        """From one outer edge to the other, each met moving outwards."""
        middle = (low + high) / 2
        at = self.walk(middle, low, middle, high)
        return at[3] - at[1]


# The instrument


@dataclass(frozen=True)
class Gauge:
    """What it is, and how it is used.

    a, b: permitted error ±(a + b·L); spread: real standard deviation of a reading, in divisions; tilt: within, degrees;
    how: "uniform" within that, or "limit"; fraction: denominator of an inch in which it is read, 0 for decimals.
    record: readings from which the shop knows its spread, 0 for none.
    """

    kind: str = "caliper"
    division: float = 0.01
    a: float = 0.02
    b: float = 2e-5
    spread: float = 0.8
    tilt: float = 0.0
    how: str = "uniform"
    fraction: int = 0
    record: int = 12
    readings: int = 3
    inches: bool = False
    zero: float = 0.0

    def json(self, rng: random.Random) -> Body:
        """As the technician states it."""
        body: Body = {
            "name": "gauge", "kind": self.kind, "resolution": self.division, "permissible_error": [self.a, self.b],
            "unit": "in" if self.inches or self.fraction else "mm",
        }  # fmt: skip
        if self.zero:
            body["zero"] = self.zero
        if self.tilt:
            body["parallel_within_deg"] = self.tilt
        if self.record:
            s = self.spread * self.step
            seen = math.sqrt(sum(rng.gauss(0, s) ** 2 for _ in range(self.record)) / self.record)
            body["repeats"] = {"s": max(seen, 1e-4), "dof": self.record}
        return body

    @property
    def step(self) -> float:
        """What it is read to, mm."""
        return 25.4 / self.fraction if self.fraction else self.division


class Gauged:
    """One instrument in one hand on one day: its error at each length is what it is."""

    def __init__(self, gauge: Gauge, rng: random.Random) -> None:
        self.gauge, self.rng = gauge, rng
        self._local: dict[str, float] = {}
        theta = rng.choice((-1, 1)) if gauge.how == "limit" else rng.uniform(-1, 1)
        self.theta = math.radians(gauge.tilt) * theta

    def own(self, where: str, length: float) -> float:
        """Anywhere within what is permitted, the same whenever the same length is read."""
        at = self._local.setdefault(where, self.rng.uniform(-1, 1))
        return at * (self.gauge.a + self.gauge.b * abs(length))

    def read(self, where: str, length: float, *, short: bool = False, times: int = 0) -> list[Any]:
        """Readings of a length, as typed."""
        g = self.gauge
        askew = length * math.cos(self.theta) if short else length / math.cos(self.theta)
        found: list[Any] = []
        for _ in range(times or g.readings):
            shown = askew + self.own(where, length) + g.zero + self.rng.gauss(0, g.spread * g.step)
            found.append(self.typed(round(shown / g.step) * g.step))
        return found

    def typed(self, shown: float) -> Any:
        """As a technician writes it down; fractions in lowest terms."""
        g = self.gauge
        if not g.fraction:
            return f"{shown / 25.4:.4f} in" if g.inches else round(shown, 4)
        parts = round(abs(shown) / 25.4 * g.fraction)
        whole, rest = divmod(parts, g.fraction)
        sign = "-" if shown < 0 else ""
        if not rest:
            return f"{sign}{whole} in"
        common = math.gcd(rest, g.fraction)
        top = f"{rest // common}/{g.fraction // common} in"
        return f"{sign}{whole} {top}" if whole else f"{sign}{top}"


# What is made and read: each gives (input, {quantity: true error in its unit})


@dataclass(frozen=True)
class World:
    """A machine and a gauge, and what the technician knows of them."""

    gauge: Gauge
    scatter: float = 0.015
    scatter_known: bool = True
    kerf: float = 0.0
    unequal: bool = False
    size: float = 400.0
    rough: float = 0.0
    tolerance: float = 0.0
    inches: bool = False
    again: str = ""

    def later(self, rng: random.Random) -> random.Random:
        """What happens once the machine is what it is: another time, other noise."""
        return random.Random(f"{rng.random()} {self.again}")

    def body(self, rng: random.Random, procedure: str, values: Body, piece: Body, T: Body, **more: Any) -> Body:
        """The input, without readings."""
        machine: Body = {"decimals": 6, "values": values}
        if self.inches:
            machine |= {"units": "in", "resolution_form": "steps_per_inch"}
        body = {
            "procedure": procedure, "machine": machine, "piece": piece, "instrument": self.gauge.json(rng),
            "tolerance": T, **more,
        }  # fmt: skip
        if self.scatter_known:
            seen = math.sqrt(sum(rng.gauss(0, self.scatter) ** 2 for _ in range(12)) / 12)
            body["piece_scatter"] = {"s": max(seen, 1e-4), "dof": 12}
        return body


Made = tuple[Body, dict[str, float]]


def near(rng: random.Random, value: float, least: float) -> float:
    """A tolerance such that the answer is often close."""
    return max(abs(value) * rng.uniform(0.5, 1.9), least)


def steps(world: World) -> float:
    """In the controller."""
    return 106.667 * 25.4 if world.inches else 106.667


def rectangle(world: World, rng: random.Random, *, single: bool = False, drawn: bool = False) -> Made:
    """The stepped outline; single: its long lengths alone, with a kerf known to ±0.04."""
    x, y = (Axis(rng.uniform(-0.002, 0.002), 0.0 if drawn else rng.uniform(0.0, 0.14)) for _ in range(2))
    kerf = rng.uniform(5.8, 6.2)
    rng = world.later(rng)
    sizes = {"width": (x, world.size), "height": (y, 0.75 * world.size),
             "short_width": (x, 0.3 * world.size), "short_height": (y, 0.225 * world.size)}  # fmt: skip
    c = 0.0 if drawn else 6.0
    gauged, readings = Gauged(world.gauge, rng), []
    for m, (axis, n) in sizes.items():
        if single and m.startswith("short"):
            continue
        path = axis.between(-c / 2, n + c / 2)
        made = path - (0.0 if drawn else kerf) + rng.gauss(0, world.scatter)
        readings.append({"measurand": m, "values": gauged.read(m, made)})
    values: Body = {"x_steps": steps(world), "y_steps": steps(world)}
    if single:
        known = kerf + rng.gauss(0, 0.02)
        values["kerf"] = {"value": f"{known} mm", "expanded_uncertainty": 0.04 / (25.4 if world.inches else 1)}
    truth = {"x_steps": 1000 * x.s, "y_steps": 1000 * y.s}
    T = {q: near(rng, e, 0.02) for q, e in truth.items()}
    piece = {"width": world.size, "height": 0.75 * world.size, "short_width": 0.3 * world.size,
             "short_height": 0.225 * world.size, "compensation": c, "made_by": "drawn" if drawn else "cut"}  # fmt: skip
    body = world.body(rng, "rectangle", values, piece, T)
    return body | {"readings": readings}, truth


def lines(world: World, rng: random.Random) -> Made:
    """Reference lines: all drawn from one side."""
    truth, readings = {}, []
    scales = {a: rng.uniform(-0.001, 0.001) for a in ("x", "y")}
    rng = world.later(rng)
    gauged = Gauged(world.gauge, rng)
    for a, n in (("x", 2.5 * world.size), ("y", 1.5 * world.size)):
        s = scales[a]
        made = n * (1 + s) + rng.gauss(0, world.scatter)
        readings.append({"measurand": f"{a}_lines", "values": gauged.read(a, made)})
        truth[f"{a}_steps"] = 1000 * s
    T = {q: near(rng, e, 0.02) for q, e in truth.items()}
    piece = {"x_span": 2.5 * world.size, "y_span": 1.5 * world.size, "spacing": 100}
    body = world.body(rng, "reference-lines", {"x_steps": steps(world), "y_steps": steps(world)}, piece, T)
    return body | {"readings": readings}, truth


def overprint(world: World, rng: random.Random) -> Made:
    """Ticks over a print: each beside its place, one way a roll creeps between them, the sheet lies askew and its
    printer makes lengths of its own.
    """
    scales = {a: rng.uniform(-0.006, 0.006) for a in ("x", "y")}
    rng = world.later(rng)
    gauged, readings, truth = Gauged(world.gauge, rng), [], {}
    turn, printer = rng.uniform(-0.02, 0.02), [1 + rng.uniform(-0.03, 0.03) for _ in "xy"]
    for a, across, n in (("x", "y", 160.0), ("y", "x", 210.0)):
        along = (1 + scales[a]) * math.cos(turn) ** 2 + (1 + scales[across]) * math.sin(turn) ** 2
        made = n * along + rng.gauss(0, 0.03) - rng.gauss(0, 0.03) + (rng.gauss(0, 0.025) if a == "y" else 0.0)
        readings.append({"measurand": a, "values": gauged.read(a, made)})
        truth[f"print_scale_{a}"] = 1000 * scales[a]
    T = {q: near(rng, e, 0.1) for q, e in truth.items()}
    held = {"print_scale_x": 100.0, "print_scale_y": 100.0}
    piece = {"x": 160, "y": 210, "size": [210, 297], "bars": [100 * p for p in printer], "fed": "y"}
    return world.body(rng, "print-scale", held, piece, T) | {"readings": readings}, truth


def travel(world: World, rng: random.Random, *, off: bool = False) -> Made:
    """A rule beside the axis, its zero anywhere."""
    axis = Axis(rng.uniform(-0.002, 0.002), rng.uniform(0.0, 0.15))
    targets = [0.0, 170.0, 410.0, 560.0, 790.0, 1000.0]
    stored = round(rng.uniform(0, 0.2), 3) if off else 0.0
    rng = world.later(rng)
    zero, gauged, readings = rng.uniform(-3, 3), Gauged(world.gauge, rng), []
    seen: dict[str, list[Any]] = {}
    for _ in range(world.gauge.readings):
        walk = axis.walk(-20.0, *targets, 1020.0, *targets[::-1])
        stops = list(zip([f"up_{i}" for i in range(1, 7)], walk[1:7], targets, strict=True))
        stops += list(zip([f"down_{i}" for i in range(6, 0, -1)], walk[8:], targets[::-1], strict=True))
        for m, at, p in stops:
            rests = at + zero + rng.gauss(0, 0.003)
            seen.setdefault(m, []).extend(
                gauged.read(f"{p}", rests, short=world.gauge.kind in ("rule", "tape"), times=1)
            )
    readings = [{"measurand": m, "values": v} for m, v in seen.items()]
    truth = {"x_steps": 1000 * axis.s, "x_backlash": axis.B - stored}
    T = {"x_steps": near(rng, truth["x_steps"], 0.02), "x_backlash": near(rng, truth["x_backlash"], 0.01)}
    values = {"x_steps": steps(world), "x_backlash": stored / (25.4 if world.inches else 1)}
    body = world.body(rng, "travel-run", values, {"axis": "x", "targets": targets, "length": 1000,
                                                  "compensation_off": off}, T)  # fmt: skip
    return body | {"readings": readings}, truth


def dial(world: World, rng: random.Random, *, off: bool = False) -> Made:
    """A dial that the axis leaves and comes back to; zeroed to its division each time."""
    B, stored = rng.uniform(0.0, 0.25), round(rng.uniform(0.0, 0.2), 3)
    rng = world.later(rng)
    left = B - stored
    shows = B if off else left
    g, gauged, values = world.gauge, Gauged(world.gauge, rng), []
    for _ in range(g.readings):
        zeroed = rng.uniform(-0.5, 0.5) * g.step
        rests = shows + zeroed + rng.gauss(0, 0.003)
        values += gauged.read("return", rests, times=1)
    truth = {"x_backlash": left}
    T = {"x_backlash": near(rng, left, 0.01)}
    held = stored / 25.4 if world.inches else stored
    body = world.body(rng, "backlash", {"x_backlash": held}, {"axis": "x", "travel": 10, "compensation_off": off}, T)
    return body | {"readings": [{"measurand": "return", "values": values}]}, truth


def corner(world: World, rng: random.Random) -> Made:
    """A drawn rectangle under lean and unlike scales, measured corner to corner."""
    gamma, sx, sy = rng.uniform(-0.003, 0.003), rng.uniform(-1e-3, 1e-3), rng.uniform(-1e-3, 1e-3)
    rng = world.later(rng)
    w, h = world.size, 0.75 * world.size

    def at(x: float, y: float) -> tuple[float, float]:
        X, Y = x * (1 + sx), y * (1 + sy)
        return X + Y * math.sin(gamma), Y * math.cos(gamma)

    places = {"width": ((0, h / 2), (w, h / 2)), "height": ((w / 2, 0), (w / 2, h)),
              "diagonal_1": ((0, 0), (w, h)), "diagonal_2": ((w, 0), (0, h))}  # fmt: skip
    gauged, readings = Gauged(world.gauge, rng), []
    for m, (p, q) in places.items():
        made = math.dist(at(*p), at(*q)) + rng.gauss(0, world.scatter)
        # Both diagonals are nominally alike: the instrument is read at the same place of its scale.
        readings.append({"measurand": m, "values": gauged.read(m.split("_")[0], made)})
    truth = {"squareness": 1000 * math.tan(gamma)}
    T = {"squareness": near(rng, truth["squareness"], 0.02)}
    piece = {"figure": "rectangle", "width": w, "height": h, "made_by": "drawn"}
    body = world.body(rng, "squareness", {"squareness": 0.0}, piece, T)
    body["machine"]["gantry"] = 1180
    return body | {"readings": readings}, truth


def circle(world: World, rng: random.Random) -> Made:
    """A drawn circle: one trip round, with play in both axes, measured between jaws."""
    gamma, sx, sy = rng.uniform(-0.003, 0.003), rng.uniform(-1e-3, 1e-3), rng.uniform(-1e-3, 1e-3)
    play = (rng.uniform(0, 0.15), rng.uniform(0, 0.15)) if world.unequal else (0.05, 0.05)
    D, way = world.size, rng.choice((-1, 1))
    at, points = [D / 2, 0.0], []
    for k in range(-180, 721):  # half a turn to take up the slack
        phi = way * math.radians(k / 2)
        motor = (D / 2 * math.cos(phi) * (1 + sx), D / 2 * math.sin(phi) * (1 + sy))
        at = [min(max(at[i], motor[i] - play[i] / 2), motor[i] + play[i] / 2) for i in (0, 1)]
        if k >= 0:
            points.append((at[0] + at[1] * math.tan(gamma), at[1]))
    gauged, readings = Gauged(world.gauge, rng), []
    for m, deg in (("d_0", 0), ("d_45", 45), ("d_90", 90), ("d_135", 135)):
        u = (math.cos(math.radians(deg)), math.sin(math.radians(deg)))
        along = [p[0] * u[0] + p[1] * u[1] for p in points]
        made = max(along) - min(along) + rng.gauss(0, world.scatter)
        readings.append({"measurand": m, "values": gauged.read("d", made)})
    truth = {"squareness": 1000 * math.tan(gamma)}
    T = {"squareness": near(rng, truth["squareness"], 0.02)}
    piece = {"figure": "circle", "width": D, "made_by": "drawn"}
    body = world.body(rng, "squareness", {"squareness": 0.0}, piece, T)
    return body | {"readings": readings}, truth


def home(world: World, rng: random.Random) -> Made:
    """Lines from the stock's edges; the stock seated by hand."""
    gauged, readings, truth = Gauged(world.gauge, rng), [], {}
    for a in ("x", "y"):
        off = rng.uniform(-0.6, 0.6)
        made = 30.0 + off + rng.gauss(0, 0.03)
        readings.append({"measurand": f"{a}_edge", "values": gauged.read(a, made)})
        truth[f"{a}_home"] = off
    T = {q: near(rng, e, 0.01) for q, e in truth.items()}
    body = world.body(rng, "home", {"x_home": 0.0, "y_home": 0.0}, {"distance": 30}, T)
    return body | {"readings": readings}, truth


def bed(world: World, rng: random.Random, *, flat: bool = False) -> Made:
    """Heights on a grid; flat: a dead flat one."""
    tilt = (0.0, 0.0) if flat else (rng.uniform(-3e-4, 3e-4), rng.uniform(-3e-4, 3e-4))
    hollow = 0.0 if flat else rng.uniform(-0.2, 0.3)
    gauged, readings, heights = Gauged(world.gauge, rng), [], []
    for c in range(5):
        for r in range(4):
            u, v = c / 2 - 1, 2 * r / 3 - 1
            z = tilt[0] * 600 * u + tilt[1] * 400 * v - hollow * (1 - u * u) * (1 - v * v)
            heights.append(z)
            readings.append({"measurand": f"h_{c + 1}_{r + 1}", "values": gauged.read(f"{c}{r}", z)})
    truth = {"bed": max(heights) - min(heights)}
    T = {"bed": near(rng, truth["bed"], 0.02)}
    piece = {"columns": 5, "rows": 4, "x": 40, "y": 40, "width": 1200, "height": 800}
    body = world.body(rng, "bed", {"bed": 0.0}, piece, T)
    return body | {"readings": readings}, truth


def tram(world: World, rng: random.Random) -> Made:
    """A dial swung round."""
    gauged, readings, truth, R = Gauged(world.gauge, rng), [], {}, 120.0
    for a in ("x", "y"):
        tilt = rng.uniform(-1.5, 1.5)
        for side, sign in (("high", 1), ("low", -1)):
            values = gauged.read(f"{a}{side}", 0.5 + sign * tilt * R / 1000)
            readings.append({"measurand": f"{a}_{side}", "values": values})
        truth[f"{a}_tram"] = tilt
    T = {q: near(rng, e, 0.02) for q, e in truth.items()}
    piece = {"run": "tram", "radius": R, "mount": 140}
    return world.body(rng, "bed", {"x_tram": 0.0, "y_tram": 0.0}, piece, T) | {"readings": readings}, truth


def track(world: World, rng: random.Random) -> Made:
    """A roll that drifts and slips."""
    drift, slip = rng.uniform(-0.4, 0.4), rng.uniform(0.01, 0.08)
    gauged, readings, at = Gauged(world.gauge, rng), [], 0.0
    for k in range(1, 9):
        at += drift + rng.gauss(0, slip)
        readings.append({"measurand": f"trip_{k}", "values": gauged.read(f"{k}", at)})
    worse = drift if abs(drift) > 2 * slip else 2 * slip
    T = {"tracking": near(rng, worse, 0.02)}
    piece = {"run": "tracking", "axis": "x", "length": 1500, "trips": 8}
    body = world.body(rng, "travel-run", {"x_steps": steps(world)}, piece, T)
    return body | {"readings": readings}, {"tracking": worse}


def ladder(world: World, rng: random.Random) -> Made:
    """Rungs; above the limit steps are lost, to either side."""
    limit, held = rng.uniform(5000, 11500), rng.choice((6000, 7200, 8400, 9600))
    feeds = [4000.0 + 500 * i for i in range(17)]
    gauged, readings = Gauged(world.gauge, rng), []
    for i, feed in enumerate(feeds, 1):
        values = []
        for _ in range(2):
            lost = rng.choice((-1, 1)) * rng.uniform(0.25, 2.0) if feed > limit else 0.0
            values += gauged.read(f"{i}", lost, times=1)
        readings.append({"measurand": f"rung_{i}", "values": values})
    piece = {"axis": "x", "feeds": feeds, "run": 1200, "acceleration": 400, "share": 0.8}
    body = world.body(rng, "speed", {"x_speed": held, "x_steps": 106.667}, piece, {"x_speed": 300})
    return body | {"readings": readings}, {"x_speed": held - 0.8 * limit}


# The rows

CALIPER = Gauge()
DIAL = Gauge("dial", 0.01, 0.006, 0.0, 0.6)
RULE = Gauge("rule", 0.5, 0.1, 5e-5, 0.3)
TAPE = Gauge("tape", 1.0, 0.3, 1e-4, 0.25)


def with_faults(gauge: Gauge) -> dict[str, Gauge]:
    """One gauge in all the ways that technicians use it."""
    return {
        "as it should be": replace(gauge, a=0.0, b=0.0),
        "its own error at each length": gauge,
        "its own error rules": replace(gauge, spread=0.1, a=5 * gauge.a, b=5 * gauge.b),
        "one reading": replace(gauge, readings=1),
        "no record": replace(gauge, record=0),
        "no record, one reading": replace(gauge, record=0, readings=1),
        "coarse": replace(gauge, division=10 * gauge.division, spread=0.2, record=0),
        "in 1/16 in": replace(gauge, fraction=16, spread=0.25, record=0),
        "in 1/64 in": replace(gauge, fraction=64, spread=0.4, record=0, readings=5),
        "in decimal inches": replace(gauge, inches=True),
        "tilt": replace(gauge, tilt=0.8),
        "tilt at the limit": replace(gauge, tilt=0.8, how="limit"),
        "zero off": replace(gauge, zero=0.07),
    }


def rows(names: list[str]) -> dict[str, tuple[Callable[[World, random.Random], Made], World]]:
    """Everything that is tried: name → (what makes it, in which world)."""
    found: dict[str, tuple[Callable[[World, random.Random], Made], World]] = {}

    def add(name: str, make: Callable[[World, random.Random], Made], world: World) -> None:
        if not names or any(name.startswith(n) for n in names):
            found[name] = (make, world)

    for words, gauge in with_faults(CALIPER).items():
        add(f"rectangle, {words}", rectangle, World(gauge))
        add(f"reference lines, {words}", lines, World(replace(gauge, kind="rule"), 0.04))
        add(f"print scale, {words}", overprint, World(gauge, scatter_known=False))
        add(f"squareness, {words}", corner, World(gauge, 0.03))
        add(f"home, {words}", home, World(gauge))
    add("rectangle, inch controller", rectangle, World(CALIPER, inches=True))
    add("rectangle, no record of pieces", rectangle, World(CALIPER, scatter_known=False))
    add("rectangle, rule", rectangle, World(replace(RULE, readings=3)))
    add("rectangle, drawn", lambda w, r: rectangle(w, r, drawn=True), World(CALIPER, 0.04))
    add("rectangle, single lengths", lambda w, r: rectangle(w, r, single=True), World(CALIPER))
    add("rectangle, single lengths, inch", lambda w, r: rectangle(w, r, single=True), World(CALIPER, inches=True))
    for words, gauge in with_faults(RULE).items():
        add(f"travel run, {words}", travel, World(replace(gauge, division=min(gauge.division, 1.0)), 0.0))
    add("travel run, tape", travel, World(TAPE))
    add("travel run, inch controller", travel, World(replace(RULE, division=0.1, a=0.02), inches=True))
    add("travel run, compensation off", lambda w, r: travel(w, r, off=True), World(replace(RULE, division=0.1, a=0.02)))
    for words, gauge in with_faults(DIAL).items():
        if "tilt" in words:
            continue
        if "1/" in words:
            continue  # no dial is divided so
        add(f"backlash, {words}", dial, World(replace(gauge, readings=5 if gauge.readings == 3 else gauge.readings)))
        add(f"bed, {words}", bed, World(gauge))
        add(f"tram, {words}", tram, World(gauge))
        add(f"tracking, {words}", track, World(gauge))
    add("backlash, compensation off", lambda w, r: dial(w, r, off=True), World(replace(DIAL, readings=5)))
    add("backlash, inch controller", dial, World(replace(DIAL, readings=5), inches=True))
    add("bed, dead flat", lambda w, r: bed(w, r, flat=True), World(DIAL))
    add(
        "bed, dead flat, one reading, no record",
        lambda w, r: bed(w, r, flat=True),
        World(replace(DIAL, readings=1, record=0)),
    )
    add(
        "bed, dead flat, coarse",
        lambda w, r: bed(w, r, flat=True),
        World(replace(DIAL, division=0.1, spread=0.3, record=0)),
    )
    add("squareness, circle", circle, World(CALIPER, 0.03))
    add("squareness, circle, unequal play", circle, World(CALIPER, 0.03, unequal=True))
    add("speed, dial", ladder, World(DIAL))
    add("speed, rule", ladder, World(replace(RULE, division=1.0, record=0, spread=0.1)))
    return found


# Misreads: what a tired technician types


def slipped(rng: random.Random, body: Body) -> str:
    """One thing wrong with the readings of one length; says what."""
    lengths = [r for r in body["readings"] if all(isinstance(v, (int, float)) for v in r["values"])]
    entry = rng.choice(lengths)
    values = entry["values"]
    kinds = ["ten in one", "ten in all", "inches", "three times", "swapped"]
    kind = rng.choice([k for k in kinds if k != "swapped" or len(lengths) > 1])
    if kind == "ten in one":
        i = rng.randrange(len(values))
        values[i] = round(values[i] + rng.choice((-10, 10)), 4)
        kind = kind if len(values) > 2 else "ten in one of two"
    elif kind == "ten in all":
        by = rng.choice((-10, 10))
        entry["values"] = [round(v + by, 4) for v in values]
    elif kind == "inches":
        entry["values"] = [round(v / 25.4, 4) for v in values]
    elif kind == "three times":
        by = rng.choice((3.0, 1 / 3))
        entry["values"] = [round(v * by, 4) for v in values]
    else:
        other = rng.choice([r for r in lengths if r is not entry])
        entry["values"], other["values"] = other["values"], entry["values"]
    return kind


# Remedies: doing what the answer asks for


REMEDY = re.compile(
    r"(?P<more>One|Two|Three|Four|Five|Six|Seven) more readings? of each (?:length|stop) would settle it"
    r"|A (?:piece|run) (?P<long>\d+) mm long \(this one is \d+ mm\) would settle it"
    r"|(?P<pieces>One|Two|Three) more equal pieces? would settle it"
    r"|A measurement with the (?P<fine>fine one) would settle it"
)
COUNTS = {w: i for i, w in enumerate(("Zero", "One", "Two", "Three", "Four", "Five", "Six", "Seven"))}


def obeyed(make: Callable[[World, random.Random], Made], world: World, seed: str) -> bool | None:
    """Whether what the answer promised came true; None where it promised nothing that can be done here.

    More readings are of the same piece, by the same hand; a longer piece comes from the same machine.
    """
    had = world.gauge.readings
    full, _ = make(replace(world, gauge=replace(world.gauge, readings=had + 7)), random.Random(seed))
    at_hand = [FINE.json(random.Random(seed)) | {"name": "fine one", "reach": 5000}]
    body = first_of(full, had) | {"largest_size": 3 * world.size, "instruments_at_hand": at_hand}
    for finding in solved(body)["findings"]:
        promised = REMEDY.match(finding["notes"][0]) if finding["verdict"] == "cannot_tell" else None
        if not promised or promised["pieces"] or (promised["long"] and "width" not in body["piece"]):
            continue
        if promised["fine"]:
            again, _ = make(replace(world, gauge=FINE, again="finer"), random.Random(seed))
            again |= {k: body[k] for k in KEPT} | {"instrument": at_hand[0]}
        elif promised["more"]:
            again = first_of(full, had + COUNTS[promised["more"]])
        else:
            longest = max(body["piece"].get(k, 0.0) for k in ("width", "length", "x_span"))
            size = world.size * int(promised["long"]) / longest
            again, _ = make(replace(world, size=size, again="longer"), random.Random(seed))
            again |= {k: body[k] for k in (*KEPT, "instrument")}
        judged = next((f for f in solved(again)["findings"] if f["quantity"] == finding["quantity"]), None)
        if judged is None:  # it is asked about instead: that settles nothing
            return False
        return judged["verdict"] in ("in", "out")
    return None


KEPT = ("tolerance", "piece_scatter")  # what the shop knew stays what it knows
FINE = Gauge(division=0.001, a=0.003, b=1e-6, spread=2.0, record=20)


def first_of(body: Body, n: int) -> Body:
    """Only the first n readings of each."""
    return body | {"readings": [r | {"values": r["values"][:n]} for r in body["readings"]]}


@dataclass
class Tally:
    """What became of one row's findings."""

    told: int = 0
    inside: int = 0
    bad: int = 0
    false_in: int = 0
    good: int = 0
    false_out: int = 0
    alarms: int = 0
    silent: int = 0
    findings: int = 0

    def add(self, finding: Mapping[str, Any], true: float, T: float, *, one_sided: bool) -> None:
        """Count one."""
        self.findings += 1
        verdict = finding["verdict"]
        self.alarms += verdict == "implausible"
        if finding["error"] is None:
            self.silent += verdict == "unresolved"
            return
        self.told += 1
        self.inside += abs(finding["error"] - true) <= finding["expanded_uncertainty"]
        harm = max(true, 0.0) if one_sided else abs(true)
        self.bad += harm > T
        self.false_in += harm > T and verdict == "in"
        self.good += harm <= T
        self.false_out += harm <= T and verdict == "out"

    def __str__(self) -> str:
        def share(part: int, whole: int) -> str:
            return f"{100 * part / whole:5.1f} %" if whole else "    – "

        return (
            f"covers {share(self.inside, self.told)}   false in {share(self.false_in, self.bad)}   false out "
            f"{share(self.false_out, self.good)}   asks {share(self.alarms, self.findings)}   open "
            f"{share(self.silent, self.findings)}"
        )


def solved(body: Body) -> Body:
    """Through the front door, as the command line does."""
    from keen_compass.procedures import load
    from keen_compass.procedures.case_input import case_from_json
    from keen_compass.words.answers import solution_as_json
    from keen_compass.words.say import Show

    case = case_from_json(body)
    return solution_as_json(load(case.procedure).solve(case), Show(case.controller_units))


def tallied(
    name: str, count: int, made: Callable[[random.Random], Made], true_of: Callable[[Body, dict[str, float]], float],
    found: Callable[[Body], list[Body]] = lambda body: solved(body)["findings"],
) -> Tally:  # fmt: skip
    """One row. true_of: what is true of a finding, which it may look at, of everything that is."""
    rng, tally = random.Random(name), Tally()
    while tally.findings < count:
        body, truth = made(rng)
        for finding in found(body):
            if finding["quantity"] in truth:
                true = true_of(finding, truth)
                tally.add(finding, true, finding["tolerance"], one_sided=finding["quantity"].endswith("speed"))
    return tally


def run(task: tuple[str, int]) -> tuple[str, Tally]:
    """One row."""
    name, count = task
    make, world = rows([name])[name]

    def true_of(finding: Body, truth: dict[str, float]) -> float:
        q = finding["quantity"]
        if q == "tracking" and finding["error"] is not None:  # which of drift and slip is worse has no sign
            finding["error"] = abs(finding["error"])
            return abs(truth[q])
        return truth[q]

    return name, tallied(name, count, lambda rng: make(world, rng), true_of)


def asked_for(findings: int) -> tuple[int, list[str]]:
    """(findings per row, names that rows begin with) from the command line."""
    words = sys.argv[1:]
    return int(words.pop(0)) if words and words[0].isdigit() else findings, words


def show(run: Callable[[tuple[str, int]], tuple[str, Tally]], names: Iterable[str], count: int) -> None:
    """Every row, worked out on all processors and printed in order."""
    with ProcessPoolExecutor() as pool:
        for name, tally in pool.map(run, [(name, count) for name in names]):
            print(f"{name:48}{tally}", flush=True)


READ = {"rectangle": rectangle, "reference lines": lines, "squareness": corner, "home": home}


def misread(task: tuple[str, int]) -> tuple[str, dict[str, tuple[int, int]]]:
    """Kind of slip → (asked about, how many)."""
    name, count = task
    rng, found = random.Random(name), dict[str, tuple[int, int]]()
    for _ in range(count):
        body, _ = READ[name](World(CALIPER), rng)
        kind = slipped(rng, body)
        asked = any(f["verdict"] == "implausible" for f in solved(body)["findings"])
        caught, of = found.get(kind, (0, 0))
        found[kind] = (caught + asked, of + 1)
    return name, found


WORTH_OBEYING = {
    "rectangle": (rectangle, World(replace(CALIPER, spread=3.0, a=0.004), 0.004)),
    "rectangle, pieces differ": (rectangle, World(CALIPER)),
    "reference lines": (lines, World(replace(RULE, division=0.1, spread=1.5, a=0.01), 0.02)),
    "squareness": (corner, World(replace(CALIPER, spread=4.0), 0.008)),
    "travel run": (travel, World(replace(RULE, division=0.1, spread=1.0, a=0.01))),
    "backlash": (dial, World(replace(DIAL, spread=1.5, readings=3))),
    "bed": (bed, World(replace(DIAL, spread=2.0))),
    "home": (home, World(replace(CALIPER, spread=4.0, a=0.004))),
}  # fmt: skip


def remedies(task: tuple[str, int]) -> tuple[str, int, int]:
    """(row, promises that came true, promises)."""
    name, count = task
    make, world = WORTH_OBEYING[name]
    told = [obeyed(make, world, f"{name} {seed}") for seed in range(count)]
    return name, sum(t is True for t in told), sum(t is not None for t in told)


def main() -> None:
    """Measure and print."""
    count, words = asked_for(FINDINGS)
    show(run, rows(words), count)
    with ProcessPoolExecutor() as pool:
        for name, found in pool.map(misread, [(n, count) for n in READ if not words or n in words]):
            shares = ", ".join(f"{kind} {100 * c / n:.1f} % of {n}" for kind, (c, n) in sorted(found.items()))
            print(f"{name}, misread: asked about {shares}", flush=True)
        for name, true, promised in pool.map(
            remedies, [(n, 3 * count) for n in WORTH_OBEYING if not words or any(n.startswith(w) for w in words)]
        ):
            share = f"{100 * true / promised:.1f} %" if promised else "–"
            print(f"{name}, remedies: {share} of {promised} promises came true (target 90)", flush=True)


if __name__ == "__main__":
    main()
