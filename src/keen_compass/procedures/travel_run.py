"""A run along one axis, read at targets up and back: scale, lost motion, straightness (arithmetic.md §5).

The same run over the whole length of a roll, out and back several times, shows how the feed tracks.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace

from keen_compass.errors import InputError, PieceError
from keen_compass.language import tr
from keen_compass.machines.limits import UNITS
from keen_compass.machines.profile import Machine
from keen_compass.procedures.base import Procedure
from keen_compass.procedures.case import Case, length_mm, number
from keen_compass.procedures.checking import axis_of, check_parameters, check_readings
from keen_compass.procedures.manner import OnStock, ReadBy, Sizes
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.results import (
    ABBE,
    PER_METRE,
    ask,
    assumed_notes,
    backlash_outcome,
    contradicted,
    judged,
    no_number,
    parts_say,
    scale_formula,
    scale_outcome,
    suggest_warmth,
)
from keen_compass.procedures.stages import Makes, Surface
from keen_compass.procedures.surroundings import COMPENSATION, Choice, Surroundings
from keen_compass.procedures.tracking import TRIPS, TrackingRun, foreseen_drift, track, trips_of
from keen_compass.procedures.travel_shapes import (
    MARGIN,
    OVERRUN,
    PARALLEL,
    UNEVEN,
    Z_MARGIN,
    TravelRun,
    aside_per_metre,
    laid_rule,
    measured_nodes,
    rise,
    stop_note,
    targets_given,
    uneven,
    written_target,
)
from keen_compass.procedures.travel_shown import figures_of, shape_in, shaped
from keen_compass.quantities.bodies import JsonObject, Parameters
from keen_compass.quantities.charts import Deviations, Shown
from keen_compass.quantities.findings import Figures, Finding, Solution
from keen_compass.quantities.lengths import Length
from keen_compass.quantities.measuring import READ_ALONG, Held, Measurement
from keen_compass.quantities.notes import Note, Said, figure, note, plain
from keen_compass.quantities.uncertainty import Uncertain
from keen_compass.quantities.verdict import Verdict
from keen_compass.solve.bend import Shape
from keen_compass.solve.joint import Observation
from keen_compass.solve.plausibility import Doubt, looks_scaled
from keen_compass.solve.travel import Node, TravelFit, fit_travel, iso_figures, scale_of, travel_rows

STRIP = 10.0  # mm, by which the next place for ticks is looked for
_PARAMETERS = {
    "run",
    "axis",
    "start",
    "across",
    "length",
    "targets",
    "compensation_off",
    "trips",
    "parallel_within_deg",
    "units",
}
FIGURES = ("reversal_B", "repeatability_R", "systematic_E", "drift", "slip")  # that are shown, where there are any


class TravelRunProcedure(Procedure[TravelRun | TrackingRun]):
    """Moves of known length read along a rule, there and back: scale, lost motion and how straight it is."""

    name = "travel-run"
    surface = Surface.RULE
    makes = Makes.MOVES
    # A caliper stands nowhere along an axis.
    read_by = ReadBy(
        names=("up_1 … up_n", "down_n … down_1", "trip_1 … trip_n"), suits=("steel rule", "tape", "dial gauge")
    )
    on_stock = OnStock(numbered=False)
    sizes = Sizes(large=("length",), slider=True, grows=("length",), sides=("length",))

    def choices(self, machine: Machine) -> tuple[Choice, ...]:
        """What is run, and along which axis."""
        axes = tuple((plain(a.upper()), a) for a in ("x", "y", "z") if f"{a}_steps" in machine.quantities)
        runs: tuple[tuple[Said, object], ...] = (("travel_run.travel", "travel"),)
        if "tracking" in machine.quantities:
            runs += (("travel_run.tracking", "tracking"),)
        lies = tuple((figure(f"{aside_per_metre(d)} mm/m"), d) for d in PARALLEL)
        parallel = Choice("parallel_within_deg", "travel_run.parallel", lies)
        return (Choice("run", "travel_run.run", runs), Choice("axis", "axis", axes), COMPENSATION, parallel)

    def longest(self, machine: Machine, chosen: Parameters) -> float:
        """What fits on the bed beside its margins, mm."""
        axis = chosen.get("axis", "x")
        if axis == "z":
            return machine.z_travel - 2 * Z_MARGIN
        return machine.loaded[0 if axis == "x" else 1] - 2 * MARGIN

    def heading(self, parameters: Parameters) -> Note:
        """Feed tracking is a run of its own."""
        tracking = parameters.get("run") == "tracking"
        return note("travel_run.heading_tracking") if tracking else super().heading(parameters)

    def suits_for(self, chosen: Parameters) -> tuple[str, ...]:
        """Z is short: a depth gauge or dial, not a rule."""
        return ("depth gauge", "dial gauge", "caliper") if chosen.get("axis") == "z" else self.read_by.suits

    def chosen_for(self, quantity: str) -> Parameters:
        """Which choices yield a quantity."""
        if quantity == "tracking":
            return {"run": "tracking"}
        return {"run": "travel", "axis": quantity[0]}

    def parameters(self, around: Surroundings) -> Parameters:
        """A run of the chosen size, its targets on round numbers."""
        chosen, machine = around.chosen, around.machine
        axis = machine.long_axis if chosen.get("run") == "tracking" else chosen.get("axis", "x")
        margin = Z_MARGIN if axis == "z" else MARGIN
        media = machine.media
        low, room = (media.x, media.height) if axis == "x" else (media.y, media.width)
        across = min(room, 400.0) / 2
        body: dict[str, object] = {"axis": axis, "start": margin, "across": across, "length": around.size}
        if axis != "z":
            body["start"] = low + margin
        if chosen.get("run") == "tracking":
            return self._beside(around, body | {"run": "tracking", "trips": TRIPS})
        targets = 11 if around.size >= 500 else 6
        # On marks that a rule has: the run is a little shorter for it.
        spacing = max(math.floor(around.size / (targets - 1) / around.fine + 1e-9) * around.fine, around.fine)
        length = spacing * (targets - 1)
        return self._beside(
            around,
            body
            | {
                "run": "travel",
                "targets": uneven(targets, length, around.fine),
                "length": length,
                "compensation_off": bool(chosen.get("compensation_off")),
                "parallel_within_deg": chosen.get("parallel_within_deg", PARALLEL[0]),
                "units": machine.units,
            },
        )

    def again(self, before: Parameters, around: Surroundings) -> Parameters:
        """The same run; where it leaves ticks, beside the last."""
        return self._beside(around, dict(before))

    def _beside(self, around: Surroundings, body: Parameters) -> Parameters:
        """A table's run leaves no marks. A plotter's ticks go onto a free strip of what is loaded."""
        machine, axis = around.machine, body["axis"]
        if machine.file_format == "gcode" or axis == "z":
            return body
        media = machine.media
        low, high = (media.y, media.y_high) if axis == "x" else (media.x, media.x_high)
        places = [low + STRIP * k + OVERRUN for k in range(max(int((high - low) / STRIP), 1))]
        first: Parameters = {**body, "across": places[0]}
        try:
            boxes = self.spots(self.piece(first), machine, around.passes)
        except InputError:
            return first  # it is refused in words
        for across in places:  # elsewhere the very same marks lie so much further on
            dx, dy = (0.0, across - places[0]) if axis == "x" else (across - places[0], 0.0)
            moved = [replace(box, x=box.x + dx, y=box.y + dy) for box in boxes]
            if around.free(moved, self.on(machine)):
                return {**body, "across": across}
        return first

    def piece(self, parameters: Parameters) -> TravelRun | TrackingRun:
        """From `run`, `axis`, `start`, `across`, `length`, `targets` (how many, or where), `trips`."""
        check_parameters(parameters, _PARAMETERS)
        axis = axis_of(parameters)
        margin = Z_MARGIN if axis == "z" else MARGIN
        start, across = (length_mm(parameters.get(k, margin), f"piece.{k}") for k in ("start", "across"))
        length = length_mm(parameters.get("length", 1000.0), "piece.length")
        if not length > 0:
            raise PieceError(tr("must be larger than 0"), "piece.length")
        if parameters.get("run", "travel") == "tracking":
            return TrackingRun(axis, start, across, length, trips_of(parameters.get("trips", TRIPS)))
        if parameters.get("run", "travel") != "travel":
            raise InputError(tr("expected travel or tracking"), "piece.run")
        targets = targets_given(parameters.get("targets", 11), length)
        within = number(parameters.get("parallel_within_deg", 0.0), "piece.parallel_within_deg")
        if not 0 <= within < 15:
            raise PieceError(tr("must be from 0 to 15 degrees"), "piece.parallel_within_deg")
        off = bool(parameters.get("compensation_off", False))
        units = parameters.get("units", "mm")
        if units not in UNITS:
            raise InputError(tr("expected one of {units}", units=", ".join(UNITS)), "piece.units")
        return TravelRun(axis, start, across, targets, off, math.radians(within), units)

    def measurands(self, piece: TravelRun | TrackingRun) -> tuple[Measurand, ...]:
        """Targets up, then back; or the trips."""
        if isinstance(piece, TrackingRun):
            return piece.measurands()
        return tuple(
            Measurand(
                name,
                note("travel_run.target", at=written_target(p, piece.units), up=way > 0),
                piece.axis,
                p,
                piece.where(i),
                hint="travel_run.how",
                spoken=stop_note((p, way)),
                signed=True,
                way=way,
            )
            for i, (name, (p, way)) in enumerate(piece.nodes().items())
        )

    def shown(self, figures: Figures) -> Shown:
        """The standard's figures; of a tracking run drift and slip."""
        lines: list[tuple[Said, Note]] = [
            (f"travel_run.{name}", note("travel_run.length", mm=figures[name]))
            for name in FIGURES
            if isinstance(figures.get(name), (int, float))
        ]
        if "after" in figures:
            after = Note.from_body(figures["after"]["note"])
            lines.append((after, note("travel_run.cycles", cycles=figures["cycles"])))
        return Shown(tuple(lines))

    def chart(self, figures: Figures) -> Deviations | None:
        """Deviation against position, with two targets read."""
        if not figures.get("positions"):
            return None
        return Deviations(
            tuple(figures["positions"]),
            tuple(figures["up"]),
            tuple(figures["down"]),
            figures.get("scale") or 0.0,
            figures.get("lost_motion") or 0.0,
        )

    def yields_for(self, parameters: Parameters) -> tuple[str, ...]:
        """The tracking, or scale and backlash of one axis."""
        if parameters.get("run") == "tracking":
            return ("tracking",)
        axis = parameters.get("axis", "x")
        return (f"{axis}_steps", f"{axis}_backlash")

    def answer(self, case: Case) -> Solution:
        """Scale and lost motion with the standard's figures; or how the feed tracks."""
        run = self.piece(case.piece)
        if isinstance(run, TrackingRun):
            check_readings(case, tuple(m.name for m in run.measurands()), positive=False)
            return track(case, run)
        check_readings(case, tuple(run.nodes()), positive=False)
        return self._travel(case, run)

    def plans(self, case: Case) -> list[Parameters]:
        """Each axis that is open, short and long."""
        axes = [a for a in "xy" if {f"{a}_steps", f"{a}_backlash"} & set(case.open)]
        longest = case.largest_size or 1000.0
        lengths = sorted({min(x, longest) for x in (300.0, 600.0, 1000.0)})
        return [{"axis": a, "length": x, "targets": n} for a in axes for x in lengths for n in (4, 6)]

    def rows(self, case: Case) -> list[Observation]:
        """Every target, from both directions."""
        run = self.piece(case.piece)
        if isinstance(run, TrackingRun):
            return super().rows(case)
        check_readings(case, tuple(m.name for m in self.measurands(run)), positive=False)
        return travel_rows(run.axis, measured_nodes(laid_rule(case, run), run.nodes()))

    def predict(self, case: Case, readings_each: int) -> dict[str, float]:
        """U of scale (mm/m) and lost motion (mm) if every target were read so often."""
        run = self.piece(case.piece)
        if isinstance(run, TrackingRun):
            return foreseen_drift(case, run)
        case = laid_rule(case, run)
        foreseen = {
            node: case.foreseen(name, node[0], readings_each, held=Held.ALONG, nominal=node[0])
            for name, node in run.nodes().items()
        }
        found = fit_travel(run.axis, foreseen, _known(case, run))
        lost = {f"{run.axis}_backlash": found.lost_motion.U} if found.lost_motion else {}
        return {f"{run.axis}_steps": found.scale.U * PER_METRE, **lost}

    def example(self) -> JsonObject:
        """X over a metre, six targets, five cycles: 0.31 mm/m too long, 0.12 mm lost motion."""
        noise = (0.0, 0.01, -0.01, 0.01, 0.0, -0.01)
        readings = []
        for name, (p, way) in self.piece({"targets": UNEVEN}).nodes().items():  # type: ignore[union-attr]
            at = 2.34 + p * 1.00031 - 0.06 * way
            readings.append(
                {"measurand": name, "values": [round(at + noise[(i + int(p / 170)) % 6], 2) for i in range(5)]}
            )
        return {
            "procedure": "travel-run",
            "machine": {
                "units": "mm",
                "resolution_form": "steps_per_mm",
                "decimals": 3,
                "values": {"x_steps": 106.667, "x_backlash": 0.0},
            },
            "piece": {"axis": "x", "length": 1000, "targets": UNEVEN},
            "instrument": {
                "name": "glass scale",
                "kind": "rule",
                "resolution": 0.01,
                "permissible_error": [0.01, 0.00001],
                "parallel_within_deg": 0.2,
            },
            "tolerance": {"x_steps": 0.2, "x_backlash": 0.05},
            "readings": readings,
        }

    def usual_piece(self) -> Parameters:
        """The whole of X."""
        return {"axis": "x", "start": 20.0, "across": 200.0, "length": 1200.0, "targets": 7}

    # Scale and lost motion

    def _travel(self, case: Case, run: TravelRun) -> Solution:
        nodes = run.nodes()
        readings: dict[Node, list[float]] = {nodes[m]: [v.mm for v in case.lengths(m)] for m in case.readings}
        steps, backlash = f"{run.axis}_steps", f"{run.axis}_backlash"
        case.resolution(steps)
        if len({p for p, _ in readings}) < 2:
            why = note("travel_run.two_targets")
            return Solution((no_number(case, steps, Verdict.UNRESOLVED, why, run.length),))
        falls = rise(readings) < 0
        if falls:
            readings = {node: [-v for v in values] for node, values in readings.items()}
            case = turned_round(case)
        case = laid_rule(case, run)
        measured = measured_nodes(case, nodes)
        question = self._question(case, run, readings, measured, falls=falls)
        if question and not case.confirmed:
            return Solution((ask(case, steps, question, run.length),))
        found = fit_travel(run.axis, measured, _known(case, run))
        shape = shape_in(case, nodes)
        findings = [self._scale(case, run, found, shape)]
        if found.lost_motion:
            findings.append(self._lost_motion(case, run, found.lost_motion))
        else:
            findings.append(no_number(case, backlash, Verdict.UNRESOLVED, note("travel_run.come_back_too")))
        notes = [*assumed_notes(case), *suggest_warmth(case, run.length)]
        if found.inflation > 1:
            notes.append(note("travel_run.targets_scatter"))
        if run.axis == "z":
            notes.append(ABBE)
        return Solution(tuple(findings), (), tuple(notes), figures_of(case, run, found, iso_figures(readings), shape))

    def _question(
        self,
        case: Case,
        run: TravelRun,
        readings: Mapping[Node, list[float]],
        measured: Mapping[Node, Measurement],
        *,
        falls: bool,
    ) -> Doubt | None:
        if falls:
            return Doubt(tuple(case.readings), note("travel_run.falls"))
        positions = [p for p, _ in readings]
        doubt = looks_scaled("travel", max(positions) - min(positions), [rise(readings)], 0.0)
        if doubt:
            return replace(doubt.of("travel_run.what_travel"), measurands=tuple(case.readings))
        # An axis bends, slips and turns unevenly, which no single target explains: that is said beside the numbers.
        labels: dict[str, Said] = {m.name: stop_note(node) for node, m in measured.items()}
        odd = contradicted(case, [*travel_rows(run.axis, measured), *_known(case, run)], labels)
        return odd if odd and len(odd.measurands) == 1 else None

    def _scale(self, case: Case, run: TravelRun, found: TravelFit, shape: Shape | None) -> Finding:
        quantity = f"{run.axis}_steps"
        s = found.scale
        wanted, came = case.ordered(run.length), case.in_its_unit(run.length * (1 + s.value))
        formula = scale_formula(case, quantity, wanted, came)
        notes = [*shaped(shape), *parts_say(case, quantity, s.value)]
        if case.instrument.kind in READ_ALONG and not case.instrument.parallel_within:
            notes.append(note("travel_run.no_tilt"))
        return judged(case, scale_outcome(case, quantity, s, run.length, formula, tuple(notes)), self)

    def _lost_motion(self, case: Case, run: TravelRun, B: Uncertain) -> Finding:
        quantity, off = f"{run.axis}_backlash", run.compensation_off
        return judged(case, backlash_outcome(case, quantity, B, compensation_off=off), self)


PROCEDURE = TravelRunProcedure()


def turned_round(case: Case) -> Case:
    """With every length read the other way."""
    turned = {
        m: tuple(replace(r, mm=-r.mm) if isinstance(r, Length) else r for r in read)
        for m, read in case.readings.items()
    }
    return replace(case, readings=turned)


def _known(case: Case, run: TravelRun) -> list[Observation]:
    """What was known of the axis' scale; what was known of its play is weighed when that is judged."""
    scale = scale_of(run.axis)
    known = case.known.get(scale.name)
    return [known.row(scale)] if known else []
