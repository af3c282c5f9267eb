"""What a profile, a file, a cable or a picture can't be is refused in words; keys without anything to do do nothing."""

from __future__ import annotations

import errno
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PySide6.QtCore import Qt
from pytestqt.qtbot import QtBot

from driving import opened, press
from keen_compass.controllers import wire_words
from keen_compass.controllers.by_port import Cable
from keen_compass.controllers.practice_dialects import TEXT
from keen_compass.errors import InputError, PieceError
from keen_compass.formats.gcode import CutSettings, write_moves
from keen_compass.machines.fitted import Stock, Tool
from keen_compass.machines.places import Spot
from keen_compass.machines.profile import Machine
from keen_compass.pieces.moves import Go, MoveProgram
from keen_compass.practice.demo_machines import HERON
from keen_compass.practice.wire import stand_in
from keen_compass.procedures.stages import Step
from keen_compass.quantities.geometry import Box
from keen_compass.quantities.kinds import MachineKind
from keen_compass.rounds import RoundSession
from keen_compass.shop.store import Shop
from keen_compass.solve.cross import find_cross
from keen_compass.words.say import say
from looks import settle
from said import solved


def test_a_kind_that_no_machine_is_of_is_refused_with_those_that_there_are() -> None:
    with pytest.raises(InputError, match="choose one of router, plasma, laser") as caught:
        Machine.from_json(HERON.to_json() | {"kind": "lathe"})
    assert caught.value.place == "kind"
    assert Machine.from_json(HERON.to_json() | {"kind": "plasma table"}).kind is MachineKind.PLASMA


@pytest.mark.parametrize(
    ("change", "place"),
    [({"name": "  "}, "name"), ({"units": "ells"}, "units"), ({"file": "svg"}, "file"),
     ({"controller_units": "cm"}, "controller_units"), ({"gives_room": "nobody"}, "gives_room"),
     ({"kerf_form": "third"}, "kerf_form"), ({"wear": "days"}, "wear"), ({"heads": ("lamp",)}, "heads"),
     ({"offset_form": "none"}, "offset_form"), ({"gantry_along": "z"}, "gantry_along"), ({"head": "floats"}, "head"),
     ({"spots": {"charm": Spot("a.cfg", 1, 1, "1")}}, "spots"), ({"decimals_of": {"charm": 1}}, "decimals_of"),
     ({"decimals_of": {"x_steps": 12}}, "decimals_of.x_steps"), ({"bed": (0.0, 5.0)}, "bed"),
     ({"tolerances": {"charm": 1.0}}, "tolerances"), ({"tolerances": {"x_steps": 0.0}}, "tolerances.x_steps"),
     ({"tools": (Tool("tree", 900.0),)}, "tools"), ({"stock": Stock("fog", 0.0, 0, 0, 1, 1)}, "stock.thickness"),
     ({"stock": Stock("fog", 1.0, 0, 0, 1e9, 1)}, "stock"), ({"scatter": (0.1, 0.0)}, "scatter"),
     ({"setting_line": "{value:d}"}, "setting_line"), ({"setting_line": "no number"}, "setting_line"),
     ({"power": 0.0}, "power")],
)  # fmt: skip
def test_a_profile_that_no_machine_has_is_refused_with_its_place(change: dict[str, Any], place: str) -> None:
    try:
        replace(HERON, **change)
    except InputError as error:
        assert error.place == place
        assert len(error.message) < 120
    else:
        raise AssertionError(change)


def test_an_older_profile_beyond_the_limits_is_brought_within_them() -> None:
    body = HERON.to_json()
    body["stock"] = body["stock"] | {"thickness": 0.0}
    wild = Machine.from_json(body | {"feed": 0.0, "setting_line": "{broken", "scatter": None})
    assert wild.stock is not None
    assert (wild.feed, wild.setting_line, wild.stock.thickness > 0) == (1.0, "{key} = {value}", True)
    assert Machine.from_json(body | {"stock": None, "power": 900.0}).power == 100.0


@pytest.mark.parametrize(
    ("change", "place"),
    [({"spindle_rpm": 0}, "spindle_rpm"), ({"z_travel": -1.0}, "z_travel"), ({"mark_depth": 1e-6}, "mark_depth"),
     ({"thickness": 90.0, "depth_per_pass": 0.02}, "depth_per_pass"), ({"feed": 0.0}, "feed")],
)  # fmt: skip
def test_settings_that_cut_nothing_are_refused(change: dict[str, Any], place: str) -> None:
    with pytest.raises(PieceError) as caught:
        CutSettings(Box(0, 0, 100, 100), **change)
    assert caught.value.place == place


def test_a_run_that_no_table_makes_is_refused() -> None:
    bed = CutSettings(Box(0, 0, 100, 100), z_travel=50.0)
    for step, why in ((Go(x=300.0, y=0.0), "bed"), (Go(z=80.0), "travel"), (Go(x=1.0, feed=0.0), "feed")):
        with pytest.raises(PieceError, match=why):
            write_moves(MoveProgram("test", (step,)), bed, say)
    with pytest.raises(PieceError, match="shorter"):
        write_moves(MoveProgram("test", (Go(x=1.0),) * 200_000), bed, say)


@pytest.mark.parametrize(
    ("without", "ask", "says"),
    [("ask_listing", lambda c: c.read(), "ask for its settings"), ("set_value", lambda c: c.send("A", "1"), "set"),
     ("ask_position", lambda c: c.position(), "where it is"), ("jog", lambda c: c.jog("x", 1.0, 100.0), "move a step"),
     ("reset", lambda c: c.reset(), "switch it off and on")],
)  # fmt: skip
def test_what_a_profile_of_a_cable_does_not_say_is_asked_for(without: str, ask: Any, says: str) -> None:
    with stand_in(HERON) as controller, Cable(controller.path, replace(TEXT, **{without: ""})) as cable:
        with pytest.raises(InputError, match=says) as caught:
            ask(cable)
        assert caught.value.place == without
        assert cable.raw("nonsense")  # and the cable is as it was


@pytest.mark.parametrize(
    ("number", "words"),
    [(errno.ENOENT, "is not there"), (errno.EACCES, "may not be opened"), (errno.EBUSY, "held by another"),
     (errno.EIO, "can’t be opened")],
)  # fmt: skip
def test_a_port_that_cannot_be_opened_says_why_and_what_to_do(number: int, words: str) -> None:
    error = wire_words.not_opened("/dev/port", OSError(number, "no"))
    assert words in error.happened
    assert error.way_on.endswith(".")


def test_what_holds_no_cross_gives_none() -> None:
    assert find_cross(np.zeros((12, 12))) is None
    assert find_cross(np.full((200, 200), 130.0)) is None
    one_line = np.full((200, 200), 230.0)
    one_line[:, 97:103] = 30.0
    assert find_cross(one_line) is None
    edge = np.full((200, 200), 230.0)
    edge[:, :100] = 30.0  # dark on one side: no stroke
    edge[:100, :] = 30.0
    assert find_cross(edge) is None
    slanted = np.full((200, 200), 230.0)
    for i in range(200):  # two strokes that cross far from square
        slanted[i, 97:103] = 30.0
        slanted[i, max(0, 60 + i // 3) : 66 + i // 3] = 30.0
    assert find_cross(slanted) is None


def test_rungs_that_say_something_else_are_asked_about() -> None:
    body = {
        "procedure": "kerf-ladder", "machine": {"values": {"kerf": 6.0}}, "tolerance": 0.1,
        "piece": {"nominal": 40.0, "compensations": [5.8, 5.9, 6.0, 6.1, 6.2]},
    }  # fmt: skip

    def said(values: list[float], **more: Any) -> list[str]:
        readings = [{"measurand": f"rung_{i}", "values": [v]} for i, v in enumerate(values, 1)]
        codes: list[str] = solved(body | {"readings": readings} | more)["findings"][0]["note_codes"]
        return codes

    good = [39.8, 39.9, 40.0, 40.1, 40.2]
    assert "kerf_ladder.odd" not in said(good)
    assert said([39.8, 39.9, 40.9, 40.1, 40.2]) == ["does_not_fit"]
    assert said([v / 25.4 for v in good])[0].startswith("looks")
    assert said([v - 4.0 for v in good]) == ["kerf_square.odd"]  # all of them alike, far from what is held
    for piece, place in (({"compensations": 4}, "piece.compensations"), ({"read": "guess"}, "piece.read")):
        with pytest.raises(InputError) as caught:
            solved(body | {"piece": piece, "readings": []})
        assert caught.value.place == place


# Keys in a window


def test_keys_that_have_nothing_to_do_in_an_empty_shop_do_nothing(qtbot: QtBot, tmp_path: Path) -> None:
    window = opened(qtbot, Shop(tmp_path / "empty.kcshop"))
    shown = window.places.currentWidget()
    for action in window.menus.of_round:
        assert not action.isEnabled()
        action.trigger()
    for call in (window.menus.go_on, window.menus.practice, window.menus.turn_over, window.menus.skip,
                 window.toggle_floor, window.change_machine):  # fmt: skip
        call()
    for place in ("together", "controller"):
        window.go_to(place)
    window.begin("rectangle")
    window.menus.step(Step.MEASURE)
    window.begin_here("rectangle", "x_steps")
    window._note_happening("moved", "nowhere")
    settle()
    assert window.places.currentWidget() is shown
    assert window.round_page is None
    assert window.shop.machines() == []


def test_keys_of_a_round_wait_until_there_is_something_for_them(window: Any) -> None:
    window.show_rose("heron")
    window.begin("rectangle")
    page = window.round_page
    before = page.model.session.step
    window.menus.turn_over()
    window.menus.skip()
    assert page.model.session.step is before
    press(Qt.Key.Key_F11)
    assert window.isFullScreen()
    press(Qt.Key.Key_F11)
    assert not window.isFullScreen()
    assert RoundSession.begin(window.shop, window.shop.machine("heron"), "rectangle").step is before
