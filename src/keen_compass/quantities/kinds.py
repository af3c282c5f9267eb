"""Kinds of machines, by the names that the command line and JSON have for them."""

from __future__ import annotations

from enum import StrEnum

from keen_compass.errors import InputError
from keen_compass.language import marked, tr


class MachineKind(StrEnum):
    """What a machine does to what lies on it."""

    ROUTER = "router"
    PLASMA = "plasma"
    LASER = "laser"
    KNIFE = "knife"
    PRINT_AND_CUT = "print-and-cut"
    PEN = "pen"

    @property
    def said(self) -> str:
        """As its technician calls it."""
        return tr(_SAID.get(self, self.value))

    @property
    def thermal(self) -> bool:
        """Whether it melts or burns."""
        return self in (MachineKind.PLASMA, MachineKind.LASER)

    @property
    def plots(self) -> bool:
        """Whether it moves a knife or a pen over film or paper; else it is a table on which something is cut."""
        return self in (MachineKind.KNIFE, MachineKind.PRINT_AND_CUT, MachineKind.PEN)

    @property
    def file(self) -> str:
        """The format of the files that it takes: gcode or hpgl."""
        return "hpgl" if self.plots else "gcode"

    @classmethod
    def _missing_(cls, value: object) -> MachineKind:
        """Shop files have kept what technicians say. Raises InputError for what is no kind of machine."""
        for kind, said in _SAID.items():
            if said == value:
                return kind
        raise InputError(tr("choose one of {kinds}", kinds=", ".join(cls)), "kind")


_SAID = {
    MachineKind.ROUTER: marked("router"),
    MachineKind.PLASMA: marked("plasma table"),
    MachineKind.LASER: marked("laser table"),
    MachineKind.KNIFE: marked("vinyl plotter"),
    MachineKind.PRINT_AND_CUT: marked("print-and-cut plotter"),
    MachineKind.PEN: marked("pen plotter"),
}
