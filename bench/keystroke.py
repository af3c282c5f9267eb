"""The live answer after a keystroke at 50 readings: typed into the real window, painted, kept on disk."""

from __future__ import annotations

import os
import tempfile
import time
from pathlib import Path
from statistics import median, quantiles

os.environ["QT_QPA_PLATFORM"] = "offscreen"

from PySide6.QtTest import QTest

from keen_compass.app.start import application, show_window
from keen_compass.procedures.demo import build, read_all

PASSES = 13  # of four lengths: 52 readings


def main() -> None:
    """Measure and print."""
    with tempfile.TemporaryDirectory() as folder:
        app = application("light")
        window = show_window(build(Path(folder) / "demo.kcshop"), "Lantern Quay")
        window.begin("rectangle")
        page = window.round_page
        session = page.model.session  # type: ignore[union-attr]
        session.making.choose(passes=PASSES)
        session.making.make_on_stand_in()
        session.after_making()
        read_all(session, 50)
        app.processEvents()
        answered, painted = [], []
        for _ in range(20):
            session.measuring.type("")
            for key in "519.87":
                edit = page.measure.canvas.current_edit()  # type: ignore[union-attr]
                start = time.perf_counter()
                QTest.keyClick(edit, key)
                answered.append(time.perf_counter() - start)
                app.processEvents()
                painted.append(time.perf_counter() - start)
        for name, times in (("answered and kept", answered), ("and painted", painted)):
            print(f"{name}: median {median(times) * 1000:.1f} ms, 95 % {quantiles(times, n=20)[-1] * 1000:.1f} ms")
        print("target 8 ms for the answer")
        window.close()


if __name__ == "__main__":
    main()
