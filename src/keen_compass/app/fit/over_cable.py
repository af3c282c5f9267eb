"""A fitted file over the cable."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from keen_compass.app.waiting import Dropped, beside
from keen_compass.errors import InputError, KeenCompassError, PortError
from keen_compass.formats.fit import Fitted
from keen_compass.formats.listing import Listing
from keen_compass.language import tr
from keen_compass.machines.profile import Machine
from keen_compass.quantities.stored import StoredValue
from keen_compass.rounds.fitting import Fitting
from keen_compass.shop.store import Shop
from keen_compass.words.fitting import broke_off_in_words, sent_in_words

if TYPE_CHECKING:
    from keen_compass.controllers.wire import Progress


class FileOverCable:
    """What `CableBar` asks of the page. fitting: what it shows. done: hears of a file that was cut to its end."""

    def __init__(
        self,
        shop: Shop,
        machine: Machine,
        held: dict[str, StoredValue],
        fitting: Callable[[], Fitting | None],
        done: Callable[[Fitting, Fitted], None],
    ) -> None:
        self._shop, self.machine, self._held, self._fitting, self._done = shop, machine, held, fitting, done
        self._sent: tuple[Fitting, Fitted] | None = None
        self._trouble, self._ended = "", ""

    @property
    def hidden(self) -> bool:
        """While there is nothing to send."""
        fitting = self._fitting()
        return fitting is None or not fitting.ready

    def may_run(self) -> bool:
        """A file in the language of its controller."""
        fitting = self._fitting()
        if fitting is None or self._shop.read_only:
            return False
        return fitting.ready and fitting.kind == self.machine.file_format

    def held_up(self) -> bool:
        """Nothing but what `begin` refuses."""
        return False

    def broke_off(self) -> tuple[str, str] | None:
        """The last run."""
        return (self._ended, tr("Look at what lies there before it is run again.")) if self._ended else None

    def trouble(self) -> str:
        """Why it was refused."""
        return self._trouble

    def begin(self, count: Callable[[bytes], int]) -> str | None:
        """The fitted file; kept, and in the logbook."""
        fitting = self._fitting()
        self._trouble = self._ended = ""
        if fitting is None:
            return None
        try:
            fitted = beside(tr("The file is fitted"), lambda: fitting.fitted(self.machine, self._held))
            count(fitted.data)  # refused here, where it is no program, before anything is kept
            with self._shop.writing():
                self._shop.put_blob(fitted.data)
                self._shop.put_event(self.machine.uid, "fitted", sent_in_words(Path(fitting.name), len(fitting.marks)))
        except Dropped:
            return None
        except KeenCompassError as error:
            self._trouble = str(error)
            return None
        self._sent = fitting, fitted
        return fitted.data.decode("latin-1")

    def ended(self, last: Progress | None, trouble: PortError | InputError | None) -> None:
        """What broke off is in the logbook too."""
        if self._sent is None:
            return
        fitting, fitted = self._sent
        if trouble is None:
            self._done(fitting, fitted)
            return
        acknowledged, total = (last.acknowledged, last.total) if last else (0, 0)
        self._ended = broke_off_in_words(Path(fitting.name), acknowledged, total, str(trouble))
        try:
            self._shop.put_event(self.machine.uid, "run_broke_off", self._ended)
        except KeenCompassError as error:
            self._trouble = str(error)

    def told(self, listing: Listing) -> None:
        """Nothing that a print from elsewhere asks."""
