"""A camera: pictures in every way they come, crosses put right by hand, whole rounds under faults, the real window."""

from __future__ import annotations

import io
import math
import random
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QGuiApplication, QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from crosses import Sheet, taken
from driving import click, press, shown, states, tab_to, until
from keen_compass.app.round.camera_surface import CameraSurface
from keen_compass.app.window import MainWindow
from keen_compass.errors import InputError, LengthError
from keen_compass.pieces.cross_mark import CrossMark
from keen_compass.practice.playing import correct_all, cut, read_all
from keen_compass.practice.whole_rounds import run
from keen_compass.quantities.readings import Picture, parse_pixel
from keen_compass.quantities.stored import StoredAmount
from keen_compass.quantities.verdict import Verdict
from keen_compass.reports.record import record_of
from keen_compass.rounds import RoundSession
from keen_compass.shop.standing import State
from keen_compass.shop.store import Shop
from keen_compass.standin.camera import matrix_of, picture
from keen_compass.standin.truth import Truth
from looks import check_looks, settle
from said import solved

HERE = ("camera_x", "camera_y")
SIZE = (600, 800)  # rows, columns
OUT_OF_PICTURE = 41  # seed of a practice machine
CONTROL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


def with_crosses(*at: tuple[float, float], seed: int = 1) -> bytes:
    """A picture with crosses at these places, as PNG."""
    sheet = Sheet(SIZE)
    for place in at:
        for angle in (0.1, 0.1 + math.pi / 2):
            sheet.stroke(place, angle, (-90, 90), 9)
    out = io.BytesIO()
    Image.fromarray(taken(np.random.default_rng(seed), sheet.cover).astype(np.uint8)).save(out, "PNG")
    return out.getvalue()


# Whole rounds


def test_a_practice_camera_sees_what_an_independent_projection_says() -> None:
    truth = Truth(motion={}, lost_motion={}, kerf=0.0, scatter=0.0, instrument_error=(0, 0), repeat=0.0,
                  camera=(0.02, 7.0, 1.0))  # fmt: skip
    grey = np.asarray(
        Image.open(io.BytesIO(picture(truth, (50.0, 30.0), [((47, 31), (55, 31)), ((51, 27), (51, 35))], "a")))
    )
    u, v = (np.linalg.solve(matrix_of(truth), np.array([1.0, 1.0])) + np.array([400, 300])).tolist()
    dark = np.argwhere(grey < 110)
    assert math.dist(dark.mean(axis=0) + 0.5, (v, u)) < 1.0
    assert grey[round(v), round(u)] < 90


@pytest.mark.heavy
def test_second_rounds_are_in_and_hold_the_truth() -> None:
    """The last of them begins so far off that a move takes the cross out of the picture: it is made shorter."""
    inside = 0
    for seed in (0, 1, 2, OUT_OF_PICTURE):
        practice = run("camera", seed, None, None)
        last = practice.rounds[-1].solution.findings
        assert [str(f.verdict) for f in last] == ["in", "in"]
        assert len(practice.rounds) <= 2
        inside += all(
            abs(practice.error(f.quantity) - (f.error or 0.0)) <= (f.expanded_uncertainty or 0.0) for f in last
        )
    assert inside >= 3


@pytest.mark.heavy
def test_the_offset_is_in_its_interval_whatever_the_camera_is() -> None:
    """Crosses that are found with errors of any spread, lenses that bend straight lines a little, moves that miss their
    places, mirrored pictures, three to nine of them."""
    rng, hits, both, told, total = np.random.default_rng(18), 0, 0, 0, 400
    for _ in range(total):
        turn, scale, mirrored = rng.uniform(-0.3, 0.3), rng.uniform(0.01, 0.04), rng.random() < 0.3
        c, s = math.cos(turn), math.sin(turn)
        M = scale * np.array([[c, -s], [s, c]]) @ np.diag([1.0, 1.0 if mirrored else -1.0])
        d, n, spread = rng.uniform(-1.5, 1.5, 2), int(rng.choice([5, 6, 9])), rng.uniform(0.05, 0.5)
        moves = [[0, 0], [4, 0], [0, 4], [-4, 0], [0, -4], [4, 4], [-4, 4], [-4, -4], [4, -4]][:n]
        seen = []
        for move in moves:
            off = np.linalg.solve(M, -(d + move + rng.normal(0, 0.008, 2)))
            off = off * (1 + rng.uniform(-1, 1) * 2e-9 * float(off @ off)) + rng.normal(0, spread, 2)
            seen.append([float(v) for v in off + np.array([640, 480])])
        body = {
            "procedure": "camera", "machine": {"values": {"camera_x": 42.0, "camera_y": -3.5}, "decimals": 4},
            "piece": {"picture": [1280, 960], "moves": moves}, "tolerance": 0.2, "confirmed": True,
            "readings": [{"measurand": "cross", "values": seen}],
        }  # fmt: skip
        answer = solved(body)
        found = answer["findings"]
        told += 1
        assert answer["figures"]["mirrored"] is bool(mirrored)
        off_by = [f["new"] - set_at - t for f, set_at, t in zip(found, (42.0, -3.5), d, strict=True)]
        U = [f["expanded_uncertainty"] for f in found]
        hits += sum(abs(e) <= u + 5e-5 for e, u in zip(off_by, U, strict=True))
        both += all(abs(e) <= 1.25 * u for e, u in zip(off_by, U, strict=True))
    assert hits >= 0.93 * 2 * told, (hits, told)
    assert both >= 0.93 * told


def test_pictures_that_are_not_taken_yet_are_not_missed() -> None:
    body: dict[str, Any] = {
        "procedure": "camera", "machine": {"values": {"camera_x": 42.0, "camera_y": -3.5}},
        "piece": {"moves": [[0, 0], [4, 0], [0, 4], [-4, 0], [0, -4]]},
    }  # fmt: skip
    at = [[619.9, 467.7], [423.1, 464.1], [616.6, 664.6], [817.1, 471.4], [623.6, 271.1]]

    def said(which: list[int]) -> dict[str, Any]:
        readings = [{"measurand": f"picture_{i + 1}", "values": [at[i]]} for i in which]
        return solved(body | {"readings": readings})["findings"][0]

    assert said([0, 3])["note_codes"] == ["camera.too_few"]
    assert said([1, 0, 3])["note_codes"] == ["camera.in_a_line"]
    whole = solved(body | {"readings": [{"measurand": "cross", "values": at}]})["findings"][0]
    assert said([0, 1, 2, 3, 4])["new"] == whole["new"]
    assert said([4, 1, 2])["verdict"] in ("out", "cannot_tell")
    assert said([0, 1, 2, 4])["new"] == pytest.approx(whole["new"], abs=0.05)


@pytest.mark.parametrize("text", ["", "3", "a b", "1 2 3", "-1 5", "1 in 2 in", "1e9 2"])
def test_what_is_no_place_in_a_picture_is_refused(text: str) -> None:
    with pytest.raises(LengthError):
        parse_pixel(text)
    assert parse_pixel("620,5 ; 468.25") == (620.5, 468.25)


# Pictures of a round


@pytest.fixture
def drawn(shop: Shop) -> RoundSession:
    session = RoundSession.begin(shop, shop.machine("swift"), "camera", "camera_x")
    cut(session)
    return session


def test_pictures_are_kept_as_they_came_and_their_crosses_found(drawn: RoundSession, tmp_path: Path) -> None:
    pictures, measuring = drawn.pictures, drawn.measuring
    data = with_crosses((310.3, 275.8))
    pictures.put("picture_1", data)
    assert pictures.data("picture_1") == data
    u, v = parse_pixel(measuring.draft)
    assert math.dist((u, v), (310.3, 275.8)) < 0.15
    assert pictures.says("picture_1") is None
    assert measuring.keep()
    (kept,) = drawn.context.shop.readings(drawn.context.piece.id)  # type: ignore[union-attr]
    assert isinstance(kept.reading, Picture)
    assert drawn.context.shop.blob(kept.reading.blob) == data
    again = RoundSession(drawn.context.shop, drawn.context.shop.round(drawn.context.kept.id))
    assert again.pictures.data("picture_1") == data  # a restart loses nothing
    with pytest.raises(InputError, match="take all of them alike"):
        small = io.BytesIO()
        Image.new("L", (300, 200), 200).save(small, "JPEG")
        pictures.put("picture_2", small.getvalue())
    for bad, why in ((b"no picture", "is no picture"), (data[:5000], "whole|damaged")):
        with pytest.raises(InputError, match=why):
            pictures.put("picture_2", bad)
    assert set(pictures.taken.blobs) == {"picture_1"}
    assert measuring.current() == "picture_2"


def test_two_crosses_none_and_an_unclear_one_are_each_said(drawn: RoundSession) -> None:
    pictures, measuring = drawn.pictures, drawn.measuring
    both = [(220.0, 200.0), (580.0, 420.0)]
    pictures.put("picture_1", with_crosses(*both))
    note = pictures.says("picture_1")
    assert note is not None
    assert note.code == "camera.two_crosses"
    first = parse_pixel(measuring.draft)
    pictures.other_cross("picture_1")
    second = parse_pixel(measuring.draft)
    for place in both:
        assert min(math.dist(place, at) for at in (first, second)) < 0.3
    pictures.point_at("picture_1", (both[0][0] + 8, both[0][1] - 6))
    assert math.dist(parse_pixel(measuring.draft), both[0]) < 0.3
    pictures.point_at("picture_1", (both[0][0] + 8, both[0][1] - 6), exactly=True)
    assert parse_pixel(measuring.draft) == (both[0][0] + 8, both[0][1] - 6)
    pictures.put("picture_1", with_crosses())
    assert measuring.draft == ""
    note = pictures.says("picture_1")
    assert note is not None
    assert note.code == "camera.no_cross"
    pictures.point_at("picture_1", (300.0, 200.0))  # by hand, where nothing is found
    assert parse_pixel(measuring.draft) == (300.0, 200.0)
    with pytest.raises(InputError, match="no other cross"):
        pictures.other_cross("picture_1")


def test_the_head_comes_to_every_place_that_it_is_sent_to(drawn: RoundSession) -> None:
    shape = drawn.measuring.shape()
    assert isinstance(shape, CrossMark)
    bed = drawn.context.machine.bed
    for name in shape.names:
        at = drawn.pictures.stands_at(name)
        assert at is not None
        assert all(0 <= v <= end for v, end in zip(at, bed, strict=True))
    a, b = drawn.pictures.stands_at("picture_1"), drawn.pictures.stands_at("picture_2")
    assert a is not None
    assert b is not None
    assert (b[0] - a[0], b[1] - a[1]) == pytest.approx(shape.moves[1])


# In the window


def begun(window: MainWindow) -> tuple[Any, CameraSurface]:
    window.show_rose("swift")
    window.begin("camera", "camera_x")
    page = window.round_page
    assert page is not None
    click(page, "Practice cut")
    surface = page.measure.surface
    assert isinstance(surface, CameraSurface)
    return page, surface


def test_pictures_dropped_pasted_from_a_file_and_from_a_folder(window: MainWindow, tmp_path: Path) -> None:
    page, surface = begun(window)
    measuring = page.model.session.measuring
    assert "Picture 1: bring the head to" in surface._where()
    check_looks(window, (1280, 800))
    places = [(400.0, 300.0), (210.0, 290.0), (402.0, 110.0), (590.0, 305.0), (395.0, 490.0)]
    files = []
    for i, place in enumerate(places):
        files.append(tmp_path / f"{i}.png")
        files[i].write_bytes(with_crosses(place, seed=i))
    dropped = QMimeData()
    dropped.setUrls([QUrl.fromLocalFile(str(files[0]))])
    middle = surface.picture_rect().center()
    enter = QDragEnterEvent(
        middle.toPoint(), Qt.DropAction.CopyAction, dropped, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    )
    QApplication.sendEvent(surface, enter)
    assert enter.isAccepted()
    QApplication.sendEvent(
        surface,
        QDropEvent(
            middle, Qt.DropAction.CopyAction, dropped, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        ),
    )
    settle()
    assert math.dist(surface._place() or (0, 0), places[0]) < 0.3
    press(Qt.Key.Key_Return)
    QGuiApplication.clipboard().setImage(QImage(str(files[1])))
    press(Qt.Key.Key_V, modifier=CONTROL)
    settle()
    assert math.dist(surface._place() or (0, 0), places[1]) < 0.3
    press(Qt.Key.Key_Return)
    tab_to("Picture or folder")
    press(str(tmp_path / "nothing.png"), Qt.Key.Key_Return)
    assert "No such file" in shown(page)
    surface.source.file.clear()
    surface.source.file.setFocus()
    press(str(files[2]), Qt.Key.Key_Return)
    settle()
    assert math.dist(surface._place() or (0, 0), places[2]) < 0.3
    measuring.keep()
    folder = tmp_path / "camera"
    folder.mkdir()
    surface.source.file.clear()
    surface.source.file.setFocus()
    press(str(folder), Qt.Key.Key_Return)
    (folder / "new.png").write_bytes(files[3].read_bytes())
    until(lambda: "picture_4" in page.model.session.pictures.taken.blobs)
    assert math.dist(surface._place() or (0, 0), places[3]) < 0.3
    measuring.keep()
    assert page.model.session.measuring.findings()[0].new is not None
    check_looks(window, (1280, 800))
    window.resize(1024, 700)
    settle()
    check_looks(window, (1024, 700))


def test_by_keyboard_and_mouse_a_camera_is_put_right_and_stays(window: MainWindow) -> None:
    page, surface = begun(window)
    session = page.model.session
    press(Qt.Key.Key_F8)  # the picture is looked at before it counts
    assert session.measuring.current() == "picture_1"
    at = surface._place()
    assert at is not None
    press(Qt.Key.Key_Right, Qt.Key.Key_Down)
    press(Qt.Key.Key_Left, modifier=SHIFT)
    assert surface._place() == pytest.approx((at[0] - 9, at[1] + 1), abs=0.011)
    area = surface.picture_rect()
    near = area.topLeft() + QPointF(at[0] + 5, at[1] + 4) * (area.width() / surface._image.width())
    QTest.mouseClick(surface, Qt.MouseButton.LeftButton, pos=near.toPoint())
    assert surface._place() == pytest.approx(at, abs=0.05)
    QTest.mouseClick(surface, Qt.MouseButton.LeftButton, SHIFT, QPoint(near.toPoint()))
    assert math.dist(surface._place() or (0, 0), at) > 3
    QTest.mouseClick(surface, Qt.MouseButton.LeftButton, pos=near.toPoint())
    press(Qt.Key.Key_Return)
    QTest.mouseClick(surface, Qt.MouseButton.LeftButton, pos=surface._thumbs()["picture_3"].center().toPoint())
    assert session.measuring.current() == "picture_3"
    press(Qt.Key.Key_F8, Qt.Key.Key_Return)
    for _ in range(3):
        press(Qt.Key.Key_F8)
        press(Qt.Key.Key_Return)
    found = session.measuring.findings()
    assert all(f.verdict is not Verdict.UNRESOLVED for f in found)
    assert "A pixel is" in shown(page)
    assert "21.0 µm" in shown(page)
    session.sign()
    assert states(window.shop, "swift", HERE) == [State.IN, State.IN]
    assert record_of(window.shop, session.context.kept.id).startswith(b"%PDF")


def test_a_wrong_offset_is_corrected_and_the_next_pictures_say_so(window: MainWindow) -> None:
    rng = random.Random(3)
    for q, mm in zip(HERE, (44.31, -3.18), strict=True):
        window.shop.put_value("swift", q, StoredAmount(q, "mm", round(mm + rng.choice((-0.7, 0.9)), 2)), "typed")
    page, _ = begun(window)
    session = page.model.session
    read_all(session)
    assert {f.verdict for f in session.measuring.findings()} == {Verdict.OUT}
    assert "The camera really sits" in shown(page)
    click(page, "To Correct")
    correct_all(session)
    click(page, "To Confirm")
    cut(session)
    read_all(session)
    assert {f.verdict for f in session.measuring.findings()} == {Verdict.IN}
    assert "The camera really sits" not in shown(page)
