"""What a conversion keeps of itself: its ledger, findings, figures, cost and losses."""

from __future__ import annotations

from typing import Any, ClassVar

from fenrain.core.checking.cost import Cost
from fenrain.core.findings import Finding
from fenrain.core.rules.fidelity import Fidelity
from fenrain.core.steps import ValueStep
from fenrain.store.documents.checking import DirectionMeasurements
from fenrain.store.documents.column import Document


class LedgerStep(Document):
    """A rule at work, with the numbers that went in."""

    rule: str
    text: str
    source: str
    fidelity: str
    inputs: list[dict[str, str]]
    remark: str


class LedgerEntry(Document):
    """target: "" for something dropped; derived, override: stored values; override_by: hand, fit, remedy or copy; grade: steps that
    a person takes on the value; shown: in words; free: whether a fit may move it; as_for: the value at which the same steps are written
    out, "" where it is this one."""

    target: str
    group: str
    fidelity: str
    sources: list[str]
    derived: dict[str, Any] | None
    override: dict[str, Any] | None
    override_by: str
    override_why: str
    grade: list[ValueStep]
    shown: str
    shown_derived: str
    steps: list[LedgerStep]
    free: bool
    as_for: str


class SourceValue(Document):
    """A value that the source set, in words; constant: as it is, where it is one."""

    name: str
    group: str
    shown: str
    says: str
    constant: Any = None


class ConversionDocument(Document):
    """What the interface shows of a conversion. losses: what is lost, in words; features: what a viewer needs for it."""

    EDITION: ClassVar[int] = 6

    source_values: list[SourceValue]
    ledger: list[LedgerEntry]
    findings: list[Finding]
    cost: Cost
    features: list[str]
    losses: list[str]
    figures: DirectionMeasurements

    @property
    def lost_values(self) -> list[str]:
        """Names of the source's values, or of values together, that are lost."""
        return list(dict.fromkeys(", ".join(entry.sources) for entry in self.ledger if entry.fidelity == Fidelity.DROPPED))

    def count_approximated(self) -> int:
        """How many values are approximated."""
        return sum(entry.fidelity == Fidelity.APPROXIMATED for entry in self.ledger if entry.target)

    def shown_by_target(self) -> dict[str, str]:
        """Each converted value in words, by its name."""
        return {entry.target: entry.shown for entry in self.ledger if entry.target}
