"""What a conversion keeps of itself: its ledger, findings, figures, cost and losses."""

from __future__ import annotations

from typing import Any, ClassVar

from fenrain.core.aims.plainness import Plainness
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
    a person takes on the value; shown: in words, as the derived one is, and that of the nearest answer, "" where it is the derived one;
    free: whether a fit may move it; as_for: the value at which the same steps are written out, "" where it is this one."""

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
    shown_nearest: str
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


class UnusualValue(Document):
    """A value outside what is usual, and why in words."""

    parameter: str
    text: str


class PlainnessDocument(Document):
    """How plain a converted material is. text: in words; layers: optical aspects beside body and reflection; set_values: how many
    parameters are away from their defaults; maps, texels: that are written."""

    text: str
    unusual: list[UnusualValue]
    layers: list[str]
    extensions: list[str]
    set_values: int
    maps: int
    texels: int

    @staticmethod
    def from_plainness(plainness: Plainness) -> PlainnessDocument:
        return PlainnessDocument(
            text=str(plainness),
            unusual=[UnusualValue(parameter=one.parameter, text=one.text) for one in plainness.unusual],
            layers=list(plainness.layers),
            extensions=list(plainness.extensions),
            set_values=len(plainness.set_values),
            maps=plainness.maps,
            texels=plainness.texels,
        )


class ChoiceDocument(Document):
    """What an aim took in place of the nearest answer. title: what it is; verdict, nearest: expected of both; costs: whether it looks
    worse; text: why."""

    title: str
    verdict: str
    nearest: str
    costs: bool
    text: str


class ConversionDocument(Document):
    """What the interface shows of a conversion. losses: what is lost, in words; features: what a viewer needs for it; choice: None where
    the nearest answer stands."""

    EDITION: ClassVar[int] = 7

    plainness: PlainnessDocument
    choice: ChoiceDocument | None = None

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
