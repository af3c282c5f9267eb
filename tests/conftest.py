"""Fixtures: a demo shop built once and copied for every test that wants to change it."""

from __future__ import annotations

import gc
import os
import shutil
import tempfile
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings
from pytestqt.qtbot import QtBot

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["XDG_CONFIG_HOME"] = tempfile.mkdtemp(prefix="keen-compass-test-")  # window places are remembered there
os.environ["LANGUAGE"] = "en"  # whatever the machine speaks
os.environ["XDG_STATE_HOME"] = os.environ["XDG_CONFIG_HOME"]  # and reports are kept

import driving
from keen_compass.app.garbage import collect_what_is_due
from keen_compass.app.rose import next_piece
from keen_compass.app.window import MainWindow
from keen_compass.practice.shipped import open_demo
from keen_compass.shop.file import ShopFile
from keen_compass.shop.store import Shop

settings.register_profile("unhurried", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("unhurried")  # a busy machine is no failure
next_piece.AFTER = -1  # tests ask at once, or not at all
gc.disable()  # here, too, closed windows end in the window's thread, between events


@pytest.fixture(autouse=True)
def every_shop_is_closed(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """What a test opens it closes: Python 3.13 counts a forgotten database as a failure of whatever comes next."""
    opened: list[ShopFile] = []
    original = ShopFile.__init__

    def noted(self: ShopFile, file: Path) -> None:
        opened.append(self)
        original(self, file)

    monkeypatch.setattr(ShopFile, "__init__", noted)
    yield
    left = [f.file for f in opened if getattr(f, "_db", None) is not None]
    for shop_file in opened:
        if getattr(shop_file, "_db", None) is not None:
            shop_file.close()
    assert not left
    collect_what_is_due()


@pytest.fixture(scope="session")
def demo_file(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo shop, closed; not to be changed."""
    shop = open_demo(tmp_path_factory.mktemp("demo"))
    shop.close()
    return shop.file


@pytest.fixture
def shop_file(demo_file: Path, tmp_path: Path) -> Path:
    """A copy of the demo shop's file."""
    return Path(shutil.copy(demo_file, tmp_path / "shop.kcshop"))


@pytest.fixture
def shop(shop_file: Path, request: pytest.FixtureRequest) -> Iterator[Shop]:
    """The demo shop, open; for modules that say so, Heron’s numbers stand in no file yet."""
    opened = Shop(shop_file)
    if getattr(request.module, "NO_FILES", False):
        opened.put_machine(replace(opened.machine("heron"), heads=(), spots={}))
    yield opened
    opened.close()


@pytest.fixture
def windows(qtbot: QtBot) -> Iterator[Callable[[Path], MainWindow]]:
    """Opens further windows, each on a file of its own or on one that another has; they and their shops are closed."""
    made: list[MainWindow] = []

    def another(file: Path) -> MainWindow:
        made.append(driving.opened(qtbot, Shop(file), active=False))
        return made[-1]

    yield another
    for one in made:
        one.close()


@pytest.fixture
def window(qtbot: QtBot, shop: Shop) -> Iterator[MainWindow]:
    """A window on the demo shop, with the keyboard; its round, if there is one, is closed at the end."""
    made = driving.opened(qtbot, shop)
    yield made
    made._close_round()
