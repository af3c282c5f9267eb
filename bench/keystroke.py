"""The live answer after a keystroke at about 50 readings: typed into the real window, painted, kept on disk."""

from __future__ import annotations

import gc
import os
import tempfile
import time
from pathlib import Path
from statistics import median, quantiles

os.environ["QT_QPA_PLATFORM"] = "offscreen"

from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from keen_compass.app.garbage import collect_between_events
from keen_compass.app.start import application, show_window
from keen_compass.app.window import MainWindow
from keen_compass.practice import stand_in
from keen_compass.practice.playing import cut, read_all, take, takes
from keen_compass.practice.shipped import open_demo
from keen_compass.procedures.stages import Makes
from keen_compass.rounds import RoundSession

# Machine, procedure, what for, readings of each: one for each surface into which one types.
CASES = (
    ("heron", "rectangle", "x_steps", 13), ("heron", "squareness", "squareness", 13),
    ("heron", "travel-run", "x_steps", 3), ("heron", "bed", "bed", 3), ("heron", "backlash", "x_backlash", 51),
    ("heron", "speed", "x_speed", 6), ("heron", "drive-train", "x_drive", 10), ("ember", "kerf-square", "kerf", 8),
    ("ember", "kerf-ladder", "kerf", 8), ("kingfisher", "registration", "registration", 10),
    ("kingfisher", "pointer", "sensor_x", 6), ("kingfisher", "print-scale", "print_scale_x", 13),
    ("kingfisher", "second-tool", "second_tool_x", 13), ("kingfisher", "proof", "registration", 5),
    ("swift", "camera", "camera_x", 1),
)  # fmt: skip
READ = 50


def main() -> None:
    """Measure and print."""
    with tempfile.TemporaryDirectory() as folder:
        app = application("light")
        window = show_window(open_demo(Path(folder)), "Lantern Quay")
        gc.collect()
        collect_between_events(app)  # as the program does once its window is up
        for case in CASES:
            measure(app, window, *case)
        print("target 8 ms for the answer")
        window.close()


def measure(app: QApplication, window: MainWindow, machine: str, procedure: str, quantity: str, passes: int) -> None:
    """Type a reading twenty times, key by key."""
    for kept in window.shop.open_rounds(machine, procedure):
        RoundSession(window.shop, kept).give_up("another is begun")
    window.show_rose(machine)
    window.begin(procedure, quantity)
    page = window.round_page
    session = page.model.session  # type: ignore[union-attr]
    session.making.choose(passes=passes)
    if session.context.procedure.makes is not Makes.NOTHING:
        cut(session)
    session.measuring.identify("")
    read = min(READ, sum(c.wanted for c in session.measuring.callouts()) - 1)
    read_all(session, read)
    if takes(session):
        take(session)
    app.processEvents()
    shown = stand_in.shows(session) or "0.01"
    answered, painted = [], []
    for _ in range(20):
        session.measuring.type("")
        for key in shown:
            edit = page.measure.surface.current_edit()  # type: ignore[union-attr]
            start = time.perf_counter()
            QTest.keyClick(edit, key)
            answered.append(time.perf_counter() - start)
            app.processEvents()
            painted.append(time.perf_counter() - start)
    for name, times in (("answered and kept", answered), ("and painted", painted)):
        figures = f"median {median(times) * 1000:.1f} ms, 95 % {quantiles(times, n=20)[-1] * 1000:.1f} ms"
        print(f"{procedure}, {read} readings, {name}: {figures}")


if __name__ == "__main__":
    main()
