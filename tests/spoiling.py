"""Ways to spoil a logbook that was written as JSON, one field of one row or something odd anywhere; a raw shop file."""

from __future__ import annotations

import copy
import json
import random
import sqlite3
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any


@contextmanager
def raw(file: Path | str) -> Iterator[sqlite3.Connection]:
    """A file of SQLite as it lies there: what is done to it is kept, and it is closed."""
    db = sqlite3.connect(file)
    try:
        with db:
            yield db
    finally:
        db.close()


def change(table: str, field: str, value: Any, row: int = 0) -> Callable[[dict[str, Any]], None]:
    def run(body: dict[str, Any]) -> None:
        body["tables"][table][row][field] = value

    return run


def in_body(table: str, row: int, **fields: Any) -> Callable[[dict[str, Any]], None]:
    def run(body: dict[str, Any]) -> None:
        inner = json.loads(body["tables"][table][row]["body"])
        body["tables"][table][row]["body"] = json.dumps(inner | fields)

    return run


ODD = (None, True, -1, 0, 2**80, 1e308, -0.0, "", "x" * 500, "\u0000", "\u202e", [], {}, [[]], "null", "{}", "1e999",
       "2026-01-01", {"x_steps": None})  # fmt: skip


def spoilt(rng: random.Random, node: Any) -> Any:
    """The same with one place somewhere in it replaced by something odd."""
    if rng.random() < 0.2 or not isinstance(node, (dict, list)) or not node:
        if isinstance(node, str) and node[:1] in "{[" and rng.random() < 0.8:
            try:
                return json.dumps(spoilt(rng, json.loads(node)))
            except ValueError:
                pass
        return rng.choice(ODD)
    key = rng.choice(list(node) if isinstance(node, dict) else range(len(node)))
    new = copy.copy(node)
    if isinstance(node, dict) and rng.random() < 0.15:
        del new[key]
    else:
        new[key] = spoilt(rng, node[key])
    return new
