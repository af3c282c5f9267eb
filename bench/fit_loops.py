"""Prints from elsewhere on a practice machine, each laid down anyhow: aimed at, fitted, cut; by keys in the real window
and by the command line. How far the cut lies off the print, mm.

python bench/fit_loops.py [SHEETS]
"""

from __future__ import annotations

import contextlib
import io
import os
import re
import sys
import tempfile
from dataclasses import replace
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from keen_compass.app.fit.page import FitPage
from keen_compass.app.start import application, show_window
from keen_compass.cli import main as command
from keen_compass.formats.fit import Fitted, fit_file
from keen_compass.machines.heads import offset_held
from keen_compass.practice.fitting import PracticePrint
from keen_compass.practice.shipped import open_demo
from keen_compass.quantities.readings import parse_spot
from keen_compass.rounds.fitting import Fitting
from keen_compass.solve.warp import Warp
from test_window_fit import CUT, FORMATS, MARKS, calibrated

WITHIN = 0.1  # mm
SHEETS = 100


def without_crosses(fitted: Fitted) -> Fitted:
    """Only what is cut: the strokes of marks are two points long."""
    drawn = fitted.drawn
    return fitted._replace(drawn=replace(drawn, paths=[path for path in drawn.paths if len(path) > 2]))


def read_again(written: bytes, name: str) -> Fitted:
    """What was written; of a drawing, its page laid where its view box says that the machine's zero is."""
    fitted = without_crosses(fit_file(written, Warp(), name))
    if fitted.data[:4] != b"<svg":
        return fitted
    box = re.search(rb'viewBox="([^"]*)"', written)
    assert box is not None
    left, top, _, high = (float(v) for v in box[1].split())
    paths = [[(x + left, y - top - high) for x, y in path] for path in fitted.drawn.paths]
    return fitted._replace(drawn=replace(fitted.drawn, paths=paths))


def cut_alone(fitting: Fitting) -> Fitting:
    """Without its crosses."""
    return replace(fitting, nominal=without_crosses(fitting.nominal))


def by_keys(page: FitPage) -> float:
    """One sheet in the window."""
    while page.mark_now() is not None:
        QTest.keyClick(page.place, Qt.Key.Key_F8)
    QTest.keyClick(page.save, Qt.Key.Key_Return)
    fitting, sheet = page.fitting, page._print
    assert fitting is not None
    assert sheet is not None
    written = Path(page.target.text()).read_bytes()
    off = sheet.cut_off_by(cut_alone(fitting), read_again(written, Path(fitting.name).name))
    QTest.keyClick(page.next_sheet, Qt.Key.Key_Return)
    return off


def by_command(fitting: Fitting, sheet: PracticePrint, out: Path) -> float:
    """The same sheet by the command line."""
    machine = sheet.machine
    ox, oy = offset_held(sheet.held, fitting.head, machine.offset_form, machine.flipped)
    spots = [parse_spot(sheet.position(fitting, i), machine.controller_units) for i in range(len(fitting.marks))]
    marks = ";".join(f"{x},{y}" for x, y in fitting.marks)
    seen = ";".join(f"{s.x + ox},{s.y + oy}" for s in spots)
    with contextlib.redirect_stdout(io.StringIO()):
        assert command(["fit", fitting.name, f"--marks={marks}", f"--seen={seen}", "-o", str(out)]) == 0
    return sheet.cut_off_by(cut_alone(fitting), read_again(out.read_bytes(), out.name))


def main() -> None:
    """Each format, both ways, on the very same sheets."""
    sheets = int(sys.argv[1]) if len(sys.argv) > 1 else SHEETS
    folder = Path(tempfile.mkdtemp())
    application("light")
    shop = open_demo(folder)
    calibrated(shop, "kingfisher")
    window = show_window(shop, "Lantern Quay", (1280, 800))
    window.show_rose("kingfisher")
    for suffix, (write, _) in FORMATS.items():
        file = folder / f"harbour-sign{suffix}"
        file.write_text(write(CUT))
        window.go_to("fit")
        page = window.places.currentWidget()
        assert isinstance(page, FitPage)
        page.open(file)
        assert page.fitting is not None
        page._do(lambda page=page: page.fitting.with_marks(MARKS))
        fitting, first = page.fitting, page._print
        assert first is not None
        keyed = [by_keys(page) for _ in range(sheets)]
        out = folder / f"out{suffix}"
        ordered = [by_command(fitting, replace(first, number=first.number + i), out) for i in range(sheets)]
        for how, off in (("by keys", keyed), ("by command", ordered)):
            good = sum(mm <= WITHIN for mm in off)
            print(f"{suffix} {how}: {good} of {sheets} within {WITHIN} mm, worst {max(off):.3f}", flush=True)


if __name__ == "__main__":
    main()
