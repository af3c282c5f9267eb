"""What earlier versions left behind: their answers to the same readings, their shop files, their logbooks."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from keen_compass.errors import KeenCompassError
from keen_compass.procedures import load
from keen_compass.procedures.case import case_from_json

DATA = Path(__file__).parent / "data"
SOLVED = [json.loads(line) for line in (DATA / "solve-outputs.jsonl").read_text(encoding="utf-8").splitlines()]


def nearly(value: Any) -> Any:
    """The same with every float allowed the last digits, in which machines differ."""
    match value:
        case float():
            return pytest.approx(value, rel=1e-7, abs=1e-9)
        case dict():
            return {k: nearly(v) for k, v in value.items()}
        case list():
            return [nearly(v) for v in value]
    return value


@pytest.mark.parametrize("kept", SOLVED, ids=[kept["case"] for kept in SOLVED])
def test_the_same_readings_give_the_same_answer(kept: dict[str, Any]) -> None:
    """Every difference from here on is meant, and listed with its cause where it was made."""
    try:
        answer = load(kept["input"]["procedure"]).solve(case_from_json(kept["input"])).to_json()
    except KeenCompassError as error:
        answer = {"error": str(error)}
    assert json.loads(json.dumps(answer)) == nearly(kept["output"])
