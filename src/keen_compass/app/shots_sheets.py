"""Views of sheets and of what is beside a tool, for `--shots`."""

from __future__ import annotations

import tempfile
from pathlib import Path

from keen_compass.app.fit.page import FitPage
from keen_compass.app.mounting import mount
from keen_compass.app.round.match_surface import MatchSurface
from keen_compass.app.trouble.page import TroublePage
from keen_compass.app.window import MainWindow
from keen_compass.practice import paper, stand_in
from keen_compass.practice.playing import cut, read_all
from keen_compass.procedures.stages import Stage
from keen_compass.rounds import RoundSession

SIGN = """<svg xmlns="http://www.w3.org/2000/svg" width="200mm" height="280mm" viewBox="0 0 200 280">
<path id="marks" d="M10 5V15M5 10H15M190 5V15M185 10H195M190 265V275M185 270H195M10 265V275M5 270H15"/>
<path d="M40 60H160V220H40Z"/><path d="M100 80L112 120L150 130L112 142L100 200L88 142L50 130L88 120Z"/>
<path d="M100 130m-12 0a12 12 0 1 0 24 0a12 12 0 1 0 -24 0"/></svg>
"""


def session_in(window: MainWindow) -> RoundSession:
    session: RoundSession = window.round_page.model.session  # type: ignore[union-attr]
    return session


def begin(window: MainWindow, procedure: str, quantity: str = "", machine: str = "heron") -> None:
    window.show_rose(machine)
    window.begin(procedure, quantity)


def _sheet(window: MainWindow, procedure: str, quantity: str, marks: int, **chosen: object) -> RoundSession:
    """A sheet on Kingfisher that is printed, loaded and aimed at so many marks."""
    begin(window, procedure, quantity, "kingfisher")
    session = session_in(window)
    for name, value in chosen.items():
        session.making.choose_option(name, value)
    sheets = session.making.sheets
    sheets.printed()
    sheets.measured(*(paper.shows_bars(session) or ("", "")))
    sheets.loaded(str(sheets.number()))
    for mark in range(marks):
        sheets.aim(mark, paper.shows_mark(session) or "")
    return session


def sheet_aimed_at(window: MainWindow) -> None:
    _sheet(window, "pointer", "sensor_x", 2)


def wrong_print(window: MainWindow) -> None:
    """A print dialog that fitted the page."""
    begin(window, "pointer", "sensor_x", "kingfisher")
    sheets = session_in(window).making.sheets
    sheets.printed()
    sheets.measured("97.3 mm", "97.4 mm")


def matched_sheet(window: MainWindow) -> None:
    """What was drawn beside the third target, half placed."""
    session = session_in(window)
    sheets = session.making.sheets
    while (mark := sheets.next_mark()) is not None:
        sheets.aim(mark, paper.shows_mark(session) or "")
    cut(session)
    read_all(session, 4)
    surface = window.round_page.measure.surface  # type: ignore[union-attr]
    assert isinstance(surface, MatchSurface)
    surface.move_by(0.5, -0.1)


def verniers_read(window: MainWindow) -> None:
    session_in(window).give_up("With verniers it is told better")
    _sheet(window, "pointer", "sensor_x", 4, read="vernier")
    matched_sheet(window)


def sheet_itself(window: MainWindow) -> None:
    """The stand-in’s sheet itself."""
    surface = window.round_page.measure.surface  # type: ignore[union-attr]
    assert isinstance(surface, MatchSurface)
    surface.look.click()


def from_picture(window: MainWindow) -> None:
    """What was found in a photo of it."""
    window.round_page.measure.photo.practice.click()  # type: ignore[union-attr]


def registered(window: MainWindow) -> None:
    """Four marks are found, the last of them badly aimed at."""
    session = _sheet(window, "registration", "registration", 0)
    cut(session)
    read_all(session, 3)
    x, y = map(float, (stand_in.shows(session) or "0 0").split())
    session.measuring.type(f"{x + 1.3:.2f} {y:.2f}")
    session.measuring.keep()


def second_tool(window: MainWindow) -> None:
    """Two scales, the last pair half chosen."""
    begin(window, "second-tool", "second_tool_x", "kingfisher")
    session = session_in(window)
    session.making.choose_option("way", "vernier")
    cut(session)
    read_all(session, 3)
    session.measuring.type(stand_in.shows(session) or "")


def gaps_beside(window: MainWindow) -> None:
    """Lines astride a cut, and an accessory that came back without its numbers."""
    session = session_in(window)
    session.give_up("With the scoring tip instead")
    mount(window, fitted={"accessory": "scoring-tip"})
    begin(window, "second-tool", "second_tool_x", "kingfisher")
    session = session_in(window)
    session.making.choose(chosen={})
    cut(session)
    read_all(session)


def put_back(window: MainWindow) -> None:
    session_in(window).give_up("Its own numbers go in first")
    window.show_rose("kingfisher")


def camera_pictures(window: MainWindow) -> None:
    """Two pictures are read, the third one was taken."""
    mount(window, fitted={"accessory": "felt-pen"})
    begin(window, "camera", "camera_x", "swift")
    session = session_in(window)
    cut(session)
    read_all(session, 2)
    stand_in.take(session)


def what_is_wrong(window: MainWindow) -> None:
    """Parts of Heron are too large, and what it cuts does not close."""
    window.show_rose("heron")
    window.go_to("wrong")
    page = window.places.currentWidget()
    assert isinstance(page, TroublePage)
    for what in ("outside_size", "does_not_meet"):
        page.tiles[what].setChecked(True)
    page.details["outside_size"].by.setText("0.4")
    page.details["outside_size"].on.setText("300")
    page.refresh()


def fitted_file(window: MainWindow) -> None:
    """A sign from a design program on a print that lies turned: the last mark is aimed at next."""
    window.show_rose("kingfisher")
    window.go_to("fit")
    page = window.places.currentWidget()
    assert isinstance(page, FitPage)
    file = Path(tempfile.gettempdir()) / "harbour-sign.svg"
    file.write_text(SIGN)
    page.open(file)
    assert page.fitting is not None
    for _ in page.fitting.marks[:3]:
        page.type_practice()


def print_scale(window: MainWindow) -> None:
    """Ticks over a print: two passes of both distances."""
    session = _sheet(window, "print-scale", "print_scale_x", 4)
    cut(session)
    read_all(session, 4)


def over_print(window: MainWindow) -> None:
    """The crosses of the same sheet."""
    read_all(session_in(window), 7)


def proof_dries(window: MainWindow) -> None:
    """The garden label is printed and waits."""
    begin(window, "proof", "proof", "kingfisher")


def proof_job(window: MainWindow) -> None:
    """Its artwork, print and cut together."""
    session_in(window).making.sheets.go(Stage.ARTWORK)


def proof_verdict(window: MainWindow) -> None:
    """Cut where it was printed, its border read all round."""
    session = session_in(window)
    cut(session)
    read_all(session)


def feed_bands(window: MainWindow) -> None:
    begin(window, "media-feed", "media_feed", "kingfisher")
    session = session_in(window)
    cut(session)
    session.measuring.type(stand_in.shows(session) or "")


def blade_row(window: MainWindow) -> None:
    begin(window, "drag-blade", "drag", "swift")
    session = session_in(window)
    cut(session)
    session.measuring.type(stand_in.shows(session) or "")
