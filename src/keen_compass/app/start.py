"""Starting up: the application object, which shop, the first window; and pictures of every view."""

from __future__ import annotations

import shutil
import sys
from pathlib import Path
from types import TracebackType

from PySide6.QtCore import QSettings, QTimer
from PySide6.QtWidgets import QApplication

from keen_compass.app import breakdown
from keen_compass.app import theme as th
from keen_compass.app.garbage import collect_between_events
from keen_compass.app.speaking import begin_to_speak
from keen_compass.app.window import MainWindow
from keen_compass.errors import KeenCompassError
from keen_compass.language import tr
from keen_compass.shop.store import Shop

USUAL_SIZE = (1280, 800)
WATCHES = 400  # ms, after which a window that is shown has time to look for crashes
STYLE = ("-style", "fusion")  # as an argument: `setStyle` would make Python know all of QStyle, some 10 ms
_windows: list[MainWindow] = []  # Qt keeps no reference to top-level windows


def start(
    *,
    shop_file: Path | None,
    demo: bool,
    shots: Path | None,
    size: tuple[int, int],
    theme: str | None,
    language: str = "",
    log: str = "",
) -> int:
    """Open the window, or write the pictures; returns the exit status.

    language: its code, or nothing; log: a level of `breakdown`, or nothing.
    """
    if log:
        breakdown.log_to(log)
    app = application(theme, language)
    if shots is not None:
        from keen_compass.app.shots import take_shots

        take_shots(shots, size)
        return 0
    scratch: Path | None = None
    if demo:
        import tempfile

        from keen_compass.practice.shipped import open_demo

        scratch = Path(tempfile.mkdtemp(prefix="keen-compass-demo-"))
        shop, title = open_demo(scratch), "Lantern Quay"
    else:
        import platformdirs

        file = shop_file or Path(platformdirs.user_data_dir("keen-compass")) / "shop.kcshop"
        shop, title = Shop(file), file.stem.replace("-", " ").title()
    window = show_window(shop, title, size)
    sys.excepthook = _said_not_raised
    QTimer.singleShot(300, app, lambda: _warm(app))
    QTimer.singleShot(WATCHES, window, lambda: _watch(window))
    status = app.exec()
    breakdown.done()
    if scratch:
        shutil.rmtree(scratch, ignore_errors=True)
    return status


def _said_not_raised(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
    """Whatever a slot didn't catch: what was raised on purpose is said in the window, the rest goes where it went."""
    if isinstance(error, KeenCompassError) and _windows:
        _windows[-1].say(str(error))
        return
    sys.__excepthook__(kind, error, trace)
    if not isinstance(error, Exception):  # somebody at the terminal ends it
        QApplication.quit()
        return
    if (report := breakdown.kept(kind, error, trace)) and _windows:
        _offer(_windows[-1], tr("An unexpected error occurred; your work is kept."), report)


def _watch(window: MainWindow) -> None:
    """Tell of a crash before, once."""
    if report := breakdown.watch():
        _offer(window, tr("Keen Compass crashed last time; your work up to then is kept."), report)


def _offer(window: MainWindow, words: str, report: Path) -> None:
    """A report, for whoever wants to pass it on."""

    def copy() -> None:
        QApplication.clipboard().setText(report.read_text("utf-8"))

    window.ask(
        tr("{words} A report is in {report}; nothing was sent.", words=words, report=report),
        ((tr("Copy report"), copy), (tr("Close"), lambda: None)),
    )


def application(theme: str | None, language: str = "") -> QApplication:
    """The one QApplication, in the wanted colours and language."""
    existing = QApplication.instance()
    app = existing if isinstance(existing, QApplication) else QApplication([*sys.argv[:1], *STYLE])
    app.setOrganizationName("keen-compass")
    app.setApplicationName("keen-compass")
    app.setApplicationDisplayName("Keen Compass")
    app.setDesktopFileName("keen-compass")
    begin_to_speak(app, language)
    th.apply(app, th.wanted_theme(app, theme or str(QSettings().value("theme", "") or "")))
    QTimer.singleShot(200, lambda: app.setWindowIcon(th.icon("keen-compass")))
    return app


def show_window(shop: Shop, title: str, size: tuple[int, int] = USUAL_SIZE) -> MainWindow:
    """A window on a shop."""
    window = MainWindow(shop, title)
    _windows.append(window)
    window.destroyed.connect(lambda: _windows.remove(window) if window in _windows else None)
    geometry = QSettings().value("window")
    if size == USUAL_SIZE and geometry is not None:
        window.restoreGeometry(geometry)
    else:
        window.resize(*size)
    window.show()
    QTimer.singleShot(0, window, lambda: _follow_desktop(window))
    return window


def _follow_desktop(window: MainWindow) -> None:
    hints = QApplication.styleHints()
    hints.colorSchemeChanged.connect(lambda _: window.follow_desktop() if window in _windows else None)


def _warm(app: QApplication) -> None:
    """Load what the first round will need, while nobody is waiting; then begin to collect garbage."""
    import shapely.geometry  # noqa: F401

    from keen_compass.procedures import REGISTRY, load
    from keen_compass.quantities.uncertainty import t_95

    for name in REGISTRY:
        load(name)
    t_95(8.0)
    collect_between_events(app)
