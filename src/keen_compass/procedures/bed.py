"""How flat the bed lies under the head, and how square the head is on it (arithmetic.md §6).

Heights are walked in rows, there and back, so that the head never travels for nothing. The plane through
them is what shims can take out; the raw highest minus lowest is what a skim has to take off.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace
from functools import lru_cache
from typing import TYPE_CHECKING, Any

from keen_compass.errors import InputError, PieceError
from keen_compass.language import tr
from keen_compass.machines.profile import Machine
from keen_compass.pieces.where import Gap, Height
from keen_compass.procedures.base import Procedure
from keen_compass.procedures.bed_runs import TRAM, BedRun, TramRun, arm_side, corners
from keen_compass.procedures.case import Case, length_mm
from keen_compass.procedures.checking import check_parameters, check_readings
from keen_compass.procedures.manner import OnStock, ReadBy, Sizes
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.results import (
    PER_METRE,
    amount_outcome,
    arithmetic,
    assumed_notes,
    judged,
    no_number,
    weighed,
)
from keen_compass.procedures.stages import Makes, Surface
from keen_compass.procedures.surroundings import Choice, Surroundings
from keen_compass.quantities.bodies import JsonObject, Parameters
from keen_compass.quantities.charts import Extent, Heights, Shown
from keen_compass.quantities.findings import Figures, Finding, Solution
from keen_compass.quantities.measuring import Held, Measurement
from keen_compass.quantities.notes import Note, Said, note, plain
from keen_compass.quantities.uncertainty import K_95, Cause, Origin, Source, Uncertain, limits
from keen_compass.quantities.verdict import Verdict
from keen_compass.solve.plane import Plane, fit_plane, shims, tram_tilt

if TYPE_CHECKING:
    from numpy.typing import NDArray

SKIM_MARGIN = 0.2  # mm beyond the highest minus lowest: the cutter has to reach under the lowest point between points
SHRINKS, FEWEST_DOF = 20, 4.0
MARGIN = 40.0  # mm from the edges of the bed
COLUMNS, ROWS = 5, 4
MOST = 40  # of either
RADIUS, MOUNT = 120.0, 100.0  # mm: arm of the dial, distance of the head's screws
DRAWS = 400  # of the simulated spread of a range
_PARAMETERS = {"run", "columns", "rows", "x", "y", "width", "height", "radius", "mount"}


class Bed(Procedure[BedRun | TramRun]):
    """Heights of the bed at places of a grid: its tilt, its bow, and how to tram the spindle."""

    name = "bed"
    surface = Surface.GRID
    makes = Makes.MOVES
    read_by = ReadBy(names=("h_1_1 … h_n_m", *TRAM), suits=("dial gauge", "depth gauge", "caliper"), passes=1)
    on_stock = OnStock(numbered=False)
    sizes = Sizes(large=("radius",))

    def choices(self, machine: Machine) -> tuple[Choice, ...]:
        """The bed's heights, or the head's tram."""
        runs: tuple[tuple[Said, object], ...] = (("bed.heights", "heights"),)
        if "x_tram" in machine.quantities:
            runs = (("bed.tram", "tram"), *runs)
        grid = tuple((plain(f"{c} × {r}"), f"{c}x{r}") for c, r in ((5, 4), (3, 3), (7, 5), (9, 7)))
        return (Choice("run", "bed.run", runs), Choice("grid", "bed.grid", grid))

    def heading(self, parameters: Parameters) -> Note:
        """The bed, or the head."""
        return note("bed.heading_tram" if parameters.get("run") == "tram" else "bed.heading")

    def chosen_for(self, quantity: str) -> Parameters:
        """Which choices yield a quantity."""
        return {"run": "tram"} if quantity.endswith("tram") else {"run": "heights"}

    def parameters(self, around: Surroundings) -> Parameters:
        """Nearly the whole bed, or its middle."""
        width, height = around.machine.bed
        if around.chosen.get("run", "heights") == "tram":
            return {"run": "tram", "radius": RADIUS, "mount": MOUNT, "x": width / 2, "y": height / 2}
        columns, rows = (int(n) for n in str(around.chosen.get("grid", f"{COLUMNS}x{ROWS}")).split("x"))
        return {
            "run": "heights",
            "columns": columns,
            "rows": rows,
            "x": MARGIN,
            "y": MARGIN,
            "width": width - 2 * MARGIN,
            "height": height - 2 * MARGIN,
        }

    def piece(self, parameters: Parameters) -> BedRun | TramRun:
        """heights: `columns`, `rows`, `x`, `y`, `width`, `height`. tram: `radius`, `mount`, `x`, `y`."""
        check_parameters(parameters, _PARAMETERS)

        def length(name: str, usual: float) -> float:
            value = length_mm(parameters.get(name, usual), f"piece.{name}")
            if value < 0 or (name in ("width", "height", "radius", "mount") and value <= 0):
                raise PieceError(tr("must be larger than 0"), f"piece.{name}")
            return value

        run = parameters.get("run", "heights")
        if run == "tram":
            return TramRun(length("radius", RADIUS), length("mount", MOUNT), length("x", 300), length("y", 300))
        if run != "heights":
            raise InputError(tr("expected heights or tram"), "piece.run")
        counts = {}
        for name, usual in (("columns", COLUMNS), ("rows", ROWS)):
            given = parameters.get(name, usual)
            if isinstance(given, bool) or not isinstance(given, int) or not 2 <= given <= MOST:
                raise PieceError(tr("expected a whole number from 2 to {most}", most=MOST), f"piece.{name}")
            counts[name] = given
        return BedRun(
            counts["columns"],
            counts["rows"],
            length("x", MARGIN),
            length("y", MARGIN),
            length("width", 1200),
            length("height", 800),
        )

    def measurands(self, piece: BedRun | TramRun) -> tuple[Measurand, ...]:
        """Point by point as walked, or the four places of the arm."""
        if isinstance(piece, TramRun):
            R = piece.radius
            places = {"x_high": (R, 0.0), "y_high": (0.0, R), "x_low": (-R, 0.0), "y_low": (0.0, -R)}
            return tuple(
                Measurand(
                    m,
                    note("bed.side", side=arm_side(m)),
                    m[0],
                    0.0,
                    Gap(m[0], 1 if m.endswith("high") else -1, R),
                    hint="bed.how_gap",
                    signed=True,
                    at=places[m],
                )
                for m in TRAM
            )
        points = piece.points()
        first = next(iter(points.values()))
        return tuple(
            Measurand(name, _at(name), "", 0.0, Height(i, first), hint="bed.how_height", signed=True, at=place)
            for i, (name, place) in enumerate(points.items())
        )

    def yields_for(self, parameters: Parameters) -> tuple[str, ...]:
        """The bed, or the head."""
        return ("x_tram", "y_tram") if parameters.get("run") == "tram" else ("bed",)

    def answer(self, case: Case) -> Solution:
        """What to shim or skim; which way the head leans."""
        run = self.piece(case.piece)
        check_readings(case, tuple(m.name for m in self.measurands(run)), positive=False)
        if isinstance(run, TramRun):
            return Solution(tuple(self._tram(case, run, a) for a in ("x", "y")), (), assumed_notes(case))
        return self._bed(case, run)

    def predict(self, case: Case, readings_each: int) -> dict[str, float]:
        """U in mm, or mm/m."""
        run = self.piece(case.piece)
        if isinstance(run, TramRun):
            sides = {side: case.foreseen(side, 0.0, readings_each, held=Held.AGAINST) for side in ("high", "low")}
            U = _tilt(run, sides["high"], sides["low"]).U * PER_METRE
            return {"x_tram": U, "y_tram": U}
        foreseen = [
            case.foreseen(m, 0.0, readings_each, held=Held.AGAINST, nominal=i + 1.0)._replace(n=readings_each)
            for i, m in enumerate(run.points())
        ]
        return {"bed": _range(foreseen).U}

    def example(self) -> JsonObject:
        """A bed 3 × 3 that falls to the right and is hollow in the middle."""
        heights = {
            (1, 1): 0.0,
            (2, 1): -0.12,
            (3, 1): -0.21,
            (3, 2): -0.2,
            (2, 2): -0.24,
            (1, 2): 0.02,
            (1, 3): 0.05,
            (2, 3): -0.08,
            (3, 3): -0.17,
        }
        return {
            "procedure": "bed",
            "machine": {"decimals": 2, "values": {"bed": 0.0}},
            "piece": {"columns": 3, "rows": 3, "x": 40, "y": 40, "width": 1200, "height": 800},
            "instrument": {"name": "dial", "resolution": 0.01, "permissible_error": [0.006, 0.0]},
            "tolerance": {"bed": 0.2},
            "readings": [{"measurand": f"h_{c}_{r}", "values": [h]} for (c, r), h in heights.items()],
        }

    def usual_piece(self) -> Parameters:
        """A grid over the whole bed."""
        return {"columns": COLUMNS, "rows": ROWS, "x": MARGIN, "y": MARGIN, "width": 1220.0, "height": 820.0}

    def shown(self, figures: Figures) -> Shown:
        """Tilts of the plane, and what is left above it."""
        if "tilt_x_mm_per_m" not in figures:
            return Shown()
        tilts = tuple(
            (note("bed.tilt", axis=a), note("bed.per_metre", slope=figures[f"tilt_{a}_mm_per_m"])) for a in ("x", "y")
        )
        left = ("bed.left", note("bed.length", mm=figures["off_the_plane"]))
        return Shown((*tilts, left, ("bed.points", note("bed.of", read=figures["read"], of=figures["of"]))))

    def chart(self, figures: Figures) -> Heights | None:
        """What is left above the plane."""
        return Heights(figures["rest"]) if figures.get("rest") else None

    def extent(self, parameters: Parameters) -> Extent:
        """How many points, or how far the arm swings."""
        if "columns" in parameters:
            run = self.piece(parameters)
            return Extent(points=(run.columns, run.rows)) if isinstance(run, BedRun) else Extent()
        return super().extent(parameters)

    # The bed

    def _bed(self, case: Case, run: BedRun) -> Solution:
        points = run.points()
        # At every point the needle stands elsewhere on its dial: each height has the instrument's error there.
        spread = case.seen_spread()
        measured = {
            m: case.measured(m, held=Held.AGAINST, nominal=i + 1.0, spread=spread)
            for i, m in enumerate(points)
            if m in case.readings
        }
        if len(measured) < 4:
            why = note("bed.few_heights", read=len(measured), of=len(points))
            return Solution((no_number(case, "bed", Verdict.UNRESOLVED, why),))
        heights = {points[m]: r.value for m, r in measured.items()}
        plane = fit_plane(heights)
        found = _range(list(measured.values()))
        raw = max(heights.values()) - min(heights.values())
        old, T = case.amount("bed"), case.tolerance_of("bed", PER_METRE)
        skim = raw + SKIM_MARGIN
        high, low = (case.in_its_unit(f(heights.values()), "mm") for f in (max, min))
        margin = case.in_its_unit(SKIM_MARGIN, "mm")
        text = f"{old.number(case.decimals_of('bed'))} + {high} − {low} + {margin}".replace("− −", "+ ").replace(
            "+ −", "− "
        )
        outcome = amount_outcome(case, "bed", old.base + skim, found, arithmetic(text))
        lift = shims(plane, corners(run))
        notes = _what_to_do(found, T, plane, lift, raw, skim)
        finding = judged(case, replace(outcome, notes=notes), self)
        figures = {
            "highest_minus_lowest": found.value,
            "as_read": raw,
            "skim": skim,
            "tilt_x_mm_per_m": plane.tilt_x * PER_METRE,
            "tilt_y_mm_per_m": plane.tilt_y * PER_METRE,
            "off_the_plane": plane.flatness,
            "shims": lift,
            "units": case.controller_units,
            "read": len(measured),
            "of": len(points),
            "rest": {m: plane.rest[points[m]] for m in measured},
        }
        return Solution((finding,), (), assumed_notes(case), figures)

    # The head

    def _tram(self, case: Case, run: TramRun, axis: str) -> Finding:
        quantity, names = f"{axis}_tram", (f"{axis}_high", f"{axis}_low")
        if not set(names) <= case.readings.keys():
            return no_number(case, quantity, Verdict.UNRESOLVED, note("bed.both_sides", axis=axis))
        high, low = (case.measured(m, held=Held.AGAINST) for m in names)
        tilt = weighed(case, quantity, _tilt(run, high, low).times(PER_METRE))
        old = case.amount(quantity)
        held, a, b = (case.in_its_unit(x, "mm") for x in (old.base, high.value, low.value))
        text = f"{held} − 1000 × ({a} − {b}) ÷ (2 × {run.radius:g})"
        if quantity in case.known:
            text = f"{held} + {case.in_its_unit(-tilt.value, 'mm')}".replace("+ −", "− ")
        outcome = amount_outcome(case, quantity, old.base - tilt.value, tilt, arithmetic(text))
        finding = judged(case, replace(outcome, notes=_shim(case, run, axis, tilt.value)), self)
        return replace(finding, notes=()) if finding.verdict is Verdict.IN else finding


PROCEDURE = Bed()


def _tilt(run: TramRun, high: Measurement, low: Measurement) -> Uncertain:
    """On both sides the needle stands elsewhere: the dial's own error is in each."""
    own = tuple(
        (s._replace(origin=s.origin._replace(edge="low_side")) if s.cause in (Cause.OWN_ERROR, Cause.GAIN) else s, c)
        for s, c in low.mean.effects
    )
    return tram_tilt(high.mean, low.mean._replace(effects=own), run.radius)


@lru_cache(maxsize=4)
def _draws(points: int) -> NDArray[Any]:
    """Standard normal, points × `DRAWS`; always the same: the same readings give the same answer."""
    import numpy as np

    return np.ascontiguousarray(np.random.default_rng(7).normal(size=(DRAWS, points)).T)


def _range(measured: list[Measurement]) -> Uncertain:
    """Highest minus lowest, freed of what noise alone adds to a range.

    The largest of many noisy heights is too large on average, and the more so the flatter the bed is. So it is asked
    how much flatter than read the bed must be for noise to lead to the range that was read; that is the estimate. Its
    spread is that of the same bed read again many times (GUM Supplement 1), and it reaches up to the range as read,
    because the noise may have been less than is thought: a dead flat bed comes out as flat within U.
    """
    import numpy as np

    z = np.array([m.value for m in measured])
    u = np.array([m.mean.u for m in measured])
    noise = _draws(len(z)) * u[:, None]
    raw, centred = float(np.ptp(z)), (z - z.mean())[:, None]

    def ranges(flattened: float) -> NDArray[Any]:
        drawn = centred * flattened + noise
        return np.asarray(drawn.max(axis=0) - drawn.min(axis=0))

    shrunk = [k / SHRINKS for k in range(SHRINKS + 1)]
    expected = [float(ranges(k).mean()) for k in shrunk]
    factor = float(np.interp(raw, expected, shrunk)) if raw > expected[0] else 0.0
    drawn = ranges(factor)
    low, high = np.quantile(drawn - drawn.mean(), [0.025, 0.975])
    # Points as high as each other are rounded alike, which drawing each again doesn't know.
    alike = K_95 * math.sqrt(2) * max(s.u for m in measured for s, _ in m.mean.effects if s.cause is Cause.DIVISION)
    half = math.hypot(max(-float(low), float(high)), (1 - factor) * raw, max(expected[0] - raw, 0.0), alike)
    dof = min((s.dof for m in measured for s, _ in m.mean.effects if s.cause is Cause.REPEATS), default=math.inf)
    # What it is made of is what the heights are made of.
    shares: dict[Cause, float] = {}
    for m in measured:
        for cause, share in limits(m.mean.effects):
            shares[cause] = shares.get(cause, 0.0) + share / len(measured)
    effects = tuple(
        (
            Source(
                Origin("range", cause),
                half / K_95 * math.sqrt(share),
                cause,
                max(dof, FEWEST_DOF) if cause is Cause.REPEATS else math.inf,
            ),
            1.0,
        )
        for cause, share in shares.items()
    )
    return Uncertain(factor * raw, effects)


def _at(measurand: str) -> Note:
    column, row = measurand.split("_")[1:]
    return note("bed.at", column=column, row=row)


def _what_to_do(
    spread: Uncertain, T: float, plane: Plane, lift: Mapping[str, float], raw: float, skim: float
) -> tuple[Note, ...]:
    U = spread.U
    if spread.value + U <= T:
        return (note("bed.leave"),)
    skimmed = note("bed.skim", skim=skim, raw=raw, margin=SKIM_MARGIN)
    raised = [[corner, v] for corner, v in lift.items() if v > U / 4]
    if plane.flatness + U <= T and raised:
        return note("bed.shim", raised=raised, left=plane.flatness), replace(skimmed, code="bed.or_skim")
    if raised:
        return skimmed, note("bed.shims_leave", raised=raised, left=plane.flatness)
    return skimmed, note("bed.level", left=plane.flatness)


def _shim(case: Case, run: TramRun, axis: str, tilt: float) -> tuple[Note, ...]:
    """Where a shim goes, as the head is held. tilt: mm per m, positive where the top leans towards +."""
    top, foot = ("+", "-") if tilt > 0 else ("-", "+")
    thick = {"thick": abs(tilt) / PER_METRE * run.mount, "mount": run.mount}
    match case.machine.head:
        case "stands":  # what is under the side that it leans to is raised
            return (note("bed.shim_under", side=f"{top}{axis}", **thick),)
        case "hangs":  # what is above the other side is pushed down
            return (note("bed.shim_above", side=f"{foot}{axis}", **thick),)
        case "":
            return (note("bed.say_how_held", side=f"{top}{axis}", **thick),)
    side, plate = case.machine.head.removeprefix("plate_").split("_")
    if plate != axis:
        return (note("bed.turn_head", side=f"{foot}{axis}", **thick),)
    # Behind the screws of the end that has to move off the plate.
    outwards = "-" if side == "low" else "+"
    end = "top" if outwards == foot else "bottom"
    return (note("bed.shim_behind", end=end, **thick),)
