"""Listings of settings in any dialect: read, compared, patched without losing a byte."""

from __future__ import annotations

import codecs
import fcntl
import json
import os
import random
import subprocess
import sys
import time
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QPushButton

from driving import click, controller_page, focus, press, shown, tab_to
from keen_compass.app.window import MainWindow
from keen_compass.cli import main
from keen_compass.controllers.by_file import change
from keen_compass.errors import InputError
from keen_compass.formats.listing import (
    Listing,
    compared,
    number_in,
    read_listing,
    same_value,
    understood,
    written_like,
)
from keen_compass.shop.exchange import from_json, to_json
from keen_compass.shop.listings import copied, copies, keep, leave, lit
from keen_compass.shop.store import Shop
from looks import check_looks, settle

ENCODINGS = {
    "utf-8": b"",
    "utf-8 with mark": codecs.BOM_UTF8,
    "utf-16-le": codecs.BOM_UTF16_LE,
    "utf-16-be": codecs.BOM_UTF16_BE,
    "latin-1": b"",
}

NO_FILES = True  # Heron’s, until a test writes one


def encoded(text: str, name: str) -> bytes:
    return ENCODINGS[name] + text.encode(name.partition(" ")[0])


def one(line: str) -> tuple[str, str, str]:
    (entry,) = understood(line.encode()).entries
    return entry.key, entry.value, entry.remark


@pytest.mark.parametrize(
    ("line", "key", "value", "remark"),
    [
        ("X_STEPS = 106.667", "X_STEPS", "106.667", ""),
        ("X_STEPS=106.667;per mm", "X_STEPS", "106.667", "per mm"),
        ("  AXIS_Y_PLAY : 0.05   # measured", "AXIS_Y_PLAY", "0.05", "measured"),
        ("X steps 106.667", "X steps", "106.667", ""),
        ("x,106.667,steps per mm", "x", "106.667", "steps per mm"),
        ("FEED,1,250", "FEED", "1,250", ""),
        ("CUT_WIDTH 1.71 (full width)", "CUT_WIDTH", "1.71", "full width"),
        ("P100=80.000 (x, step/mm)", "P100", "80.000", "x, step/mm"),
        ("#500 = 1.25", "#500", "1.25", ""),
        ('HOME_X: 5/8"', "HOME_X", '5/8"', ""),
        ('LIFT 1 5/8"', "LIFT", '1 5/8"', ""),
        ("SPEED = 12'000 // mm per min", "SPEED", "12'000", "mm per min"),
        ("NAME = Heron, the router", "NAME", "Heron, the router", ""),
        ("HOMING on", "HOMING", "on", ""),
        ("DRIFT = -0.125 mm", "DRIFT", "-0.125", "mm"),
        ("PLAY = −0,05", "PLAY", "−0,05", ""),
        ("EMPTY =", "EMPTY", "", ""),
        ("SHEET = http://a.b", "SHEET", "http://a.b", ""),
        ("TINY\t1e-3", "TINY", "1e-3", ""),
    ],
)
def test_every_dialect_gives_key_value_and_remark(line: str, key: str, value: str, remark: str) -> None:
    assert one(line) == (key, value, remark)
    assert one(f"{line}\r\n") == (key, value, remark)


@pytest.mark.parametrize(
    "line",
    [
        "",
        "   ",
        "; only a remark",
        "# so is this",
        "// and this",
        "(and this)",
        "[axis]",
        "just some words in a row",
        "= 5",
        "lonely",
    ],
)
def test_what_is_no_setting_is_none(line: str) -> None:
    assert understood(line.encode()).entries == ()


def test_sections_lines_and_places_are_those_of_the_text() -> None:
    text = "; kept by hand\n[x]\nsteps = 100\n\n[y]\r\nsteps = 101.5 ; new\r\nplay=0\r"
    listing = understood(text.encode())
    assert [(e.section, e.key, e.value, e.line) for e in listing.entries] == [
        ("x", "steps", "100", 3),
        ("y", "steps", "101.5", 6),
        ("y", "play", "0", 7),
    ]
    assert [text[e.start : e.end] for e in listing.entries] == ["100", "101.5", "0"]
    with pytest.raises(InputError, match="lines 3, 6"):
        listing.entry("steps")
    assert listing.entry("y/steps").line == 6
    for name in ("z/steps", "", "y/"):
        with pytest.raises(InputError):
            listing.entry(name)


KEYS = ("X_STEPS", "Y steps", "axis.z.play", "P110", "Größe", "FEED MAX", "q7")
VALUES = ("106.667", "-0.05", "1,250", "12'000", '5/8"', "on", "0", "1e-4", "80,5")
REMARKS = ("", " ; as found", "\t# neu für X", " // old: 105", " (x, step/mm)")
ENDS = ("\n", "\r\n", "\r")


def random_listing(rng: random.Random) -> tuple[str, list[tuple[str, str]]]:
    """A text, and what is in it, made apart from the reader."""
    end, lines, said = rng.choice(ENDS), [], []
    keys = rng.sample(KEYS, rng.randint(1, len(KEYS)))
    for key in keys:
        if rng.random() < 0.3:
            lines.append(rng.choice(("", "; ====", "  # -- Achsen --", "plain words that say nothing here", "[teil]")))
        value, sign = rng.choice(VALUES), rng.choice(("=", " = ", ": ", "  =\t", ","))
        if sign == "," and "," in value:
            sign = "="
        lines.append(f"{rng.choice(('', '  ', chr(9)))}{key}{sign}{value}{rng.choice(REMARKS)}{rng.choice(('', ' '))}")
        said.append((key, value))
    return end.join(lines) + rng.choice(("", end)), said


@pytest.mark.heavy
@pytest.mark.parametrize("seed", range(4))
def test_random_listings_are_patched_and_nothing_else_changes_by_a_byte(seed: int) -> None:
    rng = random.Random(f"listing {seed}")
    for _ in range(1500):
        text, said = random_listing(rng)
        name = rng.choice(list(ENCODINGS))
        data = encoded(text, name)
        listing = understood(data)
        assert listing.as_bytes() == data
        assert [(e.key, e.value) for e in listing.entries] == said, text
        key, old = rng.choice(said)
        new = "off" if old == "on" else rng.choice(("106.321", "-3", "99", "0.0625"))
        patched = listing.changed({key: new})
        at = len(encoded(text[: listing.entry(key).start], name))
        rest = len(data) - len(encoded(text[: listing.entry(key).end], name))
        assert patched[:at] == data[:at]
        assert rest == 0 or patched[-rest:] == data[-rest:]
        again = understood(patched)
        assert again.entry(key).value == new
        assert again.changed({key: old}) == data


@pytest.mark.heavy
@settings(max_examples=500)
@given(st.randoms(use_true_random=False), st.sampled_from(list(ENCODINGS)), st.data())
def test_what_is_patched_and_patched_back_is_the_original(rng: random.Random, name: str, data: st.DataObject) -> None:
    text, said = random_listing(rng)
    original = encoded(text, name)
    listing = understood(original)
    key, old = data.draw(st.sampled_from(said))
    new = "off" if old == "on" else data.draw(st.decimals(-9999, 9999, places=3).map(str))
    patched = understood(listing.changed({key: new}))
    assert patched.entry(key).value == new
    others = [(e.key, e.value) for e in patched.entries if e.key != key]
    assert others == [(k, v) for k, v in said if k != key]
    assert patched.changed({key: old}) == original


@settings(max_examples=150)
@given(st.binary(max_size=200))
def test_any_bytes_are_given_back_or_refused_in_words(data: bytes) -> None:
    try:
        listing = understood(data)
    except InputError as error:
        assert "cut off" in error.message
        return
    assert listing.as_bytes() == data
    for e in listing.entries:
        assert listing.text[e.start : e.end] == e.value


@pytest.mark.parametrize(
    ("value", "number"),
    [
        ("106.667", 106.667),
        ("80,5", 80.5),
        ("12'000", 12000),
        ("1,234.5", 1234.5),
        ("1.234,5", 1234.5),
        ("−0.5", -0.5),
        ('1 5/8"', 1.625),
        ('5/8"', 0.625),
        ("on", None),
        ("1,250", None),
        ("1e-4", 1e-4),
        ("", None),
    ],
)
def test_a_value_means_a_number_where_it_can_mean_only_one(value: str, number: float | None) -> None:
    assert number_in(value) == (pytest.approx(number) if number is not None else None)


def test_only_what_differs_is_shown() -> None:
    a = understood(b"X = 80.000\nY = 80\nZ = 400\nM = on\n[t]\nX = 1\n")
    b = understood("X: 80\nY: 81.25 ; new\nM: off\n[t]\nX: 1.0\nQ: 5\n".encode("utf-16"))
    found = compared(a, b)
    assert [(x.key, x.value, y.value) for x, y in found.changed] == [("Y", "80", "81.25"), ("M", "on", "off")]
    assert [e.key for e in found.only_a] == ["Z"]
    assert [(e.section, e.key) for e in found.only_b] == [("t", "Q")]
    assert compared(a, a) == compared(b, b)
    assert same_value('5/8"', '0.625"')
    assert not same_value("1,250", "1.25")  # could be two


MACRO = "(tool minus pointer)\nG92 X-41.25 Y0\n#100=3.175 ; offset_x1 = see sheet 7\n"


@pytest.mark.parametrize(
    ("at", "text"),
    [
        ((2, 6), "-41.25"),
        ((2, 5), None),
        ((2, 11), "-41.25"),
        ((2, 14), "0"),
        ((3, 6), "3.175"),
        ((3, 24), None),
        ((1, 3), None),
    ],
)
def test_the_number_that_is_pointed_at_is_named(at: tuple[int, int], text: str | None) -> None:
    listing = understood(MACRO.encode())
    if text is None:
        with pytest.raises(InputError, match="no number"):
            listing.number_at(*at)
        return
    found = listing.number_at(*at)
    assert found.text == text
    assert MACRO[found.start : found.end] == text
    patched = listing.with_number(*at, text, "7.5")
    assert patched.decode() == MACRO[: found.start] + "7.5" + MACRO[found.end :]
    with pytest.raises(InputError, match="look again"):
        listing.with_number(*at, "1", "7.5")


@pytest.mark.parametrize(
    ("new", "why"), [("5 ; gone", "read back"), ("5\n6", "one line"), ("", "one line"), ("5 (x)", "read back")]
)
def test_what_would_not_be_read_back_is_not_written(new: str, why: str) -> None:
    with pytest.raises(InputError, match=why):
        understood(b"X = 4 ; four\n").changed({"X": new})


def test_letters_that_a_file_does_not_have_are_refused() -> None:
    with pytest.raises(InputError, match="letters"):
        understood("Größe = an\n".encode("latin-1")).changed({"Größe": "∅"})


def test_a_number_stays_a_number_and_one_entry_has_one_new_value() -> None:
    listing = understood(b"[axis]\nsteps = 4\nhome = on\n")
    with pytest.raises(InputError, match="no number"):
        listing.changed({"steps": "on"})
    assert listing.changed({"home": "off"}) == b"[axis]\nsteps = 4\nhome = off\n"
    with pytest.raises(InputError, match="set twice"):
        listing.changed({"steps": "1", "axis/steps": "2"})


def test_a_listing_full_of_blanks_is_read_in_a_moment() -> None:
    blanks = " " * 300_000
    assert understood(f"[{blanks}x{blanks}]\nsteps = 4\n[{blanks}".encode()).entry("steps").section == "x"


# The command line


def run(capsys: pytest.CaptureFixture[str], *words: str | Path) -> tuple[int, Any]:
    status = main(["listing", *map(str, words)])
    said = capsys.readouterr()
    return status, json.loads(said.out) if said.out else said.err


def test_the_command_line_reads_compares_finds_and_patches(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    a, b = tmp_path / "a.txt", tmp_path / "b.txt"
    a.write_bytes("[x]\r\nsteps = 106.667 ; Größe\r\n[y]\r\nsteps = 106.667\r\n".encode("latin-1"))
    assert run(capsys, "patch", a, "--set", "x/steps=106.321", "-o", b) == (0, "")
    assert b.read_bytes() == a.read_bytes().replace(b"106.667", b"106.321", 1)
    status, body = run(capsys, "read", b)
    assert status == 0
    assert body["entries"][0] == {"key": "steps", "value": "106.321", "remark": "Größe", "line": 2, "section": "x"}
    status, body = run(capsys, "compare", a, b)
    assert body == {
        "changed": [{"key": "steps", "section": "x", "a": "106.667", "b": "106.321", "lines": [2, 2]}],
        "only_in_a": [],
        "only_in_b": [],
    }
    assert run(capsys, "find", a, "--at", "4:11") == (0, {"number": "106.667", "line": 4, "column": 9, "length": 7})
    assert run(capsys, "patch", b, "--at", "2:9", "--old", "106.321", "--new", "106.667", "-o", b)[0] == 0
    assert b.read_bytes() == a.read_bytes()


@pytest.mark.parametrize(
    ("words", "why"),
    [
        (("patch", "a", "--set", "steps=5", "-o", "b"), "SECTION/KEY"),
        (("patch", "a", "--set", "feed=5", "-o", "b"), "no key"),
        (("patch", "a", "--at", "2:9", "--old", "1", "--new", "2", "-o", "b"), "look again"),
        (("patch", "a", "--at", "2:9", "-o", "b"), "--old"),
        (("patch", "a", "-o", "b"), "--set"),
        (("patch", "a", "--set", "x/steps=5", "--at", "2:9", "-o", "b"), "--set"),
        (("patch", "a", "--set", "x/steps=5", "--set", "x/steps=6", "-o", "b"), "twice"),
        (("find", "a", "--at", "9:1"), "no such line"),
        (("find", "a", "--at", "2:99"), "characters"),
        (("find", "a", "--at", "x"), "LINE:COLUMN"),
        (("read", "none"), "can't be read"),
        (("compare", "a", "none"), "can't be read"),
    ],
)
def test_what_cannot_be_done_is_said_in_one_line_and_writes_nothing(
    words: tuple[str, ...],
    why: str,
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.chdir(tmp_path)
    Path("a").write_text("[x]\nsteps = 106.667\n[y]\nsteps = 106.667\n")
    status, said = run(capsys, *words)
    assert status == 2
    assert why in said
    assert said.count("\n") == 1
    assert not Path("b").exists()


def test_a_file_of_the_demo_machines_pattern_is_understood(tmp_path: Path) -> None:
    file = tmp_path / "heron.cfg"
    file.write_text(
        "".join(f"{key} = {value}\n" for key, value in (("X_STEPS_PER_MM", "106.404"), ("X_BACKLASH", "0.088")))
    )
    listing = read_listing(file)
    assert isinstance(listing, Listing)
    assert {e.key: number_in(e.value) for e in listing.entries} == {"X_STEPS_PER_MM": 106.404, "X_BACKLASH": 0.088}


# What a shop keeps of them, and the page


def listing_of(shop: Shop, **other: str) -> str:
    """Heron's listing as its controller would write it, some of it different."""
    heron, held = shop.machine("heron"), shop.values("heron")
    numbers = {q: heron.place(q).text(v.stored) for q, v in held.items() if heron.in_controller(q)} | other
    lines = [f"{heron.place(q).key} = {text} ; as found" for q, text in numbers.items()]
    return "; settings\r\n[motion]\r\n" + "\r\n".join([*lines, "RAPID = 12000"]) + "\r\n"


def test_copies_are_kept_once_with_date_and_reason_and_go_with_the_logbook(shop: Shop, tmp_path: Path) -> None:
    data = listing_of(shop).encode("latin-1")
    for _ in range(2):
        keep(shop, "heron", data, "as found", "/x/heron.cfg")
    keep(shop, "heron", data, "the maker’s", sheet=True)
    found = copies(shop, "heron")
    assert [(c.reason, c.sheet, c.origin) for c in reversed(found)] == [
        ("as found", False, "/x/heron.cfg"),
        ("the maker’s", True, ""),
    ]
    assert copied(shop, found[0]) == data
    assert copies(shop, "swift") == []
    with pytest.raises(InputError):
        keep(shop, "heron", data, " ")
    other = Shop(tmp_path / "other.kcshop")
    from_json(other, to_json(shop), lambda *_: "")
    assert [(c.reason, c.at) for c in copies(other, "heron")] == [(c.reason, c.at) for c in found]
    other.close()


def test_known_numbers_are_found_under_their_own_names(shop: Shop) -> None:
    listing = understood(listing_of(shop, x_steps="106.250").encode())
    by = {one.quantity: one for one in lit(shop, shop.machine("heron"), listing)}
    assert {q for q, one in by.items() if not one.same} == {"x_steps"}
    assert {"y_steps", "x_backlash", "x_home", "x_speed"} <= set(by)
    assert "kerf" not in by  # the files carry it


def test_a_file_is_changed_only_while_it_stands_as_it_was_read(tmp_path: Path) -> None:
    file = tmp_path / "a.cfg"
    file.write_bytes(b"X = 1\n")
    change(file, b"X = 1\n", b"X = 2\n")
    assert file.read_bytes() == b"X = 2\n"
    with pytest.raises(InputError, match="read it again"):
        change(file, b"X = 1\n", b"X = 3\n")
    link = tmp_path / "link"
    link.symlink_to(file)
    with pytest.raises(InputError, match="link"):
        change(link, b"X = 2\n", b"X = 3\n")
    with file.open("rb") as held:
        fcntl.flock(held, fcntl.LOCK_EX)
        with pytest.raises(InputError, match="another program"):
            change(file, b"X = 2\n", b"X = 3\n")
    assert file.read_bytes() == b"X = 2\n"
    with pytest.raises(InputError, match="can't be read"):
        change(tmp_path / "none", b"", b"")


@pytest.mark.parametrize("how", ["grown", "replaced", "gone"])
def test_a_file_that_changes_while_it_is_being_written_is_left_alone(
    how: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    file = tmp_path / "a.cfg"
    file.write_bytes(b"X = 1\n")
    real = os.fsync

    def meanwhile(descriptor: int) -> None:
        """Another program is at it just when ours has been written beside it."""
        real(descriptor)
        if how == "grown":
            file.write_bytes(b"X = 1\nY = 5\n")
        elif how == "replaced":
            (tmp_path / "b").write_bytes(b"X = 1\n")
            (tmp_path / "b").replace(file)
        else:
            file.unlink(missing_ok=True)

    monkeypatch.setattr(os, "fsync", meanwhile)
    with pytest.raises(InputError, match="read it again"):
        change(file, b"X = 1\n", b"X = 2\n")
    found = {"grown": b"X = 1\nY = 5\n", "replaced": b"X = 1\n", "gone": None}[how]
    assert (file.read_bytes() if file.exists() else None) == found
    assert not list(tmp_path.glob(".part-*"))


WRITES = """
import sys
from pathlib import Path
from keen_compass.controllers.by_file import change
file, texts = Path(sys.argv[1]), [b"X = 1\\n" * 40000, b"X = 22\\n" * 40000]
print("ready", flush=True)
while True:
    for a, b in (texts, texts[::-1]):
        change(file, a, b)
"""


@pytest.mark.heavy
def test_killed_while_it_writes_a_file_is_the_old_one_or_the_new_one(tmp_path: Path) -> None:
    file, texts = tmp_path / "a.cfg", (b"X = 1\n" * 40000, b"X = 22\n" * 40000)
    rng, seen = random.Random(14), set()
    for _ in range(100):
        file.write_bytes(texts[0])
        writer = subprocess.Popen([sys.executable, "-c", WRITES, str(file)], stdout=subprocess.PIPE)
        assert writer.stdout is not None
        writer.stdout.readline()
        time.sleep(rng.uniform(0.0, 0.03))
        writer.kill()
        writer.communicate()
        assert file.read_bytes() in texts
        seen.add(file.read_bytes())
        before = tmp_path / "a.cfg.before"
        assert not before.exists() or before.read_bytes() in texts
    assert len(seen) == 2


@pytest.mark.parametrize(
    ("old", "new", "stands"),
    [
        ("106.667", "106.321", "106.321"), ("106,667", "106.321", "106,321"), ("0,5", "-0.25", "-0,25"),
        ("−41.25", "-3.5", "−3.5"), ("+5", "6", "+6"), ('1.5"', "1.25", '1.25"'), ("1'234.5", "1240.5", "1'240.5"),
        ("1,234.5", "12400.5", "12,400.5"), ("1.234,5", "900.25", "900,25"), ("1,234", "1240", "1240"),
        ("12000", "11000", "11000"), ("1'234'567", "1200000", "1'200'000"),
    ],
)  # fmt: skip
def test_a_new_number_is_written_as_the_old_one_was(old: str, new: str, stands: str) -> None:
    assert written_like(old, new) == stands
    assert number_in(stands, float(new)) == float(new)


@settings(max_examples=200)
@given(
    st.sampled_from(["0.000", "0,000", "1'000.00", "1.000,00", "−5.0", '0.00"']), st.integers(-(10**8), 10**8),
    st.integers(0, 4),
)  # fmt: skip
def test_whatever_is_written_like_another_means_the_new_number(like: str, digits: int, decimals: int) -> None:
    new = f"{digits / 10**decimals:.{decimals}f}"
    assert number_in(written_like(like, new), float(new)) == float(new)


def push(name: str, *then: Qt.Key | str) -> None:
    """By keyboard: to that control, press it, go on typing."""
    tab_to(name)
    press(Qt.Key.Key_Return, *then)


def look_at_both_sizes(window: MainWindow) -> None:
    for size in ((1280, 800), (1024, 700)):
        window.resize(*size)
        settle()
        check_looks(window, size)


def test_by_keyboard_a_listing_is_kept_compared_with_the_sheet_patched_and_put_back(
    window: MainWindow, tmp_path: Path
) -> None:
    file, sheet = tmp_path / "heron.cfg", tmp_path / "sheet.txt"
    shop, heron = window.shop, window.shop.machine("heron")
    held = heron.place("x_steps").number(shop.values("heron")["x_steps"].stored)
    before = listing_of(shop, x_steps="53.202", y_backlash="0.5").encode("latin-1")
    file.write_bytes(before)
    sheet.write_bytes(listing_of(shop, x_steps="106.404").replace("RAPID = 12000", "RAPID = 9000").encode())
    page = controller_page(window)
    assert focus() == "File with its settings"
    press(str(sheet), Qt.Key.Key_Return)
    push("This is the maker’s sheet")
    page.file.selectAll()
    tab_to("File with its settings")
    press(str(file), Qt.Key.Key_Return)
    assert "X steps: 53.202" in shown(page)
    assert f"The logbook says {held} since" in shown(page)
    assert "0.5 times as much: the microstep switch" in shown(page)
    chosen = {s.cursor.selectedText() for s in page.text.extraSelections()}
    assert {"53.202", "0.5"} <= chosen
    tab_to("Reason")
    press("as found", Qt.Key.Key_Return)
    assert [(c.reason, c.sheet) for c in copies(shop, "heron")] == [("as found", False), ("the maker’s sheet", True)]
    assert copied(shop, copies(shop, "heron")[0]) == before

    tab_to("Copy to compare with")
    press(Qt.Key.Key_Down)
    push("Compare with it")
    assert "X steps: 106.404 → 53.202" in shown(page)
    assert "RAPID: 9000 → 12000" in shown(page)
    look_at_both_sizes(window)
    push("RAPID: leave it")
    press(Qt.Key.Key_Return)  # no reason, no leaving
    assert "say in a few words" in shown(page)
    push("RAPID: leave it", "the new motors are faster", Qt.Key.Key_Return)
    assert "the new motors are faster" in shown(page)
    assert "RAPID: write 9000" not in {b.accessibleName() for b in page.findChildren(QPushButton)}
    push("X steps: write 106.404 into the file")
    assert file.read_bytes() == before.replace(b"53.202", b"106.404")
    assert (tmp_path / "heron.cfg.before").read_bytes() == before
    push("As text")
    ours = heron.place("y_backlash").number(shop.values("heron")["y_backlash"].stored)
    push(f"Y backlash: write {ours} into the file")
    assert file.read_bytes() == before.replace(b"53.202", b"106.404").replace(b"= 0.5 ", f"= {ours} ".encode())
    tab_to("Copy to compare with")
    while "as found" not in page.other.currentText():
        press(Qt.Key.Key_Up)
    push("Restore this copy")
    assert file.read_bytes() == before


def test_what_was_left_is_not_asked_about_again_until_it_changes(window: MainWindow, tmp_path: Path) -> None:
    file = tmp_path / "heron.cfg"
    keep(window.shop, "heron", listing_of(window.shop).encode(), "as delivered", sheet=True)
    leave(window.shop, "heron", "motion/RAPID", "12500", "12000", "the new motors are faster")
    page = controller_page(window)
    for now, asked in (("12500", False), ("12600", True), ("12500", False)):
        file.write_text(listing_of(window.shop).replace("RAPID = 12000", f"RAPID = {now}"), newline="")
        page.file.setText(str(file))
        page.read()
        click(page, "Side by side")
        settle()
        assert (f"RAPID: 12000 → {now}" in shown(page).splitlines()) is asked
        assert ("Left so" in shown(page)) is not asked
    click(page, "Ask again")
    settle()
    assert "RAPID: 12000 → 12500" in shown(page).splitlines()


def test_the_logbook_learns_what_is_in_it(window: MainWindow, tmp_path: Path) -> None:
    file = tmp_path / "heron.cfg"
    file.write_text(listing_of(window.shop, y_backlash="0.5"), newline="")
    page = controller_page(window)
    press(str(file), Qt.Key.Key_Return)
    tab_to("Y backlash: 0.5 is in the controller")
    press(Qt.Key.Key_Return)
    kept = window.shop.values("heron")["y_backlash"]
    assert (kept.stored.value, kept.how) == (0.5, "found")  # type: ignore[union-attr]
    assert "is in the controller" not in shown(page)


def test_what_another_program_wrote_meanwhile_is_never_overwritten(window: MainWindow, tmp_path: Path) -> None:
    file = tmp_path / "heron.cfg"
    file.write_text(listing_of(window.shop, x_steps="106.250"))
    page = controller_page(window)
    press(str(file), Qt.Key.Key_Return)
    meanwhile = listing_of(window.shop, x_steps="99")
    file.write_text(meanwhile, newline="")
    click(page, "Write ")
    assert "read it again" in shown(page)
    assert file.read_bytes() == meanwhile.encode()
    click(page, "Read it")
    assert "X steps: 99" in shown(page)
    page.file.setText(str(tmp_path / "none"))
    click(page, "Read it")
    assert "can't be read" in shown(page)
