"""What is handed out on paper, read back by another reader: texts, codes, sizes; and printed from the window."""

from __future__ import annotations

import io
import re
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pypdfium2
import pytest
import zxingcpp
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication

from driving import click, press, shown
from keen_compass.app.paper import PaperDialog
from keen_compass.app.window import MainWindow
from keen_compass.errors import InputError
from keen_compass.practice.playing import cut
from keen_compass.reports.label import SIZES, code_of, label
from keen_compass.reports.shop_report import shop_report
from keen_compass.reports.worksheet import worksheet
from keen_compass.rounds import RoundSession
from keen_compass.shop.standing import State, spokes
from keen_compass.shop.store import Shop
from keen_compass.words.say import say, show_for

POINT = 25.4 / 72  # mm


def texts(pdf: bytes) -> str:
    with pypdfium2.PdfDocument(pdf) as document:
        return "\n".join(page.get_textpage().get_text_bounded() for page in document)


def codes(pdf: bytes) -> list[str]:
    with pypdfium2.PdfDocument(pdf) as document:
        picture = document[0].render(scale=4).to_pil()
    return [found.text for found in zxingcpp.read_barcodes(picture)]


def size_of(pdf: bytes) -> tuple[float, float]:
    with pypdfium2.PdfDocument(pdf) as document:
        wide, high = document[0].get_size()
    return wide * POINT, high * POINT


def measured(shop: Shop, procedure: str, quantity: str = "") -> RoundSession:
    session = RoundSession.begin(shop, shop.machine("heron"), procedure, quantity)
    cut(session)
    return session


@pytest.mark.parametrize("procedure", ["rectangle", "kerf-square", "squareness", "travel-run"])
def test_a_worksheet_asks_in_the_order_of_the_screen(shop: Shop, procedure: str) -> None:
    session = measured(shop, procedure)
    pdf = worksheet(session)
    said = texts(pdf)
    assert "Heron" in said
    piece = session.context.piece
    assert piece is not None
    assert codes(pdf) == [f"KC worksheet {session.context.kept.id} {piece.number}"]
    table = said[said.index("Reading") :].replace("\r\n", " ")
    at = 0
    for number, m in enumerate(session.measuring.measurands(), 1):
        at = table.index(f"{number} {say(m.label, show_for(session.context.machine))}", at) + 1
    assert b"/FontFile2" in pdf  # letters come along


def test_in_inches_a_worksheet_has_inches(shop: Shop) -> None:
    shop.put_machine(replace(shop.machine("heron"), units="in", controller_units="in"))
    session = measured(shop, "rectangle")
    assert session.context.instrument is not None
    said = texts(worksheet(session)).replace(session.context.instrument.name, "")
    assert " in" in said
    assert not re.search(r"\d mm", said)


@pytest.mark.parametrize("size", list(SIZES))
def test_a_label_is_true_to_size_and_says_what_is_in(shop: Shop, size: str) -> None:
    machine = shop.machine("kingfisher")
    pdf = label(shop, machine, size)
    assert size_of(pdf) == pytest.approx(SIZES[size], abs=0.1)
    assert codes(pdf) == [code_of(machine)]
    said = texts(pdf)
    assert said.startswith("Kingfisher")
    inside = [s for s in spokes(shop, machine) if s.state is State.IN and s.finding and s.finding.old is not None]
    lines = [line for line in said.splitlines() if "±" in line]
    more = re.search(r"and (\d+) more", said)
    assert len(lines) + int(more[1] if more else 0) == len(inside)
    with pypdfium2.PdfDocument(pdf) as document:
        page = document[0].get_textpage()
        boxes = [page.get_rect(i) for i in range(page.count_rects())]
    wide, high = SIZES[size]
    assert all(x0 > 0 and x1 < wide / POINT and y0 > 0 and y1 < high / POINT for x0, y0, x1, y1 in boxes)


def test_of_a_machine_with_nothing_in_there_is_no_label(shop: Shop) -> None:
    bare = replace(shop.machine("swift"), uid="tern", name="Tern", tools=(), mounted="", fittings=(), fitted={})
    shop.put_machine(bare)
    with pytest.raises(InputError, match="Nothing of Tern is in tolerance"):
        label(shop, shop.machine("tern"), "89 × 36")


def test_a_report_has_every_machine_and_what_happened(shop: Shop) -> None:
    now = datetime.now(UTC)
    said = " ".join(texts(shop_report(shop, "Lantern Quay", now - timedelta(60))).split())
    for machine in shop.machines():
        assert f"{machine.name}, {machine.kind.said}:" in said
    assert "Round signed" in said
    before = " ".join(texts(shop_report(shop, "Lantern Quay", now - timedelta(hours=1))).split())
    assert before.count("Round signed") < said.count("Round signed")


def test_from_the_window_by_keyboard(window: MainWindow, tmp_path: Path) -> None:
    window.show_rose("kingfisher")
    press(Qt.Key.Key_P, modifier=Qt.KeyboardModifier.ControlModifier)
    dialog = next(w for w in QApplication.topLevelWidgets() if isinstance(w, PaperDialog) and w.isVisible())
    assert [dialog.what.itemText(i) for i in range(dialog.what.count())] == ["Label for Kingfisher", "Shop report"]
    for what, name in (("label", "label.pdf"), ("report", "report.pdf")):
        dialog.what.setCurrentIndex(dialog.what.findData(what))
        assert dialog.label_size.isVisible() is (what == "label")
        dialog.file.setText(str(tmp_path / name))
        click(dialog, "Write PDF")
        assert f"Written: {tmp_path / name}" in shown(dialog)
        assert texts((tmp_path / name).read_bytes())
    dialog.file.setText(str(tmp_path))
    click(dialog, "Write PDF")
    assert "Written" not in shown(dialog)
    click(dialog, "Close")
    assert not dialog.isVisible()


def test_while_measuring_a_worksheet_comes_first(window: MainWindow) -> None:
    window.show_rose("heron")
    window.begin("rectangle")
    assert window.round_page is not None
    cut(window.round_page.model.session)
    press(Qt.Key.Key_P, modifier=Qt.KeyboardModifier.ControlModifier)
    dialog = next(w for w in QApplication.topLevelWidgets() if isinstance(w, PaperDialog) and w.isVisible())
    assert dialog.what.currentText() == "Worksheet for this piece"
    assert io.BytesIO(dialog._made()).read(5) == b"%PDF-"
    click(dialog, "Close")
