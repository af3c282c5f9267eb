"""What a machine's files hold beside the logbook: guessed, pointed at, compared, taken, written, doubted."""

from __future__ import annotations

import fcntl
import random
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QPushButton

from driving import click, controller_page, focus, press, shown, tab_to
from keen_compass.app.round.page import RoundPage
from keen_compass.app.window import MainWindow
from keen_compass.errors import InputError
from keen_compass.formats.listing import understood
from keen_compass.practice import stand_in
from keen_compass.practice.playing import correct_all, read_all
from keen_compass.procedures.stages import Step
from keen_compass.quantities.verdict import Verdict
from keen_compass.rounds import RoundSession
from keen_compass.rounds.holding import look, why_otherwise
from keen_compass.rounds.together import everything_read
from keen_compass.shop.exchange import from_json, to_json
from keen_compass.shop.key_guesses import guesses
from keen_compass.shop.listings import copied, copies
from keen_compass.shop.logbook import latest
from keen_compass.shop.store import Shop
from keen_compass.words.logbook import entry_words
from looks import check_looks, settle

NO_FILES = True  # Heron’s, until a test writes one


def numbers(shop: Shop) -> dict[str, str]:
    """What Heron's controller holds, as it keeps it."""
    heron = shop.machine("heron")
    return {q: heron.place(q).number(v.stored) for q, v in shop.values("heron").items() if heron.in_controller(q)}


def file_of(shop: Shop, file: Path, **other: str) -> Path:
    """Heron's own settings file, some numbers of it different."""
    heron = shop.machine("heron")
    lines = [f"{heron.place(q).key} = {text}" for q, text in (numbers(shop) | other).items()]
    file.write_text("[motion]\n" + "\n".join([*lines, "RAPID = 12000", ""]))
    return file


@pytest.fixture
def settings_file(shop: Shop, tmp_path: Path) -> Path:
    """The demo's router reads its numbers in a file from now on."""
    file = file_of(shop, tmp_path / "heron.cfg")
    shop.put_machine(replace(shop.machine("heron"), settings_file=str(file)))
    return file


def hours_later(shop: Shop, hours: float) -> None:
    at = datetime.now(UTC) + timedelta(hours=hours)
    shop.clock = lambda: at.strftime("%Y-%m-%dT%H:%M:%S.%fZ")


# Places in a text that have no name


MACRO = """(tool minus pointer)
G92 X-41.25 Y0.5
#100=3.175 ; see sheet 7
G92 X2 Y3
"""


def test_a_number_that_was_pointed_at_is_found_again_wherever_its_line_went() -> None:
    listing = understood(MACRO.encode())
    spots = {n: listing.spot(listing.number_at(*at), "m") for n, at in enumerate(((2, 6), (2, 14), (4, 6)))}
    assert [listing.at_spot(s).text for s in spots.values()] == ["-41.25", "0.5", "2"]
    later = understood(("(new)\n\n" + MACRO.replace("-41.25", "-40").replace("3.175", "6")).encode("utf-16"))
    assert [later.at_spot(s).text for s in spots.values()] == ["-40", "0.5", "2"]
    assert later.at_spot(spots[2]).line == 6
    gone = understood(MACRO.replace("G92 X2 Y3\n", "").encode())
    with pytest.raises(InputError, match="point at it again"):
        gone.at_spot(spots[2])


@pytest.mark.parametrize("seed", range(3))
def test_random_texts_keep_their_spots_while_everything_else_changes(seed: int) -> None:
    rng = random.Random(f"spots {seed}")
    words = ("G1 X{} Y{}", "#{} = {}", "offset {} by {}", "if a < {} then {} end", "M{} ; {}")
    for _ in range(150):
        some = [rng.choices(("1", "-2.5", "0.125", "40"), k=2) for _ in range(rng.randint(1, 6))]
        lines = [f"{rng.choice(words).format(*two)} w{chr(97 + i)}" for i, two in enumerate(some)]
        listing = understood("\n".join(lines).encode())
        line = rng.randrange(len(lines))
        spots = [
            listing.spot(n, "f") for column in range(1, len(lines[line]) + 1)
            if (n := _number(listing, line + 1, column)) is not None
        ]  # fmt: skip
        rest = [other.translate(str.maketrans("12", "78")) for i, other in enumerate(lines) if i != line]
        rng.shuffle(rest)
        where = rng.randint(0, len(rest))
        moved = understood("\r\n".join([*rest[:where], lines[line], *rest[where:]]).encode())
        for spot in spots:
            there = moved.at_spot(spot)
            assert (there.line, there.text) == (where + 1, listing.at_spot(spot).text)


def _number(listing: object, line: int, column: int) -> object:
    try:
        return listing.number_at(line, column)  # type: ignore[attr-defined]
    except InputError:
        return None


# Guessed, and asked


def test_keys_are_guessed_by_their_numbers_and_their_names(shop: Shop) -> None:
    heron, held = shop.machine("heron"), shop.values("heron")
    n = numbers(shop)
    text = (
        f"P100={n['x_steps']}\nP101={n['y_steps']}\nP110={n['x_speed']}\nP130=1300.000\nP27=0\n"
        "y_axis_backlash_mm=0.31\nfeed_override=100\n[axis_x]\nbacklash = 0.41\nhome_offset = 3\n"
    )
    found = {g.quantity: (g.entry.key, g.same) for g in guesses(heron, held, understood(text.encode()), frozenset())}
    assert found["x_steps"] == ("P100", True)
    assert found["y_steps"] == ("P101", True)
    assert found["x_speed"] == ("P110", True)
    assert found["y_backlash"] == ("y_axis_backlash_mm", False)
    assert found["x_backlash"] == ("backlash", False)
    assert found["x_home"] == ("home_offset", False)
    assert "y_speed" not in found
    assert not {"P27", "P130", "feed_override"} & {key for key, _ in found.values()}
    known = guesses(heron, held, understood(text.encode()), frozenset({"x_steps"}))
    assert "x_steps" not in {g.quantity for g in known}


def test_a_number_that_many_keys_hold_tells_nothing(shop: Shop) -> None:
    heron, held = shop.machine("heron"), shop.values("heron")
    text = "".join(f"P{i}={numbers(shop)['x_steps']}\n" for i in range(5))
    assert guesses(heron, held, understood(text.encode()), frozenset()) == []


def test_by_keyboard_guesses_are_confirmed_and_a_number_in_a_macro_is_pointed_at(
    window: MainWindow, tmp_path: Path
) -> None:
    n = numbers(window.shop)
    listing, macro = tmp_path / "list.txt", tmp_path / "heron.mac"
    listing.write_text(f"P100={n['x_steps']}\nP101={n['y_steps']}\nP102=320.000\nP7=1\n")
    macro.write_text(f"(home)\nG92 X-{n['x_home']} Y{n['y_home']}\n")
    page = controller_page(window)
    press(str(listing), Qt.Key.Key_Return)
    assert "X steps" not in shown(page).partition("The same in both")[2]
    tab_to("Y steps is P101")
    press(Qt.Key.Key_Return)
    assert window.shop.machine("heron").place("y_steps").key == "P101"
    tab_to("Accept all 2")
    press(Qt.Key.Key_Return)
    assert window.shop.machine("heron").place("x_steps").key == "P100"
    assert "The same in both: X steps, Y steps, Z steps" in shown(page)

    page.file.selectAll()
    tab_to("File with its settings")
    press(str(macro), Qt.Key.Key_Return)
    assert "None of the logbook’s values were recognised" in shown(page)
    tab_to("The listing")
    press(Qt.Key.Key_Down, *[Qt.Key.Key_Right] * 7)
    settle()
    assert "line 2, is" in shown(page)
    check_looks(window, (1280, 800))
    tab_to("Quantity of the number at the cursor")
    while page.pointing.what.currentText() != "X home":
        press(Qt.Key.Key_Down)
    tab_to("Sign")
    press(Qt.Key.Key_Down)
    tab_to("Remember")
    press(Qt.Key.Key_Return)
    heron = window.shop.machine("heron")
    assert heron.spots["x_home"].file == str(macro)
    assert "x_home" in heron.flipped
    assert f"X home: -{n['x_home']}" in shown(page)
    assert "The same with the other sign" in shown(page)
    before = macro.read_bytes()
    tab_to(f"X home: write {n['x_home']} into the file")
    press(Qt.Key.Key_Return)
    assert macro.read_bytes() == before.replace(b"X-", b"X")
    assert copies(window.shop, "heron")[0].origin == str(macro)
    assert page.text.extraSelections()[0].cursor.selectedText() == n["x_home"]  # type: ignore[attr-defined]


# Looked at, taken, written back


def test_what_differs_and_what_cannot_be_seen_is_said(shop: Shop, settings_file: Path) -> None:
    found = look(shop, shop.machine("heron"))
    assert (found.otherwise, found.trouble, found.missing) == ((), {}, ())
    assert {"x_steps", "y_steps", "x_backlash"} <= set(found.same)
    text = file_of(shop, settings_file, x_steps="106.250").read_text()
    settings_file.write_text("\n".join(line for line in text.splitlines() if "Y_BACKLASH" not in line))
    found = look(shop, shop.machine("heron"))
    assert [(o.quantity, o.text) for o in found.otherwise] == [("x_steps", "106.250")]
    assert found.otherwise[0].since == shop.values("heron")["x_steps"].at
    assert found.missing == ("y_backlash",)
    settings_file.unlink()
    assert list(look(shop, shop.machine("heron")).trouble) == [str(settings_file)]


@pytest.mark.parametrize(
    ("quantity", "here", "there", "said"),
    [
        ("x_steps", "53.202", "106.404", "parts_two"),
        ("x_backlash", "0.005", "0.127", "inches"),
        ("x_backlash", "3.2258", "0.127", "inches"),
        ("x_home", "-4.59", "4.59", "other_sign"),
        ("x_backlash", "0.2", "0.1", None),
        ("x_steps", "106.3", "106.404", None),
        ("x_steps", "0", "106.404", None),
    ],
)
def test_a_difference_that_has_a_cause_says_so(
    shop: Shop, quantity: str, here: str, there: str, said: str | None
) -> None:
    found = why_otherwise(shop.machine("heron"), quantity, here, there)
    assert (found is None) is (said is None)
    assert said is None or found is None or said in f"{found.code} {found.values}"


def cut_one(shop: Shop) -> RoundSession:
    """A piece of the open round, or of a new one."""
    session = RoundSession.begin(shop, shop.machine("heron"), "rectangle", "x_steps")
    stand_in.make(session)
    session.after_making()
    return session


def test_pieces_made_since_a_number_was_last_seen_are_in_doubt(shop: Shop, settings_file: Path, tmp_path: Path) -> None:
    session = cut_one(shop)
    hours_later(shop, 1)
    assert session.holding.found.otherwise == ()  # it is seen as the logbook has it, after the first piece
    hours_later(shop, 2)
    changed = f"{float(numbers(shop)['x_steps']) * 1.02:.3f}"
    file_of(shop, settings_file, x_steps=changed)
    stand_in.make(session)  # unseen: nobody looked
    session.after_making()
    read_all(session)
    session.measuring.confirm_odd()  # it doesn't fit what earlier rounds found, and is asked about
    before = {f.quantity: f for f in session.measuring.findings()}
    assert before["x_steps"].error == pytest.approx(20, abs=8)  # the practice machine runs by its file, mm per m
    assert before["x_steps"].new is not None

    hours_later(shop, 3)
    session.holding.look_again()
    (one,) = session.holding.found.otherwise
    assert one.quantity == "x_steps"
    session.holding.take(one)
    assert numbers(shop)["x_steps"] == changed
    first, second = shop.pieces(session.context.kept.id)
    assert (first.doubtful, second.doubtful) == ((), ("x_steps",))
    after = {f.quantity: f for f in session.measuring.findings()}
    assert (after["x_steps"].verdict, after["x_steps"].new) == (Verdict.CANNOT_TELL, None)
    assert after["x_steps"].error == before["x_steps"].error
    assert after["x_steps"].notes[0].code == "made_in_doubt"
    assert after["y_steps"].new == before["y_steps"].new
    (line,) = [w for e in latest(shop, "heron", 30) if "the controller held" in (w := entry_words(e))]
    assert f"held {changed}" in line
    assert f"in doubt: piece {second.number}." in line
    whole = everything_read(shop, shop.machine("heron"))
    assert second.number not in {p.number for p in (whole.parts if whole else ())}

    other = Shop(tmp_path / "other.kcshop")
    from_json(other, to_json(shop), lambda *_: "")
    assert [p.doubtful for p in other.machine_pieces("heron")][-2:] == [(), ("x_steps",)]
    other.close()


def test_a_number_that_is_written_back_leaves_the_same_doubt(shop: Shop, settings_file: Path, tmp_path: Path) -> None:
    session = cut_one(shop)
    read_all(session)
    known = numbers(shop)["x_steps"]
    times = shop.value_times()
    before = file_of(shop, settings_file, x_steps="99.000").read_bytes()
    hours_later(shop, 1)
    session.holding.look_again()
    session.holding.write_back(session.holding.found.otherwise[0])
    assert settings_file.read_bytes() == before.replace(b"99.000", known.encode())
    assert session.holding.found.otherwise == ()
    assert shop.pieces(session.context.kept.id)[-1].doubtful == ("x_steps",)
    assert shop.value_times() == times  # what the logbook says has not changed
    assert {f.verdict for f in session.measuring.findings()} >= {Verdict.CANNOT_TELL}
    hours_later(shop, 2)
    again = cut_one(shop)
    assert again.context.pieces[-1].doubtful == ()
    assert b"99.000" in copied(shop, copies(shop, "heron")[0])


def test_what_was_left_with_its_reason_is_asked_again_when_it_changes(shop: Shop, settings_file: Path) -> None:
    session = cut_one(shop)
    file_of(shop, settings_file, x_steps="99.000")
    session.holding.look_again()
    with pytest.raises(InputError, match="why"):
        session.holding.leave(session.holding.found.otherwise[0], " ")
    session.holding.leave(session.holding.found.otherwise[0], "a trial of the night shift")
    assert session.holding.found.otherwise == ()
    file_of(shop, settings_file, x_steps="98.000")
    session.holding.look_again()
    assert [o.text for o in session.holding.found.otherwise] == ["98.000"]


# In the round


def test_a_whole_round_corrects_its_machine_through_the_file(shop: Shop, settings_file: Path) -> None:
    session = cut_one(shop)
    read_all(session)
    session.go(Step.CORRECT)
    before = settings_file.read_bytes()
    (x, *_) = [f for f in session.measuring.findings() if session.correcting.enters(f)]
    old, new = numbers(shop)[x.quantity], session.correcting.proposed(x)
    assert session.correcting.file_of(x.quantity) == str(settings_file)
    with settings_file.open("rb") as held:
        fcntl.flock(held, fcntl.LOCK_EX)
        with pytest.raises(InputError, match="another program"):
            session.correcting.write_into_file(x)
    assert (settings_file.read_bytes(), session.correcting.entered(x.quantity)) == (before, None)
    for f in session.measuring.findings():
        if session.correcting.enters(f):
            session.correcting.write_into_file(f)
    assert f"{old}\n".encode() not in settings_file.read_bytes()
    assert f"= {new}\n".encode() in settings_file.read_bytes()
    assert shop.values("heron")[x.quantity].how == "read_back"
    assert numbers(shop)[x.quantity] == new
    session.go(Step.CONFIRM)
    stand_in.make(session)
    session.after_making()
    read_all(session)
    assert {f.verdict for f in session.measuring.findings()} <= {Verdict.IN, Verdict.CANNOT_TELL}
    assert look(shop, shop.machine("heron")).otherwise == ()


def test_nothing_is_written_over_a_number_that_is_not_the_logbooks(shop: Shop, settings_file: Path) -> None:
    session = cut_one(shop)
    read_all(session)
    session.go(Step.CORRECT)
    (x, *_) = [f for f in session.measuring.findings() if session.correcting.enters(f)]
    before = file_of(shop, settings_file, **{x.quantity: "99.000"}).read_bytes()
    with pytest.raises(InputError, match="say first which is right"):
        session.correcting.write_into_file(x)
    assert settings_file.read_bytes() == before
    correct_all(session)  # by hand it can be entered all the same


def test_by_keyboard_a_round_asks_first_and_writes_its_number_last(window: MainWindow, settings_file: Path) -> None:
    known = numbers(window.shop)
    file_of(window.shop, settings_file, x_steps="99.000", y_steps="98.000")
    window.show_rose("heron")
    window.begin("rectangle", "x_steps")
    settle()
    page = window.places.currentWidget()
    assert isinstance(page, RoundPage)
    assert "holds 99.000, the logbook says " + known["x_steps"] in shown(page)
    assert not page.make.cut.isEnabled()
    check_looks(window, (1280, 800))
    assert focus() == "99.000 is right"
    press(Qt.Key.Key_Tab, Qt.Key.Key_Return)
    assert f"= {known['x_steps']}\n" in settings_file.read_text()
    assert "holds 98.000" in shown(page)
    tab_to("Keep it, because")
    press(Qt.Key.Key_Return)
    assert "say in a few words" in shown(page)
    press("a trial", Qt.Key.Key_Return)
    settle()
    assert not page.held.isVisible()
    assert page.make.cut.isEnabled()
    click(page, "Practice cut")
    read_all(page.model.session)
    page.go(Step.CORRECT)
    settle()
    names = [b.accessibleName() for b in page.findChildren(QPushButton) if b.isVisible()]
    (put, *_) = [n for n in names if "X steps" in n and "write it into heron.cfg" in n]
    new = page.model.session.correcting.proposed(page.model.session.measuring.findings()[0])
    tab_to(put)
    press(Qt.Key.Key_Return)
    assert f"= {new}\n" in settings_file.read_text()
    assert f"The controller holds {new}" in shown(page)
    check_looks(window, (1280, 800))
