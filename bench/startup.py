"""Window usable (rose painted, answering keys, ten machines) against a bare PySide6 window with one label.

Both are whole processes, run in turn; the ratio of the medians is what counts. Run it under a display
(`xvfb-run -a python bench/startup.py`), or with QT_QPA_PLATFORM=offscreen, where the bare window is cheaper.
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
# Byte code is cached, as it is for everybody who starts the program twice.
ENV = {**os.environ, "PYTHONDONTWRITEBYTECODE": ""}

BARE = """
from PySide6.QtWidgets import QApplication, QLabel
app = QApplication([]); label = QLabel("one label"); label.resize(1280, 800); label.show()
app.processEvents(); print("usable", flush=True)
"""
OURS = """
import gc, sys
gc.disable()  # as the command line does until the window is up
from pathlib import Path
from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QKeyEvent
from keen_compass.app.start import application, show_window
from keen_compass.shop.store import Shop
app = application("light"); window = show_window(Shop(Path(sys.argv[1])), "Ten machines")
app.processEvents()
key = QKeyEvent(QEvent.Type.KeyPress, Qt.Key.Key_Right, Qt.KeyboardModifier.NoModifier)
app.sendEvent(window.rose_page.rose, key); print("usable", flush=True)
"""


def ten_machines(folder: Path) -> Path:
    """The demo shop and more machines, ten in all; its file."""
    from keen_compass.machines.profile import Machine
    from keen_compass.practice.demo_machines import HERON
    from keen_compass.practice.shipped import open_demo

    shop = open_demo(folder)
    for i in range(10 - len(shop.machines())):
        shop.put_machine(Machine.from_json(HERON.to_json() | {"uid": f"m{i}", "name": f"Heron {i + 2}"}))
    shop.close()
    return shop.file


def seconds(code: str, *words: str) -> float:
    """From starting the process until it says that it is usable."""
    start = time.perf_counter()
    process = subprocess.Popen([sys.executable, "-c", code, *words], env=ENV, stdout=subprocess.PIPE)
    assert process.stdout is not None
    process.stdout.readline()
    took = time.perf_counter() - start
    process.communicate()
    return took


def main() -> None:
    """Measure and print."""
    with tempfile.TemporaryDirectory() as folder:
        file = ten_machines(Path(folder))
        bare, ours = [], []
        for _ in range(RUNS):
            bare.append(seconds(BARE))
            ours.append(seconds(OURS, str(file)))
    print(f"bare window {median(bare) * 1000:.0f} ms, ours {median(ours) * 1000:.0f} ms")
    print(f"ratio {median(ours) / median(bare):.2f} (target 2)")


if __name__ == "__main__":
    main()
