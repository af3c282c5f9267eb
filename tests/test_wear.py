"""Consumables: how far they were used, how the kerf drifts with it, when they are changed."""

from __future__ import annotations

import math
import random
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from driving import click, focus, press, shown, tab_to
from keen_compass.app.stock.page import StockPage
from keen_compass.app.window import MainWindow
from keen_compass.errors import FileFormatError, InputError
from keen_compass.machines.fitted import Tool
from keen_compass.machines.profile import Machine
from keen_compass.practice.demo import WORN_OUT
from keen_compass.practice.demo_machines import EMBER, HERON
from keen_compass.practice.playing import cut, play, read_all
from keen_compass.quantities.kinds import MachineKind
from keen_compass.rounds import RoundSession
from keen_compass.shop.consumables import ages, consumables, tell_age
from keen_compass.shop.exchange import from_json, to_json
from keen_compass.shop.store import Shop
from keen_compass.solve.wear import Point, Wear, wear
from keen_compass.words.wear import drift_in_words, uses
from looks import check_looks, settle

NOZZLE = "nozzle-11"


# The drift


def straight(rate: float, sets: int = 2, u: float = 0.01, each: int = 4) -> list[Point]:
    return [
        Point(250.0 * j, 1.5 + 0.02 * k + rate * 250.0 * j, u, set=k) for k in range(sets) for j in range(each)
    ]  # fmt: skip


@pytest.mark.parametrize("rate", [3e-4, -3e-4])
def test_a_straight_drift_is_recovered_with_where_it_reaches_a_width(rate: float) -> None:
    found = wear(straight(rate))
    assert found is not None
    assert found.clear
    assert found.per_use.value == pytest.approx(rate)
    assert found.at(0, 1).value == pytest.approx(1.52)
    reached = found.reaches(1.52 + math.copysign(0.15, rate), 1)
    assert reached is not None
    assert reached.age == pytest.approx(500)
    assert reached.low < 500 < reached.high


def test_its_uncertainty_is_that_of_least_squares_where_nothing_else_is_uncertain() -> None:
    """By hand, one set: weighted line through points of equal u, sets' rates and counts aside."""
    points = straight(1e-9, sets=1, u=0.02)
    found = wear(points)
    assert found is not None
    xs = [p.age for p in points]
    mean = sum(xs) / len(xs)
    by_hand = 0.02 / math.sqrt(sum((x - mean) ** 2 for x in xs))
    assert found.per_use.u == pytest.approx(by_hand, rel=0.01)
    assert not found.clear
    assert found.reaches(2.0, 0) is None


def test_what_it_cannot_know_it_does_not_say() -> None:
    assert wear([]) is None
    assert wear([Point(100, 1.5, 0.01)]) is None
    assert wear([Point(100, 1.5, 0.01, set=0), Point(400, 1.6, 0.01, set=1)]) is None  # of two sets, one age each
    found = wear(straight(3e-4, sets=1))
    assert found is not None
    unseen, seen = found.at(500, 7), found.at(500, 0)
    assert unseen.value == pytest.approx(seen.value)
    assert unseen.U > 2 * seen.U  # another set begins somewhere else


def test_what_an_instrument_shares_among_all_does_not_blur_the_drift_but_the_kerf() -> None:
    shared = [Point(p.age, p.width, p.u, (("caliper", 0.05),), p.set) for p in straight(3e-4)]
    a, b = wear(straight(3e-4)), wear(shared)
    assert a is not None
    assert b is not None
    assert pytest.approx(a.per_use.U, rel=1e-6) == b.per_use.U
    assert b.at(0, 0).U > 2 * a.at(0, 0).U


def lived(rng: random.Random, sign: int) -> tuple[list[Point], float, float, list[float], float]:
    """A year as it might be. Sets are bored and wear differently, wear speeds up, counts are off, the caliper is off
    by the same all year, and plates differ: nothing of it drawn from the solver's model."""
    rate, kerf, off = sign * rng.uniform(0.5e-4, 3e-4), rng.uniform(1.2, 2.2), rng.uniform(-0.02, 0.02)
    inch = rng.random() < 0.3
    points: list[Point] = []
    fresh, rates = [], []
    for k in range(rng.randint(1, 4)):
        fresh.append(kerf + rng.triangular(-0.05, 0.05))
        rates.append(rate * rng.uniform(0.9, 1.1))
        age = 0.0
        for _ in range(rng.randint(2, 4)):
            age += rng.uniform(50, 600)
            true = fresh[k] + rates[k] * age * (1 + 0.05 * age / 1000)
            read = true + off + rng.choice((-1, 1)) * rng.uniform(0, 0.03) + rng.uniform(-0.008, 0.008)
            division = 0.0127 if inch else 0.01
            points.append(Point(age * rng.uniform(0.95, 1.05), round(read / division) * division, 0.022,
                                (("caliper", 0.02 / math.sqrt(3)),), k))  # fmt: skip
    return points, rate, rates[-1], fresh, off


@pytest.mark.heavy
@pytest.mark.parametrize("sign", [1, -1])
def test_drift_and_line_cover_under_foreign_physics(sign: int) -> None:
    rng, n, T = random.Random(f"wear {sign}"), 150, 0.15
    hits = told = on_line = 0
    for _ in range(n):
        points, rate, of_last, fresh, _ = lived(rng, sign)
        found = wear(points)
        assert found is not None
        hits += abs(found.per_use.value - rate) <= found.per_use.U
        last = len(fresh) - 1
        in_force = next(p.width for p in points if p.set == last)
        reached = found.reaches(in_force + sign * T, last)
        if reached:
            told += 1
            # Where the true kerf, which speeds up, comes to that width.
            true = next(a for a in range(100_000) if abs(of_last * a * (1 + 0.05 * a / 1000))
                        >= abs(in_force + sign * T - fresh[last]))  # fmt: skip
            on_line += reached.low <= true <= reached.high
    assert hits >= 0.93 * n
    assert told > 0.6 * n
    assert on_line >= 0.93 * told


# How far they were used


def test_uses_are_counted_from_what_was_cut_told_by_hand_and_begin_anew_with_a_change(shop: Shop) -> None:
    ember = shop.machine("ember")
    assert ages(shop, ember, NOZZLE).now == (WORN_OUT, 4)
    session = RoundSession.begin(shop, ember, "bevel", "bevel")
    cut(session)
    piece = session.context.piece
    assert piece is not None
    text = (shop.blob(piece.sent) or b"").decode()
    assert piece.use["pierces"] == text.count("M3 ") + text.count("M3\n")  # each on is a pierce
    assert piece.use["metres"] > 0.1
    assert piece.use["minutes"] > piece.use["metres"] * 1000 / EMBER.feed  # pierces take their time
    assert ages(shop, ember, NOZZLE).now[0] == WORN_OUT + piece.use["pierces"]
    assert ages(shop, ember, NOZZLE).at(piece.at)[0] == WORN_OUT
    tell_age(shop, ember, NOZZLE, 30.0)
    tell_age(shop, ember, NOZZLE, 30.0)  # the same again is no less told
    assert ages(shop, ember, NOZZLE).now == (30.0, 4)
    shop.put_event("ember", "tool", "New nozzle")
    assert ages(shop, ember, NOZZLE).now == (0.0, 5)
    assert ages(shop, ember, "another").now[0] == 0.0
    for age in (-1.0, math.inf, math.nan):
        with pytest.raises(InputError):
            tell_age(shop, ember, NOZZLE, age)


def test_another_cutter_wears_apart_and_a_pen_not_at_all(shop: Shop) -> None:
    heron = shop.machine("heron")
    session = RoundSession.begin(shop, heron, "rectangle")
    session.making.choose(tool="cutter-3")
    before = ages(shop, heron, "cutter-6").now
    cut(session)
    assert session.context.piece.use["metres"] > 1  # type: ignore[union-attr]
    assert ages(shop, shop.machine("heron"), "cutter-3").now[0] > 1
    assert ages(shop, shop.machine("heron"), "cutter-6").now == before
    shop.put_event("heron", "tool", "New cutter")  # the 3 mm one is in
    assert ages(shop, shop.machine("heron"), "cutter-3").now[0] == 0
    assert ages(shop, shop.machine("heron"), "cutter-6").now == before
    pen = RoundSession.begin(shop, heron, "squareness")
    cut(pen)
    assert not pen.context.piece.use  # type: ignore[union-attr]


@pytest.mark.parametrize(
    ("kind", "counted"),
    [(MachineKind.ROUTER, "metres"), (MachineKind.PLASMA, "pierces"), (MachineKind.LASER, "minutes")],
)
def test_each_kind_of_machine_counts_what_wears_it(kind: MachineKind, counted: str) -> None:
    machine = Machine("m", "M", kind, (900.0, 600.0), tools=(Tool("t", 1.0, uid="t"),))
    assert machine.wear_counted == counted
    assert Machine("m", "M", kind, (900.0, 600.0), wear="pierces").wear_counted == "pierces"
    with pytest.raises(InputError):
        Machine("m", "M", kind, (900.0, 600.0), wear="parsecs")


def test_the_demos_year_tells_how_its_nozzle_wears(shop: Shop) -> None:
    c = consumables(shop, shop.machine("ember"))
    assert c is not None
    assert isinstance(c.wear, Wear)
    assert abs(c.wear.per_use.value - 2.2e-4) <= c.wear.per_use.U
    assert c.worn
    assert c.left == 0
    assert c.line is not None
    # The width in force was found at 380 pierces or so; T more is 0.12 / 2.2e-4 pierces later.
    assert c.line.low <= 380 + 0.12 / 2.2e-4 <= c.line.high
    assert "Change them" in drift_in_words(c)
    assert consumables(shop, shop.machine("swift")) is None  # a knife has no kerf
    assert uses(1.0, "pierces") == "1 pierce"
    assert uses(12.36, "metres") == "12.4 metres"


def test_a_worn_nozzle_cuts_wider_and_a_new_one_does_not(shop: Shop) -> None:
    """The practice machine counts by itself, from the file it read."""
    ember = shop.machine("ember")
    worn_one = RoundSession.begin(shop, ember, "kerf-square", "kerf")
    cut(worn_one)
    read_all(worn_one)
    wide = next(f.new for f in worn_one.measuring.findings() if f.quantity == "kerf")
    truth = shop.stand_in("ember") or {}
    assert truth["worn"] > WORN_OUT
    worn_one.give_up("Only to see")
    shop.put_event("ember", "tool", "New nozzle")
    done = play(shop, shop.machine("ember"), "kerf-square", "kerf")
    narrow = next(f.new for f in done.measuring.findings() if f.quantity == "kerf")
    assert 2 * (wide - narrow) == pytest.approx(2.2e-4 * WORN_OUT, abs=0.06)
    c = consumables(shop, shop.machine("ember"))
    assert c is not None
    assert not c.worn
    assert c.age < 30


def test_uses_go_out_and_come_in_with_everything_else(shop: Shop, tmp_path: Path) -> None:
    ember = shop.machine("ember")
    cut(RoundSession.begin(shop, ember, "bevel", "bevel"))
    text = to_json(shop)
    other = Shop(tmp_path / "other.kcshop")
    from_json(other, text, lambda *_: "")
    assert ages(other, other.machine("ember"), NOZZLE).now == ages(shop, ember, NOZZLE).now
    a, b = consumables(shop, ember), consumables(other, other.machine("ember"))
    assert a is not None
    assert b is not None
    assert (a.found, a.line) == (b.found, b.line)
    for right, wrong in (
        ('\\"age\\": 1150.0', '\\"age\\": -5'), ('\\"age\\": 1150.0', '\\"age\\": \\"many\\"'),
        ('\\"counted\\": \\"pierces\\"', '\\"counted\\": \\"parsecs\\"'), ('\\"pierces\\": 6', '\\"pierces\\": -6'),
    ):  # fmt: skip
        assert right in text
        with pytest.raises(FileFormatError, match="body"):
            from_json(other, text.replace(right, wrong), lambda *_: "")
    other.close()


# In the window


def on_page(window: MainWindow) -> StockPage:
    window.show_rose("ember")
    window.go_to("stock")
    page = window.places.currentWidget()
    assert isinstance(page, StockPage)
    return page


def test_by_keyboard_the_count_is_put_right_and_new_ones_are_put_in(window: MainWindow) -> None:
    page = on_page(window)
    assert "1.1 mm nozzle: 1,150 pierces since" in shown(page)
    assert "Change them: at" in shown(page)
    tab_to("How many pierces they have had")
    press("many", Qt.Key.Key_Return)
    assert "as a number" in shown(page)
    press(*[Qt.Key.Key_Backspace] * 4, "1,020", Qt.Key.Key_Return)
    assert ages(window.shop, window.shop.machine("ember"), NOZZLE).now[0] == 1020
    assert "1,020 pierces" in shown(page)
    tab_to("New ones fitted")
    press(Qt.Key.Key_Return)
    assert ages(window.shop, window.shop.machine("ember"), NOZZLE).now[0] == 0
    assert "Change them at" in shown(page)
    assert "New ones fitted since" in shown(page)  # the kerf was found with the old ones
    tab_to("Kerf over thickness")
    for chart in (page.over_use, page.history):
        press(Qt.Key.Key_Right)
        assert page.charts.currentWidget() is chart
    assert "change them at" in page.over_use.accessibleName()
    check_looks(window, (1280, 800))


@pytest.mark.parametrize("answer", ["New ones fitted", "Keep the old ones"])
def test_a_round_on_worn_consumables_asks_first(window: MainWindow, answer: str) -> None:
    window.show_rose("ember")
    window.begin("kerf-square", "kerf")
    page = window.round_page
    assert page is not None
    session = page.model.session
    assert "Change them, then calibrate" in shown(page)
    assert not page.make.cut.isEnabled()
    settle()
    assert focus() == "New ones fitted"
    for size in ((1024, 700), (1280, 800)):
        window.resize(*size)
        check_looks(window, size)
    tab_to(answer)
    press(Qt.Key.Key_Return)
    assert "then calibrate" not in shown(page)
    assert page.make.cut.isEnabled()
    age = ages(window.shop, window.shop.machine("ember"), NOZZLE).now[0]
    assert age == (0 if answer == "New ones fitted" else WORN_OUT)
    click(page, "Practice cut")
    while session.measuring.current():
        click(page, "Practice ")
    kerf = next(f.new for f in session.measuring.findings() if f.quantity == "kerf")
    assert 2 * kerf == pytest.approx(1.71 + 2.2e-4 * age, abs=0.06)


def test_other_machines_and_other_questions_are_not_asked(window: MainWindow) -> None:
    for machine, procedure in (("ember", "rectangle"), ("heron", "kerf-square")):
        window.show_rose(machine)
        window.begin(procedure)
        assert window.round_page is not None
        assert not window.round_page.make.worn.isVisible()
        assert HERON.wear_counted == "metres"
        QTest.qWait(0)
