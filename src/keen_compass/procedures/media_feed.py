"""The printer's media feed (arithmetic.md §10), by eye: bands printed with several corrections.

A positive correction is more feed: too little and bands overlap (a dark line), too much and they gap (a light one). The
answer is the band that just meets, or lies between the last that overlaps and the first that gaps. Some printers count
a correction from the value in force, some from zero.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

from keen_compass.errors import InputError, shown_input
from keen_compass.language import tr
from keen_compass.machines.profile import Machine
from keen_compass.pieces.where import Meets
from keen_compass.procedures.base import Procedure
from keen_compass.procedures.case import Case, listed, number
from keen_compass.procedures.checking import check_parameters, check_readings
from keen_compass.procedures.manner import OnStock, ReadBy, Sizes
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.results import amount_outcome, arithmetic, judged, no_number, picked_between
from keen_compass.procedures.stages import Makes, Surface
from keen_compass.procedures.surroundings import Choice, Surroundings
from keen_compass.quantities.bodies import JsonObject, Parameters
from keen_compass.quantities.charts import Rungs
from keen_compass.quantities.findings import Figures, Solution
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.lengths import trim_number
from keen_compass.quantities.notes import Note, figure, note, plain
from keen_compass.quantities.readings import number_of, picked_of
from keen_compass.quantities.uncertainty import Uncertain
from keen_compass.quantities.verdict import Verdict

QUANTITY = "media_feed"
ABOUT = ("middle", "more_feed", "less_feed")
WORDS = ("overlap", "meets", "gap")  # as bands are judged, from too little feed to too much
MOST_BANDS = 99
LARGEST = 1e6


@dataclass(frozen=True, slots=True)
class Bands:
    """corrections: of each band, rising, in what the printer counts. relative: counted from the value in force."""

    corrections: tuple[float, ...]
    relative: bool

    def nominal(self, measurand: str) -> float:
        """None: a pick is no length."""
        return 0.0

    @property
    def step(self) -> float:
        """By how much neighbours differ at most."""
        return max(b - a for a, b in pairwise(self.corrections))

    @property
    def names(self) -> tuple[str, ...]:
        """``band_1`` and so on."""
        return tuple(f"band_{i}" for i in range(1, len(self.corrections) + 1))

    def at(self, pick: float) -> float:
        """The correction of a band, or halfway between two."""
        return picked_of(self.corrections, pick)


EYE = Instrument("eye", 1e-6)
STEPS, COUNTS = (0.1, 0.05, 0.2), (9, 7, 11)


class MediaFeed(Procedure[Bands]):
    """The printer's own bands at rising corrections of its feed: which one joins best."""

    name = "media-feed"
    surface = Surface.BANDS
    makes = Makes.PRINT
    judged_by = ("read",)
    tried = ("step", "bands", "about")
    once = ("about",)
    read_by = ReadBy(
        names=("pick", "bands"), picks=("pick",), judgements={"bands": WORDS}, passes=1, by_eye=True, eye=EYE
    )
    on_stock = OnStock(numbered=False)
    sizes = Sizes(sides=(), large=())

    def choices(self, machine: Machine) -> tuple[Choice, ...]:
        """Steps, how many, from where they count, which way; how they are judged."""
        return (
            Choice("step", "media_feed.step", tuple((figure(f"{s:g} %"), s) for s in STEPS)),
            Choice("bands", "media_feed.count", tuple((plain(str(n)), n) for n in COUNTS)),
            Choice("about", "media_feed.about", tuple((f"media_feed.{w}", w) for w in ABOUT)),
            Choice("relative", "media_feed.counted", (("media_feed.from_held", True), ("media_feed.from_zero", False))),
            Choice("read", "media_feed.read", (("media_feed.pick_one", "pick"), ("media_feed.judge_each", "each"))),
        )

    def parameters(self, around: Surroundings) -> Parameters:
        """About what is in force, or beyond."""
        step, n = float(str(around.chosen["step"])), int(str(around.chosen["bands"]))
        beyond = {"middle": 0, "more_feed": n - 1, "less_feed": 1 - n}[str(around.chosen["about"])]
        relative = around.chosen["relative"] is True
        middle = step * beyond + (0.0 if relative else around.fed)
        return {"corrections": _about(middle, step, n), "relative": relative, "read": around.chosen["read"]}

    def again(self, before: Parameters, around: Surroundings) -> Parameters:
        """About what is in force by now, or beyond it, with steps as they are chosen."""
        chosen = {**around.chosen, "relative": before.get("relative", True)}
        return {**before, "corrections": self.parameters(replace(around, chosen=chosen))["corrections"]}

    def first(self, around: Surroundings) -> Note | None:
        """The corrections that are printed first."""
        printer, made = around.machine.fitting("printer"), self.parameters(around)
        bands = self.piece(made).corrections
        return note(
            "media_feed.print_test",
            printer=printer.name if printer else "",
            first=bands[0],
            last=bands[-1],
            step=round(bands[1] - bands[0], 6),
        )

    def piece(self, parameters: Parameters) -> Bands:
        """From `corrections`, rising, and `relative`."""
        check_parameters(parameters, {"corrections", "relative", "read"})
        if parameters.get("read", "pick") not in ("pick", "each"):
            raise InputError(tr("expected pick or each"), "piece.read")
        given, relative = parameters.get("corrections"), parameters.get("relative", True)
        if not listed(given, 2, MOST_BANDS):
            raise InputError(tr("expected 2 to {most_bands} corrections", most_bands=MOST_BANDS), "piece.corrections")
        if not isinstance(relative, bool):
            raise InputError(tr("expected true or false, got {given}", given=shown_input(relative)), "piece.relative")
        values = tuple(number(v, f"piece.corrections[{i}]", -LARGEST, LARGEST) for i, v in enumerate(given))
        if any(b <= a for a, b in pairwise(values)):
            raise InputError(tr("must rise from band to band"), "piece.corrections")
        return Bands(values, relative)

    def measurands(self, piece: Bands) -> tuple[Measurand, ...]:
        """The best band, or what each looks like."""
        n = len(piece.corrections)
        where = Meets(piece.corrections, piece.relative)
        pick = Measurand("pick", "media_feed.pick", "", 0.0, where, hint="media_feed.how", options=n, unit="")
        each = tuple(
            Measurand(
                name,
                note("media_feed.band", number=i + 1),
                "",
                0.0,
                replace(where, band=i),
                hint="media_feed.how_band",
                options=len(WORDS),
                unit="",
            )
            for i, name in enumerate(piece.names)
        )
        return (pick, *each)

    def asks(self, measurand: Measurand, chosen: Parameters) -> bool:
        """The pick alone, or a word for each."""
        return (measurand.name == "pick") is (chosen.get("read", "pick") == "pick")

    def answer(self, case: Case) -> Solution:
        """The correction at which bands just meet."""
        bands = self.piece(case.piece)
        check_readings(case, (*self.read_by.names, *bands.names), positive=True)
        n = len(bands.corrections)
        picked = case.picked("pick", n)
        judged_as = [round(number_of(r)) - 1 for r in case.readings.get("bands", ())]
        one_by_one = [round(number_of(case.readings[m][-1])) - 1 for m in bands.names if case.readings.get(m)]
        if one_by_one and len(one_by_one) < n and not picked and not judged_as:
            return Solution((no_number(case, QUANTITY, Verdict.UNRESOLVED, note("media_feed.some_left")),))
        judged_as = judged_as or one_by_one
        if not picked and not judged_as:
            return Solution((no_number(case, QUANTITY, Verdict.UNRESOLVED, note("nothing_read")),))
        if judged_as and len(judged_as) != n:
            raise InputError(
                tr("one judgement for each of the {n} bands, got {given}", n=n, given=len(judged_as)), "readings.bands"
            )
        if judged_as and any(b < a for a, b in pairwise(judged_as)) and not case.confirmed:
            return Solution((no_number(case, QUANTITY, Verdict.IMPLAUSIBLE, note("media_feed.out_of_order")),))
        low, high = _judged_range(bands, judged_as) if judged_as else _picked_range(bands, picked)
        if low is None or high is None:
            why, figures = _beyond(bands, more=high is None)
            return Solution((no_number(case, QUANTITY, Verdict.UNRESOLVED, why),), figures=figures)
        held = case.amount(QUANTITY)
        value = (low + high) / 2 + (held.base if bands.relative else 0.0)
        error = Uncertain(held.base - value, picked_between((high - low) / 2, bands.step))
        change = trim_number((low + high) / 2, 4).replace("-", "−")
        line = f"{trim_number(held.base, 4) if bands.relative else '0'} + {change}"
        finding = judged(
            case, amount_outcome(case, QUANTITY, value, error, arithmetic(line.replace("+ −", "− "))), self
        )
        pick = sum(picked) / len(picked) if picked else None
        figures = {"best": [low, high], "corrections": list(bands.corrections), "pick": pick}
        return Solution((finding,), figures=figures)

    def predict(self, case: Case, readings_each: int) -> dict[str, float]:
        """U of a band in the middle that meets."""
        bands = self.piece(case.piece)
        return {QUANTITY: Uncertain(0.0, picked_between(bands.step / 2, bands.step)).U}

    def chart(self, figures: Figures) -> Rungs | None:
        """The row, and which was picked."""
        if "corrections" not in figures or "best" not in figures:
            return None
        values = tuple(figures["corrections"])
        return Rungs(values, (None,) * len(values), figures.get("pick"), None, "media_feed.row")

    def example(self) -> JsonObject:
        """Nine bands; the sixth still overlaps, the seventh gaps."""
        return {
            "procedure": "media-feed",
            "machine": {"values": {"media_feed": 0.2}, "decimals": 3},
            "piece": {"corrections": [-0.4, -0.3, -0.2, -0.1, 0.0, 0.1, 0.2, 0.3, 0.4], "relative": True},
            "tolerance": 0.05,
            "subject": {"printer": "roll-printer", "material": "display-film"},
            "readings": [{"measurand": "pick", "values": [6.5]}],
        }

    def usual_piece(self) -> Parameters:
        """About what is in force."""
        return {"corrections": [round(0.1 * i, 1) for i in range(-4, 5)], "relative": True}


PROCEDURE = MediaFeed()


def _about(middle: float, step: float, n: int) -> list[float]:
    """So many corrections about one, %."""
    return [round(middle + step * (i - n // 2), 6) for i in range(n)]


def _picked_range(bands: Bands, picked: Sequence[float]) -> tuple[float | None, float | None]:
    """Half a step about the band that was picked, a quarter about what lies between two; open beyond the ends."""
    ends: list[tuple[float | None, float | None]] = []
    n = len(bands.corrections)
    for at in picked:
        reach = 0.25 if at % 1 else 0.5
        low = bands.at(at - reach) if at - reach >= 1 else None
        high = bands.at(at + reach) if at + reach <= n else None
        ends.append((low, high))
    lows, highs = [low for low, _ in ends], [high for _, high in ends]
    low = None if None in lows else sum(v for v in lows if v is not None) / len(lows)
    high = None if None in highs else sum(v for v in highs if v is not None) / len(highs)
    return low, high


def _judged_range(bands: Bands, judged_as: Sequence[int]) -> tuple[float | None, float | None]:
    """Between the last that overlaps and the first that gaps: halfway to those that meet, where there are any."""
    overlaps = [c for c, j in zip(bands.corrections, judged_as, strict=True) if j == 0]
    meets = [c for c, j in zip(bands.corrections, judged_as, strict=True) if j == 1]
    gaps = [c for c, j in zip(bands.corrections, judged_as, strict=True) if j == 2]
    if meets:
        low = (max(overlaps) + min(meets)) / 2 if overlaps else None
        high = (min(gaps) + max(meets)) / 2 if gaps else None
        return low, high
    return (max(overlaps) if overlaps else None), (min(gaps) if gaps else None)


def _beyond(bands: Bands, *, more: bool) -> tuple[Note, JsonObject]:
    """Nothing in the range is best: which way to go on, with the corrections of the next test."""
    first, last = bands.corrections[0], bands.corrections[-1]
    by = (last - first) * (1 if more else -1)
    proposed = [round(c + by, 6) for c in bands.corrections]
    return note("media_feed.beyond", more=more, first=proposed[0], last=proposed[-1]), {"next_corrections": proposed}
