"""A finding: value, uncertainty, verdict and reason travel together."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from keen_compass.quantities.bodies import JsonMapping, JsonObject
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.notes import Note
from keen_compass.quantities.resolution import Stored
from keen_compass.quantities.subjects import NO_SUBJECT, Subject
from keen_compass.quantities.verdict import Verdict

Figures = JsonMapping  # JSON values by name, as `solve` prints them


@dataclass(frozen=True, slots=True)
class Remedy:
    """What would settle what can't be told. code: as the command line names it.

    expanded_uncertainty: that it would give, in the error's unit. text: what to do; its values say `sure`.
    """

    code: str
    expanded_uncertainty: float
    text: Note

    def to_json(self) -> JsonObject:
        """As the logbook keeps it."""
        return {"code": self.code, "expanded_uncertainty": self.expanded_uncertainty, "text": self.text.to_body()}

    @classmethod
    def from_json(cls, body: JsonMapping) -> Remedy:
        """Inverse of `to_json`."""
        return cls(body["code"], body["expanded_uncertainty"], Note.from_body(body["text"]))


@dataclass(frozen=True, slots=True)
class Assumed:
    """What was assumed. what: an unknown, or what scatters; expanded_uncertainty: by how much it may be off.

    Of what scatters the value is its standard deviation; mm, or mm/mm of a scale.
    """

    what: str
    value: float
    expanded_uncertainty: float

    def to_json(self) -> JsonObject:
        """As the logbook keeps it."""
        return {"what": self.what, "value": self.value, "expanded_uncertainty": self.expanded_uncertainty}


@dataclass(frozen=True, slots=True)
class Finding:
    """What a round found out about one quantity.

    old, new: in the controller's own form and rounding; new is None where it can't be given.
    new_expanded_uncertainty: U of new, in its unit.
    error = actual − commanded (ISO 230-2's deviation), with U (95 %), in `error_unit`; None where unresolved.
    tolerance: in `error_unit`.
    predicted_error: what rounding to the controller's decimals leaves, in `error_unit`.
    subject: what the value belongs to, besides the machine.
    covariance_with: of one fit: quantity → covariance with its error, mm².
    limits: what limits the answer: causes (`uncertainty.Cause`) with their share of the variance, the largest first.
    formula: one line of arithmetic that leads from old to new.
    notes: for the technician; the first says what would settle it, where that applies.
    remedies: of what can't be told, what would settle it, in the order of least time; none where nothing would.
    doubtful: measurands that don't fit the rest. assumed: what was assumed and is in U.
    """

    quantity: str
    unit: str
    old: Stored | None
    new: Stored | None
    new_expanded_uncertainty: float | None
    error: float | None
    error_unit: str
    expanded_uncertainty: float | None
    tolerance: float
    verdict: Verdict
    worth_correcting: bool
    formula: Note
    notes: tuple[Note, ...] = ()
    predicted_error: float = 0.0
    subject: Subject = NO_SUBJECT
    limits: tuple[tuple[str, float], ...] = ()
    covariance_with: Mapping[str, float] = field(default_factory=dict)
    remedies: tuple[Remedy, ...] = ()
    doubtful: tuple[str, ...] = ()
    assumed: tuple[Assumed, ...] = ()

    @property
    def harm(self) -> float | None:
        """What is judged of the error: of what does no harm below zero nothing there."""
        return harm_of(self.quantity, self.error)

    def to_json(self) -> JsonObject:
        """As the logbook keeps it."""
        return {
            "quantity": self.quantity,
            "unit": self.unit,
            "old": self.old,
            "new": self.new,
            "new_expanded_uncertainty": self.new_expanded_uncertainty,
            "error": self.error,
            "error_unit": self.error_unit,
            "expanded_uncertainty": self.expanded_uncertainty,
            "tolerance": self.tolerance,
            "verdict": str(self.verdict),
            "worth_correcting": self.worth_correcting,
            "formula": self.formula.to_body(),
            "notes": [n.to_body() for n in self.notes],
            "predicted_error": self.predicted_error,
            "subject": self.subject.to_json(),
            "limits": [[cause, share] for cause, share in self.limits],
            "remedies": [r.to_json() for r in self.remedies],
            "doubtful": list(self.doubtful),
            "assumed": [a.to_json() for a in self.assumed],
            **({"covariance_with": dict(self.covariance_with)} if self.covariance_with else {}),
        }

    @classmethod
    def from_json(cls, body: JsonMapping) -> Finding:
        """Inverse of `to_json`."""
        body = as_kept_today(body)
        subject = Subject(**body.get("subject", {}))
        limits = tuple((cause, share) for cause, share in body.get("limits", ()))
        return cls(
            **{
                **body,
                "verdict": Verdict(body["verdict"]),
                "formula": Note.from_body(body["formula"]),
                "notes": tuple(map(Note.from_body, body["notes"])),
                "subject": subject,
                "limits": limits,
                "remedies": tuple(map(Remedy.from_json, body.get("remedies", ()))),
                "doubtful": tuple(body.get("doubtful", ())),
                "assumed": tuple(Assumed(**a) for a in body.get("assumed", ())),
            }
        )


def harm_of(quantity: str, error: float | None) -> float | None:
    """What is judged of an error."""
    return max(error, 0.0) if error is not None and QUANTITIES[quantity].one_sided else error


def as_kept_today(body: JsonMapping) -> JsonObject:
    """A kept finding or solution with its remarks as notes, where an older program kept sentences."""

    def today(said: Any) -> Any:
        return Note.from_body(said).to_body() if isinstance(said, str) else said

    changed = {"notes": [today(n) for n in body["notes"]]} if isinstance(body.get("notes"), (list, tuple)) else {}
    if "formula" in body:
        changed["formula"] = today(body["formula"])
    if isinstance(body.get("findings"), (list, tuple)):
        changed["findings"] = [as_kept_today(f) if isinstance(f, Mapping) else f for f in body["findings"]]
    return {**body, **changed}


@dataclass(frozen=True, slots=True)
class Solution:
    """Everything one set of readings says.

    unresolved: pairs of unknowns that these readings can't tell apart, where a finding hangs on it.
    proposals: what could be made next, the best first.
    figures: what a procedure also has to show: a standard's figures, a chart's points, a table; JSON values.
    """

    findings: tuple[Finding, ...]
    unresolved: tuple[tuple[str, str], ...] = ()
    notes: tuple[Note, ...] = ()
    figures: Figures = field(default_factory=dict)
    proposals: tuple[JsonMapping, ...] = ()

    def to_json(self) -> JsonObject:
        """As the logbook keeps it."""
        return {
            "findings": [f.to_json() for f in self.findings],
            "unresolved": [list(pair) for pair in self.unresolved],
            "notes": [n.to_body() for n in self.notes],
            **({"figures": dict(self.figures)} if self.figures else {}),
            **({"proposals": [dict(p) for p in self.proposals]} if self.proposals else {}),
        }

    @classmethod
    def from_json(cls, body: JsonMapping) -> Solution:
        """Inverse of `to_json`."""
        body = as_kept_today(body)
        return cls(
            tuple(map(Finding.from_json, body["findings"])),
            tuple((a, b) for a, b in body["unresolved"]),
            tuple(map(Note.from_body, body["notes"])),
            body.get("figures", {}),
        )

    def finding(self, quantity: str) -> Finding | None:
        """The finding about `quantity`, if there is one."""
        return next((f for f in self.findings if f.quantity == quantity), None)
