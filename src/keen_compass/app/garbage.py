"""Cycles of objects that nobody has any more, collected between events, in the window's thread only.

Left to itself, Python collects wherever it happens to allocate: in the middle of one of Qt's calls, or in a thread that
isn't the window's. What is collected may be a closed page, and Qt's objects end with it: neither is a time for that.
"""

from __future__ import annotations

import gc

from PySide6.QtCore import QObject, QTimer

EVERY = 500  # ms


def collect_between_events(parent: QObject) -> None:
    """From now on, for as long as `parent` lives; what there is already is never looked at again."""
    gc.disable()
    gc.freeze()
    timer = QTimer(parent)
    timer.timeout.connect(collect_what_is_due)
    timer.start(EVERY)


def collect_what_is_due() -> None:
    """The oldest generation that Python would collect by now, if any."""
    counts, limits = gc.get_count(), gc.get_threshold()
    for generation in (2, 1, 0):
        if counts[generation] > limits[generation]:
            gc.collect(generation)
            return
