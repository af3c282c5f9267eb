"""Adding a machine, instruments, the logbook and the desktop: the real window, real events."""

from __future__ import annotations

import shutil
import subprocess
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from itertools import product
from pathlib import Path

import pytest
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QFontMetrics
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QLineEdit, QPushButton, QWidget
from pytestqt.qtbot import QtBot

from driving import choose, click, focus, opened, press, shown, states, tab_to
from keen_compass.app import rail
from keen_compass.app import theme as th
from keen_compass.app.logbook.page import LogbookPage
from keen_compass.app.manual import ManualWindow
from keen_compass.app.shop.instruments_page import InstrumentsPage
from keen_compass.app.shop.machine_page import MachinePage
from keen_compass.app.shop.new_machine import NewMachinePage
from keen_compass.app.shop.standpoint import StandpointPicture
from keen_compass.app.start import _windows, application
from keen_compass.app.window import MainWindow
from keen_compass.practice import stand_in
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.standpoint import DIRECTIONS, Standpoint
from keen_compass.shop.logbook import VERDICT
from keen_compass.shop.standing import State, spokes
from keen_compass.shop.store import Shop
from keen_compass.words.manual import topic
from looks import check_looks, check_rail, settle

DATA = Path(__file__).parent.parent / "data"


def fill(name: str, text: str) -> None:
    tab_to(name)
    press(Qt.Key.Key_A, modifier=Qt.KeyboardModifier.ControlModifier)
    press(text)


# Machines


def test_an_empty_shop_gets_its_first_machine_by_keyboard_alone(qtbot: QtBot, tmp_path: Path) -> None:
    window = opened(qtbot, Shop(tmp_path / "new.kcshop"))
    assert "empty" in window._message.text()
    click(window, "All fields")
    choose("Kind", MachineKind.KNIFE.said)
    fill("Name", "Gull")
    choose("Shown in", "inches, fractions")
    choose("The roll feeds along", "Y")
    fill("Roll, width", "24")
    fill("Roll, feeds at most", "120 in")
    fill("Tool", "Pen")
    choose("This tool", "draws or scribes")
    fill("Its diameter", "0")
    fill("Stock loaded", "Paper")
    fill("It is, thickness", "0.1 mm")
    fill("It is, along X", "23 1/2")
    fill("It is, along Y", "60")
    tab_to(StandpointPicture().accessibleName())
    press(Qt.Key.Key_Left)
    choose("As", "steps per inch (steps/in)")
    fill("X steps, as the controller shows it", "1016")
    fill("X steps, tolerance", "1/64")
    fill("Y steps, as the controller shows it", "1016,5")
    tab_to("▸ More that the controller keeps")
    press(Qt.Key.Key_Space)
    fill("Decimals kept", "2")
    tab_to("Save")
    press(Qt.Key.Key_Return)
    assert window.places.currentWidget() is window.rose_page
    machine = window.shop.machines()[0]
    assert (machine.name, machine.kind, machine.units) == ("Gull", MachineKind.KNIFE, "in 1/64")
    assert machine.bed == pytest.approx((24 * 25.4, 120 * 25.4))
    assert machine.tolerances["x_steps"] == pytest.approx(25.4 / 64)
    assert machine.standpoint == Standpoint("away", "left")
    assert {s.state for s in spokes(window.shop, machine)} == {State.NEVER}
    held = window.shop.value(machine.uid, "y_steps")
    assert held is not None
    assert held.stored.value == 1016.5
    assert "Never measured" not in window._message.text()
    window.close()


def test_the_kind_brings_its_own_form_and_what_is_folded_opens_where_it_is_wrong(qtbot: QtBot, tmp_path: Path) -> None:
    window = opened(qtbot, Shop(tmp_path / "new.kcshop"))
    click(window, "All fields")
    page = window.places.currentWidget()
    assert isinstance(page, MachinePage)
    assert focus() == "Kind"

    def there() -> set[str]:
        fields = page.form.edits | page.form.combos | page.keeps.edits | page.keeps.combos
        return {name for name, field in fields.items() if field.isVisible()}

    assert {"bed_x", "tool_width", "x_steps"} <= there()
    assert not {"roll_width", "process", "z_travel", "x_backlash"} & there()
    page.form.edits["tool"].setText("my own bit")
    for kind, has, has_not in (
        (MachineKind.KNIFE, {"roll_width", "feeds_along"}, {"bed_x", "process"}),
        (MachineKind.PLASMA, {"process", "bed_x"}, {"roll_width", "tool_marks"}),
        ("router", {"bed_x", "tool_marks"}, {"process"}),
    ):
        choose("Kind", MachineKind(kind).said)
        assert has <= there()
        assert not has_not & there()
        assert page.form.values()["tool"] == "my own bit"  # what was typed stays
    fill("Name", "Gull")
    for q in ("X", "Y"):
        fill(f"{q} steps, as the controller shows it", "100")
    page.form.edits["due_months"].setText("often")
    tab_to("Name")
    press(Qt.Key.Key_Return)  # nothing needed is empty: it is kept, or says what is wrong
    assert "due_months" in there()
    assert focus() == "Check every … months"


def test_from_an_empty_shop_to_the_first_answer_in_few_keys(qtbot: QtBot, tmp_path: Path) -> None:
    """By keyboard alone, as someone who has never seen it: what is in bold or has the keyboard is pressed."""
    window, keys = opened(qtbot, Shop(tmp_path / "new.kcshop")), 0

    def stroke(*strokes: Qt.Key | str) -> None:
        nonlocal keys
        keys += sum(len(s) if isinstance(s, str) else 1 for s in strokes)
        press(*strokes)

    stroke(Qt.Key.Key_Return)  # a router
    stroke(Qt.Key.Key_Return, Qt.Key.Key_Return)  # as large as most
    stroke("100", Qt.Key.Key_Return, Qt.Key.Key_Return)
    stroke("Gull", Qt.Key.Key_Return)
    assert window.places.currentWidget() is window.rose_page
    for _ in range(12):
        if focus().startswith("Begin X and Y steps"):
            break
        stroke(Qt.Key.Key_Tab)
    stroke(Qt.Key.Key_Return)
    page = window.round_page
    assert "instrument" in shown(page)
    stroke("2")  # the caliper of 300 mm
    assert page.model.session.context.instrument is not None
    for _ in range(12):
        if focus() == "It is cut: measure":
            break
        stroke(Qt.Key.Key_Tab)
    stroke(Qt.Key.Key_Return)
    assert "No file was written for this piece." in shown(page.make)  # it may have been cut from another one
    stroke(Qt.Key.Key_Return)
    session = page.model.session
    stroke("1", Qt.Key.Key_Return)  # which piece is it? the number that it carries
    for _ in range(12):
        current = session.measuring.current()
        if current is None:
            break
        nominal = next(m.nominal for m in session.measuring.measurands() if m.name == current)
        press(f"{nominal * 1.002:.2f}", Qt.Key.Key_Return)
    assert "Out:" in shown(page.answer)
    assert keys <= 40, keys


def test_wrong_fields_are_marked_and_nothing_is_kept(window: MainWindow) -> None:
    before = window.shop.machines()
    window.go_to("add")
    click(window, "All fields")
    fill("Name", "Gull")
    fill("Bed, along X", "wide")
    tab_to("Save")
    press(Qt.Key.Key_Return)
    page = window.places.currentWidget()
    assert "can't read “wide”" in shown(page)
    assert "Some fields need another look" in shown(page)
    focused = QApplication.focusWidget()
    assert focused is not None
    assert focused.accessibleName() == "Bed, along X"
    assert window.shop.machines() == before


def test_a_machine_is_changed_copied_and_retired(window: MainWindow) -> None:
    window.show_rose("heron")
    QTest.mouseClick(window.rose_page.edit, Qt.MouseButton.LeftButton)
    fill("Name", "Heron the second")
    tab_to("Save")
    press(Qt.Key.Key_Return)
    assert window.shop.machine("heron").name == "Heron the second"
    window.change_machine()
    tab_to("Copy")
    press(Qt.Key.Key_Return)
    names = ["Heron the second", "Swift", "Kingfisher", "Ember", "Heron the second 2"]
    assert [m.name for m in window.shop.machines()] == names
    assert window.machine_uid not in ("heron", "swift")
    window.change_machine()
    tab_to("Retire")
    press(Qt.Key.Key_Return)
    assert [m.name for m in window.shop.machines()] == ["Heron the second", "Swift", "Kingfisher", "Ember"]
    assert window.machine_uid == "heron"


def test_of_many_machines_all_names_are_there_and_the_one_shown_is_in_sight(qtbot: QtBot, shop: Shop) -> None:
    for i in range(2, 12):
        shop.put_machine(replace(shop.machine("heron"), uid=f"heron{i}", name=f"Heron {i}"))
    window = opened(qtbot, shop)
    settle()
    assert "Lately" in shown(window.rose_page)  # what the first picture left out has followed
    cards = window.rail.machines.cards
    assert [c.accessibleName().split(",")[0] for c in cards][-1] == "Heron 11"
    for size in ((1280, 800), (1024, 700)):
        window.resize(*size)
        settle()
        for card in (cards[-1], cards[0]):
            window.show_rose(card.uid)
            settle()
            check_looks(window, size)
            assert card.isChecked()
    cards[-1].setFocus()  # the keyboard goes through all of them, and what it reaches comes into sight
    press(Qt.Key.Key_Space)
    settle()
    assert window.machine_uid == "heron11"
    assert cards[-1] is window.rail.machines.cards[-1], "the cards stay, and with them the keyboard"
    assert cards[-1].hasFocus() or window.rose_page.rose.hasFocus()
    check_rail(window)
    window.resize(1280, 2000)
    settle()
    assert min(card.height() for card in cards) > th.HAND, "whole where there is room"


def test_of_every_kind_of_machine_a_card_has_all_the_words() -> None:
    application("light")
    metrics, room = QFontMetrics(th.font(15)), rail.WIDE - 2 * rail.SIDE - rail.BESIDE
    for kind in MachineKind:
        lines = rail.in_two(kind.said, metrics, room)
        assert " ".join(lines) == kind.said
        assert max(map(metrics.horizontalAdvance, lines)) <= room
    assert len(rail.in_two(MachineKind.PRINT_AND_CUT.said, metrics, room)) == 2
    assert rail.in_two("a-word-that-is-longer-than-the-card", metrics, room) == ["a-word-that-is-longer-than-the-card"]


def test_all_eight_standpoints_by_keys_and_by_mouse(qtbot: QtBot) -> None:
    application("light")
    picture = StandpointPicture()
    qtbot.addWidget(picture)
    picture.resize(360, 320)
    picture.show()
    seen = set()
    for _ in range(2):
        for _ in range(4):
            seen.add((picture.standpoint.x_points, picture.standpoint.y_points))
            qtbot.keyClick(picture, Qt.Key.Key_Left)
        qtbot.keyClick(picture, Qt.Key.Key_Up)
    assert len(seen) == 8
    bed = picture._bed()
    middle = bed.center()
    sides = {"right": (bed.right() - 5, middle.y()), "left": (bed.left() + 5, middle.y())}
    sides |= {"away": (middle.x(), bed.top() + 5), "toward": (middle.x(), bed.bottom() - 5)}
    for side, where in sides.items():
        at = QPointF(*where).toPoint()
        qtbot.mouseClick(picture, Qt.MouseButton.LeftButton, pos=at)
        if picture.standpoint.x_points != side:
            qtbot.mouseClick(picture, Qt.MouseButton.LeftButton, pos=at)
        assert picture.standpoint.x_points == side
        y = picture.standpoint.y_points
        qtbot.mouseClick(picture, Qt.MouseButton.LeftButton, pos=at)
        assert picture.standpoint == Standpoint(
            side, {"right": "left", "left": "right", "away": "toward", "toward": "away"}[y]
        )
        assert picture.standpoint.words("x", 1) in picture.accessibleName()


@pytest.mark.parametrize(
    ("x", "y"),
    [(x, y) for x, y in product(DIRECTIONS, DIRECTIONS) if {x, y} & {"left", "right"} and {x, y} & {"away", "toward"}],
)
def test_the_piece_is_drawn_from_every_standpoint(window: MainWindow, x: str, y: str) -> None:
    """Corners turn with the machine, dimension lines lie outside the piece, no two callouts overlap."""
    from keen_compass.machines.profile import Machine

    heron = window.shop.machine("heron")
    window.shop.put_machine(Machine.from_json(heron.to_json() | {"standpoint": {"x_points": x, "y_points": y}}))
    window.show_rose("heron")
    window.begin("rectangle")
    session = window.round_page.model.session
    stand_in.make(session)
    session.after_making()
    QApplication.processEvents()
    canvas = window.round_page.measure.surface
    frame = canvas._frame()
    right, away = Standpoint(x, y).to_view(1, 0)
    moved = frame.at(1, 0) - frame.at(0, 0)
    assert (moved.x(), -moved.y()) == pytest.approx((right * frame.scale, away * frame.scale))
    boxes = [b.geometry() for b in canvas.boxes.values()]
    for i, a in enumerate(boxes):
        assert canvas.rect().contains(a)
        assert not any(a.intersects(b) for b in boxes[i + 1 :])


# Instruments, logbook, events


def test_an_instrument_is_added_and_changed(window: MainWindow) -> None:
    window.go_to("instruments")
    page = window.places.currentWidget()
    assert isinstance(page, InstrumentsPage)
    assert "repeats in the logbook differ" in shown(page)
    tab_to("Add an instrument")
    press(Qt.Key.Key_Return)
    fill("Name", "Pocket rule")
    choose("Kind", "steel rule")
    fill("Smallest division", "0")
    tab_to("Save")
    press(Qt.Key.Key_Return)
    assert "larger than 0" in shown(page)
    fill("Smallest division", "0,5")
    fill("Its own check is due", "2020-01-01")
    tab_to("Save")
    press(Qt.Key.Key_Return)
    added = window.shop.instruments()[-1]
    assert (added.name, added.resolution, added.both_ends) == ("Pocket rule", 0.5, True)
    assert "was due on 1 Jan 2020" in shown(page)


def test_the_logbook_filters_and_writes(window: MainWindow, tmp_path: Path) -> None:
    window.show_rose("heron")
    window.go_to("logbook")
    page = window.places.currentWidget()
    assert isinstance(page, LogbookPage)
    all_of_heron = page.model.rowCount()
    page.verdict.setFocus()
    choose("Verdict", "out")
    assert 0 < page.model.rowCount() < all_of_heron
    assert {key[VERDICT] for key in page.model.keys} == {"out"}
    choose("Verdict", "any verdict")
    row = next(i for i in range(all_of_heron) if page.model.entry(i).kind == "signed")  # type: ignore[union-attr]
    at = page.list.visualRect(page.model.index(row)).center()
    QTest.mouseClick(page.list.viewport(), Qt.MouseButton.LeftButton, pos=at)
    assert page.record.isEnabled()
    page.file.setText(str(tmp_path / "book"))
    for button, suffix in ((page.csv, "csv"), (page.json, "json"), (page.record, "pdf")):
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        assert (tmp_path / f"book.{suffix}").stat().st_size > 500
    QTest.mouseClick(page.take, Qt.MouseButton.LeftButton)
    assert "0 rounds imported" in page._said.text()
    page.file.setText("  ")
    QTest.mouseClick(page.csv, Qt.MouseButton.LeftButton)
    assert "Name a file first" in page._said.text()
    page.file.setText("/nowhere/at/all/book")
    QTest.mouseClick(page.csv, Qt.MouseButton.LeftButton)
    assert "Choose another folder" in page._said.text()
    press(Qt.Key.Key_Escape)
    assert window.places.currentWidget() is window.rose_page


def test_what_happened_makes_values_recheck(window: MainWindow) -> None:
    window.show_rose("heron")
    QTest.mouseClick(window.rose_page.note, Qt.MouseButton.LeftButton)
    choose("What happened", "Controller updated")
    tab_to("In a few words")
    press("New firmware on the bench", Qt.Key.Key_Return)
    assert "New firmware on the bench" in shown(window.rose_page)
    # Out stays out: it is worse than having to be looked at again.
    assert states(window.shop, "heron") == [State.OUT, State.OUT]
    assert states(window.shop, "heron", ("y_backlash", "x_drive")) == [State.RECHECK, State.IN]


def test_a_round_left_for_long_says_so(window: MainWindow) -> None:
    window.show_rose("heron")
    window.begin("rectangle")
    later = datetime.now(UTC) + timedelta(days=12, hours=1)
    window.shop.clock = lambda: later.strftime("%Y-%m-%dT%H:%M:%S.%fZ")
    window.back()
    QApplication.processEvents()
    assert "Not touched for 12 days" in shown(window.rose_page)


def test_rounds_on_two_machines_go_on_side_by_side(window: MainWindow) -> None:
    for uid in ("heron", "swift"):
        window.show_rose(uid)
        window.begin("rectangle")
        session = window.round_page.model.session
        if session.making.refusal():
            session.making.new_sheet()
        stand_in.make(session)
        session.after_making()
    window.show_rose("heron")
    under_way = {"heron": "measure", "swift": "measure", "kingfisher": "make"}  # there a print dries
    assert window.shop.steps_under_way() == under_way
    window.begin("rectangle")
    assert window.round_page.model.session.context.machine.name == "Heron"


def test_no_instrument_yet_is_asked_for_and_gives_no_verdict(qtbot: QtBot, tmp_path: Path, window: MainWindow) -> None:
    shop = Shop(tmp_path / "bare.kcshop")
    shop.put_machine(window.shop.machine("heron"))
    for quantity in ("x_steps", "y_steps"):
        held = window.shop.value("heron", quantity)
        assert held is not None
        shop.put_value("heron", quantity, held.stored, "start")
    bare = opened(qtbot, shop)
    bare.begin("rectangle")
    assert "No instrument yet" in shown(bare)
    page = bare.round_page
    page.model.session.making.made()
    page.model.session.after_making()
    page.model.session.measuring.identify("")
    measuring = page.model.session.measuring
    measuring.type(f"{measuring.measurands()[0].nominal:.1f}")
    assert measuring.keep()  # what is read is kept, with whatever it was read
    assert measuring.answer() is None
    assert "choose one above" in shown(bare)
    page.measure.take_focus()
    press("2")
    assert [i.name for i in shop.instruments()] == ["Caliper 200 mm"]
    assert measuring.answer() is not None
    bare.close()


# The desktop


def test_the_shop_floor_view_is_typed_into(window: MainWindow) -> None:
    window.show_rose("heron")
    window.begin("rectangle")
    session = window.round_page.model.session
    stand_in.make(session)
    session.after_making()
    session.measuring.identify("")
    QApplication.processEvents()
    window.round_page.measure.take_focus()
    press(Qt.Key.Key_F12)
    floor = window.round_page.floor
    assert floor.isVisible()
    assert not window.rail.isVisible()
    for _ in range(12):
        press(stand_in.shows(session) or "", Qt.Key.Key_Return)
    assert "All read" in shown(floor)
    assert "Out:" in shown(floor)
    assert floor.edit.font().pixelSize() >= 100
    press(Qt.Key.Key_Escape)
    assert not floor.isVisible()
    assert window.rail.isVisible()


@pytest.mark.parametrize(
    "place", ["rose", "make", "logbook", "instruments", "machine", "stock", "together", "controller"]
)
def test_f1_explains_the_screen(window: MainWindow, place: str) -> None:
    window.show_rose("heron")
    if place == "make":
        window.begin("rectangle")
    elif place in ("logbook", "instruments", "stock", "together", "controller"):
        window.go_to(place)
    elif place == "machine":
        window.change_machine()
    QApplication.processEvents()
    assert window.place_shown() == place
    press(Qt.Key.Key_F1)
    manual = window.findChild(ManualWindow)
    assert manual is not None and manual.isVisible()
    assert manual.page.toPlainText().startswith(topic("rectangle" if place == "make" else place).title)
    manual.close()


def test_a_dropped_shop_file_is_opened(qtbot: QtBot, window: MainWindow, tmp_path: Path, shop_file: Path) -> None:
    other = tmp_path / "other.kcshop"
    Shop(other).close()
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(other))])
    where, none = QPointF(300, 300), Qt.KeyboardModifier.NoModifier
    enter = QDragEnterEvent(where.toPoint(), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, none)
    window.dragEnterEvent(enter)
    assert enter.isAccepted()
    window.dropEvent(QDropEvent(where, Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, none))
    assert [w.shop.file for w in _windows if w.isVisible()] == [other]
    for w in list(_windows):
        w.close()
    data.setUrls([QUrl.fromLocalFile(str(tmp_path / "picture.png"))])
    enter = QDragEnterEvent(where.toPoint(), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, none)
    enter.ignore()
    window.dragEnterEvent(enter)
    assert not enter.isAccepted()


def test_the_desktops_colours_are_followed_unless_chosen(window: MainWindow) -> None:
    window.choose_theme("dark")
    assert th.theme() is th.DARK
    window.follow_desktop()
    assert th.theme() is th.DARK
    window.choose_theme("")
    assert th.theme() is th.LIGHT


@pytest.mark.parametrize(
    ("tool", "words"),
    [
        ("desktop-file-validate", ["keen-compass.desktop"]),
        ("appstreamcli", ["validate", "--no-net", "keen-compass.metainfo.xml"]),
    ],
)
def test_desktop_files_are_valid(tool: str, words: list[str]) -> None:
    done = subprocess.run([tool, *words], cwd=DATA, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout + done.stderr


def test_the_desktop_files_can_be_installed_and_removed(tmp_path: Path) -> None:
    script = DATA.parent / "tools" / "install-desktop.sh"
    env = {"HOME": str(tmp_path), "PATH": "/usr/bin:/bin"}
    subprocess.run([str(script)], env=env, check=True)
    share = tmp_path / ".local" / "share"
    assert (share / "applications" / "keen-compass.desktop").exists()
    assert (tmp_path / ".local" / "bin" / "keen-compass").resolve() == DATA.parent / "keen-compass"
    subprocess.run([str(script), "--remove"], env=env, check=True)
    assert not (share / "applications" / "keen-compass.desktop").exists()
    shutil.rmtree(tmp_path / ".local")


@pytest.mark.parametrize("size", [(1024, 700), (1280, 800)])
@pytest.mark.parametrize("place", ["logbook", "instruments", "add"])
def test_nothing_is_cut_in_the_other_places(window: MainWindow, size: tuple[int, int], place: str) -> None:
    window.resize(*size)
    window.go_to(place)
    for _ in range(3):
        QApplication.processEvents()
    page = window.places.currentWidget()
    assert (window.width(), window.height()) == size
    assert isinstance(page, (LogbookPage, InstrumentsPage, NewMachinePage))
    for widget in page.findChildren(QWidget):
        if widget.isVisible() and isinstance(widget, QPushButton):
            assert widget.width() >= widget.sizeHint().width() - 1, widget.text()
        if (
            widget.isVisible()
            and isinstance(widget, (QPushButton, QLineEdit, QComboBox))
            and widget.parent() is not None
        ):
            inside_combo = isinstance(widget.parent(), QComboBox)
            assert inside_combo or widget.accessibleName(), f"{widget} has no accessible name"


def test_one_more_equal_piece_is_offered_where_it_helps(window: MainWindow) -> None:
    """Too coarse to tell: the button leads to Make, and both pieces then stand in the title and in the answer."""
    heron = window.shop.machine("heron")
    window.shop.put_machine(replace(heron, scatter=(0.15, 14.0), tolerances={"x_steps": 0.9, "y_steps": 0.9}))
    window.show_rose("heron")
    window.begin("rectangle")
    page = window.round_page
    assert page is not None
    session = page.model.session
    session.making.new_sheet()
    session.making.choose(tool="Pen in the spindle", passes=1)
    session.making.choose_size(300.0)
    stand_in.make(session)
    session.after_making()
    assert not page.measure.strip.another.isVisible()
    first = session.context.pieces[0].number
    press(str(first), Qt.Key.Key_Return)  # which piece it is
    for _ in range(4):
        press(stand_in.shows(session) or "", Qt.Key.Key_Return)
    assert "Can’t tell" in shown(page)
    QTest.mouseClick(page.measure.strip.another, Qt.MouseButton.LeftButton)
    assert window.place_shown() == "make"
    assert "beside the last: they count together." in shown(page)
    QTest.mouseClick(page.make.cut, Qt.MouseButton.LeftButton)
    assert window.place_shown() == "measure"
    assert f"piece {first + 1} with {first}" in shown(page)
