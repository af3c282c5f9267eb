"""The demo as it ships is what a year of play on the stand-ins makes, and its last day is today."""

from __future__ import annotations

import contextlib
import re
import sqlite3
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from keen_compass.practice.demo import build
from keen_compass.practice.shipped import SHOP, TIME, open_demo
from keen_compass.shop import schema
from keen_compass.shop.base import time_of
from keen_compass.shop.logbook import entries

NUMBER = re.compile(r"-?\d+\.\d+(?:e-?\d+)?")


def rows_of(folder: Path) -> dict[str, list[tuple[object, ...]]]:
    """Everything in a shop's file but times, folders and the last digits of what was computed."""

    def plain(value: object) -> object:
        if not isinstance(value, str):
            return round(value, 6) if isinstance(value, float) else value
        return NUMBER.sub(lambda m: f"{float(m[0]):.6g}", TIME.sub("then", value).replace(str(folder), "here"))

    with contextlib.closing(sqlite3.connect(folder / SHOP)) as db:
        return {
            table: [
                tuple(plain(v) for v in row)
                for row in db.execute(f"SELECT {', '.join(n for n, _ in columns)} FROM {table} ORDER BY id")
            ]
            for table, columns in schema.COLUMNS.items()
        }


@pytest.mark.heavy
def test_what_ships_is_what_is_played(tmp_path: Path) -> None:
    """Where it isn't: `tools/pack-demo`."""
    for name, make in (("played", lambda folder: build(folder / SHOP)), ("shipped", open_demo)):
        (tmp_path / name).mkdir()
        make(tmp_path / name).close()
    played, shipped = rows_of(tmp_path / "played"), rows_of(tmp_path / "shipped")
    for table in schema.COLUMNS:
        assert shipped[table] == played[table], table


def test_its_last_day_is_today_and_every_row_is_sound(tmp_path: Path) -> None:
    shop = open_demo(tmp_path)
    try:
        dated = [table for table, columns in schema.COLUMNS.items() if ("at", str) in columns]
        at = [TIME.findall(str(row))[-1] for table in dated for row in shop.dumped(table)]
        assert timedelta(0) <= datetime.now(UTC) - max(map(time_of, at)) < timedelta(days=1)
        assert entries(shop)
        shop.check(60)
        assert shop.checked
        assert shop.damage == []
        spot = shop.machine("heron").spots["pointer_x"]
        assert Path(spot.file).parent == tmp_path
        assert Path(spot.file).is_file()
    finally:
        shop.close()
