"""What happens to a round, each kind a type of its own: chosen, stepped, skipped, decided, signed …

A mark is appended; the newest of its kind (and, where it is about a piece, of that piece) is what counts.
"""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import ClassVar

from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.quantities.bodies import JsonMapping, JsonObject
from keen_compass.shop.mark import Choices, Mark, StepShown


@dataclass(frozen=True, slots=True)
class FileWritten(Mark):
    """The next piece's file, and the number that the piece carries in it."""

    kind: ClassVar[str] = "file"
    file: str
    number: int


@dataclass(frozen=True, slots=True)
class SheetStages(Mark):
    """How far the next sheet is. number: on it. done: stages. shown: the one that was gone to, empty for none.

    bars: what its check bars measure, mm; none yet. aimed: mark, from 0 → where the head stood with the dot on it, mm.
    origin: the machine's own origin was set on the first mark instead. under: number that the controller held while it
    was aimed, by quantity, as it stood there. sent: name of the printed page's bytes.
    """

    kind: ClassVar[str] = "sheet"
    number: int
    done: tuple[str, ...] = ()
    shown: str = ""
    bars: tuple[float, ...] = ()
    aimed: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    origin: bool = False
    under: Mapping[str, str] = field(default_factory=dict)
    sent: str = ""

    @classmethod
    def from_body(cls, body: JsonMapping) -> SheetStages:
        """Inverse of `to_body`."""
        aimed = {str(name): (float(x), float(y)) for name, (x, y) in body.get("aimed", {}).items()}
        listed = {name: tuple(body.get(name, ())) for name in ("done", "bars")}
        return cls(**{**body, **listed, "aimed": aimed, "under": dict(body.get("under", {}))})


@dataclass(frozen=True, slots=True)
class CableRun(Mark):
    """A piece's file went over the cable. number: that the piece carries. blob: name of the bytes.

    sent, acknowledged, total: commands. ended: empty while it goes on (or nobody saw its end); ``done``; or why it
    broke off.
    """

    kind: ClassVar[str] = "cable_run"
    number: int
    blob: str = ""
    sent: int = 0
    acknowledged: int = 0
    total: int = 0
    ended: str = ""


@dataclass(frozen=True, slots=True)
class Identified(Mark):
    """Somebody looked which piece this is; the number it carries, empty where it carries none."""

    kind: ClassVar[str] = "identified"
    number: str = ""


@dataclass(frozen=True, slots=True)
class Confirmed(Mark):
    """Odd-looking readings of a piece are right, says the technician."""

    kind: ClassVar[str] = "confirmed"


@dataclass(frozen=True, slots=True)
class Skipped(Mark):
    """What can't be read on a piece: names of measurands."""

    kind: ClassVar[str] = "skipped"
    skipped: tuple[str, ...] = ()

    @classmethod
    def from_body(cls, body: JsonMapping) -> Skipped:
        """Inverse of `to_body`."""
        return cls(tuple(body["skipped"]))


@dataclass(frozen=True, slots=True)
class Warmth(Mark):
    """How warm a piece and what it was read with were, °C, and what the piece is made of; no material: left off."""

    kind: ClassVar[str] = "warmth"
    material: str = ""
    part: float = 20.0
    instrument: float = 20.0


@dataclass(frozen=True, slots=True)
class WornIn(Mark):
    """What cuts is worn, and stays in all the same. age: how much it was used."""

    kind: ClassVar[str] = "worn_in"
    age: float = 0.0


@dataclass(frozen=True, slots=True)
class Decided(Mark):
    """Which new numbers are to be entered, which are not, by quantity."""

    kind: ClassVar[str] = "decision"
    enter: Mapping[str, bool] = field(default_factory=dict)

    def to_body(self) -> JsonObject:
        """As the shop file keeps it."""
        return dict(self.enter)

    @classmethod
    def from_body(cls, body: JsonMapping) -> Decided:
        """Inverse of `to_body`."""
        return cls(dict(body))


@dataclass(frozen=True, slots=True)
class Editing(Mark):
    """Which kept reading the half-typed one is to replace; none where `slot` is."""

    kind: ClassVar[str] = "editing"
    piece: int | None = None
    slot: int | None = None


@dataclass(frozen=True, slots=True)
class Computed(Mark):
    """What the parts of a drive train gave, by quantity: steps_per_mm, teeth."""

    kind: ClassVar[str] = "computed"
    by_quantity: Mapping[str, Mapping[str, float | None]] = field(default_factory=dict)

    def to_body(self) -> JsonObject:
        """As the shop file keeps it."""
        return {q: dict(figures) for q, figures in self.by_quantity.items()}

    @classmethod
    def from_body(cls, body: JsonMapping) -> Computed:
        """Inverse of `to_body`."""
        return cls(dict(body))


@dataclass(frozen=True, slots=True)
class Signed(Mark):
    """The round ended with a result; a reason where that can't be told for sure.

    answer: what the last piece said, as `Solution.to_json`; instrument: with what it was read, as
        `machines.instrument_record.instrument_to_json`. None in rounds that were signed before these were kept.
    """

    kind: ClassVar[str] = "signed"
    reason: str = ""
    answer: JsonMapping | None = None
    instrument: JsonMapping | None = None

    def to_body(self) -> JsonObject:
        """As the shop file keeps it."""
        kept = {"answer": self.answer, "instrument": self.instrument}
        return {"reason": self.reason, **{name: body for name, body in kept.items() if body is not None}}


@dataclass(frozen=True, slots=True)
class GivenUp(Mark):
    """The round ended without a result, and why."""

    kind: ClassVar[str] = "given_up"
    reason: str = ""


@dataclass(frozen=True, slots=True)
class SheetSeen(Mark):
    """A picture from which a sheet or a piece was read. blob: name of its bytes. U: measurand → to what it is known
    (95 %, mm).
    """

    kind: ClassVar[str] = "sheet_seen"
    blob: str = ""
    U: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class PicturesTaken(Mark):
    """Pictures of a piece. blobs: measurand → name of its bytes. size: (width, height) of all of them, px."""

    kind: ClassVar[str] = "pictures"
    blobs: Mapping[str, str] = field(default_factory=dict)
    size: tuple[float, float] = (0.0, 0.0)

    @classmethod
    def from_body(cls, body: JsonMapping) -> PicturesTaken:
        """Inverse of `to_body`."""
        width, height = body.get("size", (0.0, 0.0))
        return cls(dict(body.get("blobs", {})), (float(width), float(height)))


@dataclass(frozen=True, slots=True)
class ArtworkChosen(Mark):
    """What is to be printed and cut. blob: name of the artwork's bytes; file: what it was called; name: of the job.

    settings: of tracing and outset, by their names. copies: on one sheet. marks: where they were moved to on the sheet,
    mm; as usual where none is given. sticker: the line as it was drawn up; empty until it is.
    """

    kind: ClassVar[str] = "artwork"
    blob: str = ""
    file: str = ""
    name: str = ""
    settings: JsonMapping = field(default_factory=dict)
    copies: int = 1
    marks: tuple[tuple[float, float], ...] = ()
    sticker: JsonMapping = field(default_factory=dict)

    @classmethod
    def from_body(cls, body: JsonMapping) -> ArtworkChosen:
        """Inverse of `to_body`."""
        marks = tuple((float(x), float(y)) for x, y in body.get("marks", ()))
        return cls(
            **{
                **body,
                "settings": dict(body.get("settings", {})),
                "marks": marks,
                "sticker": dict(body.get("sticker", {})),
            }
        )

    def check(self) -> None:
        """Raise InputError for what no program of ours would have kept."""
        from keen_compass.pieces.outline import CORNERS, HOLES, PARTS, Outset
        from keen_compass.pieces.sticker import MOST_COPIES, Sticker

        numbers = ("outset", "mitre_limit", "smallest", "threshold", "smooth", "dpi")
        for name, value in self.settings.items():
            plain = isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value)
            words = {"corners": CORNERS, "holes": HOLES, "parts": PARTS}.get(name, ())
            known = plain if name in numbers else value in words if words else isinstance(value, bool)
            if not known or (not words and name not in (*numbers, "strokes")):
                raise InputError(tr("is no setting of an outline"), f"body.settings.{name[:30]}")
        flat = [v for at in self.marks for v in at]
        if not 1 <= self.copies <= MOST_COPIES or len(self.marks) not in (0, 4) or not all(map(math.isfinite, flat)):
            raise InputError(tr("expected copies, and four marks or none"), "body")
        if not re.fullmatch("[0-9a-f]{64}|", self.blob):
            raise InputError(tr("expected the name of its bytes"), "body.blob")
        own = ("corners", "mitre_limit", "holes", "parts", "smallest")
        Outset(self.settings.get("outset", 0.0), **{name: v for name, v in self.settings.items() if name in own})
        if self.sticker:
            Sticker.from_json(self.sticker, "body.sticker")


KINDS: dict[str, type[Mark]] = {
    mark.kind: mark
    for mark in (
        Choices,
        StepShown,
        FileWritten,
        SheetStages,
        CableRun,
        PicturesTaken,
        SheetSeen,
        ArtworkChosen,
        Identified,
        Confirmed,
        Skipped,
        Warmth,
        WornIn,
        Decided,
        Editing,
        Computed,
        Signed,
        GivenUp,
    )
}
