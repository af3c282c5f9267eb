"""The shop: typed access to all that its file keeps, what is current, and appending to it."""

from __future__ import annotations

import json
from collections.abc import Sequence

from keen_compass.quantities.bodies import JsonMapping, JsonObject
from keen_compass.shop.machines import MachineRows
from keen_compass.shop.pieces import RoundRows
from keen_compass.shop.rows import SqlRow, SqlValue
from keen_compass.shop.schema import NEWEST


class Shop(MachineRows, RoundRows):
    """An open shop; as many as wanted in one process. Every change is on disk when the call returns."""

    # Practice

    def stand_in(self, machine: str) -> JsonObject | None:
        """The hidden truths behind a practice machine, for the practice tools only; None without one."""
        for *_, body in self._f.rows("stand_in", f"WHERE machine = ? {NEWEST} LIMIT 1", machine):
            truth: JsonObject = json.loads(body)
            return truth or None
        return None

    def put_stand_in(self, machine: str, body: JsonMapping) -> None:
        """Keep the truths of a practice machine."""
        with self.writing():
            self._f.append("stand_in", machine=machine, at=self._stamp(machine), body=json.dumps(body))

    # Taking over and giving away, for `exchange`

    def dumped(self, table: str, tail: str = "", *values: SqlValue) -> list[SqlRow]:
        """Sound rows of a table as they stand in the file, by number."""
        return list(self._f.rows(table, f"{tail} ORDER BY id", *values))

    def called(self, table: str, columns: Sequence[str]) -> list[SqlRow]:
        """The number of each row of a table and what stands in these columns, in the order in which they were kept."""
        return self._f.query(f"SELECT id, {', '.join(columns)} FROM {table} ORDER BY id")

    def taken_over(self, table: str, **row: SqlValue) -> int:
        """Append a row that was checked already, with the time it has; returns its number."""
        self._last.clear()
        return self._f.append(table, **row)
