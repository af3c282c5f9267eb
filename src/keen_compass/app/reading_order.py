"""Tab goes on as one reads: in the order in which layouts hold things, whenever they were made."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from itertools import pairwise
from typing import cast

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractSpinBox, QComboBox, QGridLayout, QLayout, QScrollArea, QWidget


def tab_stops(widget: QWidget | None) -> Iterator[QWidget]:
    """Itself and whatever is in it that Tab stops at, as one reads."""
    if widget is None or widget.isHidden():
        return
    if widget.focusPolicy() & Qt.FocusPolicy.TabFocus and widget.focusProxy() is None:
        yield widget
    if isinstance(widget, (QComboBox, QAbstractSpinBox)):
        return
    held: list[QWidget | None] = []
    if isinstance(widget, QScrollArea):
        held.append(widget.widget())
    elif (layout := widget.layout()) is not None:
        held.extend(_widgets(layout))
    else:
        held.extend(c for c in widget.children() if isinstance(c, QWidget) and not c.isWindow())
    for one in held:
        yield from tab_stops(one)


def _widgets(layout: QLayout) -> Iterator[QWidget]:
    """What a layout holds, grids row by row."""
    places: Iterable[int] = range(layout.count())
    if isinstance(layout, QGridLayout):
        places = sorted(places, key=lambda i: tuple(cast("tuple[int, int]", layout.getItemPosition(i))))
    for i in places:
        item = layout.itemAt(i)
        widget, inner = (item.widget(), item.layout()) if item is not None else (None, None)
        if widget is not None:
            yield widget
        elif inner is not None:
            yield from _widgets(inner)


def follow_layouts(widget: QWidget | None) -> None:
    """Put the stops in it in that order."""
    for one, following in pairwise(tab_stops(widget)):
        QWidget.setTabOrder(one, following)
