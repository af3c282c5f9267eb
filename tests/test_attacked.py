"""The attack of bench/attack_sheets.py in small: nothing lost or dangerous, no traceback, nothing without end."""

from __future__ import annotations

import sys
from collections import Counter
from pathlib import Path

import pytest

sys.path.insert(0, str(Path(__file__).parents[1] / "bench"))

import attack_sheets

HARM = {"lost", "tracebacks", "stops later starts", "formulas", "no area", "longer than 70 s", "misses", "otherwise",
        "dangerous bytes", "without their name", "without a place"}  # fmt: skip


@pytest.mark.heavy
@pytest.mark.parametrize(("run", "times", "done"), [
    (attack_sheets.kills, 1, "said to be kept"), (attack_sheets.full_disk, 2, "refused"),
    (attack_sheets.imports, 12, "refused"), (attack_sheets.clocks, 4, "rounds"),
    (attack_sheets.formulas, 60, "cells"), (attack_sheets.artworks, 20, "read"), (attack_sheets.outlines, 15, "shapes"),
])  # fmt: skip
def test_nothing_is_lost_and_nothing_goes_wrong(
    demo_file: Path, tmp_path: Path, run: attack_sheets.Attack, times: int, done: str
) -> None:
    found: Counter[str] = run(demo_file, tmp_path, times)
    assert found[done] > 0
    assert {what: found[what] for what in HARM if found[what]} == {}
