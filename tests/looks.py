"""What every page must look like, whatever is on it: one check for all of them."""

from __future__ import annotations

from itertools import pairwise

from PySide6.QtCore import QPoint, QRect, QRectF, Qt
from PySide6.QtGui import QAccessible, QPainter
from PySide6.QtWidgets import (
    QAbstractScrollArea,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QWidget,
)

from keen_compass.app import theme as th
from keen_compass.app.combo import ARROW
from keen_compass.app.reading_order import tab_stops
from keen_compass.app.round.callout import CalloutEdit
from keen_compass.app.window import MainWindow
from keen_compass.language import tr

GIVEN = ("Tool", "Measured with", "Tool that draws", "Printer")  # choices among names that someone gave, however long
NARROWEST = 80  # px of a field that someone types into


def settle() -> None:
    """Layouts have come to rest."""
    for _ in range(3):
        QApplication.processEvents()


def is_cut(painter: QPainter, *given: object) -> bool:
    """Whether a text that is painted into a box, as `QPainter.drawText` is told, is larger than that."""
    box, *flags, text = given if given and isinstance(given[0], (QRect, QRectF)) else (None, "")
    if box is None or not isinstance(text, str):
        return False
    wraps = any(
        isinstance(f, (Qt.TextFlag, Qt.AlignmentFlag)) and f.value & Qt.TextFlag.TextWordWrap.value for f in flags
    )
    if not wraps:
        return painter.fontMetrics().horizontalAdvance(text) > box.width() + 1.5
    whole = painter.fontMetrics().boundingRect(QRect(0, 0, int(box.width()), 9999), Qt.TextFlag.TextWordWrap, text)
    return whole.height() > box.height() + 1.5


def _inner(widget: QWidget) -> bool:
    """Whether it is a part of another control, which has the name."""
    return isinstance(widget.parentWidget(), (QAbstractSpinBox, QComboBox, QAbstractScrollArea))


def check_looks(window: MainWindow, size: tuple[int, int]) -> None:
    """Nothing is cut, nothing overlaps, nothing is too small, everything has a name; the window keeps its size."""
    settle()
    page = window.places.currentWidget()
    assert (window.width(), window.height()) == size, "the page forced the window larger"
    for widget in page.findChildren(QWidget):
        if not widget.isVisible() or not isinstance(widget, (QLabel, QPushButton, QLineEdit)):
            continue
        name = widget.accessibleName() or widget.text()
        if isinstance(widget, QPushButton):
            assert widget.width() >= widget.sizeHint().width() - 1, f"{name} is cut"
            assert widget.accessibleName(), f"{name} has no accessible name"
        if isinstance(widget, QLabel) and widget.wordWrap():
            assert widget.height() >= QLabel.heightForWidth(widget, widget.width()) - 1, f"{name} is cut"
        if isinstance(widget, QLineEdit):
            assert widget.accessibleName(), "a field has no accessible name"
            counts = isinstance(widget.parentWidget(), QAbstractSpinBox)
            least = widget.fontMetrics().horizontalAdvance(widget.text()) if counts else NARROWEST
            assert widget.width() >= least, f"{widget.accessibleName()} has no room for what is typed"
        assert widget.font().pixelSize() >= th.TEXT, f"{name} is too small to read"
    for combo in page.findChildren(QComboBox):
        assert not combo.isVisible() or combo.height() >= th.HAND - 4, f"{combo.accessibleName()} is squashed"
        if combo.isVisible() and combo.isEnabled() and combo.accessibleName() not in map(tr, GIVEN):
            room = combo.width() - ARROW
            assert combo.fontMetrics().horizontalAdvance(combo.currentText()) <= room, f"{combo.currentText()} is cut"
    for widget in page.findChildren(QWidget):
        if widget.isVisible() and widget.focusPolicy() & Qt.FocusPolicy.TabFocus and not _inner(widget):
            heard = QAccessible.queryAccessibleInterface(widget)
            name = heard.text(QAccessible.Text.Name) or widget.accessibleName()
            assert name, f"{type(widget).__name__} has no name for a screen reader"
            assert heard.role() is not QAccessible.Role.NoRole, f"{name} has no role for a screen reader"
    check_order(page)
    for area in page.findChildren(QScrollArea):
        if area.isVisible() and area.horizontalScrollBarPolicy() is Qt.ScrollBarPolicy.ScrollBarAlwaysOff:
            assert area.widget().width() <= area.viewport().width(), "what it scrolls is cut at its right"
    check_rail(window)
    if window.round_page is not None:
        check_boxes(window)


def check_order(page: QWidget) -> None:
    """Tab never goes straight up, or back to the left on a level. Places on a picture follow how they are measured."""
    stops = [(w, QRect(w.mapTo(page, QPoint()), w.size())) for w in tab_stops(page) if w.isEnabled()]
    for (one, a), (following, b) in pairwise(stops):
        if isinstance(following, CalloutEdit) or following.visibleRegion().isEmpty():  # or scrolled out of sight
            continue
        up = b.bottom() <= a.top() and b.left() < a.right() and a.left() < b.right()
        back = b.right() <= a.left() and abs(b.center().y() - a.center().y()) < min(a.height(), b.height()) / 2
        assert not (up or back), f"Tab goes back from {one.accessibleName()} to {following.accessibleName()}"


def check_rail(window: MainWindow) -> None:
    """Cards of machines are below one another, large enough for a hand; the one that is shown is in sight."""
    cards = window.rail.machines.cards
    for above, below in pairwise(cards):
        assert above.geometry().bottom() < below.geometry().top(), f"{above.accessibleName()} is covered"
    for card in cards:
        assert card.height() >= th.HAND
        assert not card.isChecked() or card.visibleRegion().boundingRect() == card.rect() or not card.isVisible()


def check_boxes(window: MainWindow) -> None:
    """Callouts lie within their surface and clear of one another; the surface clear of what is around it."""
    assert window.round_page is not None
    measure = window.round_page.measure
    surface = measure.surface
    if not surface.isVisible():
        return
    boxes = [e.parentWidget().geometry() for e in surface.edits() if e.parentWidget().isVisible()]
    for i, a in enumerate(boxes):
        assert surface.rect().contains(a)
        assert not any(a.intersects(b) for b in boxes[i + 1 :])
    for around in (measure.strip, measure.identity):
        assert not around.isVisible() or not surface.geometry().intersects(around.geometry())
