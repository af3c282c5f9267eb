"""What was done in a shop in a period, on paper: rounds, values found, what is open, what is due next."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from keen_compass import __version__
from keen_compass.language import dated, tr
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.reports.paper import QUIET, Paper
from keen_compass.shop.due import due_on
from keen_compass.shop.logbook import Filter, entries
from keen_compass.shop.standing import standings
from keen_compass.shop.store import Shop
from keen_compass.words.due import because
from keen_compass.words.logbook import day_of, entry_words
from keen_compass.words.standing import figure, reason, summary

AHEAD = 30  # days, whose due values are listed
MOST = 400  # entries


def shop_report(shop: Shop, title: str, since: datetime | None, now: datetime | None = None) -> bytes:
    """The PDF of what was done since then (UTC; all of it where None is given) on all machines in use."""
    now = now or datetime.now(UTC)
    machines = shop.machines()
    standing = standings(shop, machines, now)
    paper = Paper(tr("{title}: shop report", title=title), title)
    paper.line(tr("{title}: shop report", title=title), 20, bold=True)
    first = tr("{on} to", on=dated(since.astimezone(), "%-d %B %Y")) if since else tr("until")
    paper.line(f"{first} {dated(now.astimezone(), '%-d %B %Y')}", 11, QUIET)
    for machine in machines:
        spokes = standing[machine.uid]
        _heading(paper, f"{machine.name}, {machine.kind.said}: {summary(spokes)[0]}")
        rows = [
            (QUANTITIES[s.quantity].label, figure(s, machine), reason(s, machine), day_of(s.at) if s.at else "-")
            for s in spokes
        ]
        paper.table((tr("Value"), tr("Error"), tr("State"), tr("Measured")), (0.20, 0.17, 0.48, 0.15), rows)
    _heading(paper, tr("Due in the next {AHEAD} days", AHEAD=AHEAD))
    last = (now + timedelta(AHEAD)).date()
    due = [d for m in machines for d in due_on(shop, m, standing[m.uid], now) if d.on <= last]
    due.sort(key=lambda d: (d.on, d.machine.name, d.quantity))
    rows_due = [(dated(d.on, "%-d %b"), d.machine.name, QUANTITIES[d.quantity].label, because(d)) for d in due]
    paper.table((tr("Day"), tr("Machine"), tr("Value"), tr("Why")), (0.10, 0.18, 0.20, 0.52), rows_due)
    _heading(paper, tr("Logbook"))
    of = {m.uid: m for m in machines}
    names = {uid: m.name for uid, m in of.items()}
    found = entries(shop, Filter(since=since.isoformat() if since else ""), MOST)
    lines = [(day_of(e.at), names.get(e.machine, "-"), entry_words(e, of.get(e.machine))) for e in found]
    paper.table((tr("Day"), tr("Machine"), tr("Entry")), (0.16, 0.18, 0.66), lines)
    if len(found) == MOST:
        paper.line(tr("The newest {MOST} entries; all of them are in the logbook.", MOST=MOST), 9, QUIET)
    paper.line(tr("Keen Compass {version}", version=__version__), 8, QUIET)
    return paper.done()


def _heading(paper: Paper, words: str) -> None:
    paper.y -= 18
    paper.line(words, 13, bold=True)
    paper.y -= 4
