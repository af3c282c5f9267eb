"""What is half typed in the callouts, and what it would be as a reading."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from keen_compass.errors import InputError, LengthError, ShopError
from keen_compass.language import tr
from keen_compass.machines.shown import length_unit
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.stages import Makes
from keen_compass.quantities.lengths import parse_length
from keen_compass.quantities.readings import (
    Kind,
    Picture,
    Reading,
    Spot,
    number_of,
    parse_count,
    parse_pick,
    parse_pixel,
    parse_spot,
)
from keen_compass.rounds.answers import Answers
from keen_compass.rounds.context import RoundContext
from keen_compass.shop.kept import PICTURE, KeptPiece, KeptReading
from keen_compass.shop.marks import Editing, Identified, PicturesTaken
from keen_compass.words.say import say

HALF_TYPED = (0.8, 1.25)  # a draft counts in the live answer only when this near to nominal
LONGEST_DRAFT = 200  # characters kept of a paste
HalfTyped = tuple[str, str, str | None, KeptReading | None, dict[str, str]]


@dataclass(frozen=True, slots=True)
class Callout:
    """One dimension line and what is on it.

    wanted: how often it is to be read.
    skipped: can't be read on this piece. current: takes what is typed next.
    draft, complaint: what is in it half typed, and what is wrong with it.
    doubtful: what was read of it doesn't fit the rest.
    """

    measurand: Measurand
    readings: tuple[KeptReading, ...]
    skipped: bool
    current: bool
    draft: str
    complaint: str
    wanted: int = 1
    doubtful: bool = False


class Typing(Answers):
    """The callouts, and what is being typed into them."""

    def __init__(self, context: RoundContext) -> None:
        super().__init__(context)
        self.draft, self.complaint = "", ""
        self._beside: dict[str, str] = {}  # what is half typed in others of the same place
        self._chosen: str | None = None  # a callout that the technician went to by hand
        self._editing: KeptReading | None = None
        self.turned = False  # the piece lies turned over, its lower edges are read
        piece = context.piece
        if piece and (kept := context.shop.draft(piece.id)):
            measurand, text = kept
            self.draft, *others = text.split("\n")
            self._beside = dict(line.split("=", 1) for line in others if "=" in line)
            self._chosen = measurand if measurand != self.current() else None
            self._editing = self._edited_before(piece)

    @property
    def editing(self) -> KeptReading | None:
        """The kept reading that the next one will replace."""
        return self._editing

    def remember(self) -> HalfTyped:
        """What is half typed, for `put_back`."""
        return self.draft, self.complaint, self._chosen, self._editing, dict(self._beside)

    def put_back(self, remembered: HalfTyped) -> None:
        """As it stood: what was done since was not kept."""
        self.draft, self.complaint, self._chosen, self._editing, self._beside = remembered

    def next_piece(self) -> None:
        """Another piece is on the screen: whatever stood half typed on the last one stays in the shop file."""
        self.turned = False
        self._forget_draft()

    @property
    def identified(self) -> bool:
        """Whether someone looked which piece this is; readings that are there say so too."""
        piece = self._c.piece
        return (
            piece is None
            or not self._c.procedure.on_stock.numbered
            or self._c.mark(Identified, piece.id) is not None
            or bool(self._by_measurand())
        )

    def identify(self, text: str) -> None:
        """The number on the piece in hand; empty where it has none. Raises InputError for another piece."""
        piece = self._c.piece
        given = text.strip()
        if piece is None:
            return
        if given and given != str(piece.number):
            raise InputError(
                tr(
                    "This round waits for piece {number}, and that one says {given}. Look for the other one, "
                    "or cut it again in Make.",
                    number=piece.number,
                    given=given[:12],
                )
            )
        self._c.put_mark(Identified(given), piece.id)

    def callouts(self, *, both_sides: bool = False) -> list[Callout]:
        """Every dimension line, with what is on it; of a piece that can be turned over those that are seen now."""
        if self._c.piece is None:
            return []
        readings, skipped, current = self._by_measurand(), self._skipped(), self.current()
        half_typed = self._half_typed()
        doubtful = {name for f in self.findings() for name in f.doubtful}
        return [
            Callout(
                m,
                tuple(readings.get(m.name, ())),
                m.name in skipped,
                m.name == current,
                half_typed.get(m.name, ""),
                self.complaint if m.name == current else "",
                self._wanted(m, readings.get(m.name, ())),
                m.name in doubtful,
            )
            for m in (self.measurands() if both_sides else self.seen())
        ]

    def seen(self) -> tuple[Measurand, ...]:
        """Of what is read on the piece shown, what lies upwards now."""

        def read() -> tuple[Measurand, ...]:
            asks, chosen = self._c.procedure.asks, self._c.chosen
            return tuple(m for m in self.measurands() if m.below is self.turned and asks(m, chosen))

        return self._c.steady(("seen", self.turned), read)

    @property
    def turns(self) -> bool:
        """Whether there is something to read on the other side."""
        return self._c.piece is not None and any(m.below for m in self.measurands())

    def turn_over(self) -> None:
        """Read the other side from now on; what stood half typed is kept, or gone."""
        self._forget_draft()
        self.turned = not self.turned
        self._c.typed()

    def current(self) -> str | None:
        """The measurand that takes the next reading: pass by pass; None when all passes are done."""
        if self._c.piece is None:
            return None
        if self._chosen:
            return self._chosen
        return self._c.remembered(("waiting", self.turned), self._waiting)

    def _waiting(self) -> str | None:
        """The first of those that have the fewest readings, and fewer than are wanted."""
        readings, skipped = self._by_measurand(), self._skipped()
        waiting = [
            (m.by_eye is not None, len(kept), i, m.name)
            for i, m in enumerate(self.seen())
            if m.name not in skipped and len(kept := readings.get(m.name, ())) < self._wanted(m, kept)
        ]
        return min(waiting)[-1] if waiting else None

    def _wanted(self, measurand: Measurand, readings: Sequence[KeptReading]) -> int:
        """An eye reads once, and a picture says itself what it is worth."""
        once = measurand.by_eye is not None or any(r.instrument == PICTURE for r in readings)
        return 1 if once else self._c.choices.passes

    def next_reading(self) -> tuple[Measurand, int] | None:
        """What takes the next reading, and how many it has; None when all passes are done."""
        current = self.current()
        return (self._measurand(current), len(self._by_measurand().get(current, ()))) if current else None

    def choose(self, measurand: str) -> None:
        """Go to a callout by hand."""
        if measurand in self._beside:  # of the same place: what is in either stays
            self.place({**self._half_typed(), measurand: self._beside[measurand]}, measurand)
        elif measurand != self.current():
            self._forget_draft()
            self._chosen = measurand
            self.type("")

    def place(self, texts: Mapping[str, str], current: str = "") -> None:
        """What now is in several callouts of one place, as it was dragged there or moved by a key. Kept at once.

        current: the one that takes what is typed next, the first unless said.
        """
        current = current or next(iter(texts))
        if set(texts) != set(self._half_typed()):
            self._forget_draft()
        self._chosen, self._beside = current, {name: text for name, text in texts.items() if name != current}
        self.draft = ""
        self.type(texts[current])

    def _half_typed(self) -> dict[str, str]:
        """What is half typed, by callout."""
        current = self.current()
        return {**({current: self.draft} if current else {}), **self._beside}

    def type(self, text: str) -> None:
        """What now is in the current callout. Kept at once, however it reads."""
        current, piece = self.current(), self._c.piece
        if current is None or piece is None:
            return
        self.complaint = ""
        if len(text) > LONGEST_DRAFT:
            self.complaint = str(
                LengthError(
                    tr(
                        "{n:,} characters pasted; the first {longest_draft} are kept. Type one number.",
                        n=len(text),
                        longest_draft=LONGEST_DRAFT,
                    )
                )
            )
            text = text[:LONGEST_DRAFT]
        if text != self.draft or not text:
            self.draft = text
            try:
                if not self._c.shop.read_only:
                    others = [f"{name}={other}" for name, other in self._beside.items()]
                    self._c.shop.put_draft(piece.id, current, "\n".join([text, *others]))
            except ShopError as error:  # it stays in the callout, and the words say that it is only there
                self.complaint = str(error)
        self._c.typed()

    def _replaced(self, name: str) -> KeptReading | None:
        """Which kept reading the half-typed one replaces: the one that is edited; of a place that was dragged, the last
        where all are read.
        """
        if not self._beside:
            return self._editing
        kept = self._by_measurand().get(name, [])
        return kept[-1] if len(kept) >= self._wanted(self._measurand(name), kept) else None

    def _add_draft(self, readings: dict[str, list[Reading]]) -> str:
        """What is in the callouts, where it can be a reading."""
        current = self.current()
        if current is None or not self.draft or self._editing is not None:
            return ""
        added = False
        for name, text in self._half_typed().items():
            try:
                reading = self._understood(text, name)
            except LengthError:
                continue
            if self._complete(self._measurand(name), reading, text):
                replaced = self._replaced(name)
                read = readings.setdefault(name, [])
                if replaced is not None and read:
                    read.pop()
                read.append(reading)
                added = True
        return current if added and not self._fully_typed(self.draft) else ""

    def _complete(self, measurand: Measurand, reading: Reading, text: str) -> bool:
        """Whether what is half typed can be the whole of a reading."""
        if measurand.kind is Kind.SPOT:  # its second number may still grow by digits
            return self._fully_typed(text.rsplit(maxsplit=1)[-1])
        low, high = HALF_TYPED
        if measurand.kind is Kind.LENGTH and not measurand.signed:
            return low * measurand.nominal < number_of(reading) < high * measurand.nominal
        return not measurand.signed or bool(self._beside) or self._fully_typed(text)

    def _fully_typed(self, text: str) -> bool:
        """Whether a deviation, of which no digit can be foreseen, has all the decimals that the instrument shows."""
        instrument = self._c.instrument
        if instrument is None or "/" in text:
            return True
        typed = text.strip().replace(",", ".").partition(".")[2]
        return len([c for c in typed if c.isdigit()]) >= instrument.decimals

    def _understood(self, text: str, name: str) -> Reading:
        """A reading of the kind that a measurand takes. Raises LengthError."""
        instrument, measurand = self._c.instrument, self._measurand(name)
        if measurand.kind is Kind.PICK:
            return parse_pick(text, measurand.options)
        if measurand.unit == "px":
            at, blob = parse_pixel(text), self._picture_of(name)
            return Picture(blob, at, text) if blob else Spot(*at, text)
        if measurand.kind is Kind.SPOT:
            return parse_spot(text, length_unit(self._c.machine.controller_units))
        if measurand.kind is Kind.COUNT:
            return parse_count(text, measurand.unit, say(measurand.label))
        if self._c.procedure.makes is Makes.NOTHING:  # stamped on the part, whatever one measures with
            return parse_length(text, "mm")
        unit = instrument.unit if instrument else length_unit(self._c.machine.units)
        length = parse_length(text, unit, allow_negative=measurand.signed)
        if length.mm <= 0 and not measurand.signed:
            raise LengthError(tr("a size must be larger than 0"))
        return length

    def _picture_of(self, name: str) -> str:
        """The name under which the picture of a measurand is kept; empty where none was taken."""
        piece = self._c.piece
        taken = self._c.mark(PicturesTaken, piece.id) if piece else None
        return taken.blobs.get(name, "") if taken else ""

    def _measurand(self, name: str) -> Measurand:
        return next(m for m in self.measurands() if m.name == name)

    def _in_slot(self, slot: int) -> KeptReading | None:
        piece = self._c.piece
        readings = self._c.shop.readings(piece.id) if piece else []
        return next((r for r in readings if r.slot == slot), None)

    def _clear(self) -> None:
        """Nothing half typed, nothing edited; the cursor goes where the next pass wants it."""
        piece = self._c.piece
        if piece and self.draft and not self._c.shop.read_only:
            self._c.shop.put_draft(piece.id, self.current() or "", "")
        self._forget_draft()

    def _edited_before(self, piece: KeptPiece) -> KeptReading | None:
        """The reading that the half-typed one was to replace, when the window was closed over it."""
        mark = self._c.mark(Editing)
        return self._in_slot(mark.slot) if mark and mark.slot and mark.piece == piece.id else None

    def _forget_draft(self) -> None:
        if self._editing and not self._c.shop.read_only:
            self._c.shop.put_mark(self._c.kept.id, Editing())
        self.draft, self.complaint, self._chosen, self._editing, self._beside = "", "", None, None, {}
