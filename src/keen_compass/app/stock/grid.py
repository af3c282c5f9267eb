"""All kerfs of a machine as a picture: materials and thicknesses down, what cuts across."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFontMetrics, QKeyEvent, QMouseEvent, QPainter, QPen

from keen_compass.app import theme as th
from keen_compass.app.parts import STATE_COLOUR, VERDICT_STATE, ShowsFocus, draw_state
from keen_compass.language import marked, tr, written
from keen_compass.machines.shown import show_length
from keen_compass.quantities.digits import two_significant
from keen_compass.quantities.verdict import Verdict
from keen_compass.shop.library import Board, How, KerfEntry, Known, Starting
from keen_compass.words.logbook import day_of

HEAD, LABEL_MOST = 46, 190  # px: height of the heads above, width of the labels at the left
CELL_LEAST, CELL_MOST, HIGH, GAP = 124, 220, 66, 6  # px
CHARTED, BETWEEN, NEAREST = marked("maker’s chart"), marked("between two"), marked("the nearest")
GUESSED = {
    How.CHARTED: CHARTED,
    How.BETWEEN: BETWEEN,
    How.NEAREST: NEAREST,
    How.ELSEWHERE: marked("another material"),
    How.DIAMETER: marked("the tool’s diameter"),
}


def width_words(mm: float, units: str, U: float | None = None) -> str:
    """``1.70``, or in inches ``0.0669``: as many decimals as are known, else as a caliper shows."""
    inches = units != "mm"
    size = 25.4 if inches else 1.0
    decimals = two_significant(U / size) if U else (4 if inches else 2)
    return written(f"{mm / size:.{decimals}f}")


class KerfGrid(ShowsFocus):
    """`chosen` when another cell is, `wanted` when one is to be put on the machine."""

    chosen = Signal()
    wanted = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.board = Board((), (), {}, None)
        self.names: dict[str, str] = {}
        self.units = "mm"
        self.at = (0, 0)  # row, column
        self._label = LABEL_MOST
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(False)

    def show_board(self, board: Board, names: dict[str, str], units: str) -> None:
        """names: of tools by uid. The cell that is mounted is chosen at first."""
        before = self.cell() if self.board.rows else None
        self.board, self.names, self.units = board, names, units
        bold = QFontMetrics(th.font(th.TEXT, bold=True))
        said = [bold.horizontalAdvance(material) for material, _ in board.rows] or [0]
        self._label = min(max(*said, 84) + 16, LABEL_MOST)
        wanted = before if before and before[0] in board.rows and before[1] in board.columns else board.on_it
        self.at = (0, 0)
        if wanted and wanted[0] in board.rows and wanted[1] in board.columns:
            self.at = board.rows.index(wanted[0]), board.columns.index(wanted[1])
        self.setMinimumSize(self.sizeHint())
        self._tell()

    def cell(self) -> tuple[tuple[str, float], tuple[str, str]] | None:
        """(row, column) that is chosen; None where there is nothing."""
        if not self.board.rows or not self.board.columns:
            return None
        return self.board.rows[self.at[0]], self.board.columns[self.at[1]]

    def sizeHint(self) -> QSize:
        """As large as it has cells."""
        columns, rows = max(len(self.board.columns), 1), max(len(self.board.rows), 1)
        return QSize(self._label + columns * (CELL_LEAST + GAP), HEAD + rows * (HIGH + GAP))

    def column_name(self, column: tuple[str, str]) -> str:
        """What cuts: the process, and the tool where there are several."""
        tool, process = column
        name = self.names.get(tool, tool)
        several = len({t for t, _ in self.board.columns}) > 1
        return " · ".join(part for part in ((name if several or not process else ""), process) if part)

    def box(self, row: int, column: int) -> QRectF:
        """Where a cell is."""
        count = max(len(self.board.columns), 1)
        wide = min(max((self.width() - self._label) / count - GAP, CELL_LEAST), CELL_MOST)
        return QRectF(self._label + column * (wide + GAP), HEAD + row * (HIGH + GAP), wide, HIGH)

    def choose(self, row: int, column: int) -> None:
        """Make another cell the chosen one."""
        rows, columns = len(self.board.rows), len(self.board.columns)
        if rows and columns:
            self.at = min(max(row, 0), rows - 1), min(max(column, 0), columns - 1)
            self._tell()

    def _tell(self) -> None:
        self.setAccessibleName(self.words())
        self.update()
        self.chosen.emit()

    def words(self) -> str:
        """The chosen cell, for who can't see it."""
        cell = self.cell()
        if cell is None:
            return tr("No kerf is known yet")
        (material, thickness), column = cell
        head = f"{sheet_words(material, thickness, self.units)}, {self.column_name(column)}"
        what = self.board.cells.get(cell)
        if what is None:
            return tr("{head}: not known", head=head)
        guess = isinstance(what, Starting)
        return f"{head}: {tr('starting value ') if guess else ''}{width_words(what.width, self.units)}"

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows go from cell to cell, Enter puts one on the machine."""
        row, column = self.at
        moves = {Qt.Key.Key_Up: (-1, 0), Qt.Key.Key_Down: (1, 0), Qt.Key.Key_Left: (0, -1), Qt.Key.Key_Right: (0, 1)}
        if event.key() in moves:
            down, across = moves[Qt.Key(event.key())]
            self.choose(row + down, column + across)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.wanted.emit()
        else:
            super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """A cell that is clicked is chosen."""
        for row in range(len(self.board.rows)):
            for column in range(len(self.board.columns)):
                if self.box(row, column).contains(event.position()):
                    self.choose(row, column)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """And put on the machine."""
        self.mousePressEvent(event)
        self.wanted.emit()

    def paintEvent(self, _event: object) -> None:
        """Column heads, row labels and cells."""
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        left, middle = Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignVCenter
        for j, column in enumerate(self.board.columns):
            box = self.box(0, j)
            p.setFont(th.font(th.TEXT, bold=True))
            p.setPen(th.color("ink"))
            head = QRectF(box.left() + 4, 0, box.width() - 8, HEAD - 6)
            words = p.fontMetrics().elidedText(
                self.column_name(column), Qt.TextElideMode.ElideMiddle, round(head.width())
            )
            p.drawText(head, left | Qt.AlignmentFlag.AlignBottom, words)
        for i, (material, thickness) in enumerate(self.board.rows):
            box = self.box(i, 0)
            first = i == 0 or self.board.rows[i - 1][0] != material
            p.setFont(th.font(th.TEXT, bold=True))
            p.setPen(th.color("ink"))
            words = p.fontMetrics().elidedText(material, Qt.TextElideMode.ElideMiddle, self._label - 14)
            half = box.height() / 2
            if first:
                p.drawText(QRectF(0, box.top() + half - 26, self._label - 12, 24), left | middle, words)
            thick = show_length(thickness, self.units)
            if thick in material:  # its name says it
                continue
            p.setFont(th.font(18))
            p.drawText(QRectF(0, box.top() + half - (2 if first else 12), self._label - 12, 26), left | middle, thick)
        for i, row in enumerate(self.board.rows):
            for j, column in enumerate(self.board.columns):
                self._cell(p, self.box(i, j), (row, column), chosen=(i, j) == self.at)

    def _cell(self, p: QPainter, box: QRectF, cell: tuple[tuple[str, float], tuple[str, str]], *, chosen: bool) -> None:
        what = self.board.cells.get(cell)
        found = isinstance(what, KerfEntry) and what.known is not Known.CHARTED
        p.setBrush(th.color("card" if found else "paper"))
        style = Qt.PenStyle.SolidLine if found else Qt.PenStyle.DashLine
        pen = QPen(th.color("line" if found else "soft"), 1.2, style if what else Qt.PenStyle.DotLine)
        if chosen:
            pen = QPen(th.color("focus" if self.hasFocus() else "ink"), 2.6)
        p.setPen(pen)
        p.drawRoundedRect(box.adjusted(1.5, 1.5, -1.5, -1.5), 8, 8)
        if cell == self.board.on_it:
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(th.color("ink"))
            p.drawRoundedRect(QRectF(box.left() + 1.5, box.top() + 9, 5, box.height() - 18), 2.5, 2.5)
        if what is None:
            p.setFont(th.font(th.TEXT))
            p.setPen(th.color("soft"))
            p.drawText(box, Qt.AlignmentFlag.AlignCenter, tr("not known"))
            return
        left = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        U = what.U if isinstance(what, KerfEntry) else None
        p.setFont(th.font(22, bold=found))
        p.setPen(th.color("ink" if found else "soft"))
        number = ("" if found else "≈ ") + width_words(what.width, self.units, U)
        top = QRectF(box.left() + 12, box.top() + 6, box.width() - 20, 32)
        p.drawText(top, left, number)
        wide = p.fontMetrics().horizontalAdvance(number)
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("soft"))
        if U and wide + 8 + p.fontMetrics().horizontalAdvance("± 0.000") < top.width():
            p.drawText(top.adjusted(wide + 8, 2, 0, 2), left, f"± {width_words(U, self.units, U)}")
        below = QRectF(box.left() + 12, box.bottom() - 30, box.width() - (44 if found else 20), 24)
        p.drawText(
            below, left, p.fontMetrics().elidedText(_said(what), Qt.TextElideMode.ElideRight, round(below.width()))
        )
        if isinstance(what, KerfEntry) and what.verdict:
            state = VERDICT_STATE[Verdict(what.verdict)]
            colour, at = th.color(STATE_COLOUR[state]), QPointF(box.right() - 17, box.bottom() - 18)
            draw_state(p, state, at, 6, colour, th.color("card"))


def sheet_words(material: str, thickness: float, units: str) -> str:
    """``steel 6 mm``; a thickness that the name says already is not said again."""
    thick = show_length(thickness, units)
    return material if thick in material else f"{material} {thick}"


def _said(what: KerfEntry | Starting) -> str:
    """Where a number comes from, in a few words."""
    if isinstance(what, Starting):
        return tr(GUESSED[what.how])
    if what.known is Known.CHARTED:
        return tr(CHARTED)
    return day_of(what.at) if what.known is Known.FOUND else tr("typed {day}", day=day_of(what.at))
