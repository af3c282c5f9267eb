"""What the program meets outside of itself: other people's folders, devices, terminals, scripts and alphabets."""

from __future__ import annotations

import json
import os
import re
import shlex
import stat
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import pytest

from keen_compass.errors import InputError
from keen_compass.formats.files import write_whole
from keen_compass.machines.forms import machine_fields, read_machine
from keen_compass.machines.limits import check_setting_line
from keen_compass.machines.profile import Machine
from keen_compass.practice.playing import play
from keen_compass.practice.shipped import open_demo
from keen_compass.quantities.kinds import MachineKind
from keen_compass.reports.record import record_of
from keen_compass.shop.store import Shop

ROOT = Path(__file__).parents[1]


def run(*words: str, stdout: int | None = None, **env: str) -> subprocess.CompletedProcess[bytes]:
    return subprocess.run(
        [sys.executable, "-P", "-m", "keen_compass", *words], stdout=stdout or subprocess.PIPE, stderr=subprocess.PIPE,
        check=False, timeout=120, env={**os.environ, **env},
    )  # fmt: skip


@pytest.mark.heavy
def test_nothing_of_the_folder_that_one_stands_in_is_run(tmp_path: Path) -> None:
    """Neither by the launcher, nor by what sets it up."""
    for name in ("argparse", "json", "sqlite3", "venv", "pip", "sitecustomize", "encodings", "keen_compass"):
        (tmp_path / f"{name}.py").write_text("raise SystemExit('run from the folder')\n")
    done = subprocess.run(
        [ROOT / "keen-compass", "procedures"], cwd=tmp_path, capture_output=True, text=True, check=False, timeout=200,
        env={**os.environ, "PYTHONPATH": str(tmp_path), "PYTHONHOME": str(tmp_path)},
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert "run from the folder" not in done.stdout + done.stderr
    assert done.stdout.startswith("drive-train")
    setup = (ROOT / "tools" / "setup.sh").read_text(encoding="utf-8")
    assert '" -I -c' in setup
    assert not re.search(r'" -[cm] ', setup)  # not without -I


def test_the_menu_entry_opens_the_usual_shop() -> None:
    """%f is nothing where no file was clicked; an option before it would then want one."""
    entry = (ROOT / "data" / "keen-compass.desktop").read_text(encoding="utf-8")
    assert "\nExec=keen-compass %f\n" in entry


@pytest.mark.parametrize("kind", ["fifo", "link", "device", "folder", "link to nothing"])
def test_only_ordinary_files_are_written(tmp_path: Path, kind: str) -> None:
    target, other = tmp_path / "out.nc", tmp_path / "other.txt"
    other.write_text("somebody's")
    match kind:
        case "fifo":
            os.mkfifo(target)
        case "link":
            target.symlink_to(other)
        case "link to nothing":
            target.symlink_to(tmp_path / "nothing")
        case "device":
            target = Path("/dev/null")
        case "folder":
            target.mkdir()
    before = target.lstat().st_mode
    with pytest.raises(InputError, match="not a file"):
        write_whole(target, b"G0 X0\n")
    assert target.lstat().st_mode == before
    assert other.read_text() == "somebody's"
    assert not (tmp_path / "nothing").exists()


def test_a_file_is_replaced_whole_with_its_permissions_and_no_planted_name_is_followed(tmp_path: Path) -> None:
    target, other = tmp_path / "out.nc", tmp_path / "other.txt"
    other.write_text("somebody's")
    (tmp_path / ".out.nc.part").symlink_to(other)
    target.write_text("old")
    target.chmod(0o640)
    write_whole(target, b"new")
    assert (target.read_bytes(), stat.S_IMODE(target.stat().st_mode)) == (b"new", 0o640)
    assert other.read_text() == "somebody's"
    fresh = tmp_path / "fresh.nc"
    before = os.umask(0o027)
    try:
        write_whole(fresh, b"x")
    finally:
        os.umask(before)
    assert stat.S_IMODE(fresh.stat().st_mode) == 0o640
    with pytest.raises(InputError, match="too long: choose a shorter"):
        write_whole(tmp_path / ("n" * 300 + ".nc"), b"x")
    assert sorted(p.name for p in tmp_path.iterdir()) == [".out.nc.part", "fresh.nc", "other.txt", "out.nc"]


def test_a_full_disk_leaves_the_old_file(tmp_path: Path) -> None:
    target = tmp_path / "out.nc"
    target.write_text("old")
    code = """
import resource, sys
from pathlib import Path
from keen_compass.errors import InputError
from keen_compass.formats.files import write_whole
resource.setrlimit(resource.RLIMIT_FSIZE, (10, 10))
try:
    write_whole(Path(sys.argv[1]), b"x" * 1000)
except InputError as error:
    print(error)
"""
    done = subprocess.run([sys.executable, "-c", code, str(target)], capture_output=True, text=True, check=True)
    assert "can't be written" in done.stdout
    assert target.read_text() == "old"
    assert [p.name for p in tmp_path.iterdir()] == ["out.nc"]


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (("nonsense",), "invalid choice"), (("piece", "rectangle"), "required"), (("--size",), "expected one argument"),
        (("practice", "rectangle", "--seed", "x"), "invalid int"), (("--theme", "pink"), "invalid choice"),
        (("piece", "travel-run", "--set", "cycles=1000000", "-o", "x"), "at most 100"),
        (("piece", "rectangle", "--size", "400x300", "--set", "feed=1e-300", "-o", "x"), "--set feed"),
        (("piece", "travel-run", "--size", "78", "--set", "axis=z", "-o", "x"), "leave its travel"),
        (("piece", "rectangle", "--size", "400x300", "-o", "/dev/null"), "is a device"),
    ],
)  # fmt: skip
def test_whatever_is_wrong_is_one_line(words: tuple[str, ...], says: str) -> None:
    done = run(*words)
    assert done.returncode == 2
    assert done.stderr.count(b"\n") == 1
    assert says in done.stderr.decode()


def test_a_full_stdout_is_one_line_and_no_traceback() -> None:
    with Path("/dev/full").open("wb") as full:
        done = run("procedures", "--json", stdout=full.fileno())
    assert (done.returncode, done.stderr.count(b"\n")) == (2, 1)
    assert b"No space left" in done.stderr


@pytest.mark.parametrize(
    ("closed", "words", "status", "says"),
    [
        ("1", ("procedures", "--json"), 2, "standard output"), ("0", ("solve", "-"), 2, "standard input"),
        ("2", ("procedures",), 0, ""), ("0", ("procedures",), 0, ""), ("2", ("nonsense",), 2, ""),
    ],
)  # fmt: skip
def test_a_closed_standard_stream_is_said(closed: str, words: tuple[str, ...], status: int, says: str) -> None:
    line = shlex.join([sys.executable, "-P", "-m", "keen_compass", *words])
    done = subprocess.run(
        ["bash", "-c", f"{line} {closed}>&-"], capture_output=True, text=True, check=False, timeout=60
    )
    assert (done.returncode, "Traceback" in done.stderr + done.stdout) == (status, False), done.stderr
    assert says in done.stderr
    assert len(done.stderr.splitlines()) == int(bool(says))


def test_what_is_no_plain_file_is_not_waited_for(tmp_path: Path) -> None:
    os.mkfifo(tmp_path / "pipe")
    for words in (("solve",), ("listing", "read"), ("find-cross",)):
        done = run(*words, str(tmp_path / "pipe"))
        assert (done.returncode, b"no plain file" in done.stderr) == (2, True), (words, done.stderr)


def test_a_read_only_file_is_left_alone(tmp_path: Path) -> None:
    file = tmp_path / "as-found.txt"
    file.write_text("steps = 4\n")
    file.chmod(0o444)
    done = run("listing", "patch", str(file), "--set", "steps=5", "-o", str(file))
    assert (done.returncode, b"read-only" in done.stderr, file.read_text()) == (2, True, "steps = 4\n")


def test_a_name_of_any_bytes_is_a_name(tmp_path: Path) -> None:
    art = tmp_path / os.fsdecode(b"gr\xfcn \xff.svg")
    art.write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="40mm" height="30mm"><path d="M0 0h40v30h-40z"/></svg>'
    )
    demo = open_demo(tmp_path)
    demo.close()
    shop = demo.file
    words = (
        "proof-job",
        str(art),
        "--outset",
        "3",
        "--print",
        str(tmp_path / "p.pdf"),
        "--cut",
        str(tmp_path / "c.plt"),
    )
    done = run(*words)
    assert (done.returncode, done.stderr) == (0, b"")
    for file, says in ((shop, b"waits on Kingfisher"), (tmp_path / "none", b"is not there")):
        done = run(*words, "--shop", str(file), "--machine", "Kingfisher")
        assert (done.returncode, says in done.stderr, b"Traceback" in done.stderr) == (2, True, False), done.stderr
    assert run("solve", os.fsdecode(b"\xff.json")).returncode == 2


def test_pictures_of_another_shop_are_refused(tmp_path: Path) -> None:
    done = run("--shots", str(tmp_path), "--shop", "mine.kcshop")
    assert (done.returncode, b"--shop" in done.stderr, list(tmp_path.iterdir())) == (2, True, [])


@pytest.mark.parametrize("encoding", ["ascii", "latin-1", "utf-8"])
def test_json_is_json_on_every_terminal(encoding: str) -> None:
    out = {e: run("solve", "--example", "drive-train", PYTHONIOENCODING=e).stdout for e in (encoding, "utf-8")}
    assert json.loads(out[encoding].decode(encoding)) == json.loads(out["utf-8"])
    assert run("procedures", PYTHONIOENCODING=encoding).returncode == 0


def test_practice_leaves_no_folders_behind(tmp_path: Path) -> None:
    temporary, cache = tmp_path / "tmp", tmp_path / "cache"
    temporary.mkdir()
    for seed in ("3", "4"):
        done = run("practice", "squareness", "--seed", seed, "--json", TMPDIR=str(temporary), XDG_CACHE_HOME=str(cache))
        files = [Path(f) for r in json.loads(done.stdout)["rounds"] for f in r["files"]]
        assert files
        assert all(f.is_file() and f.is_relative_to(cache) for f in files)
    assert list(temporary.iterdir()) == []


@pytest.mark.parametrize(
    "line", ["{value:999999999}", "{value!r}", "{key}", "{}", "{0}", "{value.real}", "{other} {value}", "{", "x" * 300]
)
def test_a_setting_line_holds_key_and_value_and_nothing_else(line: str) -> None:
    with pytest.raises(InputError):
        check_setting_line(line)
    fields = machine_fields(None, {}) | {"name": "Gull", "setting_line": line}
    assert "setting_line" in read_machine(fields, Machine("m", "m", MachineKind.ROUTER, (1.0, 1.0)).standpoint, None)[2]
    kept = Machine("m", "m", MachineKind.ROUTER, (1300.0, 900.0)).to_json() | {"setting_line": line, "feed": 1e-300}
    healed = Machine.from_json(kept)  # what an older program let through
    assert (healed.setting_line, healed.feed) == ("{key} = {value}", 1.0)


def test_names_in_any_script_are_readable_on_the_record(shop: Shop, tmp_path: Path) -> None:
    """The page’s font has most Latin letters; others are spelt, not left as boxes."""
    named = replace(shop.machine("heron"), name="שלום Łódź 🚀 Привет")
    shop.put_machine(named)
    session = play(shop, named, "backlash", "y_backlash")
    file = tmp_path / "record.pdf"
    file.write_bytes(record_of(shop, session.context.kept.id))
    said = subprocess.run(["pdftotext", "-layout", file, "-"], capture_output=True, text=True, check=True).stdout
    head = said.split("Signed")[0]
    assert "Łódz :rocket: Privet" in head
    assert "■" not in said
    assert "�" not in said
