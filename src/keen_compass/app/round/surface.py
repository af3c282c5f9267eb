"""Where readings are given: what every surface has, and the one with a single floating callout.

A surface shows the callouts of a session and nothing else: it keeps no state of the round. It is chosen by
the procedure's `surface`.
"""

from __future__ import annotations

from importlib import import_module
from typing import TypeVar

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QResizeEvent
from PySide6.QtWidgets import QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import Text
from keen_compass.app.round.callout import HEIGHT, WIDTH, CalloutBox, CalloutEdit
from keen_compass.errors import LengthError
from keen_compass.machines.profile import Machine
from keen_compass.procedures.stages import Surface
from keen_compass.quantities.charts import Chart
from keen_compass.quantities.lengths import parse_length, plain_number
from keen_compass.quantities.readings import number_of
from keen_compass.rounds import RoundSession
from keen_compass.rounds.half_typed import Callout
from keen_compass.words.say import PLAIN, Show, show_for

T = TypeVar("T")
HIT = 26.0  # px around a place that can be chosen


class SurfaceWidget(QWidget):
    """`chosen` carries the measurand that was clicked, `typed` what a drag or a key put into the current callout.

    `marked` carries a measurand and what it was judged to be with one click; `placed` what a drag or a key put into
    several callouts of one place, by measurand, and the one that takes what is typed next; `wanted` a command.
    """

    chosen = Signal(str)
    typed = Signal(str)
    marked = Signal(str, str)
    placed = Signal(object, str)
    wanted = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.callouts: list[Callout] = []
        self._complaint = Text("", th.TEXT, "bad", bold=True)
        self._complaint.setParent(self)
        self._complaint.hide()

    def show_session(self, session: RoundSession, callouts: list[Callout], *, frozen: bool) -> None:
        """Everything that is drawn."""
        raise NotImplementedError

    def current_edit(self) -> CalloutEdit | None:
        """The field that takes what is typed."""
        raise NotImplementedError

    def edits(self) -> list[CalloutEdit]:
        """Every field there is now."""
        raise NotImplementedError

    def nudge(self, by: int) -> bool:
        """An arrow key in the field; False where it goes to another callout."""
        return False

    def current(self) -> Callout | None:
        """The callout that takes what is typed."""
        return next((c for c in self.callouts if c.current), None)

    def _complain_beside(self, box: QWidget, words: str) -> None:
        """A complaint below a box, or above where there is no room; gone where there is none."""
        if not words:
            self._complaint.hide()
            return
        self._complaint.setFixedWidth(min(330, self.width() - 16))
        self._complaint.setStyleSheet(
            f"color: {th.theme().bad}; background: {th.theme().bad_fill}; padding: 6px; border-radius: 6px;"
        )
        self._complaint.setText(words)
        self._complaint.adjustSize()
        height = self._complaint.heightForWidth(self._complaint.width())
        room = self.width() - self._complaint.width() - 8
        x = min(max(box.x() + box.width() // 2 - self._complaint.width() // 2, 8), max(room, 8))
        below = box.y() + box.height() + 4
        y = below if below + height < self.height() - 4 else box.y() - height - 4
        self._complaint.setGeometry(x, y, self._complaint.width(), height)
        self._complaint.show()
        self._complaint.raise_()


class BoxedSurface(SurfaceWidget):
    """A surface with a box of its own for every callout."""

    def __init__(self) -> None:
        super().__init__()
        self.boxes: dict[str, CalloutBox] = {}

    def current_edit(self) -> CalloutEdit | None:
        """The field that takes what is typed."""
        current = self.current()
        return self.boxes[current.measurand.name].edit if current else None

    def edits(self) -> list[CalloutEdit]:
        """One for each callout."""
        return [box.edit for box in self.boxes.values()]

    def _fill_boxes(self, callouts: list[Callout], machine: Machine, *, frozen: bool) -> None:
        """A box for each callout, and none for what is gone."""
        self.callouts = callouts
        names = {c.measurand.name for c in callouts}
        for name in [n for n in self.boxes if n not in names]:
            box = self.boxes.pop(name)
            box.hide()
            box.deleteLater()
        for c in callouts:
            if c.measurand.name not in self.boxes:
                box = CalloutBox(self)
                box.clicked.connect(self.chosen)
                box.show()
                self.boxes[c.measurand.name] = box
            self.boxes[c.measurand.name].show_callout(c, machine, frozen=frozen)

    def _complain_at_current(self) -> None:
        """What is wrong with the current callout is beside its box."""
        current = self.current()
        if current is None:
            self._complaint.hide()
        else:
            self._complain_beside(self.boxes[current.measurand.name], current.complaint)


class FloatingSurface(SurfaceWidget):
    """A surface with many places and one callout, which goes to the place whose turn it is."""

    def __init__(self, width: int = WIDTH) -> None:
        """width: of its callout, px."""
        super().__init__()
        self.setMinimumSize(430, 230)
        self.box = CalloutBox(self, width)
        self.session: RoundSession | None = None

    @property
    def as_shown(self) -> Show:
        """How lengths and directions are shown on the machine."""
        return show_for(self.session.context.machine) if self.session else PLAIN

    def show_session(self, session: RoundSession, callouts: list[Callout], *, frozen: bool) -> None:
        """Everything that is drawn."""
        self.session, self.callouts = session, callouts
        current = self.current()
        self.box.setVisible(current is not None)
        if current:
            self.box.show_callout(current, session.context.machine, frozen=frozen)
        self._arrange()
        self.update()

    def current_edit(self) -> CalloutEdit | None:
        """The callout's field, while anything is to be read."""
        return self.box.edit if self.current() else None

    def edits(self) -> list[CalloutEdit]:
        """The one field there is."""
        return [self.box.edit]

    def shape_of(self, kind: type[T]) -> T | None:
        """The piece that is shown, if it is of that kind."""
        shape = self.session.measuring.shape() if self.session and self.session.context.piece else None
        return shape if isinstance(shape, kind) else None

    def chart(self) -> Chart | None:
        """What the procedure has to draw of what was read so far."""
        solution = self.session.measuring.answer() if self.session else None
        return self.session.context.procedure.chart(solution.figures) if self.session and solution else None

    def places(self) -> dict[str, QPointF]:
        """Where each measurand is drawn; a click near it chooses it."""
        raise NotImplementedError

    def box_at(self, place: QPointF) -> QPointF:
        """Middle of the callout for a measurand that is drawn at `place`."""
        return place

    def resizeEvent(self, event: QResizeEvent) -> None:
        """The callout moves with its place."""
        super().resizeEvent(event)
        self._arrange()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Go to the place that was clicked."""
        near = {name: (at - event.position()).manhattanLength() for name, at in self.places().items()}
        name = min(near, key=near.__getitem__, default=None)
        if name and near[name] < 2 * HIT:
            self.chosen.emit(name)

    def _arrange(self) -> None:
        current = self.current()
        if current is None or self.session is None:
            self._complaint.hide()
            return
        middle = self.box_at(self.places().get(current.measurand.name, QPointF(self.width() / 2, self.height() / 2)))
        width = self.box.width()
        x = min(max(middle.x() - width / 2, 4), self.width() - width - 4)
        y = min(max(middle.y() - HEIGHT / 2, 4), self.height() - HEIGHT - 4)
        self.box.move(round(x), round(y))
        self._complain_beside(self.box, current.complaint)


def words_at(p: QPainter, at: QPointF, words: str, *, width: float = 120.0, side: str = "centre") -> None:
    """One line of words: centred on a point, or to its left or right."""
    before, align = {
        "centre": (width / 2, Qt.AlignmentFlag.AlignHCenter),
        "right": (0.0, Qt.AlignmentFlag.AlignLeft),
        "left": (width, Qt.AlignmentFlag.AlignRight),
    }[side]
    p.drawText(QRectF(at.x() - before, at.y() - 11, width, 22), align | Qt.AlignmentFlag.AlignVCenter, words)


def mean_of(c: Callout) -> float | None:
    """Mean of what was read, mm; None where nothing was, or it can't be."""
    if c.skipped or not c.readings:
        return None
    return sum(number_of(r.reading) for r in c.readings) / len(c.readings)


def last_of(c: Callout, unit: str = "mm") -> float | None:
    """What is in a callout half typed, bare lengths in `unit`, else what was read last: mm, or a number; None where
    there is nothing.
    """
    if not c.draft:
        return number_of(c.readings[-1].reading) if c.readings else None
    try:
        if c.measurand.unit == "mm":
            return parse_length(c.draft, unit, allow_negative=True).mm
        return plain_number(c.draft)
    except (LengthError, ValueError):
        return None


# Kind of surface → (module, class) of its widget; any other is the piece itself.
WIDGETS = {
    Surface.RULE: ("rule_surface", "RuleSurface"),
    Surface.DIAL: ("dial_surface", "DialSurface"),
    Surface.GRID: ("grid_surface", "GridSurface"),
    Surface.LADDER: ("ladder_surface", "LadderSurface"),
    Surface.ROW: ("row_surface", "RowSurface"),
    Surface.BANDS: ("bands_surface", "BandsSurface"),
    Surface.PICTURES: ("camera_surface", "CameraSurface"),
    Surface.ASTRIDE: ("astride_surface", "AstrideSurface"),
    Surface.CORNERS: ("corners_surface", "CornersSurface"),
    Surface.CELLS: ("cells_surface", "CellsSurface"),
    Surface.MATCH: ("match_surface", "MatchSurface"),
    Surface.MARKS: ("marks_surface", "MarksSurface"),
    Surface.OVERPRINT: ("overprint_surface", "OverprintSurface"),
    Surface.BORDERS: ("borders_surface", "BordersSurface"),
    Surface.CHAIN: ("chain_surface", "ChainSurface"),
}
PIECE = ("piece_canvas", "PieceCanvas")


def surface_for(surface: Surface) -> SurfaceWidget:
    """The widget for a kind of surface, loaded when it is wanted."""
    module, name = WIDGETS.get(surface, PIECE)
    made: SurfaceWidget = getattr(import_module(f"keen_compass.app.round.{module}"), name)()
    return made
