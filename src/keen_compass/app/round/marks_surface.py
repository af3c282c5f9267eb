"""The marks of a print as they were found: where the next one should be, and by how much each is off the others."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt

from keen_compass.app import theme as th
from keen_compass.app.parts import painter_on_card
from keen_compass.app.round.callout import HEIGHT
from keen_compass.app.round.sheet_picture import FOOT, Drawing, Seen, draw_foot
from keen_compass.app.round.surface import FloatingSurface
from keen_compass.language import tr
from keen_compass.machines.heads import offset_held
from keen_compass.pieces.page import Page
from keen_compass.procedures.sheets import place
from keen_compass.quantities.geometry import Point
from keen_compass.rounds import RoundSession
from keen_compass.rounds.half_typed import Callout
from keen_compass.words.sheets import position_in_words

HEAD = 44.0  # px above the sheet, for words
WIDE = 250  # px, of a callout that holds both numbers of a place


class MarksSurface(FloatingSurface):
    """One callout, at the mark whose turn it is; arrows show what the marks say against one another."""

    def __init__(self) -> None:
        super().__init__(WIDE)
        self.expected = ""
        self._page: Page | None = None
        self._lies: Callable[[Point], Point] = lambda at: at
        self._off: dict[int, Point] = {}

    def show_session(self, session: RoundSession, callouts: list[Callout], *, frozen: bool) -> None:
        """The sheet of the piece, and what is known of how it lies."""
        piece = session.context.piece
        if piece is None:
            return
        self._page = session.context.remembered(("shown page", piece.id), lambda: _page_of(session))
        solution = session.measuring.answer()
        figures = solution.figures if solution else {}
        matrix = figures.get("matrix")
        self._lies = _mapped(np.asarray(matrix, float)) if matrix else lambda at: at
        residuals = figures.get("residuals", {})
        self._off = {int(n.removeprefix("mark_")) - 1: (x, y) for n, (x, y) in residuals.items()}
        self.expected = self._expected(session, callouts) if matrix else ""
        super().show_session(session, callouts, frozen=frozen)

    def _expected(self, session: RoundSession, callouts: list[Callout]) -> str:
        """Where the machine should stand for the mark whose turn it is, in its own numbers."""
        current = next((c for c in callouts if c.current), None)
        piece, machine = session.context.piece, session.context.machine
        if current is None or piece is None or current.readings or self._page is None:
            return ""
        held = session.context.in_force(piece)
        ox, oy = offset_held(held, str(piece.parameters["aimed_with"]), machine.offset_form, machine.flipped)
        x, y = self._lies(self._page.marks[self._index(current)].at)
        return tr(
            "Mark {index} should be near {place}",
            index=self._index(current) + 1,
            place=position_in_words((x - ox, y - oy), machine),
        )

    @staticmethod
    def _index(c: Callout) -> int:
        return int(c.measurand.name.removeprefix("mark_")) - 1

    def drawing(self) -> Drawing | None:
        """Where everything is now."""
        if self._page is None or self.session is None:
            return None
        current = self.current()
        read = frozenset(self._index(c) for c in self.callouts if c.readings)
        seen = Seen(
            self._page,
            self.session.context.machine.standpoint,
            self._lies,
            read,
            self._index(current) if current else None,
            self._off,
        )
        return Drawing(seen, QRectF(26, HEAD, self.width() - 52, self.height() - HEAD - 12 - FOOT))

    def places(self) -> dict[str, QPointF]:
        """Where the marks are drawn, by name."""
        drawing = self.drawing()
        if drawing is None or self._page is None:
            return {}
        return {c.measurand.name: drawing.at(self._page.marks[self._index(c)].at) for c in self.callouts}

    def box_at(self, place: QPointF) -> QPointF:
        """Beside the mark, towards the middle of the sheet."""
        inwards = 1 if place.x() < self.width() / 2 else -1
        level = HEIGHT / 2 + 24
        down = level if place.y() < self.height() / 2 else -level
        return QPointF(place.x() + inwards * (WIDE / 2 - 10), place.y() + down)

    def paintEvent(self, _event: object) -> None:
        """Sheet, marks, arrows, what they mean."""
        p = painter_on_card(self)
        drawing = self.drawing()
        if drawing is None or self.session is None:
            return
        drawing.paint(p)
        largest = max(((x * x + y * y) ** 0.5 for x, y in self._off.values()), default=0.0)
        words = (
            tr(
                "arrows × {magnified:g}, longest {length}",
                magnified=drawing.magnified,
                length=self.as_shown.length(largest),
            )
            if largest > 0.005
            else ""
        )
        draw_foot(p, self, self.session.context.machine.standpoint, words)
        if self.expected:
            p.setFont(th.font(17, bold=True))
            p.setPen(th.color("focus"))
            area = QRectF(20, 8, self.width() - 40, 28)
            p.drawText(area, Qt.AlignmentFlag.AlignCenter, self.expected)


def _page_of(session: RoundSession) -> Page | None:
    piece = session.context.piece
    if piece is None or "size" not in piece.parameters:
        return None
    down = session.context.machine.standpoint.left_handed
    return session.context.procedure.page(place(piece.parameters["size"], "size"), piece.number, down=down)


def _mapped(matrix: np.ndarray[tuple[int, int], np.dtype[np.float64]]) -> Callable[[Point], Point]:
    def to(at: Point) -> Point:
        x, y, w = matrix @ (at[0], at[1], 1.0)
        return float(x / w), float(y / w)

    return to
