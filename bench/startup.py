"""Window usable (rose painted, answering keys, ten machines) against a bare PySide6 window with one label.

Both are whole processes, run in turn; the ratio of the medians is what counts.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from statistics import median

RUNS = 9
ENV = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}

BARE = """
from PySide6.QtWidgets import QApplication, QLabel
app = QApplication([]); label = QLabel("one label"); label.resize(1280, 800); label.show()
app.processEvents(); label.grab()
"""
OURS = """
import sys
from pathlib import Path
from PySide6.QtTest import QTest
from PySide6.QtCore import Qt
from keen_compass.app.start import application, show_window
from keen_compass.shop.store import Shop
app = application("light"); window = show_window(Shop(Path(sys.argv[1])), "Ten machines")
app.processEvents(); window.grab(); QTest.keyClick(window.rose_page.rose, Qt.Key.Key_Right)
"""


def ten_machines(file: Path) -> None:
    """The demo shop with nine more machines."""
    from keen_compass.procedures.demo import HERON, build
    from keen_compass.shop.machines import Machine

    shop = build(file)
    for i in range(9):
        shop.put_machine(Machine.from_json(HERON.to_json() | {"uid": f"m{i}", "name": f"Heron {i + 2}"}))
    shop.close()


def seconds(code: str, *words: str) -> float:
    """One process from start to end."""
    start = time.perf_counter()
    subprocess.run([sys.executable, "-c", code, *words], check=True, env=ENV)
    return time.perf_counter() - start


def main() -> None:
    """Measure and print."""
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "ten.kcshop"
        ten_machines(file)
        bare, ours = [], []
        for _ in range(RUNS):
            bare.append(seconds(BARE))
            ours.append(seconds(OURS, str(file)))
    print(f"bare window {median(bare) * 1000:.0f} ms, ours {median(ours) * 1000:.0f} ms")
    print(f"ratio {median(ours) / median(bare):.2f} (target 2)")


if __name__ == "__main__":
    main()
