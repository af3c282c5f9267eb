"""The shop-floor view: only the current callout, the number and the verdict, readable from three metres."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QFont
from PySide6.QtWidgets import QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import STATE_COLOUR, VERDICT_STATE, Card, Line, StateSign, Text
from keen_compass.app.round import words
from keen_compass.app.round.answer import short_names
from keen_compass.app.round.callout import CalloutEdit
from keen_compass.app.round.floor_picture import FloorPicture
from keen_compass.app.round.model import RoundModel
from keen_compass.app.round.piece_canvas import seen_from
from keen_compass.language import tr
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.families import Lives
from keen_compass.words.doing import doing_in_words
from keen_compass.words.say import capital, say, show_for

NAME, NUMBER, ANSWER = 48, 150, 46  # px


class FloorView(QWidget):
    """Typed into like a callout; everything else is the round behind it."""

    def __init__(self, model: RoundModel) -> None:
        super().__init__()
        self._model = model
        self._name = Line("", NAME, bold=True)
        self._complaint = Text("", 30, "bad", bold=True)
        self.edit = CalloutEdit(self)
        face = QFont(th.font(NUMBER, bold=True))
        self.edit.setFont(face)
        self.edit.setMinimumHeight(round(NUMBER * 1.25))
        self.picture = FloorPicture()
        self._answers = {q: _Answer() for q in model.session.context.procedure.yields}
        layout = QVBoxLayout(self)
        layout.setContentsMargins(36, 24, 36, 24)
        layout.addWidget(self._name)
        beside = QHBoxLayout()
        beside.addWidget(self.picture, 2)
        beside.addWidget(self.edit, 3)
        layout.addLayout(beside, 1)
        layout.addWidget(self._complaint)
        for answer in self._answers.values():
            layout.addWidget(answer)
        foot = Text(
            tr("Enter saves it · Backspace in an empty field takes the last one back · F12 or Escape closes this view"),
            17,
            "soft",
        )
        layout.addWidget(foot)

    def refresh(self) -> None:
        """Show the current callout and the verdicts."""
        session = self._model.session
        callout = next((c for c in session.measuring.callouts() if c.current), None)
        self.edit.setReadOnly(callout is None)
        if callout:
            done = len(callout.readings) + 1
            of = max(callout.wanted, done)
            count = tr(", {done} of {of}", done=done, of=of) if of > 1 else ""
            self._name.say(f"{capital(say(callout.measurand.label))}{count}")
            self.edit.setAccessibleName(tr("{label}, the shop-floor view", label=say(callout.measurand.label)))
        else:
            self._name.say(tr("All read"))
            self.edit.setAccessibleName(tr("All read"))
        measuring = session.measuring
        if session.context.piece:
            self.picture.show_piece(
                measuring.shape(),
                measuring.seen(),
                callout.measurand if callout else None,
                seen_from(session.context.machine.standpoint, turned=measuring.turned),
            )
        text = callout.draft if callout else "✓"
        self.edit.setPlaceholderText(callout.readings[-1].text if callout and callout.readings else "")
        if self.edit.text() != text:
            self.edit.setText(text)
        self._complaint.say(callout.complaint if callout else "")
        solution = session.measuring.answer()
        machine, yields = session.context.machine, session.context.yields
        names = dict(zip(yields, short_names(yields), strict=True))
        for quantity, answer in self._answers.items():
            finding = solution.finding(quantity) if solution else None
            finding = session.context.procedure.for_logbook(finding) if finding else None
            answer.setVisible(finding is not None)
            if finding:
                new = finding.new if finding.verdict != "in" else finding.old
                stored = session.context.values().get(quantity)
                number = (
                    words.number(stored, new, machine.place(quantity).decimals) if new is not None and stored else ""
                )
                if QUANTITIES[quantity].lives is Lives.BY_HAND:
                    number = doing_in_words(finding, show_for(machine, quantity))[0]
                answer.show_answer(names[quantity], words.headline(finding, machine), number, finding.verdict)


class _Answer(Card):
    """Letter or name, verdict, number."""

    def __init__(self) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self._sign = StateSign(size=56)
        self._letter = Text("", ANSWER, bold=True)
        self._words = Text("", ANSWER, bold=True)
        self._number = Text("", ANSWER, bold=True)
        self._number.setAlignment(Qt.AlignmentFlag.AlignRight)
        for label in (self._letter, self._words, self._number):
            label.setWordWrap(False)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(20, 8, 24, 8)
        layout.setSpacing(22)
        layout.addWidget(self._letter)
        layout.addWidget(self._sign)
        layout.addWidget(self._words, 1)
        layout.addWidget(self._number)

    def show_answer(self, name: str, headline: str, number: str, verdict: object) -> None:
        """The verdict in large letters."""
        self._letter.say(name)
        state = VERDICT_STATE[verdict]  # type: ignore[index]
        self._sign.show_state(state)
        self._words.say(headline, STATE_COLOUR[state])
        self._number.say(number)
