"""The state of the controller page: what was read of which file, what went wrong last; its parts listen to it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from keen_compass.app.port_link import PortLink
from keen_compass.errors import InputError, KeenCompassError
from keen_compass.formats.listing import Listing, Number, read_listing, understood
from keen_compass.language import tr
from keen_compass.machines.dialect import Dialect
from keen_compass.rounds import holding
from keen_compass.shop.listings import Lit, ask_again, keep, leave, lit
from keen_compass.shop.store import Shop
from keen_compass.words.holding import before_written


class ControllerModel(QObject):
    """`changed` after everything that was done; `learnt` when the logbook knows another number."""

    changed = Signal()
    learnt = Signal()

    def __init__(self, shop: Shop, machine: str, link: PortLink) -> None:
        super().__init__()
        self.link = link
        self.shop = shop
        self.machine = shop.machine(machine)
        self.listing: Listing | None = None
        self.data = b""
        self.file = ""
        self.by_cable = False
        self.trouble = ""
        self.found: list[Lit] = []

    @property
    def editable(self) -> bool:
        """Whether anything may be kept."""
        return not self.shop.read_only

    @property
    def live(self) -> bool:
        """Whether what is written into this file is in the controller."""
        return self.by_cable or self.file in self.machine.files

    def attempt(self, run: Callable[[], object]) -> bool:
        """Do something and show it all again; what is refused is said, and nothing else changes."""
        try:
            run()
            self.trouble = ""
        except KeenCompassError as error:
            self.trouble = str(error)
        self.look()
        return not self.trouble

    def look(self) -> None:
        """Everything again from the shop."""
        self.machine = self.shop.machine(self.machine.uid)
        self.found = lit(self.shop, self.machine, self.listing, self.file) if self.listing else []
        self.changed.emit()

    def read(self, name: str) -> None:
        """A file as it stands now."""

        def run() -> None:
            if not name.strip():
                raise InputError(tr("name a file first"))
            file = Path(name.strip()).expanduser().absolute()
            self.listing = read_listing(file)
            self.data, self.file, self.by_cable = self.listing.as_bytes(), str(file), False
            if self.live:
                found = lit(self.shop, self.machine, self.listing, self.file)
                holding.note_seen(self.shop, self.machine, tuple(one.quantity for one in found if one.same))

        self.attempt(run)

    def read_cable(self) -> None:
        """What the controller itself says that it holds."""
        self.link.read(self._told)

    def _told(self, listing: Listing) -> None:
        def run() -> None:
            self.listing, self.data = listing, listing.as_bytes()
            self.file, self.by_cable = "", True
            found = lit(self.shop, self.machine, listing)
            holding.note_seen(self.shop, self.machine, tuple(one.quantity for one in found if one.same))

        self.attempt(run)

    def _send(self, key: str, number: str, reason: str) -> None:
        """Over the cable; what it held is kept before, what it holds is read back."""
        if self.attempt(lambda: keep(self.shop, self.machine.uid, self.data, reason[:200], self.link.path)):
            self.link.send(key, number, lambda back: self._told(back[1]))

    def answered(self, dialect: Dialect) -> None:
        """It was connected in this language: the profile remembers port and language."""
        if self.link.practising:  # it is gone with the connection
            return
        if not self.shop.read_only and (self.machine.port, self.machine.dialect) != (self.link.path, dialect):
            self.attempt(lambda: self._put(port=self.link.path, dialect=dialect))

    def keep_dialect(self, dialect: Dialect, port: str) -> None:
        """How it is spoken to from now on."""
        self._put(dialect=dialect, port=port or self.machine.port)

    def say_live(self, live: bool) -> None:
        """Whether the controller's program reads this very file."""
        self.attempt(lambda: self._put(settings_file=self.file if live else ""))

    def _put(self, **changed: object) -> None:
        self.shop.put_machine(replace(self.machine, **changed))  # type: ignore[arg-type]

    def name_key(self, *named: tuple[str, str]) -> None:
        """These quantities stand under these keys."""
        keys = dict(named)
        spots = {q: spot for q, spot in self.machine.spots.items() if q not in keys}
        self.attempt(lambda: self._put(setting_keys={**self.machine.setting_keys, **keys}, spots=spots))

    def point(self, quantity: str, number: Number, flipped: bool | None) -> None:
        """A quantity is at this place of the text: under its key where it is all of a setting, else where it is.

        flipped: whether the controller counts it the other way; None where that is no question.
        """
        assert self.listing is not None
        entry = next((e for e in self.listing.entries if e.start == number.start and e.value == number.text), None)
        keys, spots = dict(self.machine.setting_keys), dict(self.machine.spots)
        spots.pop(quantity, None)
        if entry is not None and self.listing.stands_alone(entry):
            keys[quantity] = self.listing.name_of(entry)
        else:
            spots[quantity] = self.listing.spot(number, self.file)
        signs = set(self.machine.flipped)
        if flipped is not None:
            signs = signs | {quantity} if flipped else signs - {quantity}
        self.attempt(lambda: self._put(setting_keys=keys, spots=spots, flipped=tuple(sorted(signs))))

    def take(self, one: Lit) -> None:
        """The controller really holds what is here."""
        if self.attempt(lambda: holding.take(self.shop, self.machine, one)):
            self.learnt.emit()

    def write(self, one: Lit) -> None:
        """The logbook's number into the file, or over the cable; what stood there is kept before."""
        if self.by_cable:
            assert one.held is not None
            place = self.machine.place(one.quantity)
            number = place.number(one.held.stored)
            self._send(place.key, number, before_written(one.quantity, number))
            return

        def run() -> None:
            assert one.held is not None
            _, after = holding.write(self.shop, self.machine, one.quantity, one.held.stored, self.file, self.data)
            self._stands(after)

        self.attempt(run)

    def write_key(self, key: str, value: str) -> None:
        """Another value of any key, as it is in another listing."""
        if self.by_cable:
            self._send(key, value, tr("Before {key} became {value}", key=key, value=value))
            return

        def run() -> None:
            assert self.listing is not None
            self._replace(self.listing.changed({key: value}), tr("Before {key} became {value}", key=key, value=value))

        self.attempt(run)

    def put_back(self, data: bytes, reason: str) -> None:
        """The whole file as it was."""
        self.attempt(lambda: self._replace(data, tr("Before {reason} was put back", reason=reason)))

    def _replace(self, after: bytes, reason: str) -> None:
        holding.replace(self.shop, self.machine.uid, self.file, self.data, after, reason[:200])
        self._stands(after)

    def _stands(self, after: bytes) -> None:
        self.listing, self.data = understood(after), after

    def leave(self, what: str, here: str, there: str, reason: str) -> bool:
        """A difference stays, and why."""
        return self.attempt(lambda: leave(self.shop, self.machine.uid, what, here, there, reason))

    def ask_again(self, what: str) -> None:
        """Take back that a difference was left: it is asked about again."""
        self.attempt(lambda: ask_again(self.shop, self.machine.uid, what))
