"""What goes over the wire."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field

from fenrain.core.convert.profiles import LARGEST_FILE, ProfileFile
from fenrain.core.models.registry import HUB
from fenrain.core.steps import Step
from fenrain.services.people import Role

VerdictName = Literal["match", "near", "undecided", "off"]
ModelId = Annotated[str, Field(min_length=1, max_length=40)]
"""Of a model that is a target; which there are, /targets says."""
ProfileName = Annotated[str, Field(min_length=1, max_length=40)]
FIRST_TARGET, FIRST_PROFILE = HUB, "extensions"


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


class LimitsOut(BaseModel):
    """The most that a match and that near may read."""

    match: float = Field(gt=0)
    near: float = Field(gt=0)


class ProjectOut(BaseModel):
    id: int
    name: str
    tolerances: dict[str, dict[str, LimitsOut]]
    rigs: list[str]
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
    choices: list[str] = []


class FoundMaterial(BaseModel):
    """A material in an intake, before it enters the board. values: by parameter, in words; mapped: those of them that are maps; counted:
    those that are numbers or colours; picture: digest of a small one, "" where there is none; corrections: how many a person made; unit:
    metres of its unit of length, 0 where nobody knows."""

    position: int
    file: str
    name: str
    model: str
    place: str
    meshes: list[str]
    maps: list[str]
    mapped: list[str] = []
    counted: list[str] = []
    picture: str = ""
    corrections: int = 0
    unit: float = 0.0
    values: dict[str, str]
    findings: list[FindingOut]


class FileError(BaseModel):
    file: str
    code: str
    message: str
    place: str
    remedy: str


class SheetOut(BaseModel):
    """A parameter sheet. dialect: by which it was read, "" where the sheet names its own; says: how that was found, or why it was
    refused."""

    file: str
    dialect: str
    says: str
    refused: bool = False


class NamesakeIn(BaseModel):
    """name: of a file that several are called like; path: of the one that is meant."""

    name: str
    path: str


class SearchIn(BaseModel):
    """folder: of the server."""

    folder: str = Field(max_length=4000)


class DialectFit(BaseModel):
    """How well a dialect fits a sheet: how many of its columns it knows; misspelt: those that it does not, with the one of its own that is
    spelled nearly so; unknown: the others."""

    id: str
    name: str
    recognised: int
    columns: int
    misspelt: dict[str, str]
    unknown: list[str]
    confidence: float


class SheetFitOut(BaseModel):
    """fits: of the known dialects, the likeliest first; rows: the first of the sheet, as JSON; draft: a dialect to begin from, YAML."""

    fits: list[DialectFit]
    rows: str
    draft: str


class UnitIn(BaseModel):
    """metres: of a unit of length, 0 for nobody knows."""

    metres: float = Field(ge=0.0, le=1e6, allow_inf_nan=False)


class IntakeOut(BaseModel):
    """unused: names of files that no material came from or reads; unit: metres that a person said for files that state none, 0 for none."""

    id: int
    project_id: int
    state: Literal["found", "accepted"]
    files: list[str]
    unused: list[str]
    unit: float
    sheets: list[SheetOut]
    found: list[FoundMaterial]
    errors: list[FileError]


class DialectChoiceIn(BaseModel):
    """The dialect that a parameter sheet of an intake is read by."""

    file: str
    dialect: str


class AcceptIn(BaseModel):
    """positions: of the found materials that enter; all where it is left out."""

    positions: list[int] | None = None
    target: ModelId = FIRST_TARGET
    profile: ProfileName = FIRST_PROFILE


class CheckPictures(BaseModel):
    """Digests of PNG files, to be had from /api/v1/files/{digest}; or data URLs. pixels: what is known of each
    pixel, empty where it is not kept: deflated half floats, plane after plane, row by row (red, green, blue of the original and of the
    converted picture, linear; ΔE2000; ΔE2000 four stops darker; relative difference; ΔE2000 of the noise; where the body is seen)."""

    original: str
    converted: str
    difference: str
    pixels: str = ""


class ReadingOut(BaseModel):
    """What one metric says, see /metrics. value: how different; floor: how much of it noise alone makes; original, converted: what it says
    of each, where it does; verdict, match, near: null for a metric that decides nothing."""

    metric: str
    value: float
    floor: float
    original: float | None
    converted: float | None
    verdict: VerdictName | None
    match: float | None
    near: float | None


class DecisionOut(BaseModel):
    """A verdict, the metric that it hangs on, and both in words. least, most: what it is at best and at worst, where noise leaves it open;
    excess: the reading as a multiple of what a match may read; unseen: what is set and was not drawn."""

    verdict: VerdictName
    least: VerdictName
    most: VerdictName
    metric: str
    rig: str
    text: str
    excess: float
    unseen: list[str]


class FiguresOut(BaseModel):
    """What can be told on directions, without a picture. reflectance: at each of the angles of view, red, green, blue; profile: brightness
    of the highlight by degrees from its middle."""

    decision: DecisionOut
    readings: list[ReadingOut]
    lobe_error: float
    angles: list[float]
    reflectance_original: list[list[float]]
    reflectance_converted: list[list[float]]
    profile_degrees: list[float]
    profile_original: list[float]
    profile_converted: list[float]


class CheckOut(BaseModel):
    """One rig's pictures and readings. size: edge of the pictures; samples: for each pixel that was measured; decision: null before
    anything is measured."""

    id: int
    rig: str
    stand: str
    turn: float
    size: int
    samples: int
    decision: DecisionOut | None
    readings: list[ReadingOut]
    pictures: CheckPictures


class LookFrame(BaseModel):
    """A view as it gets better. pictures: data URLs of PNGs by side; clear: noise cannot change the verdict any more, or no more is to be
    had; problem: why there is nothing; done: the last frame of this view."""

    size: int
    samples: int
    pictures: CheckPictures | None
    decision: DecisionOut | None
    readings: list[ReadingOut]
    figures: FiguresOut | None
    clear: bool
    problem: Problem | None
    done: bool


class BoardCheck(BaseModel):
    """A check as the board shows it. samples: for each pixel that was measured."""

    rig: str
    samples: int
    decision: DecisionOut | None
    pictures: CheckPictures


class TolerancesIn(BaseModel):
    """By rig (`*` for any) and metric; what is left out is at the metric's own limits."""

    limits: dict[str, dict[str, LimitsOut]]


class MetricOut(BaseModel):
    """of: what it looks at; limits: the metric's own, null for one that decides nothing."""

    id: str
    title: str
    says: str
    of: Literal["pictures", "surfaces"]
    unit: str
    limits: LimitsOut | None


class LookOut(BaseModel):
    """Whose look at which side: by us or by the other renderer, of the original or of what it was converted to."""

    by: Literal["ours", "theirs"]
    shows: Literal["original", "converted"]


class OutsidePair(BaseModel):
    """Digests of two pictures laid over each other, and of their difference."""

    first: str
    second: str
    difference: str


class OutsideCheckOut(BaseModel):
    """Two looks at a material, of which at least one came from another renderer. material_id: null where it is gone; current: whether the
    conversion is still as it was then; statements: what explains the difference; kit_id, rig: by which kit, and under which light."""

    kit_id: int
    kit: str
    rig: str
    material: str
    material_id: int | None
    current: bool
    first: LookOut
    second: LookOut
    decision: DecisionOut
    readings: list[ReadingOut]
    statements: list[str]
    pictures: OutsidePair


class StatementOut(BaseModel):
    """Something about a picture, in words. matched: whether it is taken out of the comparison."""

    code: str
    says: str
    matched: bool


class ResponseOut(BaseModel):
    """What a target profile can correct of a viewer. of: own light or metal; factor: how many times too strong it is shown."""

    of: Literal["emission", "metal"]
    factor: float
    materials: list[str]


class OutsidePictureOut(BaseModel):
    """A picture that came back. compared: whether it has been compared yet; noise: ΔE2000 of a pixel that is measured; residual: pixels
    that marks lie beside each other after aligning."""

    shows: Literal["original", "converted"]
    name: str
    space: str
    compared: bool
    width: int = 0
    height: int = 0
    noise: float = 0.0
    residual: float = 0.0
    statements: list[StatementOut] = []
    responses: list[ResponseOut] = []


class PhotographOut(BaseModel):
    id: str
    title: str
    says: str


Share = tuple[Annotated[float, Field(ge=0, le=1)], Annotated[float, Field(ge=0, le=1)]]
"""A place on a photograph, across and down."""


class PickIn(BaseModel):
    """area: two corners of what is averaged; grey: two corners of an even grey with its reflectance, or chart: four corners of a chart of
    24 patches, clockwise from the first patch, by which exposure and white are set."""

    area: tuple[Share, Share]
    space: str = Field(default="", max_length=80)
    grey: tuple[Share, Share] | None = None
    reflectance: float = Field(default=0.18, gt=0.001, le=1)
    chart: tuple[Share, Share, Share, Share] | None = None


class PickedOut(BaseModel):
    """colour: linear Rec.709; spread: ΔE2000 that 95 % of the area are within of it; space: in which the photograph was read; exposure:
    stops that a grey or a chart took out; off: ΔE2000 of the chart's patches after that, on average and at most."""

    colour: tuple[float, float, float]
    spread: float
    clipped: float
    pixels: int
    space: str
    exposure: float | None
    off: tuple[float, float] | None


class DifferenceOut(BaseModel):
    """ΔE2000 that half, and that 95 %, of what is seen differ by less than."""

    half: float
    most: float


class QuestionIn(BaseModel):
    """Which materials of a board: what the board is filtered by, but for some."""

    state: str = Field(default="", max_length=40)
    find: str = Field(default="", max_length=400)
    file: str = Field(default="", max_length=400)
    model: str = Field(default="", max_length=40)
    lost: str = Field(default="", max_length=400)
    reason: str = Field(default="", max_length=40)
    review: str = Field(default="", max_length=40)
    without: list[int] = Field(default=[], max_length=10_000)


class Chosen(BaseModel):
    """Materials by their ids, or those that a question to the board finds; all of the project where neither is said."""

    material_ids: list[int] | None = None
    question: QuestionIn | None = None


class KitIn(Chosen):
    """A check kit that is wanted, of one material on its stand, or of several on one sheet."""

    target: ModelId = FIRST_TARGET
    profile: ProfileName = FIRST_PROFILE
    rig: str = Field(default="soft_studio", max_length=40)
    stand: str = Field(default="sphere", max_length=60)
    turn: float = Field(default=0.0, ge=-360, le=360)


class KitOut(BaseModel):
    """A check kit. materials: names of those that it holds; on_the_web: whether it holds glTF that a web viewer can show; verdict: over
    all that came back for it, null before anything did."""

    id: int
    title: str
    target: str
    profile: str
    rig: str
    stand: str
    turn: float
    width: int
    height: int
    created: datetime
    materials: list[str]
    on_the_web: bool
    pictures: list[OutsidePictureOut]
    verdict: DecisionOut | None


class KitDetail(KitOut):
    checks: list[OutsideCheckOut]


class StandInIn(BaseModel):
    """The stand-in's picture that is wanted. wrong: what is set wrong, "" for nothing."""

    shows: Literal["original", "converted"] = "original"
    wrong: str = Field(default="", max_length=40)


class ReviewPlace(BaseModel):
    """Where in a picture a note points: which picture, and shares of its width and height."""

    rig: str = Field(max_length=40)
    stand: str = Field(max_length=60)
    turn: float = Field(default=0.0, ge=-360, le=360)
    side: Literal["original", "converted"] = "converted"
    x: float = Field(ge=0, le=1)
    y: float = Field(ge=0, le=1)


ReviewState = Literal["open", "accepted", "sent back"]


class ReviewIn(BaseModel):
    state: ReviewState
    note: str = Field(default="", max_length=2000)
    place: ReviewPlace | None = None


class ReviewOut(BaseModel):
    """state: what stands today, open where something has changed since; changed: what has, in words; said: what was said then."""

    state: ReviewState
    changed: list[str]
    said: ReviewState
    by: str
    note: str
    place: ReviewPlace | None
    created: datetime


class AcceptAllIn(BaseModel):
    """Accepts what matches on all rigs and loses nothing."""

    target: ModelId
    profile: ProfileName


class AcceptedOut(BaseModel):
    """count: how many were accepted; rule: by which rule, in words."""

    count: int
    rule: str


class ReportIn(Chosen):
    target: ModelId
    profile: ProfileName
    kind: Literal["html", "pdf", "csv", "json"] = "html"


class BoardRow(BaseModel):
    """One material on the board. conversion_id, version, figures, verdict: null while it is not converted; figures: what the quick figures
    say; verdict: over figures and rigs; outside: what another renderer showed of it as it is now, null where none did; review: what was
    said of it last, null where nothing was; merged_into: the name of the one that stands for it."""

    material_id: int
    name: str
    model: str
    file: str
    merged_into: str | None
    findings: list[FindingOut]
    conversion_id: int | None
    version: int | None
    overrides: int
    losses: list[str]
    approximated: int
    figures: DecisionOut | None
    verdict: DecisionOut | None
    checks: list[BoardCheck]
    outside: DecisionOut | None
    review: ReviewOut | None


class BoardOut(BaseModel):
    """A part of a board. total: how many were asked for in all; counts: how many there would be in each state; reviews: of those that were
    asked for, how many in each state of review; unsettled: how many are still being judged again, by what they hang on now; older: how
    many of the whole board were converted by older rules."""

    rows: list[BoardRow]
    total: int
    counts: dict[str, int]
    reviews: dict[str, int]
    unsettled: int
    older: int


class NeighboursOut(BaseModel):
    """The conversions that stand before and after one on a board, null at its ends; place: which it is, from 1, 0 where it is not there."""

    previous: int | None
    next: int | None
    place: int
    total: int


class BoardChoices(BaseModel):
    """What a board can be filtered by."""

    files: list[str]
    models: list[str]
    losses: list[str]
    reasons: list[str]


class LedgerStep(BaseModel):
    rule: str
    text: str
    source: str
    fidelity: str
    inputs: list[dict[str, str]]
    remark: str


class LedgerEntry(BaseModel):
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
    grade: list[Step]
    shown: str
    shown_derived: str
    steps: list[LedgerStep]
    free: bool
    as_for: str


class SourceValue(BaseModel):
    name: str
    group: str
    shown: str
    says: str
    constant: Any = None


class SourceMapOut(BaseModel):
    """A source value that is a map. says: the image files it reads, with their sizes and depths, in words."""

    name: str
    shown: str
    says: list[str]


class MapOut(BaseModel):
    """A converted value that is a map. width, height: as it will be written; sources: the maps it comes from; steps: what was done in
    between, in words; grade: steps that a person takes on it."""

    name: str
    group: str
    kind: str
    width: int
    height: int
    sources: list[SourceMapOut]
    steps: list[str]
    grade: list[Step]


class MapPictureOut(BaseModel):
    """A map to look at. width, height: of the map; picture: a smaller PNG as a data address, colours as sRGB, normals and numbers as they
    are; most: what white stands for; bins: how many of 10,000 texels lie in each of equal steps from black to white, by channel; least,
    mean, largest: by channel, linear."""

    width: int
    height: int
    kind: str
    picture: str
    most: float
    bins: list[list[float]]
    least: list[float]
    mean: list[float]
    largest: list[float]


class VariantIn(BaseModel):
    name: str = Field(min_length=1, max_length=400)


class VariantOut(BaseModel):
    """A version of the same material in the same target."""

    conversion_id: int
    name: str


class ConversionOut(BaseModel):
    """variants: versions of the same material in this target, this one among them; alone where there is no other."""

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
    findings: list[FindingOut]
    ledger: list[LedgerEntry]
    figures: FiguresOut
    verdict: DecisionOut
    checks: list[CheckOut]
    checking: bool
    outside: list[OutsideCheckOut] = []


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


class MapIn(BaseModel):
    """Which map to look at. source: a source value in place of the converted one, "" for none; steps: a grade to try, the kept one where
    left out."""

    source: str = ""
    steps: list[Step] | None = Field(default=None, max_length=32)


class GradeIn(BaseModel):
    """Steps on a value, in their order."""

    steps: list[Step] = Field(max_length=32)


class CopyIn(BaseModel):
    """Where a value is copied from: a slot of the same conversion, or of a sibling's."""

    conversion_id: int
    name: str


class SharesOut(BaseModel):
    """What the remaining difference comes from: share of `error`, 0…1, by target value, and by source value that was lost."""

    error: float
    values: dict[str, float]
    losses: dict[str, float]


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
    """One material in one target. key: of the target; predicted: normalised lobe error; nearest: whether none comes nearer;
    conversion_id: null while nobody converted to it."""

    key: str
    target: str
    profile: str
    title: str
    conversion_id: int | None
    predicted: float
    nearest: bool
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
    """rigs: every one where left out."""

    rigs: list[str] | None = Field(default=None, min_length=1, max_length=32)
    stand: str = "sphere"
    turn: float = 0.0


class ConvertIn(Chosen):
    """Bring materials to a target and check them."""

    target: ModelId = FIRST_TARGET
    profile: ProfileName = FIRST_PROFILE


class DeliveryIn(Chosen):
    """to_folder: write into a folder of the server as well, beside the archive."""

    target: ModelId
    profile: ProfileName = FIRST_PROFILE
    to_folder: bool = False


class PlanIn(Chosen):
    """What a delivery of these materials would hold."""

    target: ModelId
    profile: ProfileName = FIRST_PROFILE


class AboutMaterials(BaseModel):
    """A line about some materials: how many, and the names of the first of them."""

    text: str
    count: int
    materials: list[str]


class AdviceOut(AboutMaterials):
    code: str
    remedy: str


class CheckItemOut(BaseModel):
    """What a viewer of the target needs for a feature that is used, or cannot show (shown); count, materials: of those that use it."""

    feature: str
    title: str
    says: str
    shown: bool
    count: int
    materials: list[str]


class PlanOut(BaseModel):
    """unconverted: how many are not converted yet, of which nothing else is known; memory, most_memory: bytes of maps in a renderer's
    memory, and what the target profile allows, 0 for no limit; doubtful: how many do not match, or are not checked; doubts: some of them,
    with what they are."""

    doubtful: int
    doubts: list[str]
    materials: int
    unconverted: int
    maps: int
    memory: int
    most_memory: int
    advice: list[AdviceOut]
    losses: list[AboutMaterials]
    checklist: list[CheckItemOut]


class WrittenFile(BaseModel):
    name: str
    size: int


class ValidationOut(BaseModel):
    """What a validator says of a written file. by: which, "" where none could look, with the reason as what is said."""

    file: str
    by: str
    errors: int
    said: list[str]


class JobOut(BaseModel):
    """seconds_left: about how long it will take yet, null where that is not known; archive, folder: where a delivery went, within the file
    store and on the server; report: what a report that is ready is called; validations: of what was written."""

    id: int
    project_id: int
    kind: str
    title: str
    by: str
    state: Literal["queued", "running", "paused", "done", "failed", "cancelled"]
    seconds_left: float | None
    total: int
    done: int
    failed: int
    errors: list[str]
    archive: str | None
    report: str | None
    folder: str
    files: list[WrittenFile]
    validations: list[ValidationOut]
    created: datetime
    updated: datetime


class ChangedValueOut(BaseModel):
    name: str
    before: str
    after: str


class ChangedMaterialOut(BaseModel):
    """was, now: the verdicts of the earlier and of the later delivery, "" where none was known."""

    name: str
    source: str
    values: list[ChangedValueOut]
    was: str
    now: str


class DeliveryDifferenceOut(BaseModel):
    """What the later of two deliveries holds otherwise. same: how many materials both hold alike."""

    titles: tuple[str, str]
    targets: tuple[str, str]
    same: int
    changed: list[ChangedMaterialOut]
    added: list[str]
    removed: list[str]
    files_changed: list[str]
    files_added: list[str]
    files_removed: list[str]


class TableOut(BaseModel):
    columns: list[str]
    rows: list[list[str]]


class SectionOut(BaseModel):
    """mark: a sign that stands for it; place: the screen that it is about; command: the same by command line; each "" for none."""

    id: str
    title: str
    text: list[str]
    table: TableOut | None
    mark: str
    place: str
    command: str


class TopicOut(BaseModel):
    id: str
    title: str
    says: str


class TopicWholeOut(TopicOut):
    sections: list[SectionOut]


class OptionOut(BaseModel):
    value: int
    label: str


class ParameterOut(BaseModel):
    """role: what it is in every model, "" for none; looked_up_in: the table that belongs to it; undrawn: why pictures do not show it."""

    name: str
    kind: str
    group: str
    says: str
    unit: str
    default: Any
    low: float | None
    high: float | None
    options: list[OptionOut]
    role: str
    looked_up_in: Literal["", "indices", "finishes", "metal colours", "metal tints"]
    undrawn: str


class ModelOut(BaseModel):
    id: str
    title: str
    source: str
    parameters: list[ParameterOut]


class TargetOut(BaseModel):
    """One way of being converted to. key: short, for addresses; narrows: the target that a target profile narrows, "" for a model's own;
    extensions: of the format, that it may use; format: in which it is written, "" where nothing here writes it; writes: what a delivery
    is made of."""

    key: str
    model: str
    profile: str
    title: str
    says: str
    narrows: str
    extensions: list[str]
    format: str
    format_title: str
    writes: str


class ProfileOut(BaseModel):
    """A target profile. version: 0 for one that comes with Fenrain."""

    stated: ProfileFile
    version: int


class ProfileTextIn(BaseModel):
    """A target profile as its YAML or JSON text."""

    text: str = Field(max_length=LARGEST_FILE)


class HeightsOut(BaseModel):
    """Of a rig's lamp, in degrees above the ground."""

    lowest: float
    usual: float
    highest: float


class HourOut(BaseModel):
    """Where a rig's lamp stands at an hour of the day: how far the light is turned, and how high the lamp is, in degrees."""

    hour: float
    turn: float
    height: float


class RigOut(BaseModel):
    """stands_by: looked through only where somebody asks for it, unless a project chooses it; heights: where its lamp can be moved;
    own: handed in by somebody."""

    id: str
    title: str
    says: str
    stands_by: bool
    heights: HeightsOut | None = None
    hours: list[HourOut] = []
    own: bool = False


class CameraOut(BaseModel):
    """Follows a stand's id after a colon."""

    id: str
    title: str


class StandOut(BaseModel):
    """own: handed in by somebody."""

    id: str
    title: str
    says: str
    cameras: list[CameraOut]
    own: bool = False


class SurroundingsOut(BaseModel):
    """What was handed in to look at materials by. kind: rig or stand; id: of that."""

    kind: str
    id: str
    title: str
    says: str


class RigsIn(BaseModel):
    """Rigs under which everything of a project is looked at; none for those that stand."""

    rigs: list[str] = Field(max_length=32)


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


class DialectNameIn(BaseModel):
    id: str = Field(min_length=1, max_length=40)


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


class PresetNameIn(BaseModel):
    name: str = Field(min_length=1, max_length=200)
    says: str = Field(default="", max_length=400)


class PresetChoiceIn(BaseModel):
    preset: str


class StartIn(BaseModel):
    """A new material that starts from a preset, with one colour (linear Rec.709)."""

    preset: str
    name: str = Field(min_length=1, max_length=400)
    color: tuple[float, float, float] | None = None
    target: ModelId = FIRST_TARGET
    profile: ProfileName = FIRST_PROFILE


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


PersonName = Annotated[str, Field(min_length=1, max_length=80)]
Secret = Annotated[str, Field(max_length=200)]


class SignInIn(BaseModel):
    """Name and password, or the secret of a one-time link."""

    name: str = Field(default="", max_length=80)
    password: Secret = ""
    link: Secret = ""


class MeOut(BaseModel):
    """by_link: whether one came by a one-time link, and may set a password without the one before."""

    name: str
    role: Role
    has_password: bool
    by_link: bool


class PasswordIn(BaseModel):
    password: Secret
    current: Secret = ""


class TokenIn(BaseModel):
    name: PersonName
    days: int


class TokenOut(BaseModel):
    """seen: when it was used last."""

    id: int
    name: str
    created: datetime
    seen: datetime
    expires: datetime


class NewTokenOut(BaseModel):
    secret: str


class RoleIn(BaseModel):
    role: Role
    disabled: bool = False


class PersonIn(BaseModel):
    name: PersonName
    role: Role


class PersonOut(BaseModel):
    id: int
    name: str
    role: Role
    disabled: bool
    has_password: bool


class LinkOut(BaseModel):
    """link: the secret that the page “/enter#…” takes."""

    person: PersonOut
    link: str


class AuditOut(BaseModel):
    """status: of the answer, as HTTP counts it."""

    id: int
    moment: datetime
    by: str
    act: str
    place: str
    status: int


class ManyActIn(BaseModel):
    """What is done to each of many conversions. kind: replaces values of optical groups, copies groups from another conversion (from_id),
    grades one value (name, steps), puts groups back to what was derived, lets the computer tune, merges those that are alike, makes
    variants (name: what is put after each name), or converts anew: by today's rules, by what a target profile would say (text), or as a
    dialect would read the sheets (text). The profile or the dialect (name: as people call it; version: that it was made from) is kept
    when it is done."""

    kind: Literal["set", "copy", "grade", "put back", "fit", "merge", "variant", "renew", "profile", "dialect"]
    groups: list[str] = Field(default=[], max_length=20)
    values: dict[str, float | bool | str | list[float]] = Field(default={}, max_length=100)
    from_id: int = 0
    name: str = Field(default="", max_length=80)
    steps: list[Step] = Field(default=[], max_length=20)
    text: str = Field(default="", max_length=1_000_000)
    version: int = 0


class RehearsalIn(Chosen):
    """An act on many that is to be looked at before it is done."""

    act: ManyActIn
    target: ModelId = FIRST_TARGET
    profile: ProfileName = FIRST_PROFILE


class RehearsedOut(BaseModel):
    """changes: in words; pictures: digests by “before” and “after”, of a few."""

    conversion_id: int
    name: str
    changes: str
    before: DecisionOut
    after: DecisionOut
    pictures: dict[str, str]


class RehearsalOut(BaseModel):
    """changed: how many would be changed, of those that were rehearsed; before, after: how many have which verdict by quick figures;
    worse: how many would read worse; rows: some of them, the ones with pictures first, then those that would become worse by the most."""

    words: str
    changed: int
    before: dict[str, int]
    after: dict[str, int]
    worse: int
    rows: list[RehearsedOut]


class ActOut(BaseModel):
    """An entry of the history. edits: how many conversions it changed; undone: whether it was taken back as a whole."""

    id: int
    by: str
    kind: str
    title: str
    edits: int
    undone: bool
    created: datetime


class EditOut(BaseModel):
    """What an act did to one conversion, in words."""

    act_id: int
    by: str
    kind: str
    said: str
    undone: bool
    created: datetime


class KeptActIn(BaseModel):
    """An act on many that is to be done again: which materials, and what."""

    name: str = Field(min_length=1, max_length=200)
    question: QuestionIn
    act: ManyActIn


class KeptActOut(BaseModel):
    id: int
    name: str
    by: str
    words: str
    question: QuestionIn
    act: ManyActIn
