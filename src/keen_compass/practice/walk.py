"""The whole of a machine, put right in the order that *Next, in this order* proposes."""

from __future__ import annotations

import math
import random
import tempfile
from dataclasses import dataclass, replace
from pathlib import Path

from keen_compass.machines.profile import Machine
from keen_compass.practice.demo import HERON, SQUARE, START, put_heron
from keen_compass.practice.playing import play
from keen_compass.procedures import yielding
from keen_compass.quantities.verdict import Verdict
from keen_compass.shop.standing import next_in_order, spokes
from keen_compass.shop.store import Shop

MOST_WALKED = 60
WRONG_BY = 0.15  # of the right steps
PARTS_OFF = 0.0015  # how far the parts really are from what is stamped on them


@dataclass(frozen=True, slots=True)
class Walked:
    """One procedure of a walk: what it was for, how many pieces or runs it took, and what was found in the last."""

    procedure: str
    quantities: tuple[str, ...]
    rounds: int
    verdicts: tuple[Verdict, ...]


def walk(shop: Shop, machine: Machine) -> list[Walked]:
    """Do what *Next, in this order* says until nothing is left."""
    done: list[Walked] = []
    while todo := next_in_order(spokes(shop, machine)):
        if len(done) >= MOST_WALKED:
            raise AssertionError("the walk doesn't end")
        quantity = todo[0].quantity
        entry = yielding(quantity, machine.file_format)[0]
        session = play(shop, machine, entry.name, quantity)
        found = session.measuring.findings()
        done.append(
            Walked(
                entry.name,
                tuple(f.quantity for f in found),
                len(session.context.pieces),
                tuple(f.verdict for f in found),
            )
        )
    return done


def wrong_in_everything(file: Path, seed: int) -> Shop:
    """A shop with Heron as nobody wants it: 15 % off, half a millimetre of play, 3 mm per m out of square."""
    rng = random.Random(seed)
    shop = Shop(file)
    truth = replace(
        SQUARE,
        motion={a: m * (1 + rng.uniform(-PARTS_OFF, PARTS_OFF)) for a, m in SQUARE.motion.items()},
        lost_motion={"x": 0.5, "y": 0.5, "z": 0.12},
        skew=rng.choice((-0.003, 0.003)),
        instrument_error=(rng.uniform(-1, 1), rng.uniform(-1, 1)),
    )
    wrong = {q: round(v * (1 + rng.choice((-WRONG_BY, WRONG_BY))), HERON.decimals) for q, v in START.items()}
    with shop.writing():
        put_heron(shop, truth, wrong)
    return shop


def walked_from_wrong(seed: int) -> tuple[list[Walked], dict[str, float]]:
    """(what was done in order, what is really left by quantity in its error unit)."""
    from keen_compass.standin.truth import Truth

    with tempfile.TemporaryDirectory(prefix="keen-compass-walk-") as folder:
        shop = wrong_in_everything(Path(folder) / "walk.kcshop", seed)
        done = walk(shop, HERON)
        truth = Truth.from_json(shop.stand_in(HERON.uid) or {})
        held = {q: kept.stored for q, kept in shop.values(HERON.uid).items()}
        shop.close()
    left = {q: truth.error(q, held, share=0.8) for q in HERON.quantities}
    return done, {q: error for q, error in left.items() if not math.isnan(error)}
