"""How much time the proposed order saves: python bench/planning.py [MACHINES]

Random machines with open questions, tolerances and instruments at hand. Each is brought to where every question has a
clear answer, twice: always by the best proposal, and one by one in the fixed order, each by its usual procedure.
What a piece settles is known from then on, with its U. A number that was found out of tolerance is corrected and
confirmed by the same piece again, in both ways alike. Prints minutes of both, and how many of the machines either way
left something open with what was at hand.
"""

from __future__ import annotations

import random
import statistics
import sys
from dataclasses import replace

from keen_compass.procedures import yielding
from keen_compass.procedures.case import Case
from keen_compass.procedures.case_input import case_from_json
from keen_compass.procedures.planning import PROCEDURE, Proposal, proposals
from keen_compass.solve.joint import Known

UNKNOWNS = {"x_steps": "x_scale", "y_steps": "y_scale", "x_backlash": "x_lost_motion", "y_backlash": "y_lost_motion",
            "kerf": "kerf"}  # fmt: skip
MOST_PIECES = 12


def machine(rng: random.Random) -> Case:
    """A machine as it may turn up; what isn't open is known well."""
    body = PROCEDURE.example()
    names = list(UNKNOWNS)
    body["open"] = rng.sample(names, rng.randint(2, len(names)))
    body["tolerance"] = {
        "x_steps": rng.uniform(0.3, 1.0), "y_steps": rng.uniform(0.3, 1.0), "kerf": rng.uniform(0.1, 0.3),
        "x_backlash": rng.uniform(0.05, 0.12), "y_backlash": rng.uniform(0.05, 0.12),
    }  # fmt: skip
    values = body["machine"]["values"]
    values["y_backlash"] = 0.03
    for quantity, unknown in UNKNOWNS.items():
        if quantity not in body["open"]:
            if quantity == "kerf":
                values["kerf"] = {"value": 6.0, "expanded_uncertainty": 0.04}
            else:
                values[unknown] = {"value": 0.0, "expanded_uncertainty": 1e-4 if "scale" in unknown else 0.015}
    body["largest_size"] = rng.choice((600, 800, 1200))
    body["piece_scatter"] = {"s": rng.uniform(0.006, 0.02), "dof": 15}
    return case_from_json(body)


def after(case: Case, done: Proposal) -> Case:
    """What it settled is known."""
    known = dict(case.known)
    for q in done.for_good:
        scale = 1e-3 if q.endswith("steps") else 1.0
        known[UNKNOWNS[q]] = Known(0.0 if q != "kerf" else 6.0, done.predicted[q] * scale)
    return replace(case, known=known, open=tuple(q for q in case.open if q not in done.for_good), predicted={})


def best_first(case: Case) -> tuple[float, int]:
    """(minutes, what stays open)."""
    minutes = 0.0
    for _ in range(MOST_PIECES):
        found = [p for p in proposals(case) if p.for_good] if case.open else []
        if not found:
            break
        minutes += found[0].minutes
        case = after(case, found[0])
    return minutes, len(case.open)


def fixed_order(case: Case) -> tuple[float, int]:
    """Each by its usual procedure, as the rose lists them; what that settles besides of its own counts too."""
    minutes = 0.0
    for quantity in UNKNOWNS:
        if quantity not in case.open:
            continue
        usual = yielding(quantity)[0]
        able = [p for p in proposals(case) if p.procedure == usual.name and quantity in p.settles]
        if not able:
            continue
        best = min(able, key=lambda p: p.minutes)
        minutes += best.minutes
        own = tuple(q for q in best.settles if q in usual.yields)
        case = after(case, replace(best, for_good=own))
    return minutes, len(case.open)


def main(count: int) -> None:
    """Print the figures."""
    rng, ours, fixed, left = random.Random(1), [], [], [0, 0]
    for _ in range(count):
        case = machine(rng)
        (a, open_a), (b, open_b) = best_first(case), fixed_order(case)
        left[0] += bool(open_a)
        left[1] += bool(open_b)
        if not open_a and not open_b:  # only where both come to the end
            ours.append(a)
            fixed.append(b)
    a, b = statistics.mean(ours), statistics.mean(fixed)
    print(f"{count} machines, {len(ours)} settled both ways; left open: best first {left[0]}, fixed order {left[1]}")
    print(f"minutes: best first {a:.1f}, fixed order {b:.1f}, saved {1 - a / b:.0%}")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 500)
