"""A plotter that prints and cuts, alone in a shop: for tests of sheets and jobs, always the same from a seed."""

from __future__ import annotations

import random
from pathlib import Path

from keen_compass.machines.fitted import Fitting, Stock, Tool
from keen_compass.machines.profile import Machine
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.quantities.stored import StoredAmount
from keen_compass.shop.store import Shop
from keen_compass.standin.truth import Truth

PLOTTER = Machine(
    "practice",
    "Practice",
    MachineKind.PRINT_AND_CUT,
    (700.0, 1200.0),
    heads=("pointer", "sensor"),
    tools=(Tool("pen", 0.0, drawn=True, uid="pen"),),
    stock=Stock("film", 0.2, 0.0, 0.0, 700.0, 1200.0, "film"),
    fittings=(Fitting("printer", "printer", "printer"), Fitting("carrier", "mat", "mat")),
    fitted={"printer": "printer", "carrier": "mat"},
)
CALIPER = Instrument("caliper 300 mm", 0.01, (0.02, 0.00002), reach=300.0, uid="caliper")
STEPS = 100.0  # per mm
MOST_OFF = 4.0  # mm, by which a start is off and still plausible


def plotter(seed: int) -> tuple[Truth, dict[str, float]]:
    """A plotter as it may turn up, and the offsets that its controller begins with, mm."""
    rng = random.Random(f"{seed}/plotter")
    heads = {h: (round(rng.uniform(-40, 40), 2), round(rng.uniform(-30, 30), 2)) for h in PLOTTER.heads}
    truth = Truth(
        motion={a: STEPS * (1 + rng.gauss(0, 2e-4)) for a in "xy"},
        lost_motion={a: rng.uniform(0, 0.04) for a in "xy"},
        kerf=0.0,
        scatter=0.03,
        instrument_error=(rng.uniform(-1, 1), rng.uniform(-1, 1)),
        repeat=0.5,
        heads=heads,
        skew=rng.gauss(0, 2e-4),
        aim=rng.uniform(0.02, 0.05),
        printer=(rng.gauss(0, 1e-3), rng.gauss(0, 1e-3), rng.gauss(0, 3e-4)),
        lies=(0.5, 3.0),
        carriers={"mat": (rng.gauss(0, 3e-3), rng.gauss(0, 3e-3))},
    )
    off = {(h, k): rng.uniform(-MOST_OFF, MOST_OFF) for h in heads for k in (0, 1)}
    held = {f"{h}_{'xy'[k]}": round(heads[h][k] + by, 2) for (h, k), by in off.items()}
    return truth, held


def shop_of(file: Path, seed: int, machine: Machine = PLOTTER) -> tuple[Shop, Truth]:
    """A shop with that plotter alone."""
    truth, held = plotter(seed)
    shop = Shop(file)
    with shop.writing():
        shop.put_machine(machine)
        for axis in "xy":
            steps = StoredResolution(ResolutionForm.STEPS_PER_MM, STEPS)
            shop.put_value(machine.uid, f"{axis}_steps", steps, "start")
        shop.put_instrument(CALIPER)
        for quantity, mm in held.items():
            shop.put_value(machine.uid, quantity, StoredAmount(quantity, "mm", mm), "start")
        shop.put_stand_in(machine.uid, truth.to_json())
    return shop, truth
