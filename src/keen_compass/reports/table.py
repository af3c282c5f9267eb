"""The logbook as CSV (RFC 4180): what its filters show, one line per entry."""

from __future__ import annotations

import csv
import io

from keen_compass.shop.logbook import Filter, entries
from keen_compass.shop.store import Shop
from keen_compass.words.logbook import entry_words

COLUMNS = ("when_utc", "machine", "kind", "quantity", "verdict", "words")


def to_csv(shop: Shop, wanted: Filter) -> str:
    """What passes the filters."""
    names = {m.uid: m.name for m in shop.machines()}
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(COLUMNS)
    for e in entries(shop, wanted):
        row = (e.at, names.get(e.machine, e.machine), e.kind, e.quantity or "", e.verdict or "", entry_words(e))
        writer.writerow([_plain(cell) for cell in row])
    return out.getvalue()


def _plain(cell: str) -> str:
    """Spreadsheets run a cell that begins like a formula; a leading apostrophe keeps it text."""
    return f"'{cell}" if cell[:1] in ("=", "+", "-", "@", "\t", "\r", "\n") else cell
