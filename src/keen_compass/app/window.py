"""The one window: rail, places in the middle, menus. All wiring between screens is here."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QSettings, QTimer
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QResizeEvent
from PySide6.QtWidgets import QApplication, QHBoxLayout, QMainWindow, QStackedWidget, QVBoxLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.ahead import LookAhead
from keen_compass.app.breakdown import note_act
from keen_compass.app.care import ShopCare
from keen_compass.app.menus import Menus
from keen_compass.app.mounting import mount, offer_other, put_back, show_put_back
from keen_compass.app.other_shop import choose_copy, dropped_file, open_shop
from keen_compass.app.parts import PlacePage, Text
from keen_compass.app.places import OF_A_MACHINE, PLACES
from keen_compass.app.rail import Rail
from keen_compass.app.reading_order import follow_layouts
from keen_compass.app.rose.next_piece import NextPiece
from keen_compass.app.rose.page import RosePage
from keen_compass.app.waiting import Dropped, beside
from keen_compass.errors import KeenCompassError
from keen_compass.language import tr
from keen_compass.machines.profile import Machine
from keen_compass.procedures import REGISTRY
from keen_compass.shop.due import Due
from keen_compass.shop.standing import Spoke, State, spokes, standings
from keen_compass.shop.store import Shop

if TYPE_CHECKING:
    from collections.abc import Sequence

    from keen_compass.app.copies import CopyKeeper
    from keen_compass.app.happening import HappeningBar
    from keen_compass.app.notice import Answer, NoticeBar
    from keen_compass.app.port_link import PortLink
    from keen_compass.app.rose.next_piece import Found
    from keen_compass.app.round.page import RoundPage
    from keen_compass.app.shop.machine_page import MachinePage
    from keen_compass.rounds import RoundSession
    from keen_compass.shop.logbook import Entry

KEEP_COPIES = 5000  # ms, after which copies are thought of
LATELY = 4  # logbook entries beside the rose
LATER = 400  # ms, after which what is due in the days ahead is looked for
NARROW_BELOW = 1180  # px of window width: the rail makes room for the piece


class MainWindow(QMainWindow):
    """The window on one open shop."""

    def __init__(self, shop: Shop, title: str) -> None:
        super().__init__()
        self.shop = shop
        self.shop_title = title
        self.setWindowTitle(tr("{title} – Keen Compass", title=title))
        self.setMinimumSize(1000, 660)
        self.setAcceptDrops(True)
        body = QWidget()
        self.setCentralWidget(body)
        self.rail = Rail()
        self.rail.chosen.connect(self.show_rose)
        self.rail.place.connect(self.go_to)
        self.rose_page = RosePage()
        self.next_piece = NextPiece(shop, self)
        self.ahead = LookAhead(shop, self)
        self._wire_rose()
        self.round_page: RoundPage | None = None
        self._rail_step = ""  # of the round, as the rail shows it
        self._links: dict[str, PortLink] = {}
        self._handed_over = False
        self._other: PlacePage | None = None
        self._happening: HappeningBar | None = None
        self._notice: NoticeBar | None = None
        self._message = Text("", th.TEXT, "warn", bold=True)
        self._message.setContentsMargins(24, 10, 24, 0)
        self._message.hide()
        self.places = QStackedWidget(body)
        self.places.addWidget(self.rose_page)
        middle = self._middle = QVBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self._message)
        middle.addWidget(self.places, 1)
        layout = QHBoxLayout(body)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.rail)
        layout.addLayout(middle, 1)
        self.menus = Menus(self)
        self.machine_uid: str | None = None
        machines = shop.machines()
        if machines:
            self.show_rose(machines[0].uid, machines)
        else:
            self.go_to("add")
            self.say(tr("This shop is empty. Add your first machine here, or look at the demo: keen-compass --demo"))
        self.care = ShopCare(shop, partial(choose_copy, self), self)
        self._wire_care()
        self.copies: CopyKeeper | None = None
        QTimer.singleShot(KEEP_COPIES, self, self._keep_copies)

    def _keep_copies(self) -> None:
        from keen_compass.app.copies import CopyKeeper  # late: the first screen needs none

        self.copies = CopyKeeper(self.shop, self)
        self.copies.said.connect(self.say)
        self.copies.begin()

    def _wire_care(self) -> None:
        self.care.said.connect(self.say)
        self.care.asked.connect(self.ask)
        self.care.changed.connect(self._refresh_shown)
        self.care.again.connect(self._write_here)
        self.care.begin()

    def _wire_rose(self) -> None:
        self.ahead.found.connect(self._due_soon)
        page = self.rose_page
        page.begin.connect(self.begin)
        page.change.connect(self.change_machine)
        page.happened.connect(self._ask_what_happened)
        page.together.connect(lambda: self.go_to("together"))
        page.controller.connect(lambda: self.go_to("controller"))
        page.mounted.asked.connect(partial(offer_other, self))
        page.mounted.tool.connect(lambda tool: mount(self, tool=tool))
        page.mounted.stock.connect(lambda stock: mount(self, stock=stock))
        page.mounted.fitted.connect(lambda kind, uid: mount(self, fitted={kind: uid}))
        page.entered.connect(partial(put_back, self))
        page.mounted.process.connect(lambda process: mount(self, process=process))
        self.next_piece.found.connect(self._show_next_piece)

    def _write_here(self) -> None:
        """Open the same file once more, now that another window may have closed it."""
        if not open_shop(self, self.shop.file):
            self.care.say_how_it_is()

    # Places

    def say(self, words: str) -> None:
        """One line above the page."""
        self._message.say(words)

    def _refresh_shown(self) -> None:
        if self.round_page is not None:
            self.round_page.model.session.context.changed()
        elif self.machine_uid and self.places.currentWidget() is self.rose_page:
            self.show_rose(self.machine_uid)
        else:
            if self._other is not None:
                self._other.refresh()
            self.refresh_rail()

    def ask(self, words: str, answers: Sequence[Answer]) -> None:
        """One line above the page, with what can be done about it."""
        if self._notice is None:
            from keen_compass.app.notice import NoticeBar

            self._notice = NoticeBar()
            self._middle.insertWidget(1, self._notice)
        self._notice.ask(words, answers)

    def show_rose(self, uid: str, machines: list[Machine] | None = None) -> None:
        """How a machine stands. machines: all of them, where they were read just now."""
        if self.stays():
            return
        self.machine_uid = uid
        self._close_round()
        self.fill_rose_and_rail(uid, machines)
        self.places.setCurrentWidget(self.rose_page)
        self.menus.refresh()
        self.rose_page.rose.setFocus()

    def fill_rose_and_rail(self, uid: str, machines: list[Machine] | None = None) -> None:
        """With one look at how all machines stand."""
        machines = machines or self.shop.machines()
        standing = standings(self.shop, machines)
        self._fill_rail(machines, standing)
        machine = next((m for m in machines if m.uid == uid), None) or self.shop.machine(uid)
        stands = standing.get(uid) or spokes(self.shop, machine)
        under_way = {}
        for kept in reversed(self.shop.open_rounds(uid)):
            entry = REGISTRY.get(kept.procedure)
            if entry is None:  # of a later program
                continue
            step, chosen = self.shop.under_way(kept.id)
            under_way[kept.procedure, entry.axis(chosen)] = step, self.shop.idle_days(kept.id)
        self.rose_page.show_machine(machine, stands, under_way, lambda: self._lately(uid))
        show_put_back(self, machine)
        self.rose_page.forget_next_piece()
        self.next_piece.look_at(uid)

    def _due_soon(self, uid: str, found: list[Due]) -> None:
        """On the rail, and on the rose where it is shown."""
        soon = [d for d in found if d.spoke.state is State.IN]
        self.rail.machines.show_due(uid, soon)
        if uid == self.machine_uid:
            self.rose_page.show_due(soon)

    def _lately(self, uid: str) -> list[Entry]:
        """The newest entries of a machine."""
        from keen_compass.shop.logbook import latest  # late: the first screen shows them last

        return [] if self.shop.closed else latest(self.shop, uid, LATELY)

    def link_of(self, machine: str) -> PortLink:
        """The cable of a machine, open or not: it stays as it is from page to page."""
        if machine not in self._links:
            from keen_compass.app.port_link import PortLink

            self._links[machine] = PortLink(self)
        return self._links[machine]

    def _under_way(self) -> bool:
        """Whether a program runs over a cable: its page stays until it is over."""
        return any(link.under_way for link in self._links.values())

    def stays(self) -> bool:
        """Whether the page can't be left now, which is said."""
        if self._under_way():
            self.say(tr("A program runs over the cable: wait for its end, or stop it."))
            return True
        return False

    def _show_next_piece(self, found: Found | None, uid: str) -> None:
        """What settles most for the least time, where its rose is still shown."""
        if uid == self.machine_uid and self.places.currentWidget() is self.rose_page:
            self.rose_page.next_piece.show_found(found, self.shop.machine(uid))

    def begin(self, procedure: str, quantity: str = "") -> None:
        """Begin a round, or go on with the one that is open."""
        if self.machine_uid is None:
            return
        from keen_compass.app.round.page import RoundPage  # late: it brings NumPy
        from keen_compass.rounds import RoundSession

        note_act(f"begin {procedure}")
        try:
            machine = self.shop.machine(self.machine_uid)
            session = RoundSession.begin(self.shop, machine, procedure, quantity)
            session.making.artworks.prepare(partial(beside, tr("The artwork is drawn")))
            page = RoundPage(session, self.link_of(machine.uid))
        except KeenCompassError as error:
            self.say(str(error))
            return
        except Dropped:
            return
        self.show_round(page)

    def show_round(self, page: RoundPage) -> None:
        """A round, in place of what is shown."""
        self._close_round()
        self.round_page = page
        uid = page.model.session.context.kept.machine
        page.closed.connect(lambda: self.show_rose(uid))
        page.change.connect(self.change_machine)
        page.model.changed.connect(self._round_changed)
        self.places.addWidget(page)
        self.places.setCurrentWidget(page)
        page.refresh()
        self.refresh_rail()
        self.menus.refresh()

    def show_again(self, session: RoundSession) -> None:
        """A round that is open, on a page built anew: what can be undone in it stays so."""
        from keen_compass.app.round.page import RoundPage

        self.show_round(RoundPage(session, self.link_of(session.context.kept.machine)))

    def go_to(self, place: str) -> None:
        """One of `places.PLACES`, where there is a machine for it."""
        if self.stays() or (place in OF_A_MACHINE and not self.machine_uid):
            return
        note_act(f"go to {place}")
        self.show_other(PLACES[place](self))

    def begin_here(self, procedure: str, quantity: str) -> None:
        """A round on the machine whose readings were looked at."""
        if self.machine_uid:
            self.show_rose(self.machine_uid)
            self.begin(procedure, quantity)

    def change_machine(self) -> None:
        """The profile of the machine whose rose is shown."""
        if self.machine_uid and not self.stays():
            from keen_compass.app.shop.machine_page import MachinePage

            self.show_machine_page(MachinePage(self.shop, self.shop.machine(self.machine_uid)))

    def show_machine_page(self, page: MachinePage) -> None:
        """A machine's whole profile."""
        page.saved.connect(self.machine_saved)
        self.show_other(page)

    def machine_saved(self, uid: str) -> None:
        """To the rose of a machine that was added or changed."""
        self.say("")
        self.machine_uid = uid or None
        self.back()

    def back(self) -> None:
        """To the rose of the machine last shown, else of the first one; else to adding one."""
        machines = self.shop.machines()
        uids = [m.uid for m in machines]
        if self.machine_uid in uids:
            self.show_rose(self.machine_uid)
        elif uids:
            self.show_rose(uids[0])
        else:
            self.refresh_rail()
            self.go_to("add")

    def show_other(self, page: PlacePage) -> None:
        """That page in place of whichever is shown."""
        page.left.connect(self.back)
        self._close_round()
        if self._other is not None:
            self.places.removeWidget(self._other)
            self._other.deleteLater()
        self._other = page
        self.places.addWidget(page)
        self.places.setCurrentWidget(page)
        self.menus.refresh()

    def _ask_what_happened(self) -> None:
        if self._happening is None:
            from keen_compass.app.happening import HappeningBar

            self._happening = HappeningBar()
            self._happening.given.connect(self._note_happening)
            self._middle.insertWidget(1, self._happening)
        self._happening.ask()

    def _note_happening(self, kind: str, words: str) -> None:
        if self.machine_uid:
            try:
                self.shop.put_event(self.machine_uid, kind, words)
            except KeenCompassError as error:
                self.say(str(error))
            self.show_rose(self.machine_uid)

    def refresh_rail(self) -> None:
        """All machines as they stand now."""
        if self.shop.closed:  # a refresh that was waiting when the window was closed
            return
        machines = self.shop.machines()
        self._fill_rail(machines, standings(self.shop, machines))

    def _fill_rail(self, machines: list[Machine], standing: dict[str, list[Spoke]]) -> None:
        steps = self.shop.steps_under_way()
        rows = [(m, standing[m.uid], steps.get(m.uid, "")) for m in machines]
        self.rail.show_shop(self.shop_title, rows, self.machine_uid)
        self.ahead.look([(m, standing[m.uid]) for m in machines], LATER)

    def _round_changed(self) -> None:
        """The rail follows the step, not every keystroke."""
        step = str(self.round_page.model.session.step) if self.round_page else ""
        if step != self._rail_step:
            self._rail_step = step
            QTimer.singleShot(0, self, self.refresh_rail)
        self.menus.refresh()
        self.care.look_whether_gone()

    def _close_round(self) -> None:
        if self.round_page is not None:
            self.places.removeWidget(self.round_page)
            self.round_page.deleteLater()
            self.round_page = None
        self.rail.show()

    def toggle_floor(self) -> None:
        """What is shown, readable from three metres: a round, else all machines; or back."""
        if self.places.currentWidget() is self.rose_page:
            self.go_to("glance")
        page = self.round_page or self._other
        self.rail.setVisible(page is None or not page.toggle_floor())

    def place_shown(self) -> str:
        """Which screen this is, as help and tests call it."""
        page = self.places.currentWidget()
        if page is self.round_page and self.round_page is not None:
            return str(self.round_page.model.session.step)
        assert isinstance(page, PlacePage)
        return page.PLACE

    def choose_theme(self, choice: str) -> None:
        """light, dark, or as the desktop does; remembered."""
        QSettings().setValue("theme", choice)
        self.use_theme(th.wanted_theme(_app(), choice))

    def follow_desktop(self) -> None:
        """The desktop changed between light and dark."""
        if not QSettings().value("theme", ""):
            self.use_theme(th.wanted_theme(_app(), None))

    def use_theme(self, wanted: th.Theme) -> None:
        """Other colours, at once; the page is built again in them."""
        th.apply(_app(), wanted)
        page, uid = self.round_page, self.machine_uid
        if uid:
            self.fill_rose_and_rail(uid)
        if page and not self._under_way():
            floor = page.floor.isVisible()
            self.show_again(page.model.session)
            if floor:
                self.toggle_floor()

    # Window

    def focusNextPrevChild(self, next: bool) -> bool:
        """Tab, and Shift with it: pages change while they are open, so their order is looked at when it counts."""
        follow_layouts(self.centralWidget())
        return super().focusNextPrevChild(next)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Small windows give the rail's room to the piece."""
        super().resizeEvent(event)
        self.rail.set_narrow(narrow=self.width() < NARROW_BELOW)

    def hand_over(self) -> None:
        """Close, and leave the shop open: another window has it."""
        self._handed_over = True
        self.close()

    def closeEvent(self, event: QCloseEvent) -> None:
        """Everything is kept already; close the file."""
        QSettings().setValue("window", self.saveGeometry())
        self.care.stop()
        if self.copies is not None:
            self.copies.stop()
        self.next_piece.look_at("")
        self._close_round()
        for link in self._links.values():
            if link.under_way:  # nobody would see what it does
                link.stop()
            link.close()
        if not self._handed_over:
            self.shop.close()
        super().closeEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """A shop file may be dropped."""
        if dropped_file(event):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """Open a shop file that is dropped."""
        if file := dropped_file(event):
            open_shop(self, file)


def _app() -> QApplication:
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    return app
