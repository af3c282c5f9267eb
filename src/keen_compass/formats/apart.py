"""Other people's files in a process of its own: bounded in time and memory, and ended with a word.

One such process is kept for as long as we live; it ends by itself with us.
"""

from __future__ import annotations

import atexit
import contextlib
import importlib
import os
import pickle
import resource
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass
from multiprocessing.connection import Connection
from pathlib import Path
from threading import Lock
from typing import Any, TypeVar

from keen_compass.errors import InputError, KeenCompassError
from keen_compass.language import language, speak, tr
from keen_compass.progress import heard, tell

T = TypeVar("T")
MOST_SECONDS = 60.0  # of one task
MOST_MEMORY = 4_000_000_000  # bytes, of everything that the process asks for
# What computes with many threads asks for memory for each of them beforehand: on a large machine for all there is.
ONE_THREAD = {"OPENBLAS_NUM_THREADS": "1", "OMP_NUM_THREADS": "1"}
# What we are imported from need not be where Python looks by itself: an installed package has a folder of its own.
HOME = str(Path(__file__).resolve().parents[2])
START = "import sys; sys.path.insert(0, sys.argv[1]); from keen_compass.formats.apart import serve; serve()"
_lock = Lock()
_process: subprocess.Popen[bytes] | None = None


def run_apart(run: Callable[..., T], *args: Any, name: str, seconds: float = MOST_SECONDS) -> T:
    """What a function of a module gives, worked out in the other process. name: of the file, where that is refused.

    Raises what it raises of ours, and InputError where it takes too long or too much, or is given up.
    """
    with _lock:
        process = ready()
        assert process.stdin is not None
        assert process.stdout is not None
        try:
            pickle.dump((run, args, language()), process.stdin)
            process.stdin.flush()
            # Message by message: what a buffer had read beyond the first would never be waited for.
            with Connection(os.dup(process.stdout.fileno()), writable=False) as answers:
                answer = _answer(answers, seconds, name)
        except (OSError, EOFError, pickle.UnpicklingError):
            _put_away(process)
            raise InputError(
                tr(
                    "takes more than {most_memory} GB of memory to draw, or can't be drawn: simplify it",
                    most_memory=MOST_MEMORY // 1_000_000_000,
                ),
                name,
            ) from None
        except BaseException:
            _put_away(process)
            raise
    if isinstance(answer, KeenCompassError):
        raise answer
    found: T = answer
    return found


def ready() -> subprocess.Popen[bytes]:
    """The process, begun where there is none: later it answers at once."""
    global _process  # noqa: PLW0603 (one for all of us, as there is one of us)
    if _process is None or _process.poll() is not None:
        _process = subprocess.Popen(
            [sys.executable, "-I", "-c", START, HOME],
            env={**os.environ, **ONE_THREAD},
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
        )
    return _process


def give_up() -> None:
    """End whatever it is at; who waits for it is told."""
    process = _process
    if process is not None:
        process.kill()
        if _lock.acquire(blocking=False):  # else whoever waits for it puts it away
            try:
                _put_away(process)
            finally:
                _lock.release()


def _put_away(process: subprocess.Popen[bytes]) -> None:
    process.kill()
    process.wait()
    for pipe in (process.stdin, process.stdout):
        if pipe is not None:
            with contextlib.suppress(OSError):  # what was still to be sent
                pipe.close()


atexit.register(give_up)


@dataclass(frozen=True)
class _Told:
    """On the way to the answer: the share that is done."""

    share: float


def _answer(pipe: Connection, seconds: float, name: str) -> Any:
    """What comes before so many seconds are over; shares are told on. Raises InputError, EOFError."""
    end = time.monotonic() + seconds
    while pipe.poll(max(end - time.monotonic(), 0.0)):
        answer = pipe.recv()
        if not isinstance(answer, _Told):
            return answer
        tell(answer.share)
    raise InputError(tr("takes longer than {seconds:g} s to draw: simplify it", seconds=seconds), name)


def serve() -> None:
    """Task by task until nobody is left to ask. What libraries print goes nowhere near the answers."""
    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    for library in ("cairosvg", "pypdfium2", "resvg_py", "scipy.ndimage", "shapely", "skimage.measure"):
        importlib.import_module(library)  # while nobody waits
    tasks = sys.stdin.buffer
    with Connection(os.dup(1), readable=False) as answers:
        os.dup2(2, 1)
        while True:
            try:
                run, args, code = pickle.load(tasks)
            except EOFError:
                return
            speak(code)  # as whoever asks, whose language may have changed
            signal.alarm(int(MOST_SECONDS) + 10)  # should we be gone, it is not to go on
            try:
                with heard(lambda share: answers.send(_Told(share))):
                    answer = run(*args)
            except KeenCompassError as error:
                answer = error
            signal.alarm(0)
            answers.send(answer)
