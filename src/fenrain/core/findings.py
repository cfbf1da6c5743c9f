"""What is odd about a material: what, where, why it matters, and what to do."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any, Literal

Severity = Literal["note", "warning", "problem"]

UNREAD = frozenset(
    {
        "bad-value",
        "broken-map",
        "damaged-map",
        "map-too-large",
        "material-file",
        "missing-layer",
        "missing-map",
        "missing-tiles",
        "missing-uv-set",
        "namesakes",
        "not-finite",
        "not-read",
        "option-not-read",
        "placement-not-read",
        "turned-tiles",
        "undefined-material",
        "unknown-colour-space",
        "unknown-column",
        "unknown-surface",
        "unreadable-value",
        "unsafe-map",
        "unsafe-path",
        "wrap-not-read",
    }
)
"""Codes of findings which say that a statement of the source did not reach the material: all of them are problems."""


@dataclass(frozen=True)
class Finding:
    """code: stable; parameter: the value it concerns, or ""; evidence: the number or name that shows it; usual: the range that is seen in
    practice; source: of that range; fix: the target values that one action would set, in place of those it concerns; choices: files
    of which one is to be chosen; unread: whether something that the source states did not reach the material; accepted: whether somebody
    said that this does not matter.
    """

    code: str
    severity: Severity
    message: str
    parameter: str = ""
    evidence: str = ""
    remedy: str = ""
    usual: str = ""
    source: str = ""
    fix: Mapping[str, Any] | None = None
    choices: tuple[str, ...] = ()
    unread: bool = False
    accepted: bool = False

    @property
    def is_problem(self) -> bool:
        return self.severity == "problem"

    def to_document(self) -> dict[str, Any]:
        return {**asdict(self), "choices": list(self.choices)}

    @staticmethod
    def from_document(document: Mapping[str, Any]) -> Finding:
        known = {"unread": document["code"] in UNREAD, **document}
        return Finding(**{**known, "choices": tuple(known.get("choices", ()))})


def note(code: str, message: str, **details: Any) -> Finding:
    return Finding(code, "note", message, **details)


def warning(code: str, message: str, **details: Any) -> Finding:
    return Finding(code, "warning", message, **details)


def unread(code: str, message: str, **details: Any) -> Finding:
    """A statement of the source did not reach the material: what looks like a match is undecided until somebody accepts that."""
    assert code in UNREAD, code
    return problem(code, message, unread=True, **details)


def problem(code: str, message: str, **details: Any) -> Finding:
    return Finding(code, "problem", message, **details)
