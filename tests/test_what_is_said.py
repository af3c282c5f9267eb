"""Sentences: made in one place, of codes that all have their words; nothing beneath the words speaks."""

from __future__ import annotations

import ast
import json
import re
from collections.abc import Iterator
from importlib import import_module
from pathlib import Path
from typing import Any

import pytest

from keen_compass.procedures import REGISTRY, load
from keen_compass.procedures.case_input import KINDS, case_from_json
from keen_compass.quantities.findings import Finding
from keen_compass.quantities.notes import Note, note, plain
from keen_compass.quantities.standpoint import Standpoint
from keen_compass.words.procedures import about, does, title
from keen_compass.words.say import Show, capital, finished, say
from said import notes_of, solved

SOURCE = Path(__file__).parent.parent / "src" / "keen_compass"
SILENT = ("solve", "procedures", "shop", "rounds")
# Two words of ordinary writing beside each other; SQL shouts one of any two.
SENTENCE = re.compile(r"\b(?:[a-z’']{2,}|[A-Z][a-z’']+) [a-z’']{2,}")
NAMES = {*KINDS, *KINDS.values(), "glass scale", "glass scale 1.3 m", "steel rule 1.5 m"}  # of instruments


def texts(node: ast.AST) -> Iterator[tuple[int, str]]:
    """Texts in code, but for what is in errors and docstrings."""
    if isinstance(node, ast.Raise) or (isinstance(node, ast.Call) and _name(node.func).endswith(("Error", "_Wrong"))):
        return
    if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant):
        return
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        yield node.lineno, node.value
    for child in ast.iter_child_nodes(node):
        yield from texts(child)


def _name(node: ast.expr) -> str:
    return node.id if isinstance(node, ast.Name) else node.attr if isinstance(node, ast.Attribute) else ""


@pytest.mark.parametrize("room", SILENT)
def test_no_sentence_stands_beneath_the_words(room: str) -> None:
    found = [
        f"{file.name}:{line} {text}"
        for file in sorted((SOURCE / room).glob("*.py"))
        for line, text in texts(ast.parse(file.read_text(encoding="utf-8")))
        if SENTENCE.search(text) and text not in NAMES and "CREATE TABLE" not in text
    ]
    assert not found


def codes() -> dict[str, str]:
    """Every code that is written anywhere as the first argument of `note`, with where."""
    found = {}
    for file in sorted(SOURCE.rglob("*.py")):
        for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
            if isinstance(node, ast.Call) and _name(node.func) == "note" and node.args:
                first = node.args[0]
                either = (first.body, first.orelse) if isinstance(first, ast.IfExp) else (first,)
                for part in either:
                    if isinstance(part, ast.Constant):
                        found[str(part.value)] = f"{file.name}:{node.lineno}"
    return found


def has_words(code: str) -> bool:
    module, dot, key = code.rpartition(".")
    return key in import_module(f"keen_compass.words.texts.{module if dot else 'common'}").TEXTS


def test_every_code_has_its_words() -> None:
    assert len(codes()) > 100
    assert [f"{where} {code}" for code, where in codes().items() if not has_words(code)] == []


@pytest.mark.parametrize("name", REGISTRY)
def test_everything_of_a_procedure_has_its_words(name: str) -> None:
    """Title, what it needs, labels, hints, choices, and what its example says."""
    from keen_compass.practice.demo_machines import HERON, KINGFISHER

    procedure = load(name)
    assert title(name)
    assert does(name)
    assert all((*about(name).needs, about(name).piece, *about(name).lookalikes))
    for machine in (HERON, KINGFISHER):
        for choice in procedure.choices(machine):
            for said in (choice.label, *(words for words, _ in choice.options)):
                assert "“" not in say(said)
    case = case_from_json(procedure.example())
    for m in procedure.measurands(procedure.piece(case.piece)):
        assert say(m.label)
        assert "“" not in say(m.label) + say(m.hint)
    shown = procedure.shown(procedure.solve(case).figures)
    for what, much in shown.lines:
        assert "“" not in say(what) + say(much)
    assert "“" not in say(procedure.heading(case.piece))


def test_no_answer_of_the_past_has_lost_its_words() -> None:
    """All the kept questions, in both units: whatever is said has words, and codes are stable names."""
    lines = (Path(__file__).parent / "data" / "solve-outputs.jsonl").read_text(encoding="utf-8").splitlines()
    seen = set()
    for line in lines:
        kept = json.loads(line)
        if "error" in kept["output"]:
            continue
        answer = solved(kept["input"])
        for said in (answer, *answer["findings"]):
            assert not any(text.startswith("“") or not text[0].isupper() for text in said["notes"]), said["notes"]
            seen |= set(said["note_codes"])
    assert len(seen) > 30
    assert all(re.fullmatch(r"([a-z_]+\.)?[a-zA-Z0-9_]+", code) for code in seen), seen


@pytest.mark.parametrize(
    "code", ["no_such_thing", "os.path", "..evil.x", "backlash.nothing", "times_off", "known_before"]
)
def test_what_this_program_has_no_words_for_is_named_by_its_code(code: str) -> None:
    assert say(Note(code, {"nonsense": [1]})) == f"“{code}”"


def test_lengths_and_directions_are_those_of_who_reads() -> None:
    moved = note("squareness.move_gantry", end="x", by=25.4, way="-y")
    assert say(moved) == "Move the gantry’s end at highest X by 25.40 mm towards −Y."
    here = Show("in", Standpoint("away", "left"))
    assert say(moved, here) == "Move the gantry’s end at highest X by 1.0000 in towards −Y, to the right."
    assert say(note("looks_inches", reading=2, value=15.75, nominal=400.0).of("rectangle.width")) == (
        "Width: this looks like inches (reading 2): 15.75 where 400 mm is nominal."
    )
    assert (
        say(note("more_readings", more=1, noun="length", sure=True))
        == "One more reading of each length would settle it."
    )
    assert (
        say(note("more_readings", more=3, noun="stop", sure=False)) == "Three more readings of each stop may settle it."
    )
    assert say("") == ""
    assert (finished("is it so?"), finished("no"), capital("éa")) == ("Is it so?", "No.", "Éa")


def test_what_was_signed_with_sentences_still_reads_as_signed() -> None:
    """A shop file of before kept words; they come back as they were, and go on as notes."""
    case = case_from_json(load("backlash").example())
    new: dict[str, Any] = load("backlash").solve(case).findings[0].to_json()
    old = Finding.from_json(json.loads(json.dumps(new | {"formula": "0.05 + 0.08", "notes": ["Look at the dial."]})))
    assert notes_of(old) == ["Look at the dial."]
    assert old.formula == plain("0.05 + 0.08")
    assert Finding.from_json(json.loads(json.dumps(old.to_json()))) == old
    assert Finding.from_json(json.loads(json.dumps(new))).to_json() == json.loads(json.dumps(new))
