"""Home offset: lines meant to lie n from the stock's edges lie at m (arithmetic.md §6).

offset_new = offset_old + (n − m)         edges at the high end flip the sign; so may the machine's profile
"""

from __future__ import annotations

from dataclasses import replace

from keen_compass.errors import PieceError
from keen_compass.machines.profile import Machine
from keen_compass.pieces.corner import CornerLines
from keen_compass.procedures.base import Procedure
from keen_compass.procedures.case import Case, length_mm
from keen_compass.procedures.checking import check_parameters, check_readings
from keen_compass.procedures.manner import OnStock, ReadBy, Sizes
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.results import amount_outcome, arithmetic, ask, assumed_notes, judged, no_number, weighed
from keen_compass.procedures.stages import Surface
from keen_compass.procedures.surroundings import Choice, Surroundings
from keen_compass.quantities.bodies import JsonObject, Parameters
from keen_compass.quantities.findings import Finding, Solution
from keen_compass.quantities.measuring import Measurement
from keen_compass.quantities.notes import note, plain
from keen_compass.quantities.uncertainty import Cause, Origin, Source, Uncertain, combination
from keen_compass.quantities.verdict import Verdict
from keen_compass.solve.plausibility import Doubt

DISTANCE = 25.0  # mm from the edges
NEAREST, CLOSE = 30.0, 9.0  # mm from the corner to the first pair of lines; on a strip
STEP_ALONG = 60.0  # mm from one pair of lines to the next
SEATING = 0.03  # mm, standard: how well the stock lies against its stops
MEASURANDS = ("x_edge", "y_edge")
FAR = 60.0  # mm; further off, another edge was meant
_PLACES = ("stock_x", "stock_y", "edge_x", "edge_y")
_PARAMETERS = {"distance", "along", "high_x", "high_y", *_PLACES}


class Home(Procedure[CornerLines]):
    """Two lines drawn from the corner: how far home lies from where it should."""

    name = "home"
    surface = Surface.CALLOUTS
    read_by = ReadBy(names=MEASURANDS, suits=("caliper", "depth gauge", "steel rule"))
    on_stock = OnStock(numbered=False, anchored=True, placing=("along",), draws=True)
    sizes = Sizes(large=("distance",), sides=())

    def choices(self, machine: Machine) -> tuple[Choice, ...]:
        """From which edges one measures."""
        ends = (("home.lowest", False), ("home.highest", True))
        return (Choice("high_x", "home.x_edge_at", ends), Choice("high_y", "home.y_edge_at", ends))

    def parameters(self, around: Surroundings) -> Parameters:
        """Further along the edges than what lies there."""
        stock = around.machine.stock
        x, y, w, h = (stock.x, stock.y, stock.width, stock.height) if stock else (0.0, 0.0, *around.machine.bed)
        return self._beside(
            around,
            {
                "distance": DISTANCE,
                "high_x": bool(around.chosen.get("high_x")),
                "high_y": bool(around.chosen.get("high_y")),
                "stock_x": w,
                "stock_y": h,
                "edge_x": x,
                "edge_y": y,
            },
        )

    def again(self, before: Parameters, around: Surroundings) -> Parameters:
        """The same lines beside the last."""
        return self._beside(around, dict(before))

    def _beside(self, around: Surroundings, body: Parameters) -> Parameters:
        """The lines as near to the corner as there is free stock for both."""
        most = min(length_mm(body[name], name) for name in ("stock_x", "stock_y"))
        places = [NEAREST + STEP_ALONG * k for k in range(max(int((most - NEAREST) / STEP_ALONG) + 1, 1))]
        return self.first_free(around, ({**body, "along": along} for along in (*places, CLOSE)))

    def piece(self, parameters: Parameters) -> CornerLines:
        """From `distance`, `along`, `high_x`, `high_y`, `stock_x`, `stock_y`; `edge_x`, `edge_y` say where it lies."""
        check_parameters(parameters, _PARAMETERS)
        lengths = {
            k: length_mm(parameters.get(k, d), f"piece.{k}")
            for k, d in {"distance": DISTANCE, "along": 30.0, **dict.fromkeys(_PLACES, 0.0)}.items()
        }
        try:
            return CornerLines(
                lengths["distance"],
                lengths["along"],
                bool(parameters.get("high_x", False)),
                bool(parameters.get("high_y", False)),
                (lengths["stock_x"], lengths["stock_y"]),
                (lengths["edge_x"], lengths["edge_y"]),
            )
        except PieceError as error:
            raise error.at("piece") from None

    def measurands(self, piece: CornerLines) -> tuple[Measurand, ...]:
        """From each edge to its line."""
        return tuple(
            Measurand(
                m,
                note("home.edge_to_line", axis=m[0]),
                m[0],
                piece.nominal(m),
                piece.where(m[0]),
                piece.line(m),
                (0, 1) if m == "x_edge" else (1, 0),
                "home.how",
            )
            for m in MEASURANDS
        )

    def answer(self, case: Case) -> Solution:
        """Both offsets; an axis that was not read says so."""
        piece = self.piece(case.piece)
        check_readings(case, MEASURANDS, positive=True)
        return Solution(tuple(self._axis(case, piece, a) for a in ("x", "y")), (), assumed_notes(case))

    def predict(self, case: Case, readings_each: int) -> dict[str, float]:
        """U of the corner's place, mm."""
        n = self.piece(case.piece).nominal("x_edge")
        seated = [_seated(case.foreseen(m, n, readings_each, nominal=n)) for m in MEASURANDS]
        return {"x_home": seated[0].U, "y_home": seated[1].U}

    def example(self) -> JsonObject:
        """Lines meant 25 mm from the edges: X 0.42 mm too far in, Y 0.03 mm short."""
        return {
            "procedure": "home",
            "machine": {"decimals": 2, "values": {"x_home": 4.0, "y_home": 6.5}},
            "piece": {"distance": 25},
            "instrument": {"resolution": 0.01, "permissible_error": [0.02, 0.0]},
            "tolerance": 0.2,
            "readings": [
                {"measurand": "x_edge", "values": [25.42, 25.41, 25.43]},
                {"measurand": "y_edge", "values": [24.97, 24.98, 24.97]},
            ],
        }

    def usual_piece(self) -> Parameters:
        """At the corner of lowest X and Y."""
        return {"distance": DISTANCE, "along": 40.0}

    def _axis(self, case: Case, piece: CornerLines, axis: str) -> Finding:
        quantity, m = f"{axis}_home", f"{axis}_edge"
        if m not in case.readings:
            return no_number(case, quantity, Verdict.UNRESOLVED, note("nothing_read_of", what=plain(axis.upper())))
        measured = case.measured(m, nominal=piece.nominal(m))
        mean, n = measured.value, piece.nominal(m)
        if not case.confirmed and abs(mean - n) > FAR:
            return ask(case, quantity, Doubt((m,), note("home.other_edge", read=mean, meant=n)))
        high = piece.high_x if axis == "x" else piece.high_y
        # Too far along the axis is +: from a high edge that shows as too short a distance.
        error = combination(((-1.0 if high else 1.0, _seated(measured)),), n if high else -n)
        error = weighed(case, quantity, error)
        old = case.amount(quantity).base
        change = -error.value * case.factor(quantity)
        text = f"{case.in_its_unit(old)} + ({case.ordered(n)} − {case.in_its_unit(mean)})"
        if high != (case.factor(quantity) < 0):
            text = text.replace("+ (", "− (")
        if quantity in case.known:
            text = f"{case.in_its_unit(old)} + {case.in_its_unit(change)}".replace("+ −", "− ")
        outcome = amount_outcome(case, quantity, old + change, error, arithmetic(text))
        finding = judged(case, outcome, self)
        if finding.verdict is Verdict.IN:
            return finding
        return replace(finding, notes=(*finding.notes, note("home.home_again")))


PROCEDURE = Home()


def _seated(measured: Measurement) -> Uncertain:
    """How the stock lies against its stops counts as well."""
    seating = Source(Origin("seating", measured.name), SEATING, Cause.SEATING)
    return measured.mean._replace(effects=(*measured.mean.effects, (seating, 1.0)))
