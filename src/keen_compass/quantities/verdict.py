"""The verdict on a finding (ISO 14253-1's decision rules) and when it is worth correcting."""

from __future__ import annotations

from enum import StrEnum


class Verdict(StrEnum):
    """What can be said of an error against its tolerance."""

    IN = "in"
    OUT = "out"
    CANNOT_TELL = "cannot_tell"
    IMPLAUSIBLE = "implausible"
    UNRESOLVED = "unresolved"


def judge(error: float, U: float, tolerance: float) -> Verdict:
    """in where |e| + U ≤ T, out where |e| − U > T, else can't tell. All in one unit."""
    if abs(error) + U <= tolerance:
        return Verdict.IN
    if abs(error) - U > tolerance:
        return Verdict.OUT
    return Verdict.CANNOT_TELL


def worth_correcting(error: float, U: float) -> bool:
    """An error inside its own uncertainty would only be chased, not corrected."""
    return abs(error) > U
