"""A second tool: whole rounds through files in every convention, foreign physics, accessories and what is put back."""

from __future__ import annotations

import json
import math
import random
from collections.abc import Iterator
from dataclasses import replace
from itertools import product
from pathlib import Path
from typing import Any

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from driving import choose, click, press, shown, states, tab_to
from keen_compass.app.mounting import mount
from keen_compass.app.round.astride_surface import AstrideSurface
from keen_compass.app.window import MainWindow
from keen_compass.errors import FileFormatError, InputError, PieceError
from keen_compass.machines.fitted import Fitting, Stock, Tool
from keen_compass.machines.forms import machine_fields, read_machine
from keen_compass.machines.heads import offset_held
from keen_compass.machines.profile import Machine
from keen_compass.pieces.astride import Astride
from keen_compass.practice.playing import correct_all, cut, play, read_all
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.standpoint import Standpoint
from keen_compass.quantities.stored import StoredAmount
from keen_compass.quantities.verdict import Verdict
from keen_compass.shop.exchange import from_json, to_json
from keen_compass.shop.library import of_another, put_on
from keen_compass.shop.standing import State
from keen_compass.shop.store import Shop
from keen_compass.standin.truth import Truth
from looks import check_looks, settle
from said import solved

SITS = {"second_tool reed": (-23.4, 11.7), "second_tool nib": (-22.8, 12.3)}
HERE = ("second_tool_x", "second_tool_y")
TRUE = Truth(
    motion={"x": 100.3, "y": 99.8}, lost_motion={"x": 0.05, "y": 0.03}, kerf=0.0, scatter=0.01,
    instrument_error=(0.4, -0.3), repeat=0.4, heads=SITS,
)  # fmt: skip


def plover(kind: MachineKind, file: str, **more: Any) -> Machine:
    """A machine of no demo, with two accessories."""
    table = kind is MachineKind.ROUTER
    return Machine(
        "plover", "Plover", kind, (900.0, 700.0), tools=(Tool("Pen", 0.0, drawn=True, uid="pen"),),
        stock=Stock("card", 6.0 if table else 0.5, 10.0, 10.0, 800.0, 600.0, "card"), file="" if table else file,
        heads=("second_tool",), decimals=3, z_travel=60.0 if table else 0.0,
        fittings=(Fitting("accessory", "Reed", "reed", (-23.0, 11.0)), Fitting("accessory", "Nib", "nib")),
        fitted={"accessory": "reed"}, **more,
    )  # fmt: skip


@pytest.fixture
def empty(tmp_path: Path) -> Iterator[Shop]:
    made = Shop(tmp_path / "plover.kcshop")
    from keen_compass.practice.demo_machines import INSTRUMENTS

    for instrument in INSTRUMENTS:
        made.put_instrument(instrument)
    yield made
    made.close()


def begin_with(shop: Shop, machine: Machine, off: tuple[float, float]) -> None:
    """The machine, with its controller's numbers off by so much, in its own form, signs and unit."""
    shop.put_machine(machine)
    shop.put_stand_in(machine.uid, TRUE.to_json())
    for i, q in enumerate(HERE):
        sign = (1 if machine.offset_form == "secondary_minus_tool" else -1) * (-1 if q in machine.flipped else 1)
        place = machine.place(q)
        value = StoredAmount.of(q, sign * (SITS["second_tool reed"][i] + off[i]), place.unit, place.decimals)
        shop.put_value(machine.uid, q, value, "start", subject=machine.subject)


KINDS = ((MachineKind.KNIFE, "hpgl"), (MachineKind.PRINT_AND_CUT, "svg"), (MachineKind.ROUTER, "gcode"))
FORMS = tuple(product(("secondary_minus_tool", "tool_minus_secondary"), ((), ("second_tool_x",), HERE)))
# All of them on one kind of machine, both forms with unlike signs on the others.
COUNTED = [(*KINDS[0], *form) for form in FORMS] + [
    (*kind, *form) for kind in KINDS[1:] for form in (FORMS[1], FORMS[-1])
]  # fmt: skip


@pytest.mark.parametrize("way", ["gaps", "vernier"])
@pytest.mark.parametrize(("kind", "file", "form", "flipped"), COUNTED)
def test_the_second_tool_comes_right_whatever_the_controller_counts(
    empty: Shop, kind: MachineKind, file: str, form: str, flipped: tuple[str, ...], way: str
) -> None:
    units = "in" if flipped == HERE else "mm"
    seen = Standpoint("toward", "right") if kind == MachineKind.KNIFE else Standpoint()
    machine = plover(kind, file, offset_form=form, flipped=flipped, controller_units=units, standpoint=seen)
    begin_with(empty, machine, (0.8, -0.6))
    session = play(empty, machine, "second-tool", HERE[0], "glass-scale", chosen={"way": way})
    kept = {q: v.stored for q, v in empty.values("plover").items()}
    at = offset_held(kept, "second_tool", form, flipped)
    assert math.dist(at, SITS["second_tool reed"]) < 0.15
    assert [f.verdict for f in session.measuring.findings()] == [Verdict.IN, Verdict.IN]
    assert len(session.context.pieces) == 2
    a, b = (p.place[0] for p in session.context.pieces)
    assert not a.overlaps(b, 0.0)  # each on a fresh place


@pytest.mark.heavy
@pytest.mark.parametrize("way", ["gaps", "vernier"])
def test_the_offset_is_in_its_interval_under_foreign_physics(way: str) -> None:
    """Lines that lie off their places, a tool that leans one way in its holder, rules that are wrong from place to
    place and held askew, tenths and half millimetres, one reading, inches, an eye that takes the pair beside."""
    rng, hits, both, told, total = random.Random(f"astride {way}"), 0, 0, 0, 500
    for _ in range(total):
        d = [rng.uniform(-1.4, 1.4) for _ in "xy"]
        unit = rng.choice((0.1, 0.1, 0.2, 25.4 / 64))
        own, slope = rng.uniform(-0.05, 0.05), rng.uniform(-0.02, 0.02)
        readings: dict[str, list[float]] = {}
        for axis, off in zip("xy", d, strict=True):
            if way == "gaps":
                drawn = [off + rng.gauss(0, 0.03) + rng.gauss(0, 0.01) for _ in range(2)]
                count = rng.choice((1, 2))
                for name, gap in ((f"{axis}_high", 5 + drawn[0]), (f"{axis}_low", 5 - drawn[1])):
                    shows = [gap / math.cos(slope) + own * rng.uniform(0.6, 1.0) + rng.gauss(0, 0.3 * unit)
                             for _ in range(count)]  # fmt: skip
                    readings[name] = [round(v / unit) * unit for v in shows]
            else:
                lies = off + rng.gauss(0, 0.03)
                ticks = [(j, min((i - j * 0.95 - lies for i in range(-12, 13)), key=abs) + rng.gauss(0, 0.006))
                         for j in range(-10, 11)]  # fmt: skip
                best = min(ticks, key=lambda t: abs(t[1]))[0]
                readings[f"{axis}_line"] = [float(best)]
                readings[f"{axis}_coarse"] = [round((lies + own) / 0.1) * 0.1]
        held = [30.0 - rng.uniform(-1, 1), 4.0]
        body = {
            "procedure": "second-tool", "machine": {"decimals": 3, "values": dict(zip(HERE, held, strict=True))},
            "piece": {"way": way, "spacing": 10} if way == "gaps" else {"way": way},
            "instrument": {"kind": "rule", "resolution": unit if way == "gaps" else 0.1,
                           "permissible_error": [0.05, 0]},
            "tolerance": 0.2, "confirmed": True,
            "readings": [{"measurand": m, "values": v} for m, v in readings.items()],
        }  # fmt: skip
        found = solved(body)["findings"]
        if found[0]["new"] is None:
            continue
        told += 1
        off_by = [f["new"] - h - t for f, h, t in zip(found, held, d, strict=True)]
        U = [f["expanded_uncertainty"] for f in found]
        hits += sum(abs(e) <= u + 0.0005 for e, u in zip(off_by, U, strict=True))
        both += sum((e / (u / 1.96)) ** 2 for e, u in zip(off_by, U, strict=True)) <= 5.99
    assert told > 0.97 * total
    assert hits >= 0.93 * 2 * told, (hits, told)
    assert both >= 0.93 * told, (both, told)


def test_pieces_that_cannot_be_made_are_refused() -> None:
    for wrong in (Astride, "gaps", 0.0), (Astride, "gaps", 99.0), (Astride, "ruler", 1.0):
        with pytest.raises(PieceError):
            wrong[0](wrong[1], wrong[2])
    with pytest.raises(PieceError):
        Astride("vernier", 1.0, 1)
    scales = Astride("vernier", 1.0, 20)
    ticks = dict(scales.named())
    middle = scales.scale_at("x")[0]
    for k in range(-10, 11):  # the k-th pair lines up when the second is k·p/N off
        assert ticks[f"second_x_{k}"][0][0] + k / 20 == pytest.approx(ticks[f"first_x_{k}"][0][0])
        assert ticks[f"first_x_{k}"][0][0] == pytest.approx(middle + k)


# Accessories


def test_an_accessory_brings_its_own_numbers_back(empty: Shop) -> None:
    machine = plover(MachineKind.KNIFE, "hpgl")
    begin_with(empty, machine, (0.0, 0.0))
    held = {q: v.stored for q, v in empty.values("plover").items()}
    put_on(empty, empty.machine("plover"), fitted={"accessory": "nib"})
    nib = empty.machine("plover")
    assert (nib.subject.accessory, nib.fitting("accessory").name) == ("nib", "Nib")  # type: ignore[union-attr]
    assert {q: v.stored for q, v in empty.values("plover").items()} == held  # mounting changes nothing that is held
    assert states(empty, "plover", HERE) == [State.NEVER, State.NEVER]
    assert all(one.wanted is None for one in of_another(empty, nib).values())  # no known end a nib sits
    for q, mm in zip(HERE, SITS["second_tool nib"], strict=True):
        empty.put_value("plover", q, StoredAmount(q, "mm", mm), "typed", subject=nib.subject)
    assert of_another(empty, nib) == {}
    put_on(empty, empty.machine("plover"), fitted={"accessory": "reed"})
    back = of_another(empty, empty.machine("plover"))
    assert {q: one.wanted for q, one in back.items()} == {q: held[q] for q in HERE}
    assert all(one.own for one in back.values())
    assert all(one.held is not None and one.held.subject == "accessory=nib" for one in back.values())


@pytest.mark.parametrize(("form", "sign"), [("secondary_minus_tool", 1.0), ("tool_minus_secondary", -1.0)])
def test_what_its_maker_recommends_is_what_one_begins_with(empty: Shop, form: str, sign: float) -> None:
    empty.put_machine(plover(MachineKind.KNIFE, "hpgl", offset_form=form, controller_units="in"))
    begin = of_another(empty, empty.machine("plover"))
    wanted = {q: one.wanted.base for q, one in begin.items() if one.wanted}  # type: ignore[union-attr]
    assert wanted == {HERE[0]: pytest.approx(sign * -23.0, abs=0.02), HERE[1]: pytest.approx(sign * 11.0, abs=0.02)}
    assert not any(one.own for one in begin.values())


def test_accessories_go_through_form_and_file_and_a_logbook_from_elsewhere(empty: Shop, tmp_path: Path) -> None:
    empty.put_machine(plover(MachineKind.PRINT_AND_CUT, "svg"))
    fields = machine_fields(empty.machine("plover"), {}) | {"x_steps": "100", "y_steps": "100"}
    assert (fields["accessory"], fields["accessory_x"], fields["heads_more"]) == ("Reed", "-23 mm", "second_tool")
    change = {
        "accessory": "Quill",
        "accessory_x": "-20 mm",
        "accessory_y": "1 in",
        "printer": "Big one",
        "carrier": "mat",
    }
    machine, _, wrong = read_machine(fields | change, Standpoint(), empty.machine("plover"))
    assert not wrong
    assert machine is not None
    empty.put_machine(machine)
    kept = empty.machine("plover")
    assert [f.name for f in kept.fittings] == ["Reed", "Nib", "Quill", "Big one", "mat"]
    quill = kept.fitting("accessory")
    assert quill is not None
    assert quill.offset == (-20.0, 25.4)
    assert (kept.subject.printer, kept.subject.carrier) == tuple(kept.fitted[k] for k in ("printer", "carrier"))
    _, _, wrong = read_machine(fields | {"accessory_x": "far"}, Standpoint(), kept)
    assert set(wrong) == {"accessory_x"}
    text = to_json(empty)
    other = Shop(tmp_path / "other.kcshop")
    from_json(other, text, lambda *_: "")
    assert other.machine("plover") == kept
    other.close()
    for change in ('{"name": "Reed", "offset": [1e9, 0]}', '{"name": ""}', '{"name": "Reed", "offset": "far"}'):
        broken = json.loads(text)
        next(row for row in broken["tables"]["thing"] if row["kind"] == "accessory")["body"] = change
        nowhere = Shop(tmp_path / f"{len(change)}.kcshop")
        with pytest.raises(FileFormatError):
            from_json(nowhere, json.dumps(broken), lambda *_: "")
        assert nowhere.machines() == []
        nowhere.close()


# In the window


def test_by_keyboard_an_accessory_comes_back_and_its_numbers_with_it(window: MainWindow) -> None:
    shop = window.shop
    window.show_rose("kingfisher")
    own = {q: v.stored for q, v in shop.values("kingfisher").items() if q in HERE}
    button = window.rose_page.mounted
    assert "Felt pen" in button.accessibleName()
    button.setFocus()
    press(Qt.Key.Key_Return)
    menu = QApplication.activePopupWidget()
    assert menu is not None
    scoring = next(a for a in button._list.actions() if a.text() == "Scoring tip")
    while button._list.activeAction() is not scoring:
        QTest.keyClick(menu, Qt.Key.Key_Down)
    QTest.keyClick(menu, Qt.Key.Key_Return)
    settle()
    card = window.rose_page.put_back()
    assert "Put back: Scoring tip" in shown(card)
    assert "of Felt pen" in shown(card)
    for size in ((1280, 800), (1024, 700)):
        window.resize(*size)
        settle()
        check_looks(window, size)
    click(card, "Values entered")
    assert not card.isVisible()
    now = {q: v for q, v in shop.values("kingfisher").items() if q in HERE}
    assert {v.how for v in now.values()} == {"put_back"}
    assert {q: v.stored for q, v in now.items()} != own
    mount(window, fitted={"accessory": "felt-pen"})
    assert {q: one.wanted for q, one in of_another(shop, shop.machine("kingfisher")).items()} == own


def test_by_mouse_and_arrow_keys_both_ways_of_reading(window: MainWindow) -> None:
    window.show_rose("kingfisher")
    for q in HERE:
        window.shop.put_value("kingfisher", q, StoredAmount(q, "mm", 31.9 if q == HERE[0] else 0.2), "typed",
                              subject=window.shop.machine("kingfisher").subject)  # fmt: skip
    window.begin("second-tool", HERE[0])
    page = window.round_page
    assert page is not None
    session, surface = page.model.session, page.measure.surface
    assert "Pen holder marks first, then Felt pen" in shown(page)
    click(page, "Practice cut")
    surface = page.measure.surface
    assert isinstance(surface, AstrideSurface)
    place = surface.places()["y_low"]
    QTest.mouseClick(surface, Qt.MouseButton.LeftButton, pos=place.toPoint())
    assert session.measuring.current() == "y_low"
    for _ in range(4):
        press(Qt.Key.Key_F8)
    assert surface.off("x") == pytest.approx(31.18 - 31.9, abs=0.15)
    assert surface.off("y") == pytest.approx(0.86 - 0.2, abs=0.15)
    for size in ((1280, 800), (1024, 700)):
        window.resize(*size)
        settle()
        check_looks(window, size)
    click(page, "To Correct")
    correct_all(session)
    click(page, "To Confirm")
    cut(session)
    read_all(session)
    assert [f.verdict for f in session.measuring.findings()] == [Verdict.IN, Verdict.IN]
    session.sign()
    assert states(window.shop, "kingfisher", HERE) == [State.IN, State.IN]
    window.begin("second-tool", HERE[0])
    page = window.round_page
    assert page is not None
    choose("Read by", "two scales")
    click(page, "Practice cut")
    surface = page.measure.surface
    assert isinstance(surface, AstrideSurface)
    press("0.1", Qt.Key.Key_Return)
    press("2")
    press(Qt.Key.Key_Up)
    assert surface.current_edit().text() == "3"  # type: ignore[union-attr]
    press(Qt.Key.Key_Down, Qt.Key.Key_Down, Qt.Key.Key_Return)
    assert surface.off("x") == pytest.approx(0.05)
    press("-1.2", Qt.Key.Key_Return, "-7", Qt.Key.Key_Return)
    assert surface.off("y") == pytest.approx(-1.35)
    assert page.model.session.measuring.findings()[1].error == pytest.approx(1.35)
    press(Qt.Key.Key_Z, modifier=Qt.KeyboardModifier.ControlModifier)
    press("9", Qt.Key.Key_Return)  # 0.45, and the rule says −1.2
    assert "They contradict each other" in shown(page)
    check_looks(window, (1024, 700))


def test_gaps_read_with_an_inch_rule_are_drawn_as_they_are(window: MainWindow) -> None:
    window.show_rose("kingfisher")
    window.begin("second-tool", HERE[0])
    page = window.round_page
    assert page is not None
    page.model.session.making.choose(instrument="rule-60in")
    click(page, "Practice cut")
    surface = page.measure.surface
    assert isinstance(surface, AstrideSurface)
    press("13/64", Qt.Key.Key_Return, "0.1875")
    assert surface.off("x") == pytest.approx(25.4 / 64 / 2)  # while it is typed
    press(Qt.Key.Key_Return, "12/64", Qt.Key.Key_Return, "13/64", Qt.Key.Key_Return)
    assert surface.off("y") == pytest.approx(-25.4 / 64 / 2)
    found = {f.quantity: f.error for f in page.model.session.measuring.findings()}
    assert found == {HERE[0]: pytest.approx(-25.4 / 128), HERE[1]: pytest.approx(25.4 / 128)}


def test_a_profile_of_something_else_fitted_is_refused() -> None:
    with pytest.raises(InputError, match="accessory"):
        Fitting("hat", "Bowler")
    machine = plover(MachineKind.ROUTER, "gcode")
    assert replace(machine, fitted={}).subject.accessory == ""


@pytest.mark.parametrize("name", ["swift", "kingfisher"])
def test_what_sits_beside_the_tool_is_chosen_in_the_form(window: MainWindow, name: str) -> None:
    before = window.shop.machine(name)
    window.show_rose(name)
    window.change_machine()
    page = window.places.currentWidget()
    choose("Beside the tool", "a pointer")
    choose("And", "a camera and a second tool")
    tab_to("Accessory fitted")
    press(Qt.Key.Key_A, modifier=Qt.KeyboardModifier.ControlModifier)
    press("Pouncer")
    tab_to("Maker’s value, along X")
    press(Qt.Key.Key_A, modifier=Qt.KeyboardModifier.ControlModifier)
    press("-30 mm")
    tab_to("Maker’s value, along Y")
    press(Qt.Key.Key_A, modifier=Qt.KeyboardModifier.ControlModifier)
    press("4 mm")
    for size in ((1280, 800), (1024, 700)):
        window.resize(*size)
        settle()
        check_looks(window, size)
    click(page, "Save")  # type: ignore[arg-type]
    after = window.shop.machine(name)
    assert after.heads == ("pointer", "camera", "second_tool")
    assert {"camera_x", "second_tool_y", "pointer_x"} <= set(after.quantities)
    assert "sensor_x" not in after.quantities
    fitted = after.fitting("accessory")
    assert fitted is not None
    assert (fitted.name, fitted.offset) == ("Pouncer", (-30.0, 4.0))
    assert [f for f in after.fittings if f.name != "Pouncer"] == list(before.fittings)
