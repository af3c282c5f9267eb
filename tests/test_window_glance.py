"""The shop at a glance: one look at all machines, by keyboard and mouse, for four of them and for four hundred."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from scipy.stats import norm

from driving import click, press, shown, until
from keen_compass.app.glance.page import GlancePage
from keen_compass.app.logbook.page import LogbookPage
from keen_compass.app.rail import MachineCard
from keen_compass.app.window import MainWindow
from keen_compass.machines.profile import Machine
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.uncertainty import K_95
from keen_compass.rounds.glance import by_day, chosen, glance, grouped
from keen_compass.shop.due import due, due_on, due_soon
from keen_compass.shop.standing import State, spokes
from keen_compass.shop.store import Shop
from keen_compass.solve.forecast import band, holds_for
from keen_compass.words.errors import ErrorUnit
from looks import check_looks, settle

DAY = timedelta(days=1)


def opened(window: MainWindow) -> GlancePage:
    window.go_to("glance")
    page = window.places.currentWidget()
    assert isinstance(page, GlancePage)
    settle()
    while not page.days:
        settle()
    settle()
    return page


def many(shop: Shop, count: int) -> None:
    """So many further machines of all kinds."""
    kinds = list(MachineKind)
    with shop.writing():
        for i in range(count):
            shop.put_machine(Machine(uid=f"m{i}", name=f"Buoy {i}", kind=kinds[i % len(kinds)], bed=(1200.0, 800.0)))


def test_it_says_what_the_roses_say(shop: Shop) -> None:
    seen = {one.machine.uid: one for one in glance(shop)}
    assert set(seen) == {"heron", "swift", "kingfisher", "ember"}
    for uid, one in seen.items():
        assert one.spokes == spokes(shop, shop.machine(uid))
        assert one.needs_somebody == (any(s.state is not State.IN for s in one.spokes) or bool(one.step))
    assert seen["kingfisher"].step == "make"
    assert [one.machine.uid for one in chosen(seen.values(), "plotter vinyl")] == ["swift"]
    assert [one.machine.uid for one in chosen(seen.values(), "OUT")] == ["heron", "kingfisher"]
    assert chosen(seen.values(), "nowhere") == []


def test_the_days_ahead_are_those_of_what_is_due(shop: Shop) -> None:
    """A month ago, when more was in, more of the days ahead had something."""
    for now in (datetime.now(UTC), datetime.now(UTC) - 30 * DAY, datetime.now(UTC) - 100 * DAY):
        pairs = [(one.machine, one.spokes) for one in glance(shop, now)]
        ahead = [d for _, found in due_soon(shop, pairs, now) for d in found]
        all_due = due(shop, now)
        assert sorted((d.on, d.machine.uid, d.quantity) for d in ahead) == sorted(
            (d.on, d.machine.uid, d.quantity) for d in all_due if d.on < (now + 7 * DAY).date()
        )
        days = by_day(ahead, now)
        assert [day for day, _ in days] == [(now + i * DAY).date() for i in range(7)]
        assert sum(len(found) for _, found in days) == len(ahead)


def test_kinds_are_kept_apart_where_they_have_many(shop: Shop) -> None:
    assert [name for name, _ in grouped(glance(shop))] == [""]
    many(shop, 60)
    groups = dict(grouped(glance(shop)))
    assert set(groups) == {kind.said for kind in MachineKind}
    assert sum(len(members) for members in groups.values()) == 64


@pytest.mark.parametrize("size", [(1280, 800), (1024, 700)])
def test_by_keyboard_to_a_machine_and_back(window: MainWindow, size: tuple[int, int]) -> None:
    window.resize(*size)
    page = opened(window)
    assert "4 machines · 4 need attention" in shown(page)
    check_looks(window, size)
    assert page.canvas.hasFocus()
    assert page.canvas.current == "heron"
    press(Qt.Key.Key_Right, Qt.Key.Key_Right)
    assert "Kingfisher, print-and-cut plotter, Sensor X out at Make" in page.canvas.accessibleDescription()
    press(Qt.Key.Key_Home, Qt.Key.Key_Down)
    below = page.canvas.current
    assert page.canvas.box_of(below).top() > page.canvas.box_of("heron").top()
    press(Qt.Key.Key_Up)
    assert page.canvas.current == "heron"
    press("swi")
    assert page.search.text() == "swi"
    assert "1 of 4 machines" in shown(page)
    press(Qt.Key.Key_Return)
    assert window.place_shown() == "rose"
    assert window.machine_uid == "swift"


def test_by_mouse_days_and_what_needs_attention(window: MainWindow) -> None:
    shop = window.shop
    shop.put_machine(
        replace(shop.machine("swift"), uid="tern", name="Tern", tools=(), mounted="", fittings=(), fitted={})
    )
    page = opened(window)
    assert page.days[0].isEnabled()
    click(page, page.days[0].text())
    listed = {one.machine.uid for one in page._shown()}
    assert "tern" not in listed  # nothing was ever found of it, so nothing is due
    assert "heron" in listed
    click(page, page.days[0].text())
    click(page, "Only what needs attention")
    assert {one.machine.uid for one in page._shown()} == {"heron", "swift", "kingfisher", "ember", "tern"}
    box = page.canvas.box_of("ember")
    QTest.mouseClick(page.canvas, Qt.MouseButton.LeftButton, pos=QPoint(box.center()))
    assert window.machine_uid == "ember"
    assert window.place_shown() == "rose"


def test_from_afar_a_line_each(window: MainWindow) -> None:
    press(Qt.Key.Key_F12)
    page = window.places.currentWidget()
    assert isinstance(page, GlancePage)
    assert page.canvas.far
    assert not window.rail.isVisible()
    tops = [page.canvas.box_of(uid).top() for uid in ("heron", "swift", "kingfisher", "ember")]
    assert tops == sorted(set(tops))
    press(Qt.Key.Key_Escape)
    assert not page.canvas.far
    assert window.rail.isVisible()
    press("zz")
    assert "0 of 4" in shown(page)
    press(Qt.Key.Key_Escape)
    assert page.search.text() == ""
    press(Qt.Key.Key_Escape)
    assert window.place_shown() == "rose"


def test_four_hundred_machines_are_walked_and_searched(windows: Callable[[Path], MainWindow], shop_file: Path) -> None:
    shop = Shop(shop_file)
    many(shop, 396)
    shop.close()
    window = windows(shop_file)
    page = opened(window)
    assert "400 machines" in shown(page)
    page.canvas.setFocus()
    QTest.keyClick(page.canvas, Qt.Key.Key_End)
    last = page.canvas.box_of(page.canvas.current)
    assert page._area.viewport().rect().intersects(last.translated(page.canvas.pos()))
    QTest.keyClicks(page.canvas, "7")
    QTest.keyClicks(page.search, "7")
    assert {one.machine.name for one in page._shown()} == {"Buoy 77", *(f"Buoy {i}77" for i in (1, 2, 3))}


def test_what_is_due_soon_stands_on_the_rose_and_on_the_rail(
    window: MainWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    """It is looked for once the window stands still; only what is in has a day."""
    monkeypatch.setattr("keen_compass.shop.due.DAYS", 60)
    ember, now = window.shop.machine("ember"), datetime.now(UTC)
    soon = [d for d in due_on(window.shop, ember, spokes(window.shop, ember), now) if d.spoke.state is State.IN]
    first = min((d for d in soon if d.on > now.date()), key=lambda d: d.on)
    window.show_rose("ember")
    until(lambda: "Due soon" in shown(window.rose_page))
    window._due_soon("ember", soon)  # looked for once more: it stands there once
    until(lambda: shown(window.rose_page).count("Due soon") == 1)
    assert f"{QUANTITIES[first.quantity].label}: " in shown(window.rose_page)
    rose = window.rose_page.rose
    for _ in rose._spokes:
        if first.quantity == rose._spokes[rose._selected].quantity:
            break
        press(Qt.Key.Key_Right)
    assert f"Due {first.on:%-d %b}." in rose.accessibleName()
    check_looks(window, (window.width(), window.height()))
    window.show_rose("kingfisher")  # another machine’s day goes with its rose
    assert not rose._due
    card = MachineCard(ember, [d.spoke for d in soon], "")
    assert card._state is State.IN
    card.show_due([first])
    assert f"{QUANTITIES[first.quantity].label} due {first.on:%-d %b}" in card.accessibleName()


def test_the_history_says_when_it_is_due_and_how_it_may_move_until_then(window: MainWindow) -> None:
    ember = window.shop.machine("ember")
    (due_then,) = [d for d in due(window.shop) if (d.machine.uid, d.quantity) == ("ember", "x_steps")]
    window.go_to("logbook")
    page = window.places.currentWidget()
    assert isinstance(page, LogbookPage)
    page.machine.setCurrentIndex(page.machine.findData("ember"))
    page.quantity.setCurrentIndex(page.quantity.findData("x_steps"))
    settle()
    assert page.chart.accessibleName().endswith(f"due {due_then.on:%-d %b %Y}")
    bare = page.chart.grab().toImage()
    page.chart.show_history("Ember", ErrorUnit("", ""), window.shop.findings("ember", "x_steps", 9))
    assert page.chart.grab().toImage() != bare
    finding, wander = due_then.spoke.finding, due_then.wander
    assert finding is not None
    assert wander is not None
    assert finding.error is not None
    T, U = ember.tolerance("x_steps"), finding.expanded_uncertainty or 0.0
    days = holds_for(finding.error, U, T, wander)
    for day, sure in ((days - 1, True), (days + 1, False)):
        mean, wide = band(finding.error, U, wander, day)
        within = norm.cdf((T - mean) / (wide / K_95)) - norm.cdf((-T - mean) / (wide / K_95))
        assert bool(within >= 0.9) is sure
