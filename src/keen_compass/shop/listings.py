"""Copies of a controller's listing that a shop keeps, the maker's sheet among them; what one says of a machine."""

from __future__ import annotations

import uuid
from dataclasses import dataclass

from keen_compass.errors import InputError
from keen_compass.formats.listing import Entry, Listing, same_value, understood
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
    """A number of the machine that stands in a listing. held: what the logbook says; None where it says nothing."""

    quantity: str
    entry: Entry
    held: KeptValue | None
    same: bool


def keep(
    shop: Shop, machine: str, data: bytes, reason: str, origin: str = "", *, sheet: bool = False
) -> None:  # fmt: skip
    """Keep a copy with its date; what is kept already as the newest is not kept twice. Raises InputError."""
    if not reason.strip() or len(reason) > LONGEST_REASON:
        raise InputError("say in a few words why it is kept", "reason")
    understood(data)
    newest = next((c for c in copies(shop, machine) if c.sheet is sheet), None)
    with shop.writing():
        blob = shop.put_blob(data, "text/plain")
        if newest is not None and newest.blob == blob:
            return
        body = {"name": reason.strip(), "machine": machine, "sheet": sheet, "origin": origin, "blob": blob,
                "at": shop.clock()}  # fmt: skip
        shop.put_things("listing", {uuid.uuid4().hex: body})


def copies(shop: Shop, machine: str) -> list[Copy]:
    """The newest first."""
    found = [
        Copy(uid, body["at"], body["name"], body["sheet"], body["origin"], body["blob"])
        for uid, body in shop.things_by_uid("listing").items() if body["machine"] == machine
    ]  # fmt: skip
    return sorted(found, key=lambda c: c.at, reverse=True)


def copied(shop: Shop, copy: Copy) -> bytes:
    """Its bytes. Raises InputError where this file doesn't have them."""
    data = shop.blob(copy.blob)
    if data is None:
        raise InputError("this copy’s text is not in this shop file", copy.reason)
    return data


def lit(shop: Shop, machine: Machine, listing: Listing) -> list[Lit]:
    """The machine's numbers that stand in a listing under the names that its profile gives them."""
    held = shop.values(machine.uid)
    found = []
    for quantity in machine.quantities:
        if not machine.in_controller(quantity):
            continue
        place = machine.place(quantity)
        try:
            entry = listing.entry(place.key)
        except InputError:
            continue
        kept = held.get(quantity)
        same = kept is not None and same_value(entry.value, place.text(kept.stored))
        found.append(Lit(quantity, entry, kept, same))
    return found


def typed_there(machine: Machine, one: Lit) -> StoredValue:
    """The number that stands in the listing, as the machine keeps it. Raises InputError where it is none."""
    return machine.place(one.quantity).typed(one.entry.value)
