"""Projects and boards, as they go over the wire."""

from __future__ import annotations

from pydantic import BaseModel, Field

from fenrain.api.schemas.looks import CheckPictures
from fenrain.api.schemas.reviews import ReviewOut
from fenrain.api.schemas.shared import FIRST_PROFILE, FIRST_TARGET, DecisionOut, FindingOut, ModelId, ProfileName, Selection


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


class BoardCheck(BaseModel):
    """A check as the board shows it. samples: for each pixel that was measured."""

    rig: str
    samples: int
    decision: DecisionOut | None
    pictures: CheckPictures


class TolerancesIn(BaseModel):
    """By rig (`*` for any) and metric; what is left out is at the metric's own limits."""

    limits: dict[str, dict[str, LimitsOut]]


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
    asked for, how many in each state of review; unsettled: how many are still being judged again, by what they depend on now; older: how
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


class ConvertIn(Selection):
    """Bring materials to a target and check them."""

    target: ModelId = FIRST_TARGET
    profile: ProfileName = FIRST_PROFILE
