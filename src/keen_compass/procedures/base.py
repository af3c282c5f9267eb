"""What a procedure is. The Round screen and the command line know procedures only through this.

A procedure is one small object: what it needs from the machine, its steps, the piece it makes, its
measurands and how each is read, the one surface on which readings are given, and the values it
yields. Adding one touches one new module, its tests and one line in the registry.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any, Generic, Protocol, TypeVar, runtime_checkable

from keen_compass.errors import InputError
from keen_compass.language import marked, tr
from keen_compass.machines.profile import Machine
from keen_compass.pieces.in_picture import Pattern
from keen_compass.pieces.job import Applies, Corrections, Job, composed
from keen_compass.pieces.moves import MoveProgram
from keen_compass.pieces.page import METRIC, Graduation, Page, sheet
from keen_compass.pieces.placement import visited
from keen_compass.pieces.toolpath import ToolPath
from keen_compass.procedures import REGISTRY
from keen_compass.procedures.case import Case, length_mm
from keen_compass.procedures.looking import looked_through
from keen_compass.procedures.manner import OnPaper, OnStock, ReadBy, Sizes
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.results import PER_METRE, ask
from keen_compass.procedures.stages import ALL_STEPS, Makes, Stage, Step, Surface
from keen_compass.procedures.surroundings import Choice, Surroundings
from keen_compass.quantities.bodies import JsonObject, Parameters
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.charts import Chart, Extent, Shown
from keen_compass.quantities.findings import Figures, Finding, Solution
from keen_compass.quantities.geometry import Box, Point
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.notes import Note, note, plain
from keen_compass.quantities.verdict import Verdict
from keen_compass.solve.joint import Observation
from keen_compass.solve.plausibility import Doubt

NOUNS = {Makes.PIECE: marked("piece"), Makes.SHEET: marked("sheet"), Makes.PRINT: marked("print")}
RUN = marked("run")
AnyPiece = Any  # of a procedure that isn't known here: it is handed back to it


class Run(Protocol):
    """What was made or moved, as every procedure sees it."""

    def nominal(self, measurand: str) -> float:
        """As ordered, in the measurand's unit."""


class Piece(Run, Protocol):
    """A test piece, as its procedure orders it."""

    def outline(self, **actual: float) -> tuple[Point, ...]:
        """Corners of the closed outline, with `actual` lengths in place of ordered ones."""

    def footprint(self) -> tuple[float, float]:
        """Room on the stock, mm."""

    def job(self, number: int) -> Job:
        """What is to be made, nominal, lowest corner at (0, 0)."""


@runtime_checkable
class Outlined(Run, Protocol):
    """What has an outline; a run has none."""

    def outline(self, **actual: float) -> tuple[Point, ...]:
        """Corners, with `actual` lengths in place of nominal ones."""


@runtime_checkable
class Lined(Protocol):
    """Lines on the stock, in place of an outline."""

    def lines(self, **actual: float) -> Sequence[tuple[Point, Point]]:
        """Their ends, with `actual` distances in place of nominal ones."""


@runtime_checkable
class Pierced(Protocol):
    """A piece with holes in it."""

    def inner(self, **actual: float) -> tuple[tuple[Point, ...], ...]:
        """Corners of each, with `actual` sizes in place of ordered ones."""


@runtime_checkable
class Anchored(Protocol):
    """A piece that lies where it says itself."""

    def boxes(self) -> tuple[Box, ...]:
        """What it marks, on the bed, mm."""


@runtime_checkable
class Moves(Run, Protocol):
    """A run of moves with stops at which something is read."""

    @property
    def axis(self) -> str:
        """Along which it runs."""

    def program(self, machine: Machine, cycles: int) -> MoveProgram:
        """The moves, in the machine's coordinates, everything read `cycles` times."""


P = TypeVar("P")  # what it makes: a piece, a run, or the parts that are counted


class Procedure(Generic[P]):
    """A calibration procedure; what most of them share.

    read_by, on_stock, on_paper, sizes: its manner.
    per_axis: where it is done for one axis at a time, what it yields of that: "backlash".
    starting: its findings are starting values: they never replace what a round found.
    judged_by: choices that only say how it is judged: they may be made again when it was read.
    tried: choices of what is tried, which may be others from one row of a round to the next: closer, or more of them.
    once: of these, what holds for the next row alone.
    """

    name: str
    surface: Surface
    steps: tuple[Step, ...] = ALL_STEPS
    makes: Makes = Makes.PIECE
    read_by: ReadBy = ReadBy()
    on_stock: OnStock = OnStock()
    on_paper: OnPaper = OnPaper()
    sizes: Sizes = Sizes()
    per_axis: str = ""
    starting: bool = False
    judged_by: tuple[str, ...] = ()
    tried: tuple[str, ...] = ()
    once: tuple[str, ...] = ()

    @property
    def yields(self) -> tuple[str, ...]:
        """The quantities that it can calibrate, as the registry has them."""
        return REGISTRY[self.name].yields

    def choices(self, machine: Machine) -> tuple[Choice, ...]:
        """What else is to be chosen in Make."""
        return ()

    def concerns(self, choice: str, chosen: Parameters) -> bool:
        """Whether one of the choices makes any difference, as the others are chosen."""
        return True

    def parameters(self, around: Surroundings) -> Parameters:
        """The parameters of the next piece."""
        raise NotImplementedError

    def again(self, before: Parameters, around: Surroundings) -> Parameters:
        """The parameters of a confirming piece: those of the one before."""
        return dict(before)

    def chosen_for(self, quantity: str) -> Parameters:
        """Which of the choices lead to a quantity."""
        return {"axis": quantity[0]} if self.per_axis else {}

    def axis_choice(self, machine: Machine) -> Choice:
        """Along which of the machine's axes."""
        axes = (q[0] for q in machine.quantities if QUANTITIES[q].family.name == self.per_axis)
        return Choice("axis", "axis", tuple((plain(a.upper()), a) for a in axes))

    @property
    def noun(self) -> str:
        """What one goes through of it: a piece or a run."""
        return NOUNS.get(self.makes, RUN)

    def heading(self, parameters: Parameters) -> Note:
        """Its title, with the axis where there is one."""
        return note("heading", procedure=self.name, axis=str(parameters.get("axis", "")))

    def suits_for(self, chosen: Parameters) -> tuple[str, ...]:
        """Kinds of instrument for what was chosen, best first."""
        return self.read_by.suits

    def longest(self, machine: Machine, chosen: Parameters) -> float:
        """The largest size that the machine allows, mm."""
        return machine.bed[0 if machine.long_axis == "x" else 1]

    def for_logbook(self, finding: Finding) -> Finding:
        """A finding as the logbook and the rose keep it."""
        return finding

    def first(self, around: Surroundings) -> Note | None:
        """What is to be set at the machine before it is made, if anything."""
        return None

    def piece(self, parameters: Parameters) -> P:
        """The piece or run for these parameters. Raises InputError or PieceError."""
        raise NotImplementedError

    def tool_path(self, piece: Piece, number: int, by: Applies = Applies.FILE) -> ToolPath:
        """What is sent for a piece, composed now with the corrections that it is ordered with."""
        compensation, bias = (getattr(piece, name, 0.0) for name in ("compensation", "hole_bias"))
        return composed(piece.job(number), Corrections(compensation, by, bias))

    def measurands(self, piece: P) -> tuple[Measurand, ...]:
        """What is read on it, in the order in which a technician walks round it."""
        raise NotImplementedError

    def asks(self, measurand: Measurand, chosen: Parameters) -> bool:
        """Whether it is read, as things are chosen."""
        return True

    def spots(self, piece: P, machine: Machine, passes: int) -> tuple[Box, ...]:
        """Where a piece that lies where it says itself, or a run that a plotter draws, leaves its marks."""
        if isinstance(piece, Moves):
            return (visited(piece.program(machine, passes).as_ticks(piece.axis, "").strokes),)
        return piece.boxes() if isinstance(piece, Anchored) else ()

    def on(self, machine: Machine) -> Box:
        """What such a piece may lie on."""
        return machine.media if self.on_stock.marks_bed else machine.sheet

    def first_free(self, around: Surroundings, candidates: Iterable[Parameters]) -> Parameters:
        """The first parameters whose marks go onto free stock; where none do, the first: they are refused in words."""
        first: Parameters = {}
        for parameters in candidates:
            first = first or parameters
            try:
                boxes = self.spots(self.piece(parameters), around.machine, around.passes)
            except InputError:
                continue
            if around.free(boxes, self.on(around.machine)):
                return parameters
        return first

    def yields_for(self, parameters: Parameters) -> tuple[str, ...]:
        """Which of `yields` a piece with these parameters gives."""
        return (f"{parameters.get('axis', 'x')}_{self.per_axis}",) if self.per_axis else self.yields

    def solve(self, case: Case) -> Solution:
        """What the readings say; what has to be asked about them comes before any number.

        A doubt about one axis leaves the answer about the others.
        """
        piece = self.piece(case.piece)
        measurands = {m.name: m for m in self.measurands(piece)} if case.readings else {}
        doubts = [] if case.confirmed else looked_through(case, measurands, getattr(piece, "compensation", 0.0))
        if not doubts:
            return self.answer(case)
        about = {q: d for q in self.yields_for(case.piece) if (d := _about(q, doubts, measurands))}
        asked = {q: ask(case, q, d, self.reference_length(piece, q, measurands)) for q, d in about.items()}
        if len(asked) == len(self.yields_for(case.piece)):
            return Solution(tuple(f for q, f in asked.items() if q in case.values) or tuple(asked.values()))
        doubtful = {name for d in doubts for name in d.measurands}
        rest = self.answer(replace(case, readings={m: r for m, r in case.readings.items() if m not in doubtful}))
        findings = tuple(asked.get(f.quantity, f) for f in rest.findings)
        open_ = any(f.verdict is Verdict.UNRESOLVED for f in findings)
        return replace(rest, findings=findings, unresolved=rest.unresolved if open_ else ())

    def answer(self, case: Case) -> Solution:
        """What readings say that nobody needs to ask about, or that were confirmed."""
        raise NotImplementedError

    def reference_length(self, piece: P, quantity: str, measurands: Mapping[str, Measurand]) -> float:
        """The length at which a plain tolerance of a scale is meant, mm: the longest that is read along its axis."""
        axis = QUANTITIES[quantity].axis
        return max((m.nominal for m in measurands.values() if m.axis == axis and m.ordered), default=PER_METRE)

    def shown(self, figures: Figures) -> Shown:
        """What it found besides, of a solution's figures, in lines and a table."""
        return Shown()

    def chart(self, figures: Figures) -> Chart | None:
        """What its surface draws of a solution's figures; None where there is nothing yet."""
        return None

    def extent(self, parameters: Parameters) -> Extent:
        """How large a piece or run with these parameters is."""
        lengths = tuple(length_mm(parameters[name], name) for name in self.sizes.large if name in parameters)
        return Extent(lengths, axis=str(parameters.get("axis", "")))

    def stages(self, chosen: Parameters) -> tuple[Stage, ...]:
        """In which its sheet is made; none for what is no sheet."""
        return ()

    def crosses(self, piece: P) -> tuple[Point, ...]:
        """Where on its sheet the tool draws, mm."""
        return ()

    def lines(self, piece: P) -> tuple[tuple[Point, Point], ...]:
        """What the tool draws on its sheet before its crosses, line by line, mm."""
        return ()

    def pattern(self, piece: P) -> Pattern | None:
        """What tells where a piece lies in a picture of it, where nothing is printed; None for nothing."""
        return None

    def eye_for(self, parameters: Parameters) -> Instrument | None:
        """What the eye is worth with such a piece; None where an instrument is needed, or that doesn't matter.

        parameters: of the piece; before there is one, what was chosen for it.
        """
        return self.read_by.eye

    def page(
        self,
        size: tuple[float, float],
        number: int,
        *,
        down: bool = False,
        fine: bool = False,
        graduation: Graduation = METRIC,
    ) -> Page | None:
        """The printed sheet that it is read on, of that size, mm; None for what is no print. Raises PieceError.

        down: for a machine whose Y runs down the paper where its X runs to the right. fine: with verniers.
        graduation: of its rings, verniers and bars.
        """
        if not self.on_paper.printed or self.on_paper.artwork:  # an artwork’s page follows from its line
            return None
        return sheet(self.name, size, number, targets=self.on_stock.draws, down=down, fine=fine, graduation=graduation)

    def page_of(self, parameters: Parameters, number: int, *, down: bool = False) -> Page | None:
        """The printed sheet of a piece with these parameters, as `page` has it. Raises InputError, PieceError."""
        from keen_compass.procedures.sheets import graduation_of, place

        if "size" not in parameters:
            return None
        size, fine = place(parameters["size"], "size"), bool(parameters.get("fine"))
        return self.page(size, number, down=down, fine=fine, graduation=graduation_of(parameters))

    def on_page(self, page: Page) -> Parameters:
        """Parameters of what is read on a printed sheet, as far as the sheet says them."""
        return {}

    def cuts(self, piece: P, page: Page) -> tuple[tuple[Point, ...], ...]:
        """Lines that it cuts on its sheet, each closed, mm."""
        return ()

    def plans(self, case: Case) -> list[Parameters]:
        """Pieces or runs that it could make, by their parameters: what `procedures.planning` chooses from."""
        return [self.usual_piece()]

    def rows(self, case: Case) -> list[Observation]:
        """What its readings bring to a joint solution. Raises InputError where it has nothing in common with others."""
        raise InputError(tr("this stands by itself: it shares no unknown with other procedures"), "procedure")

    def predict(self, case: Case, readings_each: int) -> dict[str, float]:
        """Expanded uncertainty that each yield would have, in its error unit, before anything is made."""
        return {}

    def example(self) -> JsonObject:
        """A complete input with made-up readings."""
        raise NotImplementedError

    def unless_said(self, given: Parameters) -> Parameters:
        """Parameters that a piece gets from the command line where they aren't given there."""
        return {}

    def usual_piece(self) -> Parameters:
        """The piece with which the command line practises."""
        raise NotImplementedError


def _about(quantity: str, doubts: Sequence[Doubt], measurands: Mapping[str, Measurand]) -> Doubt | None:
    """The first doubt that touches a quantity: one along its own axis, or along none."""
    axis = QUANTITIES[quantity].axis
    for doubt in doubts:
        axes = {measurands[name].axis for name in doubt.measurands}
        if not axis or axis in axes or "" in axes:
            return doubt
    return None


AnyProcedure = Procedure[Any]  # of whatever piece it has
