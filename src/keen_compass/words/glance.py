"""The shop at a glance, in words."""

from __future__ import annotations

from datetime import date

from keen_compass.language import dated, marked, tr, tr_n


def count_in_words(all_of_them: int, shown: int, waiting: int) -> str:
    """``3 of 12 machines · 4 need attention``."""
    needs = tr_n("{n} needs attention", "{n} need attention", waiting) if waiting else tr("all in")
    if shown != all_of_them:
        some = tr_n("{shown} of {n} machine", "{shown} of {n} machines", all_of_them, shown=shown)
    else:
        some = tr_n("{n} machine", "{n} machines", all_of_them)
    return f"{some} · {needs}"


def day_in_words(day: date, due: int, *, first: bool) -> str:
    """``Today: 4 due``, ``Thu 3: –``: how many values are due on a day."""
    return f"{tr('Today') if first else dated(day, '%a %-d')}: {tr('{due} due', due=due) if due else '–'}"


NONE_FITS = marked("No machine matches. Esc shows all of them again.")
