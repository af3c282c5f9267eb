"""What is handed out on paper, read back by another reader: texts, codes, sizes; and printed from the window."""

from __future__ import annotations

import io
import re
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
import pypdfium2
import pytest
import zxingcpp
from PIL import Image
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtWidgets import QApplication

from driving import click, press, shown, until
from keen_compass.app.paper import PaperDialog
from keen_compass.app.window import MainWindow
from keen_compass.errors import InputError
from keen_compass.formats.worksheet_picture import read_boxes
from keen_compass.practice import stand_in
from keen_compass.practice.playing import cut
from keen_compass.reports.label import SIZES, code_of, label
from keen_compass.reports.shop_report import shop_report
from keen_compass.reports.worksheet import layout_of, worksheet
from keen_compass.rounds import RoundSession
from keen_compass.shop.standing import State, spokes
from keen_compass.shop.store import Shop
from keen_compass.standin.photo import Camera, Ink, drawn_on, printed, taken
from keen_compass.words.say import say, show_for
from looks import check_looks, settle

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
    code = f"KC worksheet {session.context.kept.id} {piece.number} 1"
    assert sorted(codes(pdf)) == [f"{code} {end}" for end in ("head", "left", "right")]
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


def _picture_of(pdf: bytes) -> bytes:
    out = io.BytesIO()
    with pypdfium2.PdfDocument(pdf) as document:
        document[0].render(scale=4).to_pil().save(out, "PNG")
    return out.getvalue()


PHONES = [
    Camera(px_per_mm=6.0, blur=0.7),
    Camera(px_per_mm=6.0, turn=4.0, tilt=(7.0, -6.0), bends=0.01, light=0.2, shadow=0.1, dust=8),
    Camera(px_per_mm=7.0, turn=183.0, tilt=(-4.0, 5.0), curl=1.0, noise=5.0),
]


def filled_in(session: RoundSession, phone: Camera) -> list[bytes]:
    """Its pages, printed, written on, photographed: each box bears as many strokes as its number."""
    layout, pages = layout_of(session), []
    with pypdfium2.PdfDocument(worksheet(session)) as document:
        for number in range(1, len(document) + 1):
            with pypdfium2.PdfDocument.new() as alone:
                alone.import_pages(document, [number - 1])
                out = io.BytesIO()
                alone.save(out)
            lines = []
            for i, box in enumerate(layout.boxes, 1):
                (x, y), (_, h) = box.corner, box.size
                at = [x + 2.5 + 2.2 * k for k in range(i % 9 + 1)] if box.page == number else []
                lines += [[(u, y + 0.2 * h), (u, y + 0.8 * h)] for u in at]
            written = drawn_on(printed(out.getvalue(), phone.px_per_mm), lines, Ink(width=0.6), 3)
            pages.append(taken(written, phone, number))
    return pages


def strokes(picture: Image.Image) -> int:
    """That stand in the middle of what was cut out."""
    row, rim = np.asarray(picture.convert("L"), float)[picture.height // 2], round(0.23 * picture.height)
    dark = row[rim:-rim] < 0.6 * np.median(row)
    return int(np.count_nonzero(np.diff(dark.astype(int)) == 1)) + int(dark[0])


@pytest.mark.parametrize(("procedure", "phone"), [*(("rectangle", p) for p in PHONES), ("travel-run", PHONES[1])])
def test_what_is_written_on_a_worksheet_is_found_in_a_photo(shop: Shop, procedure: str, phone: Camera) -> None:
    """Of every page, whichever way round, seen askew."""
    session = measured(shop, procedure)
    layout = layout_of(session)
    written = {}
    for page in filled_in(session, phone):
        written |= read_boxes(page, layout, "worksheet.jpg")
    assert list(written) == [(box.measurand, box.count) for box in layout.boxes]
    for i, png in enumerate(written.values(), 1):
        assert strokes(Image.open(io.BytesIO(png))) == i % 9 + 1


def test_a_photographed_worksheet_is_typed_field_by_field(window: MainWindow, tmp_path: Path) -> None:
    window.show_rose("heron")
    window.begin("rectangle")
    page = window.round_page
    assert page is not None
    session = page.model.session
    cut(session)
    session.measuring.identify("")
    settle()
    (photo,) = filled_in(session, PHONES[1])
    (tmp_path / "sheet.jpg").write_bytes(photo)
    (tmp_path / "other.png").write_bytes(_picture_of(label(window.shop, window.shop.machine("heron"), "102 × 51")))
    bar = page.measure.paper
    press(Qt.Key.Key_F4)
    press(str(tmp_path / "other.png"), Qt.Key.Key_Return)
    assert "machine heron, not this one" in shown(page)
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(tmp_path / "sheet.jpg"))])
    none = Qt.KeyboardModifier.NoModifier
    bar.dropEvent(QDropEvent(QPointF(20, 20), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, none))
    until(bar._box.isVisible)
    places = [(box.measurand, box.count) for box in layout_of(session).boxes]
    for _ in range(4):
        current = session.measuring.next_reading()
        assert current is not None
        assert f"reading {current[1] + 1}" in bar._box.accessibleName()
        i = 1 + places.index((current[0].name, current[1]))
        assert strokes(Image.fromqpixmap(bar._box.pixmap())) == i % 9 + 1
        page.measure.take_focus()
        press(stand_in.shows(session) or "", Qt.Key.Key_Return)
        settle()
    check_looks(window, (window.width(), window.height()))
    click(page, "Put it away")
    assert not bar.isVisible()
