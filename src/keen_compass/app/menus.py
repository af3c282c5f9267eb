"""The menus of the window and their keys: what they offer, and what of it there is something for."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMenu

from keen_compass.app.other_shop import choose_copy, choose_shop, compact
from keen_compass.app.parts import PlacePage
from keen_compass.app.speaking import choose_language
from keen_compass.language import LANGUAGES, marked, tr
from keen_compass.procedures import REGISTRY, yielding
from keen_compass.words.procedures import does, step_name, title

if TYPE_CHECKING:
    from keen_compass.app.round.measure_step import Strip
    from keen_compass.app.window import MainWindow

Key = str | QKeySequence.StandardKey | None
STEPS = ("make", "measure", "correct", "confirm")
THEMES = {
    "": marked("Colours as the &desktop"),
    "light": marked("&Light colours"),
    "dark": marked("&Dark colours"),
    "white": marked("&High contrast, on white"),
    "black": marked("High &contrast, on black"),
}


class Menus(QObject):
    """Of one window. What a round does at a key is here; where there is none, the key does nothing."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._window = window
        bar = window.menuBar()
        shop = bar.addMenu(tr("&Shop"))
        add(shop, tr("&Open shop file…"), QKeySequence.StandardKey.Open, partial(choose_shop, window))
        add(shop, tr("Save a &copy as…"), QKeySequence.StandardKey.SaveAs, partial(choose_copy, window))
        add(shop, tr("&Earlier copies…"), None, self._show_copies)
        add(shop, tr("&Bring together…"), None, self._bring_together)
        add(shop, tr("Co&mpact"), None, partial(compact, window))
        add(shop, tr("&Print…"), QKeySequence.StandardKey.Print, self._print)
        shop.addSeparator()
        add(shop, tr("&Quit"), "Ctrl+Q", window.close)
        edit = bar.addMenu(tr("&Edit"))
        self.undo = add(edit, tr("&Undo"), QKeySequence.StandardKey.Undo, self._undo)
        self.redo = add(edit, tr("&Redo"), "Ctrl+Shift+Z", self._redo)
        self.begin = bar.addMenu(tr("&Begin"))
        self.begin.aboutToShow.connect(self._fill_begin)
        self.of_round = self._add_round(bar.addMenu(tr("&Round")))
        view = bar.addMenu(tr("&View"))
        add(view, tr("&All readings"), "Ctrl+R", lambda: window.go_to("together"))
        add(view, tr("&Controller’s listing"), "Ctrl+L", lambda: window.go_to("controller"))
        add(view, tr("Shop at a &glance"), "Ctrl+G", lambda: window.go_to("glance"))
        add(view, tr("&Full screen"), "F11", self._full_screen)
        add(view, tr("&Shop-floor view"), "F12", window.toggle_floor)
        for choice, words in THEMES.items():
            add(view, tr(words), None, partial(window.choose_theme, choice))
        spoken = view.addMenu(tr("&Language"))
        for code, called in {"": tr("As the &desktop"), **LANGUAGES}.items():
            add(spoken, called, None, partial(choose_language, window, code))
        about = bar.addMenu(tr("&Help"))
        add(about, tr("&This screen"), "F1", self._show_help)
        add(about, tr("&Manual"), None, partial(self._show_manual, "first-hour"))
        add(about, tr("&Keys"), "Shift+F1", partial(self._show_manual, "keys"))
        add(about, tr("&About"), None, self._show_about)
        self.refresh()

    def _add_round(self, menu: QMenu) -> list[QAction]:
        actions = [
            add(menu, tr("&Go on"), "Ctrl+Return", self.go_on),
            add(menu, tr("&Type the practice reading"), "F8", self.practice),
            add(menu, tr("Turn the piece &over"), "F7", self.turn_over),
            add(menu, tr("&Print another of this job"), "F6", self.print_another),
            add(menu, tr("Read from a &scan"), "F5", self.read_from_scan),
            add(menu, tr("Show a photographed &worksheet"), "F4", self.show_worksheet),
            add(menu, tr("This length &can’t be read"), "F9", self.skip),
        ]
        menu.addSeparator()
        for i, step in enumerate(STEPS, 1):
            actions.append(add(menu, f"&{i}  {step_name(step)}", f"Alt+{i}", partial(self.step, step)))
        menu.addSeparator()
        add(menu, tr("&Back to the rose"), "Escape", self._to_rose)
        return actions

    def refresh(self) -> None:
        """What there is something for."""
        page = self._window.round_page
        history = page.model.session.context.history if page else None
        draft = bool(page and page.model.session.measuring.draft)
        self.undo.setEnabled(bool(history and history.can_undo) or draft)
        self.redo.setEnabled(bool(history and history.can_redo))
        for action in self.of_round:
            action.setEnabled(page is not None)

    def _fill_begin(self) -> None:
        """Everything that can be calibrated on the machine shown, due or not."""
        self.begin.clear()
        window = self._window
        if not window.machine_uid:
            return
        machine = window.shop.machine(window.machine_uid)
        possible = {e.name for q in machine.quantities for e in yielding(q, machine.file_format)}
        for name in REGISTRY:
            if name in possible:
                add(self.begin, f"{title(name)}: {does(name)}", None, partial(window.begin, name))
        self.begin.addSeparator()
        add(self.begin, tr("What is wrong? From parts to causes"), None, lambda: window.go_to("wrong"))
        add(self.begin, tr("Fit a file to a print: lay any cut file onto it"), None, lambda: window.go_to("fit"))

    # What a round does

    def _undo(self) -> None:
        if self._window.round_page is not None:
            self._window.round_page.undo()

    def _redo(self) -> None:
        if self._window.round_page is not None:
            self._window.round_page.redo()

    def go_on(self) -> None:
        """Do what the step that is shown is for."""
        page = self._window.round_page
        if page is None:
            return
        if page.make.isVisible():
            page.make.main_button().click()
        else:
            page.go_on()

    def practice(self) -> None:
        """Type what the instrument shows on the stand-in."""
        if self._window.round_page is not None:
            self._window.round_page.type_practice()

    def _strip(self) -> Strip | None:
        """What is below the piece while it is measured."""
        page = self._window.round_page
        return page.measure.strip if page is not None and page.measure.isVisible() else None

    def turn_over(self) -> None:
        """The piece, to read its other side."""
        if strip := self._strip():
            strip.turn_over()

    def show_worksheet(self) -> None:
        """What was written by hand, box by box beside the field."""
        if (page := self._window.round_page) is not None and page.measure.isVisible():
            page.measure.paper.ask()

    def read_from_scan(self) -> None:
        """Of the piece that is measured, where it lies on a scanner’s glass."""
        page = self._window.round_page
        if page is not None and page.measure.isVisible():
            page.measure.read_from_scan()

    def skip(self) -> None:
        """Leave the current length out."""
        if strip := self._strip():
            strip.skip.click()

    def print_another(self) -> None:
        """Of a job that has been cut."""
        page = self._window.round_page
        if page is not None and page.model.session.goes_again():
            page.measure.strip.another.click()

    def step(self, name: str) -> None:
        """Show another step of the round."""
        from keen_compass.procedures.stages import Step

        if self._window.round_page is not None:
            self._window.round_page.go(Step(name))

    def _to_rose(self) -> None:
        window = self._window
        page = window.places.currentWidget()
        if window.round_page is not None and window.round_page.floor.isVisible():
            window.toggle_floor()
        elif page is not window.rose_page and not (isinstance(page, PlacePage) and page.step_back()):
            window.back()

    # The window

    def _full_screen(self) -> None:
        if self._window.isFullScreen():
            self._window.showNormal()
        else:
            self._window.showFullScreen()

    def _show_help(self) -> None:
        window, page = self._window, self._window.round_page
        place = window.place_shown()
        if page is not None and window.places.currentWidget() is page and place != "correct":
            place = page.model.session.context.procedure.name
        self._show_manual(place)

    def _show_manual(self, name: str) -> None:
        from keen_compass.app.manual import show_manual

        show_manual(self._window, name)

    def _bring_together(self) -> None:
        from keen_compass.app.joining import choose_folder  # late, as all that is for once in a while

        choose_folder(self._window)

    def _show_copies(self) -> None:
        from keen_compass.app.copies import CopiesDialog

        CopiesDialog(self._window).open()

    def _print(self) -> None:
        from keen_compass.app.paper import PaperDialog

        PaperDialog(self._window).open()

    def _show_about(self) -> None:
        from keen_compass.app.about import about_dialog

        about_dialog(self._window).open()


def add(menu: QMenu, words: str, key: Key, run: Callable[[], object]) -> QAction:
    """One entry, with its key where it has one."""
    action = QAction(menu)  # with its words at once, it would make Python know all of QIcon, 2 ms of the start
    action.setText(words)
    if key is not None:
        action.setShortcut(QKeySequence(key))
    action.triggered.connect(lambda _=False: run())
    menu.addAction(action)
    return action
