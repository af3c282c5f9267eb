"""How far a piece of work is: told by what does it, heard by whoever waits, in another thread or process."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from typing import TypeVar

T = TypeVar("T")
Listener = Callable[[float], None]
TELLS = 200  # times, of one run through many things
_listener: ContextVar[Listener | None] = ContextVar("listener", default=None)


def tell(share: float) -> None:
    """So much of it is done, 0 … 1. What the listener raises ends the work here."""
    if (listener := _listener.get()) is not None:
        listener(share)


@contextmanager
def heard(listener: Listener) -> Iterator[None]:
    """Within it, `tell` reaches the listener."""
    token = _listener.set(listener)
    try:
        yield
    finally:
        _listener.reset(token)


@contextmanager
def part(begins: float, ends: float) -> Iterator[None]:
    """Within it, 0 … 1 is told as a part of the whole."""
    whole = _listener.get()
    with heard(lambda share: whole(begins + (ends - begins) * share) if whole else None):
        yield


def counted(things: Sequence[T]) -> Iterator[T]:
    """One after another, the share told now and then."""
    every = max(len(things) // TELLS, 1)
    for i, thing in enumerate(things):
        if i % every == 0:
            tell(i / len(things))
        yield thing
