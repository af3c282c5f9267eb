"""Coverage of the stated 95 % intervals over 10,000 stand-in rounds, and the spread against Cramér–Rao.

Three cases: scatter dominates (permissible error 0), a permissible error drawn once per instrument,
and a rule whose permissible error dominates. Kerf, lost motion and scale are drawn again each round.
"""

from __future__ import annotations

import math
import random
from dataclasses import dataclass, replace

from keen_compass.machines.forms import usual_machine
from keen_compass.procedures import load
from keen_compass.procedures.case import Case
from keen_compass.quantities.instruments import Instrument, Repeatability
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.lengths import Length
from keen_compass.quantities.measuring import PieceScatter
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution

ROUNDS = 10_000
ROUTER = usual_machine(MachineKind.ROUTER)
SIZES = {"width": 400.0, "short_width": 120.0, "height": 300.0, "short_height": 90.0}
STORED = StoredResolution(ResolutionForm.STEPS_PER_MM, 100.0)


@dataclass(frozen=True)
class Setting:
    """What the instrument and the pieces really do."""

    name: str
    spread: float
    scatter: float
    permissible: tuple[float, float]
    target: str


SETTINGS = (
    Setting("scatter dominates", 0.01, 0.012, (0.0, 0.0), "94-96 %"),
    Setting("permissible error once per instrument", 0.01, 0.012, (0.02, 5e-5), ">= 93 %"),
    Setting("permissible error dominates", 0.002, 0.001, (0.02, 3e-4), ">= 93 %"),
)


def recorded(true_s: float, dof: int, rng: random.Random) -> float:
    """A spread as known from dof + 1 earlier readings."""
    return true_s * math.sqrt(sum(rng.gauss(0, 1) ** 2 for _ in range(dof)) / dof)


def run(setting: Setting, seed: int) -> None:
    """All rounds of one setting."""
    rng, procedure = random.Random(seed), load("rectangle")
    a, b = setting.permissible
    inside = total = 0
    squares = bounds = 0.0
    for _ in range(ROUNDS // 2):  # two axes each
        scale = {"width": rng.uniform(-0.003, 0.003), "height": rng.uniform(-0.003, 0.003)}
        kerf, lost = rng.uniform(5.8, 6.2), rng.uniform(0, 0.2)
        offset, slope = rng.uniform(-a, a), rng.uniform(-b, b)
        readings = {}
        for m, n in SIZES.items():
            s = scale[m.removeprefix("short_")]
            length = n * (1 + s) + 6 - kerf - lost + rng.gauss(0, setting.scatter)
            shown = [length * (1 + slope) + offset + rng.gauss(0, setting.spread) for _ in range(3)]
            readings[m] = tuple(Length(v, "", "mm") for v in shown)
        case = Case(
            "rectangle", replace(ROUTER, decimals=6), {"x_steps": STORED, "y_steps": STORED}, {},
            {**SIZES, "compensation": 6},
            Instrument(
                resolution=1e-5, permissible_error=setting.permissible,
                repeats=Repeatability(recorded(setting.spread, 20, rng), 20),
            ),
            readings=readings, piece_scatter=PieceScatter(recorded(setting.scatter, 20, rng), 20, False),
        )  # fmt: skip
        for finding, m in zip(procedure.solve(case).findings, ("width", "height"), strict=True):
            error = (finding.error or 0) / 1000 - scale[m]
            inside += abs(error) <= (finding.expanded_uncertainty or 0) / 1000
            total += 1
            squares += error**2
            independent = 2 * (setting.spread**2 / 3 + setting.scatter**2)
            step = SIZES[m] - SIZES[f"short_{m}"]
            bounds += independent / step**2 + b**2 / 3
    print(f"{setting.name}: {100 * inside / total:.2f} % inside (target {setting.target}), "
          f"spread {math.sqrt(squares / bounds):.3f} of Cramér–Rao (target 1.05)")  # fmt: skip


def main() -> None:
    """Measure and print."""
    for i, setting in enumerate(SETTINGS):
        run(setting, i)


if __name__ == "__main__":
    main()
