"""The artwork of a job: kept as it came, its outline looked at while settings change, and drawn up once it pleases."""

from __future__ import annotations

import json
import math
from collections.abc import Callable, Mapping
from contextlib import suppress
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from keen_compass.errors import InputError, KeenCompassError, NoSizeError
from keen_compass.formats.files import read_whole, shown_path
from keen_compass.language import tr
from keen_compass.machines.shown import length_unit
from keen_compass.pieces.outline import Outset
from keen_compass.pieces.sticker import MOST_COPIES, Sticker
from keen_compass.procedures.stages import Stage
from keen_compass.quantities.bodies import JsonMapping, JsonObject
from keen_compass.quantities.lengths import parse_length, parse_number
from keen_compass.rounds.context import RoundContext
from keen_compass.rounds.undo import Undo
from keen_compass.shop.marks import ArtworkChosen, SheetStages

if TYPE_CHECKING:
    from keen_compass.formats.artwork import Artwork

Key = tuple[str, float, bool]  # digest, resolution, and whether its own cut line is taken out
Beside = Callable[[Callable[[], Any]], Any]  # runs it, where it likes, and gives what it gave
LARGEST_FILE = 60_000_000  # bytes
LOOKED_AT = 160_000  # pixels of a picture while a slider moves
MOST_NAME = 60  # letters
LENGTHS = ("outset", "smallest", "smooth")  # of the settings
USUAL: JsonMapping = {
    "outset": 2.0,
    "corners": "round",
    "mitre_limit": 4.0,
    "holes": "keep",
    "parts": "apart",
    "smallest": 0.5,
    "threshold": 0.5,
    "smooth": 0.0,
    "dpi": 0.0,
    "strokes": True,
    "own_line": True,
}
SHARES = {"threshold": (0.01, 0.99)}
COARSE = 3.0  # of its pixels go into the tolerance, at least
# What was read last, or why it can't be: bytes never change.
_READ: dict[Key, Artwork | KeenCompassError] = {}
MOST_READ = 4


class Artworks:
    """Of the next sheet of a round."""

    def __init__(self, context: RoundContext) -> None:
        self._c = context
        self._looked: dict[str, Sticker | KeenCompassError] = {}

    @property
    def chosen(self) -> ArtworkChosen:
        """What was chosen so far."""
        return self._c.mark(ArtworkChosen) or ArtworkChosen()

    @property
    def settings(self) -> JsonObject:
        """All of them, as usual unless stated otherwise."""
        return {**USUAL, **self.chosen.settings}

    def put_file(self, file: Path, beside: Beside = lambda run: run()) -> None:
        """Artwork from a file. beside: runs what takes long. Raises InputError where it can't be read."""
        self.put(read_whole(file, LARGEST_FILE), shown_path(Path(file.name)), beside)

    def put(self, data: bytes, file: str, beside: Beside = lambda run: run()) -> None:
        """Artwork as it came (undoable). A picture that doesn't say its resolution is kept, and it is asked for.

        Raises InputError for what is none.
        """
        from keen_compass.formats.artwork import read_artwork

        art: Artwork | None = None
        with suppress(NoSizeError):
            own_line = bool(self.settings["own_line"])
            art = beside(lambda: read_artwork(data, file, own_line=own_line))
        with self._c.shop.writing():
            blob = self._c.shop.put_blob(data)
            if art is not None:
                _remember((blob, 0.0, own_line), art)
            name = self.chosen.name or Path(file).stem.replace("-", " ").replace("_", " ")[:MOST_NAME].capitalize()
            kept = {k: v for k, v in self.chosen.settings.items() if k != "dpi"}
            self._put(replace(self.chosen, blob=blob, file=file, name=name, settings=kept, marks=()))

    def change(self, **settings: object) -> None:
        """Other settings: plain values, or lengths as typed (undoable). Raises InputError naming the one."""
        found = dict(self.chosen.settings)
        for name, value in settings.items():
            found[name] = self._understood(name, value)
        _outset({**USUAL, **found})
        self._put(replace(self.chosen, settings=found))

    def rename(self, name: str) -> None:
        """What the job is called (undoable)."""
        if not name.strip():
            raise InputError(tr("give the job a name"), "name")
        self._put(replace(self.chosen, name=name.strip()[:MOST_NAME]), keeps_sheet=True)

    def copies(self, count: int) -> None:
        """On one sheet (undoable)."""
        if not 1 <= count <= MOST_COPIES:
            raise InputError(tr("1 to {most}", most=MOST_COPIES), "copies")
        self._put(replace(self.chosen, copies=count))

    def move_mark(self, mark: int, at: tuple[float, float], all_marks: tuple[tuple[float, float], ...]) -> None:
        """A mark of the sheet, from 0, stands elsewhere from now on (undoable)."""
        moved = tuple((round(at[0], 1), round(at[1], 1)) if i == mark else m for i, m in enumerate(all_marks))
        self._put(replace(self.chosen, marks=moved), keeps_sticker=True)

    def artwork(self, beside: Beside = lambda run: run()) -> Artwork | None:
        """None where there is none yet. beside: runs what takes long. Raises InputError where its resolution is
        missing, or it can't be read.
        """
        from keen_compass.formats.artwork import read_artwork

        key = self._key()
        if not key[0]:
            return None
        if key not in _READ:
            data = self._c.shop.blob(key[0])
            if data is None:
                return None
            file = self.chosen.file  # the shop file is asked here, not beside
            try:
                _remember(key, beside(lambda: read_artwork(data, file, key[1], own_line=key[2])))
            except KeenCompassError as error:
                _remember(key, error)
        found = _READ[key]
        if isinstance(found, KeenCompassError):
            raise found.with_traceback(None)  # or it would remember everybody whom it was told
        return found

    def _key(self) -> Key:
        return self.chosen.blob, float(self.settings["dpi"]), bool(self.settings["own_line"])

    def prepare(self, beside: Beside = lambda run: run()) -> None:
        """Read it and look at it once, so that whatever is shown next is there. beside: runs what takes long."""
        with suppress(KeenCompassError):
            self.artwork(beside)
            if not self.chosen.sticker:
                self.look(beside)

    def look(self, beside: Beside = lambda run: run(), **instead: object) -> Sticker | None:
        """What the outline would be, roughly: of a picture with fewer pixels. instead: of settings that are kept."""
        settings, name = self.settings | instead, self.chosen.name
        key = json.dumps([self.chosen.blob, name, settings], sort_keys=True)
        if key not in self._looked:
            art = self.artwork()
            if art is None:
                return None
            if len(self._looked) > 8:
                self._looked.clear()
            try:
                self._looked[key] = beside(lambda: _sticker(_rough(art), settings, name))
            except KeenCompassError as error:
                self._looked[key] = error
        found = self._looked[key]
        if isinstance(found, KeenCompassError):
            raise found.with_traceback(None)  # or it would remember everybody whom it was told
        return found

    def draw_up(self, beside: Beside = lambda run: run()) -> None:
        """Trace it to the last pixel and keep the line: so it will be printed and cut (undoable). beside: runs that.

        Raises InputError where there is nothing to cut.
        """
        art, settings = self.artwork(), self.settings
        data = self._c.shop.blob(self.chosen.blob)
        if art is None or data is None:
            raise InputError(tr("Choose the artwork first."), "artwork")
        name, file = self.chosen.name, self.chosen.file
        self.keep(beside(lambda: _sticker(art, settings, name, data, file)))

    def keep(self, sticker: Sticker) -> None:
        """A line that was drawn up elsewhere (undoable)."""
        self._put(replace(self.chosen, sticker=sticker.to_json()))

    def sticker(self) -> Sticker | None:
        """As it was drawn up; until then, roughly. None where there is nothing to show."""
        if self.chosen.sticker:
            return self._c.remembered(
                "sticker", lambda: replace(Sticker.from_json(self.chosen.sticker), name=self.chosen.name)
            )
        try:
            return self.look()
        except KeenCompassError:
            return None

    def left_out(self) -> Mapping[str, int]:
        """What of a drawing wasn't understood."""
        try:
            return getattr(self.artwork(), "left_out", {})
        except InputError:
            return {}

    def coarse(self) -> float:
        """mm of a pixel, where what is traced is too coarse for the tolerance of its cut; else 0."""
        from keen_compass.formats.artwork import Picture

        try:
            art = self.artwork()
        except InputError:
            return 0.0
        pixel = max(art.pixel) if isinstance(art, Picture) else 0.0 if art is None or art.exact else 1 / art.per_mm
        return pixel if COARSE * pixel > 2 * self._c.tolerances.get("proof", math.inf) else 0.0

    # Inside

    def _understood(self, name: str, value: object) -> object:
        if name in LENGTHS and isinstance(value, str):
            try:
                return parse_length(value, length_unit(self._c.machine.units), allow_negative=name == "outset").mm
            except InputError as error:
                raise InputError(error.message, name) from None
        if name == "dpi" and isinstance(value, str):
            try:
                return parse_number(value, tr("type a number"))
            except InputError as error:
                raise InputError(error.message, name) from None
        if name in SHARES and isinstance(value, int | float):
            low, high = SHARES[name]
            return min(max(float(value), low), high)
        return value

    def _put(self, chosen: ArtworkChosen, *, keeps_sheet: bool = False, keeps_sticker: bool = False) -> None:
        """Another line makes another sheet: what was printed of the last one no longer counts."""
        before, stages = self.chosen, self._c.mark(SheetStages)
        same = keeps_sheet or keeps_sticker or chosen.sticker != before.sticker
        chosen = chosen if same else replace(chosen, sticker={})
        done = (str(Stage.ARTWORK),) if chosen.sticker else ()
        undone = replace(stages, done=done, bars=(), aimed={}, shown="") if stages and not keeps_sheet else None

        def change() -> Undo:
            with self._c.shop.writing():
                self._c.put_mark(chosen)
                if undone:
                    self._c.put_mark(undone)
            return back

        def back() -> None:
            self._c.put_mark(before)
            if undone and stages:
                self._c.put_mark(stages)

        self._c.do(change)


def _remember(key: Key, found: Artwork | KeenCompassError) -> None:
    _READ.pop(key, None)
    while len(_READ) >= MOST_READ:
        _READ.pop(next(iter(_READ)))
    _READ[key] = found


def _sticker(art: Artwork, settings: JsonMapping, name: str, data: bytes = b"", file: str = "") -> Sticker:
    """data, file: of a picture that is to be traced to its last pixel, in a process that can be ended."""
    from keen_compass.formats.apart import run_apart
    from keen_compass.formats.artwork import Picture, sticker_of, traced_rings

    outset = _outset(settings)
    if data and isinstance(art, Picture) and art.values.size > LOOKED_AT:
        rings = run_apart(traced_rings, data, file, dict(settings), outset, name=file)
        return Sticker(name, art.width, art.height, rings, outset.by)
    return sticker_of(art, name, outset, settings["threshold"], settings["smooth"], strokes=settings["strokes"])


def _rough(art: Artwork) -> Artwork:
    """As it is looked at: of a picture with fewer pixels."""
    from keen_compass.formats.artwork import Picture

    return art.reduced(LOOKED_AT) if isinstance(art, Picture) else art


def _outset(settings: JsonMapping) -> Outset:
    return Outset(
        settings["outset"],
        settings["corners"],
        settings["mitre_limit"],
        settings["holes"],
        settings["parts"],
        settings["smallest"],
    )
