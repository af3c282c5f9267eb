"""A shop of 100,000 readings: opening it, filtering its logbook, painting the list and a history.

python bench/logbook.py [rounds, 24 readings each]
"""

from __future__ import annotations

import itertools
import json
import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from statistics import median

os.environ["QT_QPA_PLATFORM"] = "offscreen"

from PySide6.QtCore import QEventLoop

from keen_compass.app.start import application, show_window
from keen_compass.practice.shipped import open_demo
from keen_compass.shop import schema
from keen_compass.shop.logbook import Filter, Log
from keen_compass.shop.store import Shop

ROUNDS = int(sys.argv[1]) if len(sys.argv) > 1 else 4167  # of two pieces with twelve readings: 100,008 readings
LENGTHS = ("width", "height", "short_width", "short_height")


def filled(folder: Path) -> Path:
    """The demo shop with many more rounds, all rows written at once; its file."""
    shop = open_demo(folder)
    finding = next(iter(shop.findings("heron", "x_steps"))).finding.to_json()
    rows: dict[str, list[tuple[object, ...]]] = {
        t: [] for t in ("round", "mark", "piece", "stage", "reading", "finding")
    }
    numbers = {table: itertools.count(10_000) for table in rows}

    def add(table: str, *values: object) -> int:
        number = next(numbers[table])
        rows[table].append((number, *values))
        return number

    for i in range(ROUNDS):
        at = f"20{10 + i % 16:02d}-{1 + i % 12:02d}-{1 + i % 28:02d}T08:{i % 60:02d}:00.{i:06d}Z"
        kept = add("round", "heron", "rectangle", at, json.dumps({"tolerances": {}, "reference_length": 1000.0}))
        add("mark", kept, "signed", 0, at, json.dumps({"reason": ""}))
        for k in range(2):
            body = {"parameters": {}, "place": [[0, 0, 1, 1]], "practice": None}
            piece = add("piece", kept, "heron", 2 * i + k, at, json.dumps(body))
            stage = add("stage", piece, "made", at, "", json.dumps({"held": {}}))
            for m in LENGTHS * 3:
                add("reading", stage, m, at, "length", "400.31", 400.31, None, "mm", 0.0, "", "caliper-600", None, 0)
            for q in ("x_steps", "y_steps"):
                verdict = ("in", "out", "cannot_tell")[(i + k) % 3]
                found = json.dumps(finding | {"quantity": q})
                add("finding", "heron", q, "", at, kept, piece, verdict, 0.1, 0.05, 0.4, found)
    with shop.writing():
        for table, lines in rows.items():
            marks = ", ".join("?" * (len(lines[0]) + 1))
            lines_with = ((*line, schema.digest(table, line)) for line in lines)
            shop._f.db.executemany(f"INSERT INTO {table} VALUES ({marks})", lines_with)
    shop.close()
    return shop.file


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
        file = filled(Path(folder))
        app = application("light")

        def open_and_close() -> None:
            window = show_window(Shop(file), "Large")
            app.processEvents()
            window.close()

        print(f"open, rose painted: {timed(open_and_close, 5):.0f} ms (target 1000)")
        window = show_window(Shop(file), "Large")
        print(f"logbook opened: {timed(lambda: Log(window.shop)):.0f} ms (target 1000)")
        log = Log(window.shop)
        filters = (Filter("heron", "x_steps", "out"), Filter(since="2024"), Filter(verdict="cannot_tell"), Filter())
        for wanted in filters:
            found = len(log.passing(wanted))
            took = timed(lambda wanted=wanted: log.passing(wanted))
            print(f"filter {wanted}: {found} entries in {took:.0f} ms (target 100)")
        window.go_to("logbook")
        app.processEvents(QEventLoop.ProcessEventsFlag.AllEvents)
        page = window.places.currentWidget()
        print(f"painting the logbook page: {timed(page.grab):.1f} ms (target 16)")
        window.close()


if __name__ == "__main__":
    main()
