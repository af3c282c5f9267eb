"""A controller at the other end of a cable: practice controllers with every fault, and a cable that is pulled."""

from __future__ import annotations

import contextlib
import io
import json
import os
import pty
import random
import re
import select
import subprocess
import sys
import threading
import time
import tty
from collections.abc import Callable, Iterable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keen_compass.cli import main
from keen_compass.controllers import by_port, wire
from keen_compass.controllers.by_port import Cable, find_out
from keen_compass.controllers.practice_dialects import PLOTTER, PRACTICE, TEXT
from keen_compass.controllers.program import commands_of
from keen_compass.controllers.wire import Exchange, Progress, RunControl
from keen_compass.errors import InputError, PortError
from keen_compass.machines.dialect import Dialect, on_wire, pattern_from
from keen_compass.practice.demo_machines import HERON, SWIFT
from keen_compass.practice.wire import stand_in
from keen_compass.standin.controller import FAULTS, StandInController

LANGUAGES = {"text": (HERON, TEXT, "X_STEPS_PER_MM"), "plotter": (SWIFT, PLOTTER, "FEED SCALE")}
PROGRAMS = {
    "text": "G21\nG90\n" + "".join(f"G1 X{i % 7} Y{i % 5} F3000\n" for i in range(1, 60)) + "M2\n",
    "plotter": "IN;SP1;" + "".join(f"PD{i % 7 * 40},{i % 5 * 40};" for i in range(1, 60)) + "PU0,0;",
}


@pytest.fixture(autouse=True)
def less_patient(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(wire, "ANSWER", 0.5)
    monkeypatch.setattr(by_port, "TRY", 0.3)


@pytest.fixture(params=LANGUAGES)
def language(request: pytest.FixtureRequest) -> str:
    return str(request.param)


def sent_of(program: str, dialect: Dialect) -> list[str]:
    """What goes over the wire of a program."""
    return [c.text for c in commands_of(program.encode(), dialect)]


def wired(language: str, **faults: Any) -> StandInController:
    return stand_in(LANGUAGES[language][0], **faults)


def speaking(language: str) -> Dialect:
    return LANGUAGES[language][1]


def until(true: Callable[[], bool], seconds: float = 30.0) -> None:
    """Wait for what another thread does."""
    end = time.monotonic() + seconds
    while not true():
        assert time.monotonic() < end, "it never came"
        time.sleep(0.01)


def run_all(cable: Cable, program: str, control: RunControl | None = None) -> Progress:
    last = Progress(0, 0, 0)
    for last in cable.run(program.encode(), control or RunControl()):  # noqa: B007
        pass
    return last


# Patterns


def test_a_pattern_is_made_of_an_answer_that_was_seen() -> None:
    pattern = pattern_from("<pos: 12.500, -3.000, 0.000 | idle>")
    assert pattern == "<pos: {x}, {y}, {z} | idle>"
    d = Dialect("own", acknowledged="ok!|fine", position="[{x} : {y}]", refused="E{n} {why}")
    assert d.matches("position", "  [-4.25 :  7]  ") == {"x": "-4.25", "y": "7"}
    assert d.matches("position", "[4.25]") is None
    assert d.matches("acknowledged", "fine") == {}
    assert d.matches("acknowledged", "fine, thanks") is None
    assert d.matches("refused", "E12 out of travel") == {"n": "12", "why": "out of travel"}
    assert d.matches("alarm", "anything") is None


@given(st.lists(st.decimals(-9999, 9999, places=3), min_size=2, max_size=3), st.sampled_from(["<", "at ", "pos="]))
def test_whatever_numbers_it_says_its_pattern_finds_them_again(numbers: list[Any], begins: str) -> None:
    example = begins + " ".join(map(str, numbers))
    d = Dialect("own", acknowledged="ok", position=pattern_from(example))
    found = d.matches("position", example)
    assert found is not None
    assert [float(v) for v in found.values()] == [float(n) for n in numbers]


@pytest.mark.parametrize(
    ("change", "where"),
    [
        ({"set_value": "set {name}"}, "set_value"), ({"position": "at {x}"}, "position"), ({"stop": "€"}, "stop"),
        ({"acknowledged": ""}, "acknowledged"), ({"jog": "{axis"}, "jog"), ({"name": " "}, "name"),
        ({"per_mm": 0}, "per_mm"), ({"baud": 7}, "baud"), ({"ends": "x"}, "ends"), ({"group": 0}, "group"),
        ({"colour": "red"}, "colour"), ({"baud": "fast"}, "baud"), ({"refused": 5}, "refused"),
        ({"position_acknowledged": 1}, "position_acknowledged"), ({"jog": "{axis!r}"}, "jog"),
        ({"position": "{x} {y} {x}"}, "position"), ({"refused": "E{n} or {n}"}, "refused"),
    ],
)  # fmt: skip
def test_a_profile_that_says_what_cannot_be_is_refused_with_its_place(change: dict[str, Any], where: str) -> None:
    with pytest.raises(InputError) as refused:
        Dialect.from_json(TEXT.to_json() | change)
    assert refused.value.place == where


def test_profiles_survive_json_and_escapes_are_bytes() -> None:
    for d in PRACTICE:
        assert Dialect.from_json(json.loads(json.dumps(d.to_json()))) == d
    assert on_wire(r"\x1b.K") == b"\x1b.K"
    with pytest.raises(InputError):
        Dialect.from_json([])


# Asked and told


def test_what_it_holds_is_read_sent_and_read_back(language: str) -> None:
    key = LANGUAGES[language][2]
    with wired(language) as controller:
        assert find_out(controller.path, PRACTICE) == speaking(language)
        with Cable(controller.path, speaking(language)) as cable:
            assert {e.key: e.value for e in cable.read().entries} == controller.settings
            assert cable.send(key, "106.321") == "106.321"
            assert controller.settings[key] == "106.321"
            before = dict(controller.settings)
            with pytest.raises(InputError, match="no key"):
                cable.send("NOTHING", "1")
            with pytest.raises(PortError, match="refuses") as refused:
                cable.send(key, "fast")
            assert refused.value.kind == "refused"
            for wrong in ("1\n2", "", "5;6"):
                with pytest.raises(InputError):
                    cable.send(key, wrong)
            assert controller.settings == before


def test_it_is_moved_a_step_at_a_time_and_says_where_it_is(language: str) -> None:
    with wired(language) as controller, Cable(controller.path, speaking(language)) as cable:
        for axis, step in (("x", 10.0), ("y", -0.5), ("x", -0.25)):
            cable.jog(axis, step, 3000)
        time.sleep(0.3)
        where = cable.position()
        assert (where["x"], where["y"]) == (pytest.approx(9.75, abs=0.02), pytest.approx(-0.5, abs=0.02))


def test_what_arrives_is_the_program_and_nothing_else(language: str) -> None:
    with wired(language, fast=500.0) as controller, Cable(controller.path, speaking(language)) as cable:
        seen = list(cable.run(PROGRAMS[language].encode(), RunControl()))
        assert controller.arrived == sent_of(PROGRAMS[language], speaking(language))
        assert [p.acknowledged for p in seen] == sorted(p.acknowledged for p in seen)
        assert seen[-1] == Progress(len(controller.arrived), len(controller.arrived), len(controller.arrived))
        assert not controller.axes.waiting


def test_held_it_stands_and_goes_on_where_it_was(language: str) -> None:
    control = RunControl()
    with (
        wired(language, fast=4.0 if language == "text" else 20.0) as controller,
        Cable(controller.path, speaking(language)) as cable,
    ):
        held_at: list[int] = []

        def hold_a_while() -> None:
            time.sleep(0.3)
            control.hold.set()
            time.sleep(0.3)
            held_at.append(len(controller.arrived))
            time.sleep(0.3)
            held_at.append(len(controller.arrived))
            control.hold.clear()

        other = threading.Thread(target=hold_a_while)
        other.start()
        seen = list(cable.run(PROGRAMS[language].encode(), control))
        other.join()
        assert held_at[0] == held_at[1] < len(controller.arrived)
        assert any(p.holding for p in seen)
        assert controller.arrived == sent_of(PROGRAMS[language], speaking(language))


def test_stop_acts_at_once_whatever_waits(language: str) -> None:
    long = "G1 X900 F60\n" * 50 if language == "text" else "PD40000,0;" * 50
    with wired(language, fast=1.0) as controller, Cable(controller.path, speaking(language)) as cable:
        control = RunControl()
        said: list[PortError] = []

        def go() -> None:
            try:
                run_all(cable, long, control)
            except PortError as error:
                said.append(error)

        other = threading.Thread(target=go)
        other.start()
        until(lambda: bool(controller.axes.waiting))
        cable.stop(control)
        other.join()
        until(lambda: bool(controller.stopped_at))
        assert said[0].kind == "stopped"
        assert len(controller.arrived) < len(sent_of(long, speaking(language)))
        assert not controller.axes.waiting
        at = controller.axes.at
        time.sleep(0.1)
        assert controller.axes.at == at


def test_a_port_that_takes_no_more_is_neither_lost_nor_in_the_way_of_a_stop() -> None:
    """Nobody reads at the other end, so the port's own buffer fills up in the middle of a long command."""
    master, slave = pty.openpty()
    tty.setraw(slave)
    long = "PD" + ",".join(f"{i},{i}" for i in range(20_000))
    try:
        with Cable(os.ttyname(slave), PLOTTER) as cable:
            with pytest.raises(PortError) as said:
                run_all(cable, long)
            assert said.value.kind == "silence"
            control, kinds = RunControl(), []

            def go() -> None:
                with pytest.raises(PortError) as stopped:
                    run_all(cable, long, control)
                kinds.append(stopped.value.kind)

            other = threading.Thread(target=go)
            other.start()
            time.sleep(0.2)
            with contextlib.suppress(PortError):  # a buffer that nobody empties takes not even a stop
                cable.stop(control)
            other.join()
            assert kinds == ["stopped"]
    finally:
        os.close(master)
        os.close(slave)


# Faults


def _read(cable: Cable, _key: str, _program: str) -> None:
    cable.read()


def _send(cable: Cable, key: str, _program: str) -> None:
    assert cable.send(key, "106.321") == "106.321"


def _position(cable: Cable, _key: str, _program: str) -> None:
    cable.position()


def _jog(cable: Cable, _key: str, _program: str) -> None:
    cable.jog("x", 1.0, 1000)


def _run(cable: Cable, _key: str, program: str) -> None:
    done = run_all(cable, program)
    assert done.acknowledged == done.total > 0


def _stop(cable: Cable, _key: str, _program: str) -> None:
    cable.stop()


OPERATIONS = {"read": _read, "send": _send, "position": _position, "jog": _jog, "run": _run, "stop": _stop}
KINDS = {"silence": {"silence"}, "cut-line": {"cut-line", "garbage"}, "garbage": {"garbage", "cut-line", "silence"},
         "wrong-echo": {"otherwise"}, "reset": {"reset", "silence"}, "alarm": {"alarm"}}  # fmt: skip


def harmless(fault: str, operation: str) -> bool:
    """What a fault doesn't touch: a slow one is only slow, a wrong echo needs a number, a stop waits for no answer."""
    return fault == "slow" or operation == "stop" or (fault == "wrong-echo" and operation != "send")


@pytest.mark.parametrize("operation", OPERATIONS)
@pytest.mark.parametrize("fault", FAULTS)
def test_every_fault_in_every_operation_is_said_with_state_and_way_on(
    fault: str, operation: str, language: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    if harmless(fault, operation):  # it must not be taken for silence on a machine that is busy
        monkeypatch.undo()
    key = LANGUAGES[language][2]
    after = 2 if operation in ("send", "run") and fault != "wrong-echo" else 0  # in the middle of it
    with wired(language, fault=fault, after=after, fast=500.0) as controller:
        old = controller.settings[key]
        with Cable(controller.path, speaking(language)) as cable:
            assert cable.hello()
            if harmless(fault, operation):
                end = speaking(language).end
                short = end.join(sent_of(PROGRAMS[language], speaking(language))[:6]) + end
                OPERATIONS[operation](cable, key, short)
                return
            with pytest.raises(PortError) as said:
                OPERATIONS[operation](cable, key, PROGRAMS[language])
            assert said.value.kind in KINDS[fault]
            for part in (said.value.happened, said.value.state, said.value.way_on):
                assert part.endswith(".")
                assert 8 < len(part) < 160
            now = controller.settings[key]
            if operation == "send" and now != old:  # it was written, so nobody may say that nothing was
                assert "Nothing was changed" not in said.value.state
            if operation == "run":
                assert "commands were acknowledged" in str(said.value)


def test_an_alarm_that_nobody_asked_about_is_not_passed_over(language: str) -> None:
    with wired(language) as controller, Cable(controller.path, speaking(language)) as cable:
        cable.hello()
        cable.position()
        controller.hit_a_switch()
        time.sleep(0.05)
        with pytest.raises(PortError, match="alarm"):
            cable.jog("x", 1.0, 1000)
        assert not controller.axes.waiting
        cable.reset()
        cable.jog("x", 1.0, 1000)


def test_a_number_that_was_written_before_the_answer_was_lost_is_read_back() -> None:
    for after in range(1, 5):
        with stand_in(HERON, fault="cut-line", after=after) as controller, Cable(controller.path, TEXT) as cable:
            cable.hello()
            with pytest.raises(PortError) as said:
                cable.send("X_STEPS_PER_MM", "106.321")
            held = controller.settings["X_STEPS_PER_MM"]
            assert held in said.value.state or "not known" in said.value.state or held == "106.667"


def test_nobody_at_the_other_end_is_said() -> None:
    master, slave = pty.openpty()
    tty.setraw(slave)
    with pytest.raises(PortError, match="doesn’t answer"):
        find_out(os.ttyname(slave), PRACTICE)
    os.close(master)
    os.close(slave)


def test_a_port_that_is_held_or_not_there_is_said(tmp_path: Path) -> None:
    with wired("text") as controller, Cable(controller.path, TEXT), pytest.raises(PortError, match="held by another"):
        Cable(controller.path, TEXT)
    with pytest.raises(PortError, match="not there"):
        Cable(str(tmp_path / "none"), TEXT)
    (tmp_path / "file").write_text("")
    with pytest.raises(PortError, match="can’t be opened"):
        Cable(str(tmp_path / "file"), TEXT)


@pytest.mark.heavy
def test_a_cable_that_is_pulled_at_any_moment_leaves_a_record_of_what_was_sent(language: str) -> None:
    rng = random.Random(f"pulled {language}")
    program = PROGRAMS[language] * 4
    commands = sent_of(program, speaking(language))
    lost = 0
    for _ in range(100):
        controller = wired(language, fast=40.0)
        sent: list[Exchange] = []
        last = Progress(0, 0, 0)
        timer = threading.Timer(rng.uniform(0.0, 0.25), controller.close)
        try:
            with Cable(controller.path, speaking(language), sent.append) as cable:
                timer.start()
                for last in cable.run(program.encode(), RunControl()):  # noqa: B007
                    pass
        except PortError as error:
            lost += 1
            assert error.kind in ("lost", "silence")
            assert f"of {len(commands)}" in error.state or "Nothing" in error.state or error.kind == "lost"
        timer.join()
        controller.close()
        ours = b"".join(e.data for e in sent if e.ours).decode("latin-1")
        assert all(command in ours for command in controller.arrived)
        assert controller.arrived == commands[: len(controller.arrived)]
        assert last.acknowledged <= len(controller.arrived)
    assert lost > 60


# The command line


@pytest.fixture
def on_the_command_line(language: str) -> Iterator[str]:
    with wired(language, fast=500.0) as controller:
        yield controller.path


def test_the_command_line_reads_sends_runs_and_says_where_it_is(
    on_the_command_line: str, language: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    key = LANGUAGES[language][2]
    program = tmp_path / "program"
    program.write_text(PROGRAMS[language])

    def port(*words: str) -> tuple[int, Any]:
        status = main(["port", on_the_command_line, *words])
        said = capsys.readouterr()
        return status, json.loads(said.out) if said.out else said.err

    assert port("send", f"{key}=101.5") == (0, {"held": [{"key": key, "value": "101.5"}]})
    status, body = port("read")
    assert {e["key"]: e["value"] for e in body["entries"]}[key] == "101.5"
    assert set(body["entries"][0]) >= {"key", "value", "remark", "line"}
    status, body = port("run", str(program))
    assert (status, body["commands"]) == (0, len(sent_of(PROGRAMS[language], speaking(language))))
    assert port("position")[1]["x"] == body["position"]["x"]
    own = tmp_path / "own.json"
    own.write_text(json.dumps(replace(speaking(language), name="own").to_json()))
    assert port("position", "--profile", str(own), "--baud", "9600")[0] == 0
    own.write_text('{"name": "own", "acknowledged": "ok", "sound": 1}')
    assert "sound" in port("position", "--profile", str(own))[1]
    for words in (("send", "x"), ("send", "NONE=1"), ("run", str(tmp_path / "none"))):
        status, said = port(*words)
        assert status == 2
        assert said.count("\n") == 1


def test_a_program_that_waits_goes_on_with_enter_and_is_stopped_where_nobody_is(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    program = tmp_path / "run.nc"
    program.write_text("G1 X5 F3000\nM0\nG1 X9\nM0 (read)\nG1 X1\nM2\n")
    for typed, status in (("\n\n", 0), ("\n", 2)):
        monkeypatch.setattr(sys, "stdin", io.StringIO(typed))
        with wired("text", fast=500.0) as controller:
            assert main(["port", controller.path, "run", str(program)]) == status
            assert [c for c in controller.arrived if c.startswith("M0")] == []
            assert controller.arrived[-1] == ("M2" if not status else "G1 X9")
            time.sleep(0.05)
            assert bool(controller.stopped_at) is bool(status)
    assert "waits after" in capsys.readouterr().err


def test_the_stand_in_says_its_path_first_and_ends_with_its_input(tmp_path: Path) -> None:
    words = [sys.executable, "-m", "keen_compass"]
    stand = subprocess.Popen(
        [*words, "stand-in", "--machine", "heron", "--fault", "wrong-echo"], stdin=subprocess.PIPE,
        stdout=subprocess.PIPE, text=True,
    )  # fmt: skip
    assert stand.stdout is not None
    path = stand.stdout.readline().strip()
    sent = subprocess.run(
        [*words, "port", path, "send", "X_STEPS_PER_MM=106.321"], capture_output=True, text=True, check=False
    )
    assert sent.returncode == 2
    assert "reading it back shows something else" in sent.stderr
    assert "It holds" in sent.stderr
    stand.communicate("")
    assert stand.returncode == 0
    for wrong in (["--machine", "none"], ["--fault", "smoke"]):
        assert main(["stand-in", *wrong]) == 2


# What goes to a machine


def heard(line_bytes: bytes) -> list[str]:
    """Somebody else's reading of the wire: the words that a controller takes, in upper case, without remarks."""
    words = []
    for line in re.split(rb"[\r\n]", line_bytes):
        text = re.sub(rb"\([^)]*\)", b"", line.partition(b";")[0]).decode("ascii")
        words += [w.replace(" ", "").upper() for w in re.findall(r"[A-Za-z]\s*-?[\d.]+", text)]
    return words


SCRIPTS = ("wolno, prędko G0 Z-50", "Kant på Åland M3 S24000", "тихо M3", "θερμό G1 X9", "速い G0 Z-9", "سريع M3",
           "धीमा M4", "ช้า M3", "느리게 G0 X1", "לאט M3 S1")  # fmt: skip


def meant(rng: random.Random) -> tuple[bytes, list[str], int]:
    """(a program with remarks, line ends and pauses of every kind, the words that it says, how often it waits)."""
    lines, words, pauses = [], [], 0
    for n in range(rng.randint(1, 12)):
        said = [f"G{rng.choice((0, 1, 2))}", f"X{rng.randint(-9, 99)}", f"F{rng.randint(1, 900)}",
                f"M{rng.choice((3, 4, 5, 30))}"]  # fmt: skip
        said = rng.sample(said, rng.randint(0, 3))
        line = " ".join(said)
        if rng.random() < 0.2:
            line, pauses = f"{line} {rng.choice(('M0', 'M00', 'm1', 'M 0', 'M01'))} M5", pauses + 1
            said = [*said, "M5"]
        if rng.random() < 0.3:
            line, said = f"N{n} {line}", [f"N{n}", *said] if said else said
        remark = rng.choice(SCRIPTS) + rng.choice(("", "\\x0aM3", "\u0085G0 Z-50", "\u2028M3", "\x0bG0", "\x1cM3"))
        line += rng.choice(("", f" ({remark.replace(')', '')})", f" ; {remark}"))
        lines.append(line)
        words += said
    text = "".join(line + rng.choice(("\n", "\r", "\r\n")) for line in lines)
    return text.encode(rng.choice(("utf-8", "utf-8", "cp1250")), errors="replace"), words, pauses


def test_what_a_controller_does_is_what_the_program_says() -> None:
    """Two thousand random programs with remarks in ten scripts, every line end, escapes and pauses."""
    rng = random.Random(30)
    for _ in range(2000):
        program, words, pauses = meant(rng)
        commands = commands_of(program, TEXT)
        wire = b"".join(c.text.encode("ascii") + b"\n" for c in commands)
        numbered = [w for w in words if not w.startswith("N")]
        assert [w for w in heard(wire) if not w.startswith("N")] == numbered, program
        assert sum(c.pauses for c in commands) == pauses
        assert all(32 <= b < 127 or b == 10 for b in wire)


@pytest.mark.parametrize(("program", "line"), [
    (b"G0 X1\nG1 X\xc5\n", 2), (b"G0\x0bX5\n", 1), (b"G1 (open\nM3\n", 1), (b"G1 X1\n) M3\n", 2), (b"G1\x00X1\n", 1),
])  # fmt: skip
def test_what_no_controller_can_mean_is_refused_before_anything_leaves(program: bytes, line: int) -> None:
    with pytest.raises(InputError) as refused:
        commands_of(program, TEXT)
    assert refused.value.place == f"line {line}"


def test_a_pause_comes_after_what_stands_beside_it() -> None:
    assert [(c.text, c.pauses) for c in commands_of(b"M3 S900\nM0 M5\nN30 M00\nG0 X9\n", TEXT)] == [
        ("M3 S900", False), ("M5", True), ("", True), ("G0 X9", False),
    ]  # fmt: skip
    with_remarks = replace(TEXT, remarks=True)
    assert [c.text for c in commands_of(b"G0 X1 ; slowly\n", with_remarks)] == ["G0 X1 ; slowly"]
    assert [c.text for c in commands_of(b"G0 X1 ; slowly\n", TEXT)] == ["G0 X1"]


def test_escapes_are_for_patterns_alone() -> None:
    assert on_wire("set {key} = {value}\\x0d", key="a", value=r"1\x0aM3") == b"set a = 1\\x0aM3\r"
    for wrong in ("1\n2", "1\x852", "ł"):
        with pytest.raises(InputError):
            on_wire("set {key} = {value}", key="a", value=wrong)


def test_whatever_ends_a_run_early_ends_with_the_stop() -> None:
    careful = replace(TEXT, off="M5")
    for fault in ("alarm", "reset", "silence"):
        with wired("text", fault=fault) as controller:
            told: list[Exchange] = []
            with Cable(controller.path, careful, told.append) as cable, pytest.raises(PortError) as broke:
                list(cable.run(PROGRAMS["text"].encode(), RunControl()))
            ours = b"".join(e.data for e in told if e.ours)
            assert b"\x1b" in ours[-8:]
            assert ours.endswith(b"M5\n")
            assert "Last sent: " in broke.value.state
            assert "Stop and off were sent" in broke.value.state


class Talker:
    """Something at the other end that talks as it likes; `says` makes what it writes of what it is asked."""

    def __init__(self, says: Callable[[bytes], Iterable[bytes]]) -> None:
        self._master, slave = os.openpty()
        tty.setraw(slave)
        self.path = os.ttyname(slave)
        self._slave, self._says, self._over = slave, says, threading.Event()
        self._thread = threading.Thread(target=self._talk, daemon=True)
        self._thread.start()

    def _talk(self) -> None:
        while not self._over.is_set():
            ready, _, _ = select.select([self._master], [], [], 0.02)
            asked = os.read(self._master, 4096) if ready else b""
            for data in self._says(asked):
                left = data
                while left and not self._over.is_set():
                    _, room, _ = select.select([], [self._master], [], 0.05)
                    if room:
                        left = left[os.write(self._master, left[:2000]) :]

    def close(self) -> None:
        self._over.set()
        self._thread.join()
        os.close(self._master)
        os.close(self._slave)


def test_a_controller_that_talks_unasked_is_not_waited_for_without_end(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(wire, "LONGEST_ANSWER", 0.6)
    monkeypatch.setattr(wire, "LONGEST_GREETING", 0.3)
    monkeypatch.setattr(wire, "LONGEST_LISTING", 0.6)
    talker = Talker(lambda asked: [b"tick\n"] * 3)
    try:
        with Cable(talker.path, TEXT) as cable:
            for does in (cable.hello, cable.position, cable.read):
                with pytest.raises(PortError) as babbles:
                    does()
                assert babbles.value.kind == "garbage"
    finally:
        talker.close()


def test_a_listing_of_a_megabyte_in_one_burst_is_read() -> None:
    listing = b"".join(b"key_%d = %d.5\n" % (i, i) for i in range(55_000)) + b"done\n"
    assert len(listing) > 1_000_000
    talker = Talker(lambda asked: [listing] if b"list" in asked else [])
    try:
        with Cable(talker.path, TEXT) as cable:
            assert len(cable.read().entries) == 55_000
    finally:
        talker.close()
