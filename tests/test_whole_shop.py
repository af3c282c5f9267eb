"""Machines, instruments, plotters, the logbook and what leaves the shop, without a window."""

from __future__ import annotations

import csv
import io
import json
import math
import random
import re
import shutil
import subprocess
from dataclasses import replace
from datetime import date
from itertools import product
from pathlib import Path
from statistics import variance

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from driving import record_text, states
from keen_compass.errors import FileFormatError, InputError, PieceError
from keen_compass.formats.drawings import with_flicks, write_svg
from keen_compass.formats.hpgl import write_hpgl
from keen_compass.machines.forms import machine_fields, read_machine
from keen_compass.machines.instrument_form import instrument_fields, read_instrument
from keen_compass.machines.instrument_record import instrument_from_json, instrument_to_json
from keen_compass.machines.profile import Machine
from keen_compass.machines.shown import show_length, show_size
from keen_compass.pieces.stepped import MEASURANDS, SteppedOutline
from keen_compass.practice import stand_in
from keen_compass.practice.demo_machines import HERON, KINGFISHER, SWIFT
from keen_compass.practice.playing import correct_all, play, read_all
from keen_compass.procedures import understands
from keen_compass.procedures.stages import Step
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.digits import with_uncertainty
from keen_compass.quantities.families import Lives
from keen_compass.quantities.geometry import Box
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.lengths import Length
from keen_compass.quantities.notes import note
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.quantities.standpoint import Standpoint
from keen_compass.quantities.verdict import Verdict
from keen_compass.reports.record import record_of
from keen_compass.reports.table import to_csv
from keen_compass.rounds import RoundSession
from keen_compass.shop.exchange import from_json, to_json
from keen_compass.shop.logbook import NUMBER, TABLE, Filter, Log, entries
from keen_compass.shop.rows import Damage
from keen_compass.shop.standing import State, spokes
from keen_compass.shop.store import Shop
from keen_compass.standin.hpgl_reader import read_hpgl
from keen_compass.standin.router import Router
from keen_compass.standin.svg_reader import read_svg
from keen_compass.standin.truth import Truth
from keen_compass.words.logbook import entry_words
from strict_reader import path_of

# Machines and instruments as typed

VALUES = {q: StoredResolution(ResolutionForm.STEPS_PER_MM, 106.667) for q in ("x_steps", "y_steps")}


@pytest.mark.parametrize("machine", [HERON, SWIFT, KINGFISHER], ids=lambda m: m.name)
def test_a_profile_survives_its_form_and_its_file(machine: Machine) -> None:
    held = {q: StoredResolution(machine.form, 99.5, 100.0 * (machine.form == "pair")) for q in VALUES}
    fields = machine_fields(machine, held)
    again, stored, complaints = read_machine(fields, machine.standpoint, machine)
    assert complaints == {}
    assert again is not None
    assert stored == held
    assert Machine.from_json(json.loads(json.dumps(machine.to_json()))) == machine
    for name in ("name", "kind", "form", "decimals", "standpoint", "setting_line", "tools", "file"):
        assert getattr(again, name) == getattr(machine, name), name
    # Lengths are shown as the shop wants them: to 1/64 in at worst.
    assert again.bed == pytest.approx(machine.bed, abs=0.2)
    for q in QUANTITIES:
        if QUANTITIES[q].lives is not Lives.COMPUTED:
            assert again.tolerance(q) == pytest.approx(machine.tolerance(q), rel=2e-2), q
    for name in ("z_travel", "gantry", "step_limit", "acceleration", "flipped"):
        assert getattr(again, name) == pytest.approx(getattr(machine, name)), name
    assert {k: again.setting_keys[k] for k in machine.setting_keys} == machine.setting_keys


@pytest.mark.parametrize(
    ("field", "text", "says"),
    [
        ("name", "", "name"), ("name", "x" * 41, "at most"), ("bed_x", "-3", "negative"),
        ("bed_x", "0", "larger than 0"),
        ("bed_y", "wide", "can't read"), ("decimals", "12", "between"), ("decimals", "many", "number"),
        ("x_steps", "", "number"), ("x_steps", "0", "larger than 0"), ("tolerance_y_steps", "1,234", "1.234 or 1234"),
        ("stock_x", "5000", "larger than the bed"), ("setting_line", "X=5", "{value}"),
        ("setting_line", "{key}={value}{colour}", "only {key}"), ("due_months", "0", "between"),
    ],
)  # fmt: skip
def test_each_wrong_field_is_told_by_itself(field: str, text: str, says: str) -> None:
    fields = machine_fields(HERON, VALUES) | {field: text}
    machine, _, complaints = read_machine(fields, Standpoint(), HERON)
    assert machine is None
    assert set(complaints) == {field}
    assert says in complaints[field]


@pytest.mark.parametrize(
    ("form", "text", "json_form"),
    [
        (ResolutionForm.STEPS_PER_INCH, "2709,33", 2709.33), (ResolutionForm.PERCENT_0, "−0.4", -0.4),
        (ResolutionForm.PAIR, "100 for 100.214", {"commanded": 100.0, "measured": 100.214}),
    ],
)  # fmt: skip
def test_controllers_numbers_as_typed(form: ResolutionForm, text: str, json_form: object) -> None:
    place = replace(HERON, form=form).place("x_steps")
    stored = place.typed(text)
    assert stored.to_json() == json_form
    assert place.typed(place.text(stored)) == stored


def test_an_instrument_survives_its_form_and_its_file() -> None:
    caliper = Instrument("Caliper", 0.01, (0.02, 2e-5), reach=300.0, uid="c", due=date(2027, 3, 1), zero=-0.01)
    again, complaints = read_instrument(instrument_fields(caliper), caliper)
    assert (again, complaints) == (caliper, {})
    assert instrument_from_json(json.loads(json.dumps(instrument_to_json(caliper)))) == caliper
    rule, _ = read_instrument(instrument_fields(caliper) | {"kind": "steel rule"}, None)
    assert rule is not None
    assert rule.both_ends
    for field, text in (("resolution", "0"), ("due", "next week"), ("name", ""), ("error_b", "-1"), ("unit", "ell")):
        _, complaints = read_instrument(instrument_fields(caliper) | {field: text}, None)
        assert set(complaints) == {field}
    assert caliper.overdue(date(2027, 3, 2))
    assert not caliper.overdue(date(2027, 3, 1))


def test_lengths_are_shown_as_the_shop_wants_them() -> None:
    assert show_length(400.0, "mm") == "400 mm"
    assert show_length(400.05, "in") == "15.75 in"
    assert show_length(400.05, "in 1/64") == "15 3/4 in"
    assert show_size(400.05, 254.0, "in 1/64") == "15 3/4 × 10 in"


def test_a_change_of_profile_changes_no_finding(shop: Shop) -> None:
    before = [f.finding for f in shop.findings("heron", "x_steps")]
    heron = shop.machine("heron")
    shop.put_machine(replace(heron, form=ResolutionForm.UM_PER_STEP, tolerances={"x_steps": 9.0}, decimals=5))
    assert [f.finding for f in shop.findings("heron", "x_steps")] == before
    assert states(shop, "heron") == [State.OUT, State.OUT]


def test_a_retired_machine_leaves_the_rail_and_keeps_its_logbook(shop: Shop) -> None:
    shop.put_machine(replace(shop.machine("swift"), retired=True))
    assert [m.name for m in shop.machines()] == ["Heron", "Kingfisher", "Ember"]
    assert shop.findings("swift", "x_steps")


def test_repeats_are_learnt_from_the_logbook(shop: Shop) -> None:
    """Against the readings grouped by hand; an instrument never used has none."""
    groups: dict[tuple[int, str], list[float]] = {}
    for machine in shop.machines():
        for piece in shop.machine_pieces(machine.uid):
            for reading in shop.readings(piece.id):
                if reading.instrument == "caliper-600" and isinstance(reading.reading, Length):
                    groups.setdefault((piece.id, reading.measurand), []).append(reading.reading.mm)
    dof = sum(len(g) - 1 for g in groups.values())
    pooled = math.sqrt(sum((len(g) - 1) * variance(g) for g in groups.values()) / dof)
    learnt = shop.repeatability("caliper-600")
    assert learnt is not None
    assert (learnt.s, learnt.dof) == (pytest.approx(pooled), dof)
    assert shop.repeatability("never used") is None
    read_with = {piece for piece, _ in groups}
    at = min(p.at for m in shop.machines() for p in shop.machine_pieces(m.uid) if p.id in read_with)
    assert shop.repeatability("caliper-600", at) is None
    session = RoundSession.begin(shop, shop.machine("heron"), "rectangle")
    assert session.context.instrument is not None
    assert session.context.instrument.repeats == learnt


def test_a_withdrawn_reading_teaches_nothing(shop: Shop) -> None:
    before = shop.repeatability("caliper-600")
    piece = next(p for p in shop.machine_pieces("heron") if "short_width" in p.parameters)
    wild = replace(shop.readings(piece.id)[0].reading, mm=1.0)
    slot = shop.put_reading(piece.id, "width", wild, "caliper-600")
    assert shop.repeatability("caliper-600") != before
    shop.put_reading(piece.id, "width", wild, "caliper-600", slot=slot, withdrawn=True)
    assert shop.repeatability("caliper-600") == before


# Plotters


def swift_session(shop: Shop) -> RoundSession:
    session = RoundSession.begin(shop, shop.machine("swift"), "rectangle")
    session.making.choose(instrument="rule-60in")
    session.making.choose(size=session.making.proposed_size())
    return session


@settings(max_examples=25)
@given(st.integers(150, 3000), st.integers(120, 600))
def test_hpgl_says_what_the_path_says(width: int, height: int) -> None:
    path = path_of(SteppedOutline.sized(width, height, drawn=True), 7)
    moves = [m for m in read_hpgl(write_hpgl(path)) if m.z <= 0]
    low_x, low_y, high_x, high_y = path.extents()
    assert min(m.x for m in moves) == pytest.approx(low_x, abs=0.0126)
    assert max(m.x for m in moves) == pytest.approx(high_x, abs=0.0126)
    assert (min(m.y for m in moves), max(m.y for m in moves)) == pytest.approx((low_y, high_y), abs=0.0126)


def test_an_independent_plotter_draws_the_same_extents(tmp_path: Path) -> None:
    (tmp_path / "p.plt").write_text(write_hpgl(path_of(SteppedOutline(400, 300, 120, 90, drawn=True), 1)))
    command = ["hp2xx", "-m", "eps", "-t", "-f", str(tmp_path / "p.eps"), str(tmp_path / "p.plt")]
    subprocess.run(command, check=True, capture_output=True)
    box = re.search(r"%%BoundingBox: (\S+) (\S+) (\S+) (\S+)", (tmp_path / "p.eps").read_text())
    assert box is not None
    x0, y0, x1, y1 = map(float, box.groups())
    assert (x1 - x0, y1 - y0) == pytest.approx((400 * 72 / 25.4, 300 * 72 / 25.4), abs=6)


@pytest.mark.parametrize(
    ("file", "says"),
    [
        ("IN;PD0,0;", "without a pen"),
        ("IN;SP1;PD5;", "without its Y"),
        ("IN;EA5,5;", "not known"),
        ("IN;SP1;PD;AA5,5;", "the centre"),
        ("IN;?", "can't read"),
    ],
)
def test_a_plotter_stops_at_what_it_does_not_know(file: str, says: str) -> None:
    with pytest.raises(FileFormatError, match=says):
        read_hpgl(file)


@settings(max_examples=15)
@given(st.integers(160, 600), st.integers(160, 600), st.floats(0, 0.6))
def test_plotter_files_make_the_piece_whatever_the_lost_motion(width: int, height: int, lost: float) -> None:
    """Both files, on a plotter with play: every drawn length comes out nominal."""
    one = StoredResolution(ResolutionForm.PERCENT_100, 100.0)
    truth = Truth({"x": 100.0, "y": 100.0}, {"x": lost, "y": lost / 2}, 0.0, 0.0, (0.0, 0.0), 0.0)
    piece = SteppedOutline.sized(width, height, drawn=True)
    path = path_of(piece, 3).moved(40, 40)
    for file, density in ((write_hpgl(path, 100.0), 100.0), (write_svg(with_flicks(path)), 40.0)):
        made = Router(truth, {"x_steps": one, "y_steps": one}, 1).make(file, 1, density)
        for m in MEASURANDS:
            length = made.read(piece.dimension_line(m), m, 1, Instrument(resolution=1e-4), random.Random(1))[0]
            assert length == pytest.approx(piece.nominal(m), abs=0.011), (m, file[:4])


@pytest.mark.parametrize("text", ["<svg", "<p>no drawing</p>", '<svg xmlns="http://www.w3.org/2000/svg" width="5in"/>'])
def test_a_drawing_without_its_size_is_refused(text: str) -> None:
    with pytest.raises(FileFormatError):
        read_svg(text)


def test_a_router_takes_no_drawing() -> None:
    with pytest.raises(InputError, match="takes G-code"):
        replace(HERON, file="svg")
    _, _, complaints = read_machine(machine_fields(HERON, VALUES) | {"file": "svg"}, Standpoint(), HERON)
    assert complaints == {"file": "a router takes G-code"}
    plotter, _, complaints = read_machine(machine_fields(SWIFT, VALUES) | {"file": "svg"}, Standpoint(), SWIFT)
    assert plotter is None or plotter.file_format == "svg"


def test_the_demo_shows_every_state(shop: Shop) -> None:
    states = {s.state for m in shop.machines() for s in spokes(shop, m)}
    assert states == set(State)


def test_a_machine_without_a_port_is_told_its_lines_and_asked_what_it_shows(shop: Shop) -> None:
    shop.put_stand_in("kingfisher", {})
    session = RoundSession.begin(shop, shop.machine("kingfisher"), "rectangle")
    session.making.choose(instrument="rule-1000")
    with pytest.raises(InputError, match="no stand-in"):
        stand_in.make(session)
    assert session.making.extension == "svg"
    session.making.new_sheet()
    session.making.made()
    session.after_making()
    shape = session.measuring.shape()
    for _ in range(3):
        for m in ("width", "height", "short_width", "short_height"):
            session.measuring.type(f"{shape.nominal(m) * 1.004:.1f}")
            assert session.measuring.keep()
    session.go(Step.CORRECT)
    x, y = session.measuring.findings()
    assert session.correcting.line(x).startswith("ACROSS 100 for 100.")
    with pytest.raises(InputError, match="Type the number"):
        session.correcting.enter("x_steps", "100 for")
    session.correcting.enter("x_steps", f"100 for {session.correcting.proposed(x)}")
    assert session.correcting.entered("x_steps") == StoredResolution.from_input(ResolutionForm.PAIR, x.new)
    session.correcting.decide("y_steps", False)
    assert session.correcting.done()
    assert y.old == {"commanded": 100.0, "measured": 100.0}


def test_relative_moves_are_read_too() -> None:
    moves = read_hpgl("IN;SP1;PU400,400;PR;PD40,0,0,80;PU;")
    assert (moves[-1].x, moves[-1].y) == (11.0, 12.0)


def test_a_round_on_the_roll_in_fractions_of_an_inch(shop: Shop) -> None:
    session = swift_session(shop)
    parameters = session.making.parameters()
    assert parameters["made_by"] == "drawn"
    assert parameters["width"] % 12.7 == pytest.approx(0, abs=1e-6)
    assert parameters["height"] <= 600
    assert session.making.file_text().startswith("IN;")
    stand_in.make(session)
    session.after_making()
    read_all(session)
    piece = session.context.piece
    assert piece is not None
    texts = [r.text for r in shop.readings(piece.id)]
    assert any("/" in t for t in texts)
    assert {r.reading.unit for r in shop.readings(piece.id)} == {"in"}
    findings = session.measuring.findings()
    truth = shop.stand_in("swift")
    assert truth is not None
    for f in findings:
        real = (float(f.old) / truth["motion"][f.quantity[0]] - 1) * 1000  # type: ignore[arg-type]
        assert f.error == pytest.approx(real, abs=1.3 * (f.expanded_uncertainty or 0))
    assert session.correcting.line(findings[0]).startswith("FEED SCALE: ")


def test_the_feed_may_be_either_letter(shop: Shop) -> None:
    turned = replace(SWIFT, uid="turned", bed=(630.0, 8000.0), standpoint=Standpoint("right", "toward"))
    stock = turned.stock
    assert stock is not None
    shop.put_machine(replace(turned, stock=replace(stock, x=15.0, y=0.0, width=600.0, height=1600.0)))
    for quantity in VALUES:
        shop.put_value("turned", quantity, StoredResolution(SWIFT.form, 100.0), "start")
    session = RoundSession.begin(shop, shop.machine("turned"), "rectangle")
    parameters = session.making.parameters(1000.0)
    assert parameters["height"] == 1000.0
    assert parameters["width"] < 600
    place = session.making.place(1000.0)
    assert place is not None
    assert Box(15, 0, 600, 1600).holds(place)


def test_a_whole_round_on_the_plotter_ends_in(shop: Shop) -> None:
    session = swift_session(shop)
    for _ in range(3):
        if session.making.refusal():
            session.making.new_sheet()
        stand_in.make(session)
        session.after_making()
        read_all(session)
        if not session.may_not_sign():
            break
        session.go(Step.CORRECT)
        correct_all(session)
        session.go(Step.CONFIRM)
    session.sign("as fine as the rule tells")
    assert {f.verdict for f in session.measuring.findings()} <= {Verdict.IN, Verdict.CANNOT_TELL}


# The logbook


def test_the_logbook_is_newest_first_and_filters(shop: Shop) -> None:
    everything = entries(shop)
    assert [e.at for e in everything] == sorted((e.at for e in everything), reverse=True)
    out = entries(shop, Filter(machine="heron", quantity="x_steps", verdict="out"))
    assert out
    assert all((e.machine, e.quantity, e.verdict) == ("heron", "x_steps", "out") for e in out)
    middle = everything[len(everything) // 2].at
    assert entries(shop, Filter(since=middle)) == [e for e in everything if e.at >= middle]
    assert entries(shop, most=3) == everything[:3]
    assert any("Moved to the new hall" in entry_words(e) for e in everything)
    assert all(re.fullmatch(r"X steps out: [+−][\d.]+ ± (\d\.\d|0\.0*\d\d) mm/m", entry_words(e)) for e in out)


def test_a_log_gone_through_in_memory_says_what_the_file_says(shop: Shop) -> None:
    """Every combination of filters, with rows of one time (the last written first) and with one that is damaged."""
    same = shop.clock()
    shop.clock = lambda: same
    for words in ("first", "second", "third"):
        shop.put_event("heron", "note", words)
    log = Log(shop)
    everything = entries(shop)
    assert [log.entry(key) for key in log.passing(Filter())] == everything
    times = ("", everything[7].at, everything[-1].at, "2100")
    for wanted in map(Filter._make, product(("", "heron", "ember"), ("", "x_steps", "kerf"), ("", "in", "out"), times)):
        assert [log.entry(key) for key in log.passing(wanted)] == entries(shop, wanted), wanted
    assert log.version == shop.version
    shop.put_event("heron", "note", "since then")
    assert log.version != shop.version
    assert Log(shop).entry(Log(shop).passing(Filter())[0]).first == "since then"
    assert shop.findings("heron", "x_steps", 2) == shop.findings("heron", "x_steps")[-2:]
    key = next(k for k in log.passing(Filter("heron")) if k[TABLE] == "finding")
    shop._f._found(Damage("finding", key[NUMBER], note("shop.list", table="finding")))
    assert key not in Log(shop).passing(Filter())


def test_csv_is_what_the_filters_show(shop: Shop) -> None:
    shop.put_event("heron", "note", "=1+1")
    rows = list(csv.DictReader(io.StringIO(to_csv(shop, Filter(machine="heron")))))
    assert len(rows) == len(entries(shop, Filter(machine="heron")))
    assert rows[0]["words"] == "'=1+1"  # no spreadsheet runs it
    assert {r["machine"] for r in rows} == {"Heron"}


def test_json_moves_a_logbook_into_another_shop(shop: Shop, tmp_path: Path) -> None:
    shop.put_reading(shop.machine_pieces("heron")[0].id, "width", shop.readings(1)[0].reading, "caliper-600", slot=1)
    other = Shop(tmp_path / "other.kcshop")
    waits = {kept.id for kept in shop.open_rounds("kingfisher", "proof")}  # whose print dries
    assert from_json(other, to_json(shop), understands) == len({e.round for e in entries(shop) if e.round} | waits)
    dries, theirs = (RoundSession.begin(s, s.machine("kingfisher"), "proof").making for s in (shop, other))
    assert theirs.next_number() == dries.next_number()
    assert theirs.sheets.pdf() == dries.sheets.pdf()
    assert other.machines() == shop.machines()
    assert [(e.at, entry_words(e)) for e in entries(other)] == [(e.at, entry_words(e)) for e in entries(shop)]
    for mine, theirs in zip(shop.machine_pieces("swift"), other.machine_pieces("swift"), strict=True):
        assert [r.reading for r in shop.readings(mine.id)] == [r.reading for r in other.readings(theirs.id)]
    before = to_json(other)
    assert from_json(other, to_json(shop), understands) == 0  # what is there already stays out
    assert to_json(other) == before
    other.close()


def test_json_of_one_machine_brings_only_that(shop: Shop, tmp_path: Path) -> None:
    other = Shop(tmp_path / "other.kcshop")
    from_json(other, to_json(shop, "swift"), understands)
    assert [m.name for m in other.machines()] == ["Swift"]
    assert {e.machine for e in entries(other)} == {"swift"}
    other.close()


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("nonsense", "not a logbook file"), ("{}", "doesn’t say"), ("[" * 100_000, "not a logbook file"),
        ('{"format": "keen-compass-logbook", "version": 9}', "version 9"),
        ('{"format": "keen-compass-logbook", "version": 3, "tables": {"machine": []}}', "lacks"),
    ],
)  # fmt: skip
def test_a_file_that_is_no_logbook_changes_nothing(shop: Shop, text: str, says: str) -> None:
    before = to_json(shop)
    with pytest.raises(FileFormatError, match=says):
        from_json(shop, text, understands)
    assert to_json(shop) == before


def test_the_record_of_a_signed_round_reads_back(shop: Shop, tmp_path: Path) -> None:
    signed = next(e for e in entries(shop, Filter(machine="heron")) if e.kind == "signed")
    assert signed.round is not None
    text = record_text(shop, signed.round, tmp_path)
    piece = shop.pieces(signed.round)[-1]
    for reading in shop.readings(piece.id):
        assert reading.text in text
    for words in ("Heron", "Long caliper 600 mm", "X steps, steps/mm", "stays", "Keen Compass 0.1.0"):
        assert words in text, words
    assert subprocess.run(["pdfimages", "-list", str(tmp_path / "r.pdf")], capture_output=True, text=True, check=True)\
        .stdout.count("\n") == 2  # vector only: the listing's two head lines and no picture  # fmt: skip
    given_up = next(e for e in entries(shop, Filter(machine="heron")) if e.kind == "given_up")
    with pytest.raises(InputError, match="Only a signed round"):
        record_of(shop, given_up.round or 0)


@pytest.mark.parametrize(("procedure", "quantity"), [("rectangle", ""), ("backlash", "y_backlash"), ("home", "")])
def test_what_was_signed_is_never_computed_again(shop: Shop, tmp_path: Path, procedure: str, quantity: str) -> None:
    """A new certificate for the instrument, another name and other forms for the machine: the record stays."""
    shop.put_event("heron", "new_sheet", "New sheet")
    session = play(shop, shop.machine("heron"), procedure, quantity)
    said = session.measuring.findings()
    before, kept = record_text(shop, session.context.kept.id, tmp_path), session.context.kept.id
    signed = [f.finding for f in shop.findings_of(kept) if f.piece == session.context.pieces[-1].id]
    assert [(f.error, f.expanded_uncertainty, f.verdict) for f in said] == [
        (f.error, f.expanded_uncertainty, f.verdict) for f in signed
    ]
    for instrument in shop.instruments():
        shop.put_instrument(replace(instrument, name=f"{instrument.name} B", permissible_error=(0.3, 0.001), zero=0.2))
    heron = shop.machine("heron")
    shop.put_machine(replace(heron, name="Heron the Second", form=ResolutionForm.STEPS_PER_INCH, decimals=1))
    shop.put_value("heron", "x_steps", StoredResolution(ResolutionForm.STEPS_PER_INCH, 2700.0), "typed")
    again = RoundSession(shop, shop.round(kept))
    assert again.measuring.findings() == said
    assert record_text(shop, kept, tmp_path) == before


def test_a_round_signed_before_answers_were_kept_shows_what_its_logbook_says(tmp_path: Path) -> None:
    data = Path(__file__).parent / "data" / "small.kcshop"
    shop = Shop(Path(shutil.copy(data, tmp_path / "old.kcshop")))
    (kept,) = [k for k in shop.rounds("heron") if k.procedure == "rectangle" and k.status == "signed"]
    for instrument in shop.instruments():
        shop.put_instrument(replace(instrument, permissible_error=(0.3, 0.001)))
    found = {f.finding.quantity: f.finding for f in shop.findings_of(kept.id)}
    text = record_text(shop, kept.id, tmp_path)
    for quantity in ("x_steps", "y_steps"):
        f = found[quantity]
        assert f.error is not None
        assert f.expanded_uncertainty is not None
        assert with_uncertainty(f.error, f.expanded_uncertainty) in text
    shop.close()


def test_a_round_left_alone_says_since_when(shop: Shop) -> None:
    session = RoundSession.begin(shop, shop.machine("heron"), "rectangle")
    touched = shop.last_touched(session.context.kept.id)
    session.making.new_sheet()
    session.making.choose(passes=2)
    assert shop.last_touched(session.context.kept.id) > touched


def test_a_piece_off_the_bed_is_refused_in_the_session_too(shop: Shop) -> None:
    session = RoundSession.begin(shop, shop.machine("heron"), "rectangle")
    session.making.choose(size=5000.0)
    assert session.making.refusal()
    with pytest.raises(PieceError):
        session.making.made()
