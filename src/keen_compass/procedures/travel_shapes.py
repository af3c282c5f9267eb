"""Runs of stops along an axis, as they are ordered, and what of them is read where."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

from keen_compass.errors import PieceError
from keen_compass.language import tr
from keen_compass.machines.profile import Machine
from keen_compass.machines.shown import plain_length
from keen_compass.pieces.moves import Go, MoveProgram, Stop, aside
from keen_compass.pieces.where import OnRule
from keen_compass.procedures.case import Case, length_mm
from keen_compass.quantities.measuring import Held, Measurement
from keen_compass.quantities.notes import Note, note
from keen_compass.solve.travel import Node

UNEVEN = [0, 170, 410, 560, 790, 1000]  # mm, of the example
MARGIN = 15.0  # mm from the ends of the bed; the overrun must fit in
OVERRUN = 6.0  # mm beyond the outer targets, so that each is approached from the stated side
Z_MARGIN, Z_OVERRUN = 2.0, 1.0
MOST_TARGETS = 200
UNEVEN_BY, GOLDEN = 0.33, (math.sqrt(5) - 1) / 2  # of a spacing
SETTLED = 300.0  # mm/min, feed of a run: nothing is to swing when it is read
PARALLEL = (0.3, 0.6, 1.2, 2.6)  # degrees: laid with care, against a stop, by eye, roughly


@dataclass(frozen=True, slots=True)
class TravelRun:
    """Targets along one axis, from `start` on the bed; `across` is where the other axis stands. Lengths in mm.

    parallel_within: rad, as the technician says the rule lies. units: in which its targets are written.
    """

    axis: str
    start: float
    across: float
    targets: tuple[float, ...]
    compensation_off: bool = False
    parallel_within: float = 0.0
    units: str = "mm"

    @property
    def length(self) -> float:
        """From the first to the last target."""
        return self.targets[-1] - self.targets[0]

    def nodes(self) -> dict[str, Node]:
        """Measurand → (target, direction), in the order walked: up, then back."""
        ups = {f"up_{i}": (p, 1) for i, p in enumerate(self.targets, 1)}
        downs = {f"down_{i}": (p, -1) for i, p in reversed(list(enumerate(self.targets, 1)))}
        return ups | downs

    def where(self, stop: int) -> OnRule:
        """The rule beside the axis, at the stop of that number."""
        return OnRule(self.axis, stop, 2 * len(self.targets), self.targets[0], self.parallel_within)

    def nominal(self, measurand: str) -> float:
        """Where the head was sent, mm."""
        return self.nodes()[measurand][0]

    def program(self, machine: Machine, cycles: int) -> MoveProgram:
        """Up and back `cycles` times; each outer target is passed first, so that it is met from its own side."""
        over = Z_OVERRUN if self.axis == "z" else OVERRUN
        at = self._along
        steps: list[Go | Stop] = [aside(self.axis, self.across), at(self.targets[0] - over)]
        for cycle in range(cycles):
            for node, way in ((self.targets, 1), (self.targets[::-1], -1)):
                steps.append(at(node[0] - way * over))
                for p in node:
                    read = note("travel_run.read_at", at=p, up=way > 0)
                    steps += [at(p), Stop(read, 2 * cycle + (way < 0))]
        return MoveProgram(note("travel_run.program", axis=self.axis, length=self.length), tuple(steps))

    def _along(self, p: float) -> Go:
        return Go(**{self.axis: self.start + p - self.targets[0]}, feed=SETTLED if self.axis == "z" else 6 * SETTLED)


def written_target(p: float, units: str) -> str:
    """A target as the rule has it: ``240``, ``9 1/2``."""
    return plain_length(p, units).rpartition(" ")[0]


def aside_per_metre(degrees: float) -> int:
    """How far a rule so tilted is off at the end of a metre: what one can see."""
    return round(1000 * math.tan(math.radians(degrees)))


def uneven(count: int, length: float, fine: float) -> list[float]:
    """So many positions on marks of the rule, unevenly spaced: even spacing hides a cyclic error (ISO 230-2).

    Each lies off its even place by up to a third of a spacing, by the golden section, which never falls into a period.
    """
    spacing = length / (count - 1)
    inner = [spacing * (i + UNEVEN_BY * (2 * ((i * GOLDEN) % 1) - 1)) for i in range(1, count - 1)]
    return [0.0, *(round(p / fine) * fine for p in inner), length]


def targets_given(given: object, length: float) -> tuple[float, ...]:
    """How many, evenly over `length`; or the positions themselves, mm."""
    if isinstance(given, list):
        positions = [length_mm(v, f"piece.targets[{i}]") for i, v in enumerate(given)]
        if sorted(set(positions)) != positions or len(positions) < 2:
            raise PieceError(tr("at least two positions, each larger than the one before"), "piece.targets")
        return tuple(positions)
    if isinstance(given, bool) or not isinstance(given, (int, float)) or not 2 <= given <= MOST_TARGETS:
        raise PieceError(
            tr("expected 2 to {most_targets} targets, or a list of positions", most_targets=MOST_TARGETS),
            "piece.targets",
        )
    n = int(given)
    return tuple(round(length * i / (n - 1), 6) for i in range(n))


def laid_rule(case: Case, run: TravelRun) -> Case:
    """The instrument as it lay on this run."""
    within = run.parallel_within or case.instrument.parallel_within
    return replace(case, instrument=replace(case.instrument, parallel_within=within))


def measured_nodes(case: Case, nodes: Mapping[str, Node]) -> dict[Node, Measurement]:
    """All targets' readings with one spread between them: the axis comes to rest everywhere alike."""
    spread = case.seen_spread()
    return {
        node: case.measured(name, held=Held.ALONG, nominal=node[0], spread=spread)
        for name, node in nodes.items()
        if name in case.readings
    }


def stop_note(node: Node) -> Note:
    return note("travel_run.stop", at=node[0], up=node[1] > 0)


def rise(readings: Mapping[Node, list[float]]) -> float:
    low, high = min(p for p, _ in readings), max(p for p, _ in readings)
    return _mean_at(readings, high) - _mean_at(readings, low)


def _mean_at(readings: Mapping[Node, list[float]], p: float) -> float:
    values = [v for (q, _), vs in readings.items() if q == p for v in vs]
    return math.fsum(values) / len(values)
