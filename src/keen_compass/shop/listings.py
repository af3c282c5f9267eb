"""Copies of a controller's listing that a shop keeps, the maker's sheet among them; what one says of a machine, and
which of its differences were left as they are.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from hashlib import sha256

from keen_compass.errors import InputError
from keen_compass.formats.listing import Listing, Number, means, number_in, understood, written_like
from keen_compass.language import tr
from keen_compass.machines.fitted import new_uid
from keen_compass.machines.profile import Machine
from keen_compass.quantities.stored import StoredValue
from keen_compass.shop.kept import KeptValue
from keen_compass.shop.store import Shop

LONGEST_REASON = 200


@dataclass(frozen=True, slots=True)
class Copy:
    """reason: why it was kept. sheet: it is the maker's. origin: the file it was read from. blob: its bytes."""

    uid: str
    at: str
    reason: str
    sheet: bool
    origin: str
    blob: str


@dataclass(frozen=True, slots=True)
class Lit:
    """A number of the machine that is in a text. held: what the logbook says; None where it says nothing.

    text: as it is there, from `start`, in `line` (from 1). spot: whether it was pointed at and has no name there.
    """

    quantity: str
    text: str
    start: int
    line: int
    spot: bool
    held: KeptValue | None
    same: bool


@dataclass(frozen=True, slots=True)
class Left:
    """A difference that someone decided to leave. here, there: what stood in the two then."""

    here: str
    there: str
    reason: str
    at: str


def keep(shop: Shop, machine: str, data: bytes, reason: str, origin: str = "", *, sheet: bool = False) -> None:
    """Keep a copy with its date; what is kept already as the newest is not kept twice. Raises InputError."""
    if not reason.strip() or len(reason) > LONGEST_REASON:
        raise InputError(tr("say in a few words why it is kept"), "reason")
    understood(data)
    newest = next((c for c in copies(shop, machine) if c.sheet is sheet), None)
    with shop.writing():
        blob = shop.put_blob(data)
        if newest is not None and newest.blob == blob:
            return
        body = {
            "name": reason.strip(),
            "machine": machine,
            "sheet": sheet,
            "origin": origin,
            "blob": blob,
            "at": shop.clock(),
        }
        shop.put_things("listing", {new_uid(): body})


def copies(shop: Shop, machine: str) -> list[Copy]:
    """Every copy that is kept of a machine's listing, the newest first."""
    found = [
        Copy(uid, body["at"], body["name"], body["sheet"], body["origin"], body["blob"])
        for uid, body in shop.things_by_uid("listing").items()
        if body["machine"] == machine
    ]
    return sorted(found, key=lambda c: c.at, reverse=True)


def copied(shop: Shop, copy: Copy) -> bytes:
    """Its bytes. Raises InputError where this file doesn't have them."""
    data = shop.blob(copy.blob)
    if data is None:
        raise InputError(tr("this copy’s text is not in this shop file"), copy.reason)
    return data


def lit(shop: Shop, machine: Machine, listing: Listing, file: str = "") -> list[Lit]:
    """The machine's numbers that stand in a text: under the names that its profile gives them, or where someone
    pointed. file: which text it is.
    """
    held = shop.values(machine.uid)
    found = []
    for quantity in machine.quantities:
        there = where_in(machine, listing, quantity, file) if machine.in_controller(quantity) else None
        if there is None:
            continue
        kept = held.get(quantity)
        same = kept is not None and means(there.text, machine.place(quantity).number(kept.stored))
        found.append(Lit(quantity, there.text, there.start, there.line, quantity in machine.spots, kept, same))
    return found


def where_in(machine: Machine, listing: Listing, quantity: str, file: str) -> Number | None:
    """The number of a quantity in a text; None where it isn't in it."""
    spot = machine.spots.get(quantity)
    try:
        if spot:
            return listing.at_spot(spot) if spot.file == file else None
        entry = listing.entry(machine.place(quantity).key)
    except InputError:
        return None
    return Number(entry.value, entry.start, entry.end, entry.line, 0)


def written(machine: Machine, listing: Listing, quantity: str, stored: StoredValue, file: str) -> tuple[str, bytes]:
    """(the number as it will be there, the text with it); nothing else differs by a byte. Raises InputError."""
    place, spot = machine.place(quantity), machine.spots.get(quantity)
    if spot and spot.file == file:
        there = listing.at_spot(spot)
        new = written_like(there.text, place.number(stored))
        return new, listing.with_number(there.line, there.column, there.text, new)
    new = written_like(listing.entry(place.key).value, place.number(stored))
    return new, listing.changed({place.key: new})


def typed_there(machine: Machine, one: Lit) -> StoredValue:
    """The number that is in the text, as the machine keeps it. Raises InputError where it is none."""
    place = machine.place(one.quantity)
    if one.held is None:
        return place.typed(one.text)
    near = place.number(one.held.stored)
    value = number_in(one.text, float(near))
    if value is None:
        raise InputError(tr("is no number"), one.text)
    return place.holding(one.held.stored).renewed(value)


# What was left as it is


def leave(shop: Shop, machine: str, what: str, here: str, there: str, reason: str) -> None:
    """Record that a difference stays, and why. what: a key, or a quantity. Raises InputError without a reason."""
    if not reason.strip() or len(reason) > LONGEST_REASON:
        raise InputError(tr("say in a few words why it stays"), "reason")
    _put_left(shop, machine, what, {"here": here, "there": there, "name": reason.strip()})


def ask_again(shop: Shop, machine: str, what: str) -> None:
    """What was left is asked about again."""
    _put_left(shop, machine, what, {"here": "", "there": "", "name": "-"})


def _put_left(shop: Shop, machine: str, what: str, said: dict[str, str]) -> None:
    uid = sha256("\x1f".join((machine, what)).encode("utf-8", "surrogatepass")).hexdigest()[:32]
    shop.put_things("left", {uid: {"machine": machine, "what": what, "at": shop.clock(), **said}})


def lefts(shop: Shop, machine: str) -> dict[str, Left]:
    """What was said last of each difference that was left, by what it is of."""
    return {
        body["what"]: Left(body["here"], body["there"], body["name"], body["at"])
        for body in shop.things_of("left")
        if body["machine"] == machine
    }


def left(known: Mapping[str, Left], what: str, here: str, there: str) -> Left | None:
    """What was said of this difference; None where nothing was, or where it has changed since."""
    found = known.get(what)
    return found if found and (found.here, found.there) == (here, there) else None
