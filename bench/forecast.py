"""Values over simulated years, looked at again on the day that is forecast: are nine in ten still in on that day, and
how many looks a year does it take against one interval for all, at equal risk?

python bench/forecast.py [VALUES]

A value drifts steadily, wanders, jumps where nobody saw it, jumps at events that everybody saw (it is looked at then),
or does nothing at all, at a pace that differs from value to value; what is found out of tolerance is put right.
"""

from __future__ import annotations

import math
import random
import sys
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass

from keen_compass.solve.forecast import LEAST_DAYS, Change, holds_for, wander_of

T = 0.4  # tolerance
USUAL = 183.0  # days, the machine's own interval
YEARS = 6
LAST = 8  # findings that a forecast takes
KINDS = ("drifts", "wanders", "jumps unseen", "jumps at events", "does nothing", "few findings")
INTERVALS = (15, 30, 45, 60, 90, 120, 183, 270, 365)


@dataclass
class Life:
    """One value: true error by day, and the days of events."""

    errors: list[float]
    events: set[int]


def life(kind: str, rng: random.Random) -> Life:
    """As it would be if nobody touched it."""
    days = 365 * YEARS
    pace = T / math.exp(rng.uniform(math.log(40), math.log(800)))  # a tolerance in so many days
    way, at, errors, events = rng.choice((-1, 1)), 0.0, [], set()
    for day in range(days):
        if kind in ("drifts", "few findings"):
            at += way * pace
        elif kind == "wanders":
            at += rng.gauss(0, math.sqrt(pace * T / 2))
        elif kind == "jumps unseen" and rng.random() < pace / T / 2:
            at += rng.gauss(0, T)
        elif kind == "jumps at events" and rng.random() < 1 / 120:
            at += rng.gauss(0, T)
            events.add(day)
        errors.append(at)
    return Life(errors, events)


@dataclass
class Tally:
    """looks: how many; out: days out of tolerance, of days; due: forecasts that came due; still: those still in."""

    looks: int = 0
    out: int = 0
    days: int = 0
    due: int = 0
    still: int = 0

    def __add__(self, other: Tally) -> Tally:
        return Tally(*(a + b for a, b in zip(self._all(), other._all(), strict=True)))

    def _all(self) -> Iterator[int]:
        return iter((self.looks, self.out, self.days, self.due, self.still))


def lived(one: Life, rng: random.Random, interval: int | None, first: int) -> Tally:
    """Looked at on the forecast day, or at one interval. first: findings before anything counts."""
    u = 0.1 * T  # of a look, standard
    put_right, left, tally = 0.0, 0.0, Tally()  # by how much it was corrected so far; what is known to be left
    found: list[Change] = []
    due, last = 0, -1
    for day, drifted in enumerate(one.errors):
        error = drifted - put_right
        counts = len(found) > first
        tally.days += counts
        tally.out += counts and abs(error) > T
        if day < due and day not in one.events:
            continue
        if counts and day == due and interval is None:
            tally.due += 1
            tally.still += abs(error) <= T
        tally.looks += counts
        seen = error + rng.gauss(0, u)
        if last >= 0 and not any(last < e <= day for e in one.events):  # how it moves by itself
            found.append(Change(day - last, seen - left, 1.96 * u * math.sqrt(2)))
        left = seen
        if abs(seen) > T / 2:  # it is corrected, and confirmed by another look
            put_right += seen
            left = drifted - put_right + rng.gauss(0, u)
        last = day
        changes = [c for c in found if c.days >= LEAST_DAYS][-LAST:]
        days = holds_for(left, 1.96 * u, T, wander_of(changes, T, USUAL)) if interval is None else interval
        due = day + max(min(days, round(USUAL)), 1)  # a machine is looked at after its own interval, whatever it did
        if len(found) <= first and interval is None:
            due = day + min(due - day, 60)
    return tally


def walk(task: tuple[str, int, int | None]) -> Tally:
    """One value, one way of looking."""
    kind, seed, interval = task
    one = life(kind, random.Random(f"{kind}/{seed}"))
    return lived(one, random.Random(f"{kind}/{seed}/looks"), interval, 0 if kind == "few findings" else 3)


def main() -> None:
    """Live and print."""
    values = int(sys.argv[1]) if len(sys.argv) > 1 else 400
    with ProcessPoolExecutor() as pool:
        both: dict[int | None, Tally] = {}
        for kind in KINDS:
            told = {}
            for interval in (None, *INTERVALS):
                tasks = [(kind, seed, interval) for seed in range(values)]
                told[interval] = sum(pool.map(walk, tasks, chunksize=20), Tally())
                both[interval] = both.get(interval, Tally()) + told[interval]
            print(said(kind, told), flush=True)
        print(said("all", both), flush=True)


def said(kind: str, told: dict[int | None, Tally]) -> str:
    """One line."""
    ours = told[None]
    risk, looks = ours.out / ours.days, 365 * ours.looks / ours.days
    alike = [(365 * t.looks / t.days, t.out / t.days) for i, t in told.items() if i is not None]
    enough = [x for x, r in alike if r <= risk]
    fixed = f"{min(enough):.1f}" if enough else "none"
    still = 100 * ours.still / max(ours.due, 1)
    return (
        f"{kind}: in on its day {still:.1f} % of {ours.due}; out {100 * risk:.1f} % of days, {looks:.1f} looks a year; "
        f"at one interval {fixed}"
    )


if __name__ == "__main__":
    main()
