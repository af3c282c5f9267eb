"""Sheets: how fast the matching surface follows a hand, and how often a stated interval and a second sheet hold.

python bench/sheets.py [SEEDS]
"""

from __future__ import annotations

import os
import statistics
import sys
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")


def follows() -> None:
    """A drag is painted, an arrow key is answered: milliseconds, the middle one and nineteen of twenty."""
    from PySide6.QtCore import QPoint, Qt
    from PySide6.QtTest import QTest
    from PySide6.QtWidgets import QApplication

    from keen_compass.app.start import application, show_window
    from keen_compass.practice.playing import cut, read_all
    from keen_compass.practice.turned_up import turned_up
    from keen_compass.practice.whole_rounds import put
    from keen_compass.quantities.kinds import MachineKind
    from keen_compass.shop.store import Shop

    application("light")
    with tempfile.TemporaryDirectory() as folder:
        shop, turned = Shop(Path(folder) / "bench.kcshop"), turned_up(MachineKind.PRINT_AND_CUT, 1)
        put(shop, turned)
        window = show_window(shop, "Bench")
        window.show_rose(turned.machine.uid)
        window.begin("pointer", "pointer_x")
        assert window.round_page is not None
        session = window.round_page.model.session
        cut(session)
        read_all(session, 6)
        QApplication.processEvents()
        surface = window.round_page.measure.surface
        middle, drags, keys = surface._picture().center().toPoint(), [], []  # type: ignore[attr-defined]
        QTest.mousePress(surface, Qt.MouseButton.LeftButton, pos=middle)
        for i in range(200):
            begun = time.perf_counter()
            QTest.mouseMove(surface, middle + QPoint(i % 60 - 30, i * 7 % 50 - 25))
            surface.repaint()
            drags.append(1e3 * (time.perf_counter() - begun))
        QTest.mouseRelease(surface, Qt.MouseButton.LeftButton, pos=middle)
        for i in range(100):
            edit = surface.current_edit()
            assert edit is not None
            begun = time.perf_counter()
            QTest.keyClick(edit, Qt.Key.Key_Right if i % 2 else Qt.Key.Key_Left)
            keys.append(1e3 * (time.perf_counter() - begun))
            QApplication.processEvents()
        for name, ms in (("drag", drags), ("arrow key", keys)):
            print(f"{name:<10} {statistics.median(ms):5.1f} ms   {sorted(ms)[int(0.95 * len(ms))]:5.1f} ms")
        window.close()


def holds(seeds: int) -> None:
    """Of so many plotters: second sheets in tolerance, and how much of it is left."""
    from keen_compass.practice.whole_rounds import run
    from keen_compass.quantities.kinds import MachineKind

    left = []
    for seed in range(1000, 1000 + seeds):
        practice = run("pointer", seed, 2, None, MachineKind.PRINT_AND_CUT)
        left.append(max(practice.left(f"pointer_{a}")["tolerances"] for a in "xy"))  # type: ignore[index]
    within = 100 * statistics.mean(n <= 1 for n in left)
    print(f"second sheet in tolerance {within:5.1f} %   left at most {max(left):.2f} T")


if __name__ == "__main__":
    follows()
    holds(int(sys.argv[1]) if len(sys.argv) > 1 else 40)
