"""The whole shop at one look: each machine's state, who waits in which step, what is due in the days to come."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import UTC, date, datetime, timedelta
from typing import NamedTuple

from keen_compass.machines.profile import Machine
from keen_compass.shop.due import DAYS, Due
from keen_compass.shop.standing import Spoke, State, as_drawn, standings
from keen_compass.shop.store import Shop
from keen_compass.words.standing import summary

MANY = 4  # machines of a kind, from which on kinds are kept apart


class Seen(NamedTuple):
    """One machine. spokes: all of them, in the order of dependence; drawn: those of its rose. words, state: one line
    for all, and what colours it. step: of a round under way, empty for none.
    """

    machine: Machine
    spokes: list[Spoke]
    drawn: list[Spoke]
    words: str
    state: State
    step: str

    @property
    def needs_somebody(self) -> bool:
        """Whether something isn't in, or a round waits."""
        return self.state is not State.IN or bool(self.step)


def glance(shop: Shop, now: datetime | None = None) -> list[Seen]:
    """Every machine in use, as the rail has them."""
    machines = shop.machines()
    standing, steps = standings(shop, machines, now), shop.steps_under_way()
    found = []
    for machine in machines:
        spokes = standing[machine.uid]
        words, state = summary(spokes)
        found.append(Seen(machine, spokes, as_drawn(spokes), words, state, steps.get(machine.uid, "")))
    return found


def chosen(seen: Iterable[Seen], words: str = "", *, waiting: bool = False) -> list[Seen]:
    """Those whose name, kind, state or step has all of these words; waiting: only those that need somebody."""
    wanted = words.casefold().split()

    def fits(one: Seen) -> bool:
        said = f"{one.machine.name} {one.machine.kind.said} {one.words} {one.step}".casefold()
        return all(w in said for w in wanted) and (one.needs_somebody or not waiting)

    return [one for one in seen if fits(one)]


def grouped(seen: Sequence[Seen]) -> list[tuple[str, list[Seen]]]:
    """By kind of machine, kinds in the order in which they come first; without a name where kinds have few each."""
    groups: dict[str, list[Seen]] = {}
    for one in seen:
        groups.setdefault(one.machine.kind.said, []).append(one)
    return list(groups.items()) if len(seen) >= MANY * len(groups) else [("", list(seen))]


def by_day(found: Iterable[Due], now: datetime | None = None) -> list[tuple[date, list[Due]]]:
    """The days ahead, each with what is due on it."""
    first = (now or datetime.now(UTC)).date()
    days: dict[date, list[Due]] = {first + timedelta(days=i): [] for i in range(DAYS)}
    for one in found:
        if one.on in days:
            days[one.on].append(one)
    return list(days.items())
