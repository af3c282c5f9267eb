"""Another shop file in place of the one that is open: named, dropped, or a copy of it, on which the work goes on."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from keen_compass.errors import KeenCompassError
from keen_compass.language import tr
from keen_compass.shop.kept import KeptRound
from keen_compass.shop.store import Shop

if TYPE_CHECKING:
    from PySide6.QtGui import QDropEvent

    from keen_compass.app.round.page import RoundPage
    from keen_compass.app.window import MainWindow


def choose_shop(window: MainWindow) -> None:
    """A shop file that someone names."""
    from PySide6.QtWidgets import QFileDialog

    name, _ = QFileDialog.getOpenFileName(
        window, tr("Open a shop file"), str(window.shop.file.parent), tr("Shop files (*.kcshop)")
    )
    if name:
        open_shop(window, Path(name))


def open_shop(window: MainWindow, file: Path) -> bool:
    """Another shop in this window; where it can't be opened the present one stays, with the reason."""
    if window.stays():
        return False
    if file.exists() and window.shop.file.exists() and file.samefile(window.shop.file) and not window.shop.elsewhere:
        window.say(tr("That shop is the one that is open here."))
        return False
    try:
        shop = Shop(file)
    except KeenCompassError as error:
        window.say(str(error))
        return False
    if window.shop.elsewhere and shop.elsewhere and file.samefile(window.shop.file):
        shop.close()
        window.say(tr("The other window is still open. Close it there first."))
        return False
    from keen_compass.app.start import show_window

    another = show_window(shop, file.stem)
    if window.round_page is not None:
        go_on_with(another, window.round_page.model.session.context.kept, window.round_page)
    window.close()
    return True


def go_on_with(window: MainWindow, kept: KeptRound, before: RoundPage) -> None:
    """The round that was open in the window before, where this shop has it too, with what stood half typed."""
    same = [k for k in window.shop.open_rounds(kept.machine, kept.procedure) if k.at == kept.at]
    if not same:
        return
    window.show_rose(kept.machine)
    window.begin(kept.procedure, before.model.session.context.yields[0])
    typed, current = before.model.session.measuring.draft, before.model.session.measuring.current()
    if window.round_page is not None and typed and current:
        measuring = window.round_page.model.session.measuring
        measuring.choose(current)
        measuring.type(typed)


def choose_copy(window: MainWindow) -> None:
    """A name for a copy, on which the work goes on."""
    proposed = window.shop.file.with_name(f"{window.shop.file.stem}-copy.kcshop")
    from PySide6.QtWidgets import QFileDialog

    name, _ = QFileDialog.getSaveFileName(window, tr("Save a copy as"), str(proposed), tr("Shop files (*.kcshop)"))
    if name:
        go_on_with_copy(window, Path(name))


def go_on_with_copy(window: MainWindow, file: Path) -> bool:
    """All that this window sees, kept under a new name, and the work goes on there; else the reason is said.

    Of a damaged file what is sound and has all that it refers to.
    """
    if file.suffix != ".kcshop":
        file = file.with_name(f"{file.name}.kcshop")
    try:
        if window.shop.damage and not window.shop.gone:
            from keen_compass.shop.soundness import repair  # late: few files are damaged

            repair(window.shop.file, file)
        else:
            window.shop.copy_to(file)
    except KeenCompassError as error:
        window.say(str(error))
        return False
    return open_shop(window, file)


def compact(window: MainWindow) -> None:
    """Without pictures and files of what was taken back."""
    if window.round_page is not None:
        window.say(tr("Close the round first: what was undone in it can’t come back from a compact file."))
        return
    try:
        before = window.shop.file.stat().st_size
        window.say(
            tr(
                "The shop file takes {compact:.1f} MB now, {before:.1f} MB before.",
                compact=window.shop.compact() / 1e6,
                before=before / 1e6,
            )
        )
    except (KeenCompassError, OSError) as error:
        window.say(str(error))


def dropped_file(event: QDropEvent) -> Path | None:
    """The shop file that is dropped; None for anything else."""
    files = [Path(url.toLocalFile()) for url in event.mimeData().urls()]
    return files[0] if len(files) == 1 and files[0].suffix == ".kcshop" else None
