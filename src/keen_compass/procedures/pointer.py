"""Pointer or sensor against the tool (arithmetic.md §9): where the tool lands beside the mark that was aimed at.

The secondary was aimed at a mark, the machine brought the tool there by the offset that it holds, and the tool landed e
beside it: o_true = o_set − e, with o = secondary minus tool. The quick way reads one mark. The sheet reads several
targets spread over it: what grows with the place is the sheet's registration or the print's scale, not the offset.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from keen_compass.errors import InputError, shown_input
from keen_compass.language import tr
from keen_compass.machines.profile import Machine
from keen_compass.pieces.page import DIVISIONS, GRADUATIONS, METRIC, Page
from keen_compass.pieces.where import Beside
from keen_compass.procedures.base import Procedure
from keen_compass.procedures.case import Case, listed
from keen_compass.procedures.checking import check_parameters, check_readings
from keen_compass.procedures.manner import OnPaper, OnStock, ReadBy
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.offsets import AXES, aim_notes, aimed, drawn_line, offset_findings
from keen_compass.procedures.results import as_fitted, ask, assumed_notes, contradicted, no_number
from keen_compass.procedures.sheets import (
    ON_PAPER,
    bars_said,
    check_paper,
    creep,
    fed_along,
    graduation_of,
    on_paper,
    paper_choice,
    place,
    proposed_page,
)
from keen_compass.procedures.stages import SHEET_STAGES, Makes, Stage, Surface
from keen_compass.procedures.surroundings import Choice, Surroundings
from keen_compass.quantities.bodies import JsonObject, Parameters
from keen_compass.quantities.charts import Shown
from keen_compass.quantities.families import AIMED_WITH
from keen_compass.quantities.findings import Figures, Solution
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.measuring import Measurement
from keen_compass.quantities.notes import Note, note
from keen_compass.quantities.uncertainty import Cause, Origin, Shape, Source, Uncertain, combination, effective_dof
from keen_compass.quantities.verdict import Verdict
from keen_compass.solve.joint import Observation, Unknown

WAYS = ("mark", "sheet")
SECONDARIES = AIMED_WITH
MOST_TARGETS = 30
DITHERS = 0.5  # of a division, by which readings must differ so that their rounding averages out
OF_ITS_OWN = (Cause.REPEATS, Cause.DIVISION)  # of what is read, what no other target has
MOST_BEFORE = 12.0  # degrees of freedom of what is assumed beside what targets show
TO_FIT = 3  # targets that tell turn and stretch apart from the offset
# What an eye reads between rings, and on verniers, by what the sheet is graduated in.
TICKS, VERNIERS = (
    {
        unit: Instrument(name, g.division / parts, (a, 0.0), unit=unit, kind="loupe", uid=name)
        for unit, g in GRADUATIONS.items()
    }
    for name, parts, a in (("ticks", 10, 0.05), ("verniers", DIVISIONS, 0.02))
)
MARKS = 4  # by which a sheet is laid
LARGE_TURN = 3.0  # mm per m: more than that is the sheet's, and is said


@dataclass(frozen=True, slots=True)
class Sheet:
    """way: mark or sheet. targets: nominal places, mm; secondary: what was aimed with; fine: verniers are there."""

    way: str
    targets: tuple[tuple[float, float], ...]
    secondary: str
    fine: bool = False

    def nominal(self, measurand: str) -> float:
        """It should land on the mark."""
        return 0.0

    def names(self, axis: str) -> tuple[str, ...]:
        """Measurands of one axis, target by target."""
        return (axis,) if self.way == "mark" else tuple(f"t{i}_{axis}" for i in range(1, len(self.targets) + 1))


class Pointer(Procedure[Sheet]):
    """Crosses drawn beside marks that were aimed at: how far the pointer sits from the tool."""

    name = "pointer"
    surface = Surface.MATCH
    makes = Makes.SHEET
    read_by = ReadBy(names=("x", "y"), by_eye=True, passes=1, eye=TICKS[METRIC.unit])
    on_stock = OnStock(numbered=False, draws=True)  # which sheet it is was asked when it was loaded
    on_paper = OnPaper(printed=True)

    @property
    def yields(self) -> tuple[str, ...]:
        """The offsets of whichever is aimed with: pointer or sensor."""
        return tuple(f"{s}_{a}" for s in SECONDARIES for a in AXES)

    def yields_for(self, parameters: Parameters) -> tuple[str, ...]:
        """Those of what is aimed with."""
        return tuple(f"{parameters.get('secondary', 'pointer')}_{a}" for a in AXES)

    def chosen_for(self, quantity: str) -> Parameters:
        """What sits beside the tool."""
        return {"secondary": quantity[:-2]}

    def choices(self, machine: Machine) -> tuple[Choice, ...]:
        """What is aimed with, how thoroughly, on which paper."""
        ways = sorted(WAYS, reverse=machine.kind.plots)
        return (
            Choice(
                "secondary", "pointer.aimed_with", tuple((f"pointer.{h}", h) for h in SECONDARIES if h in machine.heads)
            ),
            Choice("way", "pointer.way", tuple((f"pointer.by_{way}", way) for way in ways)),
            Choice("trial", "pointer.trial", (("pointer.trial_yes", True), ("pointer.trial_no", False))),
            Choice("read", "pointer.read", (("pointer.rings", "rings"), ("pointer.vernier", "vernier"))),
            paper_choice(machine),
        )

    def concerns(self, choice: str, chosen: Parameters) -> bool:
        """A mark that someone drew lies on no paper."""
        return choice not in ("paper", "read") or chosen.get("way") == "sheet"

    def stages(self, chosen: Parameters) -> tuple[Stage, ...]:
        """A mark that someone drew needs no printer."""
        return SHEET_STAGES if chosen.get("way") == "sheet" else (Stage.AIM, Stage.DRAW)

    def parameters(self, around: Surroundings) -> Parameters:
        """Of a sheet its targets."""
        secondary, way = around.chosen["secondary"], around.chosen["way"]
        if way == "mark":
            return {"way": "mark", "secondary": secondary}
        page = proposed_page(self, around, fine=around.chosen.get("read") == "vernier")
        fed = {"fed": around.machine.long_axis} if around.machine.kind.plots else {}
        return {"way": way, "secondary": secondary, **self.on_page(page), **fed}

    def on_page(self, page: Page) -> Parameters:
        """Its targets."""
        fine: dict[str, object] = {"fine": True} if page.fine else {}
        return {
            "way": "sheet",
            "targets": [list(t) for t in page.targets],
            **on_paper((page.width, page.height), page.graduation),
            **fine,
        }

    def crosses(self, piece: Sheet) -> tuple[Point, ...]:
        """A cross beside every target."""
        return piece.targets

    def piece(self, parameters: Parameters) -> Sheet:
        """From `way`, and of a sheet `targets` and `secondary`."""
        check_parameters(parameters, {"way", "targets", "secondary", "fine", "fed", *ON_PAPER})
        fed_along(parameters)
        if not isinstance(parameters.get("fine", False), bool):
            raise InputError(tr("expected true or false"), "piece.fine")
        way, secondary = parameters.get("way", "mark"), parameters.get("secondary", "pointer")
        if way not in WAYS:
            raise InputError(tr("expected mark or sheet, got {given}", given=shown_input(way)), "piece.way")
        if secondary not in SECONDARIES:
            raise InputError(
                tr("expected pointer or sensor, got {given}", given=shown_input(secondary)), "piece.secondary"
            )
        given = parameters.get("targets", [[0.0, 0.0]] if way == "mark" else None)
        if not listed(given, 1, MOST_TARGETS):
            raise InputError(
                tr("expected 1 to {most_targets} places [x, y]", most_targets=MOST_TARGETS), "piece.targets"
            )
        check_paper(parameters)
        at = tuple(place(t, f"piece.targets[{i}]") for i, t in enumerate(given))
        return Sheet(str(way), at, str(secondary), parameters.get("fine", False) is True)

    def measurands(self, piece: Sheet) -> tuple[Measurand, ...]:
        """Both directions at each target."""
        found: list[Measurand] = []
        label = "pointer.beside" if piece.way == "sheet" else "pointer.beside_mark"
        for x, y in zip(piece.names("x"), piece.names("y"), strict=True):
            i = len(found) // 2
            at = Beside(piece.targets[i])
            found += [
                Measurand(
                    name,
                    note(label, number=i + 1, axis=a),
                    a,
                    0.0,
                    at,
                    at=piece.targets[i],
                    hint="pointer.how",
                    signed=True,
                )
                for name, a in ((x, "x"), (y, "y"))
            ]
        return tuple(found)

    def eye_for(self, parameters: Parameters) -> Instrument:
        """Verniers tell twice as much."""
        by = VERNIERS if parameters.get("fine") or parameters.get("read") == "vernier" else TICKS
        return by[graduation_of(parameters).unit]

    def answer(self, case: Case) -> Solution:
        """Both components of the offset, from the same readings."""
        sheet = self.piece(case.piece)
        check_readings(case, tuple(m.name for m in self.measurands(sheet)), positive=False)
        both = [
            i
            for i, (x, y) in enumerate(zip(sheet.names("x"), sheet.names("y"), strict=True))
            if case.readings.get(x) and case.readings.get(y)
        ]
        quantities = [f"{sheet.secondary}_{a}" for a in AXES]
        if not both:
            return Solution(tuple(no_number(case, q, Verdict.UNRESOLVED, note("nothing_read")) for q in quantities))
        targets = [sheet.targets[i] for i in both]
        read = {a: [case.measured(sheet.names(a)[i]) for i in both] for a in AXES}
        own = tuple(drawn_line(i) for i in both)
        rows = _rows(targets, read, own)
        labels = {m.name: m.label for m in self.measurands(sheet)}
        if doubt := contradicted(case, rows, labels, signs=True):
            return Solution(tuple(ask(case, q, doubt) for q in quantities))
        fit = fitted(targets, read, own)
        errors = [e._replace(effects=(*e.effects, *_laid(case, sheet, a))) for a, e in fit.e.items()]
        x, y = offset_findings(case, sheet.secondary, errors, _moves(sheet, fit))
        settled = int(x.verdict is Verdict.CANNOT_TELL)  # what would settle it stands first
        about = _about_sheet(fit, len(both), case.piece)  # said once
        x = replace(x, notes=(*x.notes[:settled], *about, *x.notes[settled:]))
        _, learnt = as_fitted(case, rows)  # the fit below learns from its residuals in any case
        said = (*assumed_notes(case), *aim_notes(case), *learnt)
        return Solution((x, y), (), said, fit.figures if sheet.way == "sheet" else {})

    def shown(self, figures: Figures) -> Shown:
        """What turns and stretches about the offset: that is the sheet's, or the printer's."""
        if figures.get("turn_mm_per_m") is None:
            return Shown()
        x, y = figures["stretch_mm_per_m"]
        return Shown(
            (
                ("pointer.turn", note("pointer.turned_per_metre", mm=figures["turn_mm_per_m"])),
                ("pointer.stretch_x", note("pointer.per_metre", mm=x)),
                ("pointer.stretch_y", note("pointer.per_metre", mm=y)),
            )
        )

    def predict(self, case: Case, readings_each: int) -> dict[str, float]:
        """U of either component, mm."""
        sheet = self.piece(case.piece)
        names = sheet.names("x")
        read = [case.foreseen(name, 0.0, readings_each) for name in names]
        mean = combination([(1 / len(names), m.mean) for m in read])
        drawn = (drawn_line(), 1 / math.sqrt(len(names)))
        own = (*mean.effects, drawn)
        return {f"{sheet.secondary}_{a}": Uncertain(0.0, (*own, *_laid(case, sheet, a))).U for a in AXES}

    def example(self) -> JsonObject:
        """The dot stands 0.4 mm too far to the left, 0.3 mm too far away; the sheet lies a little turned."""
        return {
            "procedure": "pointer",
            "machine": {"values": {"pointer_x": 38.2, "pointer_y": -12.5}, "decimals": 2},
            "piece": {
                "way": "sheet",
                "secondary": "pointer",
                "targets": [[20, 20], [190, 20], [190, 270], [20, 270], [105, 145]],
            },
            "instrument": {"name": "rule", "kind": "rule", "resolution": 0.1, "permissible_error": [0.05, 0]},
            "tolerance": 0.2,
            "subject": {"accessory": "felt-pen"},
            "readings": [
                {"measurand": f"t{i}_{a}", "values": [v]}
                for i, (x, y) in enumerate([(-0.5, 0.2), (-0.4, 0.4), (-0.3, 0.4), (-0.4, 0.2), (-0.4, 0.3)], 1)
                for a, v in (("x", x), ("y", y))
            ],
        }

    def usual_piece(self) -> Parameters:
        """One mark, on a scrap."""
        return {"way": "mark"}


PROCEDURE = Pointer()


@dataclass(frozen=True, slots=True)
class Fit:
    """e: by axis, at the targets' mean place. turn: rad; stretch: (along x, y), mm/mm; None where too few tell."""

    e: dict[str, Uncertain]
    turn: float | None
    stretch: tuple[float, float] | None
    figures: JsonObject


def _rows(
    targets: Sequence[tuple[float, float]], read: dict[str, list[Measurement]], own: Sequence[Source]
) -> list[Observation]:
    """Where the tool landed at each target, about their mean place: offset, turn and stretches."""
    design = _design(np.asarray(targets, float))
    names = [Unknown(name) for name in ("e_x", "e_y", "turn", "stretch_x", "stretch_y")]
    rows = []
    for i, drawn in enumerate(own):
        for k, axis in enumerate(AXES):
            m = read[axis][i]
            coefficients = {n: float(c) for n, c in zip(names, design[2 * i + k], strict=False) if c}
            by_axis = drawn._replace(origin=drawn.origin._replace(edge=axis))
            rows.append(Observation(m.name, coefficients, m.value, (*m.mean.effects, (by_axis, 1.0))))
    return rows


def _design(places: NDArray[np.float64]) -> NDArray[np.float64]:
    """2n × 5, x and y of each target in turn: offset x, y, turn, stretch x, y; 2n × 2 where too few tell."""
    own, n = places - places.mean(axis=0), len(places)
    tells = n >= TO_FIT and bool(np.linalg.svd(own, compute_uv=False)[-1] > 1e-6 * np.abs(own).max())
    columns = np.zeros((2 * n, 5 if tells else 2))
    columns[0::2, 0] = columns[1::2, 1] = 1.0
    if tells:
        columns[0::2, 2], columns[1::2, 2] = -own[:, 1], own[:, 0]
        columns[0::2, 3], columns[1::2, 4] = own[:, 0], own[:, 1]
    return columns


def fitted(targets: Sequence[tuple[float, float]], read: dict[str, list[Measurement]], own: Sequence[Source]) -> Fit:
    """Offset, turn and stretches by least squares. own: what each target has of its own, however well it is read.

    How far single targets differ is learnt from the residuals, pooled with what is assumed of drawing and reading them.
    """
    columns = _design(np.asarray(targets, float))
    values = np.asarray([[m.value for m in read[a]] for a in AXES]).T
    solved = np.linalg.lstsq(columns, values.reshape(-1), rcond=None)[0]
    residuals = (values.reshape(-1) - columns @ solved).reshape(-1, 2)
    tells = columns.shape[1] > 2
    dof = columns.shape[0] - columns.shape[1]
    e = {a: Uncertain(float(solved[k]), _effects(read, own, residuals, dof, a)) for k, a in enumerate(AXES)}
    figures: JsonObject = {
        "turn_mm_per_m": 1000 * float(solved[2]) if tells else None,
        "stretch_mm_per_m": [1000 * float(v) for v in solved[3:5]] if tells else None,
        "residuals": [[float(v) for v in row] for row in residuals],
    }
    turn, stretch = (float(solved[2]), (float(solved[3]), float(solved[4]))) if tells else (None, None)
    return Fit(e, turn, stretch, figures)


def _effects(
    read: dict[str, list[Measurement]], own: Sequence[Source], residuals: Any, dof: int, axis: str
) -> tuple[tuple[Source, float], ...]:
    """Of the mean of n targets: what single ones differ by is pooled of what is assumed and what they show."""
    n = len(own)
    mean = combination([(1 / n, m.mean) for m in read[axis]]).effects
    drawn = own[0]
    single = Uncertain(0.0, (*((s, c) for s, c in read[axis][0].mean.effects if s.cause in OF_ITS_OWN), (drawn, 1.0)))
    before = min(effective_dof(single.effects), MOST_BEFORE)
    squares = before * single.u**2 + float((residuals**2).sum())
    dof_all = before + dof
    s, granted = math.sqrt(squares / dof_all), "" if dof > before else drawn.assumed
    share = s / math.sqrt(n)
    learnt = Source(
        Origin("targets", axis),
        share,
        Cause.DRAWN,
        dof_all,
        estimate=Origin("targets"),
        shared_dof=dof_all,
        assumed=granted,
    )
    shared = tuple((source, c) for source, c in mean if source.cause not in OF_ITS_OWN)
    division, spread = _division(read[axis][0]), float(np.std([m.value for m in read[axis]]))
    if spread < DITHERS * division * math.sqrt(12):  # all are rounded alike: that doesn't average out
        shared = (*shared, (Source(Origin("rounding", axis), division, Cause.DIVISION, shape=Shape.RECTANGLE), 1.0))
    return (*shared, (learnt, 1.0))


def _division(m: Measurement) -> float:
    return math.sqrt(math.fsum((s.u * c) ** 2 for s, c in m.mean.effects if s.cause is Cause.DIVISION))


def _laid(case: Case, sheet: Sheet, axis: str) -> tuple[tuple[Source, float], ...]:
    """What all targets share: a sheet was laid by its marks, each aimed at by hand, and a roll that goes back and
    forth creeps between aiming and drawing. No residual shows either. A single mark is aimed at once.
    """
    marks = MARKS if sheet.way == "sheet" else 1
    return (aimed(case, axis), 1 / math.sqrt(marks)), *creep(case.piece, axis)


def _moves(sheet: Sheet, fit: Fit) -> tuple[Note, ...]:
    """Where the tool will land with the new offset: what proves its sign."""
    return (note("pointer.moves", secondary=sheet.secondary, x=-fit.e["x"].value, y=-fit.e["y"].value),)


def _about_sheet(fit: Fit, targets: int, piece: Parameters) -> tuple[Note, ...]:
    """What it can't see, and what is the sheet's or the printer's."""
    notes = []
    if targets == 1:
        notes.append(note("pointer.one_mark"))
    elif fit.turn is None:
        notes.append(note("pointer.few_targets"))
    elif max(abs(fit.turn), *map(abs, fit.stretch or (0.0,))) * 1000 > LARGE_TURN:
        notes.append(note("pointer.grows", turn=fit.turn * 1000, stretch=[s * 1000 for s in fit.stretch or ()]))
    return (*notes, *bars_said(piece))
