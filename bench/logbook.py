"""A shop of 100,000 readings: opening it, filtering its logbook, painting the list and a history."""

from __future__ import annotations

import json
import os
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from statistics import median

os.environ["QT_QPA_PLATFORM"] = "offscreen"

from PySide6.QtCore import QEventLoop

from keen_compass.app.start import application, show_window
from keen_compass.procedures.demo import build
from keen_compass.shop import database as d
from keen_compass.shop.logbook import Filter, entries
from keen_compass.shop.store import Shop

ROUNDS = 4167  # of two pieces with twelve readings: 100,008 readings
LENGTHS = ("width", "height", "short_width", "short_height")


def fill(file: Path) -> None:
    """The demo shop with many more rounds, all rows written at once."""
    shop = build(file)
    shop.bind()
    finding = next(iter(shop.findings("heron", "x_steps"))).finding.to_json()
    rounds, marks, pieces, readings, findings = [], [], [], [], []
    for i in range(1000, 1000 + ROUNDS):
        at = f"20{10 + i % 16:02d}-{1 + i % 12:02d}-{1 + i % 28:02d}T08:{i % 60:02d}:00.{i:06d}Z"
        rounds.append({"id": i, "machine": "heron", "procedure": "rectangle", "at": at, "body": "{}"})
        marks.append({"round": i, "at": at, "kind": "signed", "body": json.dumps({"reason": ""})})
        for k in range(2):
            piece = 2 * i + k
            pieces.append({"id": piece, "round": i, "machine": "heron", "number": piece, "at": at,
                           "body": json.dumps({"place": [0, 0, 1, 1], "sheet": -1})})  # fmt: skip
            readings += [
                {"piece": piece, "measurand": m, "at": at, "text": "400.31", "mm": 400.31, "unit": "mm",
                 "resolution_mm": 0.0, "instrument": "caliper-600", "slot": None, "withdrawn": False}
                for m in LENGTHS for _ in range(3)
            ]  # fmt: skip
            findings += [
                {"machine": "heron", "quantity": q, "at": at, "round": i, "piece": piece,
                 "verdict": ("in", "out", "cannot_tell")[(i + k) % 3], "error": 0.1, "uncertainty": 0.05,
                 "tolerance": 0.4, "body": json.dumps(finding | {"quantity": q})}
                for q in ("x_steps", "y_steps")
            ]  # fmt: skip
    with shop.writing():
        for table, rows in ((d.Round, rounds), (d.RoundMark, marks), (d.PieceRow, pieces), (d.ReadingRow, readings),
                            (d.FindingRow, findings)):  # fmt: skip
            for start in range(0, len(rows), 2000):
                table.insert_many(rows[start : start + 2000]).execute()
    shop.close()


def timed(run: Callable[[], object], times: int = 7) -> float:
    """Median ms."""
    took = []
    for _ in range(times):
        start = time.perf_counter()
        run()
        took.append(time.perf_counter() - start)
    return median(took) * 1000


def main() -> None:
    """Measure and print."""
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "large.kcshop"
        fill(file)
        app = application("light")

        def open_and_close() -> None:
            window = show_window(Shop(file), "Large")
            app.processEvents()
            window.close()

        print(f"open, rose painted: {timed(open_and_close, 5):.0f} ms (target 1000)")
        window = show_window(Shop(file), "Large")
        filters = (Filter("heron", "x_steps", "out"), Filter(since="2024"), Filter(verdict="cannot_tell"), Filter())
        for wanted in filters:
            found = len(entries(window.shop, wanted))
            took = timed(lambda wanted=wanted: entries(window.shop, wanted))
            print(f"filter {wanted}: {found} entries in {took:.0f} ms (target 100)")
        window.go_to("logbook")
        app.processEvents(QEventLoop.ProcessEventsFlag.AllEvents)
        page = window.places.currentWidget()
        print(f"painting the logbook page: {timed(page.grab):.1f} ms (target 16)")
        window.close()


if __name__ == "__main__":
    main()
