"""What goes over the wire."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal

from pydantic import BaseModel, Field

Target = Literal["open_pbr", "metal_rough", "preview", "standard_surface", "exponent"]
ProfileName = Literal["extensions", "core"]
FormatName = Literal["materialx", "gltf", "mtl"]
VerdictName = Literal["match", "near", "off"]


class Problem(BaseModel):
    """An error, as RFC 9457 states it, with a stable code and what to do next."""

    type: str
    title: str
    status: int
    detail: str
    code: str
    place: str = ""
    remedy: str = ""


class ProjectIn(BaseModel):
    name: str = Field(min_length=1, max_length=200)


class ProjectOut(BaseModel):
    id: int
    name: str
    tolerances: dict[str, float]
    materials: int


class FindingOut(BaseModel):
    code: str
    severity: Literal["note", "warning", "problem"]
    message: str
    parameter: str = ""
    evidence: str = ""
    remedy: str = ""
    usual: str = ""
    source: str = ""
    fix: dict[str, Any] | None = None


class FoundMaterial(BaseModel):
    """A material in an intake, before it enters the board. values: by parameter, in words."""

    position: int
    file: str
    name: str
    model: str
    place: str
    meshes: list[str]
    maps: list[str]
    values: dict[str, str]
    findings: list[FindingOut]


class FileError(BaseModel):
    file: str
    code: str
    message: str
    place: str
    remedy: str


class IntakeOut(BaseModel):
    id: int
    project_id: int
    state: Literal["found", "accepted"]
    files: list[str]
    found: list[FoundMaterial]
    errors: list[FileError]


class DialectChoiceIn(BaseModel):
    """The dialect that a parameter sheet of an intake is read by."""

    file: str
    dialect: str


class AcceptIn(BaseModel):
    """positions: of the found materials that enter; all where it is left out."""

    positions: list[int] | None = None
    target: Target = "open_pbr"
    profile: ProfileName = "extensions"


class CheckPictures(BaseModel):
    """Digests of PNG files, to be had from /api/v1/files/{digest}."""

    original: str
    converted: str
    difference: str


class CheckNumbers(BaseModel):
    verdict: VerdictName
    median: float
    p95: float
    worst: float
    flip: float
    relative_error: float
    floor: float
    samples: int
    lobe_error: float
    angles: list[float]
    reflectance_original: list[list[float]]
    reflectance_converted: list[list[float]]


class CheckOut(BaseModel):
    id: int
    rig: str
    stand: str
    turn: float
    size: int
    numbers: CheckNumbers
    pictures: CheckPictures


class BoardCheck(BaseModel):
    """A check as the board shows it, without its curves."""

    rig: str
    verdict: VerdictName
    median: float
    p95: float
    pictures: CheckPictures


class BoardRow(BaseModel):
    """One material on the board. conversion_id, version: null while it is not converted; worst: largest 95th percentile of ΔE2000."""

    material_id: int
    name: str
    model: str
    file: str
    findings: list[FindingOut]
    conversion_id: int | None
    overrides: int
    losses: list[str]
    approximated: int
    verdict: VerdictName | None
    worst: float | None
    checks: list[BoardCheck]


class LedgerStep(BaseModel):
    rule: str
    text: str
    source: str
    fidelity: str
    inputs: list[dict[str, str]]
    remark: str


class LedgerEntry(BaseModel):
    """target: "" for something dropped; derived, override: stored values; override_by: hand, fit, remedy or copy; shown: in words."""

    target: str
    group: str
    fidelity: str
    sources: list[str]
    derived: dict[str, Any] | None
    override: dict[str, Any] | None
    override_by: str
    override_why: str
    shown: str
    shown_derived: str
    steps: list[LedgerStep]


class SourceValue(BaseModel):
    name: str
    group: str
    shown: str
    says: str
    constant: Any = None


class ConversionOut(BaseModel):
    id: int
    version: int
    material_id: int
    name: str
    model: str
    target: str
    profile: str
    file: str
    source_values: list[SourceValue]
    findings: list[FindingOut]
    ledger: list[LedgerEntry]
    checks: list[CheckOut]
    checking: bool


class OverrideIn(BaseModel):
    """A number, a flag, or three numbers (linear Rec.709)."""

    value: float | bool | list[float]


class FitIn(BaseModel):
    """locked: target values that stay as they are."""

    locked: list[str] = Field(default_factory=list, max_length=200)


class FitOut(BaseModel):
    """before, after: normalised lobe error; changed: names of the values that moved; free: of those that might."""

    conversion: ConversionOut
    before: float
    after: float
    changed: list[str]
    free: list[str]


class RemedyIn(BaseModel):
    """A finding, by its code and the value it concerns."""

    code: str
    parameter: str = ""


class CopyIn(BaseModel):
    """Where a value is copied from: a slot of the same conversion, or of a sibling's."""

    conversion_id: int
    name: str


class SharesOut(BaseModel):
    """What the remaining difference comes from: share of `error` by target value, or “lost …” by source value."""

    error: float
    shares: dict[str, float]


class TargetValueOut(BaseModel):
    name: str
    group: str
    shown: str
    constant: Any
    fidelity: str


class LossOut(BaseModel):
    sources: list[str]
    text: str


class ComparedTarget(BaseModel):
    """One material in one target. predicted: normalised lobe error; conversion_id: null while nobody converted to it."""

    target: str
    profile: str
    conversion_id: int | None
    predicted: float
    approximated: int
    values: list[TargetValueOut]
    losses: list[LossOut]


class ComparisonOut(BaseModel):
    material_id: int
    name: str
    model: str
    source_values: list[SourceValue]
    targets: list[ComparedTarget]


class CheckIn(BaseModel):
    rigs: list[str] = Field(default_factory=lambda: ["soft_studio", "low_sun"], min_length=1, max_length=8)
    stand: str = "sphere"
    size: int = Field(default=256, ge=32, le=1024)
    samples: int = Field(default=64, ge=8, le=1024)
    turn: float = 0.0


class ConvertIn(BaseModel):
    """Bring materials (all of the project where left out) to a target and check them."""

    material_ids: list[int] | None = None
    target: Target = "open_pbr"
    profile: ProfileName = "extensions"


class DeliveryIn(BaseModel):
    material_ids: list[int] = Field(min_length=1)
    target: Target
    profile: ProfileName = "extensions"
    format: FormatName


class WrittenFile(BaseModel):
    name: str
    size: int


class JobOut(BaseModel):
    id: int
    project_id: int
    kind: str
    title: str
    state: Literal["queued", "running", "done", "failed", "cancelled"]
    total: int
    done: int
    failed: int
    errors: list[str]
    archive: str | None
    files: list[WrittenFile]
    created: datetime
    updated: datetime


class OptionOut(BaseModel):
    value: int
    label: str


class ParameterOut(BaseModel):
    name: str
    kind: str
    group: str
    says: str
    unit: str
    default: Any
    low: float | None
    high: float | None
    options: list[OptionOut]


class ModelOut(BaseModel):
    id: str
    title: str
    source: str
    target: bool
    parameters: list[ParameterOut]


class NamedOut(BaseModel):
    id: str
    title: str
    says: str


class DialectOut(BaseModel):
    """version: 0 for a dialect that was shipped."""

    id: str
    name: str
    model: str
    says: str
    version: int


class DialectTextOut(BaseModel):
    id: str
    text: str
    version: int


class DialectIn(BaseModel):
    text: str = Field(max_length=1 << 20)


class TryIn(BaseModel):
    """A dialect, finished or not, and a sheet to read by it; an empty dialect asks which known one fits."""

    dialect: str = Field(max_length=1 << 20)
    sheet: str = Field(max_length=4 << 20)
    kind: Literal[".json", ".yaml", ".csv"] = ".json"


class LineProblem(BaseModel):
    line: int
    message: str


class GuessOut(BaseModel):
    id: str
    name: str
    confidence: float
    reasons: list[str]


class TriedMaterial(BaseModel):
    """A row of the sheet as the dialect reads it, and what it becomes in OpenPBR."""

    name: str
    model: str
    values: dict[str, str]
    converted: dict[str, str]
    colour: list[float] | None
    findings: list[FindingOut]


class TryOut(BaseModel):
    """problems: of the dialect, by line; refused: why the sheet could not be read."""

    problems: list[LineProblem]
    refused: str
    guesses: list[GuessOut]
    materials: list[TriedMaterial]


class PresetOut(BaseModel):
    """color: the value that takes the colour it is started with, or ""; own: somebody saved it."""

    id: str
    name: str
    says: str
    color: str
    values: dict[str, Any]
    own: bool


class PresetIn(BaseModel):
    name: str = Field(min_length=1, max_length=200)
    says: str = Field(default="", max_length=400)
    color: str = "base_color"
    values: dict[str, Any] = Field(min_length=1)


class PresetChoiceIn(BaseModel):
    preset: str


class StartIn(BaseModel):
    """A new material that starts from a preset, with one colour (linear Rec.709)."""

    preset: str
    name: str = Field(min_length=1, max_length=400)
    color: tuple[float, float, float] | None = None
    target: Target = "open_pbr"
    profile: ProfileName = "extensions"


class LookedUp(BaseModel):
    id: str
    title: str
    value: float
    source: str
    low: float | None = None
    high: float | None = None


class MetalOut(BaseModel):
    """colour, tint: as OpenPBR's metal takes them; outside: linear channels before they were cut to the gamut, where they were."""

    id: str
    title: str
    source: str
    colour: list[float]
    tint: list[float]
    outside: list[float] | None


class TablesOut(BaseModel):
    indices: list[LookedUp]
    finishes: list[LookedUp]
    metals: list[MetalOut]


class StateOut(BaseModel):
    """engine_runs: whether pictures can be made; engine_reason: why not."""

    version: str
    engine_runs: bool
    engine_reason: str
    engine_remedy: str
