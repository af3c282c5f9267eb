"""The last check (arithmetic.md §10): a printed sticker cut round its outline, the border that is left read at places.

The cut lies at p + t + θ×p + diag(s)·p where it was ordered at p, counted from the middle of all places; along the
outline's outward normal n that is border:

    b = b₀ + n·(t + θ×p + diag(s)·p)

with b₀ the border all round. Least squares; what the places can't tell apart (a uniform border from scale on a
rectangle, turn on a circle) is left open by name, not by a number that only looks like one.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

from keen_compass.errors import InputError, PieceError
from keen_compass.language import tr
from keen_compass.machines.heads import TOOL
from keen_compass.machines.profile import Machine
from keen_compass.pieces.page import GRADUATIONS, Page
from keen_compass.pieces.sticker import MOST_COPIES, Place, Sticker, border_places, laid, lines_to_cut, sticker_page
from keen_compass.pieces.where import Border
from keen_compass.procedures.base import Procedure
from keen_compass.procedures.case import Case, length_mm, listed, number
from keen_compass.procedures.checking import check_parameters, check_readings
from keen_compass.procedures.manner import OnPaper, OnStock, ReadBy, Sizes
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.offsets import drawn_line
from keen_compass.procedures.results import (
    arithmetic,
    ask,
    assumed_notes,
    contradicted,
    no_number,
    shares_of,
    taken_for_granted,
)
from keen_compass.procedures.settle import with_remedies
from keen_compass.procedures.sheets import (
    ON_PAPER,
    aiming_choice,
    check_paper,
    graduation_of,
    on_paper,
    paper_choice,
    paper_size,
    place,
)
from keen_compass.procedures.stages import SHEET_STAGES, Makes, Stage, Surface
from keen_compass.procedures.surroundings import Choice, Surroundings
from keen_compass.quantities.bodies import JsonObject, Parameters
from keen_compass.quantities.charts import Shown
from keen_compass.quantities.families import AIMED_WITH
from keen_compass.quantities.findings import Figures, Finding, Solution
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.measuring import Measurement
from keen_compass.quantities.notes import Note, note
from keen_compass.quantities.uncertainty import Cause, Source, Uncertain
from keen_compass.quantities.verdict import Verdict, judge
from keen_compass.solve.joint import Observation, Unknown

QUANTITY = "proof"
MOST_PLACES = 200
UNKNOWN = ("shift_x", "shift_y", "turn", "scale_x", "scale_y", "border")
OFF_AT_WORST = 1.35  # times, what an instrument is off at the worst of several places beside any one of them
TELLS = 0.999  # share of an unknown that must lie in what the places can see
THIN = 1e-6  # of the largest singular value
TOUCHES = 0.05  # share of an unknown in what can’t be told, from which on it is correlated with the rest of it
MATTERS = 2.0  # standard uncertainties, from which on a part of it is worth a look


@dataclass(frozen=True, slots=True)
class Places:
    """border: nominal, mm, unless its places differ. at: on the outline, normals of length 1, the nominal border there.

    sticker, copies, size, marks: of the sheet that it is printed on; none where only borders are given.
    """

    border: float
    at: tuple[Place, ...]
    sticker: Sticker | None = None
    copies: int = 1
    size: Point = (0.0, 0.0)
    marks: tuple[Point, ...] = ()

    def nominal(self, measurand: str) -> float:
        """The border as it is ordered there, mm."""
        return self.at[int(measurand[1:]) - 1][4]

    @property
    def even(self) -> bool:
        """Whether it is the same all round."""
        return all(place[4] == self.border for place in self.at)


class Proof(Procedure[Places]):
    """A printed sticker and its cut: how far the cut lies beside where it was printed."""

    name = "proof"
    surface = Surface.BORDERS
    makes = Makes.SHEET
    read_by = ReadBy(names=("b1",), suits=("steel rule",), passes=1)  # print has no edge for jaws
    on_stock = OnStock(numbered=False)  # which sheet it is was asked when it was loaded
    on_paper = OnPaper(printed=True, artwork=True)
    sizes = Sizes(large=())

    @property
    def yields(self) -> tuple[str, ...]:
        """The one verdict about the whole chain."""
        return (QUANTITY,)

    def choices(self, machine: Machine) -> tuple[Choice, ...]:
        """What the marks are aimed at with, and the paper."""
        return aiming_choice(machine), paper_choice(machine)

    def stages(self, chosen: Parameters) -> tuple[Stage, ...]:
        """The artwork comes first."""
        return (Stage.ARTWORK, *SHEET_STAGES)

    def parameters(self, around: Surroundings) -> Parameters:
        """The sticker of the artwork; nothing but the paper as long as there is none."""
        size = paper_size(around)
        graduation = GRADUATIONS[around.machine.shown_in]
        found: dict[str, object] = {**on_paper(size, graduation), "aimed_with": around.chosen["aimed_with"]}
        if around.order is None:
            return found
        sticker, copies = around.order.sticker, around.order.copies
        down = around.machine.standpoint.left_handed
        try:
            ax, ay = laid(sticker, size, copies, down=down)[0]
        except PieceError:  # refused where the page is asked for
            ax, ay = 0.0, 0.0
        places = []
        for x, y, nx, ny, border in border_places(sticker):
            u, v = x + ax, y + ay if down else size[1] - y - ay
            other = [round(border, 3)] if sticker.places else []
            places.append([round(u, 3), round(v, 3), round(nx, 6), round(ny if down else -ny, 6), *other])
        return found | {
            "border": sticker.border,
            "places": places,
            "sticker": sticker.to_json(),
            "copies": copies,
            **({"marks": [list(m) for m in around.order.marks]} if around.order.marks else {}),
        }

    def page_of(self, parameters: Parameters, number: int, *, down: bool = False) -> Page | None:
        """The sticker, once or several times."""
        if "sticker" not in parameters:
            return None
        shape = self.piece(parameters)
        assert shape.sticker is not None
        return sticker_page(
            shape.sticker,
            shape.size,
            number,
            shape.copies,
            down=down,
            marks=shape.marks,
            graduation=graduation_of(parameters),
        )

    def cuts(self, piece: Places, page: Page) -> tuple[tuple[Point, ...], ...]:
        """Every line of every copy."""
        return lines_to_cut(piece.sticker, page) if piece.sticker else ()

    def piece(self, parameters: Parameters) -> Places:
        """From `border` and `places`, each with a border of its own where it has one; of a printed sheet also
        `sticker`, `copies`, `size`.
        """
        check_parameters(parameters, {"border", "places", "sticker", "copies", "marks", "aimed_with", *ON_PAPER})
        check_paper(parameters)
        if parameters.get("aimed_with", TOOL) not in (TOOL, *AIMED_WITH):
            raise InputError(
                tr("expected one of {tool}, {aimed_with}", tool=TOOL, aimed_with=", ".join(AIMED_WITH)),
                "piece.aimed_with",
            )
        sticker = Sticker.from_json(parameters["sticker"]) if "sticker" in parameters else None  # type: ignore[arg-type]
        copies = round(number(parameters.get("copies", 1), "piece.copies", 1, MOST_COPIES))
        size = place(parameters["size"], "piece.size") if "size" in parameters else (0.0, 0.0)
        moved = parameters.get("marks") or []
        if moved and not listed(moved, 4, 4):
            raise InputError(tr("expected four places [x, y]"), "piece.marks")
        marks = tuple(place(m, f"piece.marks[{i}]") for i, m in enumerate(list(moved)))  # type: ignore[call-overload]
        border = length_mm(parameters.get("border", 2.0), "piece.border")
        given = parameters.get("places")
        if not listed(given, 1, MOST_PLACES):
            raise InputError(
                tr("expected 1 to {most_places} places [x, y, nx, ny]", most_places=MOST_PLACES), "piece.places"
            )
        found = tuple(_place(one, f"piece.places[{i}]", border) for i, one in enumerate(given))
        return Places(border, found, sticker, copies, size, marks)

    def measurands(self, piece: Places) -> tuple[Measurand, ...]:
        """The border at each place."""
        return tuple(
            Measurand(
                f"b{i}",
                note("proof.border_at", number=i),
                "",
                border,
                Border((x, y), (nx, ny), border),
                signed=True,
                at=(x, y),
                hint="proof.how" if border >= 0 else "proof.how_beyond",
            )
            for i, (x, y, nx, ny, border) in enumerate(piece.at, 1)
        )

    def shown(self, figures: Figures) -> Shown:
        """What the borders are made of, as far as the places can tell."""
        if "turn_deg" not in figures:
            return Shown()
        lines: list[tuple[str, Note]] = []
        for axis, off in zip("xy", figures["shift"], strict=True):
            if off is not None:
                lines.append((f"proof.shifted_{axis}", note("proof.by", axis=axis, off=off)))
        if figures["turn_deg"] is not None:
            lines.append(("proof.turned", note("proof.degrees", turn=figures["turn_deg"])))
        for axis, scale in zip("xy", figures["scale"], strict=True):
            if scale is not None:
                lines.append((f"proof.scaled_{axis}", note("proof.percent", percent=100 * (scale - 1))))
        if (longer := figures.get("longer_x_than_y")) is not None:
            lines.append(("proof.longer", note("proof.by_length", mm=longer)))
        if figures["border"] is not None:
            lines.append(("proof.all_round", note("proof.border", mm=figures["border"])))
        elif (wider := figures.get("wider")) is not None:
            lines.append(("proof.all_round", note("proof.wider", mm=wider)))
        return Shown(tuple(lines))

    def predict(self, case: Case, readings_each: int) -> dict[str, float]:
        """U of one border, mm."""
        at = self.piece(case.piece).at
        border = max((place[4] for place in at), key=abs)
        foreseen = case.foreseen("b1", border, readings_each, nominal=border).mean
        return {QUANTITY: _worst_of(0.0, foreseen.effects, len(at)).U}

    def answer(self, case: Case) -> Solution:
        """How far the border is off, and what of it is shift, turn, scale, or the same all round."""
        places = self.piece(case.piece)
        names = tuple(f"b{i}" for i in range(1, len(places.at) + 1))
        check_readings(case, names, positive=False)
        read = [n for n in names if case.readings.get(n)]
        if not read:
            return Solution((no_number(case, QUANTITY, Verdict.UNRESOLVED, note("nothing_read")),))
        nominal = [places.nominal(n) for n in read]
        measured = [case.measured(n, nominal=border) for n, border in zip(read, nominal, strict=True)]
        at = [places.at[names.index(n)] for n in read]
        labels = {m.name: m.label for m in self.measurands(places)}
        if doubt := contradicted(case, _rows(at, measured), labels):
            return Solution((ask(case, QUANTITY, doubt),))
        off = [m.value - border for m, border in zip(measured, nominal, strict=True)]
        u = max(m.mean.U for m in measured) / 1.96
        split = parted(at, off, u)
        figures = split.figures(places.border if places.even else None)
        worst = max(range(len(off)), key=lambda i: abs(off[i]))
        T = case.tolerance_of(QUANTITY, 1000.0)
        error = _worst_of(off[worst], measured[worst].mean.effects, len(measured))
        verdict = judge(off[worst], error.U, T)
        look = [note(f"proof.look_{what}") for what in figures["look_at"]] if verdict is not Verdict.IN else []
        notes = [*look, note("proof.worst", number=int(read[worst][1:]), by=off[worst])]
        shown = f"{case.in_its_unit(measured[worst].value)} − {case.in_its_unit(nominal[worst])}"
        said, settled = with_remedies(verdict, notes, case, self, QUANTITY, error, T)
        finding = Finding(
            QUANTITY,
            "mm",
            None,
            None,
            None,
            off[worst],
            "mm",
            error.U,
            T,
            verdict,
            False,
            arithmetic(shown),
            said,
            subject=case.subject,
            limits=shares_of(error),
            remedies=settled,
            assumed=taken_for_granted(error.effects),
        )
        return Solution((finding,), split.confused, assumed_notes(case), figures)

    def example(self) -> JsonObject:
        """Eight places round a sticker of 60 × 40; the cut lies 0.3 mm to the right."""
        return {
            "procedure": "proof",
            "machine": {"units": "mm", "values": {}},
            "piece": {
                "border": 2,
                "places": [
                    [60, 10, 1, 0],
                    [60, 30, 1, 0],
                    [45, 40, 0, 1],
                    [15, 40, 0, 1],
                    [0, 30, -1, 0],
                    [0, 10, -1, 0],
                    [15, 0, 0, -1],
                    [45, 0, 0, -1],
                ],
            },
            "instrument": {"resolution": 0.1, "permissible_error": [0.05, 0], "kind": "rule"},
            "tolerance": 0.2,
            "readings": [
                {"measurand": f"b{i}", "values": [v, v]}
                for i, v in enumerate((2.3, 2.3, 2.0, 2.0, 1.7, 1.7, 2.0, 2.0), 1)
            ],
        }

    def usual_piece(self) -> Parameters:
        """The sticker of the job."""
        piece: dict[str, object] = self.example()["piece"]
        return piece


PROCEDURE = Proof()


def _place(given: object, where: str, border: float) -> Place:
    """As it is written. border: mm, where it has none of its own. Raises InputError."""
    if not listed(given, 4, 5):
        raise InputError(tr("expected [x, y, nx, ny], and its border where that isn't the same all round"), where)
    x, y, nx, ny, *own = (number(v, f"{where}[{k}]", -1e6, 1e6) for k, v in enumerate(given))
    length = math.hypot(nx, ny)
    if not length:
        raise InputError(tr("a normal points somewhere"), where)
    return x, y, nx / length, ny / length, own[0] if own else border


def _rows(at: Sequence[Place], measured: Sequence[Measurement]) -> list[Observation]:
    """off = b₀ + n·(t + θ×p + diag(s)·p), place by place; a cut wanders by itself besides."""
    rows = []
    for (x, y, nx, ny, border), m in zip(at, measured, strict=True):
        design = zip(UNKNOWN, (nx, ny, -nx * y + ny * x, nx * x, ny * y, 1.0), strict=True)
        coefficients = {Unknown(name): c for name, c in design if c}
        effects = (*m.mean.effects, (drawn_line(m.name), 1.0))
        rows.append(Observation(m.name, coefficients, m.value - border, effects))
    return rows


def _worst_of(value: float, effects: tuple[tuple[Source, float], ...], places: int) -> Uncertain:
    """Of several places the worst is where the instrument, too, is likeliest to be off by what it may be."""
    if places < 2:
        return Uncertain(value, effects)
    return Uncertain(value, tuple((s, c * OFF_AT_WORST if s.cause is Cause.OWN_ERROR else c) for s, c in effects))


@dataclass(frozen=True)
class Parts:
    """What the border is made of: value and standard uncertainty by unknown, None where the places can't tell it.

    confused: pairs of unknowns that hang together. Shifts in mm at the middle of the places, turn in rad, scales in
    mm/mm, border in mm beyond the order. longer: where the places can't tell scales from the border, by how much more
    the cut is too long along X than along Y at its ends, mm, and its standard uncertainty: that they can tell.
    """

    value: dict[str, float | None]
    u: dict[str, float]
    longer: tuple[float, float] | None
    confused: tuple[tuple[str, str], ...]

    def figures(self, border: float | None) -> JsonObject:
        """As the command line writes them. border: nominal; None where it isn't the same all round: then what it is
        wider by.
        """
        v = self.value
        pairs = {name: [v[f"{name}_x"], v[f"{name}_y"]] for name in ("shift", "scale")}
        look = [name for name, value in v.items() if value is not None and abs(value) > MATTERS * self.u[name]]
        if self.longer and abs(self.longer[0]) > MATTERS * self.longer[1]:
            look.append("scale_x")
        named = {"shift_x": "shift", "shift_y": "shift", "scale_x": "scale", "scale_y": "scale"}
        return {
            "shift": pairs["shift"],
            "turn_deg": None if v["turn"] is None else math.degrees(v["turn"]),
            "scale": [None if s is None else 1 + s for s in pairs["scale"]],
            "border": None if v["border"] is None or border is None else border + v["border"],
            **({"wider": v["border"]} if border is None else {}),
            "longer_x_than_y": self.longer[0] if self.longer else None,
            "look_at": list(dict.fromkeys(named.get(name, name) for name in look)),
        }


def parted(at: Sequence[Place], off: Sequence[float], u: float) -> Parts:
    """Least squares of off = b₀ + n·(t + θ×p + diag(s)·p). u: standard uncertainty of one reading, mm."""
    import numpy as np

    places, b = np.asarray(at, float), np.asarray(off, float)
    x, y, nx, ny, _ = places.T
    x, y = x - (x.min() + x.max()) / 2, y - (y.min() + y.max()) / 2  # else a shift would hang together with scale
    design = np.column_stack([nx, ny, -nx * y + ny * x, nx * x, ny * y, np.ones(len(b))])
    size = np.linalg.norm(design, axis=0)
    nothing = size < THIN * size.max()  # what no place sees at all
    design[:, nothing], size[nothing] = 0.0, 1.0
    _, s, vt = np.linalg.svd(design / size, full_matrices=True)
    rank = int((s > THIN * s[0]).sum())
    seen = vt[:rank].T  # what the places can see, in scaled unknowns
    solved = seen @ ((seen.T @ (design / size).T @ b) / s[:rank] ** 2)
    left = b - design / size @ solved
    dof = len(b) - rank
    spread = math.sqrt(float(left @ left) / dof) if dof else 0.0
    cov = seen @ np.diag(1 / s[:rank] ** 2) @ seen.T * max(u, spread) ** 2
    tells = (seen**2).sum(axis=1) > TELLS
    value = {n: float(solved[k] / size[k]) if tells[k] else None for k, n in enumerate(UNKNOWN)}
    sd = {n: math.sqrt(float(cov[k, k])) / float(size[k]) for k, n in enumerate(UNKNOWN)}
    hidden = [k for k in range(len(UNKNOWN)) if not tells[k]]
    blind = [[UNKNOWN[k] for k in hidden if abs(row[k]) > TOUCHES] for row in vt[rank:]]
    ends = np.zeros(len(UNKNOWN))
    ends[[3, 4]] = np.ptp(x) / 2 / size[3], -np.ptp(y) / 2 / size[4]
    hidden_scale = value["scale_x"] is None or value["scale_y"] is None
    told = hidden_scale and bool(np.linalg.norm(ends - seen @ (seen.T @ ends)) < (1 - TELLS) * np.linalg.norm(ends))
    longer = (float(ends @ solved), math.sqrt(float(ends @ cov @ ends))) if told else None
    return Parts(value, sd, longer, tuple(dict.fromkeys(pair for group in blind for pair in combinations(group, 2))))
