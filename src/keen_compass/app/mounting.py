"""What is on the machine whose rose is shown: what could be instead, what was put on, whose number it is now."""

from __future__ import annotations

from typing import TYPE_CHECKING

from keen_compass.errors import KeenCompassError
from keen_compass.machines.fitted import Stock, Tool
from keen_compass.machines.profile import Machine

if TYPE_CHECKING:
    from keen_compass.app.window import MainWindow
    from keen_compass.shop.library import Misplaced


def offer_other(window: MainWindow) -> None:
    """What could be on the machine shown instead of what is on it."""
    from keen_compass.shop.library import processes  # late: the first screen needs none of it

    machine = window.shop.machine(window.machine_uid or "")
    cut_with = processes(window.shop, machine) if machine.kind.thermal else ()
    window.rose_page.mounted.offer(machine, window.shop.stock_at_hand(machine), cut_with)


def put_back(window: MainWindow) -> None:
    """What the rose asked for is in the controller now."""
    if window.machine_uid is None:
        return
    from keen_compass.shop.library import of_another  # late, as above

    machine = window.shop.machine(window.machine_uid)
    try:
        with window.shop.writing():
            for q, one in of_another(window.shop, machine).items():
                if one.wanted is not None:
                    how = "put_back" if one.own else "typed"
                    window.shop.put_value(machine.uid, q, one.wanted, how, subject=machine.subject)
    except KeenCompassError as error:
        window.say(str(error))
    window.fill_rose_and_rail(machine.uid)
    window.rose_page.mounted.setFocus()


def show_put_back(window: MainWindow, machine: Machine) -> None:
    """Numbers of something else than what is fitted, where there is a choice."""
    found: dict[str, Misplaced] = {}
    if machine.fittings or machine.fitted or sum(tool.trails for tool in machine.tools) > 1:
        from keen_compass.shop.library import of_another  # late, as above

        found = of_another(window.shop, machine)
    names = window.shop.thing_names() if found else {}
    window.rose_page.show_put_back(found, machine, names, read_only=window.shop.read_only)


def mount(
    window: MainWindow,
    *,
    tool: Tool | None = None,
    stock: Stock | None = None,
    process: str | None = None,
    fitted: dict[str, str] | None = None,
) -> None:
    """Something else is on the machine now."""
    if window.machine_uid is None:
        return
    try:
        from keen_compass.shop.library import put_on  # late, as above

        put_on(
            window.shop, window.shop.machine(window.machine_uid), tool=tool, stock=stock, process=process, fitted=fitted
        )
    except KeenCompassError as error:
        window.say(str(error))
    window.fill_rose_and_rail(window.machine_uid)
    window.rose_page.mounted.setFocus()
