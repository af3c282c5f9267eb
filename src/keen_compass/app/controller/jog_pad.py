"""Moving by hand: where it is, large; steps in the directions that the technician sees; a big stop."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QButtonGroup, QGridLayout, QHBoxLayout, QSizePolicy, QVBoxLayout

from keen_compass.app import theme as th
from keen_compass.app.parts import ARROWS, Button, Card, Line, Text
from keen_compass.app.port_link import LinkState, PortLink
from keen_compass.errors import PortError
from keen_compass.language import tr, written
from keen_compass.machines.profile import Machine
from keen_compass.quantities.lengths import UNITS_MM
from keen_compass.words.say import show_for

STEPS = {"mm": (10.0, 1.0, 0.1, 0.01), "in": (1.0, 0.1, 0.01, 0.001)}  # in the unit that is shown
FEED = 1000.0  # mm/min
MOST_WAITING = 3  # steps that are asked for before the last one is answered
MOST_LOOKS = 400  # until it stands still, before nobody waits any more
LOOK = 250  # ms between two looks at where it is
SIGNS = {Qt.Key.Key_Up: "▲", Qt.Key.Key_Down: "▼", Qt.Key.Key_Left: "◀", Qt.Key.Key_Right: "▶"}


class JogPad(Card):
    """Takes arrow keys, Page Up and Page Down for Z; Space and Escape stop; `entered` carries X and Y where Enter was
    pressed, mm. at: by axis, mm, as far as it is known where the machine stands.
    """

    entered = Signal(float, float)

    def __init__(self, link: PortLink, machine: Machine, *, small: bool = False) -> None:
        """small: beside something else; without words, without Z."""
        super().__init__()
        self._small = small
        self._link, self._machine, self._show = link, machine, show_for(machine)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Move it by hand: arrow keys; Space stops"))
        self.place = Line("", 34, bold=True)
        self._means = Text(colour="soft")
        self.steps = QButtonGroup(self)
        self.stop = Button(tr("STOP"), link.stop, "stop")
        self.stop.setAccessibleName(tr("Stop at once"))
        self.stop.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.stop.setFont(th.font(30, bold=True))
        self._pad: dict[Qt.Key, Button] = {}
        self.at: dict[str, float] = {}
        self._lay_out()
        self._looking = QTimer(self)
        self._looking.setInterval(LOOK)
        self._looking.timeout.connect(self._look)
        link.changed.connect(self.refresh)
        self.refresh()

    def _lay_out(self) -> None:
        steps = QHBoxLayout()
        units = self._show.units
        for i, step in enumerate(STEPS[units]):
            button = Button(written(f"{step:g} {units}"), self.refresh, "quiet")
            button.setAccessibleName(tr("Steps of {step:g} {units}", step=step, units=units))
            button.setCheckable(True)
            button.setChecked(i == 1)
            self.steps.addButton(button, i)
            steps.addWidget(button)
        if self._small:
            self._lay_out_small(steps)
            return
        pad = QGridLayout()
        pad.setSpacing(6)
        for key, (row, column) in {
            Qt.Key.Key_Up: (0, 1),
            Qt.Key.Key_Left: (1, 0),
            Qt.Key.Key_Right: (1, 2),
            Qt.Key.Key_Down: (1, 1),
        }.items():
            self._pad[key] = self._step_button(SIGNS[key], key)
            pad.addWidget(self._pad[key], row, column)
        for key, sign, (row, column) in ((Qt.Key.Key_PageUp, "Z ▲", (0, 3)), (Qt.Key.Key_PageDown, "Z ▼", (1, 3))):
            self._pad[key] = self._step_button(sign, key)
            pad.addWidget(self._pad[key], row, column)
        pad.addWidget(self.stop, 0, 4, 2, 1)
        pad.setColumnStretch(4, 2)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 10, 16, 12)
        layout.setSpacing(8)
        layout.addWidget(self.place)
        layout.addLayout(steps)
        layout.addLayout(pad)
        layout.addWidget(self._means)

    def _lay_out_small(self, steps: QHBoxLayout) -> None:
        """Three low rows of keys, for a low window."""
        pad = QHBoxLayout()
        for key, sign in SIGNS.items():
            self._pad[key] = self._step_button(sign, key)
            pad.addWidget(self._pad[key], 1)
        pad.addWidget(self.stop, 2)
        self.stop.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.stop.setFont(th.font(th.VERDICT, bold=True))
        self.place.setFont(th.font(th.TITLE, bold=True))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 6, 10, 8)
        layout.setSpacing(6)
        for row in (steps, pad):
            row.setSpacing(6)
        layout.addWidget(self.place)
        layout.addLayout(steps)
        layout.addLayout(pad)

    def _step_button(self, sign: str, key: Qt.Key) -> Button:
        button = Button(sign, partial(self._move, key, 1.0), "")
        button.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # the pad itself has the keyboard
        return button

    def showEvent(self, event: object) -> None:
        """Look where it is while someone looks."""
        super().showEvent(event)  # type: ignore[arg-type]
        self._looking.start()

    def hideEvent(self, event: object) -> None:
        """Stop asking where the head is."""
        super().hideEvent(event)  # type: ignore[arg-type]
        self._looking.stop()

    def refresh(self) -> None:
        """What can be done now."""
        link = self._link
        can = link.ready and link.dialect is not None and bool(link.dialect.jog)
        has_z = self._machine.z_travel > 0
        for key, button in self._pad.items():
            button.setEnabled(can)
            button.setVisible(has_z or key in ARROWS)
        self.stop.setEnabled(link.state in (LinkState.READY, LinkState.BUSY, LinkState.RUNNING))
        for choice in self.steps.buttons():
            choice.setEnabled(can)
        s = self._machine.standpoint
        if not self._small:
            self._means.say(
                tr(
                    "Arrow keys as you see it: +X {words}, +Y {y_words}. Shift: ten times the step; Space stops.",
                    words=s.words("x", 1),
                    y_words=s.words("y", 1),
                )
            )
        self._show_place()

    def step(self) -> float:
        """How far one press moves the head, mm."""
        return UNITS_MM[self._show.units] * STEPS[self._show.units][self.steps.checkedId()]

    def _show_place(self) -> None:
        if not self._link.ready and self._link.state is not LinkState.RUNNING:
            self.at = {}
        said = "   ".join(f"{axis.upper()} {self._show.number(mm, 3)}" for axis, mm in self.at.items())
        self.place.say(
            f"{said} {self._show.units}" if said else tr("Not connected: position unknown"), "ink" if said else "soft"
        )

    def _look(self) -> None:
        link = self._link
        trouble = link.trouble
        if trouble is not None and not (isinstance(trouble, PortError) and trouble.kind == "stopped"):
            return  # it stays on the screen until something goes well again
        if link.state is LinkState.READY and link.dialect is not None and link.dialect.ask_position:
            link.position(self._stands)

    def _stands(self, at: dict[str, float]) -> None:
        self.at = at
        self._show_place()

    def _move(self, key: Qt.Key, times: float) -> None:
        """One step; while the last one is still being asked for, none is added."""
        link, step = self._link, self.step() * times
        if not self._pad[key].isEnabled() or link.pending >= MOST_WAITING:
            return
        if key in ARROWS:
            right, away = ARROWS[key]
            x, y = self._machine.standpoint.to_machine(right, away)
            axis, distance = ("x", step * x) if x else ("y", step * y)
        else:
            axis, distance = "z", step if key == Qt.Key.Key_PageUp else -step
        link.jog(axis, distance, FEED, self._stands)

    def enter(self) -> None:
        """Here it is: once it shows the same place twice, because it may still be moving when Enter is pressed."""
        self._taken(None, MOST_LOOKS)

    def _taken(self, before: dict[str, float] | None, looks: int) -> None:
        def stands(at: dict[str, float]) -> None:
            self._stands(at)
            if at == before and "x" in at and "y" in at:
                self.entered.emit(at["x"], at["y"])
            elif looks:
                QTimer.singleShot(LOOK // 2, self, lambda: self._taken(at, looks - 1))

        if self._link.ready:
            self._link.position(stands)
        elif looks and self._link.state is LinkState.BUSY:
            QTimer.singleShot(LOOK // 2, self, lambda: self._taken(before, looks - 1))

    def go_to(self, x: float, y: float) -> None:
        """To a place, one axis after the other, mm; from where it is known to stand."""
        for axis, to in (("x", x), ("y", y)):
            if axis in self.at and (by := round(to - self.at[axis], 3)):
                self._link.jog(axis, by, FEED, self._stands)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows move, Space and Escape stop."""
        key = Qt.Key(event.key())
        if key in (Qt.Key.Key_Space, Qt.Key.Key_Escape) and self.stop.isEnabled():
            self._link.stop()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.enter()
        elif key in self._pad and not event.isAutoRepeat():
            self._move(key, 10.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0)
        else:
            super().keyPressEvent(event)
            return
        event.accept()
