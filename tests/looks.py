"""What every page must look like, whatever stands on it: one check for all of them."""

from __future__ import annotations

from PySide6.QtWidgets import QApplication, QLabel, QLineEdit, QPushButton, QWidget

from keen_compass.app import theme as th
from keen_compass.app.window import MainWindow


def settle() -> None:
    """Layouts have come to rest."""
    for _ in range(3):
        QApplication.processEvents()


def check_looks(window: MainWindow, size: tuple[int, int]) -> None:
    """Nothing is cut, nothing overlaps, nothing is too small, everything has a name; the window keeps its size."""
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
            assert widget.height() >= widget.heightForWidth(widget.width()) - 1, f"{name} is cut"
        if isinstance(widget, QLineEdit):
            assert widget.accessibleName(), "a field has no accessible name"
        assert widget.font().pixelSize() >= th.TEXT, f"{name} is too small to read"
    if window.round_page is not None:
        check_boxes(window)


def check_boxes(window: MainWindow) -> None:
    """Callouts lie within their surface and clear of one another; the surface clear of what stands around it."""
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
