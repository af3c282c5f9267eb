"""The shop's rounds: their marks, pieces, stages, readings, and the bytes that were sent."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any, NamedTuple, TypeVar

from keen_compass.errors import ShopDamagedError
from keen_compass.language import tr
from keen_compass.quantities.bodies import JsonMapping, Parameters
from keen_compass.quantities.geometry import Box
from keen_compass.shop.base import ShopBase, time_of
from keen_compass.shop.kept import SHOWN, KeptPiece, KeptReading, KeptRound, KeptStage
from keen_compass.shop.machines import SETTLED
from keen_compass.shop.rows import SqlRow
from keen_compass.shop.schema import NEWEST, OLDEST_FIRST

if TYPE_CHECKING:
    from keen_compass.machines.snapshot import Snapshot
    from keen_compass.quantities.readings import Reading
    from keen_compass.shop.mark import Mark

M = TypeVar("M", bound="Mark")
_ENDED = f"(SELECT round FROM mark WHERE kind IN {SETTLED})"
BEGINNINGS = {
    b"%PDF": "application/pdf",
    b"\x89PNG": "image/png",
    b"\xff\xd8\xff": "image/jpeg",
    b"GIF8": "image/gif",
    b"RIFF": "image/webp",
    b"BM": "image/bmp",
    b"II*\0": "image/tiff",
    b"MM\0*": "image/tiff",
}
SEEN, FOUND_OTHERWISE = "seen", "found_otherwise"  # kinds of event about what a controller holds
_OF_PIECE = "stage IN (SELECT id FROM stage WHERE piece = ?)"


class NewPiece(NamedTuple):
    """A piece that has just been made; fields as those of `KeptPiece`.

    stages: (kind, the bytes that were sent for it, empty for none) of each, in order. number: on it; 0 for the
    machine's next.
    """

    parameters: Parameters
    place: Sequence[Box]
    on_bed: bool
    practice: JsonMapping | None
    stages: Sequence[tuple[str, bytes]]
    snapshot: Snapshot
    use: Mapping[str, float]
    number: int = 0


class RoundRows(ShopBase):
    """What the shop knows of its rounds."""

    def begin_round(
        self, machine: str, procedure: str, tolerances: Mapping[str, float], reference_length: float
    ) -> KeptRound:
        """Append a round, which copies the tolerances now."""
        body = {"tolerances": dict(tolerances), "reference_length": reference_length}
        with self.writing():
            at = self._stamp(machine)
            number = self._f.append("round", machine=machine, procedure=procedure, at=at, body=json.dumps(body))
        return KeptRound(number, machine, procedure, at, dict(tolerances), reference_length, "open")

    def round(self, round_id: int) -> KeptRound:
        """A round by its number. Raises ShopDamagedError where it can't be read."""
        for row in self._f.rows("round", "WHERE id = ?", round_id):
            return self._round(row)
        raise ShopDamagedError(tr("Round {round_id} can’t be read any more.", round_id=round_id))

    def rounds(self, machine: str) -> list[KeptRound]:
        """All rounds of a machine, oldest first."""
        return [self._round(row) for row in self._f.rows("round", f"WHERE machine = ? {OLDEST_FIRST}", machine)]

    def open_rounds(self, machine: str, procedure: str | None = None) -> list[KeptRound]:
        """The rounds of a machine that are neither signed nor given up, newest first."""
        rows = self._f.rows(
            "round",
            f"WHERE machine = ? AND (? IS NULL OR procedure = ?) AND id NOT IN {_ENDED} {NEWEST}",
            machine,
            procedure,
            procedure,
        )
        return [_round(row, "open") for row in rows]

    def _round(self, row: SqlRow) -> KeptRound:
        end = next(iter(self._f.rows("mark", f"WHERE round = ? AND kind IN {SETTLED} {NEWEST}", row[0])), None)
        return _round(row, end[2] if end else "open")

    def idle_days(self, round_id: int) -> int:
        """For how many days nothing was done in a round."""
        return (time_of(self.clock()) - time_of(self.last_touched(round_id))).days

    def last_touched(self, round_id: int) -> str:
        """When something was last done in a round (UTC)."""
        sql = (
            "SELECT max(at) FROM (SELECT at FROM round WHERE id = ? "
            "UNION ALL SELECT at FROM mark WHERE round = ? "
            "UNION ALL SELECT r.at FROM reading r JOIN stage s ON s.id = r.stage "
            "JOIN piece p ON p.id = s.piece WHERE p.round = ?)"
        )
        return str(self._f.query(sql, round_id, round_id, round_id)[0][0])

    def steps_under_way(self) -> dict[str, str]:
        """The step of each machine's newest open round, by machine."""
        steps: dict[str, str] = {}
        for number, machine, *_ in self._f.rows("round", f"WHERE id NOT IN {_ENDED} {OLDEST_FIRST}"):
            steps[machine], _ = self.under_way(number)
        return steps

    def under_way(self, round_id: int) -> tuple[str, Mapping[str, object]]:
        """Which step of a round is shown, and what of the procedure's own is chosen for its next piece.

        As `StepShown` and `Choices` say it; the first screen asks, and waits for no class of marks to be made.
        """
        said: dict[str, JsonMapping] = {}
        for _, _, kind, *_, body in self._f.rows(
            "mark", f"WHERE round = ? AND kind IN (?, ?) {NEWEST}", round_id, *SHOWN
        ):
            said.setdefault(kind, json.loads(body))
        step, choices = (said.get(kind, {}) for kind in SHOWN)
        return step.get("step", "make"), choices.get("chosen", {})

    def computed(self, machine: str) -> dict[str, Mapping[str, float | None]]:
        """What the parts of the drive trains gave, by quantity: steps per mm, and teeth where there are any."""
        from keen_compass.shop.marks import Computed

        found: dict[str, Mapping[str, float | None]] = {}
        tail = f"WHERE kind = ? AND round IN (SELECT id FROM round WHERE machine = ?) {OLDEST_FIRST}"
        for *_, body in self._f.rows("mark", tail, Computed.kind, machine):
            found |= Computed.from_body(json.loads(body)).by_quantity
        return found

    def put_mark(self, round_id: int, mark: Mark, piece: int = 0) -> None:
        """Append something that happened to a round, or to one of its pieces."""
        with self.writing():
            at = self._stamp(self._machine_of(round_id))
            self._f.append("mark", round=round_id, kind=mark.kind, piece=piece, at=at, body=json.dumps(mark.to_body()))

    def mark(self, round_id: int, kind: type[M], piece: int = 0) -> M | None:
        """The newest mark of a kind, of the round or of one of its pieces."""
        tail = f"WHERE round = ? AND kind = ? AND piece = ? {NEWEST} LIMIT 1"
        for *_, body in self._f.rows("mark", tail, round_id, kind.kind, piece):
            return kind.from_body(json.loads(body))
        return None

    def _machine_of(self, round_id: int) -> str:
        return next((machine for (machine,) in self._f.query("SELECT machine FROM round WHERE id = ?", round_id)), "")

    # Pieces, their stages, what was sent

    def put_piece(self, round_id: int, machine: str, piece: NewPiece) -> KeptPiece:
        """Append a piece with its stages; its number is the machine's next, where it carries none yet."""
        body = {
            "parameters": dict(piece.parameters),
            "on_bed": piece.on_bed,
            "practice": piece.practice,
            "place": [[b.x, b.y, b.width, b.height] for b in piece.place],
            **({"use": dict(piece.use)} if piece.use else {}),
        }
        with self.writing():
            number, at = piece.number or self.next_piece_number(machine), self._stamp(machine)
            row = self._f.append("piece", round=round_id, machine=machine, number=number, at=at, body=json.dumps(body))
            stages = tuple(self.put_stage(row, at, kind, piece.snapshot, sent) for kind, sent in piece.stages)
        return _piece((row, round_id, machine, number, at, json.dumps(body)), stages)

    def put_stage(self, piece_id: int, at: str, kind: str, snapshot: Snapshot, sent: bytes = b"") -> KeptStage:
        """Append a stage of a piece."""
        with self.writing():
            name = self.put_blob(sent) if sent else ""
            body = json.dumps(snapshot.to_body())
            number = self._f.append("stage", piece=piece_id, kind=kind, at=at, sent=name, body=body)
        return KeptStage(number, kind, at, name, snapshot)

    def put_blob(self, data: bytes) -> str:
        """Keep bytes once; returns the name under which they are found."""
        from hashlib import sha256  # late: the first screen keeps nothing

        name = sha256(data).hexdigest()
        with self.writing():
            if not self._f.query("SELECT 1 FROM blob WHERE name = ?", name):
                self._f.append("blob", name=name, at=self.clock(), kind=media_type(data), data=data)
        return name

    def blob(self, name: str) -> bytes | None:
        """The bytes of that name; None where there are none, or they are damaged."""
        for *_, data in self._f.rows("blob", "WHERE name = ? LIMIT 1", name):
            return bytes(data)
        return None

    def next_piece_number(self, machine: str) -> int:
        """The number of the machine's next piece: none that is on a sheet which waits in an open round."""
        ((last,),) = self._f.query("SELECT max(number) FROM piece WHERE machine = ?", machine)
        ((waits,),) = self._f.query(
            "SELECT max(json_extract(m.body, '$.number')) FROM mark m JOIN round r ON r.id = m.round "
            "WHERE r.machine = ? AND m.kind = 'sheet' AND json_array_length(m.body, '$.done') > 0",
            machine,
        )
        return max(last or 0, waits or 0) + 1

    def has_piece(self, machine: str, number: int) -> bool:
        """Whether one of the machine's pieces carries that number."""
        return bool(self._f.query("SELECT 1 FROM piece WHERE machine = ? AND number = ? LIMIT 1", machine, number))

    def pieces(self, round_id: int) -> list[KeptPiece]:
        """A round's pieces, in order."""
        return self._pieces("round", round_id)

    def machine_pieces(self, machine: str, since: str = "") -> list[KeptPiece]:
        """The pieces of a machine made after a time, in order."""
        return self._pieces("machine", machine, since)

    def _pieces(self, column: str, value: Any, since: str = "") -> list[KeptPiece]:
        from keen_compass.machines.snapshot import Snapshot  # late, like readings: the first screen shows no piece

        stages: dict[int, list[KeptStage]] = {}
        among = f"(SELECT id FROM piece WHERE {column} = ? AND at > ?)"
        for number, piece, kind, at, sent, body in self._f.rows(
            "stage", f"WHERE piece IN {among} {OLDEST_FIRST}", value, since
        ):
            snapshot = Snapshot.from_body(json.loads(body))
            stages.setdefault(piece, []).append(KeptStage(number, kind, at, sent, snapshot))
        rows = list(self._f.rows("piece", f"WHERE {column} = ? AND at > ? {OLDEST_FIRST}", value, since))
        doubt = self._in_doubt({row[2] for row in rows})
        # Without any of its stages a piece can't be understood; what is damaged has been named.
        return [_piece(row, tuple(stages[row[0]]), doubt) for row in rows if row[0] in stages]

    def _in_doubt(self, machines: set[str]) -> list[tuple[str, str, str]]:
        """(quantity, since, until): when it was unknown what these machines' controllers held."""
        found = []
        for machine in machines:
            tail = f"WHERE machine = ? AND kind = ? {OLDEST_FIRST}"
            for _, _, at, _, text in self._f.rows("event", tail, machine, FOUND_OTHERWISE):
                said = json.loads(text)["values"]
                found.append((said["quantity"], said["since"], at))
        return found

    # Readings

    def readings(self, piece_id: int) -> list[KeptReading]:
        """Current readings of a piece: the newest of each slot, in the order of their first ones."""
        from keen_compass.quantities.readings import Row, from_row

        newest: dict[int, tuple[bool, KeptReading]] = {}
        for (
            number,
            _,
            measurand,
            at,
            kind,
            text,
            value,
            second,
            unit,
            resolution,
            blob,
            instrument,
            slot,
            withdrawn,
        ) in self._f.rows("reading", f"WHERE {_OF_PIECE} ORDER BY id", piece_id):
            reading = from_row(Row(kind, text, value, second, unit, resolution, blob))
            kept = KeptReading(slot or number, measurand, reading, instrument, at)
            newest[kept.slot] = (bool(withdrawn), kept)
        return [kept for withdrawn, kept in newest.values() if not withdrawn]

    def put_reading(
        self,
        piece_id: int,
        measurand: str,
        reading: Reading,
        instrument: str,
        *,
        slot: int | None = None,
        withdrawn: bool = False,
    ) -> int:
        """Append a reading of a piece's last stage (or what supersedes the one in `slot`) and delete the draft, in one
        transaction.

        Returns its slot.
        """
        from keen_compass.quantities.readings import to_row

        row = to_row(reading)
        with self.writing():
            machine, stage = self._last_stage(piece_id)
            number = self._f.append(
                "reading",
                stage=stage,
                measurand=measurand,
                at=self._stamp(machine),
                kind=row.kind,
                text=row.text,
                value=row.value,
                second=row.second,
                unit=row.unit,
                resolution=row.resolution,
                blob=row.blob,
                instrument=instrument,
                slot=slot,
                withdrawn=withdrawn,
            )
            self._f.query("DELETE FROM draft WHERE id = ?", piece_id)
        return slot or number

    def _last_stage(self, piece_id: int) -> tuple[str, int]:
        sql = (
            "SELECT p.machine, s.id FROM piece p JOIN stage s ON s.piece = p.id WHERE p.id = ? "
            "ORDER BY s.at DESC, s.id DESC LIMIT 1"
        )
        for machine, stage in self._f.query(sql, piece_id):
            return machine, stage
        raise ShopDamagedError(tr("That piece can’t be read any more."))

    def put_draft(self, piece_id: int, measurand: str, text: str) -> None:
        """Keep half a reading, in the one row there is for it."""
        with self.writing():
            if text:
                self._f.append("draft", id=piece_id, measurand=measurand, text=text, at=self.clock())
            else:
                self._f.query("DELETE FROM draft WHERE id = ?", piece_id)

    def draft(self, piece_id: int) -> tuple[str, str] | None:
        """(measurand, text) of the half reading, if there is one."""
        for _, measurand, text, _ in self._f.rows("draft", "WHERE id = ?", piece_id):
            return measurand, text
        return None


def _round(row: SqlRow, status: str) -> KeptRound:
    number, machine, procedure, at, text = row
    body = json.loads(text)
    return KeptRound(number, machine, procedure, at, body["tolerances"], body["reference_length"], status)


def _piece(row: SqlRow, stages: tuple[KeptStage, ...], doubt: Sequence[tuple[str, str, str]] = ()) -> KeptPiece:
    number, round_id, _, count, at, text = row
    body = json.loads(text)
    doubtful = dict.fromkeys(q for q, since, until in doubt if since < stages[-1].at < until)
    return KeptPiece(
        number,
        round_id,
        count,
        at,
        body["parameters"],
        _boxes(body["place"]),
        bool(body.get("on_bed")),
        body.get("practice"),
        stages,
        body.get("use", {}),
        tuple(doubtful),
    )


def media_type(data: bytes) -> str:
    """What bytes are, by how they begin; whatever else is text, or nothing that has a name here."""
    for beginning, kind in BEGINNINGS.items():
        if data.startswith(beginning):
            return kind
    try:
        data.decode()
    except UnicodeDecodeError:
        return "application/octet-stream"
    return "text/plain"


def _boxes(place: Any) -> tuple[Box, ...]:
    """A piece's place as it was kept: boxes; of older ones a single one, or nothing."""
    if not place:
        return ()
    return tuple(Box(*box) for box in place) if isinstance(place[0], list) else (Box(*place),)
