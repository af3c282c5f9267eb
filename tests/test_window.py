"""The real window, driven by real key and mouse events."""

from __future__ import annotations

from collections.abc import Callable
from itertools import combinations
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPoint, QPointF, QSettings, Qt
from PySide6.QtGui import QAccessible, QAccessibleAnnouncementEvent, QColor, QImage, QPainter
from PySide6.QtWidgets import QApplication, QComboBox, QLineEdit, QPushButton, QWidget
from pytestqt.qtbot import QtBot
from skimage.color import deltaE_ciede2000, rgb2lab

from driving import click as pressed
from driving import focus, press, shown, states, tab_to, typed_then_killed
from keen_compass.app import aloud, start
from keen_compass.app import theme as th
from keen_compass.app.other_shop import open_shop
from keen_compass.app.parts import draw_state
from keen_compass.app.shop.new_machine import NewMachinePage
from keen_compass.app.window import MainWindow
from keen_compass.machines.profile import Machine
from keen_compass.practice import stand_in
from keen_compass.procedures.stages import Step
from keen_compass.rounds import RoundSession
from keen_compass.shop.standing import State
from keen_compass.shop.store import Shop
from looks import check_looks, settle


def session_of(window: MainWindow) -> RoundSession:
    return window.round_page.model.session  # type: ignore[union-attr]


def type_readings(qtbot: QtBot, window: MainWindow) -> None:
    for _ in range(12):
        press(stand_in.shows(session_of(window)) or "", Qt.Key.Key_Return)
    assert session_of(window).measuring.current() is None


def bear_number(qtbot: QtBot, window: MainWindow) -> None:
    """Say which piece is in the hand: first another one, then the right one."""
    piece = session_of(window).context.piece
    assert piece is not None
    assert focus() == "Number on the piece"
    press("999", Qt.Key.Key_Return)
    assert "that one says 999" in shown(window.round_page)
    press(Qt.Key.Key_Backspace, Qt.Key.Key_Backspace, Qt.Key.Key_Backspace)
    press(str(piece.number), Qt.Key.Key_Return)


def test_a_whole_round_by_keyboard_alone(qtbot: QtBot, window: MainWindow, shop_file: Path) -> None:
    press(Qt.Key.Key_Right, Qt.Key.Key_Return)  # the rose has the keyboard, at the drive train
    qtbot.waitUntil(lambda: "Practice cut" in focus())
    tab_to("New sheet")
    press(Qt.Key.Key_Return)
    tab_to("Practice cut")
    press(Qt.Key.Key_Return)
    bear_number(qtbot, window)
    assert focus().startswith("width")
    type_readings(qtbot, window)
    assert focus() == "To Correct"
    press(Qt.Key.Key_Return)
    session = session_of(window)
    assert session.step is Step.CORRECT
    for finding in session.measuring.findings():
        assert "what the controller shows now" in focus()
        press(session.correcting.proposed(finding), Qt.Key.Key_Return)
    assert focus() == "To Confirm"
    press(Qt.Key.Key_Return)
    assert "Practice cut" in focus()
    press(Qt.Key.Key_Return)
    bear_number(qtbot, window)
    type_readings(qtbot, window)
    assert focus() == "Sign off"
    press(Qt.Key.Key_Return)
    assert window.places.currentWidget() is window.rose_page
    assert states(window.shop, "heron") == [State.IN, State.IN]
    window.close()
    again = Shop(shop_file)
    assert states(again, "heron") == [State.IN, State.IN]
    again.close()


def click(qtbot: QtBot, widget: QWidget, at: QPoint | None = None) -> None:
    assert widget.isVisible(), f"{widget.accessibleName()} is not to be seen"
    qtbot.mouseClick(widget, Qt.MouseButton.LeftButton, pos=at or QPoint())
    QApplication.processEvents()


def test_a_whole_round_by_mouse(qtbot: QtBot, window: MainWindow) -> None:
    rose = window.rose_page.rose
    middle, R = rose.geometry_of()
    along = rose._direction(1)  # X steps
    click(qtbot, rose, (middle + along * (0.4 * R)).toPoint())
    page = window.round_page
    click(qtbot, page.make.sheet)
    proposed = session_of(window).context.choices.size
    qtbot.mousePress(page.make.slider, Qt.MouseButton.LeftButton, pos=QPoint(60, 20))
    assert session_of(window).context.choices.size < proposed
    qtbot.mouseRelease(page.make.slider, Qt.MouseButton.LeftButton, pos=QPoint(60, 20))
    window.menus.undo.trigger()
    assert session_of(window).context.choices.size == proposed
    click(qtbot, page.make.cut)
    click(qtbot, page.measure.identity.none)
    click(qtbot, page.measure.surface.boxes["short_width"])
    assert session_of(window).measuring.current() == "short_width"
    for _ in range(12):
        click(qtbot, page.measure.strip.practice)
    click(qtbot, page.measure.strip.onward)
    for card in page.correct.cards.values():
        click(qtbot, card.send)
    click(qtbot, page.correct.onward)
    click(qtbot, page.make.cut)
    for _ in range(12):
        click(qtbot, page.measure.strip.practice)
    click(qtbot, page.measure.strip.onward)
    assert states(window.shop, "heron") == [State.IN, State.IN]


@pytest.fixture
def measuring(qtbot: QtBot, window: MainWindow) -> MainWindow:
    """The window with a fresh piece in front of the calipers."""
    window.begin("rectangle")
    session = session_of(window)
    stand_in.make(session)
    session.after_making()
    session.measuring.identify("")
    QApplication.processEvents()
    window.round_page.measure.take_focus()
    return window


def test_a_slip_is_reached_and_read_again_by_keyboard(qtbot: QtBot, measuring: MainWindow) -> None:
    session = session_of(measuring)
    while name := session.measuring.current():
        read = float(stand_in.shows(session) or "")
        press(f"{read + 3 * (name == 'short_height'):.2f}", Qt.Key.Key_Return)
    doubtful = {name for f in session.measuring.findings() for name in f.doubtful}
    assert "short_height" in doubtful and "width" not in doubtful
    assert focus() == "To Correct"
    press(Qt.Key.Key_Up)
    assert session.measuring.current() in doubtful


@pytest.mark.parametrize("text", ["abc", "-4", "1e400", "12 1/0"])
def test_bad_readings_are_marked_at_the_callout(qtbot: QtBot, measuring: MainWindow, text: str) -> None:
    press(text, Qt.Key.Key_Return)
    edit = QApplication.focusWidget()
    assert isinstance(edit, QLineEdit)
    assert edit.text() == text
    canvas = measuring.round_page.measure.surface
    assert canvas._complaint.isVisible()
    assert canvas._complaint.text()
    assert canvas.rect().contains(canvas._complaint.geometry())


def test_ten_megabytes_of_paste_are_answered_in_words(qtbot: QtBot, measuring: MainWindow) -> None:
    QApplication.clipboard().setText("7" * 10_000_000)
    press(Qt.Key.Key_V, modifier=Qt.KeyboardModifier.ControlModifier)
    assert "10,000,000 characters pasted" in measuring.round_page.measure.surface._complaint.text()
    assert len(session_of(measuring).measuring.draft) == 200
    QApplication.clipboard().clear()


def test_stray_digits_backspace_skip_and_undo(qtbot: QtBot, measuring: MainWindow) -> None:
    page, session = measuring.round_page, session_of(measuring)
    page.measure.strip.skip.setFocus()
    press("5")  # a caliper that types does not know where the keyboard is
    press("20.1", Qt.Key.Key_Return)
    assert session.measuring.callouts()[0].readings[0].text == "520.1"
    press(Qt.Key.Key_Backspace)
    assert not session.measuring.callouts()[0].readings
    press(Qt.Key.Key_Z, modifier=Qt.KeyboardModifier.ControlModifier)
    assert session.measuring.callouts()[0].readings
    press(Qt.Key.Key_F9)
    assert session.measuring.callouts()[1].skipped
    assert session.measuring.current() == "short_width"
    press(Qt.Key.Key_Up)
    assert session.measuring.current() == "height"
    page.measure.strip.skip.setFocus()
    press(Qt.Key.Key_Down)  # from a button it leads there, too
    assert session.measuring.current() == "short_width"
    page.measure.strip.skip.setFocus()
    press(Qt.Key.Key_7, modifier=Qt.KeyboardModifier.KeypadModifier)
    assert session.measuring.draft == "7"
    combo = QComboBox(page.measure)
    combo.addItems(["first", "second"])
    combo.show()
    combo.setFocus()
    press(Qt.Key.Key_Down)  # a list keeps its own
    assert combo.currentText() == "second"
    assert session.measuring.current() == "short_width"
    press("4")
    assert session.measuring.draft == "74"


def test_the_answer_follows_every_keystroke(qtbot: QtBot, measuring: MainWindow) -> None:
    type_passes = 4
    for _ in range(type_passes):
        press(stand_in.shows(session_of(measuring)) or "", Qt.Key.Key_Return)
    card = measuring.round_page.answer.cards["x_steps"]
    seen = set()
    width = session_of(measuring).measuring.measurands()[0].nominal
    for key in f"{width:.0f}.2":
        press(key)
        seen.add(card._new.text())
    assert len(seen) >= 3


def test_odd_readings_are_asked_about_and_can_be_confirmed(qtbot: QtBot, measuring: MainWindow) -> None:
    width, *others = (c.measurand.nominal for c in session_of(measuring).measuring.callouts())
    for text in (f"{width / 25.4:.2f}", *(f"{n:g}" for n in others)):  # the first in inches, typed as mm
        press(text, Qt.Key.Key_Return)
    answer = measuring.round_page.answer
    assert "inches" in shown(answer)
    click(qtbot, answer._odd)
    assert not answer._odd.isVisible()


def test_giving_up_asks_why_in_the_page(qtbot: QtBot, measuring: MainWindow) -> None:
    click(qtbot, measuring.round_page.give_up)
    press(Qt.Key.Key_Return)
    assert "Say why" in shown(measuring.round_page)
    press("Storm warning", Qt.Key.Key_Return)
    assert measuring.places.currentWidget() is measuring.rose_page
    assert "Storm warning" in shown(measuring.rose_page)


def test_killed_while_typing_the_half_reading_is_there_again(
    shop: Shop, shop_file: Path, windows: Callable[[Path], MainWindow]
) -> None:  # fmt: skip
    shop.close()
    typed_then_killed(shop_file, "'rectangle'", "519.87", "389.")
    window = windows(shop_file)
    window.begin("rectangle")
    boxes = window.round_page.measure.surface.boxes
    assert boxes["width"].edit.text() == "519.87"
    assert boxes["height"].edit.text() == "389."


def test_a_second_window_follows_what_the_first_does_until_it_is_closed(
    window: MainWindow, windows: Callable[[Path], MainWindow], qtbot: QtBot
) -> None:  # fmt: skip
    window.show_rose("heron")
    second = windows(window.shop.file)
    assert "shown here too" in shown(second)
    second.show_rose("heron")
    assert "Dropped on the quay" not in shown(second)
    window.shop.put_event("heron", "service", "Dropped on the quay")
    qtbot.waitUntil(lambda: "Dropped on the quay" in shown(second.rose_page))
    window.begin("squareness")
    session = window.round_page.model.session
    stand_in.make(session)
    session.after_making()
    session.measuring.identify("")
    second.begin("squareness")
    assert second.round_page is not None
    read = stand_in.shows(session) or ""
    session.measuring.type(read)
    assert session.measuring.keep()
    measure = second.round_page.measure
    qtbot.waitUntil(lambda: read in [box.edit.text() for box in measure.surface.boxes.values()])
    second.go_to("logbook")
    window.show_rose("heron")
    window.shop.put_event("heron", "service", "Oiled all rails")
    logbook = second.places.currentWidget()
    qtbot.waitUntil(lambda: "Oiled all rails" in str(logbook.model.entry(0)))
    pressed(second, "Write here")
    assert "still open" in shown(second)
    assert second.shop.read_only
    window.close()
    before = list(start._windows)
    pressed(second, "Write here")
    (anew,) = [w for w in start._windows if w not in before]
    assert not anew.shop.read_only
    anew.close()


def test_pages_that_were_left_leave_nothing_open(window: MainWindow) -> None:
    open_files = Path("/proc/self/fd")
    counts = []
    for _ in range(4):
        for procedure in ("pointer", "kerf-square", "camera"):
            window.show_rose("swift" if procedure == "pointer" else "heron")
            window.begin(procedure)
            assert window.round_page is not None
            window.show_rose("heron")
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        counts.append(len(list(open_files.iterdir())))
    assert counts[-1] <= counts[0] + 1


def test_a_file_that_is_no_shop_leaves_the_window_as_it_was(window: MainWindow, tmp_path: Path) -> None:
    (tmp_path / "x.kcshop").write_text("no shop at all")
    assert not open_shop(window, tmp_path / "x.kcshop")
    assert "not a shop file" in window._message.text()
    assert window.isVisible()


def test_an_empty_shop_says_what_to_do(tmp_path: Path, windows: Callable[[Path], MainWindow]) -> None:
    empty = windows(tmp_path / "empty.kcshop")
    assert "empty" in empty._message.text()
    assert isinstance(empty.places.currentWidget(), NewMachinePage)  # and the first question is asked


# Looks


@pytest.mark.parametrize("theme", th.THEMES.values(), ids=lambda t: t.name)
def test_every_pair_of_colours_is_readable(theme: th.Theme) -> None:
    least = 7.0 if theme in (th.WHITE, th.BLACK) else 4.5
    for text, surface in th.PAIRS:
        ratio = th.contrast(getattr(theme, text), getattr(theme, surface))
        assert ratio >= least, f"{theme.name}: {text} on {surface} is {ratio:.2f}"


def test_high_contrast_is_chosen_in_the_menu_and_stays(window: MainWindow) -> None:
    view = next(a.menu() for a in window.menuBar().actions() if "View" in a.text())
    try:
        next(a for a in view.actions() if "on black" in a.text()).trigger()
        assert th.theme() is th.BLACK
        assert th.wanted_theme(QApplication.instance(), str(QSettings().value("theme"))) is th.BLACK
        check_looks(window, (1280, 800))
        window.begin("rectangle")
        assert window.round_page is not None
        check_looks(window, (1280, 800))
    finally:
        QSettings().remove("theme")
        window.use_theme(th.LIGHT)


def test_echo_and_verdict_are_announced_to_a_screen_reader(
    qtbot: QtBot, measuring: MainWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    said: list[str] = []

    def noted(page: QWidget, words: str) -> QAccessibleAnnouncementEvent:
        said.append(words)
        return QAccessibleAnnouncementEvent(page, words)

    monkeypatch.setattr(aloud, "QAccessibleAnnouncementEvent", noted)
    QAccessible.setActive(True)
    try:
        read = stand_in.shows(session_of(measuring)) or ""
        press(read)
        qtbot.waitUntil(lambda: any(read in words for words in said))
        press(Qt.Key.Key_Return)
        for _ in range(11):
            press(stand_in.shows(session_of(measuring)) or "", Qt.Key.Key_Return)
        said.clear()
        (first, *_) = measuring.round_page.answer.cards.values()
        qtbot.waitUntil(lambda: any(first.accessibleName() in words for words in said))
        assert "All read" in said[-1]
        tree = QAccessible.queryAccessibleInterface(first)
        assert tree.text(QAccessible.Text.Name) == first.accessibleName()
        assert any(word in first.accessibleName() for word in ("Out", "In", "can’t tell"))
        said.clear()
        measuring.round_page.refresh()
        qtbot.wait(900)
        assert said == []  # nothing is new
    finally:
        QAccessible.setActive(False)


# What is left of linear red, green and blue without one kind of cones (Machado, Oliveira and Fernandes, 2009).
EYES = {
    "protan": ((0.152286, 1.052583, -0.204868), (0.114503, 0.786281, 0.099216), (-0.003882, -0.048116, 1.051998)),
    "deutan": ((0.367322, 0.860646, -0.227968), (0.280085, 0.672501, 0.047413), (-0.011820, 0.042940, 0.968881)),
    "tritan": ((1.255528, -0.076749, -0.178779), (-0.078411, 0.930809, 0.147602), (0.004733, 0.691367, 0.303900)),
}


@pytest.mark.parametrize("eye", EYES)
@pytest.mark.parametrize("theme", th.THEMES.values(), ids=lambda t: t.name)
def test_in_and_out_are_apart_to_colour_blind_eyes(theme: th.Theme, eye: str) -> None:
    """By what CIEDE2000 says of two colours: from about 2 on they differ at a glance."""

    def seen(colour: str) -> np.ndarray:
        part = np.array([int(colour[i : i + 2], 16) for i in (1, 3, 5)]) / 255
        linear = np.where(part <= 0.04045, part / 12.92, ((part + 0.055) / 1.055) ** 2.4)
        left = np.clip(np.array(EYES[eye]) @ linear, 0, 1)
        return rgb2lab(np.where(left <= 0.0031308, 12.92 * left, 1.055 * left ** (1 / 2.4) - 0.055))

    good, bad, warn = (seen(getattr(theme, name)) for name in ("good", "bad", "warn"))
    assert deltaE_ciede2000(good, bad) > 12
    assert deltaE_ciede2000(good, warn) > 12


def test_states_are_told_by_their_shape_without_any_colour(qapp: QApplication) -> None:
    shapes = {}
    for state in State:
        image = QImage(40, 40, QImage.Format.Format_Grayscale8)
        image.fill(255)
        painter = QPainter(image)
        draw_state(painter, state, QPointF(20, 20), 12, QColor("black"), QColor("white"))
        painter.end()
        shapes[state] = np.frombuffer(image.constBits(), np.uint8).reshape(40, -1)[:, :40] < 200
    for a, b in combinations(State, 2):
        assert (shapes[a] ^ shapes[b]).sum() > 0.15 * max(shapes[a].sum(), shapes[b].sum()), (a, b)


def test_contrast_against_the_standards_own_examples() -> None:
    assert th.contrast("#000000", "#ffffff") == pytest.approx(21.0)
    assert th.contrast("#777777", "#ffffff") == pytest.approx(4.48, abs=0.01)


def to_measure(session: RoundSession) -> None:
    stand_in.make(session)
    session.after_making()


def to_correct(session: RoundSession) -> None:
    from keen_compass.practice.playing import read_all

    to_measure(session)
    read_all(session)
    session.go(Step.CORRECT)


@pytest.mark.parametrize("size", [(1024, 700), (1280, 800), (1920, 1200)])
@pytest.mark.parametrize(
    "place", [None, lambda s: None, to_measure, to_correct], ids=["rose", "make", "measure", "correct"]
)
def test_nothing_is_cut_or_overlapping(
    qtbot: QtBot, window: MainWindow, size: tuple[int, int], place: Callable[[RoundSession], None] | None
) -> None:
    """Also with names of thirty letters."""
    heron = window.shop.machine("heron")
    long_name = "Heron in the long hall, bay 12"
    window.shop.put_machine(Machine.from_json(heron.to_json() | {"name": long_name}))
    window.resize(*size)
    window.show_rose("heron")
    if place is not None:
        window.begin("rectangle")
        place(session_of(window))
    settle()
    check_looks(window, size)
    if place is to_measure:
        window.round_page.measure.identity._identify("another one")  # its complaint takes the most room
        settle()
        check_looks(window, size)


def test_every_control_is_reached_by_tab(qtbot: QtBot, measuring: MainWindow) -> None:
    page = measuring.round_page
    wanted = {b for b in page.findChildren(QPushButton) if b.isVisible() and b.isEnabled()}
    seen = set()
    for _ in range(60):
        press(Qt.Key.Key_Tab)
        seen.add(QApplication.focusWidget())
    assert wanted <= seen, [b.text() for b in wanted - seen]


def test_dark_colours_can_be_chosen_in_mid_round(measuring: MainWindow) -> None:
    measuring.use_theme(th.DARK)
    QApplication.processEvents()
    assert measuring.round_page is not None
    assert measuring.grab().toImage().pixelColor(400, 40).lightness() < 80
    measuring.use_theme(th.LIGHT)


def test_a_second_window_on_the_same_shop_only_looks(
    window: MainWindow, shop_file: Path, windows: Callable[[Path], MainWindow]
) -> None:  # fmt: skip
    second = windows(shop_file)
    assert "only be looked at" in shown(second)
    second.begin("rectangle")
    assert second.round_page is None
