"""A week of work in one window: is memory flat, is anything left open, is the end as fast as the beginning?

python bench/soak.py [rounds, 160 unless said]

Rounds of every procedure on the demo's machines, one after the other: made, read, corrected, given up; between them
every place is opened and left, colours and size of the window change. After each tenth: memory, open files,
threads, widgets, objects, and what a round took. The first tenth fills caches; what comes after it counts.
"""

from __future__ import annotations

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

ROUNDS = int(sys.argv[1]) if len(sys.argv) > 1 else 160
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
    """MB of memory that are this process's own, open files, threads, widgets, objects."""
    gc.collect()
    settle()
    rollup = Path("/proc/self/smaps_rollup").read_text(encoding="ascii")
    own = sum(int(line.split()[1]) for line in rollup.splitlines() if line.startswith("Private_")) / 1024
    files, threads = (len(list(Path("/proc/self", of).iterdir())) for of in ("fd", "task"))
    return own, files, threads, len(QApplication.allWidgets()), len(gc.get_objects())


def main() -> None:
    """A line after each tenth."""
    dice = random.Random(7)
    application("light")
    with tempfile.TemporaryDirectory(prefix="keen-compass-soak-") as name:
        window = show_window(open_demo(Path(name)), "Lantern Quay")
        settle()
        machines = window.shop.machines()
        kinds = [
            (m.uid, p.name) for m in machines for p in {e for q in m.quantities for e in yielding(q, m.file_format)}
        ]
        kinds.sort()
        dice.shuffle(kinds)
        print("rounds  own MB  files  threads  widgets  objects  s a round", flush=True)
        took: list[float] = []
        done = tried = 0
        while done < ROUNDS:
            machine, procedure = kinds[tried % len(kinds)]
            tried += 1
            began = time.perf_counter()
            if not one_round(window, machine, procedure, dice):
                continue
            took.append(time.perf_counter() - began)
            done += 1
            look_round(window, dice)
            if done % max(ROUNDS // 10, 1) == 0:
                own, files, threads, widgets, objects = in_use()
                print(
                    f"{done:6}  {own:6.0f}  {files:5}  {threads:7}  {widgets:7}  {objects:7}  {median(took):9.2f}",
                    flush=True,
                )
                took.clear()
        window.close()


if __name__ == "__main__":
    main()
