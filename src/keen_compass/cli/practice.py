"""Whole rounds on simulated machines."""

from __future__ import annotations

import argparse
import contextlib
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from keen_compass.cli.common import Commands, print_json
from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.quantities.kinds import MachineKind

KEPT_FILES = 300  # of practice rounds


def add_practice(commands: Commands) -> None:
    """The command."""
    practice = commands.add_parser("practice", help=tr("whole rounds on a simulated machine"))
    practice.add_argument("procedure", help=tr("its name; or all: a machine as it turned up, put right in order"))
    practice.add_argument("--seed", type=int, default=1, help=tr("another machine, other faults"))
    practice.add_argument("--rounds", type=int, help=tr("at most"))
    practice.add_argument(
        "--machine",
        choices=[kind.value for kind in MachineKind],
        help=tr("on which; what it is usually done on otherwise"),
    )
    practice.add_argument("--json", action="store_true", help=tr("as JSON"))
    practice.add_argument("--out", type=Path, metavar="DIR", help=tr("where the rounds' files go"))
    practice.set_defaults(run=_practice)


def _practice(options: argparse.Namespace) -> int:
    from keen_compass.practice.whole_rounds import run

    if options.procedure == "all":
        return _practice_all(options)
    folder = options.out or _practice_folder()
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise InputError(tr("can't be made: {strerror}", strerror=error.strerror), str(folder)) from None
    practice = run(options.procedure, options.seed, options.rounds, folder, _asked_kind(options))
    body = practice.to_json()
    if options.json:
        print_json(body)
        return 0
    for i, done in enumerate(practice.rounds, 1):
        print(tr("round {i}: {files}", i=i, files=", ".join(done.files)))
        for name, values in done.readings.items():
            print(f"  {name:<13} {'  '.join(_shown(v) for v in values)}")
        for f in done.solution.findings:
            off = f"{f.error:+.3f} ± {f.expanded_uncertainty:.3f} {f.error_unit}" if f.error is not None else "-"
            print(f"  {f.quantity:<13} {off}  {f.verdict}  {f.old} -> {f.new}")
    print(tr("hidden truth:"), "  ".join(f"{k} {_shown(v)}" for k, v in body["truth"].items() if v is not None))
    print("found:       ", "  ".join(f"{k} {_shown(v)}" for k, v in body["found"].items()))
    print_left(body["left"])
    return 0


def _asked_kind(options: argparse.Namespace) -> MachineKind | None:
    return MachineKind(options.machine) if options.machine else None


def print_left(left: Mapping[str, Mapping[str, float]]) -> None:
    """What is really left, in tolerances: 1 is just in."""
    print(tr("really left, in tolerances:"), "  ".join(f"{q} {v['tolerances']:.2f}" for q, v in left.items()) or "-")


def _shown(reading: Any) -> str:
    """A number, both of a place, or both of a pair."""
    if isinstance(reading, dict):
        return " for ".join(f"{v:g}" for v in reading.values())
    return " ".join(f"{v:.6g}" for v in (reading if isinstance(reading, list) else [reading]))


def _practice_folder() -> Path:
    """Where the files of rounds go that nobody gave a folder for: one place, of which only the newest are kept."""
    import platformdirs

    folder = Path(platformdirs.user_cache_dir("keen-compass")) / "practice"
    with contextlib.suppress(OSError):
        old = sorted(folder.glob("*.nc"), key=lambda file: file.stat().st_mtime)
        for file in old[:-KEPT_FILES]:
            file.unlink(missing_ok=True)
    return folder


def _practice_all(options: argparse.Namespace) -> int:
    """A machine as it turned up, corrected in the order that the program proposes."""
    from keen_compass.practice.whole_rounds import run_all

    practice = run_all(options.seed, _asked_kind(options) or MachineKind.ROUTER)
    left = {q: v for q in practice.yields if (v := practice.left(q))}
    if options.json:
        rows = [{**w._asdict(), "verdicts": list(w.verdicts)} for w in practice.walked]
        print_json({"seed": options.seed, "machine": practice.kind, "walked": rows, "left": left})
        return 0
    for w in practice.walked:
        print(
            tr(
                "{procedure:<12} {quantities:<24} rounds {rounds}  {verdicts}",
                procedure=w.procedure,
                quantities=", ".join(w.quantities),
                rounds=w.rounds,
                verdicts=", ".join(w.verdicts),
            )
        )
    print_left(left)
    return 0
