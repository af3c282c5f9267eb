"""Kerf from a small plate with a hole and a slot, cut and measured (arithmetic.md §8; the model is `solve.kerf`)."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace

from keen_compass.errors import InputError, PieceError, shown_input
from keen_compass.language import tr
from keen_compass.machines.profile import Machine
from keen_compass.pieces.plate import BOTTOM, GOVERN, INSIDE, OUTSIDE, KerfPlate
from keen_compass.pieces.where import Faces
from keen_compass.procedures.base import Procedure
from keen_compass.procedures.case import Case, length_mm
from keen_compass.procedures.checking import check_parameters, check_readings
from keen_compass.procedures.kerfs import KerfFit, held_kerf, kerf_finding, mm_of_one, room_held
from keen_compass.procedures.manner import OnStock, ReadBy, Sizes
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.results import (
    Outcome,
    arithmetic,
    ask,
    assumed_notes,
    held_notes,
    judged,
    no_number,
    scatter_notes,
)
from keen_compass.procedures.stages import Surface
from keen_compass.procedures.surroundings import Choice, Surroundings
from keen_compass.quantities.bodies import JsonObject, Parameters
from keen_compass.quantities.charts import Section, Shown
from keen_compass.quantities.findings import Figures, Finding, Solution
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.measuring import Measurement
from keen_compass.quantities.notes import Note, Said, note
from keen_compass.quantities.stored import SIZE, StoredAmount
from keen_compass.quantities.uncertainty import Uncertain, combination
from keen_compass.quantities.verdict import Verdict
from keen_compass.solve.joint import Observation
from keen_compass.solve.kerf import HOLE_BIAS, KERF, RANGES, Size, determined, edge, row, wanted

SIDES = {"width": (0, 1), "height": (-1, 0), "short_width": (0, -1), "short_height": (1, 0)}
AXIS = {"width": "x", "short_width": "x", "hole_0": "x", "height": "y", "short_height": "y", "hole_90": "y"}
USUAL_HOLE, USUAL_SLOT = 0.28, 0.1  # of the width
CLEAR = 0.36  # of the height, how far from the middle the callouts of hole and slot stand
STEPPED_BOXES = {"hole_0": (0.11, 0.86), "hole_90": (0.2, 0.08), "slot": (0.74, 0.75)}  # of width and height
SMALL, LONG = 160.0, 320.0  # mm, width of the plate that is proposed; of one with long and short lengths
STEPPED_SHARE = 0.4  # of the usual hole and slot, that its arm has room for
_LENGTHS = ("width", "height", "short_width", "short_height", "hole", "slot", "compensation", "thickness")
_PARAMETERS = {*_LENGTHS, "hole_bias", "slot_axis", "govern", "made_by", "thermal", "tabs"}


class KerfSquare(Procedure[KerfPlate]):
    """A plate with a hole and a slot: kerf from outsides and insides, play told apart."""

    name = "kerf-square"
    surface = Surface.CALLOUTS
    judged_by = ("govern",)
    read_by = ReadBy(
        names=(*OUTSIDE, *INSIDE, *(f"{m}{BOTTOM}" for m in (*OUTSIDE, *INSIDE))), suits=("caliper", "micrometer")
    )
    on_stock = OnStock(usual_on=MachineKind.PLASMA, thermal=True)
    sizes = Sizes(grows=(), sides=("width", "height"))

    def choices(self, machine: Machine) -> tuple[Choice, ...]:
        """Which sizes govern, and what there is besides the outside."""
        govern = tuple((f"kerf_square.{g}", g) for g in GOVERN)
        inner = tuple((f"kerf_square.with_{w}", w) for w in ("hole_slot", "slot", "hole", "neither"))
        outline = (("kerf_square.plain", "plain"), ("kerf_square.stepped", "stepped"))
        tabs = (("kerf_square.with_tabs", True), ("kerf_square.without", False))
        held = () if machine.kind.thermal else (Choice("tabs", "kerf_square.tabs", tabs),)
        return (
            Choice("govern", "kerf_square.govern", govern),
            Choice("inner", "kerf_square.inner", inner),
            Choice("outline", "kerf_square.outline", outline),
            *held,
        )

    def parameters(self, around: Surroundings) -> Parameters:
        """A small plate in the material that is loaded."""
        inner, stepped = str(around.chosen.get("inner", "hole_slot")), around.chosen.get("outline") == "stepped"
        width = min(
            LONG if stepped else SMALL,
            around.machine.sheet.width / 2 or SMALL,
            around.machine.sheet.height / 1.6 or SMALL,
        )
        width = max(around.rounded(width), 40.0)
        stock, compensation = around.machine.stock, around.kerf
        height, share = around.rounded(0.75 * width), STEPPED_SHARE if stepped else 1.0
        short = {"short_width": around.rounded(width / 2), "short_height": around.rounded(height / 2)}
        return {
            "width": width,
            "height": height,
            **(short if stepped else {}),
            "hole": round(share * USUAL_HOLE * width) if "hole" in inner else 0.0,
            "slot": float(max(round(share * USUAL_SLOT * width), 2 * compensation)) if "slot" in inner else 0.0,
            **_in_force(around),
            "thickness": stock.thickness if stock else 0.0,
            "tabs": around.chosen.get("tabs", True),
            "govern": around.chosen.get("govern", "outside"),
            "thermal": around.machine.kind.thermal,
        }

    def again(self, before: Parameters, around: Surroundings) -> Parameters:
        """The same plate, with what is in force by now."""
        return {**before, **_in_force(around)}

    def piece(self, parameters: Parameters) -> KerfPlate:
        """From the lengths of `KerfPlate`, `slot_axis`; `govern` says which sizes are to come right."""
        check_parameters(parameters, _PARAMETERS)
        if parameters.get("govern", "outside") not in GOVERN:
            raise InputError(tr("expected one of {govern}", govern=", ".join(GOVERN)), "piece.govern")
        usual = {"width": 90.0, "height": 70.0}
        lengths = {k: length_mm(parameters[k], f"piece.{k}") for k in (*_LENGTHS, "hole_bias") if k in parameters}
        axis = parameters.get("slot_axis", "x")
        try:
            return KerfPlate(
                **(usual | lengths),
                slot_axis=axis if isinstance(axis, str) else "",
                thermal=_yes(parameters, "thermal", usual=False),
                tabs=_yes(parameters, "tabs", usual=True),
            )
        except PieceError as error:
            raise error.at("piece") from None

    def measurands(self, piece: KerfPlate) -> tuple[Measurand, ...]:
        """What is read at the upper edges; and at the lower ones, with the piece turned over."""
        upper = tuple(
            Measurand(
                m,
                f"kerf_square.{m}",
                _axis(piece, m),
                piece.nominal(m),
                Faces(piece.line(m), "inside" if m in INSIDE else "jaws"),
                piece.line(m),
                _side(piece, m),
                f"kerf_square.how_{'inside' if m in INSIDE else 'outside'}",
                box_at=_beside(piece, m),
            )
            for m in piece.measurands()
        )
        if not piece.thickness:
            return upper
        lower = tuple(
            replace(
                m,
                name=f"{m.name}{BOTTOM}",
                label=note("kerf_square.below", what=m.label),
                below=True,
                where=replace(m.where, below=True) if isinstance(m.where, Faces) else m.where,
                hint="kerf_square.how_below",
            )
            for m in upper
        )
        return (*upper, *lower)

    def answer(self, case: Case) -> Solution:
        """The compensation that brings the governing sizes right; hole bias and kerf where the readings tell them."""
        piece = self.piece(case.piece)
        names = tuple(n for m in piece.measurands() for n in (m, f"{m}{BOTTOM}"))
        check_readings(case, names, positive=True)
        model = _Model(case, piece)
        if not model.sizes:
            return Solution((no_number(case, "kerf", Verdict.UNRESOLVED, note("nothing_read")),))
        right = wanted(model.sizes, model.govern)
        labels: dict[str, Said] = {s.name: f"kerf_square.{s.name}" for s in model.sizes}
        if doubt := model.joint.doubt(labels, right, model.compensation):
            return Solution((ask(case, "kerf", doubt),))
        if not determined(model.fit, right):
            lacking = [[a.name, b.name] for a, b in sorted(model.fit.confused) if KERF in (a, b)]
            why = note("kerf_square.cannot_tell_apart")
            return Solution((no_number(case, "kerf", Verdict.UNRESOLVED, why),), tuple((a, b) for a, b in lacking))
        value = model.fit.of(right)
        notes = (*model.disagreement(), *model.joint.assumed_that_matters(value))
        findings = [kerf_finding(case, self, value, model.compensation, notes)]
        if model.bias is not None:
            findings.append(_hole_bias(case, model.bias, self))
        leant_on = [n for n in model.joint.leant_on if not case.known[n].assumed]
        said = (*assumed_notes(case), *scatter_notes(case), *held_notes(case, leant_on), *model.joint.learnt)
        return Solution(tuple(findings), (), said, model.figures())

    def plans(self, case: Case) -> list[Parameters]:
        """Plain and stepped, with a slot, with a hole as well."""
        room = room_held(case)
        slot = float(max(16, math.ceil(2 * room)))
        inner: list[dict[str, object]] = [
            {"slot": slot, "compensation": room},
            {"slot": slot, "hole": 44.0, "compensation": room},
        ]
        plain = [{"width": 160.0, "height": 120.0, **i} for i in inner]
        stepped = [
            {"width": s, "height": 0.75 * s, "short_width": s / 2, "short_height": 0.375 * s, **inner[0]}
            for s in (320.0, 400.0, 560.0)
            if not case.largest_size or s <= case.largest_size
        ]
        return [*plain, *stepped]

    def rows(self, case: Case) -> list[Observation]:
        """Every size that was read at its upper edge."""
        piece = self.piece(case.piece)
        check_readings(case, tuple(n for m in piece.measurands() for n in (m, f"{m}{BOTTOM}")), positive=True)
        return _Model(case, piece).rows

    def predict(self, case: Case, readings_each: int) -> dict[str, float]:
        """U in mm if everything on the upper side were read so often."""
        piece = self.piece(case.piece)
        foreseen = {}
        for m in piece.measurands():
            n = piece.nominal(m)
            foreseen[m] = case.foreseen(m, n, readings_each, nominal=n, drawn=False)
        model = _Model(case, piece, foreseen)
        right = wanted(model.sizes, model.govern)
        found = {"kerf": model.fit.of(right).U} if determined(model.fit, right) else {}
        return found | ({"hole_bias": model.bias.U} if model.bias is not None else {})

    def shown(self, figures: Figures) -> Shown:
        """Kerf itself, and how the edges lean."""
        lines = []
        if "kerf" in figures:
            lines.append(("kerf_square.itself", note("kerf_square.length", mm=figures["kerf"])))
        kinds = [k for k in ("outsides", "slots", "holes") if f"for_{k}" in figures]
        for kind in kinds if len(kinds) > 1 else ():
            lines.append((f"kerf_square.for_{kind}", note("kerf_square.length", mm=figures[f"for_{kind}"])))
        for where in ("outside", "inside"):
            if found := figures.get(f"bevel_{where}"):
                said = {k: found[k] for k in ("angle_deg", "perpendicularity", "range")}
                lines.append((f"kerf_square.edge_{where}", note("kerf_square.edge", **said)))
        leans = figures.get("bevel_outside") or figures.get("bevel_inside")
        section = None
        if leans:
            t = leans["thickness"]
            section = Section(leans["larger_below"], t, leans["range"], tuple(a + b * t for a, b in RANGES))
        return Shown(tuple(lines), section=section)

    def example(self) -> JsonObject:
        """A plate of 10 mm steel that comes out small, with its slot wide: too little was taken for the cut."""
        return {
            "procedure": "kerf-square",
            "machine": {"kind": "plasma", "decimals": 3, "values": {"kerf": 1.5}},
            "piece": {
                "width": 90,
                "height": 70,
                "hole": 25,
                "slot": 8,
                "slot_axis": "x",
                "compensation": 1.5,
                "thickness": 10,
                "govern": "outside",
            },
            "instrument": {"resolution": 0.01, "permissible_error": [0.02, 0.00002]},
            "tolerance": 0.15,
            "subject": {"material": "steel", "thickness": 10, "process": "45 A"},
            "readings": [
                {"measurand": "width", "values": [89.71, 89.70, 89.72]},
                {"measurand": "height", "values": [69.70, 69.72, 69.71]},
                {"measurand": "hole_0", "values": [25.04, 25.06, 25.05]},
                {"measurand": "hole_90", "values": [25.05, 25.07, 25.06]},
                {"measurand": "slot", "values": [8.26, 8.27, 8.25]},
                {"measurand": "width_bottom", "values": [89.98, 90.0, 89.99]},
            ],
        }

    def usual_piece(self) -> Parameters:
        """With hole and slot."""
        return {"width": 160.0, "height": 120.0, "hole": 40.0, "slot": 16.0, "compensation": 6.0, "thickness": 9.0}

    def unless_said(self, given: Parameters) -> Parameters:
        """A hole and a slot."""
        return {"hole": 25.0, "slot": 8.0, "compensation": 1.5}


def _yes(parameters: Parameters, name: str, *, usual: bool) -> bool:
    """A parameter that is true or false. Raises InputError."""
    given = parameters.get(name, usual)
    if not isinstance(given, bool):
        raise InputError(tr("expected true or false, got {given}", given=shown_input(given)), f"piece.{name}")
    return given


def _in_force(around: Surroundings) -> Parameters:
    """By what the cut is given room, and what is taken off holes."""
    bias: dict[str, object] = {"hole_bias": around.hole_bias} if around.hole_bias else {}
    return {"compensation": around.kerf, **bias}


class _Model:
    """The rows for one case, and their fit."""

    def __init__(self, case: Case, piece: KerfPlate, measured: Mapping[str, Measurement] | None = None) -> None:
        held = held_kerf(case)
        given = "compensation" in case.piece or held is None
        self.compensation = piece.compensation if given or held is None else held.value * mm_of_one(case)
        self.case, self.piece = case, piece
        self.govern = str(case.piece.get("govern", "outside"))
        upper = [m for m in piece.measurands() if (m in measured if measured is not None else m in case.readings)]
        self.measured = (
            measured
            if measured is not None
            else {m: case.measured(m, nominal=piece.nominal(m), drawn=False) for m in upper}
        )
        self.sizes = [_as_size(piece, m) for m in upper]
        rows = [row(s, self.measured[s.name], self.compensation, piece.hole_bias) for s in self.sizes]
        self.joint = KerfFit(case, rows)
        self.rows = self.joint.rows
        self.fit = self.joint.fit
        told = any(s.round for s in self.sizes)
        self.bias = self.joint.without(HOLE_BIAS.name).estimates.get(HOLE_BIAS) if told else None

    def disagreement(self) -> tuple[Note, ...]:
        """Where outsides and insides ask for compensations that differ by more than U, what it may be."""
        insides = [s for s in self.sizes if s.inside]
        straight = [s for s in insides if not s.round]  # beside these, holes have a finding of their own
        parts = [[s for s in self.sizes if not s.inside], straight or insides]
        if not all(parts):
            return ()
        rows = {r.label: r for r in self.rows}
        found = []
        for part in parts:
            given = {s.name: self.piece.hole_bias if s.round else 0.0 for s in part}  # as it came out, with that in
            mean = [(1 / len(part), Uncertain(rows[s.name].value - given[s.name], rows[s.name].effects)) for s in part]
            found.append(combination(((-1.0 if not part[0].inside else 1.0) * c, v) for c, v in mean))
        apart = combination(((1.0, found[0]), (-1.0, found[1])))
        if abs(apart.value) <= apart.U:
            return ()
        names = {s.name for s in self.sizes}
        thermal = self.case.thermal
        maybe = [
            "scale",
            *(("hole_bias",) if not straight else ()),
            *(("bevel", "worn", "corners") if thermal else ("play",)),
        ]
        unread = ("slot", "short_width", *((f"width{BOTTOM}",) if thermal else ()))
        tells = next((m for m in unread if m not in names and m not in self.case.readings), "")
        return (
            note(
                "kerf_square.disagree",
                apart=abs(apart.value),
                maybe=maybe,
                tells=f"kerf_square.{tells}" if tells else "",
            ),
        )

    def figures(self) -> JsonObject:
        """The kerf itself where readings and knowledge tell it apart from play; how the edges lean."""
        found: JsonObject = {}
        kerf = self.joint.without("lost_motion").estimates.get(KERF)
        if kerf is not None:
            found |= {"kerf": kerf.value, "kerf_expanded_uncertainty": kerf.U}
        found |= self._right_for()
        for inside, where in ((False, "outside"), (True, "inside")):
            if (leans := self._edge(inside=inside)) is not None:
                found[f"bevel_{where}"] = leans
        return found

    def _right_for(self) -> dict[str, float]:
        """The compensation that each kind of size needs, as far as it was read: with play left they differ."""
        kinds = {
            "outsides": [s for s in self.sizes if not s.inside],
            "slots": [s for s in self.sizes if s.inside and not s.round],
            "holes": [s for s in self.sizes if s.round],
        }
        found: dict[str, float] = {}
        for kind, sizes in kinds.items():
            right = wanted(sizes, "outside" if kind == "outsides" else "inside") if sizes else {}
            if right and determined(self.fit, right):
                value = self.fit.of(right)
                found |= {f"for_{kind}": value.value, f"for_{kind}_expanded_uncertainty": value.U}
        return found

    def _edge(self, *, inside: bool) -> dict[str, float] | None:
        """Angle (degrees) and perpendicularity (mm) of the first size that was read at both edges."""
        for s in self.sizes:
            below = f"{s.name}{BOTTOM}"
            if s.inside is inside and below in self.case.readings and self.piece.thickness:
                bottom = self.case.measured(below, nominal=s.nominal, drawn=False)
                e = edge(self.measured[s.name].value, bottom.value, self.piece.thickness, inside=inside)
                return {
                    "angle_deg": e.angle * 180 / 3.141592653589793,
                    "perpendicularity": e.perpendicularity,
                    "range": e.range,
                    "thickness": self.piece.thickness,
                    "larger_below": 2 * e.perpendicularity * (1.0 if e.angle > 0 else -1.0),
                }
        return None


def _as_size(piece: KerfPlate, m: str) -> Size:
    return Size(m, _axis(piece, m), piece.nominal(m), m in INSIDE, m.startswith("hole"))


def _axis(piece: KerfPlate, m: str) -> str:
    name = m.removesuffix(BOTTOM)
    return piece.slot_axis if name == "slot" else AXIS[name]


def _side(piece: KerfPlate, m: str) -> tuple[int, int]:
    """On which side of the piece a dimension line stands; a stepped outline lies upside down for a torch."""
    right, up = SIDES.get(m, (0, 0))
    return (right, -up) if piece.stepped and piece.thermal else (right, up)


def _beside(piece: KerfPlate, m: str) -> tuple[float, float] | None:
    """Where a callout of hole or slot goes: clear of it, towards an edge; None where its usual place is better."""
    if m in SIDES:
        return None
    if piece.stepped:
        x, y = STEPPED_BOXES[m]
        return x * piece.width, (1 - y if piece.thermal else y) * piece.height
    (ax, ay), (bx, by) = piece.line(m)
    clear = ((ay + by) / 2 - CLEAR * piece.height) if m != "hole_0" else ((ay + by) / 2 + CLEAR * piece.height)
    return (ax + bx) / 2, clear


def _hole_bias(case: Case, bias: Uncertain, settled_by: KerfSquare) -> Finding:
    old, decimals = case.amount("hole_bias"), case.decimals_of("hole_bias")
    size = SIZE[old.unit]
    left = combination(((1.0, bias),), -old.base)
    new = StoredAmount.of("hole_bias", bias.value, old.unit, decimals)
    text = f"{case.in_its_unit(old.base)} + {case.in_its_unit(left.value)}".replace("+ −", "− ")
    outcome = Outcome(
        "hole_bias",
        old,
        new,
        left,
        case.tolerance_of("hole_bias", 1000.0),
        arithmetic(text),
        bias.U / size,
        predicted=abs(new.base - bias.value),
        last_digit=10**-decimals * size,
    )
    return judged(case, outcome, settled_by)


PROCEDURE = KerfSquare()
