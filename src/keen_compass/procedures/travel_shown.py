"""What a travel run shows besides its numbers: its figures, the shape of its errors."""

from __future__ import annotations

from collections.abc import Mapping

from keen_compass.procedures.case import Case
from keen_compass.procedures.travel_shapes import TravelRun
from keen_compass.quantities.bodies import JsonObject
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.notes import Note, note
from keen_compass.solve.bend import Shape, shape_of
from keen_compass.solve.travel import AxisFigures, Node, TravelFit


def shape_in(case: Case, nodes: Mapping[str, Node]) -> Shape | None:
    """The shape of the residuals, readings in the order walked."""
    at = [(p, way, [v.mm for v in case.lengths(name)]) for name, (p, way) in nodes.items() if name in case.readings]
    cycles = max(len(read) for *_, read in at)
    walked = [(p, way, read[cycle]) for cycle in range(cycles) for p, way, read in at if cycle < len(read)]
    positions, ways, values = zip(*walked, strict=True)
    division = max(case.instrument.resolution, case.fraction_step())
    return shape_of(positions, ways, values, division, case.instrument.permissible_error[0])


def shaped(shape: Shape | None) -> tuple[Note, ...]:
    """What the deviations' shape says."""
    if shape is None:
        return ()
    if shape.kind == "slip":
        return (note("travel_run.slip_from", reading=int(shape.where) + 1, size=shape.size),)
    return (note(f"travel_run.{shape.kind}", size=shape.size, where=shape.where),)


def figures_of(case: Case, run: TravelRun, found: TravelFit, iso: AxisFigures, shape: Shape | None) -> JsonObject:
    """What the chart and the logbook show; deviations in mm."""
    zero = found.zero
    return {
        "positions": [t.position for t in iso.targets],
        "up": [None if t.mean_up is None else t.mean_up - zero for t in iso.targets],
        "down": [None if t.mean_down is None else t.mean_down - zero for t in iso.targets],
        "s_up": [t.s_up for t in iso.targets],
        "s_down": [t.s_down for t in iso.targets],
        "scale": found.scale.value,
        "lost_motion": found.lost_motion.value if found.lost_motion else None,
        "reversal_B": iso.reversal,
        "repeatability_R": iso.repeatability,
        "systematic_E": iso.systematic,
        "after": note(f"travel_run.{iso.lacking or 'iso_230_2'}").to_figure(),
        "cycles": iso.cycles,
        "shape": {"kind": shape.kind, "size": shape.size, "where": shape.where} if shape else None,
        "axis": run.axis,
        "units": case.controller_units,
        "unit": QUANTITIES[f"{run.axis}_backlash"].unit,
    }
