"""The pages beside the rose, by name: each made, and its wishes heard, when it is wanted."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType
from typing import TYPE_CHECKING

from keen_compass.app.parts import PlacePage
from keen_compass.procedures import yielding

if TYPE_CHECKING:
    from keen_compass.app.window import MainWindow

OF_A_MACHINE = ("together", "controller", "fit", "wrong")  # of the one whose rose was shown last


def _stock(window: MainWindow) -> PlacePage:
    from keen_compass.app.stock.page import StockPage

    def find_kerf(machine: str) -> None:
        window.show_rose(machine)
        window.begin(yielding("kerf")[0].name, "kerf")

    page = StockPage(window.shop, window.machine_uid or "")
    page.changed.connect(window.refresh_rail)
    page.begin.connect(find_kerf)
    return page


def _controller(window: MainWindow) -> PlacePage:
    from keen_compass.app.controller.page import ControllerPage

    machine = window.machine_uid or ""
    page = ControllerPage(window.shop, machine, window.link_of(machine))
    page.changed.connect(window.refresh_rail)
    return page


def _wrong(window: MainWindow) -> PlacePage:
    from keen_compass.app.trouble.page import TroublePage

    page = TroublePage(window.shop, window.machine_uid or "")
    page.begin.connect(window.begin_here)
    return page


def _fit(window: MainWindow) -> PlacePage:
    from keen_compass.app.fit.page import FitPage

    machine = window.machine_uid or ""
    return FitPage(window.shop, machine, window.link_of(machine))


def _together(window: MainWindow) -> PlacePage:
    from keen_compass.app.together.page import TogetherPage

    page = TogetherPage(window.shop, window.machine_uid or "")
    page.begin.connect(window.begin_here)
    return page


def _instruments(window: MainWindow) -> PlacePage:
    from keen_compass.app.shop.instruments_page import InstrumentsPage

    return InstrumentsPage(window.shop)


def _logbook(window: MainWindow) -> PlacePage:
    from keen_compass.app.logbook.page import LogbookPage

    page = LogbookPage(window.shop, window.machine_uid or "")
    page.took_over.connect(window.refresh_rail)
    page.took_over.connect(window.care.ask_what_is_open)
    return page


def _glance(window: MainWindow) -> PlacePage:
    from keen_compass.app.glance.page import GlancePage

    page = GlancePage(window.shop, window.machine_uid or "")
    page.chosen.connect(window.show_rose)
    page.floor_wanted.connect(window.toggle_floor)
    return page


def _add(window: MainWindow) -> PlacePage:
    from keen_compass.app.shop.new_machine import NewMachinePage

    page = NewMachinePage(window.shop)
    page.whole.connect(window.show_machine_page)
    page.saved.connect(window.machine_saved)
    return page


PLACES: Mapping[str, Callable[[MainWindow], PlacePage]] = MappingProxyType(
    {
        "add": _add,
        "controller": _controller,
        "fit": _fit,
        "glance": _glance,
        "instruments": _instruments,
        "logbook": _logbook,
        "stock": _stock,
        "together": _together,
        "wrong": _wrong,
    }
)
