"""What the shop file keeps, as values: rounds, pieces with their stages, readings, findings, numbers."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, NamedTuple

from keen_compass.quantities.bodies import JsonMapping, Parameters

if TYPE_CHECKING:  # the first screen needs none of them
    from keen_compass.machines.snapshot import Snapshot
    from keen_compass.quantities.findings import Finding
    from keen_compass.quantities.geometry import Box
    from keen_compass.quantities.readings import Reading
    from keen_compass.quantities.stored import StoredValue

SHOWN = ("step", "parameters")  # kinds of mark: which step is shown, what is chosen for the next piece
PICTURE = "picture"  # what is for an instrument where a reading was taken from a picture
STAGES = ("made", "run", "counted", "printed", "loaded", "aimed", "drawn")  # kinds of stage


class KeptReading(NamedTuple):
    """A reading: its slot, measurand, what was read, instrument's uid, when."""

    slot: int
    measurand: str
    reading: Reading
    instrument: str
    at: str

    @property
    def text(self) -> str:
        """As it was typed."""
        return self.reading.text


class KeptStage(NamedTuple):
    """A step of a piece's making. kind: one of `STAGES`. sent: name of the blob that the machine was sent."""

    id: int
    kind: str
    at: str
    sent: str
    snapshot: Snapshot


class KeptPiece(NamedTuple):
    """A piece as made.

    parameters: the procedure's own. place: what it covers or marks on the bed, mm. on_bed: it marks the bed itself.
    practice: what a stand-in needs to make it again besides the file, where one made it.
    stages: the steps of its making, in order; never none.
    doubtful: quantities of which nobody knows any more what the controller held then.
    use: of what cut it, by what is counted (`machines.limits.COUNTS`); empty where nobody counted.
    """

    id: int
    round: int
    number: int
    at: str
    parameters: Parameters
    place: tuple[Box, ...]
    on_bed: bool
    practice: JsonMapping | None
    stages: tuple[KeptStage, ...]
    use: Mapping[str, float]
    doubtful: tuple[str, ...]

    @property
    def snapshot(self) -> Snapshot:
        """What was in force when it was read: that of its last stage."""
        return self.stages[-1].snapshot

    @property
    def sent(self) -> str:
        """Name of the blob that was sent to make it, empty where there was none or it wasn't kept."""
        return self.stages[-1].sent


class KeptRound(NamedTuple):
    """A round, what it copied when it began, and its status: open, signed or given_up.

    tolerances: mm by quantity, scales over `reference_length` (mm).
    """

    id: int
    machine: str
    procedure: str
    at: str
    tolerances: Mapping[str, float]
    reference_length: float
    status: str


class KeptFinding(NamedTuple):
    """A finding in the logbook."""

    finding: Finding
    at: str
    round: int
    piece: int


class KeptValue(NamedTuple):
    """A number, seen or put in its place at `at`. subject: key of whose it is.

    how: start; typed or read_back; found, where it stood there otherwise than the logbook had it; taken into our files;
    setting, where the profile says so; put_back, where it was this subject's before, or the logbook's.
    """

    stored: StoredValue
    at: str
    how: str
    round: int | None
    subject: str = ""


class Future(NamedTuple):
    """What carries a date that has not come yet: table, row, machine and time, newest last."""

    rows: tuple[tuple[str, int, str, str], ...]

    @property
    def latest(self) -> str:
        """The last of the dates."""
        return self.rows[-1][3]
