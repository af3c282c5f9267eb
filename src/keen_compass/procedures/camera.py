"""A camera beside the tool (arithmetic.md §9): pictures of a drawn cross after known moves give matrix and offset.

With the set offset o_s, d = o_true − o_s, the picture's middle c and the cross seen at uv (pixels, v downwards)

    M·(uv − c) = −(d + move)        M: 2×2, pixels → mm

The pictures are what is noisy, not the moves, so the line that is fitted is uv = b − A·move with A = M⁻¹, b = c − A·d:
least squares in pixels, then d = A⁻¹·(c − b). Three moves that don't lie in a line just give it; more say how well.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from keen_compass.errors import InputError, shown_input
from keen_compass.language import tr
from keen_compass.machines.profile import Machine
from keen_compass.pieces.cross_mark import ACROSS, CrossMark
from keen_compass.pieces.where import InView
from keen_compass.procedures.base import Procedure
from keen_compass.procedures.case import Case, listed
from keen_compass.procedures.checking import check_parameters, check_readings
from keen_compass.procedures.manner import OnStock, ReadBy, Sizes
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.offsets import AXES, aim_notes, drawn_line, offset_findings
from keen_compass.procedures.results import ask, no_number
from keen_compass.procedures.sheets import place
from keen_compass.procedures.stages import Surface
from keen_compass.procedures.surroundings import Choice, Surroundings
from keen_compass.quantities.bodies import JsonObject, Parameters
from keen_compass.quantities.charts import Shown
from keen_compass.quantities.findings import Figures, Solution
from keen_compass.quantities.geometry import Box
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.notes import Note, note, plain
from keen_compass.quantities.readings import Picture, Reading, Spot
from keen_compass.quantities.uncertainty import Cause, Origin, Source, Uncertain
from keen_compass.quantities.verdict import Verdict
from keen_compass.solve.plausibility import Doubt

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

HEAD = "camera"
LEAST_MOVES, MOST_MOVES = 3, 60
ASSUMED = 0.3  # px, standard uncertainty of a found cross where three moves leave nothing to learn it from
WIDEST = 100_000.0  # px
FLAT = 1e-3  # smallest over largest extent of the moves: below, they lie in a line
MISSED = 3.0  # px, residual that no found cross has
USUAL_PIXEL, USUAL_FOUND = 0.02, 0.1  # mm, px: before anything was seen
MOVED = 0.01  # mm, standard uncertainty of a move


EYE = Instrument("camera", 1e-6)
STEPS = (4.0, 2.0, 8.0)  # mm, of the moves between pictures
COUNTS = (5, 9, 3)
NEXT = 24.0  # mm, from one place that is tried to the next
AROUND = ((0, 0), (1, 0), (0, 1), (-1, 0), (0, -1), (1, 1), (-1, 1), (-1, -1), (1, -1))


class Camera(Procedure[CrossMark]):
    """A cross seen from several places of the head: scale and turn of the pictures, offset of the camera."""

    name = "camera"
    surface = Surface.PICTURES
    read_by = ReadBy(names=("cross",), passes=1, spots=True, pictured=True, by_eye=True, eye=EYE)
    on_stock = OnStock(numbered=False, draws=True, anchored=True, placing=("at",))
    sizes = Sizes(sides=(), large=())

    def choices(self, machine: Machine) -> tuple[Choice, ...]:
        """How far the head moves between pictures, how many."""
        return (
            Choice("step", "camera.step", tuple((note("size", mm=s), s) for s in STEPS)),
            Choice("pictures", "camera.count", tuple((plain(str(n)), n) for n in COUNTS)),
        )

    def parameters(self, around: Surroundings) -> Parameters:
        """A first picture, then one after each move about it."""
        step, n = float(str(around.chosen["step"])), int(str(around.chosen["pictures"]))
        return self._within_reach(around, {"moves": [[step * x, step * y] for x, y in AROUND[:n]]})

    def again(self, before: Parameters, around: Surroundings) -> Parameters:
        """A fresh cross for the next round, and other moves where others were chosen by then."""
        return self.parameters(around)

    def _within_reach(self, around: Surroundings, body: Parameters) -> Parameters:
        """Where there is free stock and the head comes to all its places; else where there is free stock."""
        sheet = around.machine.sheet
        places = [
            Box(sheet.x + NEXT * i, sheet.y + NEXT * j, ACROSS, ACROSS)
            for j in range(max(int((sheet.height - ACROSS) / NEXT) + 1, 1))
            for i in range(max(int((sheet.width - ACROSS) / NEXT) + 1, 1))
        ]
        moves = self.piece({**body, "at": [0.0, 0.0]}).stands_at(around.camera)

        def reached(box: Box) -> bool:
            return all(
                0 <= box.x + x <= around.machine.bed[0] and 0 <= box.y + y <= around.machine.bed[1] for x, y in moves
            )

        def free(box: Box) -> bool:
            return around.free((box,), sheet)

        best = next(filter(free, filter(reached, places)), None) or next(filter(free, places), places[0])
        return {**body, "at": [best.x, best.y]}

    def piece(self, parameters: Parameters) -> CrossMark:
        """From `picture` and `moves`."""
        check_parameters(parameters, {"picture", "moves", "at"})
        picture = place(parameters.get("picture", [1280, 960]), "piece.picture")
        if any(not 1 <= side <= WIDEST for side in picture):
            raise InputError(tr("a picture has 1 to 100,000 pixels either way"), "piece.picture")
        given = parameters.get("moves")
        if not listed(given, LEAST_MOVES, MOST_MOVES):
            raise InputError(
                tr(
                    "expected {least_moves} to {most_moves} moves [x, y], got {given}",
                    least_moves=LEAST_MOVES,
                    most_moves=MOST_MOVES,
                    given=shown_input(given),
                ),
                "piece.moves",
            )
        at = place(parameters.get("at", [0.0, 0.0]), "piece.at")
        return CrossMark(picture, tuple(place(m, f"piece.moves[{i}]") for i, m in enumerate(given)), at)

    def measurands(self, piece: CrossMark) -> tuple[Measurand, ...]:
        """The cross in each picture."""
        return tuple(
            Measurand(
                name,
                note("camera.picture", number=i),
                "",
                0.0,
                InView(piece.moves[i - 1]),
                at=piece.moves[i - 1],
                hint="camera.how",
                unit="px",
                spot=True,
            )
            for i, name in enumerate(piece.names, 1)
        )

    def answer(self, case: Case) -> Solution:
        """Matrix and offset from the same pictures."""
        moves = self.piece(case.piece)
        check_readings(case, ("cross", *moves.names), positive=False)
        given, read_at = _places(case.readings.get("cross", ())), []
        if given and len(given) != len(moves.moves):
            raise InputError(
                tr("one [u, v] for each of the {n} moves, got {given}", n=len(moves.moves), given=len(given)),
                "readings.cross",
            )
        for name, move in zip(moves.names, moves.moves, strict=True) if not given else ():
            found = _places(case.readings.get(name, ()))
            if found:  # of one that was looked at several times the last counts
                given.append(found[-1])
                read_at.append(move)
        if not given:
            return Solution(tuple(no_number(case, q, Verdict.UNRESOLVED, note("nothing_read")) for q in self.yields))
        if len(given) < LEAST_MOVES:
            few = note("camera.too_few", more=LEAST_MOVES - len(given))
            return Solution(tuple(no_number(case, q, Verdict.UNRESOLVED, few) for q in self.yields))
        moves = CrossMark(moves.picture, tuple(read_at) or moves.moves)
        seen = given
        if flat(moves.moves):
            return Solution(
                tuple(no_number(case, q, Verdict.UNRESOLVED, note("camera.in_a_line")) for q in self.yields)
            )
        view = viewed(moves, seen)
        figures = view.figures()
        worst = max(math.hypot(*r) for r in view.residuals)
        if not case.confirmed and worst > MISSED:
            number = 1 + max(range(len(seen)), key=lambda i: math.hypot(*view.residuals[i]))
            asks = note("camera.missed", number=number, px=worst)
            doubt = Doubt((moves.names[number - 1],) if read_at else (), asks)
            return Solution(tuple(ask(case, q, doubt) for q in self.yields), figures=figures)
        seen_at = [view.uncertain(lambda k, i=i: -float(view.offset_of(k)[i])) for i in (0, 1)]  # type: ignore[misc]
        # A cross that lies beside where the pen was sent does so in every picture alike: no residual shows it.
        errors = [e._replace(effects=(*e.effects, (drawn_line(a), 1.0))) for a, e in zip(AXES, seen_at, strict=True)]
        said: list[Note] = [] if view.dof else [note("camera.untested", px=ASSUMED)]
        if figures["mirrored"]:
            said.append(note("camera.mirrored"))
        said.append(note("camera.moves", x=-errors[0].value, y=-errors[1].value))
        return Solution(offset_findings(case, HEAD, errors, tuple(said)), (), aim_notes(case, by_hand=False), figures)

    def predict(self, case: Case, readings_each: int) -> dict[str, float]:
        """U of either component, mm, where a cross is found as well as usual and a pixel is as large as usual."""
        n = len(self.piece(case.piece).moves)
        found = Source(Origin("cross"), USUAL_PIXEL * USUAL_FOUND / math.sqrt(n), Cause.PLACES)
        moved = Source(Origin("moves"), MOVED / math.sqrt(n), Cause.ASSUMED)
        U = Uncertain(0.0, ((found, 1.0), (moved, 1.0), (drawn_line(), 1.0))).U
        return dict.fromkeys(self.yields, U)

    def shown(self, figures: Figures) -> Shown:
        """What the picture is to the machine."""
        if "mm_per_px" not in figures:
            return Shown()
        return Shown(
            (
                ("camera.pixel", note("camera.micrometres", um=1000 * figures["mm_per_px"])),
                ("camera.turned", note("camera.degrees", degrees=figures["turn_deg"])),
            )
        )

    def example(self) -> JsonObject:
        """Five pictures; the camera sits 0.4 mm further along X, 0.25 mm less along Y than is set."""
        return {
            "procedure": "camera",
            "machine": {"values": {"camera_x": 42.0, "camera_y": -3.5}, "decimals": 2},
            "piece": {"picture": [1280, 960], "moves": [[0, 0], [4, 0], [0, 4], [-4, 0], [0, -4]]},
            "tolerance": 0.1,
            "subject": {"accessory": "camera"},
            "readings": [
                {
                    "measurand": "cross",
                    "values": [[619.9, 467.7], [423.1, 464.1], [616.6, 664.6], [817.1, 471.4], [623.6, 271.1]],
                }
            ],
        }

    def unless_said(self, given: Parameters) -> Parameters:
        """The moves that are usual for the picture's size."""
        return {"moves": self.usual_piece()["moves"]}

    def usual_piece(self) -> Parameters:
        """Four moves about the middle."""
        return {"picture": [1280, 960], "moves": [[0, 0], [4, 0], [0, 4], [-4, 0], [0, -4]]}


PROCEDURE = Camera()


def _places(readings: Sequence[Reading]) -> list[tuple[float, float]]:
    """Where a cross was seen, px."""
    found = [(r.x, r.y) if isinstance(r, Spot) else r.at if isinstance(r, Picture) else None for r in readings]
    return [at for at in found if at is not None]


def flat(moves: Sequence[tuple[float, float]]) -> bool:
    """Whether all moves lie in a line, or nothing moved."""
    import numpy as np

    at = np.asarray(moves, float)
    sizes = np.linalg.svd(at - at.mean(axis=0), compute_uv=False)
    return bool(sizes[0] == 0 or sizes[-1] < FLAT * sizes[0])


@dataclass(frozen=True)
class View:
    """A fitted view. k: b, then A row by row (6 numbers). centre: c. u: standard uncertainty of a coordinate, px."""

    k: Array
    influence: Array  # 6 × 2n: ∂k/∂(u, v of each picture)
    residuals: Array
    centre: tuple[float, float]
    dof: int
    u: float

    def offset_of(self, k: Array) -> Array:
        """d = A⁻¹·(c − b), mm."""
        import numpy as np

        return np.asarray(np.linalg.solve(k[2:].reshape(2, 2), np.asarray(self.centre) - k[:2]), float)

    def uncertain(self, function: Callable[[Array], float]) -> Uncertain:
        """What a function of the fit is worth: each coordinate of each picture is an error of its own; moves, too."""
        import numpy as np

        steps = 1e-6 * np.maximum(np.abs(self.k), 1.0)
        gradient = np.array([(function(self.k + d) - function(self.k - d)) / (2 * d.max()) for d in np.diag(steps)])
        shared = {"estimate": "camera", "shared_dof": float(self.dof)} if self.dof else {}
        dof = float(self.dof) if self.dof else math.inf
        effects = [
            (Source(Origin("picture", (i // 2 + 1, "uv"[i % 2])), self.u, Cause.PLACES, dof, **shared), float(c))  # type: ignore[arg-type]
            for i, c in enumerate(gradient @ self.influence)
        ]
        moved = (Source(Origin("moves"), MOVED / math.sqrt(len(self.residuals)), Cause.ASSUMED), 1.0)
        return Uncertain(function(self.k), (*effects, moved))

    def figures(self) -> JsonObject:
        """What the picture is to the machine."""
        import numpy as np

        M = np.linalg.inv(self.k[2:].reshape(2, 2))
        det = float(np.linalg.det(M))
        return {
            "matrix": [[float(v) for v in row] for row in M],
            "turn_deg": math.degrees(math.atan2(M[1, 0], M[0, 0])),
            "mirrored": det > 0,
            "mm_per_px": math.sqrt(abs(det)),
            "residuals_px": [[float(v) for v in row] for row in self.residuals],
        }


def viewed(moves: CrossMark, seen: Sequence[tuple[float, float]]) -> View:
    """Fit uv = b − A·move. Moves must not lie in a line."""
    import numpy as np

    at, uv = np.asarray(moves.moves, float), np.asarray(seen, float)
    n = len(at)
    one = np.column_stack([np.ones(n), -at])  # rows of (b, A) for either coordinate
    inverse = np.linalg.pinv(one)
    fitted = inverse @ uv  # 3 × 2
    residuals = uv - one @ fitted
    dof = 2 * n - 6
    s = math.sqrt(float((residuals**2).sum()) / dof) if dof else ASSUMED
    k = np.concatenate([fitted[0], [fitted[1, 0], fitted[2, 0], fitted[1, 1], fitted[2, 1]]])
    influence = np.zeros((6, 2 * n))
    for coordinate in (0, 1):
        rows = (coordinate, 2 + 2 * coordinate, 3 + 2 * coordinate)
        influence[list(rows), coordinate::2] = inverse
    width, height = moves.picture
    return View(k, influence, residuals, (width / 2, height / 2), dof, s)
