"""A technician at a machine that nobody knows, with a kerf plate: someone else's physics for the kerf's tests.

The machine is a stand-in with everything switched on that the solver knows nothing of: edges that lean, more on arcs
and on the wrong side of the torch, holes that run small, heat, a bow, a cutter that gives. Reading is not the
stand-in's: every length has an error of its own, shared by its repeats, besides a slope, a coarse division and the
reader's own spread. Knowledge comes with the U that is said of it, not more.
"""

from __future__ import annotations

import random
from dataclasses import dataclass
from typing import Any

from keen_compass.formats.gcode import CutSettings, write_gcode
from keen_compass.formats.thermal import ThermalSettings, write_thermal
from keen_compass.pieces.job import Applies, Corrections, composed
from keen_compass.pieces.plate import KerfPlate
from keen_compass.quantities.geometry import Box
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.quantities.stored import StoredAmount
from keen_compass.standin.router import Made, Router
from keen_compass.standin.truth import Truth
from said import solved

BED = Box(0, 0, 900, 900)
SCALE, PLAY = 3e-4, 0.05  # what is known of the axes, expanded: mm/mm, mm
OTHER = {"width": 110.0, "height": 260.0, "hole": 24.0, "slot": 0.0}  # a part of another size, with a hole
INSIDE = ("hole_0", "hole_90", "slot")


@dataclass
class Floor:
    """One machine and its technician."""

    rng: random.Random
    truth: Truth
    thermal: str
    by: Applies
    unit: float
    repeats: int
    local: dict[int, float]
    slope: float
    c: float
    bias: float = 0.0
    made: int = 0

    @classmethod
    def any(cls, seed: int) -> Floor:
        """A machine, an instrument and a start as they may turn up."""
        rng = random.Random(seed)
        thermal = rng.choice(("plasma", "plasma", "laser", ""))
        K = {"plasma": rng.uniform(1.1, 3.0), "laser": rng.uniform(0.15, 0.5), "": rng.uniform(2.9, 6.4)}[thermal]
        steps = {a: 100.0 * (1 + rng.uniform(-SCALE, SCALE)) for a in "xy"}
        burns = bool(thermal)
        truth = Truth(
            steps, {a: max(rng.gauss(0.02, PLAY / 2), 0.0) for a in "xy"}, K, 0.0, (0.0, 0.0), 0.0,
            thickness=rng.uniform(3, 12), thermal=thermal, hole_bias=rng.uniform(-0.35, 0.1) if burns else -0.03,
            bevel=rng.uniform(-0.03, 0.05) if burns else 0.0, bad_side=0.04 if burns else 0.0,
            leans_on_arcs=rng.uniform(0, 6) if burns else 0.0, heat=rng.uniform(0, 1e-4) if burns else 0.0,
            bow=rng.uniform(-0.1, 0.1) if burns else 0.0, deflection=0.0 if burns else rng.uniform(-0.01, 0.01),
        )  # fmt: skip
        off = rng.uniform(-0.3, 0.3) * min(K, 1.5)
        return cls(
            rng, truth, thermal, rng.choice((Applies.FILE, Applies.CONTROLLER)), rng.choice((0.01, 0.02)),
            rng.choice((1, 3, 3, 5)), {}, rng.uniform(-2e-5, 2e-5), round(max(K + off, 0.05), 3),
        )  # fmt: skip

    @property
    def scatter(self) -> float:
        """By how much equal sizes differ, mm."""
        return {"plasma": 0.02, "laser": 0.012, "": 0.009}[self.thermal]

    @property
    def tolerance(self) -> float:
        """What is asked of such a machine, mm."""
        return {"plasma": 0.2, "laser": 0.15, "": 0.15}[self.thermal]

    @property
    def right(self) -> float:
        """The compensation that brings outsides right: K + B̄, and what a cutter that gives takes."""
        B = self.truth.lost_motion
        return self.truth.kerf + (B["x"] + B["y"]) / 2 + 2 * self.truth.deflection

    def cut(self, plate: KerfPlate, inside: float | None = None) -> Made:
        """With what is in force now. inside: the compensation of insides, where it is known apart."""
        self.made += 1
        path = composed(plate.job(self.made), Corrections(self.c, self.by, self.bias, inside)).moved(60, 60)
        if self.thermal:
            text = write_thermal(path, ThermalSettings(BED, beam=self.thermal == "laser"))
        else:
            text = write_gcode(path, CutSettings(BED, thickness=9.0))
        one = StoredResolution(ResolutionForm.STEPS_PER_MM, 100.0)
        held = {"x_steps": one, "y_steps": one, "kerf": StoredAmount("kerf", "mm", self.c)}
        return Router(self.truth, held, self.made).make(text)

    def sizes(self, plate: KerfPlate, made: Made) -> dict[str, float]:
        """What the sizes of a plate really are: each differs from piece to piece."""
        return {
            m: made.true_length(plate.line(m), "inside" if m in INSIDE else "jaws") + self.rng.gauss(0, self.scatter)
            for m in plate.measurands()
        }  # fmt: skip

    def read(self, true: float) -> list[float]:
        """A few readings of a length."""
        own = self.local.setdefault(round(true), self.rng.uniform(-0.02, 0.02))
        mean, spread = true * (1 + self.slope) + own, 0.6 * self.unit
        return [
            round(round((mean + self.rng.gauss(0, spread)) / self.unit) * self.unit, 4) for _ in range(self.repeats)
        ]

    def plate(self, **sizes: float) -> KerfPlate:
        """With what is in force."""
        usual = {"width": 160.0, "height": 120.0, "hole": 44.0, "slot": float(max(16, round(2.5 * self.c)))}
        return KerfPlate(**usual | sizes, compensation=self.c, hole_bias=self.bias, thermal=bool(self.thermal))

    def round(self) -> tuple[dict[str, Any], dict[str, float]]:
        """One plate cut, read and solved: (the program's answer, true sizes)."""
        plate = self.plate()
        true = self.sizes(plate, self.cut(plate))
        known = {f"{a}_scale": {"value": 0, "expanded_uncertainty": SCALE} for a in "xy"}
        known |= {f"{a}_lost_motion": {"value": 0.02, "expanded_uncertainty": PLAY} for a in "xy"}
        return solved({
            "procedure": "kerf-square", "tolerance": self.tolerance, "confirmed": True,
            "machine": {"kind": self.thermal or "router", "decimals": 3,
                        "values": {"kerf": self.c, "hole_bias": self.bias, **known}},
            "piece": {"width": plate.width, "height": plate.height, "hole": plate.hole, "slot": plate.slot,
                      "compensation": self.c, "hole_bias": self.bias},
            "instrument": {"resolution": self.unit, "permissible_error": [0.02, 2e-5], "kind": "caliper"},
            "piece_scatter": {"s": self.scatter, "dof": 14},
            "readings": [{"measurand": m, "values": self.read(size)} for m, size in true.items()],
        }), true  # fmt: skip

    def correct(self, answer: dict[str, Any]) -> None:
        """Enter what is worth it."""
        for f in answer["findings"]:
            if f["worth_correcting"] and f["new"] is not None:
                if f["quantity"] == "kerf":
                    self.c = f["new"]
                else:
                    self.bias = f["new"]

    def off(self, plate: KerfPlate, sizes: dict[str, float]) -> float:
        """By how much the worst size of a part is off, mm."""
        return max(abs(size - plate.nominal(m)) for m, size in sizes.items())
