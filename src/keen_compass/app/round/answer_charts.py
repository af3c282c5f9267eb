"""Pictures beside an answer: the rounds so far against the tolerance, an edge in section."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import STATE_COLOUR, VERDICT_STATE, painter_on_card
from keen_compass.language import marked, tr, written
from keen_compass.quantities.charts import Section
from keen_compass.quantities.findings import Finding, Solution
from keen_compass.words.errors import ErrorUnit

WORTH_LARGER = 0.85  # of U: a larger piece that brings less is not worth its material
SECTION = 96  # px
ALONE = 170  # px, height of the chart of a single piece

SO_FAR = {
    "piece": marked("Pieces so far, {unit}"),
    "run": marked("Runs so far, {unit}"),
    "sheet": marked("Sheets so far, {unit}"),
    "print": marked("Prints so far, {unit}"),
}


class RoundsChart(QWidget):
    """Error of each piece of the round against the tolerance band."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumHeight(118)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)
        self._history: list[tuple[int, Solution | None]] = []
        self._unit, self._names, self._noun = ErrorUnit("", ""), ["X", "Y"], "piece"

    def show_history(
        self, history: list[tuple[int, Solution | None]], unit: ErrorUnit, names: list[str], noun: str
    ) -> None:
        """(piece number, what it said); names: of the quantities, in a word each; noun: piece or run."""
        self._history, self._unit, self._names, self._noun = history, unit, names, noun
        self.setAccessibleName(tr("Errors of {n} pieces of this round against the tolerance", n=len(history)))
        self.setMaximumHeight(ALONE if len(history) < 2 else 16_777_215)  # one point needs no wide field
        self.update()

    def paintEvent(self, _event: object) -> None:
        """Band, axis words, one sign per quantity and piece."""
        p = painter_on_card(self)
        points = [
            (column, f)
            for column, (_, solution) in enumerate(self._history)
            for f in (solution.findings if solution else ())
            if f.error is not None and f.tolerance
        ]
        plot = QRectF(68, 34, self.width() - 84, self.height() - 66)
        reach = max(
            [1.5, *((abs(f.harm or 0) + (f.expanded_uncertainty or 0)) / f.tolerance * 1.08 for _, f in points)]
        )
        one_tolerance = len({f.tolerance for _, f in points}) == 1
        self._draw_band(p, plot, reach, points[0][1].tolerance if one_tolerance else None)
        self._draw_legend(p)
        if not points:
            p.setFont(th.font(th.TEXT))
            p.setPen(th.color("good"))
            p.drawText(plot, Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop, tr("tolerance; no number yet"))
        for series, quantity in enumerate(dict.fromkeys(f.quantity for _, f in points)):
            self._draw_series(p, plot, reach, [(c, f) for c, f in points if f.quantity == quantity], series)
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("soft"))
        room = plot.width() / max(len(self._history), 2)
        for column, (number, _) in enumerate(self._history):
            x = self._x(plot, column)
            words_ = f"{tr(self._noun)} {number}"
            if p.fontMetrics().horizontalAdvance(words_) + 8 > room:  # the title says what the numbers are of
                words_ = str(number)
            p.drawText(QRectF(x - 50, plot.bottom() + 6, 100, 22), Qt.AlignmentFlag.AlignCenter, words_)

    def _x(self, plot: QRectF, column: int) -> float:
        return plot.left() + plot.width() * (column + 0.5) / max(len(self._history), 2)

    def _draw_band(self, p: QPainter, plot: QRectF, reach: float, tolerance: float | None) -> None:
        half = plot.height() / 2 / reach
        middle = plot.center().y()
        p.fillRect(QRectF(plot.left(), middle - half, plot.width(), 2 * half), th.color("good_fill"))
        p.setPen(QPen(th.color("good"), 1.2, Qt.PenStyle.DashLine))
        p.drawLine(QPointF(plot.left(), middle), QPointF(plot.right(), middle))
        if tolerance is None:
            return
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("soft"))
        gap, tolerance = max(half, 11), tolerance / self._unit.size
        for y, label in ((middle - gap, written(f"+{tolerance:.3g}")), (middle + gap, written(f"−{tolerance:.3g}"))):
            p.drawText(QRectF(2, y - 11, 60, 22), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, label)

    def _draw_legend(self, p: QPainter) -> None:
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("soft"))
        unit = self._unit.words
        widths = [p.fontMetrics().horizontalAdvance(name) + 26 for name in self._names]
        room = self.width() - 24 - sum(widths)
        words = next(
            (
                w
                for w in (tr(SO_FAR[self._noun], unit=unit), tr("So far, {unit}", unit=unit), tr("So far"))
                if p.fontMetrics().horizontalAdvance(w) <= room
            ),
            "",
        )
        p.drawText(QRectF(12, 6, room, 22), Qt.AlignmentFlag.AlignVCenter, words)
        x = float(self.width() - 8 - sum(widths))
        for i, (name, width) in enumerate(zip(self._names, widths, strict=True)):
            self._sign(p, QPointF(x + 6, 18), i, "ink")
            p.setPen(th.color("soft"))
            p.drawText(QRectF(x + 15, 6, width, 22), Qt.AlignmentFlag.AlignVCenter, name)
            x += width

    def _sign(self, p: QPainter, at: QPointF, series: int, colour: str) -> None:
        p.setPen(QPen(th.color(colour), 2))
        p.setBrush(th.color(colour if series == 0 else "card"))
        if series == 0:
            p.drawRect(QRectF(at.x() - 5, at.y() - 5, 10, 10))
        else:
            p.drawEllipse(at, 5.5, 5.5)

    def _draw_series(
        self, p: QPainter, plot: QRectF, reach: float, points: list[tuple[int, Finding]], series: int
    ) -> None:
        scale = plot.height() / 2 / reach
        before: QPointF | None = None
        for column, f in points:
            e, U = (f.harm or 0) / f.tolerance, (f.expanded_uncertainty or 0) / f.tolerance
            at = QPointF(self._x(plot, column) + (-12 if series == 0 else 12), plot.center().y() - e * scale)
            if before:
                p.setPen(QPen(th.color("soft"), 1))
                p.drawLine(before, at)
            before = at
            colour = STATE_COLOUR[VERDICT_STATE[f.verdict]]
            p.setPen(QPen(th.color(colour), 2.4))
            p.drawLine(at - QPointF(0, U * scale), at + QPointF(0, U * scale))
            self._sign(p, at, series, colour)


class SectionPicture(QWidget):
    """The cut edge as it stands: upright dashed, as it leans solid, magnified; the limit of its range beside it."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(SECTION)
        self._section: Section | None = None
        self.hide()

    def show_section(self, section: Section | None) -> None:
        """What to draw; hidden where nothing was read below."""
        self._section = section
        self.setVisible(section is not None)
        if section:
            self.setAccessibleName(
                tr(
                    "Section of the edge: {larger_below:+.2f} mm larger below, range {range}",
                    larger_below=section.larger_below,
                    range=section.range,
                )
            )
        self.update()

    def paintEvent(self, _event: object) -> None:
        """The sheet, its edge, and how far one may go."""
        s = self._section
        if s is None:
            return
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        top, low, middle = 24.0, self.height() - 8.0, self.width() * 0.42
        limit = s.limits[min(s.range, len(s.limits)) - 1]
        scale = 34.0 / max(limit, abs(s.larger_below) / 2)
        off = scale * s.larger_below / 2
        p.setPen(QPen(th.color("ink"), 2))
        p.setBrush(th.color("material"))
        p.drawPolygon(QPolygonF([QPointF(8, top), QPointF(middle, top), QPointF(middle + off, low), QPointF(8, low)]))
        p.setPen(QPen(th.color("soft"), 1.4, Qt.PenStyle.DashLine))
        p.drawLine(QPointF(middle, top - 6), QPointF(middle, low))
        p.setPen(QPen(th.color("warn" if s.range > len(s.limits) else "good"), 2))
        edge = middle + scale * limit * (1 if off >= 0 else -1)
        p.drawLine(QPointF(edge, top), QPointF(edge, low))
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("soft"))
        words = (
            tr("range {range}: {limit:.2f}", range=s.range, limit=limit)
            if s.range <= len(s.limits)
            else tr("beyond {limit:.2f}", limit=limit)
        )
        p.drawText(
            QRectF(middle + 44, top, self.width() - middle - 46, low - top), Qt.AlignmentFlag.AlignVCenter, words
        )
        p.drawText(QRectF(12, 0, middle, 20), Qt.AlignmentFlag.AlignVCenter, tr("upper edge"))
