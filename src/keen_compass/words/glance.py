"""The shop at a glance, in words."""

from __future__ import annotations

from datetime import date


def count_in_words(all_of_them: int, shown: int, waiting: int) -> str:
    """``3 of 12 machines · 4 need attention``."""
    noun = "machine" if all_of_them == 1 else "machines"
    some = f"{shown} of " if shown != all_of_them else ""
    needs = f"{waiting} need{'s' if waiting == 1 else ''} attention" if waiting else "all in"
    return f"{some}{all_of_them} {noun} · {needs}"


def day_in_words(day: date, due: int, *, first: bool) -> str:
    """``Today: 4 due``, ``Thu 3: –``: how many values are due on a day."""
    return f"{'Today' if first else f'{day:%a} {day.day}'}: {f'{due} due' if due else '–'}"


NONE_FITS = "No machine matches. Esc shows all of them again."
