"""The logbook: findings, changes of numbers, endings of rounds and events, newest first, filtered."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable
from operator import itemgetter
from typing import Any, Final, NamedTuple

from keen_compass.machines.profile import Machine
from keen_compass.shop.pieces import SEEN
from keen_compass.shop.store import Shop

USUAL_DECIMALS = 3
SILENT = ("new_sheet", "settings_kept", SEEN)  # kept, but nothing to read about


class Entry(NamedTuple):
    """One line, as the file gives it: a year's entries are listed at once, their words made when they are shown.

    kind: finding, value, signed, given_up or the kind of an event. at: UTC. first, second: what the kind needs.
    """

    kind: str
    at: str
    machine: str
    quantity: str | None
    verdict: str | None
    round: int | None
    first: Any
    second: Any
    decimals: int


class Filter(NamedTuple):
    """What to show; empty fields let everything through. since: UTC, ISO 8601."""

    machine: str = ""
    quantity: str = ""
    verdict: str = ""
    since: str = ""


EVERYTHING = Filter()


def entries(
    shop: Shop, wanted: Filter = EVERYTHING, most: int | None = None, silent: tuple[str, ...] = SILENT
) -> list[Entry]:
    """The entries that pass, newest first; kinds that are `silent` left out."""
    decimals = _decimals([shop.machine(wanted.machine)] if wanted.machine else shop.machines())
    rows = shop.log_rows(wanted.machine, wanted.quantity, wanted.verdict, wanted.since, silent, most)
    return [Entry._make((*row, decimals.get((row[2], row[3]), USUAL_DECIMALS))) for row in rows]


def latest(shop: Shop, machine: str, most: int) -> list[Entry]:
    """The newest entries of one machine that are not findings: those stand in the rose."""
    return entries(shop, Filter(machine), most, (*SILENT, "finding"))


# Where a line of the log is in the file, and by what it is filtered: as SQLite gives it, for there are many.
Key = tuple[str, int, str, str, str | None, str | None]
TABLE: Final = 0
NUMBER: Final = 1
AT: Final = 2
MACHINE: Final = 3
QUANTITY: Final = 4
VERDICT: Final = 5


class Log:
    """All of a shop's log as keys, newest first: light enough to be gone through at every change of a filter.

    What an entry says is read when it is asked for.
    """

    def __init__(self, shop: Shop) -> None:
        self._shop = shop
        self.version = shop.version
        self._keys: list[Key] = shop.log_keys(SILENT)
        for of in (NUMBER, AT):  # of equal times the one written last comes first; nearly in order as it is
            self._keys.sort(key=itemgetter(of), reverse=True)
        self._decimals = _decimals(shop.machines())
        self._read: dict[tuple[str, int], Entry] = {}

    def passing(self, wanted: Filter) -> list[Key]:
        """The keys that pass, newest first."""
        found = self._keys
        if since := wanted.since:
            found = found[: bisect_right(found, False, key=lambda key: key[AT] < since)]
        # What leaves the fewest comes first.
        for at, asked in ((VERDICT, wanted.verdict), (QUANTITY, wanted.quantity), (MACHINE, wanted.machine)):
            if asked:
                found = [key for key in found if key[at] == asked]
        return found

    def entry(self, key: Key) -> Entry:
        """What is at that place of the list."""
        at = key[TABLE], key[NUMBER]
        if at not in self._read:
            row = self._shop.log_row(*at)
            self._read[at] = Entry._make((*row, self._decimals.get((row[2], row[3]), USUAL_DECIMALS)))
        return self._read[at]


def _decimals(machines: Iterable[Machine]) -> dict[tuple[str, str], int]:
    """Of each machine's quantities, as its controller keeps them."""
    return {(m.uid, q): m.place(q).decimals for m in machines for q in m.quantities}
