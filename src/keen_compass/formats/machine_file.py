"""The file that a machine takes: which writer, with which of its settings. For window, command line and practice."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from keen_compass.formats.gcode import CutSettings, write_gcode, write_moves
from keen_compass.machines.profile import Machine
from keen_compass.pieces.moves import MoveProgram
from keen_compass.pieces.placement import check_on_bed
from keen_compass.pieces.toolpath import ToolPath
from keen_compass.quantities.geometry import Box
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.notes import Note

EXTENSIONS = {"gcode": "nc", "hpgl": "plt", "svg": "svg"}


def file_for(
    machine: Machine,
    made: ToolPath | MoveProgram,
    say: Callable[[Note], str],
    *,
    drawn: bool = False,
    reach: Box | None = None,
    from_zero: bool = False,
    cut: CutSettings | None = None,
) -> str:
    """A path on the bed, or moves that wait, in the machine's own format. Raises PieceError with what to do.

    say: what is in remarks. drawn: with a pen. reach: where it may draw, the machine's media unless stated.
    from_zero: a drawing's page begins at the machine's zero, not at the piece. cut: how it is to be cut, as the profile
    has it unless stated.
    """
    cut = cut or cut_settings(machine, drawn=drawn)
    if isinstance(made, MoveProgram):
        return write_moves(made, cut, say)
    reach = reach or machine.media
    if machine.file_format == "svg":
        from keen_compass.formats.drawings import write_svg

        check_on_bed(made, reach, "roll")
        return write_svg(made, from_zero=from_zero)
    if machine.file_format == "hpgl":
        from keen_compass.formats.hpgl import write_hpgl

        return write_hpgl(made, machine.units_per_mm, reach)
    if machine.kind.thermal:
        return _burnt(machine, made)
    return write_gcode(made, cut)


def cut_settings(machine: Machine, *, drawn: bool) -> CutSettings:
    """How the profile says that it cuts what is loaded."""
    settings = CutSettings(
        bed=Box(0, 0, *machine.bed),
        depth_per_pass=machine.depth_per_pass,
        feed=machine.feed,
        plunge_feed=machine.plunge_feed,
        spindle_rpm=machine.spindle_rpm,
        spindle=not drawn,
        z_travel=machine.z_travel,
    )
    return replace(settings, thickness=machine.stock.thickness) if machine.stock else settings


def _burnt(machine: Machine, path: ToolPath) -> str:
    from keen_compass.formats.thermal import ThermalSettings, write_thermal

    settings = ThermalSettings(
        bed=Box(0, 0, *machine.bed),
        beam=machine.kind is MachineKind.LASER,
        feed=machine.feed,
        pierce_height=machine.pierce_height,
        cut_height=machine.cut_height,
        pierce_delay=machine.pierce_delay,
        power=machine.power,
        focus=machine.focus if machine.moves_lens else None,
        z_travel=machine.z_travel,
    )
    return write_thermal(path, settings)
