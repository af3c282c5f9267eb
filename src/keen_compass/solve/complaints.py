"""What explains complaints: coarse readings of one linear model in which few causes are at fault (arithmetic.md §11).

A cause is in order, then it is near what was expected of it, or it broke, then it may be anywhere within its spread.
All ways in which some of them broke are weighed by how well they agree with what is complained of. A complaint of which
only the way is known says that it was noticed, that way. One complaint may be wrong.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray
from scipy.special import log_ndtr, ndtr

from keen_compass.quantities.uncertainty import K_95

Array = NDArray[np.float64]
MOST_WAYS = 1600  # that are weighed: of ten causes any may have broken together, of twenty three
NOTICED = 0.1  # mm, that are seen without measuring
WRONG = 0.1  # probability of a complaint that is wrong
SEEN, LESS = 0.3, 0.5  # mm, where no amount is said; share of it that may be elsewhere unseen, standard
HALVINGS = 30
ASTRAY = 1.0  # mm, standard, what a wrong one may say
MOST_DOUBTED = 8  # complaints, above which each is only trusted less


@dataclass(frozen=True, slots=True)
class Complaint:
    """What is seen: coefficients by cause; how much, mm, and U of that; sign: ±1 where only that is known. elsewhere:
    coefficients where it isn't seen, as along the other axis or in other places: what a cause does there is less.
    """

    by: Mapping[str, float]
    seen: float = 0.0
    U: float = 0.0
    sign: int = 0
    elsewhere: Sequence[Mapping[str, float]] = ()


@dataclass(frozen=True, slots=True)
class Prior:
    """What is expected of a cause, in its error unit: mean and sd while it is in order; broken: sd where it broke;
    likely: the probability of that; positive: it is never negative.
    """

    mean: float
    sd: float
    broken: float
    likely: float
    positive: bool = False


@dataclass(frozen=True, slots=True)
class Explained:
    """What a cause is by now, with U, and the share of the complaints that it explains."""

    value: float
    U: float
    share: float


@dataclass
class _Ways:
    """All ways in which causes may have broken, one a row: log of how likely, means and covariances of the causes."""

    log: Array
    mean: Array
    cov: Array

    def copy(self) -> _Ways:
        return _Ways(self.log.copy(), self.mean.copy(), self.cov.copy())

    def read(self, a: Array, complaint: Complaint) -> None:
        """Take a complaint as it was said. a: its coefficients."""
        across = self.cov @ a
        mean, variance = self.mean @ a, across @ a
        if complaint.sign:
            s = complaint.sign
            width = np.sqrt(variance + NOTICED**2)
            z = (s * mean - NOTICED) / width
            log = log_ndtr(z)
            steep = np.exp(-(z**2) / 2 - log) / math.sqrt(math.tau)  # the normal density over its tail
            moved, shrunk = s * steep / width, steep * (steep + z) / width**2
        else:
            wide = variance + (complaint.U / K_95) ** 2
            off = complaint.seen - mean
            log = -(off**2 / wide + np.log(math.tau * wide)) / 2
            moved, shrunk = off / wide, 1 / wide
        self.log += log
        self.mean += across * moved[:, None]
        self.cov -= across[:, :, None] * across[:, None, :] * shrunk[:, None, None]

    def quiet(self, a: Array, complaint: Complaint) -> None:
        """Nobody saw it elsewhere. a: coefficients there."""
        self.read(a, Complaint({}, 0.0, K_95 * LESS * max(abs(complaint.seen), SEEN)))

    def doubt(self, complaint: Complaint) -> None:
        """Take it as wrong: it says nothing."""
        wide = ASTRAY**2 + (complaint.U / K_95) ** 2
        said = math.log(0.5) if complaint.sign else -(complaint.seen**2 / wide + math.log(math.tau * wide)) / 2
        self.log += said


def explain(complaints: Sequence[Complaint], priors: Mapping[str, Prior]) -> tuple[dict[str, Explained], float]:
    """(causes by name, the share that stays unexplained); all shares add up to 1."""
    told = [by for c in complaints for by in (c.by, *c.elsewhere)]
    names = [n for n in priors if any(by.get(n) for by in told)]
    if not names:
        return {}, 1.0
    A = np.array([_row(c.by, names) for c in complaints])
    before = _before([priors[n] for n in names])
    ways, rights = [], []
    doubted: list[int | None] = [None, *(range(len(complaints)) if len(complaints) <= MOST_DOUBTED else ())]
    for wrong in doubted:
        one = before.copy()
        right = np.ones(len(complaints))
        for i, complaint in enumerate(complaints):
            if i == wrong:
                one.doubt(complaint)
                right[i] = 0.0
            else:
                one.read(A[i], complaint)
                for there in complaint.elsewhere:
                    one.quiet(_row(there, names), complaint)
        count = int(right.sum())
        one.log += math.log(1 - WRONG) * count + math.log(WRONG) * (len(complaints) - count)
        ways.append(one)
        rights.append(right)
    logs = np.concatenate([w.log for w in ways])
    weights = np.exp(logs - logs.max())
    weights /= weights.sum()
    mean = np.concatenate([w.mean for w in ways])
    var = np.concatenate([np.einsum("sii->si", w.cov) for w in ways])
    if any(p.positive for p in priors.values()):
        positive = np.array([priors[n].positive for n in names])
        mean = np.where(positive, np.maximum(mean, 0.0), mean)
    value = weights @ mean
    U = _reach(weights, mean, np.sqrt(np.maximum(var, 1e-12)), value)
    trust = np.repeat(np.array(rights), len(before.log), axis=0)
    share = _shares(A, complaints, mean, trust, weights)
    found = {n: Explained(float(v), float(u), float(e)) for n, v, u, e in zip(names, value, U, share, strict=True)}
    return found, max(1.0 - float(share.sum()), 0.0)


def _row(by: Mapping[str, float], names: Sequence[str]) -> Array:
    return np.array([by.get(n, 0.0) for n in names])


def _before(priors: Sequence[Prior]) -> _Ways:
    """Before anything was complained of."""
    n = len(priors)
    most = next(k for k in range(n, 0, -1) if sum(math.comb(n, i) for i in range(k + 1)) <= MOST_WAYS or k == 2)
    subsets = [s for k in range(most + 1) for s in combinations(range(n), k)]
    broke = np.zeros((len(subsets), n), dtype=bool)
    for row, subset in zip(broke, subsets, strict=True):
        row[list(subset)] = True
    log = np.where(broke, np.log([p.likely for p in priors]), np.log1p([-p.likely for p in priors])).sum(axis=1)
    # The half of a normal distribution above zero has this mean and spread.
    half, rest = math.sqrt(2 / math.pi), math.sqrt(1 - 2 / math.pi)
    mean = np.where(broke, [half * p.broken if p.positive else 0.0 for p in priors], [p.mean for p in priors])
    sd = np.where(broke, [p.broken * (rest if p.positive else 1.0) for p in priors], [p.sd for p in priors])
    return _Ways(log, mean, np.einsum("si,ij->sij", sd**2, np.eye(n)))


def _reach(weights: Array, mean: Array, sd: Array, value: Array) -> Array:
    """How far about its value 95 % of each cause lies: what is probably in order and may be broken has two heaps."""
    counts = weights > weights.max() * 1e-4
    w, m, s = weights[counts] / weights[counts].sum(), mean[counts], sd[counts]
    low, high = np.zeros_like(value), np.asarray((abs(m - value) + 4 * s).max(axis=0))
    for _ in range(HALVINGS):
        U = (low + high) / 2
        inside = w @ (ndtr((value + U - m) / s) - ndtr((value - U - m) / s))
        low, high = np.where(inside < 0.95, U, low), np.where(inside < 0.95, high, U)
    reach: Array = high
    return reach


def _shares(A: Array, complaints: Sequence[Complaint], mean: Array, trust: Array, weights: Array) -> Array:
    """What each cause explains of the complaints, each counting by how well it is known; at most 1 in all."""
    each = np.zeros(A.shape[1])
    whole = 0.0
    for i, complaint in enumerate(complaints):
        parts = A[i] * mean  # of each way, by cause
        together = parts.sum(axis=1)
        if complaint.sign:
            heard = 1.0
            seen = np.where(complaint.sign * together > NOTICED, together, complaint.sign * NOTICED)
        else:
            heard = min((complaint.seen / (2 * complaint.U)) ** 2, 1.0)  # what is small is half made up
            seen = np.full(len(mean), complaint.seen)
        each += heard * (weights * trust[:, i]) @ (parts / seen[:, None])
        whole += heard
    # What works against a complaint explains nothing of it, and takes from what the others do.
    shares: Array = np.maximum(each / whole, 0.0)
    explained: Array = shares * min(max(float(each.sum()) / whole, 0.0), 1.0) / (float(shares.sum()) or 1.0)
    return explained
