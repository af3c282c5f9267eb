"""Where a print lies on the cutter: a map from nominal marks to where they were found, and what it means.

Least squares over x and y of every mark (arithmetic.md §9). The map's freedom follows the number of marks: more freedom
than the marks can test is not taken. A map that takes straight lines to straight lines is split as

    p = t + R(θ) · [[1, tan κ], [0, 1]] · diag(s_x, s_y) · q

shift t, turn θ, skew κ, scales; mirrored where s_x < 0. What is uncertain about a mark is how well it was aimed at:
what is known of that, pooled with what the residuals show. What is known of the scales and the skew of an affine map
(of the axes, and of the print) enters as rows of its own, so that four marks test more than two numbers.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations, permutations
from typing import TYPE_CHECKING

import numpy as np

from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.quantities.assumed import Spread
from keen_compass.quantities.uncertainty import Cause, Origin, Source, Uncertain
from keen_compass.solve.consistency import ALIKE
from keen_compass.solve.registration_split import Shapes, Split, split_of

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

FREEDOM = {"shift": 2, "similarity": 4, "affine": 6, "projective": 8}
LEAST_MARKS = {"shift": 1, "similarity": 2, "affine": 3, "projective": 4}
# Marks at which one bad one can be found: without it and any other one the rest still tests the map (§9).
LEAST_TO_NAME = {"shift": 3, "similarity": 4, "affine": 5, "projective": 6}
THIN = 1e-9  # of the largest singular value: below, marks lie in a line or on one another
STANDS_OUT = 0.01  # probability, over all marks, of standing out so far by chance
STEP = 1e-6  # of a parameter, for slopes
SHARP = Spread(1e-9, 1e9)  # of marks whose places are exact
ALL_ORDERS = 4  # marks
MOST_STEPS = 60


@dataclass(frozen=True)
class Map:
    """A fitted map. nominal, found: n×2, mm. aim: how well one coordinate of a mark is known to be found, mm.

    parameters: row by row of the 3×3 matrix but for its last number, which is 1.
    dof: numbers that were read, or are known, beyond those that the map takes. residuals: found − mapped, n×2, mm.
    u_aim: of one coordinate of one mark, mm: what is known of aiming, pooled with the residuals.
    influence: ∂parameters/∂(readings, then what is known), 8 × (2n + known); readings as x1, y1, x2, y2 …
    """

    model: str
    nominal: Array
    found: Array
    parameters: Array
    aim: Spread
    dof: int
    residuals: Array
    u_aim: Spread
    influence: Array

    @classmethod
    def of(
        cls, model: str, nominal: Array, found: Array, parameters: Array, aim: Spread, shapes: Shapes | None = None
    ) -> Map:
        """With all that follows from these. shapes: what was known of its shape."""
        known = np.zeros((0, 8)) if shapes is None else _shape_rows(shapes, parameters)[0]
        residuals = found - _mapped(parameters, nominal)
        dof = 2 * len(nominal) + len(known) - FREEDOM[model]
        tested = max(dof, 0)
        squares = aim.dof * aim.s**2 + (float((residuals**2).sum()) if tested else 0.0)
        u_aim = Spread(math.sqrt(squares / (aim.dof + tested)), aim.dof + tested)
        basis = _basis(model, parameters)
        slopes = _slopes(parameters, nominal) @ basis / aim.s  # 2n × freedom
        gain = basis @ np.linalg.pinv(np.vstack([slopes, known @ basis]))
        gain[:, : len(slopes)] /= aim.s
        return cls(model, nominal, found, parameters, aim, dof, residuals, u_aim, np.asarray(gain))

    @property
    def matrix(self) -> Array:
        """3×3, homogeneous: print → cutter."""
        return np.append(self.parameters, 1.0).reshape(3, 3)

    def at(self, places: Array) -> Array:
        """Where places of the print (n×2, mm) lie on the cutter."""
        return _mapped(self.parameters, places)

    @property
    def slopes_at_marks(self) -> Array:
        """∂(where the marks lie by the map)/∂(readings, then what is known); rows as x1, y1, x2, y2 …"""
        return np.asarray(_slopes(self.parameters, self.nominal) @ self.influence)

    def uncertain(self, function: Callable[[Array], Sequence[float]]) -> list[Uncertain]:
        """What functions of the parameters, all at once, are worth."""
        steps = STEP * _sizes(self.nominal)
        gradients = np.array(
            [
                (np.subtract(function(self.parameters + d), function(self.parameters - d))) / (2 * d.max())
                for d in np.diag(steps)
            ]
        ).T
        values = function(self.parameters)
        return [self.by_readings(v, g @ self.influence) for v, g in zip(values, gradients, strict=True)]

    def by_readings(self, value: float, slopes: Array) -> Uncertain:
        """A value with its slopes by each reading: each coordinate of each mark is an error of its own, and so is each
        number that is known of the shape.
        """
        u, dof = self.u_aim
        effects = [
            (
                Source(
                    Origin("mark", (i // 2 + 1, "xy"[i % 2])),
                    u,
                    Cause.PLACES,
                    dof,
                    estimate=Origin("marks"),
                    shared_dof=dof,
                ),
                float(c),
            )
            for i, c in enumerate(slopes[: 2 * len(self.nominal)])
        ]
        known = [
            (Source(Origin("shape", i), 1.0, Cause.KNOWN), float(c))
            for i, c in enumerate(slopes[2 * len(self.nominal) :])
        ]
        return Uncertain(value, (*effects, *known))

    @property
    def split(self) -> Split:
        """Shift, turn, skew and scales of its straight part."""
        return split_of(self.parameters)

    @property
    def mirrored(self) -> bool:
        """Whether left and right are swapped."""
        return self.split.scale[0] < 0


@dataclass(frozen=True, slots=True)
class Suspects:
    """Marks (from 0) of which one was aimed at badly, the likeliest first. certain: it is just this one.

    bowed: a sheet that bows explains it as well.
    """

    marks: tuple[int, ...] = ()
    certain: bool = False
    bowed: bool = False


def model_for(marks: int) -> str:
    """What that many marks allow unless more is asked for."""
    return "shift" if marks == 1 else "similarity" if marks == 2 else "affine"


def register(
    nominal: Sequence[tuple[float, float]],
    found: Sequence[tuple[float, float]],
    model: str = "auto",
    *,
    aim: Spread = SHARP,
    shapes: Shapes | None = None,
) -> Map:
    """The map that takes nominal marks (mm) to where they were found, by least squares.

    aim: how well a coordinate is known to be found. shapes: what is known of an affine map's scales and skew.

    Raises InputError for too few marks, or marks that lie in a line or on one another.
    """
    q, p = np.asarray(nominal, float), np.asarray(found, float)
    if model == "auto":
        model = model_for(len(q))
    if model not in FREEDOM:
        raise InputError(tr("expected one of auto, {freedom}", freedom=", ".join(FREEDOM)), "piece.model")
    if len(q) < LEAST_MARKS[model]:
        raise InputError(
            tr(
                "{model} needs {least_marks} marks, {n} were found",
                model=model,
                least_marks=LEAST_MARKS[model],
                n=len(q),
            ),
            "readings",
        )
    if _rank_missing(q, model):
        raise InputError(
            tr("these marks lie in a line, or on one another: take others, or a simpler model"), "piece.marks"
        )
    parameters = _solved(q, p, model)
    if model != "affine" or shapes is None:
        return Map.of(model, q, p, parameters, aim)
    return Map.of(model, q, p, _with_shapes(q, p, parameters, aim.s, shapes), aim, shapes)


def at_true_size(fitted: Map) -> Map:
    """How the sheet lies and how it is turned, whatever its printer and the cutter make of lengths: of all turns about
    the marks' middle the one that comes nearest to them.
    """
    lies = fitted.at(fitted.nominal)
    (u, v), (x, y) = (places.mean(axis=0) for places in (fitted.nominal, lies))
    own, seen = fitted.nominal - (u, v), lies - (x, y)
    turn = math.atan2(float((own[:, 0] * seen[:, 1] - own[:, 1] * seen[:, 0]).sum()), float((own * seen).sum()))
    c, s = math.cos(turn), math.sin(turn)
    parameters = np.array([c, -s, x - c * u + s * v, s, c, y - s * u - c * v, 0.0, 0.0])
    return Map.of("similarity", fitted.nominal, fitted.found, parameters, fitted.aim)


def suspects(fitted: Map) -> Suspects:
    """A mark that was aimed at badly, by leaving each out; none where the marks can't tell.

    How far it stands out is held against how well the position can be read; where the others fit worse than that,
    against what they leave (an F of 2 and ν numbers).
    """
    n, model = len(fitted.nominal), fitted.model
    if n < LEAST_TO_NAME[model]:
        return Suspects()
    whole = float((fitted.residuals**2).sum())
    rest = {i: _left_without(fitted, i) for i in range(n) if not _rank_missing(np.delete(fitted.nominal, i, 0), model)}
    order = sorted(rest, key=lambda i: rest[i])
    if not order or fitted.dof <= 2:
        return Suspects()
    best, dof = order[0], fitted.dof - 2
    if _by_chance(whole - rest[best], rest[best], dof, fitted.aim.s) * n > STANDS_OUT:
        return Suspects()
    level = max(rest[best] / dof, fitted.aim.s**2)
    alike = tuple(i for i in order if rest[i] - rest[best] < ALIKE * level)
    tells = len(rest) == n and _may_leave(fitted.nominal, model, best)
    bowed = _left_bowed(fitted) - rest[best] < ALIKE * level
    return Suspects(alike, certain=len(alike) == 1 and tells and not bowed, bowed=bowed)


def other_order(nominal: Sequence[tuple[float, float]], found: Sequence[tuple[float, float]]) -> tuple[int, ...]:
    """In which order (from 0) the marks were visited, where another one fits far better; empty where none does.

    Tried are all orders of up to four marks; of more those round the sheet, from each mark and in both directions, and
    every two exchanged.
    """
    n = len(nominal)
    if n < 3:
        return ()
    q, p = (np.asarray(places, float) @ (1, 1j) for places in (nominal, found))
    given = tuple(range(n))
    if n <= ALL_ORDERS:
        orders = list(permutations(given))
    else:
        orders = [tuple((start + way * i) % n for i in range(n)) for start in range(n) for way in (1, -1)]
        orders += [tuple(b if k == a else a if k == b else k for k in given) for a, b in combinations(given, 2)]
    misfits = [_misfit(q[list(order)], p) for order in orders]
    best = misfits.index(min(misfits))
    return orders[best] if misfits[best] < misfits[0] / 10 else ()  # the first is that in which they were given


def _misfit(nominal: NDArray[np.complex128], found: NDArray[np.complex128]) -> float:
    """What turn, shift and one scale, never mirrored, leave: rms over their spread, and how far off the scale is.

    In complex numbers x + iy, where such a map is w = a·z about both middles, least squares give a = z*·w / z*·z.
    """
    z, w = nominal - nominal.mean(), found - found.mean()
    a = np.vdot(z, w) / (np.vdot(z, z).real or 1.0)
    left, spread = (math.sqrt(float(np.vdot(v, v).real)) for v in (w - a * z, w))
    return left / (spread or 1.0) + abs(math.log(abs(a))) if a else math.inf


def _spread(places: Array) -> float:
    return float(np.sqrt(((places - places.mean(axis=0)) ** 2).mean())) or 1.0


def _mapped(h: Array, places: Array) -> Array:
    x, y = places[:, 0], places[:, 1]
    below = h[6] * x + h[7] * y + 1.0
    return np.stack([(h[0] * x + h[1] * y + h[2]) / below, (h[3] * x + h[4] * y + h[5]) / below], axis=1)


def _slopes(h: Array, places: Array) -> Array:
    """∂(mapped)/∂h of the projective map, 2n × 8."""
    x, y = places[:, 0], places[:, 1]
    below = h[6] * x + h[7] * y + 1.0
    u, v = _mapped(h, places).T
    zero, one = np.zeros_like(x), np.ones_like(x)
    rows_x = np.stack([x, y, one, zero, zero, zero, -u * x, -u * y], axis=1) / below[:, None]
    rows_y = np.stack([zero, zero, zero, x, y, one, -v * x, -v * y], axis=1) / below[:, None]
    return np.stack([rows_x, rows_y], axis=1).reshape(-1, 8)


def _basis(model: str, h: Array) -> Array:
    """Directions in which a model's parameters may move, 8×freedom."""
    found = np.zeros((8, FREEDOM[model]))
    if model in ("affine", "projective"):
        found[np.arange(FREEDOM[model]), np.arange(FREEDOM[model])] = 1.0
        return found
    found[2, 0] = found[5, 1] = 1.0
    if model == "similarity":
        found[0, 2] = found[4, 2] = 1.0
        found[1, 3], found[3, 3] = -1.0, 1.0
    return found


def _solved(q: Array, p: Array, model: str) -> Array:
    """Least squares; all but the projective map are straight in their parameters, about the marks' middle."""
    middle, size = q.mean(axis=0), _spread(q)
    own = (q - middle) / size  # so that nothing depends on where the origin lies
    start = np.array([1.0, 0, 0, 0, 1.0, 0, 0, 0])
    if model == "shift":
        start[[0, 4]] = size
    else:
        start[[0, 4]] = 0.0
    basis = _basis(model, start)
    h = start
    for _ in range(MOST_STEPS if model == "projective" else 1):
        slopes = _slopes(h, own) @ basis
        step = np.linalg.lstsq(slopes, (p - _mapped(h, own)).reshape(-1), rcond=None)[0]
        h = h + basis @ step
        if np.abs(step).max() < 1e-13 * max(np.abs(h).max(), 1.0):
            break
    back = np.array([[1 / size, 0, -middle[0] / size], [0, 1 / size, -middle[1] / size], [0, 0, 1]])
    matrix = np.append(h, 1.0).reshape(3, 3) @ back
    return np.asarray((matrix / matrix[2, 2]).reshape(-1)[:8])


def _rank_missing(q: Array, model: str) -> bool:
    """Whether the marks leave some of a model's numbers open."""
    own = (q - q.mean(axis=0)) / _spread(q)
    start = np.array([1.0, 0, 0, 0, 1.0, 0, 0, 0])
    values = np.linalg.svd(_slopes(start, own) @ _basis(model, start), compute_uv=False)
    return len(values) < FREEDOM[model] or bool(values[-1] < THIN * values[0])


def _may_leave(q: Array, model: str, i: int) -> bool:
    """Whether without a mark, and any other one besides, the rest still gives the map."""
    rest = np.delete(q, i, axis=0)
    if len(rest) - 1 < LEAST_MARKS[model]:
        return False
    return not any(_rank_missing(np.delete(rest, j, axis=0), model) for j in range(len(rest)))


def _left_without(fitted: Map, i: int) -> float:
    q, p = np.delete(fitted.nominal, i, axis=0), np.delete(fitted.found, i, axis=0)
    return float(((p - _mapped(_solved(q, p, fitted.model), q)) ** 2).sum())


def _by_chance(drop: float, rest: float, dof: int, u_read: float) -> float:
    """Probability that leaving a good mark out takes so much away."""
    from scipy.special import chdtri, fdtrc  # late: SciPy is heavy

    if dof <= 0:
        return 1.0
    usual = u_read**2 * float(chdtri(dof, STANDS_OUT))  # what good marks leave, hardly ever exceeded
    if rest <= usual:
        return math.exp(-drop / (2 * u_read**2))
    return float(fdtrc(2, dof, (drop / 2) / (rest / dof)))


def _left_bowed(fitted: Map) -> float:
    """What a sheet leaves that bows: each coordinate may rise with the square of the distance from the middle."""
    q = fitted.nominal - fitted.nominal.mean(axis=0)
    square = ((q / _spread(fitted.nominal)) ** 2).sum(axis=1)
    slopes = _slopes(fitted.parameters, fitted.nominal) @ _basis(fitted.model, fitted.parameters)
    bow = np.zeros((len(slopes), 2))
    bow[0::2, 0] = bow[1::2, 1] = square
    design = np.hstack([slopes, bow])
    flat = fitted.residuals.reshape(-1)
    left = flat - design @ np.linalg.lstsq(design, flat, rcond=None)[0]
    return float(left @ left)


def _shape_rows(shapes: Shapes, h: Array) -> tuple[Array, Array]:
    """(slopes, values) of what is known of the shape about a map: numbers of variance one, by its eight parameters."""
    at = split_of(h)
    whitens, expected = shapes.whitens(at.turn), shapes.expected(at.turn)

    def shape(h: Array) -> Array:
        found = split_of(h)
        return np.array([*found.scale, found.skew])

    slopes = np.zeros((3, 8))
    for i in (0, 1, 3, 4):
        d = np.zeros(8)
        d[i] = STEP
        slopes[:, i] = (shape(h + d) - shape(h - d)) / (2 * STEP)
    return whitens @ slopes, whitens @ (expected - shape(h))


def _with_shapes(q: Array, p: Array, h: Array, u: float, shapes: Shapes) -> Array:
    """An affine map by marks and by what is known of its shape, each by its weight."""
    basis = _basis("affine", h)
    for _ in range(MOST_STEPS):
        known, off = _shape_rows(shapes, h)
        slopes = np.vstack([_slopes(h, q) @ basis / u, known @ basis])
        wanted = np.concatenate([(p - _mapped(h, q)).reshape(-1) / u, off])
        size = np.linalg.norm(slopes, axis=0)
        step = np.linalg.lstsq(slopes / size, wanted, rcond=None)[0] / size
        h = h + basis @ step
        if np.abs(step * size).max() < 1e-6:
            break
    return h


def _sizes(places: Array) -> Array:
    """About how large each parameter is that matters, for steps."""
    size = float(np.abs(places).max()) or 1.0
    return np.array([1.0, 1.0, size, 1.0, 1.0, size, 1.0 / size, 1.0 / size])


def residuals_by(fitted: Map, names: Sequence[str]) -> Mapping[str, list[float]]:
    """mark → [dx, dy], mm."""
    return {name: [float(x), float(y)] for name, (x, y) in zip(names, fitted.residuals, strict=True)}
