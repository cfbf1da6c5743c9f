"""Conversions and their edits, as they go over the wire."""

from __future__ import annotations

from pydantic import BaseModel, Field

from fenrain.api.schemas.looks import CheckOut, FiguresOut
from fenrain.api.schemas.outside import OutsideCheckOut
from fenrain.core.conversion.aim import Aim
from fenrain.core.findings import Finding
from fenrain.core.steps import ValueStep
from fenrain.services.comparison import ComparedAim
from fenrain.store.documents.checking import DecisionDocument
from fenrain.store.documents.conversions import ChoiceDocument, LedgerEntry, PlainnessDocument, SourceValue


class VariantIn(BaseModel):
    name: str = Field(min_length=1, max_length=400)


class VariantOut(BaseModel):
    """A version of the same material in the same target."""

    conversion_id: int
    name: str


class ConversionOut(BaseModel):
    """variants: versions of the same material in this target, this one among them; alone where there is no other; aim: by which it was
    converted; choice: what was taken for it in place of the nearest answer."""

    id: int
    version: int
    project_id: int
    material_id: int
    name: str
    model: str
    target: str
    target_title: str
    profile: str
    variants: list[VariantOut]
    file: str
    source_values: list[SourceValue]
    findings: list[Finding]
    ledger: list[LedgerEntry]
    aim: Aim
    plainness: PlainnessDocument
    choice: ChoiceDocument | None
    figures: FiguresOut
    verdict: DecisionDocument
    checks: list[CheckOut]
    checking: bool
    outside: list[OutsideCheckOut] = []


class AimsOut(BaseModel):
    """What a conversion is by every aim."""

    aims: list[ComparedAim]


class OverrideIn(BaseModel):
    """A number, a flag, or three numbers (linear Rec.709)."""

    value: float | bool | list[float]


class FitIn(BaseModel):
    """locked: target values that stay as they are."""

    locked: list[str] = Field(default_factory=list, max_length=200)


class TrialOut(BaseModel):
    """One end of a fit's search. start: where it began, in words; after: normalised lobe error there; way: how far towards it, 0…1;
    objection: which reading would be worse, "" for the one that was kept."""

    start: str
    after: float
    way: float
    objection: str


class FitOut(BaseModel):
    """before, after: normalised lobe error; changed: names of the values that moved; free: of those that might; tried: in turn."""

    conversion: ConversionOut
    before: float
    after: float
    changed: list[str]
    free: list[str]
    tried: list[TrialOut]


class RemedyIn(BaseModel):
    """A finding, by its code and the value it concerns."""

    code: str
    parameter: str = ""


class GradeIn(BaseModel):
    """Steps on a value, in their order."""

    steps: list[ValueStep] = Field(max_length=32)


class CopyIn(BaseModel):
    """Where a value is copied from: a slot of the same conversion, or of a sibling's."""

    conversion_id: int
    name: str


class SharesOut(BaseModel):
    """What the remaining difference comes from: share of `error`, 0…1, by target value, and by source value that was lost."""

    error: float
    values: dict[str, float]
    losses: dict[str, float]


class PresetChoiceIn(BaseModel):
    preset: str
