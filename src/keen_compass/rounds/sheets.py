"""A sheet in the making: printed, loaded, aimed at, drawn on. Every stage is kept at once; one may go back to any."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from keen_compass.errors import InputError, KeenCompassError, LengthError, PieceError
from keen_compass.language import tr
from keen_compass.machines.heads import TOOL, offset_held
from keen_compass.machines.shown import length_unit
from keen_compass.pieces.job import Applies
from keen_compass.pieces.page import Mark, Page
from keen_compass.pieces.toolpath import Stroke, ToolPath, drawn
from keen_compass.procedures.sheets import bars_said, graduation_of, nominal_bars, papers_for
from keen_compass.procedures.stages import Stage
from keen_compass.quantities.bodies import Parameters
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.lengths import parse_length
from keen_compass.quantities.notes import Note, note
from keen_compass.quantities.readings import parse_spot
from keen_compass.rounds.artworks import Artworks, Beside
from keen_compass.rounds.context import RoundContext
from keen_compass.rounds.sheet_lines import before_line, cross_strokes, line_stroke, mapped, scale_ticks
from keen_compass.rounds.undo import Undo
from keen_compass.shop.marks import SheetStages
from keen_compass.solve.warp import CONTAINS
from keen_compass.words.pages import page_words, vernier_ends
from keen_compass.words.say import say, show_for
from keen_compass.words.sheets import Stands

if TYPE_CHECKING:
    from keen_compass.formats.artwork import Artwork
    from keen_compass.solve.registration import Map

TRIAL = 4.0  # mm, side of the trial square
TRIAL_AT = (6.0, 12.0)  # mm from the first mark; in the free strip beside the words
BUCKLED = 0.6  # mm; more than a hand aims off
ONE_MARK = ((0.0, 0.0),)  # what someone drew by hand
MOST_COPIES = 20
KINDS = {Stage.PRINT: "printed", Stage.LOAD: "loaded", Stage.AIM: "aimed", Stage.DRAW: "drawn"}  # as they are kept


class Sheets:
    """The next sheet of a round. parameters, number: of what is made next."""

    def __init__(
        self, context: RoundContext, parameters: Callable[[], Parameters], number: Callable[[], int], artworks: Artworks
    ) -> None:
        self._c, self._parameters, self.number, self._artworks = context, parameters, number, artworks
        self._written: tuple[tuple[object, ...], bytes] | None = None  # the last page, and what was on it

    @property
    def stages(self) -> tuple[Stage, ...]:
        """In which it is made; none for what is no sheet."""
        return self._c.procedure.stages(self._c.chosen)

    @property
    def state(self) -> SheetStages:
        """How far it is."""
        mark = self._c.mark(SheetStages)
        if mark and mark.number == self.number():
            return mark
        drawn_up = Stage.ARTWORK in self.stages and self._artworks.chosen.sticker
        return SheetStages(self.number(), (str(Stage.ARTWORK),) if drawn_up else ())

    @property
    def shown(self) -> Stage:
        """The stage on the screen: the one that was gone to, else the first that isn't done."""
        state, stages = self.state, self.stages
        if state.shown in stages:
            return Stage(state.shown)
        return next((s for s in stages if s not in state.done), stages[-1])

    def waits_for(self, stage: Stage) -> Stage | None:
        """The first of the stages before it that isn't done; free to go back, but not ahead."""
        before = self.stages[: self.stages.index(stage)]
        return next((s for s in before if s not in self.state.done), None)

    def go(self, stage: Stage) -> None:
        """Show another stage. Raises InputError, saying what comes first."""
        if first := self.waits_for(stage):
            raise InputError(say(note(f"stage_first_{first}")))
        self._c.put_mark(replace(self.state, shown=stage))

    def page(self) -> Page | None:
        """What is on the sheet that is printed next; None where a mark drawn by hand will do, or artwork is wanted."""

        def read() -> Page | None:
            down = self._c.machine.standpoint.left_handed
            try:
                return self._c.procedure.page_of(self._parameters(), self.number(), down=down)
            except PieceError:  # its refusal says so
                return None

        return self._c.remembered(("page", self.number()), read)

    def pdf(self, copies: int = 1) -> bytes:
        """The page at true size. Raises InputError where there is none."""
        from keen_compass.formats.pages import write_page

        page, words, ends, art = self._content()
        if not 1 <= copies <= MOST_COPIES:
            raise InputError(tr("1 to {most_copies} copies", most_copies=MOST_COPIES), "copies")
        content = (page, words, copies, ends, art)
        if self._written is None or self._written[0] != content:  # each aim asks for it again
            self._written = content, write_page(*content)
        return self._written[1]

    def _content(self) -> tuple[Page, tuple[str, ...], dict[str, str], Artwork | None]:
        """What is printed, for whoever writes it. Raises InputError where there is nothing."""
        page = self.page()
        if page is None:
            refused = self.refusal()
            raise InputError(
                say(refused) if refused else tr("nothing is printed for a mark that is drawn by hand"), "sheet"
            )
        show = show_for(self._c.machine)
        return page, page_words(page, show), vernier_ends(show), self._artworks.artwork() if page.art else None

    def write_pdf(self, file: Path, copies: int = 1) -> None:
        """Write it, whole or not at all; it is printed then: as PDF, or by its name as PNG or SVG of one page.

        Raises InputError where the disk refuses.
        """
        from keen_compass.formats.files import write_whole
        from keen_compass.formats.pages import page_as_picture

        match file.suffix.lower():
            case ".png":
                data = page_as_picture(self.pdf())
            case ".svg":
                data = self.svg()
            case _:
                data = self.pdf(copies)
        write_whole(file, data)
        self.printed()

    def svg(self) -> bytes:
        """The page as a drawing at true size. Raises InputError where there is none."""
        from keen_compass.formats.pages import write_page_svg

        return write_page_svg(*self._content())

    def printed(self) -> None:
        """The sheet has left the printer, and is kept as it did (undoable). Raises InputError where it can't be."""
        sent = self._c.shop.put_blob(self.pdf())
        self._change(replace(self._with(Stage.PRINT), bars=(), shown=Stage.PRINT, sent=sent))

    def measured(self, along: str, up: str) -> None:
        """What the check bars measure, as typed (undoable). Raises InputError."""
        unit, typed = length_unit(self._c.machine.units), (along, up)
        lengths = []
        for name, text in zip("XY", typed, strict=True):
            try:
                lengths.append(parse_length(text, unit).mm)
            except LengthError as error:
                raise InputError(error.message, tr("bar {name}", name=name)) from None
        parameters = self._parameters()
        nominal, graduation = nominal_bars(parameters), graduation_of(parameters)
        for name, text, mm, length in zip("XY", typed, lengths, nominal, strict=True):
            if not length / 2 < mm < length * 2:
                shown = graduation.length(length)
                raise InputError(
                    tr(
                        "{typed} is far from the {shown} that are nominal: read again, or give the unit: {shown}",
                        typed=text.strip(),
                        shown=shown,
                    ),
                    tr("bar {name}", name=name),
                )
        self._c.procedure.piece({**parameters, "bars": lengths})  # refuses what no bar can be
        self._change(replace(self._with(Stage.PRINT), bars=tuple(lengths), shown=""))

    def bars_say(self) -> Note | None:
        """What is wrong with the print, by its bars."""
        return next(iter(bars_said(self.parameters())), None) if self.state.bars else None

    def loaded(self, number: str) -> None:
        """It lies on the machine; the number that it carries (undoable). Raises InputError for another sheet."""
        given = number.strip()
        if given != str(self.number()):
            raise InputError(
                tr(
                    "This round waits for sheet {number}, and that one says {given}. Look for the other one, "
                    "or print it again.",
                    number=self.number(),
                    given=given[:12],
                )
                if given
                else tr("Type the number on the sheet: {number} is waited for.", number=self.number())
            )
        self._change(replace(self._with(Stage.LOAD), shown=""))

    # Aiming

    @property
    def marks(self) -> tuple[Mark, ...]:
        """What is aimed at, in this order."""
        page = self.page()
        return page.marks if page else tuple(Mark(at) for at in ONE_MARK)

    def next_mark(self) -> int | None:
        """The first mark that still has to be aimed at, from 0; None where all are done."""
        aimed = self.state.aimed
        return next((i for i in range(len(self.marks)) if str(i) not in aimed), None)

    def aim(self, mark: int, text: str) -> None:
        """Where the head stands with the dot on a mark, as the machine shows it: ``120.4 88.2`` (undoable).

        Raises InputError.
        """
        try:
            spot = parse_spot(text, length_unit(self._c.machine.controller_units))
        except LengthError as error:
            raise InputError(error.message, tr("mark {mark}", mark=mark + 1)) from None
        aimed = {**self.state.aimed, str(mark): (spot.x, spot.y)}
        self._aimed(replace(self.state, aimed=aimed, origin=False, under=self._holds()))

    def aim_again(self, mark: int) -> None:
        """Forget where it stood for one mark (undoable)."""
        aimed = {name: at for name, at in self.state.aimed.items() if name != str(mark)}
        self._aimed(replace(self.state, aimed=aimed))

    def aim_at_all_again(self) -> None:
        """Forget all of it (undoable)."""
        self._aimed(replace(self.state, aimed={}, origin=False))

    def set_origin(self) -> None:
        """The machine's own origin was set with the dot on the first mark; nothing else is known (undoable)."""
        self._aimed(replace(self.state, aimed={}, origin=True, under=self._holds()))

    def _holds(self) -> dict[str, str]:
        """What the controller moves and aims by now, as it is there."""
        machine, held = self._c.machine, self._c.values()
        families = ("steps", "backlash", "print_scale", self.head)
        return {q: machine.place(q).text(v) for q, v in held.items() if QUANTITIES[q].family.name in families}

    def otherwise(self) -> tuple[str, ...]:
        """Quantities that stand otherwise in the controller than when the marks were aimed at."""
        under, now = self.state.under, self._holds()
        aimed = self.state.aimed or self.state.origin
        return tuple(q for q in under if under[q] != now.get(q, "")) if aimed else ()

    def _aimed(self, state: SheetStages) -> None:
        done = state.origin or len(state.aimed) == len(self.marks)
        others = tuple(s for s in state.done if s != Stage.AIM)
        self._change(replace(state, done=(*others, Stage.AIM) if done else others, shown=Stage.AIM))

    def offset(self) -> Point:
        """Where the controller has what is aimed with, from the tool, mm."""
        c = self._c
        return offset_held(c.values(), self.head, c.machine.offset_form, c.machine.flipped)

    def known(self) -> Map | None:
        """How the sheet lies, by what was aimed at so far: sheet → where the tool would have to stand."""
        from keen_compass.solve.registration import register

        state, (ox, oy), marks = self.state, self.offset(), self.marks
        if state.origin:
            return register([marks[0].at], [(0.0, 0.0)])
        if not state.aimed:
            return None
        which = sorted(map(int, state.aimed))
        found = [(state.aimed[str(i)][0] + ox, state.aimed[str(i)][1] + oy) for i in which]
        return register([marks[i].at for i in which], found)

    def expected(self, mark: int) -> Point | None:
        """Where the machine should stand for a mark, by what is known so far; None where nothing is."""
        known = self.known()
        if known is None or self.state.origin:
            return None
        (x, y), (ox, oy) = mapped(known, [self.marks[mark].at])[0], self.offset()
        return x - ox, y - oy

    def out_of_reach(self) -> Note | None:
        """The first mark or target that the head can't come to, and by how much the sheet is to be moved."""
        known, machine = self.known(), self._c.machine
        if known is None or self.state.origin:
            return None
        ox, oy = self.offset()
        ends = {axis: (0.0, size) for axis, size in zip("xy", machine.bed, strict=True)}
        visits = [(i + 1, "mark", x - ox, y - oy) for i, (x, y) in enumerate(mapped(known, [m.at for m in self.marks]))]
        draws = Stage.DRAW in self.stages
        visits += [(i + 1, "target", x, y) for i, (x, y) in enumerate(self.targets() if draws else ())]
        for number, what, *at in visits:
            for axis, value in zip("xy", at, strict=True):
                low, high = ends[axis]
                by = max(low - value, value - high)
                if by > 0:
                    way = f"{'+' if value < low else '-'}{axis}"
                    return note("out_of_reach", what=f"sheet_{what}", number=number, by=by, way=way)
        return None

    def aim_says(self) -> Note | None:
        """What is wrong with how the marks were aimed at: their order, the sheet's side, a buckle."""
        from keen_compass.procedures.registration import asked_of

        known, state = self.known(), self.state
        if known is None or state.origin or len(state.aimed) < 2:
            return None
        which = sorted(map(int, state.aimed))
        asks = asked_of(known, [f"mark_{i + 1}" for i in which])
        off = abs(known.residuals).max()
        return asks.asks if asks else note("registration.buckled") if off > BUCKLED else None

    def stands(self) -> Stands:
        """How it stands, for words."""
        state, mark = self.state, self.next_mark()
        return Stands(
            self.number(),
            Stage.PRINT in state.done,
            self.page() is None,
            self.head,
            mark,
            len(self.marks),
            None if mark is None else self.expected(mark),
            state.origin,
            self._c.procedure.on_paper.true_size,
            self._c.procedure.on_paper.artwork,
        )

    # Drawing

    def _lies(self) -> Map | None:
        """The map by which the tool draws on it."""
        from keen_compass.solve.registration import at_true_size

        known = self.known()
        return at_true_size(known) if known is not None and self._c.procedure.on_paper.true_size else known

    def targets(self) -> list[Point]:
        """Where the tool draws a cross, in the machine's coordinates, mm."""
        known, piece = self._lies(), self._c.procedure.piece(self._parameters())
        return mapped(known, self._c.procedure.crosses(piece)) if known is not None else []

    def path(self) -> ToolPath:
        """A cross on every target, a trial square first where one is wanted. Raises PieceError before any aim."""
        known = self._lies()
        if known is None:
            raise PieceError(say("stage_first_aim"))
        piece = self._c.procedure.piece(self._parameters())
        strokes = [line_stroke(*mapped(known, line)) for line in self._c.procedure.lines(piece)]
        strokes += [s for at in self.targets() for s in cross_strokes(at)]
        if (page := self.page()) is not None:
            # No approach: what leads to a cut would be cut as well where a drawing is sent.
            strokes += [Stroke(tuple(mapped(known, line))) for line in self._c.procedure.cuts(piece, page)]
        if page is not None and page.fine:
            strokes += [s for at in page.targets for axis in "xy" for s in scale_ticks(known, page, at, axis)]
        if self._c.chosen.get("trial"):
            (x, y), (dx, dy) = self.marks[0].at, TRIAL_AT
            ((u, v),) = mapped(known, [(x + dx, y + dy)])
            corners = ((u, v), (u + TRIAL, v), (u + TRIAL, v + TRIAL), (u, v + TRIAL), (u, v))
            strokes.insert(0, Stroke(corners, approach=before_line((u, v))))
        path = drawn(f"sheet {self.number()}, {len(strokes)} lines", tuple(strokes))
        return replace(path, applied=self._applied(known)) if self._c.procedure.on_paper.artwork else path

    def _applied(self, known: Map) -> dict[str, str]:
        """Who corrects what of a cut, each once: whatever the map of the marks holds, the registration."""
        found = dict.fromkeys(CONTAINS[known.model], str(Applies.REGISTRATION))
        if self.head != TOOL:
            found["offset"] = str(Applies.REGISTRATION)  # of what aims: the map leads to where the tool would stand
        return found | ({"drag": str(Applies.CONTROLLER)} if self._c.tool.trails else {})

    def refusal(self) -> Note | None:
        """Why it can't be made yet."""
        state = self.state
        if Stage.PRINT in self.stages and not papers_for(self._c.machine):
            return note("no_paper")
        if Stage.ARTWORK in self.stages and (refused := self._no_artwork()):
            return refused
        missing = next((s for s in self.stages if s is not Stage.DRAW and s not in state.done), None)
        if missing:
            return note(f"stage_first_{missing}")
        if Stage.PRINT in self.stages and not state.bars:
            return note("stage_first_bars")
        if Stage.AIM in self.stages and (other := self.otherwise()):
            return note("aimed_under_others", quantities=[QUANTITIES[q].label for q in other])
        return self.aim_says() or self.out_of_reach() if Stage.AIM in self.stages else None

    def _no_artwork(self) -> Note | None:
        """Why there is nothing to print."""
        if not self._artworks.chosen.blob:
            return note("stage_first_artwork")
        try:
            if self._artworks.sticker() is None:
                self._artworks.look()
                return note("stage_first_artwork")
            if self.page() is None:  # asked again, it says why
                down = self._c.machine.standpoint.left_handed
                self._c.procedure.page_of(self._parameters(), self.number(), down=down)
        except KeenCompassError as error:
            return note("refused", why=str(error))
        return None

    def move_mark(self, mark: int, at: Point) -> None:
        """A mark of the next print, from 0, goes elsewhere (undoable). Raises PieceError where it can't."""
        page = self.page()
        if page is None or Stage.PRINT in self.state.done:
            raise InputError(tr("That sheet is printed: its marks are where they are."), "marks")
        marks = [list(at if i == mark else m.at) for i, m in enumerate(page.marks)]
        self._c.procedure.page_of({**self._parameters(), "marks": marks}, self.number(), down=page.down)
        self._artworks.move_mark(mark, at, tuple(m.at for m in page.marks))

    def draw_up(self, beside: Beside = lambda run: run()) -> None:
        """The artwork's line pleases: on to the printer (undoable). Raises InputError, PieceError."""
        self._artworks.draw_up(beside)
        self._change(replace(self._with(Stage.ARTWORK), shown=""))

    def parameters(self) -> Parameters:
        """Of the sheet as it was made."""
        made = {name: v for name, v in self._parameters().items() if name != "bars"}
        return made | ({"bars": list(self.state.bars)} if self.state.bars else {})

    def kept_as(self) -> tuple[tuple[str, bytes], ...]:
        """(kind, what was sent) of its stages but for the last, where that one has a file of its own."""
        before = [s for s in self.stages if s in KINDS and s is not Stage.DRAW]
        return tuple((KINDS[s], self._as_printed() if s is Stage.PRINT else b"") for s in before)

    def _as_printed(self) -> bytes:
        """The page as it left for the printer, whatever was changed since."""
        return (self._c.shop.blob(self.state.sent) if self.state.sent else None) or self.pdf()

    # Inside

    @property
    def head(self) -> str:
        """What is aimed with."""
        parameters = self._parameters()
        return str(parameters.get("secondary") or parameters.get("aimed_with"))

    def _with(self, stage: Stage) -> SheetStages:
        state = self.state
        return replace(state, done=(*(s for s in state.done if s != stage), stage))

    def _change(self, state: SheetStages) -> None:
        before = self.state

        def change() -> Undo:
            self._c.put_mark(state)
            return lambda: self._c.put_mark(before)

        self._c.do(change)
