"""Bands of a printer's feed test in the real window: picked, judged one by one, beyond the range; whole rounds."""

from __future__ import annotations

import random
from typing import Any

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from driving import choose, click, focus, press, shown, states
from keen_compass.app import theme as th
from keen_compass.app.round.bands_surface import BandsSurface
from keen_compass.app.window import MainWindow
from keen_compass.practice.playing import correct_all, cut
from keen_compass.practice.whole_rounds import run
from keen_compass.quantities.stored import StoredAmount
from keen_compass.quantities.verdict import Verdict
from keen_compass.shop.standing import State
from looks import check_looks, settle
from said import solved


def test_second_prints_are_in_and_hold_the_truth() -> None:
    for seed in range(12):
        practice = run("media-feed", seed, None, None)
        (last,) = practice.rounds[-1].solution.findings
        assert last.verdict is Verdict.IN
        assert len(practice.rounds) <= 2
        left = practice.error("media_feed")
        assert abs(left - (last.error or 0.0)) <= (last.expanded_uncertainty or 0.0) + 0.01


@pytest.mark.heavy
@pytest.mark.parametrize("way", ["pick", "each"])
def test_what_meets_is_found_under_foreign_physics(way: str) -> None:
    """Bands that are fed unevenly, an eye that calls a hair's overlap a meeting, printers that count from zero or from
    what is in force, coarse and fine steps."""
    rng, hits, told, total = random.Random(f"bands {way}"), 0, 0, 400
    for _ in range(total):
        step, n, held = rng.choice((0.05, 0.1, 0.2)), rng.choice((7, 9, 11)), rng.uniform(-0.5, 0.5)
        relative, wanted = rng.random() < 0.5, held + rng.uniform(-2.5, 2.5) * step
        base = 0.0 if relative else held
        corrections = [round(base + step * (i - n // 2), 4) for i in range(n)]
        really = [(held if relative else 0.0) + c + rng.gauss(0, 0.1 * step) - wanted for c in corrections]
        body: dict[str, Any] = {
            "procedure": "media-feed", "machine": {"values": {"media_feed": held}, "decimals": 4}, "tolerance": 0.1,
            "piece": {"corrections": corrections, "relative": relative}, "confirmed": True,
        }  # fmt: skip
        if way == "pick":
            best = sorted(range(n), key=lambda i: abs(really[i]))[:2]
            halfway = abs(best[0] - best[1]) == 1 and abs(abs(really[best[0]]) - abs(really[best[1]])) < 0.3 * step
            read = [{"measurand": "pick", "values": [sum(best) / 2 + 1 if halfway else best[0] + 1]}]
        else:
            words = [2 if abs(v) < 0.5 * step else 1 if v < 0 else 3 for v in really]
            read = [{"measurand": f"band_{i}", "values": [w]} for i, w in enumerate(words, 1)]
        (found,) = solved(body | {"readings": read})["findings"]
        if found["new"] is None:
            continue
        told += 1
        hits += abs(found["new"] - wanted) <= found["expanded_uncertainty"] + 1e-4
    assert told > 0.9 * total
    assert hits >= 0.93 * told, (hits, told)


def begun(window: MainWindow, held: float = 0.2) -> tuple[Any, BandsSurface]:
    kingfisher = window.shop.machine("kingfisher")
    window.shop.put_value("kingfisher", "media_feed", StoredAmount("media_feed", "percent", held), "typed",
                          subject=kingfisher.subject)  # fmt: skip
    window.show_rose("kingfisher")
    window.begin("media-feed", "media_feed")
    page = window.round_page
    assert page is not None
    surface = page.measure.surface
    assert isinstance(surface, BandsSurface)
    return page, surface


def test_by_mouse_the_band_that_meets_is_picked_and_the_test_printed_again(window: MainWindow) -> None:
    page, surface = begun(window, 0.0)
    session = page.model.session
    assert "Print Roll printer’s own feed test: −0.4 to +0.4 %, steps of 0.1 %." in shown(page)
    assert not page.make.file.isVisible()
    for size in ((1280, 800), (1024, 700)):
        window.resize(*size)
        settle()
        check_looks(window, size)
    click(page, "Practice print")
    check_looks(window, (1024, 700))
    window.resize(1280, 800)
    settle()
    between = (surface._box(6).center() + surface._box(7).center()) / 2
    QTest.mouseClick(surface, Qt.MouseButton.LeftButton, pos=between.toPoint())
    assert surface.current_edit().text() == "7.5"  # type: ignore[union-attr]
    QTest.mouseClick(surface, Qt.MouseButton.LeftButton, pos=surface._box(6).center().toPoint())
    press(Qt.Key.Key_Return)
    (finding,) = session.measuring.findings()
    assert (finding.new, finding.verdict) == (0.2, Verdict.OUT)
    assert "bands overlap: 0.2 % too little feed" in shown(page).lower()
    assert finding.subject.printer == "roll-printer"
    click(page, "To Correct")
    correct_all(session)
    click(page, "To Confirm")
    assert "Print the same test again" in shown(page)
    cut(session)
    settle()
    press(Qt.Key.Key_F8)
    assert session.measuring.findings()[0].verdict is Verdict.IN
    session.sign()
    assert states(window.shop, "kingfisher", ("media_feed",)) == [State.IN]


def test_by_keyboard_and_clicks_each_band_gets_its_word(window: MainWindow) -> None:
    page, surface = begun(window)
    session = page.model.session
    choose("Read by", "judging each band")
    click(page, "Practice print")
    press("1", Qt.Key.Key_Return, "1", Qt.Key.Key_Return)
    for i, clicks in enumerate((1, 1, 2, 3, 3, 3, 3), 2):
        for _ in range(clicks):
            QTest.mouseClick(surface, Qt.MouseButton.LeftButton, pos=surface._box(i).center().toPoint())
        settle()
    assert [surface._judged(i) for i in range(9)] == [0, 0, 0, 0, 1, 2, 2, 2, 2]
    (finding,) = session.measuring.findings()
    assert finding.new == pytest.approx(0.2)
    assert 0.0475 < (finding.expanded_uncertainty or 0) < 0.07
    QTest.mouseClick(surface, Qt.MouseButton.LeftButton, pos=surface._box(8).center().toPoint())  # overlaps again
    assert session.measuring.findings()[0].verdict is Verdict.IMPLAUSIBLE
    assert "were the bands judged in order" in shown(page)
    settle()
    check_looks(window, (1280, 800))
    window.use_theme(th.DARK)
    settle()
    check_looks(window, (1280, 800))


def test_where_none_meets_the_next_range_is_proposed(window: MainWindow) -> None:
    page, _ = begun(window, -0.8)
    click(page, "Practice print")
    press("9", Qt.Key.Key_Return)
    session = page.model.session
    assert session.measuring.findings()[0].verdict is Verdict.UNRESOLVED
    assert focus() == "One more pass"  # nothing leads on from here, but the keyboard stays here
    assert "more feed is needed. Print one from +0.4 to +1.2." in shown(page)
    press(Qt.Key.Key_1, modifier=Qt.KeyboardModifier.AltModifier)  # back to Make, in this very round
    assert "Print the same test again, or with other steps: about what is in force now." in shown(page)
    assert not page.make.choices.combos["relative"].isEnabled()  # what the printer counts from stays what it is
    choose("Tried", "more feed")
    assert "feed test: +0.4 to +1.2 %" in shown(page)
    press(Qt.Key.Key_Z, modifier=Qt.KeyboardModifier.ControlModifier)
    assert "feed test: −0.4 to +0.4 %" in shown(page)
    choose("Tried", "more feed")
    click(page, "Practice print")
    press(Qt.Key.Key_F8)
    assert session.measuring.findings()[0].new == pytest.approx(0.23, abs=0.06)
    assert session.context.piece.parameters["corrections"][0] == pytest.approx(0.4)
    assert session.making.parameters()["corrections"][0] == pytest.approx(-0.4)  # beyond was meant once
