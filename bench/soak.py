"""A week of work in one window: is memory flat, is anything left open, is the end as fast as the beginning?

python bench/soak.py [days, 10 unless said]

A day is one round of every procedure on every one of the demo's machines, in an order of its own: made, read,
corrected, given up; between them every place is opened and left, colours and size of the window change. After each
day: memory that is in use, open files, threads, widgets, objects, and what a round took. The first day loads what is
loaded late; what comes after it counts.
"""

from __future__ import annotations

import ctypes
import gc
import os
import random
import sys
import tempfile
import time
from pathlib import Path
from statistics import median

os.environ["QT_QPA_PLATFORM"] = "offscreen"

from PySide6.QtCore import QCoreApplication, QEvent, QEventLoop
from PySide6.QtWidgets import QApplication

from keen_compass.app import theme as th
from keen_compass.app.places import PLACES
from keen_compass.app.start import application, show_window
from keen_compass.app.window import MainWindow
from keen_compass.errors import KeenCompassError
from keen_compass.practice.playing import correct_all, cut, read_all
from keen_compass.practice.shipped import open_demo
from keen_compass.procedures import yielding
from keen_compass.procedures.stages import Makes, Step

DAYS = int(sys.argv[1]) if len(sys.argv) > 1 else 10
SIZES = ((1280, 800), (1024, 700), (1600, 1000))


def settle() -> None:
    """Whatever waits is done, deleted things are gone."""
    for _ in range(3):
        QApplication.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 20)
        QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


def one_round(window: MainWindow, machine: str, procedure: str, dice: random.Random) -> bool:
    """Begun, made, read, corrected, given up; whether it went so far."""
    window.show_rose(machine)
    window.begin(procedure)
    page = window.round_page
    if page is None:
        return False
    session = page.model.session
    try:
        if session.context.procedure.makes is not Makes.NOTHING:
            if session.making.refusal():
                session.making.new_sheet()
            cut(session)
        page.refresh()
        settle()
        read_all(session)
        page.refresh()
        settle()
        session.go(Step.CORRECT)
        page.refresh()
        settle()
        if Step.CONFIRM in session.context.procedure.steps and dice.random() < 0.5:
            correct_all(session)
            page.refresh()
            settle()
    except KeenCompassError:
        pass
    session.give_up("a week of work")
    window.show_rose(machine)
    settle()
    return True


def look_round(window: MainWindow, dice: random.Random) -> None:
    """A page or two, other colours, another size."""
    for place in dice.sample(sorted(PLACES), 2):
        window.go_to(place)
        settle()
        window.back()
        settle()
    window.resize(*dice.choice(SIZES))
    window.use_theme(dice.choice((th.LIGHT, th.DARK)))
    settle()


def in_use() -> tuple[float, int, int, int, int]:
    """MB of memory that are this process's own, open files, threads, widgets, objects.

    What was freed, but kept for later by the C library, is given back first: it isn't in use.
    """
    gc.collect()
    settle()
    ctypes.CDLL(None).malloc_trim(0)
    rollup = Path("/proc/self/smaps_rollup").read_text(encoding="ascii")
    own = sum(int(line.split()[1]) for line in rollup.splitlines() if line.startswith("Private_")) / 1024
    files, threads = (len(list(Path("/proc/self", of).iterdir())) for of in ("fd", "task"))
    return own, files, threads, len(QApplication.allWidgets()), len(gc.get_objects())


def main() -> None:
    """A line after each day."""
    dice = random.Random(7)
    application("light")
    with tempfile.TemporaryDirectory(prefix="keen-compass-soak-") as name:
        window = show_window(open_demo(Path(name)), "Lantern Quay")
        settle()
        machines = window.shop.machines()
        kinds = sorted({(m.uid, p.name) for m in machines for q in m.quantities for p in yielding(q, m.file_format)})
        print("day  rounds  own MB  files  threads  widgets  objects  s a round", flush=True)
        for day in range(1, DAYS + 1):
            dice.shuffle(kinds)
            took: list[float] = []
            for machine, procedure in kinds:
                began = time.perf_counter()
                if one_round(window, machine, procedure, dice):
                    took.append(time.perf_counter() - began)
                look_round(window, dice)
            own, files, threads, widgets, objects = in_use()
            counts = f"{files:5}  {threads:7}  {widgets:7}  {objects:7}"
            print(f"{day:3}  {len(took):6}  {own:6.0f}  {counts}  {median(took):9.2f}", flush=True)
        window.close()


if __name__ == "__main__":
    main()
