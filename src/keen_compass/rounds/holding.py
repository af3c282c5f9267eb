"""What the files of a machine hold, beside what the logbook says of it: looked at, noted, written, put back.

Whenever a number is seen, that is kept (*seen*): of a piece that was made while a number was seen before and after, it
is sure with which it was made. Where a number stands otherwise than the logbook has it, nobody knows since when; the
pieces that were made since it was last seen are in doubt (*found otherwise*).
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from dataclasses import replace as replace_fields
from pathlib import Path

from keen_compass.controllers.by_file import change
from keen_compass.errors import InputError
from keen_compass.formats.listing import Listing, means, number_in, read_listing, understood
from keen_compass.language import tr
from keen_compass.machines.profile import Machine
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.notes import Note, note
from keen_compass.quantities.resolution import ResolutionForm
from keen_compass.quantities.stored import StoredValue
from keen_compass.rounds.context import RoundContext
from keen_compass.shop.kept import KeptValue
from keen_compass.shop.listings import Lit, keep, leave, left, lefts, lit, typed_there, where_in, written
from keen_compass.shop.pieces import FOUND_OTHERWISE, SEEN
from keen_compass.shop.store import Shop
from keen_compass.solve.drive import explain_ratio
from keen_compass.words.holding import before_sent_back, before_written


@dataclass(frozen=True, slots=True)
class Otherwise:
    """A number that is in a file otherwise than the logbook has it.

    file: empty where the controller itself said it. text: as it is there, in `line` (from 1). since: when it was
    last known to be as the logbook says (UTC).
    """

    quantity: str
    file: str
    line: int
    text: str
    held: KeptValue
    since: str
    lit: Lit


@dataclass(frozen=True, slots=True)
class Look:
    """otherwise: what differs and was not left so. same: quantities that stand as the logbook has them. trouble: file →
    why nothing could be seen in it; missing: quantities that are not where they were.
    """

    otherwise: tuple[Otherwise, ...]
    same: tuple[str, ...]
    trouble: Mapping[str, str]
    missing: tuple[str, ...]


NOTHING = Look((), (), {}, ())


def look(shop: Shop, machine: Machine) -> Look:
    """What the machine's files hold now."""
    otherwise: list[Otherwise] = []
    same: list[str] = []
    missing: list[str] = []
    trouble: dict[str, str] = {}
    for file in machine.files:
        try:
            listing = read_listing(Path(file))
        except InputError as error:
            trouble[file] = error.message
            continue
        found = {one.quantity: one for one in lit(shop, machine, listing, file)}
        same += [q for q, one in found.items() if one.same]
        otherwise += [o for one in found.values() if not one.same and (o := _otherwise(shop, machine, one, file))]
        wanted = [q for q, spot in machine.spots.items() if spot.file == file]
        if file == machine.settings_file:
            wanted += machine.setting_keys.keys() - machine.spots.keys()
        held = shop.values(machine.uid)
        missing += [q for q in held if q in wanted and q not in found and machine.in_controller(q)]
    return Look(tuple(otherwise), tuple(same), trouble, tuple(missing))


def look_at(shop: Shop, machine: Machine, listing: Listing) -> Look:
    """What a controller said over its cable that it holds."""
    found = lit(shop, machine, listing)
    otherwise = (_otherwise(shop, machine, one, "") for one in found if not one.same)
    same = tuple(one.quantity for one in found if one.same)
    return Look(tuple(o for o in otherwise if o is not None), same, {}, ())


def _otherwise(shop: Shop, machine: Machine, one: Lit, file: str) -> Otherwise | None:
    """None where the logbook knows no number, or where it was left so."""
    if one.held is None or left(lefts(shop, machine.uid), one.quantity, one.text, ours_of(machine, one)):
        return None
    return Otherwise(
        one.quantity, file, one.line, one.text, one.held, last_seen(shop, machine.uid, one.quantity, one.held), one
    )


def ours_of(machine: Machine, one: Lit) -> str:
    """The logbook's number of what is in a text."""
    return machine.place(one.quantity).number(one.held.stored) if one.held else ""


def why_otherwise(machine: Machine, quantity: str, here: str, there: str) -> Note | None:
    """What two numbers of one place that differ look like: a switch, teeth, inches, a sign; None for nothing known."""
    b = number_in(there)
    a = number_in(here, b)
    if not a or not b:
        return None
    if a == -b:
        return note("other_sign")
    form = machine.place(quantity).form
    if form is ResolutionForm.PERCENT_0:
        return None
    found = explain_ratio(a / b, 1.0) if a / b > 0 else None
    if found is None or not (form or found.values["cause"] == "parts_inches"):
        return None
    return note("ratio_between", ratio=a / b, cause=found.values["cause"])


def last_seen(shop: Shop, machine: str, quantity: str, held: KeptValue) -> str:
    """When a number was last known to be as the logbook says: when it was put there, or seen there since."""
    times = [at for at, kind, text in shop.events(machine) if kind == SEEN and quantity in text.split()]
    return max([held.at, *(at for at in times if at > held.at)])


def note_seen(shop: Shop, machine: Machine, same: tuple[str, ...]) -> None:
    """Keep that these were seen as the logbook has them, where anything was made since that was kept last."""
    if shop.read_only or not same:
        return
    seen = [(at, text) for at, kind, text in shop.events(machine.uid) if kind == SEEN]
    text = " ".join(same)
    if seen and seen[-1][1] == text and not shop.machine_pieces(machine.uid, seen[-1][0]):
        return
    shop.put_event(machine.uid, SEEN, text)


def take(shop: Shop, machine: Machine, one: Lit) -> None:
    """The controller really holds what is in a file: the logbook learns it, and what was made meanwhile is in
    doubt. Raises InputError where it is no number.
    """
    stored = typed_there(machine, one)
    with shop.writing():
        if one.held is not None:
            _put_found(shop, machine, one, one.held)
        shop.put_value(machine.uid, one.quantity, stored, "found", subject=machine.subject)


def _put_found(shop: Shop, machine: Machine, one: Lit, held: KeptValue) -> None:
    """That a number stood otherwise than the logbook had it."""
    since = last_seen(shop, machine.uid, one.quantity, held)
    meanwhile = [p.number for p in shop.machine_pieces(machine.uid, since)]
    said = note(
        f"shop.{FOUND_OTHERWISE}",
        quantity=one.quantity,
        here=one.text,
        said=ours_of(machine, one),
        since=since,
        pieces=meanwhile,
    )
    shop.put_event(machine.uid, FOUND_OTHERWISE, json.dumps(said.to_body()))


def write(
    shop: Shop, machine: Machine, quantity: str, stored: StoredValue, file: str, read: bytes
) -> tuple[str, bytes]:
    """A number into a file that stands as it was read; it is kept as it was before, and read back after.

    Returns the number as it is there now, and the file's bytes. Raises InputError, with nothing changed, where the
    file changed meanwhile, another program holds it, or the number isn't where it was.
    """
    listing = understood(read)
    there = where_in(machine, listing, quantity, file)
    if there is None:
        raise InputError(tr("{label} is not where it was: point at it again", label=QUANTITIES[quantity].label), file)
    text, after = written(machine, listing, quantity, stored, file)
    held = shop.value(machine.uid, quantity)
    one = Lit(quantity, there.text, there.start, there.line, quantity in machine.spots, held, same=False)
    behind = held is not None and not means(there.text, machine.place(quantity).number(held.stored))
    with shop.writing():
        if behind and held is not None:
            _put_found(shop, machine, one, held)
            shop.put_value(machine.uid, quantity, held.stored, "put_back", subject=machine.subject)
        replace(shop, machine.uid, file, read, after, before_written(quantity, text))
    return text, after


def replace(shop: Shop, machine: str, file: str, read: bytes, after: bytes, reason: str) -> None:
    """Other bytes into a file, whole or not at all; a copy of it is kept before. Raises InputError."""
    keep(shop, machine, read, reason, file)
    change(Path(file), read, after)


def read_back(machine: Machine, quantity: str, file: str) -> str:
    """The number as it is in the file now. Raises InputError where it isn't there."""
    there = where_in(machine, read_listing(Path(file)), quantity, file)
    if there is None:
        raise InputError(tr("{label} can’t be read back from it", label=QUANTITIES[quantity].label), file)
    return there.text


def bytes_of(file: str) -> bytes:
    """What is in it. Raises InputError."""
    found: Listing = read_listing(Path(file))
    return found.as_bytes()


class Holding:
    """What a round's machine holds, looked at when the round is opened and whenever something was answered."""

    def __init__(self, context: RoundContext) -> None:
        self._c = context
        self._found: Look | None = None
        self._told: Listing | None = None

    def told(self, listing: Listing) -> None:
        """What the controller said over its cable that it holds."""
        self._told = listing
        self._found = None
        self._c.changed()

    @property
    def found(self) -> Look:
        """What was seen last; nothing of a round that is over."""
        shop, machine = self._c.shop, self._c.machine
        if self._c.kept.status != "open" or not (machine.files or self._told):
            return NOTHING
        if self._found is None:
            self._found = look(shop, machine)
            if self._told:
                over = look_at(shop, machine, self._told)
                self._found = replace_fields(
                    self._found, otherwise=self._found.otherwise + over.otherwise, same=self._found.same + over.same
                )
            note_seen(self._c.shop, self._c.machine, self._found.same)
        return self._found

    def look_again(self) -> None:
        """Somebody may have changed something meanwhile."""
        self._found = None

    def take(self, one: Otherwise) -> None:
        """What is there is right: the logbook learns it."""
        take(self._c.shop, self._c.machine, one.lit)
        self._answered()

    def write_back(self, one: Otherwise) -> None:
        """The logbook's number is right: it goes into the file again. Raises InputError with nothing changed."""
        write(self._c.shop, self._c.machine, one.quantity, one.held.stored, one.file, bytes_of(one.file))
        self._answered()

    def keep_told(self, reason: str) -> None:
        """A copy of what the controller said that it holds."""
        if self._told:
            keep(self._c.shop, self._c.kept.machine, self._told.as_bytes(), reason, self._c.machine.port)

    def before_sending(self, one: Otherwise) -> None:
        """What the controller said that it holds is kept, and that it stood otherwise, before the logbook's is sent."""
        shop, machine = self._c.shop, self._c.machine
        with shop.writing():
            self.keep_told(before_sent_back(one.quantity))
            _put_found(shop, machine, one.lit, one.held)
            shop.put_value(machine.uid, one.quantity, one.held.stored, "put_back", subject=machine.subject)
        self._answered()

    def leave(self, one: Otherwise, reason: str) -> None:
        """It stays so. Raises InputError without a reason."""
        leave(self._c.shop, self._c.kept.machine, one.quantity, one.text, ours_of(self._c.machine, one.lit), reason)
        self._answered()

    def _answered(self) -> None:
        self._found = None
        self._c.history.forget()
        self._c.changed()
