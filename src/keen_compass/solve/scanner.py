"""An office scanner as an instrument: two scales, a skew, and how far out its edges look (arithmetic.md §12).

    (x, y) = (s_x·u + tan γ·s_y·v, s_y·v),  L = |(x, y)| ∓ 2·δ

u to the right, v upwards in px; s in mm per px, γ as a machine's (positive: Y leans towards +X), δ by how much an edge
looks farther out than it is: outsides read 2·δ long, insides as much short.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from keen_compass.errors import UncertaintyError
from keen_compass.language import tr
from keen_compass.quantities.uncertainty import K_95

NOMINAL_U = 0.005  # U (95 %), mm/mm: of a scanner that was never measured
SKEW_BEFORE = 0.002  # standard, tan γ, of a scanner that is not broken
SCALE_BEFORE = 0.02  # standard, of its scales beside what the picture says
EDGE_BEFORE = 0.02  # mm, standard, of δ
EDGE_FLOOR = 0.006  # mm, standard: what one length read twice differs by, however sharp it is
TURNS = 12


@dataclass(frozen=True, slots=True)
class Scanner:
    """mm_per_px: (along the line, along the travel). skew: tan γ. U: (a, b) of ±(a + b·L), 95 %, mm and mm/mm.

    edge: δ, mm.
    """

    mm_per_px: tuple[float, float]
    skew: float = 0.0
    U: tuple[float, float] = (2 * EDGE_FLOOR, NOMINAL_U)
    edge: float = 0.0

    def length(self, u: float, v: float, *, inside: bool = False) -> float:
        """mm of a difference in px, v upwards; inside: of a hole or slot."""
        sx, sy = self.mm_per_px
        found = math.hypot(sx * u + self.skew * sy * v, sy * v)
        return found + 2 * self.edge if inside else found - 2 * self.edge

    def U_at(self, mm: float) -> float:
        """What any length is uncertain by for its sake, 95 %, mm."""
        return self.U[0] + self.U[1] * mm


@dataclass(frozen=True, slots=True)
class Size:
    """Between two faces: their difference in px (v upwards), what it is known to (standard, px)."""

    u: float
    v: float
    u_px: float


@dataclass(frozen=True, slots=True)
class Known:
    """A length that was measured otherwise: its difference in px (v upwards) and what that is known to (standard, px);
    mm and U (95 %).
    """

    u: float
    v: float
    u_px: float
    mm: float
    U: float
    inside: bool = False


def calibrated(lengths: Sequence[Known], nominal: float) -> Scanner:
    """The scanner by what was measured on one piece, weighted; nominal: mm per px that the picture says.

    Skew and δ enter as rows of their own, as broken scanners are rare; so two lengths do, one each way.
    Raises UncertaintyError where the lengths don't tell both scales.
    """
    p = np.array([nominal, nominal, 0.0, 0.0])
    for _ in range(TURNS):
        rows, rest = [], []
        for k in lengths:
            s = Scanner((float(p[0]), float(p[1])), float(p[2]), edge=float(p[3]))
            now = s.length(k.u, k.v, inside=k.inside)
            x, y = p[0] * k.u + p[2] * p[1] * k.v, p[1] * k.v
            plain = math.hypot(x, y)
            way = 2.0 if k.inside else -2.0
            slopes = (x * k.u / plain, (x * p[2] * k.v + y * k.v) / plain, x * p[1] * k.v / plain, way)
            w = 1 / math.hypot(k.U / K_95, k.u_px * nominal, EDGE_FLOOR)
            rows.append([w * c for c in slopes])
            rest.append(w * (k.mm - now))
        before = (nominal * SCALE_BEFORE, nominal * SCALE_BEFORE, SKEW_BEFORE, EDGE_BEFORE)
        centre = (nominal, nominal, 0.0, 0.0)
        for i, (s_before, at) in enumerate(zip(before, centre, strict=True)):
            rows.append([float(i == j) / s_before for j in range(4)])
            rest.append((at - p[i]) / s_before)
        A = np.array(rows)
        p = p + np.linalg.lstsq(A, np.array(rest), rcond=None)[0]
    C = np.linalg.inv(A.T @ A)
    off = math.sqrt(float(np.mean(np.square(rest[: len(lengths)]))))
    worse = max(off, 1.0)  # lengths that fit worse than they say make it all worse
    scale = worse * max(math.sqrt(C[i, i]) / p[i] for i in (0, 1))
    if scale > SCALE_BEFORE / 2:
        raise UncertaintyError(tr("measure at least one length along each way of the glass"))
    a = K_95 * worse * math.hypot(EDGE_FLOOR, 2 * math.sqrt(C[3, 3]))
    return Scanner((float(p[0]), float(p[1])), float(p[2]), (a, K_95 * scale), float(p[3]))
