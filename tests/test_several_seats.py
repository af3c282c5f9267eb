"""Shops that went on apart, brought together: nothing lost, nothing twice, the newest counts, the rest is asked."""

from __future__ import annotations

import json
import random
import shutil
from collections import Counter
from collections.abc import Callable
from datetime import datetime, timedelta
from pathlib import Path

import pytest
from PySide6.QtWidgets import QFileDialog

from driving import click, shown
from keen_compass.app.window import MainWindow
from keen_compass.errors import InputError
from keen_compass.practice.playing import correct_all, cut, read_all
from keen_compass.procedures import understands
from keen_compass.procedures.stages import Step
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.rounds import RoundSession
from keen_compass.shop.base import text_of, time_of
from keen_compass.shop.exchange import KEYS
from keen_compass.shop.joining import SUFFIX, bring_together
from keen_compass.shop.store import Shop

PROCEDURES = (("heron", "squareness"), ("heron", "backlash"), ("swift", "drag-blade"))


class Clock:
    """Goes on by itself, from a day on."""

    def __init__(self, at: str, ahead: timedelta) -> None:
        self.now = time_of(at) + ahead

    def __call__(self) -> str:
        self.now += timedelta(seconds=7)
        return text_of(self.now)

    def sleep(self, days: float) -> None:
        self.now += timedelta(days=days)


def held(shop: Shop) -> dict[str, Counter[tuple[object, ...]]]:
    """All that a shop keeps, by what it is called in any file; numbers of rows say nothing."""
    found = {}
    of: dict[str, dict[int, tuple[object, ...]]] = {"round": {}, "piece": {0: ()}, "stage": {}}
    for table in KEYS:
        rows = []
        for number, *key in shop.called(table, KEYS[table]):
            named = tuple(
                of[c][v] if c in of and v is not None and c != table else v
                for c, v in zip(KEYS[table], key, strict=True)
            )
            if table in of:
                of[table][number] = named
            rows.append(named)
        found[table] = Counter(rows)
    return found


def a_year(shop: Shop, clock: Clock, seed: int) -> None:
    """What happens at one seat."""
    dice = random.Random(seed)
    for month in range(6):
        clock.sleep(dice.uniform(20, 40))
        machine, procedure = dice.choice(PROCEDURES)
        session = RoundSession.begin(shop, shop.machine(machine), procedure)
        if session.making.refusal():
            session.making.new_sheet()
        cut(session)
        read_all(session)
        if month % 3 == 2:
            session.give_up(f"something else came up, {month}")
            continue
        session.go(Step.CORRECT)
        correct_all(session)
        shop.put_event(machine, "note", f"month {month} at {seed}")


@pytest.fixture
def seats(shop_file: Path, tmp_path: Path) -> tuple[Shop, Shop, Clock, Clock]:
    """The same shop at two computers, from a day on."""
    files = [tmp_path / "front.kcshop", tmp_path / "back.kcshop"]
    for file in files:
        shutil.copy(shop_file, file)
    first = Shop(files[0])
    newest = max(at for (at,) in [row[1:] for row in first.called("event", ("at",))])
    first.close()
    clocks = Clock(newest, timedelta(days=2)), Clock(newest, timedelta(days=2, hours=3))
    one, other = (Shop(file, clock) for file, clock in zip(files, clocks, strict=True))
    return one, other, *clocks


def test_after_a_year_apart_both_have_all_of_it_once(seats: tuple[Shop, Shop, Clock, Clock], tmp_path: Path) -> None:
    one, other, here, there = seats
    folder = tmp_path / "seen by both"
    folder.mkdir()
    before = held(one)
    open_round = RoundSession.begin(one, one.machine("heron"), "squareness")
    a_year(one, here, 1)
    a_year(other, there, 2)
    apart = held(one), held(other)
    assert bring_together(one, folder, "Front", understands).seats == ()
    brought = bring_together(other, folder, "Back room", understands)
    assert brought.seats == ("front",)
    assert brought.rounds >= 2
    back = bring_together(one, folder, "Front", understands)
    assert back.seats == ("back-room",)
    whole = held(one)
    assert whole == held(other)
    for table in KEYS:
        common = before[table]
        new = (apart[0][table] - common) | (apart[1][table] - common)  # the same bytes at both are one
        assert whole[table] == common + new, table
        assert max(whole[table].values(), default=1) == max(common.values(), default=1)
    # Both say the same of every machine, and once more changes nothing.
    for machine in one.machines():
        assert {q: v.stored for q, v in one.values(machine.uid).items()} == {
            q: v.stored for q, v in other.values(machine.uid).items()
        }
        assert [(r.at, r.status, len(one.pieces(r.id))) for r in one.rounds(machine.uid)] == [
            (r.at, r.status, len(other.pieces(r.id))) for r in other.rounds(machine.uid)
        ]
    again = bring_together(other, folder, "Back room", understands)
    assert (again.rounds, again.apart) == (0, ())
    assert held(other) == whole
    # A round that was open when they met goes on, and what is new of it comes over.
    session = RoundSession(one, one.round(open_round.context.kept.id))
    cut(session)
    read_all(session)
    bring_together(one, folder, "Front", understands)
    assert bring_together(other, folder, "Back room", understands).rounds == 1
    assert held(one) == held(other)
    one.close()
    other.close()


def test_a_number_that_both_set_is_named_and_the_newer_counts(
    seats: tuple[Shop, Shop, Clock, Clock], tmp_path: Path
) -> None:
    one, other, here, there = seats
    steps = [StoredResolution(ResolutionForm.STEPS_PER_MM, v) for v in (106.5, 106.7, 106.9)]
    one.put_value("heron", "x_steps", steps[0], "typed")
    one.put_value("heron", "y_steps", steps[2], "typed")
    other.put_value("heron", "y_steps", steps[2], "typed")  # the same at both: nobody is asked
    there.sleep(1)
    other.put_value("heron", "x_steps", steps[1], "typed")
    bring_together(one, tmp_path, "front", understands)
    brought = bring_together(other, tmp_path, "back", understands)
    ((seat, apart),) = brought.apart
    assert (seat, apart.machine, apart.quantity) == ("front", "heron", "x_steps")
    assert (apart.here[1], apart.there[1]) == (steps[1], steps[0])
    bring_together(one, tmp_path, "front", understands)
    assert one.values("heron")["x_steps"].stored == other.values("heron")["x_steps"].stored == steps[1]
    here.sleep(2)
    one.put_value("heron", "x_steps", steps[2], "typed")  # knowing the other's: that is no disagreement
    bring_together(one, tmp_path, "front", understands)
    assert bring_together(other, tmp_path, "back", understands).apart == ()
    assert other.values("heron")["x_steps"].stored == steps[2]
    one.close()
    other.close()


def test_what_is_no_logbook_is_named_and_the_others_are_taken(
    seats: tuple[Shop, Shop, Clock, Clock], tmp_path: Path
) -> None:
    one, other, *_ = seats
    other.put_event("heron", "note", "From the back")
    bring_together(other, tmp_path, "back", understands)
    spoilt = json.loads((tmp_path / f"back{SUFFIX}").read_text())
    spoilt["tables"]["event"][0]["machine"] = "nobody"
    (tmp_path / f"a{SUFFIX}").write_text(json.dumps(spoilt))
    (tmp_path / f"b{SUFFIX}").write_bytes(b"\xff\xfe\x00")
    (tmp_path / f"c{SUFFIX}").mkdir()
    brought = bring_together(one, tmp_path, "front", understands)
    assert [file for file, _ in brought.refused] == [f"{name}{SUFFIX}" for name in "abc"]
    assert brought.seats == ("back",)
    assert "From the back" in {text for _, _, text in one.events("heron")}
    with pytest.raises(InputError, match="no folder"):
        bring_together(one, tmp_path / "none", "front", understands)
    one.close()
    other.close()


def test_in_the_window(
    window: MainWindow, shop_file: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch,
    windows: Callable[[Path], MainWindow],
) -> None:  # fmt: skip
    folder = tmp_path / "seen by both"
    folder.mkdir()
    other = Shop(Path(shutil.copy(shop_file, tmp_path / "back.kcshop")))
    mine, theirs = (StoredResolution(ResolutionForm.STEPS_PER_MM, v) for v in (106.5, 106.7))
    window.shop.put_value("heron", "x_steps", mine, "typed")
    other.put_value("heron", "x_steps", theirs, "typed")
    bring_together(other, folder, "Back room", understands)
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(folder))
    action = next(a for menu in window.menuBar().actions() for a in menu.menu().actions() if "together" in a.text())
    action.trigger()
    assert "back-room" in shown(window)
    assert "106.5" in shown(window)
    assert "Which does the controller hold?" in shown(window)
    assert window.shop.values("heron")["x_steps"].stored == theirs
    click(window, "106.500 (here)")
    assert window.shop.values("heron")["x_steps"].stored == mine
    (own,) = [f for f in folder.glob(f"*{SUFFIX}") if not f.name.startswith("back")]
    assert datetime.fromtimestamp(own.stat().st_mtime) is not None
    assert bring_together(other, folder, "Back room", understands).apart == ()
    assert other.values("heron")["x_steps"].stored == theirs  # written before the answer
    action.trigger()
    bring_together(other, folder, "Back room", understands)
    assert other.values("heron")["x_steps"].stored == mine
    other.close()
