"""Every procedure before one physics that knows nothing of the solver, row by row, and what its answers are worth.

What a process, a hand and an instrument really do: pieces scatter by process, hands by kind of instrument, an
instrument is off by an error that waves along its scale inside its limits, pieces taper, sheets bow, and now and then
someone misreads, swaps, drops a sign or types inches. Faults come in both signs. Answers are asked for through the
front door, as JSON.

    python bench/audit.py [findings per row] [procedure …]     the table of bench/README.md
    python bench/audit.py slips [cases per kind]               what is asked about when something is misread

Columns: covered (stated 95 % intervals that hold the truth), false in (of those that are out), U ÷ actual (one
over the 95 % quantile of |error of the answer| ÷ U), can't tell (share ÷ what any honest program needs for such a U),
settled (can't tells with a remedy or a note that there is none).
"""

from __future__ import annotations

import math
import random
import sys
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field, replace
from typing import Any

from foreign import Body, solved

IN = 25.4
SCATTER = {"router": 0.03, "laser": 0.03, "plasma": 0.10, "knife": 0.05, "pen": 0.03}
HAND = {"caliper": 0.02, "micrometer": 0.005, "tape": 0.25, "dial": 0.005}


def hand_of(kind: str, division: float) -> float:
    """What a hand does with an instrument: a rule's end is brought to an edge by eye."""
    return max(division / 4, 0.1) if kind == "rule" else division / 2 if kind == "dial" else HAND.get(kind, division)


@dataclass(frozen=True)
class Row:
    """What is otherwise than usual. times: of the division. scatter, hand: mm, in place of the usual ones.

    record: degrees of freedom of what the shop knows of its instrument; 0 none. local: an error of its own at every
    length, anywhere inside its limits. bent: mm, of a taper or a bow. learnt: what earlier equal pieces showed counts.
    """

    coarse: float = 1.0
    readings: int = 3
    record: int = 12
    inches: bool = False
    local: bool = False
    bent: float = 0.0
    scatter: float = 0.0
    hand: float = 0.0
    learnt: bool = False


ROWS = {
    "usual": Row(), "coarse": Row(coarse=5.0), "one reading": Row(readings=1, record=0), "no record": Row(record=0),
    "inches": Row(inches=True), "local error": Row(local=True), "bow or taper": Row(bent=0.03),
    # Printed, and held to nothing: a shop rougher than anybody assumes, on its first piece and on its third.
    "rough": Row(scatter=0.08, hand=0.1, record=0), "rough, third": Row(scatter=0.08, hand=0.1, learnt=True),
}  # fmt: skip


@dataclass
class Shop:
    """One machine, one instrument, one afternoon."""

    rng: random.Random
    row: Row
    kind: str = "caliper"
    division: float = 0.01
    a: float = 0.02
    b: float = 2e-5
    process: str = "router"
    _off: dict[Any, float] = field(default_factory=dict)

    def __post_init__(self) -> None:
        unit = IN / 10 if self.row.inches and self.kind != "rule" else 1.0  # a thou for a hundredth
        self.division *= self.row.coarse * (unit if unit == 1 else 0.254 * 10)
        if self.row.inches and self.kind == "rule":
            self.division = IN / 64 * self.row.coarse
        self.hand = self.row.hand or hand_of(self.kind, self.division)
        self.slope = self.rng.uniform(-1, 1) * self.b
        self.waves = [(self.rng.uniform(0.02, 0.9), self.rng.uniform(0, 7)) for _ in range(4)]

    def off(self, length: float) -> float:
        """What the instrument is wrong at a length: waves that stay inside its limits."""
        if self.row.local:
            return self._off.setdefault(round(length, 1), self.rng.uniform(-1, 1) * (self.a + self.b * abs(length)))
        wave = sum(math.sin(f * length + p) for f, p in self.waves) / 4
        return self.a * wave + self.slope * length

    def read(self, length: float) -> list[Any]:
        """Readings of a length as they are typed."""
        found: list[Any] = []
        for _ in range(self.row.readings):
            seen = length + self.off(length) + self.rng.gauss(0, self.hand)
            steps = round(seen / self.division)
            if self.row.inches:
                found.append(f"{steps * self.division / IN:.4f} in" if self.kind != "rule" else f"{steps}/64 in"
                             if self.row.coarse == 1 and steps else f"{steps * self.division / IN:.5f} in")  # fmt: skip
            else:
                found.append(round(steps * self.division, 6))
        return found

    def piece(self) -> float:
        """By how much this piece is otherwise than its equals."""
        return self.rng.gauss(0, self.row.scatter or SCATTER[self.process])

    def aim(self) -> float:
        """By how much an aim misses its mark."""
        return self.rng.gauss(0, self.row.hand or 0.05)

    def line(self) -> float:
        """By how much a drawn line lies beside where it was sent."""
        return self.rng.gauss(0, 0.03)

    def instrument(self) -> Body:
        """As it is in the input."""
        body: Body = {"name": self.kind, "kind": self.kind, "resolution": self.division,
                      "permissible_error": [self.a, self.b]}  # fmt: skip
        if self.row.record:
            n = self.row.record
            s = self.hand * math.sqrt(sum(self.rng.gauss(0, 1) ** 2 for _ in range(n)) / n)
            body["repeats"] = {"s": s, "dof": n}
        return body

    def asked(self, procedure: str, truth: dict[str, float], piece: Body, readings: Body, **more: Any) -> Case:
        """truth: error by quantity, in its error unit."""
        unit = "in" if self.row.inches else "mm"
        T = more.pop("T")
        machine = {"kind": self.process, "controller_units": unit, "decimals": 6, **more.pop("machine", {})}
        body = {"procedure": procedure, "machine": machine, "piece": piece, "tolerance": T,
                "readings": [{"measurand": m, "values": v} for m, v in readings.items()], **more}  # fmt: skip
        if self.row.learnt:
            body |= self.learnt()
        return Case({"instrument": self.instrument()} | body, truth)

    def learnt(self) -> Body:
        """What two equal pieces and two sheets before this one showed, pooled with what is usual."""
        usual, pieces = SCATTER[self.process], [self.piece() for _ in range(9)]
        aims = [self.aim() for _ in range(16)]
        s = math.sqrt((4 * usual**2 + sum(v * v for v in pieces[:6])) / 10)
        aim = math.sqrt((4 * 0.05**2 + sum(v * v for v in aims)) / 20)
        return {"piece_scatter": {"s": s, "dof": 10}, "aim": {"value": aim, "degrees_of_freedom": 20}}


@dataclass
class Case:
    """What is asked, and what is true."""

    body: Body
    truth: dict[str, float]
    hidden: dict[str, float] = field(default_factory=dict)  # what its machine is, besides


def known(value: float, U: float) -> Body:
    """As it is in the input."""
    return {"value": value, "expanded_uncertainty": U}


def near(rng: random.Random, T: float) -> float:
    """Errors uniform over twice the tolerance either way."""
    return rng.uniform(-2, 2) * T


# Motion


def rectangle(rng: random.Random, row: Row) -> Case:
    """Four lengths, long and short, cut with play and a kerf that nobody knows."""
    s = Shop(rng, row)
    K, c = rng.uniform(5.8, 6.3), 6.0
    play = {a: abs(rng.gauss(0, 0.07)) for a in "xy"}
    e = {a: near(rng, 0.8) for a in "xy"}  # mm per m
    sizes = {"width": (400, "x"), "short_width": (120, "x"), "height": (300, "y"), "short_height": (90, "y")}
    out = {}
    for m, (n, a) in sizes.items():
        taper = row.bent * rng.uniform(-1, 1)
        out[m] = s.read(n * (1 + e[a] / 1000) + c - K - play[a] + s.piece() + taper)
    piece = {"width": 400, "height": 300, "short_width": 120, "short_height": 90, "compensation": c}
    return s.asked("rectangle", {f"{a}_steps": e[a] for a in "xy"}, piece, out, T={"x_steps": 0.8, "y_steps": 0.8},
                   machine={"values": {"x_steps": 100.0, "y_steps": 100.0}})  # fmt: skip


def travel(rng: random.Random, row: Row) -> Case:
    """A run of six targets up and back, beside a rule."""
    s = Shop(rng, replace(row, inches=False), "rule", 0.1, 0.05, 2e-5)
    e, B, zero = near(rng, 0.4), near(rng, 0.1), rng.uniform(0, 20)
    out: Body = {}
    targets = [0, 170, 410, 560, 790, 1000]
    for i, p in enumerate(targets, 1):
        bow = row.bent * math.sin(math.pi * p / 1000)
        for name, d in ((f"up_{i}", 1), (f"down_{i}", -1)):
            out[name] = s.read(zero + p * (1 + e / 1000) - B / 2 * d + bow)
    truth, piece = {"x_steps": e, "x_backlash": B}, {"axis": "x", "length": 1000, "targets": targets}
    values = {"x_steps": 100.0, "x_backlash": 0.0}
    return s.asked("travel-run", truth, piece, out, T={"x_steps": 0.4, "x_backlash": 0.1}, machine={"values": values})


def backlash(rng: random.Random, row: Row) -> Case:
    """A dial that fails to return."""
    s = Shop(rng, row, "dial", 0.01, 0.006, 0.0)
    left = near(rng, 0.03)
    values = {"x_backlash": 2 / (IN if row.inches else 1)}
    return s.asked("backlash", {"x_backlash": left}, {"axis": "x", "travel": 10}, {"return": s.read(left)},
                   T={"x_backlash": 0.03}, machine={"values": values})  # fmt: skip


def square(rng: random.Random, row: Row, *, circle: bool = False) -> Case:
    """A drawn rectangle's sides and diagonals, or a circle's four diameters."""
    s = Shop(rng, row, process="pen")
    lean = near(rng, 0.8) / 1000
    sx, sy = rng.gauss(0, 5e-4), rng.gauss(0, 5e-4)
    if circle:
        D, play = 300.0, [abs(rng.gauss(0, 0.04)) for _ in "xy"]
        out, piece = {}, {"figure": "circle", "width": D, "made_by": "drawn"}
        for name, phi in (("d_0", 0), ("d_45", 45), ("d_90", 90), ("d_135", 135)):
            c, q = math.cos(math.radians(phi)), math.sin(math.radians(phi))
            width = D * math.hypot((1 + sx) * c, math.tan(lean) * c + (1 + sy) * q)
            differ = play[0] - play[1]
            width -= {0: play[0], 90: play[1], 45: -differ / math.sqrt(2), 135: differ / math.sqrt(2)}[phi]
            out[name] = s.read(width + s.piece() * math.sqrt(2))
    else:
        a, b = 400 * (1 + sx), 300 * (1 + sy)
        corners = {"width": a, "height": b, "diagonal_1": math.sqrt(a * a + b * b + 2 * a * b * math.sin(lean)),
                   "diagonal_2": math.sqrt(a * a + b * b - 2 * a * b * math.sin(lean))}  # fmt: skip
        out = {m: s.read(v + s.piece() + row.bent * rng.uniform(-1, 1)) for m, v in corners.items()}
        piece = {"figure": "rectangle", "width": 400, "height": 300, "made_by": "drawn"}
    return s.asked("squareness", {"squareness": 1000 * math.tan(lean)}, piece, out, T={"squareness": 0.8},
                   machine={"values": {"squareness": 0.0}})  # fmt: skip


def home(rng: random.Random, row: Row) -> Case:
    """Lines from the edges of stock that is seated against stops."""
    s = Shop(rng, row)
    e = {a: near(rng, 0.2) for a in "xy"}
    out = {f"{a}_edge": s.read(25 + e[a] + rng.gauss(0, 0.02)) for a in "xy"}
    return s.asked("home", {f"{a}_home": e[a] for a in "xy"}, {"distance": 25}, out,
                   T={"x_home": 0.2, "y_home": 0.2}, machine={"values": {"x_home": 4.0, "y_home": 6.5}})  # fmt: skip


def lines(rng: random.Random, row: Row) -> Case:
    """Scribed lines a metre apart, read with a rule."""
    s = Shop(rng, row, "rule", 0.1, 0.05, 3e-5, process="pen")
    e = {a: near(rng, 0.5) for a in "xy"}
    out = {f"{a}_lines": s.read(n * (1 + e[a] / 1000) + s.piece()) for a, n in (("x", 1000), ("y", 600))}
    truth, values = {f"{a}_steps": e[a] for a in "xy"}, {"x_steps": 100.0, "y_steps": 100.0}
    T = dict.fromkeys(truth, 0.5)
    return s.asked("reference-lines", truth, {"x_span": 1000, "y_span": 600}, out, T=T, machine={"values": values})


# Cut


def _axes(rng: random.Random, row: Row) -> tuple[dict[str, float], dict[str, float], Body]:
    """(scales, plays, as they are known): proven scales and measured play, each within its U."""
    scale = {a: rng.gauss(0, 1.5e-4) for a in "xy"}
    play = {a: rng.gauss(0, 0.02) for a in "xy"}
    values = {f"{a}_scale": known(0.0, 3e-4) for a in "xy"} | {f"{a}_lost_motion": known(0.0, 0.04) for a in "xy"}
    return scale, play, values


def plate(rng: random.Random, row: Row, *, process: str = "plasma", proven: bool = True) -> Case:
    """A plate with hole and slot."""
    s = Shop(rng, row, process=process)
    scale, play, values = _axes(rng, row)
    if not proven:
        scale, play, values = {a: rng.gauss(0, 1e-3) for a in "xy"}, {a: rng.gauss(0, 0.076) for a in "xy"}, {}
    T = 0.15
    c = {"plasma": 1.5, "router": 6.0, "laser": 0.2}[process]
    B = (play["x"] + play["y"]) / 2
    e, h = near(rng, T), rng.gauss(0, 0.2 if process == "plasma" else 0.05)
    K = c - e - B
    taper = {m: row.bent * rng.uniform(-1, 1) for m in ("width", "height", "slot")}
    sizes = {
        "width": 90 * (1 + scale["x"]) + c - K - play["x"], "height": 70 * (1 + scale["y"]) + c - K - play["y"],
        "slot": 12 * (1 + scale["x"]) - c + K - play["x"], "hole_0": 25 * (1 + scale["x"]) - c + K - play["x"] + h,
        "hole_90": 25 * (1 + scale["y"]) - c + K - play["y"] + h,
    }  # fmt: skip
    out = {m: s.read(v + s.piece() + taper.get(m, 0.0)) for m, v in sizes.items()}
    unit = IN if row.inches else 1
    piece = {"width": 90, "height": 70, "hole": 25, "slot": 12, "compensation": c, "thickness": 6}
    case = s.asked("kerf-square", {"kerf": e, "hole_bias": h}, piece, out, T={"kerf": T, "hole_bias": T},
                   machine={"values": {"kerf": c / unit, "hole_bias": 0.0, **values}})  # fmt: skip
    case.hidden = {f"{a}_scale": scale[a] for a in "xy"} | {f"{a}_play": play[a] for a in "xy"}
    return case


def ladder(rng: random.Random, row: Row) -> Case:
    """Seven outsides, each with more room."""
    s = Shop(rng, row, process="laser")
    scale, play, values = _axes(rng, row)
    T, c = 0.06, 0.3
    e = near(rng, T)
    K = c - e - play["x"]
    rooms = [round(0.15 + 0.05 * i, 3) for i in range(7)]
    out = {f"rung_{i}": s.read(40 * (1 + scale["x"]) + r - K - play["x"] + s.piece()) for i, r in enumerate(rooms, 1)}
    unit = IN if row.inches else 1
    return s.asked("kerf-ladder", {"kerf": e}, {"nominal": 40, "side": "outside", "compensations": rooms}, out,
                   T={"kerf": T}, machine={"values": {"kerf": c / unit, **values}})  # fmt: skip


def comb(rng: random.Random, row: Row) -> Case:
    """Ten strips pushed together."""
    s = Shop(rng, row, process="laser")
    _, play, values = _axes(rng, row)
    T, c, n = 0.06, 0.3, 10
    B, e = (play["x"] + play["y"]) / 2, near(rng, T)
    K = c - e - B
    slack = sum(K + s.piece() for _ in range(n + 1))
    unit = IN if row.inches else 1
    truth, out = {"kerf": c - K - B, "slot": c - K}, {"slack": s.read(slack)}
    return s.asked("kerf-comb", truth, {"strips": n, "window": 100}, out,
                   T={"kerf": T, "slot": T}, machine={"values": {"kerf": c / unit, **values}})  # fmt: skip


def bevel(rng: random.Random, row: Row) -> Case:
    """One size at both edges."""
    s = Shop(rng, row, process="plasma")
    u = abs(near(rng, 0.4))
    out = {"top": s.read(80 + s.piece()), "bottom": s.read(80 + 2 * u + s.piece())}
    return s.asked("bevel", {"bevel": u}, {"thickness": 10, "side": "outside"}, out, T={"bevel": 0.4})


# Heads and print


def _offset(rng: random.Random, row: Row, head: str, T: float) -> tuple[dict[str, float], Body, dict[str, float]]:
    """(d = true − held, values, true errors)."""
    d = {a: near(rng, T) for a in "xy"}
    unit = IN if row.inches else 1
    return d, {f"{head}_{a}": 40.0 / unit for a in "xy"}, {f"{head}_{a}": -d[a] for a in "xy"}


def pointer(rng: random.Random, row: Row, *, sheet: bool = True) -> Case:
    """Crosses beside printed targets, on a sheet that was aimed at by its four marks; or one mark."""
    s = Shop(rng, row, "rule", 0.1, 0.05, 0.0, process="pen")
    d, values, truth = _offset(rng, row, "pointer", 0.3)
    if not sheet:
        out = {a: s.read(-d[a] + s.aim() + s.line()) for a in "xy"}
        return s.asked("pointer", truth, {"way": "mark"}, out, T=dict.fromkeys(truth, 0.3), machine={"values": values})
    at = [[20, 20], [190, 20], [190, 270], [20, 270], [105, 145]]
    shift = {a: sum(s.aim() for _ in range(4)) / 4 for a in "xy"}
    turn, sx, sy = rng.gauss(0, 5e-4), rng.gauss(0, 5e-4), rng.gauss(0, 5e-4)
    out = {}
    for i, (x, y) in enumerate(at, 1):
        u, v = x - 105, y - 145
        bow = row.bent * (1 - (u / 85) ** 2)
        for a, g in (("x", sx * u - turn * v), ("y", sy * v + turn * u + bow)):
            out[f"t{i}_{a}"] = s.read(-d[a] + g + shift[a] + s.line())
    if row.bent:
        truth["pointer_y"] += row.bent * 0.2  # what a bow adds at the targets' mean place is the sheet's own
    return s.asked("pointer", truth, {"way": "sheet", "targets": at}, out, T=dict.fromkeys(truth, 0.3),
                   machine={"values": values})  # fmt: skip


def second(rng: random.Random, row: Row, *, vernier: bool = False) -> Case:
    """A cut, and a pair of lines astride it; or two scales."""
    s = Shop(rng, row, "rule", 0.1, 0.05, 0.0, process="pen")
    d, values, truth = _offset(rng, row, "second_tool", 0.3)
    out: Body = {}
    for a in "xy":
        if vernier:
            lies = d[a] + s.line() - s.line()
            out[f"{a}_coarse"] = s.read(lies)
            k = round((lies - math.floor(lies + 0.5)) / 0.05)
            out[f"{a}_line"] = [k]
        else:
            cut, high, low = s.line(), 5 + d[a] + s.line(), -5 + d[a] + s.line()
            out[f"{a}_high"], out[f"{a}_low"] = s.read(high - cut), s.read(cut - low)
    piece = {"way": "vernier", "pitch": 1.0, "divisions": 20} if vernier else {"way": "gaps", "spacing": 10}
    return s.asked("second-tool", truth, piece, out, T=dict.fromkeys(truth, 0.3), machine={"values": values})


def camera(rng: random.Random, row: Row) -> Case:
    """Five pictures of one drawn cross."""
    s = Shop(rng, row, process="pen")
    d, values, truth = _offset(rng, row, "camera", 0.15)
    mm, turn = rng.uniform(0.015, 0.03), math.radians(rng.uniform(-5, 5))
    cross = {a: s.line() for a in "xy"}
    seen = []
    moves = [[0, 0], [4, 0], [0, 4], [-4, 0], [0, -4]]
    for mx, my in moves:
        x, y = -(d["x"] + mx - cross["x"]), -(d["y"] + my - cross["y"])
        u, v = (x * math.cos(turn) + y * math.sin(turn)) / mm, (-x * math.sin(turn) + y * math.cos(turn)) / mm
        lens = 1 + row.bent * ((u / 600) ** 2 + (v / 600) ** 2) / 30
        seen.append([640 + u * lens + rng.gauss(0, 0.15), 480 - v * lens + rng.gauss(0, 0.15)])
    return s.asked("camera", truth, {"picture": [1280, 960], "moves": moves}, {"cross": seen},
                   T=dict.fromkeys(truth, 0.15), machine={"values": values})  # fmt: skip


def scale(rng: random.Random, row: Row) -> Case:
    """Ticks cut over a print, and the page's own bars."""
    s = Shop(rng, row, process="knife")
    e = {a: near(rng, 1.5) for a in "xy"}
    out = {a: s.read(n * (1 + e[a] / 1000) + s.line() - s.line()) for a, n in (("x", 150), ("y", 200))}
    out |= {f"bar_{a}": s.read(99.4) for a in "xy"}
    values = dict.fromkeys(("print_scale_x", "print_scale_y"), 100.0)
    return s.asked("print-scale", {f"print_scale_{a}": e[a] for a in "xy"}, {"x": 150, "y": 200, "bar": 100}, out,
                   T=dict.fromkeys(values, 1.5), machine={"values": values})  # fmt: skip


def borders(rng: random.Random, row: Row) -> Case:
    """The border left round a sticker; the largest deviation is asked for."""
    s = Shop(rng, row, "rule", 0.1, 0.05, 0.0)
    at = [[60, 10, 1, 0], [60, 30, 1, 0], [45, 40, 0, 1], [15, 40, 0, 1], [0, 30, -1, 0], [0, 10, -1, 0],
          [15, 0, 0, -1], [45, 0, 0, -1]]  # fmt: skip
    dx, dy = near(rng, 0.2), near(rng, 0.2)
    true = [dx * nx + dy * ny + rng.gauss(0, 0.03) for *_, nx, ny in at]
    out = {f"b{i}": s.read(2 + v) for i, v in enumerate(true, 1)}
    case = s.asked("proof", {}, {"border": 2, "places": at}, out, T={"proof": 0.25})
    case.truth = {"proof": true}  # type: ignore[dict-item]
    return case


def bands(rng: random.Random, row: Row) -> Case:
    """A printer's bands, by eye."""
    s = Shop(rng, row)
    step = 0.05 * min(row.coarse, 2.0)
    best = rng.uniform(-3, 3) * step
    seen = best / step + rng.gauss(0, 0.2 * (1.5 if row.hand else 1.0))
    at = min(max(round(2 * seen) / 2 + 5, 1), 9)
    return s.asked("media-feed", {"media_feed": -best}, {"corrections": [round(c * step, 3) for c in range(-4, 5)]},
                   {"pick": [at]}, T={"media_feed": 0.08}, machine={"values": {"media_feed": 0.0}})  # fmt: skip


def corners(rng: random.Random, row: Row) -> Case:
    """Corners cut with rising offsets, by eye."""
    s = Shop(rng, replace(row, inches=False), process="knife")
    true = rng.uniform(0.15, 0.35)
    seen = (true - 0.1) / 0.05 + rng.gauss(0, 0.2 * (1.5 if row.hand else 1.0))
    at = min(max(round(2 * seen) / 2 + 1, 1), 7)
    return s.asked("drag-blade", {"drag": 0.25 - true}, {"values": [0.1, 0.15, 0.2, 0.25, 0.3, 0.35, 0.4]},
                   {"pick": [at]}, T={"drag": 0.05}, machine={"values": {"drag": 0.25}})  # fmt: skip


def focus(rng: random.Random, row: Row) -> Case:
    """Widths of burnt lines by height: a beam that is a little lopsided, and lines a little rough."""
    s = Shop(rng, replace(row, inches=False), "micrometer", 0.01, 0.005, 0.0, process="laser")
    best, depth, waist = rng.uniform(-1, 1), rng.uniform(1.0, 2.0), rng.uniform(0.12, 0.2)
    lean = rng.gauss(0, 0.15) + (0.3 if row.bent else 0.0) * rng.choice((-1, 1))
    heights = [round(-2.5 + 0.5 * i, 2) for i in range(11)]
    out = {}
    for i, h in enumerate(heights, 1):
        z = (h - best) / depth
        z /= 1 + lean * math.tanh(z)
        wide = max(waist * math.sqrt(1 + z * z) * (1 + rng.gauss(0, 0.03)), 0.1)
        out[f"line_{i}"] = [max(v, 0.01) for v in s.read(wide)]
    return s.asked("focus-row", {"focus": -best}, {"heights": heights, "read": "widths"}, out, T={"focus": 0.5},
                   machine={"values": {"focus": 0.0}})  # fmt: skip


def marks(rng: random.Random, row: Row, *, middle: bool = False) -> Case:
    """A sheet found by its marks, aimed at by eye; what is asked is where they really lie."""
    s = Shop(rng, row)
    at = [[10, 10], [200, 10], [200, 287], [10, 287]] + ([[105, 148.5]] if middle else [])
    turn, sx, sy, skew = rng.gauss(0, 0.02), rng.gauss(1, 2e-3), rng.gauss(1, 2e-3), rng.gauss(0, 5e-4)
    out, true = {}, []
    for i, (x, y) in enumerate(at, 1):
        u, v = sx * x + skew * y, sy * y
        p = [30 + math.cos(turn) * u - math.sin(turn) * v, 20 + math.sin(turn) * u + math.cos(turn) * v]
        if row.bent:
            p[1] += 4 * row.bent * (1 - ((x - 105) / 95) ** 2)
        true.append(p)
        out[f"mark_{i}"] = [[round(p[0] + s.aim(), 3), round(p[1] + s.aim(), 3)]]
    case = s.asked("registration", {}, {"marks": at}, out, T={"registration": 0.3})
    case.body["instrument"] = {"name": "position", "resolution": 0.01, "permissible_error": [0.02, 0]}
    case.truth = {"registration": true}  # type: ignore[dict-item]
    return case


def together(rng: random.Random, row: Row) -> Case:
    """A plate and a stepped outline of one router, read with one caliper."""
    s = Shop(rng, row)
    scale, play = {a: rng.gauss(0, 5e-4) for a in "xy"}, {a: rng.gauss(0, 0.05) for a in "xy"}
    K, c = rng.uniform(5.9, 6.1), 6.0
    sizes = {"width": (400, "x"), "short_width": (120, "x"), "height": (300, "y"), "short_height": (90, "y")}
    first = {m: s.read(n * (1 + scale[a]) + c - K - play[a] + s.piece()) for m, (n, a) in sizes.items()}
    then = {"width": s.read(160 * (1 + scale["x"]) + c - K - play["x"] + s.piece()),
            "slot": s.read(16 * (1 + scale["x"]) - c + K - play["x"] + s.piece())}  # fmt: skip
    gauge = s.instrument()
    parts = [
        {"procedure": "rectangle", "instrument": gauge, "readings": _as_list(first),
         "piece": {"width": 400, "height": 300, "short_width": 120, "short_height": 90, "compensation": c}},
        {"procedure": "kerf-square", "instrument": gauge, "readings": _as_list(then),
         "piece": {"width": 160, "height": 120, "slot": 16, "compensation": c}},
    ]  # fmt: skip
    unit = IN if row.inches else 1
    machine = {"kind": "router", "decimals": 6, "controller_units": "in" if row.inches else "mm",
               "values": {"x_steps": 100.0, "y_steps": 100.0, "kerf": c / unit}}  # fmt: skip
    T = {"x_steps": 0.6, "y_steps": 0.6, "kerf": 0.15}
    body = {"procedure": "joint", "machine": machine, "tolerance": T, "parts": parts}
    return Case(body, {"x_steps": 1000 * scale["x"], "y_steps": 1000 * scale["y"], "kerf": c - K,
                       "x_backlash": play["x"], "y_backlash": play["y"]})  # fmt: skip


def _as_list(readings: Body) -> list[Body]:
    return [{"measurand": m, "values": v} for m, v in readings.items()]


MAKE: dict[str, Callable[[random.Random, Row], Case]] = {
    "rectangle": rectangle, "travel-run": travel, "backlash": backlash, "squareness": square,
    "squareness, circle": lambda r, w: square(r, w, circle=True), "home": home, "reference-lines": lines,
    "kerf-square": plate, "kerf-square, milled": lambda r, w: plate(r, w, process="router"),
    "kerf-square, unproven": lambda r, w: plate(r, w, process="router", proven=False), "kerf-ladder": ladder,
    "kerf-comb": comb, "bevel": bevel, "joint": together, "pointer": pointer,
    "pointer, mark": lambda r, w: pointer(r, w, sheet=False), "second-tool": second,
    "second-tool, vernier": lambda r, w: second(r, w, vernier=True), "camera": camera, "registration": marks,
    "registration, five": lambda r, w: marks(r, w, middle=True), "print-scale": scale, "proof": borders,
    "media-feed": bands, "drag-blade": corners, "focus-row": focus,
}  # fmt: skip


# What answers are worth


@dataclass
class Tally:
    """Of one row."""

    told: int = 0
    inside: int = 0
    out: int = 0
    false_in: int = 0
    open: int = 0
    needed: float = 0.0
    asked: int = 0
    without: int = 0
    remedied: int = 0
    off: list[float] = field(default_factory=list)

    def count(self, finding: Body, true: float, error: float) -> None:
        """error: as the answer has it."""
        U, T = finding["expanded_uncertainty"], finding["tolerance"]
        self.told += 1
        self.inside += abs(error - true) <= U
        self.off.append(abs(error - true) / U)
        self.out += abs(true) > T
        self.false_in += finding["verdict"] == "in" and abs(true) > T
        self.open += finding["verdict"] == "cannot_tell"
        self.needed += min(U / T, 1.0)
        if finding["verdict"] == "cannot_tell":
            said = {"floor", "nothing_settles"} & set(finding["note_codes"])
            self.remedied += bool(finding["remedies"])
            self.without += not finding["remedies"] and not said

    def __str__(self) -> str:
        if not self.told:
            return "nothing told"
        ratio = 1 / (sorted(self.off)[int(0.95 * len(self.off))] or math.inf)
        false_in, needed = self.false_in / max(self.out, 1), self.open / max(self.needed, 1e-9)
        return (
            f"{100 * self.inside / self.told:5.1f} % covered · {100 * false_in:4.1f} % false in · "
            f"U ÷ actual {ratio:4.2f} · can't tell {needed:4.2f} × U/T "
            f"({100 * self.open / self.told:3.0f} %), remedy {100 * self.remedied / max(self.open, 1):3.0f} % · "
            f"asked {self.asked} of {self.told + self.asked}"
        )


def measured(task: tuple[str, str, int]) -> tuple[str, str, Tally]:
    """One row of one procedure."""
    name, row, count = task
    tally = Tally()
    for seed in range(count):
        case = MAKE[name](random.Random(f"{name} {row} {seed}"), ROWS[row])
        answer = solved(case.body)
        for finding in answer["findings"]:
            q = finding["quantity"]
            if q not in case.truth:
                continue
            if finding["verdict"] == "implausible":
                tally.asked += 1
                continue
            if finding["error"] is None:
                continue
            true, error = case.truth[q], finding["error"]
            if q == "proof":
                number = int(next(n for n in finding["notes"] if "place" in n).split("place ")[1].split()[0])
                true = true[number - 1]  # type: ignore[index]
            if q == "registration":
                H = answer["figures"]["matrix"]
                far = [math.dist(_mapped(H, m), p) for m, p in zip(case.body["piece"]["marks"], true, strict=True)]  # type: ignore[call-overload]
                true, error = max(far), 0.0
            tally.count(finding, true, error)
    return name, row, tally


def _mapped(H: list[list[float]], at: list[float]) -> tuple[float, float]:
    x, y = at
    return H[0][0] * x + H[0][1] * y + H[0][2], H[1][0] * x + H[1][1] * y + H[1][2]


# Slips


SLIPS = ("single", "all", "swapped", "sign", "order", "unit", "finer")


def slipped(case: Case, rng: random.Random, kind: str) -> bool:
    """Misread something; whether that kind can happen here."""
    readings = case.body.get("readings") or case.body["parts"][0]["readings"]
    lengths = [r for r in readings if not isinstance(r["values"][0], list) and r["measurand"] != "pick"]
    entry = rng.choice(readings)
    match kind:
        case "single" if entry in lengths and len(entry["values"]) > 1:
            entry["values"][rng.randrange(len(entry["values"]))] += rng.choice((1, 10))
        case "all" if entry in lengths:
            by = rng.choice((-1, 1)) * rng.uniform(1, 10)
            if case.body["procedure"] == "kerf-comb":  # a single length contradicts nothing
                return False
            entry["values"] = [round(v + by, 2) for v in entry["values"]]
        case "all":
            entry["values"] = [[u + rng.choice((-5, 5)), v] for u, v in entry["values"]]
        case "swapped" if case.body["procedure"] in ("rectangle", "reference-lines", "print-scale", "kerf-square"):
            by = {r["measurand"]: r for r in readings}
            a, b = {"reference-lines": ("x_lines", "y_lines"), "print-scale": ("x", "y")}.get(
                case.body["procedure"], ("width", "height")
            )
            by[a]["values"], by[b]["values"] = by[b]["values"], by[a]["values"]
        case "sign" if case.body["procedure"] == "pointer" and len(readings) > 2:
            entry["values"] = [-v for v in entry["values"]]
            return abs(entry["values"][0]) > 0.4
        case "order" if case.body["procedure"] == "registration":
            i, k = rng.sample(range(len(readings)), 2)
            readings[i]["values"], readings[k]["values"] = readings[k]["values"], readings[i]["values"]
        case "unit" if isinstance(entry["values"][0], list):
            for r in readings:
                r["values"] = [[round(v / IN, 4) for v in p] for p in r["values"]]
        case "unit" if entry in lengths and case.body["procedure"] not in ("pointer", "home"):
            entry["values"] = [max(round(v / IN, 4), 0.0001) for v in entry["values"]]
        case "finer" if entry in lengths and case.body["procedure"] == "pointer":
            entry["values"] = [round(v / IN, 4) for v in entry["values"]]
            return any(abs(v) > 0.004 for v in entry["values"])
        case _:
            return False
    return True


SLIPPED = ("rectangle", "squareness", "kerf-square", "kerf-square, milled", "kerf-ladder", "kerf-comb",
           "reference-lines", "pointer", "registration", "registration, five", "print-scale")  # fmt: skip


def misread(task: tuple[str, str, int]) -> tuple[str, str, int, int]:
    """(procedure, kind, asked about, of those)."""
    name, kind, count = task
    asked = of = 0
    for seed in range(count):
        rng = random.Random(f"{name} {kind} {seed}")
        case = MAKE[name](rng, ROWS["usual"])
        if not slipped(case, rng, kind):
            continue
        of += 1
        findings = solved(case.body)["findings"]
        asked += any(f["verdict"] == "implausible" or f["doubtful"] for f in findings)
    return name, kind, asked, of


# Remedies that this shop can take: scales are proven, plays measured, and the same readings are asked about again


def obeyed(count: int) -> tuple[int, int]:
    """(promises that came true, promises) of a plate read on axes that nobody looked at."""
    true = promises = 0
    for seed in range(count):
        case = MAKE["kerf-square, unproven"](rng := random.Random(f"obeyed {seed}"), ROWS["usual"])
        finding = solved(case.body)["findings"][0]
        codes = {r["code"] for r in finding["remedies"]} & {"prove_scale", "measure_play"}
        if finding["verdict"] != "cannot_tell" or not codes:
            continue
        values = case.body["machine"]["values"]
        for a in "xy":
            if "prove_scale" in codes:
                values[f"{a}_scale"] = known(case.hidden[f"{a}_scale"] + rng.gauss(0, 1.5e-4), 3e-4)
            if "measure_play" in codes:
                values[f"{a}_lost_motion"] = known(case.hidden[f"{a}_play"] + rng.gauss(0, 0.019), 0.0375)
        promises += 1
        true += solved(case.body)["findings"][0]["verdict"] in ("in", "out")
    return true, promises


def main() -> None:
    """Measure and print."""
    words = sys.argv[1:]
    if words[:1] == ["remedies"]:
        true, promises = obeyed(int(words[1]) if len(words) > 1 else 1000)
        print(f"proving scales and measuring play settled {true} of {promises}, {100 * true / max(promises, 1):.0f} %")
        return
    if words[:1] == ["slips"]:
        count = int(words[1]) if len(words) > 1 else 200
        with ProcessPoolExecutor() as pool:
            for name, kind, asked, of in pool.map(misread, [(n, k, count) for n in SLIPPED for k in SLIPS]):
                if of:
                    print(f"{name:24}{kind:10}{asked} of {of} asked about, {100 * asked / of:.1f} %", flush=True)
        return
    count = int(words.pop(0)) if words and words[0].isdigit() else 400
    names = [n for n in MAKE if not words or any(n.startswith(w) for w in words)]
    with ProcessPoolExecutor() as pool:
        for name, row, tally in pool.map(measured, [(n, r, count) for n in names for r in ROWS]):
            print(f"{name:24}{row:14}{tally}", flush=True)


if __name__ == "__main__":
    main()
