"""Coverage of the stated 95 % intervals of every motion procedure, over whole stand-in rounds: file, run, readings.

Every machine is another: its faults, its instrument's own error (drawn once), how the rule lies. Unlike
coverage.py, which draws readings from the model itself, this goes through the files that are written.
"""

from __future__ import annotations

import sys
from concurrent.futures import ProcessPoolExecutor

from keen_compass.practice.whole_rounds import covered
from keen_compass.procedures import REGISTRY

ROUNDS = 200
BLOCK = 20


def block(task: tuple[str, int]) -> dict[str, tuple[int, int]]:
    """(inside, total) by quantity of some rounds of one procedure."""
    name, first = task
    found: dict[str, tuple[int, int]] = {}
    for seed in range(first, first + BLOCK):
        for quantity, hit in covered(name, seed).items():
            inside, total = found.get(quantity, (0, 0))
            found[quantity] = (inside + hit, total + 1)
    return found


def main() -> None:
    """Measure and print; names of procedures may be given."""
    names = sys.argv[1:] or list(REGISTRY)
    with ProcessPoolExecutor() as pool:
        for name in names:
            sums: dict[str, tuple[int, int]] = {}
            for part in pool.map(block, [(name, 10_000 + BLOCK * i) for i in range(ROUNDS // BLOCK)]):
                for quantity, (inside, total) in part.items():
                    before = sums.get(quantity, (0, 0))
                    sums[quantity] = (before[0] + inside, before[1] + total)
            words = ", ".join(f"{q} {100 * i / n:.1f} % of {n:,}" for q, (i, n) in sums.items())
            print(f"{name}: {words} (target >= 93 %)", flush=True)


if __name__ == "__main__":
    main()
