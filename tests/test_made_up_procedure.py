"""A procedure that exists in this file alone: its quantity, piece, readings, arithmetic, words, what a stand-in hides.

Registered, it is everywhere without any other file: on the rose, in *Begin*, on the command line, in practice, in the
logbook and in the record. CONTRIBUTING's recipe is this module in words.
"""

from __future__ import annotations

import json
import sys
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from types import ModuleType
from typing import Any

import pytest
from PySide6.QtCore import Qt

from driving import focus, press, record_text, shown, states, tab_to
from keen_compass import cli
from keen_compass.app.window import MainWindow
from keen_compass.machines import profile
from keen_compass.machines.forms import machine_fields
from keen_compass.pieces.job import Contour, Job, JobLayer, Side
from keen_compass.pieces.toolpath import Does, Stroke, figures
from keen_compass.pieces.where import Faces
from keen_compass.practice import stand_in, turned_up
from keen_compass.practice.whole_rounds import run
from keen_compass.procedures import REGISTRY, Entry
from keen_compass.procedures.base import Procedure
from keen_compass.procedures.case import Case, Parameters, length_mm
from keen_compass.procedures.checking import check_parameters, check_readings
from keen_compass.procedures.manner import ReadBy, Sizes
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.results import amount_outcome, arithmetic, assumed_notes, judged, no_number
from keen_compass.procedures.stages import Surface
from keen_compass.procedures.surroundings import Surroundings
from keen_compass.quantities import catalogue
from keen_compass.quantities.catalogue import QUANTITIES, Quantity
from keen_compass.quantities.families import FAMILIES, Family, Lives
from keen_compass.quantities.findings import Solution
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.measuring import Measurement
from keen_compass.quantities.notes import note
from keen_compass.quantities.stored import StoredAmount
from keen_compass.quantities.uncertainty import Uncertain, combination
from keen_compass.quantities.verdict import Verdict
from keen_compass.shop.logbook import Filter, entries
from keen_compass.shop.standing import State
from keen_compass.shop.store import Shop
from keen_compass.solve.travel import lost_motion_of
from keen_compass.standin import truth
from keen_compass.words import consequences, procedures
from keen_compass.words.logbook import entry_words
from keen_compass.words.manual import topic
from keen_compass.words.texts import About

SIZE = 60.0  # mm
CLEARS = Family(
    "clears",
    "cut",
    "mm",
    0.15,
    Lives.NUMBER,
    "mm",
    "width cleared",
    lambda outfit: outfit.kind is MachineKind.ROUTER,
    ("clear",),
)


@dataclass(frozen=True)
class Coupon:
    """A square whose line the tool's middle follows; mm."""

    size: float

    def nominal(self, measurand: str) -> float:
        """What it would measure if nothing were cleared."""
        return self.size

    def outline(self, **actual: float) -> tuple[Point, ...]:
        """As it was read."""
        w = actual.get("across", self.size)
        return (0, 0), (w, 0), (w, self.size), (0, self.size)

    def footprint(self) -> tuple[float, float]:
        """With room for the cut."""
        return self.size + 40.0, self.size + 40.0

    def job(self, number: int) -> Job:
        """Its number, then once round."""
        marks = (Stroke(((14.0, 14.0), (14.5, 14.0))), *figures(number, (18.0, 12.0), 8.0))
        line = Contour(Side.ON, self.outline(), approach=(-6.0, -6.0), overlap=4.0)
        return Job(f"piece {number}, coupon", (JobLayer(Does.MARK, marks), JobLayer(Does.CUT, (line,))))


class Clears(Procedure[Coupon]):
    """How wide one pass of the cutter clears: what a square lacks that was cut with its middle on the line."""

    name = "clear-width"
    surface = Surface.CALLOUTS
    read_by = ReadBy(names=("across",), suits=("caliper",))
    sizes = Sizes(large=("size",), sides=("size",))

    def parameters(self, around: Surroundings) -> dict[str, object]:
        """One square."""
        return {"size": SIZE}

    def piece(self, parameters: Parameters) -> Coupon:
        """From `size`."""
        check_parameters(parameters, {"size", "made_by"})
        return Coupon(length_mm(parameters.get("size", SIZE), "piece.size"))

    def measurands(self, piece: Coupon) -> tuple[Measurand, ...]:
        """Its width."""
        line = (0.0, piece.size / 2), (piece.size, piece.size / 2)
        return (Measurand("across", "clears.across", "x", 0.0, Faces(line), line, (0, 1), "clears.how"),)

    def answer(self, case: Case) -> Solution:
        """The width that was cleared, and the number for it."""
        piece = self.piece(case.piece)
        check_readings(case, ("across",), positive=True)
        if "across" not in case.readings:
            return Solution((no_number(case, "clears", Verdict.UNRESOLVED, note("nothing_read")),))
        width = _cleared(case, piece, case.measured("across", nominal=piece.size, drawn=False))
        error = combination(((-1.0, width),), case.amount("clears").base)
        formula = arithmetic(f"{case.ordered(piece.size)} − {case.in_its_unit(piece.size - width.value)}")
        outcome = amount_outcome(case, "clears", width.value, error, formula)
        return Solution((judged(case, outcome, self),), (), assumed_notes(case))

    def predict(self, case: Case, readings_each: int) -> dict[str, float]:
        """U of the width, mm."""
        piece = self.piece(case.piece)
        foreseen = case.foreseen("across", piece.size, readings_each, nominal=piece.size, drawn=False)
        return {"clears": _cleared(case, piece, foreseen).U}

    def example(self) -> dict[str, Any]:
        """A square of 60 mm of which 53.9 mm are left."""
        return {
            "procedure": self.name,
            "machine": {"decimals": 3, "values": {"clears": 6.0}},
            "piece": {"size": SIZE},
            "instrument": {"resolution": 0.01, "permissible_error": [0.02, 0.00002]},
            "readings": [{"measurand": "across", "values": [53.9, 53.91, 53.9]}],
        }

    def usual_piece(self) -> dict[str, object]:
        """The same."""
        return {"size": SIZE}


def _cleared(case: Case, piece: Coupon, read: Measurement) -> Uncertain:
    """size − reading − lost motion: both faces are met from the part's side of the slack."""
    play = case.lost_motion("x").row(lost_motion_of("x"))
    lost = Uncertain(play.value, play.effects)
    return combination(((-1.0, read.mean), (-1.0, lost)), piece.size)


@pytest.fixture
def registered(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """All of it in its place, and gone afterwards."""
    q = Quantity("clears", "Width cleared", CLEARS, ("x_steps", "x_backlash"))
    code, words = ModuleType("clears"), ModuleType("clears")
    code.PROCEDURE = Clears()  # type: ignore[attr-defined]
    words.ABOUT = About(("a cutter", "a caliper"), "a square that is cut on its line", ("A burr makes it wide.",))  # type: ignore[attr-defined]
    words.TEXTS = {"across": "across", "how": "Hold it across, at half its height"}  # type: ignore[attr-defined]
    right = truth.Hidden(lambda t, *_: t.kerf, lambda t, q, s, _: truth.amount(s, q.name) - t.kerf)
    for table, key, value in (
        (FAMILIES, "clears", CLEARS),
        (QUANTITIES, "clears", q),
        (REGISTRY, "clear-width", Entry("clear-width", ("clears",), 8, "clears", ("gcode",))),
        (procedures.TITLES, "clear-width", ("Width cleared", "Cut a square on its line and measure it")),
        (consequences.PHRASES, "clears", lambda off: f"it clears {off.small} less than that"),
        (truth.HIDDEN, "clears", right),
        (turned_up._BEGUN, "clears", lambda t, _machine, _axis, rng: t.kerf + rng.uniform(-0.5, 0.5)),
        (sys.modules, "keen_compass.procedures.clears", code),
        (sys.modules, "keen_compass.words.texts.clears", words),
    ):
        monkeypatch.setitem(table, key, value)  # type: ignore[arg-type]
    caches = (catalogue.beneath, profile._quantities)
    for cache in caches:
        cache.cache_clear()
    yield
    for cache in caches:
        cache.cache_clear()


@pytest.fixture
def window(registered: None, window: MainWindow) -> MainWindow:
    """Not before the shop knows the procedure."""
    return window


def test_it_is_on_the_command_line(
    registered: None, capsys: pytest.CaptureFixture[str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert cli.main(["procedures", "--json"]) == 0
    assert any(p["name"] == "clear-width" for p in json.loads(capsys.readouterr().out))
    assert cli.main(["solve", "--example", "clear-width"]) == 0
    (tmp_path / "example.json").write_text(capsys.readouterr().out)
    assert cli.main(["solve", str(tmp_path / "example.json")]) == 0
    found = json.loads(capsys.readouterr().out)["findings"][0]
    assert found["new"] == pytest.approx(6.097, abs=0.001) and found["error"] == pytest.approx(-0.097, abs=0.001)
    file = tmp_path / "coupon.nc"
    assert cli.main(["piece", "clear-width", "--size", "80", "--format", "gcode", "-o", str(file)]) == 0
    assert "coupon" in file.read_text()


@pytest.mark.parametrize("seed", range(3))
def test_practice_finds_what_its_stand_in_hides(registered: None, seed: int) -> None:
    practice = run("clear-width", seed, None, None)
    left = practice.left("clears")
    assert left is not None and left["tolerances"] <= 1
    assert practice.settings["clears"] != practice.turned.held["clears"]


def cut_and_read(window: MainWindow) -> None:
    """By keyboard: the practice cut, the number on the piece, all that is to be read."""
    session = window.round_page.model.session
    tab_to("Practice cut")
    press(Qt.Key.Key_Return)
    assert session.context.piece is not None
    press(str(session.context.piece.number), Qt.Key.Key_Return)
    while session.measuring.current():
        assert focus().startswith("across")
        press(stand_in.shows(session) or "", Qt.Key.Key_Return)


def test_a_whole_round_by_keyboard(window: MainWindow, shop: Shop, tmp_path: Path) -> None:
    shop.put_value("heron", "clears", StoredAmount("clears", "mm", 5.5), "start")
    window.show_rose("heron")
    assert states(shop, "heron", ("clears",)) == [State.NEVER]
    assert "tolerance_clears" in machine_fields(shop.machine("heron"), {})
    window.menus.begin.aboutToShow.emit()
    next(a for a in window.menus.begin.actions() if a.text().startswith("Width cleared")).trigger()
    assert window.round_page is not None
    session = window.round_page.model.session
    assert "A burr makes it wide." in topic("clear-width").text
    cut_and_read(window)
    press(Qt.Key.Key_Return)
    assert "It clears" in shown(window.round_page)
    press(session.correcting.proposed(session.measuring.findings()[0]), Qt.Key.Key_Return)
    press(Qt.Key.Key_Return)
    cut_and_read(window)
    assert focus() == "Sign off"
    press(Qt.Key.Key_Return)
    assert states(shop, "heron", ("clears",)) == [State.IN]
    kept = shop.values("heron")["clears"].stored
    assert isinstance(kept, StoredAmount) and abs(kept.value - 6.0) < 0.3
    assert "Width cleared" in record_text(shop, session.context.kept.id, tmp_path)
    told = [entry_words(e, shop.machine("heron")) for e in entries(shop, Filter("heron"), 4)]
    assert any("Width cleared" in said for said in told), told
