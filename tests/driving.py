"""Driving the real window as a person does: keys to whatever has the keyboard, words as they are seen."""

from __future__ import annotations

import signal
import subprocess
import sys
import time
from collections.abc import Callable
from datetime import datetime
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QApplication, QComboBox, QLabel, QWidget
from pytestqt.qtbot import QtBot

from keen_compass.app.controller.page import ControllerPage
from keen_compass.app.start import application
from keen_compass.app.window import MainWindow
from keen_compass.machines.fitted import Stock, Tool
from keen_compass.machines.profile import Machine
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.reports.record import record_of
from keen_compass.shop.standing import State, spokes
from keen_compass.shop.store import Shop
from keen_compass.standin.truth import Truth
from looks import settle

NO_MODIFIER = Qt.KeyboardModifier.NoModifier


def opened(qtbot: QtBot, shop: Shop, *, active: bool = True) -> MainWindow:
    """A window on a shop, with the keyboard unless another is to keep that."""
    application("light")
    window = MainWindow(shop, "Lantern Quay")
    qtbot.addWidget(window)
    window.resize(1280, 800)
    if not active:
        window.show()
        return window
    with qtbot.waitActive(window):
        window.show()
        window.activateWindow()
    return window


def press(*keys: Qt.Key | str, modifier: Qt.KeyboardModifier = NO_MODIFIER) -> None:
    """Keys, one after the other, to whatever has the keyboard then."""
    for key in keys:
        target = QApplication.focusWidget()
        assert target is not None, "nothing has the keyboard"
        if isinstance(key, str):
            QTest.keyClicks(target, key)
        else:
            QTest.keyClick(target, key, modifier)
        QApplication.processEvents()


def focus() -> str:
    """The accessible name of what has the keyboard."""
    widget = QApplication.focusWidget()
    return widget.accessibleName() if widget else ""


def tab_to(name: str) -> None:
    """Tab until the control of that name has the keyboard."""
    for _ in range(120):
        if focus() == name:
            return
        press(Qt.Key.Key_Tab)
    raise AssertionError(f"Tab never reached {name}")


def until(done: Callable[[], bool], seconds: float = 60.0) -> None:
    """Let the window live until something is so."""
    end = time.monotonic() + seconds
    while not done():
        assert time.monotonic() < end, "it never came"
        QApplication.processEvents()
        time.sleep(0.005)
    settle()


def controller_page(window: MainWindow, *, cable: bool = False) -> ControllerPage:
    """Heron's, by keyboard; or its cable."""
    window.show_rose("heron")
    press(Qt.Key.Key_L, modifier=Qt.KeyboardModifier.ControlModifier)
    page = window.places.currentWidget()
    assert isinstance(page, ControllerPage)
    if cable:
        tab_to("Cable")
        press(Qt.Key.Key_Return)
    settle()
    return page


def choose(name: str, words: str) -> None:
    """Go to a choice and through its entries until those words are there."""
    tab_to(name)
    combo = QApplication.focusWidget()
    assert isinstance(combo, QComboBox)
    for _ in range(combo.count()):
        if combo.currentText() == words:
            return
        press(Qt.Key.Key_Down)
    for _ in range(combo.count()):
        if combo.currentText() == words:
            return
        press(Qt.Key.Key_Up)
    raise AssertionError(f"{words} is not in {name}")


def click(within: QWidget, name: str) -> None:
    """The left button on the button of that name, or whose words begin like that."""
    found = [b for b in within.findChildren(QAbstractButton) if b.isVisible() and b.isEnabled()]
    named = [b for b in found if b.accessibleName() == name] or [b for b in found if b.text().strip().startswith(name)]
    assert named, f"no {name} to click among {sorted(b.accessibleName() for b in found)}"
    QTest.mouseClick(named[0], Qt.MouseButton.LeftButton)
    QApplication.processEvents()


# A laser table, as the demo has none.
GLOW = Truth(
    motion={"x": 100.0, "y": 100.0, "z": 100.0}, lost_motion={}, kerf=0.22, scatter=0.004,
    instrument_error=(0.2, 0.1), repeat=0.5, thermal="laser", focus=9.1, depth_of_focus=1.2, clean=(34.0, 66.0),
    pierce=0.2, thickness=3.0, bed_size=(900.0, 600.0),
)  # fmt: skip
CINDER = Machine(
    "cinder", "Cinder", MachineKind.LASER, (900.0, 600.0), tools=(Tool("lens", 0.2, uid="lens"),), mounted="lens",
    stock=Stock("acrylic", 3.0, 20.0, 20.0, 860.0, 560.0, "acrylic-3"), z_travel=60.0, process="air", power=60.0,
    feed=1100.0, focus=8.0, pierce_delay=0.2,
)  # fmt: skip


def with_laser(shop: Shop) -> Shop:
    """A shop with a laser table and its stand-in."""
    shop.put_machine(CINDER)
    for quantity in ("x_steps", "y_steps", "z_steps"):
        shop.put_value("cinder", quantity, StoredResolution(ResolutionForm.STEPS_PER_MM, 100.0), "start")
    shop.put_stand_in("cinder", GLOW.to_json())
    return shop


STEPS = ("x_steps", "y_steps")


def states(shop: Shop, machine: str, quantities: tuple[str, ...] = STEPS, at: datetime | None = None) -> list[State]:
    """How some quantities of a machine stand."""
    standing = {s.quantity: s.state for s in spokes(shop, shop.machine(machine), at)}
    return [standing[q] for q in quantities]


def shown(widget: QWidget) -> str:
    """All words that can be seen in a widget."""
    return "\n".join(w.text() for w in widget.findChildren(QLabel) if w.isVisible())


def typed_then_killed(shop_file: Path, begins: str, *texts: str) -> None:
    """Another process opens the shop, begins a round, keeps one text, types half of another and is killed over it."""
    code = f"""
import sys
from pathlib import Path
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from keen_compass.app.start import application, show_window
from keen_compass.practice.playing import cut
from keen_compass.shop.store import Shop
app = application("light")
window = show_window(Shop(Path(sys.argv[1])), "Lantern Quay")
window.show_rose("heron")
window.begin({begins})
cut(window.round_page.model.session)
app.processEvents()
surface = window.round_page.measure.surface
QTest.keyClicks(surface.current_edit(), {texts[0]!r})
QTest.keyClick(surface.current_edit(), Qt.Key.Key_Return)
QTest.keyClicks(surface.current_edit(), {texts[1]!r})
print("typed", flush=True)
app.exec()
"""
    process = subprocess.Popen([sys.executable, "-c", code, str(shop_file)], stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    assert process.stdout.readline().strip() == "typed"
    process.send_signal(signal.SIGKILL)
    process.wait()
    process.stdout.close()


def record_text(shop: Shop, round_id: int, folder: Path) -> str:
    """What a signed round's record says, read back from the PDF in `folder`."""
    (folder / "r.pdf").write_bytes(record_of(shop, round_id))
    words = ["pdftotext", "-layout", str(folder / "r.pdf"), "-"]
    return subprocess.run(words, check=True, capture_output=True, text=True).stdout
