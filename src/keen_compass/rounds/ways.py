"""Ways of making: what is sent to the machine, what it takes of the stock, in which stages, and what is refused.

Counted    nothing is made: parts are counted, what stands there is read
OwnPrint   a test that the printer makes by itself
Run        moves that wait to be read; a plotter can't wait and draws a tick wherever it would
Cut        cut or drawn on the stock, at a place of its own
OnSheet    printed, laid down, aimed at and drawn on, stage by stage
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, ClassVar

from keen_compass.errors import PieceError
from keen_compass.pieces.job import Applies
from keen_compass.pieces.moves import MoveProgram
from keen_compass.pieces.placement import next_free
from keen_compass.pieces.toolpath import ToolPath
from keen_compass.procedures.base import AnyPiece, Moves
from keen_compass.procedures.stages import Makes, Stage
from keen_compass.procedures.surroundings import CLEAR
from keen_compass.quantities.bodies import Parameters
from keen_compass.quantities.geometry import Box
from keen_compass.quantities.notes import Note, note
from keen_compass.rounds.context import RoundContext
from keen_compass.rounds.room import room
from keen_compass.rounds.sheets import KINDS as STAGE_KINDS
from keen_compass.words.say import say

if TYPE_CHECKING:
    from keen_compass.formats.playback import DryRun
    from keen_compass.rounds.choosing import Choosing


class Way:
    """What a round asks of any of them; unless it says otherwise nothing is sent and nothing is marked.

    kept_as: its stage in the shop file. first: what is said where nothing was made yet.
    made: whether something comes of it. from_zero: whether its file counts from the bed's zero in any format.
    """

    kept_as: ClassVar[str] = ""
    first: ClassVar[str] = "cut_first"
    made: ClassVar[bool] = True
    from_zero: ClassVar[bool] = False

    def __init__(self, context: RoundContext, chosen: Choosing) -> None:
        self._c = context
        self._chosen = chosen

    @property
    def has_file(self) -> bool:
        """Whether the machine is sent anything."""
        return False

    @property
    def by_tool(self) -> bool:
        """Whether the tool that was chosen makes it, and so is in."""
        return self.has_file

    @property
    def marks_stock(self) -> bool:
        """Whether it takes place on what is loaded."""
        return False

    @property
    def reach(self) -> Box:
        """Where its file may draw."""
        return self._c.machine.media

    def refusal(self) -> Note | None:
        """Why it can't be made, before anything is composed."""
        return note("no_stock") if self.marks_stock and self._c.machine.stock is None else None

    def spots(self, _size: float | None) -> tuple[Box, ...]:
        """What it will cover or mark; nothing where it finds no free place, or marks nothing."""
        return ()

    def fits(self, _size: float) -> bool:
        """Whether one of that size has a place."""
        return True

    def program(self) -> MoveProgram | None:
        """Its moves, where it is one of moves."""
        return None

    def path(self) -> ToolPath | None:
        """What the tool is sent along, in the bed's coordinates; None where there is none. Raises PieceError."""
        return None

    def parameters(self) -> Parameters:
        """As they are kept with it."""
        return self._chosen.parameters()

    @property
    def number(self) -> int:
        """That it bears already; 0 where it gets one when it is kept."""
        return 0

    def stages(self, sent: bytes) -> list[tuple[str, bytes]]:
        """(kind, what was sent) of each stage in which it is made."""
        return [(self.kept_as, sent)]

    def use(self, _read_back: Callable[[], DryRun | None]) -> dict[str, float]:
        """Of what cuts, from its file as it is read back."""
        return {}

    def _where_it_says(self, size: float | None) -> tuple[Box, ...]:
        """The spots that the procedure names, where all of them are free."""
        c, machine = self._c, self._c.machine
        spots = c.procedure.spots(self._chosen.next_piece(size), machine, c.choices.passes)
        clear = all(not box.overlaps(t, CLEAR) for box in spots for t, _ in self._chosen.taken())
        return spots if clear and all(c.procedure.on(machine).holds(box) for box in spots) else ()


class Counted(Way):
    """What is counted or read stands there already."""

    kept_as = "counted"
    made = False


class OwnPrint(Way):
    """No file of ours."""

    kept_as = "printed"
    first = "print_first"


class Run(Way):
    """A table waits at each stop; a plotter draws."""

    kept_as = "run"
    first = "run_first"

    @property
    def has_file(self) -> bool:
        """Always."""
        return True

    @property
    def by_tool(self) -> bool:
        """Whichever is in."""
        return False

    @property
    def marks_stock(self) -> bool:
        """Its ticks do, where the machine can't wait."""
        return self._c.machine.file_format != "gcode"

    def spots(self, size: float | None) -> tuple[Box, ...]:
        """Of its ticks."""
        return self._where_it_says(size) if self.marks_stock else ()

    def program(self) -> MoveProgram | None:
        """All of it."""
        run: Moves = self._chosen.next_piece()
        return run.program(self._c.machine, self._c.choices.passes)

    def path(self) -> ToolPath | None:
        """Its ticks."""
        program = self.program() if self.marks_stock else None
        return program.as_ticks(self._chosen.next_piece().axis, say(program.title)) if program else None


class Cut(Way):
    """At the next free place, unless it says where it lies."""

    kept_as = "made"

    @property
    def has_file(self) -> bool:
        """Always."""
        return True

    @property
    def marks_stock(self) -> bool:
        """Always."""
        return True

    def refusal(self) -> Note | None:
        """A cut needs its width, too."""
        if not self._c.tool.drawn and not room(self._c).width:
            return note("no_room_held") if self._c.machine.in_controller("kerf") else note("no_room_known")
        return super().refusal()

    def spots(self, size: float | None) -> tuple[Box, ...]:
        """Where it goes."""
        if self._c.procedure.on_stock.anchored:
            return self._where_it_says(size)
        taken = [box for box, _ in self._chosen.taken()]
        place = next_free(self._c.machine.sheet, taken, self._chosen.next_piece(size).footprint())
        return (place,) if place else ()

    def fits(self, size: float) -> bool:
        """Where there is a place for it."""
        try:
            return bool(self._chosen.spots(size))
        except PieceError:
            return False

    def path(self) -> ToolPath | None:
        """Where it goes on the bed."""
        place = self._chosen.place()
        if place is None or self._c.machine.stock is None:
            raise PieceError(say(self.refusal() or note("no_place")))
        piece: AnyPiece = self._chosen.next_piece()
        procedure = self._c.procedure
        path = procedure.tool_path(piece, self._chosen.next_number(), Applies(self._c.machine.gives_room))
        if procedure.on_stock.anchored:
            return path.moved(*piece.origin)
        margin = (place.width - max(x for x, _ in piece.outline())) / 2
        return path.moved(place.x + margin, place.y + margin)

    def use(self, read_back: Callable[[], DryRun | None]) -> dict[str, float]:
        """As the file makes the machine cut."""
        run = None if self._c.tool.drawn else read_back()
        if run is None:
            return {}
        minutes = sum(step.seconds for step in run.steps if step.on) / 60
        return {"pierces": float(len(run.lines)), "metres": run.length(on=True) / 1000, "minutes": minutes}


class OnSheet(Way):
    """It lies anywhere on the bed, whatever else is loaded."""

    from_zero = True

    @property
    def has_file(self) -> bool:
        """Where it is drawn on."""
        return Stage.DRAW in self._chosen.sheets.stages

    @property
    def reach(self) -> Box:
        """All of the bed."""
        return Box(0, 0, *self._c.machine.bed)

    def refusal(self) -> Note | None:
        """What its stages lack."""
        return self._chosen.sheets.refusal()

    def path(self) -> ToolPath | None:
        """What is drawn on it, through its marks."""
        return self._chosen.sheets.path() if self.has_file else None

    def parameters(self) -> Parameters:
        """With what its stages found."""
        return self._chosen.sheets.parameters()

    @property
    def number(self) -> int:
        """It was printed with it."""
        return self._chosen.next_number()

    def stages(self, sent: bytes) -> list[tuple[str, bytes]]:
        """Each of its own."""
        drawn = [(STAGE_KINDS[Stage.DRAW], sent)] if self.has_file else []
        return [*self._chosen.sheets.kept_as(), *drawn]


_WAYS: dict[Makes, type[Way]] = {
    Makes.PIECE: Cut,
    Makes.MOVES: Run,
    Makes.SHEET: OnSheet,
    Makes.PRINT: OwnPrint,
    Makes.NOTHING: Counted,
}


def way_of(context: RoundContext, chosen: Choosing) -> Way:
    """Of what a round's procedure makes."""
    return _WAYS[context.procedure.makes](context, chosen)
