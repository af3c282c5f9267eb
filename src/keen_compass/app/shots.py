"""Pictures of every main view, made from the demo shop, with no display."""

from __future__ import annotations

import math
import tempfile
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path

from PySide6.QtCore import QEventLoop, QSettings
from PySide6.QtWidgets import QApplication

from keen_compass.app.controller.cable import PRACTICE
from keen_compass.app.controller.page import ControllerPage
from keen_compass.app.glance.page import GlancePage
from keen_compass.app.port_link import LinkState
from keen_compass.app.shots_sheets import (
    begin,
    blade_row,
    camera_pictures,
    feed_bands,
    fitted_file,
    from_picture,
    gaps_beside,
    matched_sheet,
    over_print,
    print_scale,
    proof_dries,
    proof_job,
    proof_verdict,
    put_back,
    registered,
    second_tool,
    session_in,
    sheet_aimed_at,
    sheet_itself,
    verniers_read,
    what_is_wrong,
    wrong_print,
)
from keen_compass.app.start import show_window
from keen_compass.app.stock.page import StockPage
from keen_compass.app.window import MainWindow
from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.practice import stand_in
from keen_compass.practice.playing import correct_all, cut, read_all
from keen_compass.practice.shipped import open_demo
from keen_compass.procedures.stages import Makes, Step
from keen_compass.quantities.lengths import UNITS_MM
from keen_compass.rounds import RoundSession
from keen_compass.shop.store import Shop


def take_shots(folder: Path, size: tuple[int, int]) -> None:
    """Write one PNG per view into `folder`. Raises InputError where that can't be done."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise InputError(tr("can't be made: {strerror}", strerror=error.strerror), str(folder)) from None
    with tempfile.TemporaryDirectory(prefix="keen-compass-shots-") as scratch:
        QSettings.setPath(QSettings.Format.NativeFormat, QSettings.Scope.UserScope, scratch)  # not the user's own
        window = show_window(open_demo(Path(scratch)), "Lantern Quay", size)
        for name, prepare in VIEWS:
            prepare(window)
            _save(window, folder / f"{name}.png")
        window.close()
        QSettings().remove("window")
        empty = show_window(Shop(Path(scratch) / "empty.kcshop"), "New shop", size)
        _save(empty, folder / "state-empty-shop.png")
        empty.close()


def _save(window: MainWindow, file: Path) -> None:
    _settle()
    if not window.grab().save(str(file)):
        raise InputError(tr("the picture can't be written; is there room?"), str(file))


def _rose(window: MainWindow) -> None:
    window.show_rose("heron")
    window.next_piece.now()


def _make(window: MainWindow) -> None:
    window.begin("rectangle")


def _measure(window: MainWindow) -> None:
    session = session_in(window)
    session.making.new_sheet()
    session.making.choose_size(session.making.proposed_size())
    cut(session)
    session.measuring.identify("")
    read_all(session, 9)
    shown = stand_in.shows(session) or ""
    session.measuring.type(shown[:-1])


def _correct(window: MainWindow) -> None:
    session = session_in(window)
    read_all(session)
    session.go(Step.CORRECT)
    first = session.measuring.findings()[0]
    session.correcting.send_to_stand_in(first.quantity, session.correcting.proposed(first))


def _confirm_make(window: MainWindow) -> None:
    session = session_in(window)
    correct_all(session)
    session.go(Step.CONFIRM)


def _confirm(window: MainWindow) -> None:
    session = session_in(window)
    cut(session)
    read_all(session)


def _rose_after(window: MainWindow) -> None:
    session_in(window).sign("")
    window.show_rose("heron")


def _reading(
    window: MainWindow, procedure: str, quantity: str, count: int | None = None, machine: str = "heron"
) -> None:
    """A run or piece of which so many readings are kept, and the next one is half typed."""
    begin(window, procedure, quantity, machine)
    session = session_in(window)
    if session.context.procedure.makes is not Makes.NOTHING:
        cut(session)
        session.measuring.identify("")
    read_all(session, count)
    if session.measuring.current():
        session.measuring.type((stand_in.shows(session) or "")[:-1])


def _from_scan(window: MainWindow) -> None:
    """The plate that was just measured, on a scanner's glass."""
    session = session_in(window)
    read_all(session)
    assert window.round_page is not None
    take = stand_in.scan(session)
    if take is not None:
        session.seen_piece.look(take(), "scan.jpg", lambda run: run())
    window.round_page.refresh()


def _by_hand(window: MainWindow) -> None:
    """What no controller holds is set right on the machine itself."""
    session = session_in(window)
    read_all(session)
    session.go(Step.CORRECT)


def _logbook(window: MainWindow) -> None:
    window.show_rose("heron")
    window.go_to("logbook")


def _stock(window: MainWindow) -> None:
    window.show_rose("ember")
    window.go_to("stock")
    page = window.places.currentWidget()
    assert isinstance(page, StockPage)
    page.chosen_chart.button(1).click()


def _together(window: MainWindow) -> None:
    window.show_rose("heron")
    window.go_to("together")


def _worn(window: MainWindow) -> None:
    window.show_rose("ember")
    window.begin("kerf-square", "kerf")


def _machine(window: MainWindow) -> None:
    window.show_rose("heron")
    window.change_machine()


def _swift_measure(window: MainWindow) -> None:
    window.show_rose("swift")
    window.begin("rectangle")
    session = session_in(window)
    session.making.choose(instrument="rule-60in")
    session.making.choose_size(session.making.proposed_size())
    cut(session)
    read_all(session, 6)


def _identity(window: MainWindow) -> None:
    """A piece that is not the one the round waits for."""
    window.show_rose("heron")
    window.begin("rectangle")
    session = session_in(window)
    cut(session)
    bar = window.round_page.measure.identity  # type: ignore[union-attr]
    bar.line.setText("4")
    bar._give()


def _no_port(window: MainWindow) -> None:
    """A machine whose controller can't be reached: the line is copied, what it shows is typed back."""
    window.shop.put_stand_in("kingfisher", {})
    window.show_rose("kingfisher")
    window.begin("rectangle")
    session = session_in(window)
    session.making.choose(instrument="caliper-600")
    session.making.new_sheet()
    session.making.choose_size(session.making.proposed_size())
    session.making.made()
    session.after_making()
    shape, instrument = session.measuring.shape(), session.context.instrument
    assert instrument is not None
    unit = UNITS_MM[instrument.unit]
    while current := session.measuring.current():
        session.measuring.type(f"{shape.nominal(current) * 1.0041 / unit:.3f}")
        session.measuring.keep()
    session.go(Step.CORRECT)
    page = window.round_page
    page.correct.cards["x_steps"].shows.setText("double")  # type: ignore[union-attr]
    page.correct.cards["x_steps"]._typed()  # type: ignore[union-attr]


def _left_alone(window: MainWindow) -> None:
    """A round left alone for twelve days, on a machine with no instrument chosen."""
    now = window.shop.clock
    past = datetime.now(UTC) - timedelta(days=12)
    window.shop.clock = lambda: past.strftime("%Y-%m-%dT%H:%M:%S.%fZ")
    window.show_rose("kingfisher")
    _session_given_up(window)
    window.begin("rectangle")
    session_in(window).making.choose(instrument="")
    window.show_rose("kingfisher")
    window.shop.clock = now


def _session_given_up(window: MainWindow) -> None:
    for kept in window.shop.open_rounds("kingfisher"):
        RoundSession(window.shop, kept).give_up("Another film is on the machine")


def _no_instrument(window: MainWindow) -> None:
    """Nothing to measure with: it is asked for, and no verdict is given."""
    window.begin("rectangle")


def _full_bed(window: MainWindow) -> None:
    """No room for another piece."""
    session = session_in(window)
    while not session.making.refusal():
        session.making.made()
    session.go(Step.MAKE)


def _odd(window: MainWindow) -> None:
    """Readings in inches where mm were expected."""
    session = session_in(window)
    session.making.new_sheet()
    cut(session)
    session.measuring.identify("")
    for text in ("20.47", "15.36", "6.14", "4.61"):
        session.measuring.type(text)
        session.measuring.keep()


def _controller(window: MainWindow) -> None:
    """A settings file in which someone changed two numbers."""
    window.show_rose("heron")
    heron, held = window.shop.machine("heron"), window.shop.values("heron")
    numbers = {q: heron.place(q).number(v.stored) for q, v in held.items() if heron.in_controller(q)}
    numbers |= {"x_steps": "53.202", "y_backlash": "0.500"}
    motion = [f"{heron.place(q).key} = {number}" for q, number in numbers.items()]
    head = ["PROBE_HEIGHT = 19.85 ; mm", "TOOL_CHANGE_X = 20.0", "TOOL_CHANGE_Y = 880.0"]
    lines = ["; Heron, settings", "", "[motion]", *motion, "RAPID = 12000", "", "[head]", *head, ""]
    file = Path(tempfile.gettempdir()) / "heron.cfg"
    file.write_text("\n".join(lines))
    window.go_to("controller")
    page = window.places.currentWidget()
    assert isinstance(page, ControllerPage)
    page.file.setText(str(file))
    page.read()
    page.keep.click()
    page.text.find("19.85")


def _cable(window: MainWindow) -> None:
    """Connected, and moved by hand."""
    window.show_rose("heron")
    window.go_to("controller")
    page = window.places.currentWidget()
    assert isinstance(page, ControllerPage)
    page.show_cable()
    page.cable.port.setEditText(PRACTICE)
    page.cable.connect_now()
    link = window.link_of("heron")
    _wait(lambda: link.trouble is not None or (page.model.by_cable and link.state is LinkState.READY))
    if link.trouble is not None:  # no terminal is to be had: that is what the page shows
        return
    link.jog("x", 412.5, 6000.0)
    link.jog("y", 96.25, 6000.0)
    _wait(lambda: abs(page.cable.pad.at.get("y", 0.0) - 96.25) < 0.05)


def _glance(window: MainWindow) -> None:
    """The whole shop, its days ahead known."""
    window.show_rose("heron")
    window.go_to("glance")
    page = window.places.currentWidget()
    assert isinstance(page, GlancePage)
    _wait(lambda: bool(page.days), math.inf)


def _glance_from_afar(window: MainWindow) -> None:
    """A line for each machine."""
    _glance(window)
    window.toggle_floor()


VIEWS: tuple[tuple[str, Callable[[MainWindow], None]], ...] = (
    ("rose", _rose),
    ("together", _together),
    ("round-make", _make),
    ("round-measure", _measure),
    ("round-correct", _correct),
    ("round-confirm-make", _confirm_make),
    ("round-confirm", _confirm),
    ("rose-after", _rose_after),
    ("drive-train", lambda window: _reading(window, "drive-train", "x_drive")),
    ("travel-run", lambda window: _reading(window, "travel-run", "x_steps", 47)),
    ("backlash-run", lambda window: begin(window, "backlash", "x_backlash")),
    ("backlash", lambda window: _reading(window, "backlash", "x_backlash", 3)),
    ("squareness", lambda window: _reading(window, "squareness", "", 9)),
    ("squareness-correct", _by_hand),
    ("home", lambda window: _reading(window, "home", "", 5)),
    ("head-tram", lambda window: _reading(window, "bed", "x_tram", 3)),
    ("bed", lambda window: _reading(window, "bed", "bed", 17)),
    ("speed", lambda window: _reading(window, "speed", "y_speed", 9)),
    ("reference-lines", lambda window: begin(window, "reference-lines")),
    ("kerf", lambda window: _reading(window, "kerf-square", "kerf", 12)),
    ("from-scan", _from_scan),
    ("feed-tracking", lambda window: _reading(window, "travel-run", "tracking", 12, "swift")),
    ("plotter-measure", _swift_measure),
    ("shop-floor", lambda window: window.toggle_floor()),
    ("sheet-print", lambda window: begin(window, "pointer", "sensor_x", "kingfisher")),
    ("state-fits-to-page", wrong_print),
    ("sheet-aim", sheet_aimed_at),
    ("matching", matched_sheet),
    ("verniers", verniers_read),
    ("sheet-seen", sheet_itself),
    ("from-picture", from_picture),
    ("registration", registered),
    ("second-tool", second_tool),
    ("second-tool-gaps", gaps_beside),
    ("state-put-back", put_back),
    ("camera", camera_pictures),
    ("blade-row", blade_row),
    ("bands", feed_bands),
    ("state-print-dries", proof_dries),
    ("proof-job", proof_job),
    ("proof-verdict", proof_verdict),
    ("fit-file", fitted_file),
    ("wrong", what_is_wrong),
    ("glance", _glance),
    ("glance-from-afar", _glance_from_afar),
    ("print-scale", print_scale),
    ("print-scale-crosses", over_print),
    ("pointer-quick", lambda window: begin(window, "pointer", "pointer_x")),
    ("state-other-piece", _identity),
    ("state-bed-full", _full_bed),
    ("state-odd-readings", _odd),
    ("state-no-port", _no_port),
    ("state-left-alone", _left_alone),
    ("state-no-instrument", _no_instrument),
    ("stock", _stock),
    ("state-worn", _worn),
    ("logbook", _logbook),
    ("machine", _machine),
    ("instruments", lambda window: window.go_to("instruments")),
    ("controller", _controller),
    ("cable", _cable),
)


def _wait(done: Callable[[], bool], seconds: float = 10.0) -> None:
    """For what comes over a cable, or is worked out beside the window."""
    end = time.monotonic() + seconds
    while not done() and time.monotonic() < end:
        _settle()
        time.sleep(0.005)  # who it waits for needs the processor


def _settle() -> None:
    app = QApplication.instance()
    assert app is not None
    for _ in range(4):
        app.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 50)
