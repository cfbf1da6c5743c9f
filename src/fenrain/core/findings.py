"""What is odd about a material: what, where, why it matters, and what to do."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any, Literal

Severity = Literal["note", "warning", "problem"]

NOT_TAKEN_IN = frozenset(
    {
        "missing-map",
        "namesakes",
        "broken-map",
        "map-too-large",
        "unsafe-path",
        "unsafe-map",
        "not-read",
        "unknown-column",
        "unreadable-value",
        "bad-value",
        "not-finite",
    }
)
"""Codes of findings that say so."""


@dataclass(frozen=True)
class Finding:
    """code: stable; parameter: the value it concerns, or ""; evidence: the number or name that shows it; usual: the range that is seen in
    practice; source: of that range; fix: the target values that one action would set, in place of those it concerns; choices: files
    of which one is to be chosen.
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

    @property
    def is_problem(self) -> bool:
        return self.severity == "problem"

    @property
    def is_incomplete(self) -> bool:
        """Whether something that the file says was not taken in."""
        return self.code in NOT_TAKEN_IN

    def to_document(self) -> dict[str, Any]:
        return {**asdict(self), "choices": list(self.choices)}

    @staticmethod
    def from_document(document: Mapping[str, Any]) -> Finding:
        return Finding(**{**document, "choices": tuple(document.get("choices", ()))})


def note(code: str, message: str, **details: Any) -> Finding:
    return Finding(code, "note", message, **details)


def warning(code: str, message: str, **details: Any) -> Finding:
    return Finding(code, "warning", message, **details)


def problem(code: str, message: str, **details: Any) -> Finding:
    return Finding(code, "problem", message, **details)
