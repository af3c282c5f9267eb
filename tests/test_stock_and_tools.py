"""Kerfs by material, thickness and what cuts: what is known, what is only a start, charts, the page."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from driving import choose, focus, press, shown, states, tab_to
from keen_compass.app.stock.chart_panel import ChartPanel
from keen_compass.app.stock.page import StockPage
from keen_compass.app.window import MainWindow
from keen_compass.errors import FileFormatError
from keen_compass.formats.chart_csv import Columns, guessed, read_table, understood
from keen_compass.machines.fitted import Stock
from keen_compass.practice.demo import WORN_OUT
from keen_compass.practice.demo_machines import EMBER, EMBER_TRUTH, STEEL
from keen_compass.practice.playing import cut, play, read_all
from keen_compass.quantities.stored import StoredAmount
from keen_compass.quantities.subjects import Subject
from keen_compass.rounds import RoundSession
from keen_compass.rounds.room import room
from keen_compass.shop.exchange import from_json, to_json
from keen_compass.shop.library import (
    How,
    KerfEntry,
    Known,
    Starting,
    begin_with,
    board,
    entry_for,
    kerfs,
    misplaced,
    processes,
    put_on,
    settings_for,
    starting,
    take_chart,
)
from keen_compass.shop.standing import State, Why, spokes
from keen_compass.shop.store import Shop
from keen_compass.words.sending import room_in_words
from looks import check_looks, settle

NOZZLE = "nozzle-11"


def steel(
    thickness: float, width: float, known: Known = Known.FOUND, process: str = "45 A", tool: str = NOZZLE
) -> KerfEntry:
    subject = Subject(
        tool="" if known is Known.CHARTED else tool, material="steel", thickness=thickness, process=process
    )
    return KerfEntry(subject, width, known, 0.03 if known is Known.FOUND else None)


def wanted(thickness: float, material: str = "steel", process: str = "45 A", tool: str = NOZZLE) -> Subject:
    return Subject(tool=tool, material=material, thickness=thickness, process=process)


# What is known, and what is only a start


def test_between_two_thicknesses_lies_a_starting_value_on_their_line() -> None:
    entries = [steel(3, 1.5), steel(6, 1.8), steel(10, 2.4)]
    found = starting(entries, wanted(4))
    assert found is not None
    assert (found.how, found.width) == (How.BETWEEN, pytest.approx(1.6))
    assert [e.subject.thickness for e in found.of] == [3, 6]
    assert starting(entries, wanted(8)).width == pytest.approx(2.1)  # type: ignore[union-attr]
    beyond = starting(entries, wanted(20))
    assert beyond is not None
    assert (beyond.how, beyond.width) == (How.NEAREST, 2.4)


def test_what_was_found_comes_before_what_a_chart_says_and_another_process_says_nothing() -> None:
    chart = [steel(t, w, Known.CHARTED) for t, w in ((3, 1.3), (6, 1.6), (8, 1.9))]
    found = [steel(3, 1.5), steel(10, 2.4)]
    assert starting(found + chart, wanted(6)).how is How.BETWEEN  # type: ignore[union-attr]
    assert entry_for(found + chart, wanted(3)).width == 1.5  # type: ignore[union-attr]
    assert entry_for(chart, wanted(3)).known is Known.CHARTED  # type: ignore[union-attr]
    only = starting([steel(3, 1.5), *chart], wanted(8))
    assert only is not None
    assert (only.how, only.width) == (How.CHARTED, 1.9)
    assert starting(found, wanted(6, process="65 A")) is None
    assert starting(found, wanted(6, tool="another")) is None
    elsewhere = starting(found, wanted(4, material="brass"))
    assert elsewhere is not None
    assert (elsewhere.how, elsewhere.width) == (How.ELSEWHERE, 1.5)
    assert begin_with([], wanted(4), 1.6) == Starting(1.6, How.DIAMETER, ())
    assert begin_with([], wanted(4), 0.0) is None


WIDTHS = st.lists(st.tuples(st.floats(1, 50), st.floats(0.1, 8)), min_size=2, unique_by=lambda e: round(e[0], 3))


@settings(max_examples=60)
@given(WIDTHS, st.floats(0.5, 60))
def test_a_starting_value_never_leaves_what_its_neighbours_say(entries: list[tuple[float, float]], t: float) -> None:
    found = starting([steel(thick, width) for thick, width in entries], wanted(t))
    assert found is not None
    widths = [e.width for e in found.of]
    assert min(widths) - 1e-9 <= found.width <= max(widths) + 1e-9


def test_the_demo_knows_three_thicknesses_and_the_chart_fills_the_rest(shop: Shop) -> None:
    ember = shop.machine("ember")
    found = board(shop, ember)
    assert found.on_it == (("steel", 6.0), (NOZZLE, "45 A"))
    cells = {(row[1], column[1]): what for (row, column), what in found.cells.items()}
    for t in (3.0, 6.0, 10.0):
        what = cells[t, "45 A"]
        assert isinstance(what, KerfEntry)
        assert what.known is Known.FOUND
        used = {3.0: 0.0, 6.0: 380.0, 10.0: 120.0}[t]
        right = 1.71 + 0.055 * (t - 6) + EMBER_TRUTH.wear * used
        assert what.width == pytest.approx(right, abs=0.08)
        assert what.U is not None
        assert what.U < 0.06
    assert isinstance(cells[16.0, "45 A"], Starting)
    assert cells[16.0, "65 A"].known is Known.CHARTED  # type: ignore[union-attr]
    assert processes(shop, ember) == ("45 A", "65 A")


# What is on the machine


def test_settings_come_back_with_what_is_put_on_and_the_controller_keeps_its_number(shop: Shop) -> None:
    ember = shop.machine("ember")
    put_on(shop, ember, stock=STEEL[10.0], process="65 A")
    now = shop.machine("ember")
    assert (now.process, now.feed, now.pierce_delay) == ("65 A", 1500.0, 0.7)  # as the chart says
    shop.put_machine(replace(now, feed=1450.0))
    put_on(shop, shop.machine("ember"), stock=STEEL[6.0], process="45 A")
    assert shop.machine("ember").feed == 1800.0
    put_on(shop, shop.machine("ember"), stock=STEEL[10.0], process="65 A")
    assert shop.machine("ember").feed == 1450.0  # as it was left
    assert settings_for(shop, "ember", wanted(10.0, process="65 A"))["feed"] == 1450.0
    before = shop.values("ember")["kerf"]
    assert shop.values("ember")["kerf"] == before


def test_the_number_of_other_stock_is_said_and_its_own_is_put_back(shop: Shop) -> None:
    put_on(shop, shop.machine("ember"), stock=STEEL[3.0])
    ember = shop.machine("ember")
    kerf = next(s for s in spokes(shop, ember) if s.quantity == "kerf")
    assert (kerf.state, kerf.why) == (State.RECHECK, Why.ANOTHERS)
    assert "steel 6 mm" in kerf.about
    wrong = misplaced(shop, ember)
    assert wrong is not None
    assert wrong.own
    assert wrong.wanted is not None
    assert ember.kerf_width(wrong.wanted) == pytest.approx(1.71 - 3 * 0.055, abs=0.08)
    shop.put_value("ember", "kerf", wrong.wanted, "put_back", subject=ember.subject)
    assert misplaced(shop, ember) is None
    assert states(shop, "ember", ("kerf",)) == [State.IN]  # that it was put back is no change


def test_with_new_consumables_a_kerf_is_measured_again(shop: Shop) -> None:
    assert states(shop, "ember", ("kerf", "bevel")) == [State.IN, State.IN]
    shop.put_event("ember", "tool", "New nozzle")
    assert states(shop, "ember", ("kerf", "bevel", "x_steps")) == [State.RECHECK, State.RECHECK, State.IN]


def test_a_file_begins_with_what_is_known_and_says_so(shop: Shop) -> None:
    """In our files each tool and stock has a number of its own; another one's is never taken for it."""
    put_on(shop, shop.machine("heron"), tool=shop.machine("heron").tools[1])
    heron = shop.machine("heron")
    session = RoundSession.begin(shop, heron, "kerf-square", "kerf")
    assert (room(session.context).width, room(session.context).starting.how) == (3.0, How.DIAMETER)  # type: ignore[union-attr]
    session.give_up("only looked")
    shop.put_value("heron", "kerf", StoredAmount("kerf", "mm", 3.08), "typed", subject=heron.subject)
    held = room(RoundSession.begin(shop, heron, "kerf-square", "kerf").context)
    assert (held.width, held.held) == (3.08, True)
    put_on(shop, heron, stock=replace(heron.stock, name="birch ply 12 mm", thickness=12.0, uid="birch-12"))
    other = room(RoundSession.begin(shop, shop.machine("heron"), "kerf-square", "kerf").context)
    assert (other.width, other.held) == (3.08, False)
    assert other.starting is not None
    words = room_in_words(other.width, heron, held=False, begin=other.starting)
    assert "starting value" in words
    assert "birch ply 9 mm" in words


def test_a_controller_of_which_no_kerf_is_known_cuts_nothing(shop: Shop) -> None:
    fresh = replace(EMBER, uid="cinder", name="Cinder")
    shop.put_machine(fresh)
    for quantity in ("x_steps", "y_steps"):
        shop.put_value("cinder", quantity, shop.values("ember")[quantity].stored, "start")
    session = RoundSession.begin(shop, fresh, "kerf-square", "kerf")
    refused = session.making.refusal()
    assert refused is not None
    assert refused.code == "no_room_held"
    shop.put_value("cinder", "kerf", StoredAmount("kerf", "mm", 0.85), "typed", subject=fresh.subject)
    session.context.changed()
    assert session.making.refusal() is None
    assert session.making.parameters()["compensation"] == pytest.approx(1.7)  # it keeps the half
    assert "G41" in session.making.file_text()


# Charts


CHART = """\ufeffMaterial;Thickness mm;Current A;Nozzle;Kerf width;Feed m/min;Pierce height;Delay s
stainless;2;40;0.9;1,2;5,2;3,0;0,2
stainless;4;40;0.9;1,35;2,9;3,5;0,4
stainless;8;60;1.1;n/a;1,5;4;0,6
"""


def test_a_chart_is_read_as_the_technician_says_and_what_it_lacks_is_named() -> None:
    table = read_table(CHART)
    columns = guessed(table.head)
    assert columns["process"] == (2, 3)
    assert (columns["kerf"], columns["thickness"], columns["pierce_delay"]) == ((4,), (1,), (7,))
    lines, complaints = understood(table, Columns(columns, {}, feed="m/min"))
    assert [(x.material, x.thickness, x.process, x.kerf) for x in lines] == [
        ("stainless", 2.0, "40, 0.9", 1.2), ("stainless", 4.0, "40, 0.9", 1.35),
    ]  # fmt: skip
    assert lines[0].settings == {"feed": 5200.0, "pierce_height": 3.0, "pierce_delay": 0.2}
    assert len(complaints) == 1
    assert complaints[0].startswith("line 4: kerf")
    inches, _ = understood(read_table("thickness,kerf\n1/4,0.03\n"), Columns({"thickness": (0,), "kerf": (1,)}, {
        "material": "steel", "process": "45 A"}, unit="in", half=True))  # fmt: skip
    assert (inches[0].thickness, inches[0].kerf) == (pytest.approx(6.35), pytest.approx(2 * 0.03 * 25.4))
    assert (inches[0].material, inches[0].process) == ("steel", "45 A")


@pytest.mark.parametrize("text", ["", "just words\nand more\n", "a,b\n", "x" * 3_000_000])
def test_what_is_no_chart_is_refused(text: str) -> None:
    with pytest.raises(FileFormatError):
        read_table(text)


@settings(max_examples=40)
@given(st.lists(st.tuples(st.floats(0.2, 80), st.floats(0.05, 9)), min_size=1, max_size=8), st.sampled_from(",;\t"))
def test_whatever_is_written_as_a_chart_is_read_back(lines: list[tuple[float, float]], between: str) -> None:
    text = "\n".join([f"gauge{between}kerf", *(f"{t:.3f}{between}{k:.3f}" for t, k in lines)])
    found, complaints = understood(read_table(text), Columns(guessed(["gauge", "kerf"]), {}))
    assert not complaints
    assert [(x.thickness, x.kerf) for x in found] == [(float(f"{t:.3f}"), float(f"{k:.3f}")) for t, k in lines]


def test_a_chart_travels_with_the_logbook_and_a_damaged_line_is_refused(shop: Shop, tmp_path: Path) -> None:
    take_chart(shop, "ember", [steel(25.0, 2.9, Known.CHARTED)])
    text = to_json(shop, "")
    other = Shop(tmp_path / "other.kcshop")
    from_json(other, text, lambda *_: "")
    assert [e.width for e in kerfs(other, other.machine("ember")) if e.subject.thickness == 25.0] == [2.9]
    other.close()
    third = Shop(tmp_path / "third.kcshop")
    with pytest.raises(FileFormatError, match="kerf"):
        from_json(third, text.replace('\\"kerf\\": 2.9', '\\"kerf\\": -2.9'), lambda *_: "")
    third.close()


# The page


def on_page(window: MainWindow) -> StockPage:
    window.show_rose("ember")
    tab_to("Stock and tools")
    press(Qt.Key.Key_Return)
    page = window.places.currentWidget()
    assert isinstance(page, StockPage)
    return page


def test_by_keyboard_another_thickness_is_put_on_its_number_put_in_and_its_kerf_found(window: MainWindow) -> None:
    page = on_page(window)
    assert "6 mm" in focus()
    press(Qt.Key.Key_Down)
    assert focus().startswith("steel 10 mm, 45 A")
    press(Qt.Key.Key_Return)
    assert window.shop.machine("ember").stock.thickness == 10.0  # type: ignore[union-attr]
    assert "The controller holds" in shown(page)
    assert "CUT_HALF_WIDTH = 0.9" in shown(page)
    tab_to("Value entered")
    press(Qt.Key.Key_Return)
    assert misplaced(window.shop, window.shop.machine("ember")) is None
    assert "The controller holds" not in shown(page)
    assert "New ones fitted since" in shown(page)  # the nozzle was changed after it was found
    tab_to("Find its kerf")
    press(Qt.Key.Key_Return)
    session = window.round_page.model.session  # type: ignore[union-attr]
    assert (session.context.kept.machine, session.context.kept.procedure) == ("ember", "kerf-square")
    cut(session)
    read_all(session)
    assert session.context.piece.snapshot.stock.thickness == 10.0  # type: ignore[union-attr]
    assert session.context.piece.snapshot.applied["compensation"] == "controller"  # type: ignore[union-attr]
    found = {f.quantity: f for f in session.measuring.findings()}
    assert found["kerf"].new == pytest.approx((1.71 + 4 * 0.055 + EMBER_TRUTH.wear * WORN_OUT) / 2, abs=0.04)


def test_by_mouse_a_cell_is_chosen_and_with_two_clicks_it_is_on(window: MainWindow) -> None:
    page = on_page(window)
    grid = page.grid
    row, column = grid.board.rows.index(("steel", 16.0)), grid.board.columns.index((NOZZLE, "65 A"))
    at = grid.box(row, column).center().toPoint()
    QTest.mouseClick(grid, Qt.MouseButton.LeftButton, pos=at)
    assert "From the maker’s chart" in shown(page)
    assert window.shop.machine("ember").process == "45 A"
    QTest.mouseDClick(grid, Qt.MouseButton.LeftButton, pos=at)
    assert window.shop.machine("ember").process == "65 A"
    assert "begin with" in shown(page)
    QTest.mouseClick(page.is_in, Qt.MouseButton.LeftButton)
    kept = window.shop.values("ember")["kerf"]
    assert window.shop.machine("ember").kerf_width(kept.stored) == pytest.approx(2.4, abs=0.002)  # type: ignore[arg-type]
    QTest.mouseClick(grid, Qt.MouseButton.LeftButton, pos=QPoint(2, 2))  # beside everything
    assert page.grid.cell() == (("steel", 16.0), (NOZZLE, "65 A"))


def test_a_chart_is_taken_over_by_keyboard_and_its_columns_are_asked_once(window: MainWindow, tmp_path: Path) -> None:
    file = tmp_path / "chart.csv"
    file.write_text(CHART.replace("Kerf width", "B"), encoding="utf-8")
    page = on_page(window)
    for again in (False, True):
        tab_to("Read a cutting chart")
        press(Qt.Key.Key_Return)
        assert focus() == "File"
        press(str(file), Qt.Key.Key_Return)
        panel = page.beside.currentWidget()
        assert isinstance(panel, ChartPanel)
        if not again:
            assert "Left out" in shown(panel)  # no column looks like a kerf
            choose("Kerf", "B")
        assert "2 lines understood" in shown(panel)
        tab_to("Import")
        press(Qt.Key.Key_Return)
        QApplication.processEvents()
        settle()
    charted = {e.subject.thickness: e.width for e in kerfs(window.shop, window.shop.machine("ember"))
               if e.subject.material == "stainless"}  # fmt: skip
    assert charted == {2.0: 1.2, 4.0: 1.35}
    assert ("stainless", 2.0) in page.grid.board.rows


def test_nothing_is_cut_on_the_page_at_any_size(window: MainWindow) -> None:
    names = [(f"an alloy with a very long name, number {i}", f"{i} A and more") for i in range(9)]
    take_chart(window.shop, "ember", [
        KerfEntry(Subject(material=material, thickness=1.0 + i, process=process), 1.0 + i / 7, Known.CHARTED)
        for i, (material, process) in enumerate(names)
    ])  # fmt: skip
    page = on_page(window)
    for size in ((1280, 800), (1024, 700)):
        window.resize(*size)
        settle()
        check_looks(window, size)
    for _ in range(30):
        press(Qt.Key.Key_Down)
    for _ in range(30):
        press(Qt.Key.Key_Right)
    assert page.grid.at == (len(page.grid.board.rows) - 1, len(page.grid.board.columns) - 1)
    visible = page.grid.visibleRegion().boundingRect()
    assert visible.contains(page.grid.box(*page.grid.at).center().toPoint())


def test_a_shop_without_cutters_says_so(window: MainWindow) -> None:
    for uid in ("heron", "ember"):
        window.shop.put_machine(replace(window.shop.machine(uid), retired=True))
    window.show_rose("swift")
    window.go_to("stock")
    assert "No machine here cuts" in shown(window.places.currentWidget())


def test_a_knife_has_no_kerf_of_its_own(shop: Shop) -> None:
    swift = shop.machine("swift")
    assert "kerf" not in swift.quantities
    session = play(shop, swift, "squareness")
    assert session.context.piece is not None
    assert room(session.context).width == 0.0
    assert Stock("film", 0.1, 0, 0, 1, 1).thickness == 0.1
