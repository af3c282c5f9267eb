"""What an instrument shows of something a stand-in made: read where the measurand says that it lies.

Instruments lie askew, dials are zeroed to their division, stock is seated by hand: all of it from the piece's seed.
"""

from __future__ import annotations

import math
import random

from keen_compass.language import tr
from keen_compass.pieces.where import (
    Beside,
    Border,
    Burnt,
    Clean,
    Closes,
    EdgeLine,
    Faces,
    Fits,
    Gap,
    Height,
    InView,
    Lines,
    LinesUp,
    Meets,
    Narrowest,
    OnRule,
    Part,
    Return,
    Slack,
)
from keen_compass.procedures.measurand import Measurand
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.measuring import READ_ALONG
from keen_compass.standin.blade import corners_of, tip_of
from keen_compass.standin.router import Made
from keen_compass.standin.truth import amount

SEATED = 0.03  # mm, standard: how well stock lies against its stops
RULE_LIES = 0.4  # mm, how far from the first target a rule's zero may lie
PER_METRE = 1000.0
DRAWN_WITHIN = 0.005  # mm, standard: how well a tick is where it should be beside its neighbours
BAND_EYE = 0.1  # of a step, standard: how well a loupe tells whether bands meet
EYE = 0.03  # share, standard, by which an eye misjudges


def shown(made: Made, measurand: Measurand, count: int, instrument: Instrument, rng: random.Random) -> float:
    """What is shown at the `count`-th reading of a measurand, in its unit."""
    truth, where = made.truth, measurand.where
    match where:
        case Beside():
            raise AssertionError(tr("a sheet is read by practice.paper"))
        case Border():
            raise AssertionError(tr("a sheet is read by practice.paper"))
        case InView():
            raise AssertionError(tr("a picture is taken by practice.camera"))
        case Faces():
            seen = made.below if where.below else made
            return seen.read(where.line, measurand.name, 1, instrument, rng, where.held)[0]
        case Fits():
            return _fits(made, where)
        case Burnt():
            scatter = random.Random(f"{made.seed}/{measurand.name}").gauss(0, truth.scatter / 2)
            return truth.read(truth.width_at(made.burns[where.order].height) + scatter, instrument, rng)
        case Narrowest():
            wide = [_by_eye(truth.width_at(made.burns[o].height), made, o) for o in where.orders]
            return float(wide.index(min(wide)) + 1)
        case Clean():
            burn = made.burns[where.order]
            heat = _by_eye(truth.heat_of(burn.power, burn.feed), made, where.order)
            return float(burn.through and (not truth.clean[1] or heat <= truth.clean[1]))
        case Closes():
            return _closes(made, where)
        case Meets():
            return _meets(made, where)
        case Slack():
            scatter = random.Random(f"{made.seed}/{measurand.name}").gauss(0, truth.scatter)
            return truth.read(made.slack(where.line) + scatter, instrument, rng)
        case Lines():
            scatter = random.Random(f"{made.seed}/{measurand.name}").gauss(0, truth.scatter)
            apart = made.apart(where.first, where.last, where.axis)
            return truth.read(apart + scatter, instrument, rng, signed=measurand.signed)
        case LinesUp():
            return _lines_up(made, where)
        case EdgeLine():
            seated = random.Random(f"{made.seed}/{where.axis}/seat").gauss(0, SEATED)
            from_edge = where.inwards * (made.line_at(where.line, where.axis) - where.edge)
            return truth.read(from_edge + seated, instrument, rng)
        case OnRule() | Return() | Height() | Gap():
            return truth.read(_at_a_stop(made, where, count, instrument), instrument, rng, signed=True)
        case Part():
            return truth.parts.get(where.axis, {}).get(where.name, where.usual)


def _at_a_stop(made: Made, where: OnRule | Return | Height | Gap, count: int, instrument: Instrument) -> float:
    """What is really to be read at a stop of a run, mm."""
    truth = made.truth
    match where:
        case OnRule():
            return _on_rule(made, where, count, instrument)
        case Return():
            at = made.positions(where.axis)
            k = where.each * (count % (len(at) // where.each)) if where.each else 0
            missed = at[where.stop + k] - at[where.since + k]
            if where.zeroed:
                missed += random.Random(f"{made.seed}/{k}/zero").uniform(-0.5, 0.5) * instrument.resolution
            return missed
        case Height():
            x, y, _ = made.stops[where.stop]
            level = truth.bed_height(*where.zero, made.settings)
            return truth.bed_height(x, y, made.settings) - level
        case Gap():
            zero = round(random.Random(f"{made.seed}/zero").uniform(0.4, 0.6), 2)
            gap = where.side * truth.tilt(where.axis, made.settings) * where.radius / PER_METRE
            return gap + zero


def _closes(made: Made, where: Closes) -> float:
    """The number of the square whose corners neither run over nor are cut short, in halves."""
    off = [sum(corners_of(tip_of(made.lines[order], made.truth.trails))) / 4 for order in where.orders]
    return _first_right(off)


def _meets(made: Made, where: Meets) -> float:
    """The number of the band that meets, in halves; or a word for one of them."""
    held = amount(made.settings, "media_feed") if where.relative else 0.0
    eye = random.Random(f"{made.seed}/bands")
    step = where.corrections[1] - where.corrections[0]
    off = [held + c - made.truth.fed + eye.gauss(0, BAND_EYE * step) for c in where.corrections]
    if where.band < 0:
        return _first_right(off)
    return 2.0 if abs(off[where.band]) < step / 2 else 1.0 if off[where.band] < 0 else 3.0


def _lines_up(made: Made, where: LinesUp) -> float:
    """The number of the second scale's tick that runs on in one of the first, halfway where two do so alike."""
    rng = random.Random(f"{made.seed}/{where.axis}/vernier")
    first = [made.line_at(a, where.axis) for a in where.first]
    ticks = [made.line_at(b, where.axis) + rng.gauss(0, DRAWN_WITHIN) for b in where.second]
    apart = [min((at - a for a in first), key=abs) for at in ticks]
    best, next_best = sorted(range(len(apart)), key=lambda i: abs(apart[i]))[:2]
    middle = len(apart) // 2
    if abs(best - next_best) == 1 and abs(apart[next_best]) < 1.6 * abs(apart[best]):
        return (best + next_best) / 2 - middle
    return float(best - middle)


def _by_eye(value: float, made: Made, which: int) -> float:
    """As an eye has it, which is off by some parts in a hundred."""
    return value * (1 + random.Random(f"{made.seed}/{which}/eye").gauss(0, EYE))


def _fits(made: Made, where: Fits) -> float:
    """The number of what fits best, from 1, in halves: a hand tells half a step."""
    return _first_right([made.true_length(f.line, f.held) - where.size for f in where.faces])


def _first_right(off: list[float]) -> float:
    """The number, from 1 and in halves, at which what is off changes its sign."""
    for i in range(len(off) - 1):
        a, b = off[i], off[i + 1]
        if a == 0 or a * b < 0:
            return i + 1 + round(2 * a / (a - b)) / 2
    return 1.0 if abs(off[0]) < abs(off[-1]) else float(len(off))


def _on_rule(made: Made, where: OnRule, count: int, instrument: Instrument) -> float:
    """The rule lies anywhere along the axis, and a little askew within what was stated."""
    at, lay = made.positions(where.axis), random.Random(f"{made.seed}/{instrument.uid}/rule")
    stop = at[(count % max(len(at) // where.stops, 1)) * where.stops + where.stop]
    tilt = lay.uniform(-1, 1) * (where.parallel_within or instrument.parallel_within)
    lies = math.cos(tilt) if instrument.kind in READ_ALONG else 1 / math.cos(tilt)
    return (stop - at[0]) * lies + round(lay.uniform(-RULE_LIES, RULE_LIES), 2) + where.zero
