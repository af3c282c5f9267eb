"""What every part of a round looks at: the shop, the machine, the pieces so far, what was chosen.

Reads from the shop file are remembered until the next change, because a keystroke asks for the same
things many times over.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import replace
from typing import Any, TypeVar

from keen_compass.machines.fitted import Tool
from keen_compass.machines.profile import Machine
from keen_compass.machines.snapshot import Snapshot
from keen_compass.procedures import load
from keen_compass.procedures.base import AnyPiece, AnyProcedure
from keen_compass.procedures.case import Case
from keen_compass.procedures.stages import Makes
from keen_compass.quantities.bodies import JsonMapping, Parameters
from keen_compass.quantities.catalogue import QUANTITIES, beneath
from keen_compass.quantities.instruments import Instrument, Repeatability
from keen_compass.quantities.measuring import PieceScatter, Temperature
from keen_compass.quantities.readings import Reading
from keen_compass.quantities.stored import StoredValue
from keen_compass.quantities.subjects import Subject
from keen_compass.quantities.verdict import Verdict
from keen_compass.rounds.knowledge import alike, kerf, known, scales, scatter
from keen_compass.rounds.undo import Change, History
from keen_compass.shop.consumables import Consumables, consumables
from keen_compass.shop.kept import KeptPiece, KeptRound, KeptValue
from keen_compass.shop.machines import key_for
from keen_compass.shop.mark import Choices, Mark
from keen_compass.shop.marks import Warmth, WornIn
from keen_compass.shop.standing import Spoke, State, spokes
from keen_compass.shop.store import Shop
from keen_compass.solve.joint import Known

LATEST = "9"  # after every time that is written
T = TypeVar("T")
M = TypeVar("M", bound=Mark)


class RoundContext:
    """One round's surroundings. `listener` is called after every change."""

    def __init__(self, shop: Shop, kept: KeptRound) -> None:
        self.shop = shop
        self.kept = kept
        self.procedure: AnyProcedure = load(kept.procedure)
        self.history = History()
        self.listener: Callable[[], None] = lambda: None
        self._remembered: dict[Any, Any] = {}
        self._steady: dict[Any, Any] = {}
        self._set_up = shop.set_up
        self._learnt: dict[str, Repeatability | None] = {}
        self._scatters: dict[bool, PieceScatter | None] = {}
        self._known: dict[int, dict[str, Known]] = {}
        self._worn: dict[str, Consumables | None] = {}

    def changed(self) -> None:
        """Something was written: forget what was read, tell the listener."""
        self._remembered.clear()
        if self._set_up != (now := self.shop.set_up):
            self._set_up = now
            self._steady.clear()
        self.listener()

    def nothing_kept(self) -> None:
        """What was written was taken back: forget what was read of it."""
        self._remembered.clear()
        self._steady.clear()

    @contextmanager
    def unwatched(self) -> Iterator[None]:
        """Many changes at once: the listener is told when they are done."""
        listener, self.listener = self.listener, lambda: None
        try:
            yield
        finally:
            self.listener = listener
            listener()

    def typed(self) -> None:
        """Only the half reading changed, so only the answer to the piece shown is out of date."""
        if self.piece:
            self._remembered.pop(("answer", self.piece.id), None)
        self.listener()

    def do(self, change: Change) -> None:
        """Run a change that can be taken back."""
        self.history.do(change)
        self.changed()

    def remembered(self, key: Any, read: Callable[[], T]) -> T:
        """`read()`, once between changes."""
        if key not in self._remembered:
            self._remembered[key] = read()
        value: T = self._remembered[key]
        return value

    def steady(self, key: Any, read: Callable[[], T]) -> T:
        """`read()`, once until anything but a reading is kept: for what readings can't change."""
        if key not in self._steady:
            self._steady[key] = read()
        value: T = self._steady[key]
        return value

    def mark(self, kind: type[M], piece: int = 0) -> M | None:
        """The newest mark of a kind of this round, or of one of its pieces."""
        return self.steady(("mark", kind, piece), lambda: self.shop.mark(self.kept.id, kind, piece))

    def put_mark(self, mark: Mark, piece: int = 0) -> None:
        """Keep that something happened in the round."""
        self.shop.put_mark(self.kept.id, mark, piece)
        self.changed()

    @property
    def machine(self) -> Machine:
        """The machine's current profile."""
        return self.steady("machine", lambda: self.shop.machine(self.kept.machine))

    @property
    def pieces(self) -> list[KeptPiece]:
        """This round's pieces so far."""
        return self.steady("pieces", lambda: self.shop.pieces(self.kept.id))

    @property
    def piece(self) -> KeptPiece | None:
        """The piece that is on the screen: the last one made."""
        return self.pieces[-1] if self.pieces else None

    @property
    def choices(self) -> Choices:
        """What was chosen for the next piece."""
        return self.mark(Choices) or Choices(passes=self.procedure.read_by.passes)

    @property
    def chosen(self) -> Parameters:
        """What was chosen of the procedure's choices; the first option of each where nothing was."""

        def read() -> Parameters:
            usual = {c.name: c.options[0][1] for c in self.procedure.choices(self.machine) if c.options}
            return usual | dict(self.choices.chosen)

        return self.steady("chosen", read)

    @property
    def tool(self) -> Tool:
        """The tool chosen; a pen where the machine has no tools."""
        uid = self.choices.tool
        return next((t for t in self.machine.tools if t.uid == uid), Tool("pen", 0.0, drawn=True))

    @property
    def instrument(self) -> Instrument | None:
        """The instrument chosen with what the logbook knows of its repeats; None where the shop has none yet."""
        eye = self.procedure.eye_for(self.piece.parameters if self.piece else self.chosen)
        if eye is not None:
            return eye
        uid = self.choices.instrument
        return next((i for i in self.instruments if i.uid == uid), None)

    @property
    def instruments(self) -> list[Instrument]:
        """What the shop can measure with."""
        begun = self.pieces[0].at if self.pieces else ""

        def read() -> list[Instrument]:
            known = self.shop.instruments()
            for i in known:  # learnt once: a round doesn't learn from its own readings
                if i.uid not in self._learnt:
                    self._learnt[i.uid] = self.shop.repeatability(i.uid, begun)
            return [replace(i, repeats=self._learnt[i.uid] or i.repeats) for i in known]

        return self.steady("instruments", read)

    @property
    def tolerances(self) -> dict[str, float]:
        """As copied when the round began, mm over the reference length."""
        return dict(self.kept.tolerances)

    @property
    def yields(self) -> tuple[str, ...]:
        """The quantities that this round is about: those of the piece shown, else of what is chosen."""
        if self.piece:
            return self.procedure.yields_for(self.piece.parameters)
        return self.procedure.yields_for(self.chosen)

    def values(self) -> dict[str, StoredValue]:
        """What the machine keeps now, by quantity; amounts that were never entered are absent."""

        def read() -> dict[str, StoredValue]:
            held: dict[str, StoredValue] = {}
            for q in self.machine.quantities:
                kept = self._kept_values().get(q)
                stored = kept.stored if kept else self.machine.as_delivered(q)
                if stored:
                    held[q] = self.machine.place(q).holding(stored)
            return held

        return self.steady("values", read)

    def in_force(self, piece: KeptPiece) -> dict[str, StoredValue]:
        """What was kept when a piece was made; where nothing is made there is only now."""
        if self.procedure.makes is Makes.NOTHING:
            return self.values()

        def read() -> dict[str, StoredValue]:
            return {q: self.machine.place(q).holding(stored) for q, stored in piece.snapshot.held.items()}

        return self.steady(("in_force", piece.id), read)

    def equal_to(self, piece: KeptPiece) -> list[KeptPiece]:
        """A piece, and the earlier ones of this round that differ from it in nothing but their place: they count
        together."""
        if self.procedure.makes is not Makes.PIECE:
            return [piece]

        earlier = [p for p in self.pieces if (p.at, p.id) <= (piece.at, piece.id)]
        return [p for p in earlier if alike(self.procedure, p, piece)]

    @property
    def stand_in(self) -> JsonMapping | None:
        """The hidden truths behind a practice machine, for the practice tools only; None without one."""
        return self.steady("stand_in", lambda: self.shop.stand_in(self.kept.machine))

    @property
    def practised(self) -> bool:
        """Whether a stand-in takes the machine's place."""
        return self.stand_in is not None and not self.machine.port

    def snapshot(self) -> Snapshot:
        """All that is in force now."""
        kept = self._kept_values()
        return Snapshot(
            self.values(),
            {q: kept[q].at for q in self.values() if q in kept},
            self.tool,
            self.machine.stock,
            self.machine.process,
            fitted=dict(self.machine.fitted),
        )

    def value(self, quantity: str) -> KeptValue | None:
        """What the controller holds of one quantity, and since when."""
        return self._kept_values().get(quantity)

    def _kept_values(self) -> dict[str, KeptValue]:
        """What is in each place of the controller; of what it doesn't keep, what belongs to what is mounted."""

        def read() -> dict[str, KeptValue]:
            # With the tool that was chosen for the next piece, whichever is in it.
            return self.shop.values_on(replace(self.machine, mounted=self.tool.uid))

        return self.steady("kept_values", read)

    @property
    def subject(self) -> Subject:
        """What is mounted, with the tool that was chosen."""
        return replace(self.machine.subject, tool=self.tool.uid)

    def case(
        self,
        parameters: Parameters,
        values: Mapping[str, StoredValue],
        readings: Mapping[str, tuple[Reading, ...]],
        subject: Subject,
        piece: KeptPiece | None = None,
    ) -> Case:
        """A case for this machine, instrument and tolerance. subject: whose the values are."""
        computed = self.steady("computed", lambda: self.shop.computed(self.kept.machine))
        return Case(
            procedure=self.procedure.name,
            machine=self.machine,
            values=values,
            piece=parameters,
            instrument=self.instrument or Instrument(),
            tolerance=self.tolerances,
            reference_length=self.kept.reference_length,
            readings=readings,
            piece_scatter=self._scatter(subject),
            known=self.known_for(piece),
            temperature=self.temperature(),
            instruments_at_hand=tuple(
                i for i in self.instruments if i.kind in (self.procedure.read_by.suits or (i.kind,))
            ),
            largest_size=self.procedure.longest(self.machine, self.chosen),
            computed={q: steps for q, c in computed.items() if (steps := c.get("steps_per_mm"))},
            teeth={q: teeth for q, c in computed.items() if (teeth := c.get("teeth"))},
            proven=self._proven(),
            subject=subject,
        )

    def _scatter(self, subject: Subject) -> PieceScatter | None:
        """How much equal pieces differ here, as the profile or the logbook has it; learnt once in a round."""
        if self.procedure.makes is not Makes.PIECE or self.machine.scatter:
            return None
        tool = next((t for t in self.machine.tools if t.uid == subject.tool), self.tool)
        if tool.drawn not in self._scatters:
            self._scatters[tool.drawn] = scatter(self.shop, self.machine, drawn=tool.drawn, without=self.kept.id)
        return self._scatters[tool.drawn]

    def known_for(self, piece: KeptPiece | None) -> dict[str, Known]:
        """What earlier rounds said, when a piece was made, that this one may lean on; of no piece: now."""

        def read() -> dict[str, Known]:
            snapshot, until = (piece.snapshot, piece.at) if piece else (self.snapshot(), LATEST)
            found = known(self.shop, self.machine, snapshot, until, self.yields, self.kept.id)
            if any(QUANTITIES[q].group == "cut" for q in self.yields):
                found |= scales(self.shop, self.machine, snapshot, until, self.kept.id)
            elif self.procedure.makes is Makes.PIECE:
                cut = kerf(self.shop, self.kept.machine, snapshot, until, self.kept.id)
                found |= {"kerf": cut} if cut else {}
            return found

        if piece is None:
            return self.steady("known", read)
        if piece.id not in self._known:  # what was known when it was made doesn't change any more
            self._known[piece.id] = read()
        return self._known[piece.id]

    def temperature(self) -> Temperature | None:
        """How warm part and instrument were when the piece shown was read; None where not stated."""
        piece = self.piece
        mark = self.mark(Warmth, piece.id) if piece else None
        return Temperature(mark.material, mark.part, mark.instrument) if mark and mark.material else None

    def worn(self) -> Consumables | None:
        """What is to cut a piece whose kerf is sought, where it is worn out and nobody said that it stays in."""
        if self.procedure.makes is not Makes.PIECE or self.tool.drawn or "kerf" not in self.yields:
            return None

        if self.mark(WornIn):
            return None
        tool = self.tool.uid
        if tool not in self._worn:  # looked at once: it takes a fit, and a slider asks many times
            found = consumables(self.shop, self.machine, self.subject)
            self._worn[tool] = found if found and found.worn else None
        return self._worn[tool]

    def changed_consumables(self) -> None:
        """Other ones are in."""
        self._worn.clear()
        self.changed()

    def open_below(self) -> list[Spoke]:
        """What this round's quantities rest on and what isn't in, in the order of dependence."""

        def read() -> list[Spoke]:
            wanted = {under for q in self.yields for under in beneath(q)} - set(self.yields)
            return [s for s in spokes(self.shop, self.machine) if s.quantity in wanted and s.state is not State.IN]

        return self.steady(("open_below", self.yields), read)

    def _proven(self) -> frozenset[str]:
        """Quantities of this machine that a round found to be in."""

        def read() -> frozenset[str]:
            machine = self.kept.machine
            newest = {(m, q, s): k for (m, q, s), k in self.shop.latest_findings().items() if m == machine}
            return frozenset(
                q
                for (_, q, subject), kept in newest.items()
                if kept.finding.verdict is Verdict.IN and q in QUANTITIES and subject == key_for(q, self.subject)
            )

        return self.steady("proven", read)

    def shape(self, parameters: Parameters) -> AnyPiece:
        """The piece or run with these parameters."""
        return self.procedure.piece(parameters)
