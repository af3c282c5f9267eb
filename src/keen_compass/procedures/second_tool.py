"""A second tool against the first (arithmetic.md §9), both on the material itself: no printer between them.

Gaps: the first tool cuts a cross, the second draws a pair of lines astride each of its arms. Where the cut doesn't run
in the middle the second tool sits elsewhere: d = (gap₊ − gap₋) ÷ 2, gap₊ on the + side of the cut.
Vernier: the first tool's ticks have the pitch p, the second's p(1 − 1/N); the k-th pair lines up, so d = k·p/N, and by
whole pitches as a plain rule beside it says.

Where the second lands d beside what the first made: o_true = o_set + d.
"""

from __future__ import annotations

import math
from types import MappingProxyType

from keen_compass.errors import InputError, PieceError, shown_input
from keen_compass.language import tr
from keen_compass.machines.profile import Machine
from keen_compass.pieces.astride import MOST_DIVISIONS, WAYS, Astride
from keen_compass.pieces.in_picture import Pattern
from keen_compass.pieces.where import Lines, LinesUp, Where
from keen_compass.procedures.base import Procedure
from keen_compass.procedures.case import Case, length_mm, number
from keen_compass.procedures.checking import check_parameters, check_readings
from keen_compass.procedures.manner import OnStock, ReadBy, Sizes
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.offsets import AXES, aim_notes, aimed, drawn_line, offset_findings
from keen_compass.procedures.results import ask, assumed_notes, no_number
from keen_compass.procedures.stages import Surface
from keen_compass.procedures.surroundings import Choice, Surroundings
from keen_compass.quantities.assumed import AIMED
from keen_compass.quantities.bodies import JsonObject, Parameters
from keen_compass.quantities.findings import Solution
from keen_compass.quantities.instruments import BARE_EYE, Instrument
from keen_compass.quantities.notes import Note, note
from keen_compass.quantities.readings import Reads, number_of
from keen_compass.quantities.uncertainty import Cause, Origin, Shape, Source, Uncertain, combination
from keen_compass.quantities.verdict import Verdict
from keen_compass.solve.plausibility import Doubt

HEAD = "second_tool"
PITCH, DIVISIONS, SPACING = 1.0, 20, 10.0
DISAGREE = 0.3  # of a pitch, between rule and vernier: nobody knows which pair is meant
SURE = 0.45  # of a pitch: a rule that is read more coarsely than that can't say which pair is meant, whatever it says
SPACING_OFF = 0.5  # mm, by which both gaps may miss the spacing that was ordered
SIDES = ("high", "low")
NAMES = {
    "gaps": tuple(f"{axis}_{side}" for axis in AXES for side in SIDES),
    "vernier": tuple(f"{axis}_{what}" for axis in AXES for what in ("coarse", "line")),
}
EYE = Instrument(BARE_EYE, 0.1, (0.05, 0.0), kind="loupe", uid=BARE_EYE)  # of the plain rule beside a vernier


class SecondTool(Procedure[Astride]):
    """Lines of one tool astride those of another: how far they miss each other."""

    name = "second-tool"
    surface = Surface.ASTRIDE
    read_by = ReadBy(
        names=NAMES["gaps"],
        counts=MappingProxyType({"x_line": "", "y_line": ""}),
        suits=("steel rule", "caliper"),
        passes=1,
    )
    on_stock = OnStock(numbered=False, draws=True)
    sizes = Sizes(sides=(), large=())

    def choices(self, machine: Machine) -> tuple[Choice, ...]:
        """Gaps or two scales."""
        return (Choice("way", "second_tool.way", tuple((f"second_tool.by_{way}", way) for way in WAYS)),)

    def parameters(self, around: Surroundings) -> Parameters:
        """As they are read best."""
        if around.chosen["way"] == "vernier":
            return {"way": "vernier", "pitch": PITCH, "divisions": DIVISIONS}
        return self.usual_piece()

    def first(self, around: Surroundings) -> Note | None:
        """Which tool makes which lines, and how high the second stands."""
        fitted = around.machine.fitting("accessory")
        return note("second_tool.both_in", first=around.tool.name, second=fitted.name if fitted else "")

    def eye_for(self, parameters: Parameters) -> Instrument | None:
        """Scales are read as they are; gaps want a rule."""
        return EYE if parameters.get("way") == "vernier" else None

    def piece(self, parameters: Parameters) -> Astride:
        """From `way`, `pitch`, `divisions`, `spacing`."""
        check_parameters(parameters, {"way", "pitch", "divisions", "spacing"})
        way = parameters.get("way", "gaps")
        if way not in WAYS:
            raise InputError(tr("expected gaps or vernier, got {given}", given=shown_input(way)), "piece.way")
        pitch = length_mm(parameters.get("pitch", PITCH), "piece.pitch")
        divisions = number(parameters.get("divisions", DIVISIONS), "piece.divisions", 2, MOST_DIVISIONS)
        if divisions != round(divisions):
            raise InputError(tr("a whole number"), "piece.divisions")
        spacing = length_mm(parameters.get("spacing", 0.0), "piece.spacing")
        try:
            return Astride(str(way), pitch, round(divisions), spacing)
        except PieceError as error:
            raise error.at("piece") from None

    def pattern(self, piece: Astride) -> Pattern | None:
        """The cross, and what is drawn astride it."""
        return piece.pattern if piece.way == "gaps" else None

    def measurands(self, piece: Astride) -> tuple[Measurand, ...]:
        """Both gaps, or both scales, of each axis."""
        return tuple(
            Measurand(
                name,
                note(f"second_tool.{name[2:]}", axis=name[0]),
                name[0],
                piece.nominal(name),
                _where(piece, name),
                hint=f"second_tool.how_{name[2:]}",
                unit="" if name.endswith("line") else "mm",
                signed=piece.way == "vernier",
                reads=Reads.ABOUT,
            )
            for name in NAMES[piece.way]
        )

    def answer(self, case: Case) -> Solution:
        """Both components of the offset."""
        pair = self.piece(case.piece)
        check_readings(case, NAMES[pair.way], positive=pair.way == "gaps")
        missing = [name for name in NAMES[pair.way] if not case.readings.get(name)]
        if missing:
            return Solution(tuple(no_number(case, q, Verdict.UNRESOLVED, note("nothing_read")) for q in self.yields))
        if not case.confirmed and (asks := self._odd(case, pair)):
            return Solution(tuple(ask(case, q, Doubt((), asks)) for q in self.yields))
        read = _by_gap if pair.way == "gaps" else _by_vernier
        d = [read(case, pair, axis) for axis in AXES]
        errors = [value.times(-1.0) for value in d]
        said = (note("second_tool.moves", x=-d[0].value, y=-d[1].value),)
        about = (*(assumed_notes(case) if pair.way == "gaps" else ()), *aim_notes(case, by_hand=case.aim != AIMED))
        return Solution(offset_findings(case, HEAD, errors, said), (), about, {"beside": [v.value for v in d]})

    def _odd(self, case: Case, pair: Astride) -> Note | None:
        read_to = case.read_to()
        if pair.way == "vernier":
            most = min(max(DISAGREE * pair.pitch, read_to / 2), SURE * pair.pitch)
            for axis in AXES:
                fine = _whole(case, pair, axis) + _line(case, axis) * pair.pitch / pair.divisions
                if abs(_coarse(case, axis) - fine) > most:
                    return note("second_tool.disagree", axis=axis, rule=_coarse(case, axis), line=_line(case, axis))
            return None
        read = {name: case.measured(name, nominal=pair.nominal(name)) for name in NAMES["gaps"]}
        for axis in AXES:
            both = read[f"{axis}_high"].value + read[f"{axis}_low"].value
            if pair.spacing and abs(both - pair.spacing) > SPACING_OFF + read_to:
                return note("second_tool.spacing", axis=axis, both=both, ordered=pair.spacing)
        return None

    def predict(self, case: Case, readings_each: int) -> dict[str, float]:
        """U of either component, mm."""
        piece = self.piece(case.piece)
        drawn = _drawn(case, piece, "x")
        if piece.way == "vernier":
            eye = Source(
                Origin("vernier"),
                piece.pitch / piece.divisions / 2 / math.sqrt(3),
                Cause.DIVISION,
                shape=Shape.RECTANGLE,
            )
            U = Uncertain(0.0, ((eye, 1.0), *drawn)).U
        else:
            high, low = (case.foreseen(f"x_{side}", piece.nominal(""), readings_each, edge=side) for side in SIDES)
            mean = combination([(0.5, high.mean), (-0.5, low.mean)])
            U = Uncertain(0.0, (*mean.effects, *drawn)).U
        return {f"{HEAD}_{axis}": U for axis in AXES}

    def example(self) -> JsonObject:
        """A scoring tip that lands 0.15 mm too far along X, 0.2 mm short along Y."""
        return {
            "procedure": "second-tool",
            "machine": {"values": {"second_tool_x": 31.5, "second_tool_y": 0.4}, "decimals": 2},
            "piece": {"way": "gaps", "spacing": 10},
            "instrument": {"name": "rule", "kind": "rule", "resolution": 0.1, "permissible_error": [0.05, 0]},
            "tolerance": 0.2,
            "subject": {"accessory": "scoring-tip"},
            "readings": [
                {"measurand": "x_high", "values": [5.2, 5.1]},
                {"measurand": "x_low", "values": [4.8, 4.9]},
                {"measurand": "y_high", "values": [4.8, 4.8]},
                {"measurand": "y_low", "values": [5.2, 5.2]},
            ],
        }

    def usual_piece(self) -> Parameters:
        """Lines 5 mm to either side."""
        return {"way": "gaps", "spacing": SPACING}


PROCEDURE = SecondTool()


def _by_gap(case: Case, pair: Astride, axis: str) -> Uncertain:
    """d = (gap₊ − gap₋) ÷ 2. Both gaps are of different lengths as soon as d isn't nothing, and the instrument is off
    anyhow at each: only what its zero is off goes.
    """
    high, low = (case.measured(f"{axis}_{side}", nominal=pair.nominal(""), edge=side) for side in SIDES)
    mean = combination([(0.5, high.mean), (-0.5, low.mean)])
    return Uncertain(mean.value, (*mean.effects, *_drawn(case, pair, axis)))


def _drawn(case: Case, pair: Astride, axis: str) -> tuple[tuple[Source, float], ...]:
    """Where the lines lie beside where they were sent: the first tool's and the second's, of which gaps take the mean
    of two. Where someone says how well the second was brought over the first by eye, that too.
    """
    first, second = (drawn_line((tool, axis)) for tool in ("first", "second"))
    by_eye = ((aimed(case, axis), 1.0),) if case.aim != AIMED else ()
    return (first, 1.0), (second, 1 / math.sqrt(2) if pair.way == "gaps" else 1.0), *by_eye


def _by_vernier(case: Case, pair: Astride, axis: str) -> Uncertain:
    """d = k·p/N + whole pitches: a rectangle of half a step, of a quarter where it lies between two pairs."""
    step, line = pair.pitch / pair.divisions, _line(case, axis)
    between = any(number_of(r) % 1 for r in case.readings[f"{axis}_line"])
    half = step / 4 if between else step / 2
    eye = Source(Origin("vernier", axis), half / math.sqrt(3), Cause.DIVISION, shape=Shape.RECTANGLE)
    return Uncertain(line * step + _whole(case, pair, axis), ((eye, 1.0), *_drawn(case, pair, axis)))


def _line(case: Case, axis: str) -> float:
    read = [number_of(r) for r in case.readings[f"{axis}_line"]]
    return sum(read) / len(read)


def _coarse(case: Case, axis: str) -> float:
    return case.measured(f"{axis}_coarse").value


def _whole(case: Case, pair: Astride, axis: str) -> float:
    """The whole pitches by which the vernier is ambiguous, as the rule has them, mm."""
    rest = _coarse(case, axis) - _line(case, axis) * pair.pitch / pair.divisions
    return round(rest / pair.pitch) * pair.pitch


def _where(piece: Astride, name: str) -> Where:
    """Between which lines a gap is read."""
    axis, what = name[0], name[2:]
    if what in ("high", "low"):
        ends = ("cut", "high") if what == "high" else ("low", "cut")
        return Lines(axis, *(piece.order_of(f"{end}_{axis}") for end in ends))
    if what == "coarse":
        return Lines(axis, piece.order_of(f"first_{axis}_0"), piece.order_of(f"second_{axis}_0"))
    numbers = range(-piece.reach, piece.reach + 1)
    first, second = (tuple(piece.order_of(f"{s}_{axis}_{k}") for k in numbers) for s in ("first", "second"))
    return LinesUp(axis, first, second)
