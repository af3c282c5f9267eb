"""*Bring together*: this shop and those of other seats, through a folder; what disagrees is asked, one by one."""

from __future__ import annotations

import platform
import secrets
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QFileDialog

from keen_compass.app.round.words import day_and_time
from keen_compass.app.waiting import Dropped, Waiting
from keen_compass.errors import KeenCompassError
from keen_compass.language import tr, tr_n
from keen_compass.procedures import understands
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.shop.exchange import Apart
from keen_compass.shop.joining import Brought, bring_together

if TYPE_CHECKING:
    from keen_compass.app.window import MainWindow

FOLDER, SEAT = "together/folder", "together/seat"  # what is remembered


def choose_folder(window: MainWindow) -> None:
    """The folder that all seats see; the one of the last time is proposed."""
    before = str(QSettings().value(FOLDER, "") or window.shop.file.parent)
    name = QFileDialog.getExistingDirectory(window, tr("Folder that all seats see"), before)
    if name:
        QSettings().setValue(FOLDER, name)
        join_in(window, Path(name))


def seat() -> str:
    """What this computer is called among the others: its name, and something that no other has."""
    known = str(QSettings().value(SEAT, ""))
    if not known:
        known = f"{platform.node() or 'seat'} {secrets.token_hex(3)}"
        QSettings().setValue(SEAT, known)
    return known


def join_in(window: MainWindow, folder: Path) -> None:
    """Take over, write our own, say what came, ask what disagrees."""
    if window.shop.read_only:
        window.say(window.shop.why_read_only)
        return
    if window.stays():
        return
    waiting = Waiting(tr("Logbooks of the other seats are read"))
    try:
        brought = bring_together(window.shop, folder, seat(), understands, waiting.show_share)
    except Dropped:
        window.say(tr("Stopped: what was read up to then is kept; nothing was written for the others."))
        return
    except KeenCompassError as error:
        window.say(str(error))
        return
    finally:
        waiting.end()
    window.back()
    window.say(said(brought))
    ask(window, list(brought.apart))


def said(brought: Brought) -> str:
    """What came, and what was refused."""
    others = ", ".join(brought.seats)
    rounds = tr_n("{n} round", "{n} rounds", brought.rounds)
    words = (
        tr("{rounds} came or went on, from {others}.", rounds=rounds, others=others)
        if brought.rounds
        else tr("No round was new at {others}.", others=others)
    )
    words = words if others else tr("No other seat has been here yet.")
    refused = [tr("{file} can’t be used: {why}.", file=file, why=why) for file, why in brought.refused]
    return " ".join([words, tr("This shop’s logbook lies there for the others now."), *refused])


def ask(window: MainWindow, apart: list[tuple[str, Apart]]) -> None:
    """Which of two numbers the controller holds; the newer one counts unless someone says otherwise."""
    while apart:
        name, one = apart.pop(0)
        machine = next((m for m in window.shop.machines() if m.uid == one.machine), None)
        if machine is None:
            continue
        decimals = machine.place(one.quantity).decimals
        here, there = (stored.text(decimals) for _, stored in (one.here, one.there))
        newer_here = one.here[0] > one.there[0]
        go_on, older = partial(ask, window, apart), partial(_set, window, one, apart)
        answers = [
            (tr("{here} (here)", here=here), go_on if newer_here else older),
            (f"{there} ({name})", older if newer_here else go_on),
        ]
        window.ask(
            tr(
                "{name}, {label}: {here} was set here on {moment}, {there} at {name2} on "
                "{moment2}. Which does the controller hold?",
                name=machine.name,
                label=QUANTITIES[one.quantity].label,
                here=here,
                moment=day_and_time(one.here[0]),
                there=there,
                name2=name,
                moment2=day_and_time(one.there[0]),
            ),
            answers if newer_here else answers[::-1],
        )
        return


def _set(window: MainWindow, one: Apart, apart: list[tuple[str, Apart]]) -> None:
    """The older number is in the controller: it is set once more."""
    older = min(one.here, one.there, key=lambda side: side[0])[1]
    try:
        window.shop.put_value_of(one.machine, one.quantity, one.subject, older, "typed")
    except KeenCompassError as error:
        window.say(str(error))
    window.back()
    ask(window, apart)
