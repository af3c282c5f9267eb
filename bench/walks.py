"""Machines as they turn up, each walked to what can be told: how much of it is in, and how much of that really is.

python bench/walks.py [SEEDS] [KIND …]
"""

from __future__ import annotations

import sys
from collections import Counter
from concurrent.futures import ProcessPoolExecutor

from keen_compass.practice.whole_rounds import practice_on
from keen_compass.quantities.kinds import MachineKind
from keen_compass.shop.standing import spokes


def walked(task: tuple[MachineKind, int]) -> tuple[Counter[str], list[str]]:
    """(what came of one machine's quantities, those that are in and aren't)."""
    kind, seed = task
    found: Counter[str] = Counter()
    wrong = []
    with practice_on(kind, seed) as practice:
        practice.walk()
        for spoke in spokes(practice.shop, practice.machine):
            found[str(spoke.state)] += 1
            left = practice.left(spoke.quantity)
            if left and spoke.state == "in":
                found["judged"] += 1
                if left["tolerances"] > 1:
                    wrong.append(f"{kind} {seed}: {spoke.quantity} {left['tolerances']:.2f} T")
        for done in practice.walked:
            found[f"rounds {min(done.rounds, 4)}"] += 1
    return found, wrong


def main() -> None:
    """Walk and print."""
    seeds = int(sys.argv[1]) if len(sys.argv) > 1 else 60
    kinds = [MachineKind(name) for name in sys.argv[2:]] or list(MachineKind)
    with ProcessPoolExecutor() as pool:
        for kind in kinds:
            total: Counter[str] = Counter()
            wrong: list[str] = []
            for found, false in pool.map(walked, [(kind, seed) for seed in range(seeds)]):
                total, wrong = total + found, wrong + false
            share = 100 * len(wrong) / max(total["judged"], 1)
            print(f"{kind}: {dict(sorted(total.items()))}; in, but not really: {share:.1f} % {wrong}", flush=True)


if __name__ == "__main__":
    main()
