"""The command line as scripts use it: a process, its output, its exit status."""

from __future__ import annotations

import gzip
import json
import os
import subprocess
import sys
import time
from pathlib import Path

import pytest

from keen_compass import __version__
from keen_compass.procedures import REGISTRY


def run(*words: str, text: str | None = None, **env: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "keen_compass", *words], input=text, capture_output=True, text=True, check=False,
        env={**os.environ, **env}, timeout=400,
    )  # fmt: skip


def test_the_example_solves_itself_from_a_file_and_from_a_pipe(tmp_path: Path) -> None:
    example = run("solve", "--example", "rectangle").stdout
    (tmp_path / "case.json").write_text(example)
    from_file, from_pipe = run("solve", str(tmp_path / "case.json")), run("solve", "-", text=example)
    assert from_file.returncode == 0
    assert from_file.stdout == from_pipe.stdout
    answer = json.loads(from_file.stdout)
    keys = {
        "quantity", "unit", "old", "new", "new_expanded_uncertainty", "error", "error_unit", "expanded_uncertainty",
        "verdict", "worth_correcting", "formula", "notes",
    }  # fmt: skip
    assert keys <= set(answer["findings"][0])
    assert answer["unresolved"] == []


MANY = json.dumps({"procedure": "rectangle", "readings": [{"measurand": "x_1", "values": [400.1] * 501}]})


@pytest.mark.parametrize(
    ("words", "text", "says"),
    [
        (("solve", "-"), "{", "standard input: is not JSON at line 1"),
        (("solve", "-"), "[" * 100_000, "nested too deeply"),
        (("solve", "-"), '{"procedure": "rectangle"}', "readings: missing"),
        (("solve", "-"), '{"procedure": "astrology", "readings": []}', "procedure: 'astrology' is not known"),
        (("solve", "-"), MANY, "readings[0].values: expected a list […] of at most 500"),
        (("solve", "/nowhere/at/all"), None, "can't be read"),
        (("solve",), None, "give either a file"),
        (("piece", "rectangle", "--size", "2400x300", "-o", "x"), None, "leave the bed"),
        (("piece", "rectangle", "--size", "big", "-o", "x"), None, "--size"),
        (("piece", "rectangle", "--set", "feed=-5", "-o", "x"), None, "feed"),
        (("piece", "rectangle", "--set", "colour=5", "-o", "x"), None, "colour"),
        (("piece", "rectangle", "-o", "/nowhere/at/all.nc"), None, "can't be written"),
        (("practice", "astrology"), None, "not known"),
        (("practice", "rectangle", "--rounds", "0"), None, "1 to 100"),
    ],
)
def test_bad_input_is_one_line_and_status_2(words: tuple[str, ...], text: str | None, says: str) -> None:
    done = run(*words, text=text)
    assert done.returncode == 2
    assert done.stdout == ""
    assert says in done.stderr
    assert done.stderr.count("\n") == 1


@pytest.mark.parametrize("kind", ["gcode", "hpgl", "svg", "dxf", "pdf"])
def test_a_piece_in_every_format(kind: str, tmp_path: Path) -> None:
    file = tmp_path / f"piece.{kind}"
    done = run("piece", "rectangle", "--size", "16inx12in", "--format", kind, "-o", str(file))
    assert done.returncode == 0, done.stderr
    assert file.stat().st_size > 200
    assert list(tmp_path.iterdir()) == [file]


def test_practice_tells_truth_beside_what_was_found(tmp_path: Path) -> None:
    body = json.loads(run("practice", "rectangle", "--seed", "4", "--json", "--out", str(tmp_path)).stdout)
    assert body["seed"] == 4
    for done in body["rounds"]:
        assert "G21" in Path(done["files"][0]).read_text()
        assert len(done["readings"]) == 4
    for axis in ("x_steps", "y_steps"):
        assert body["found"][axis] == pytest.approx(body["truth"][axis], rel=4e-4)
    assert {f["verdict"] for f in body["rounds"][-1]["findings"]} == {"in"}


def test_procedures_are_listed_for_people_and_for_scripts() -> None:
    rows = json.loads(run("procedures", "--json").stdout)
    assert [row["name"] for row in rows] == list(REGISTRY)
    rectangle = next(row for row in rows if row["name"] == "rectangle")
    assert rectangle["yields"] == ["x_steps", "y_steps"]
    assert rectangle["measurands"] == ["width", "height", "short_width", "short_height"]
    assert "x_steps" in run("procedures").stdout


def test_no_display_is_said_in_one_line() -> None:
    done = run("--demo", QT_QPA_PLATFORM="", DISPLAY="", WAYLAND_DISPLAY="")
    assert done.returncode == 2
    assert "no display" in done.stderr
    assert done.stderr.count("\n") == 1


@pytest.mark.heavy
def test_pictures_need_no_display(tmp_path: Path) -> None:
    """That all of them are written is tested in test_one_unit, which looks at each."""
    words = [sys.executable, "-m", "keen_compass", "--demo", "--shots", str(tmp_path), "--size", "1024x700"]
    wanted = {"rose", "together", "round-make"}
    env = {**os.environ, "QT_QPA_PLATFORM": "", "DISPLAY": ""}
    with subprocess.Popen(words, env=env, stderr=subprocess.PIPE) as process:
        while process.poll() is None and not wanted <= {f.stem for f in tmp_path.glob("*.png")}:
            time.sleep(0.1)
        process.terminate()
        assert wanted <= {f.stem for f in tmp_path.glob("*.png")}, process.communicate()[1]


HEAVY = ("numpy", "scipy", "shapely", "ezdxf", "reportlab", "skimage")
LATE = (
    "_hashlib", "difflib", "PySide6.QtSvg", "keen_compass.shop.format_4", "keen_compass.shop.marks",
    "keen_compass.rounds", "keen_compass.procedures.base", "keen_compass.app.round.page",
)  # fmt: skip


def test_nothing_heavy_is_loaded_for_the_first_screen(shop_file: Path) -> None:
    """Nor anything else that can wait; and whatever comes later isn't read for switches of PySide's."""
    code = (
        "import builtins, sys\n"
        "there = set(sys.modules)  # counting branches brings some of its own\n"
        "from pathlib import Path\n"
        "from keen_compass.app.start import application, show_window\n"
        "from keen_compass.shop.store import Shop\n"
        "application('light')\n"
        "window = show_window(Shop(Path(sys.argv[1])), 'Lantern Quay')\n"
        f"print([m for m in {HEAVY + LATE} if m in set(sys.modules) - there], builtins.__import__.__name__)"
    )
    done = subprocess.run(
        [sys.executable, "-c", code, str(shop_file)], capture_output=True, text=True, check=True,
        env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
    )  # fmt: skip
    assert done.stdout.startswith("[] ")
    assert "__feature_import__" not in done.stdout


def test_versions_of_what_it_stands_on_can_be_reported() -> None:
    plain, whole = run("--version"), run("--version", "--verbose")
    assert plain.stdout == f"{__version__}\n"
    lines = whole.stdout.splitlines()
    assert lines[0] == __version__
    assert lines[1].startswith("Python 3.")
    found = {name.lower(): version for name, _, version in (line.partition(" ") for line in lines[1:-1])}
    assert {"numpy", "pyside6-essentials", "shapely", "msgspec"} <= set(found)
    assert "missing" not in found.values()


def test_completions_and_the_manual_page_know_every_command(tmp_path: Path) -> None:
    tool = Path(__file__).parent.parent / "tools" / "make-completions"
    subprocess.run([sys.executable, tool, tmp_path], check=True)
    page = gzip.decompress((tmp_path / "keen-compass.1.gz").read_bytes()).decode()
    shells = [(tmp_path / name).read_text() for name in ("keen-compass", "_keen-compass", "keen-compass.fish")]
    for command in ("solve", "piece", "read-sheet", "stand-in", "manual"):
        assert all(command in text for text in shells)
        assert f".SS {command}".replace("-", "\\-") in page
    subprocess.run(["bash", "-n", tmp_path / "keen-compass"], check=True)
    reply = "COMP_WORDS=(keen-compass pra); COMP_CWORD=1; _shtab_keen_compass; echo ${COMPREPLY[@]}"
    done = subprocess.run(
        ["bash", "-c", f". {tmp_path / 'keen-compass'}; {reply}"], capture_output=True, text=True, check=True
    )
    assert done.stdout.split() == ["practice"]
