"""Projects and boards, as they go over the wire."""

from __future__ import annotations

from pydantic import BaseModel, Field

from fenrain.api.schemas.shared import FIRST_PROFILE, FIRST_TARGET, ModelId, ProfileName, Selection
from fenrain.core.conversion.aim import Aim


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
    aim: Aim
    materials: int


class TolerancesIn(BaseModel):
    """By rig (`*` for any) and metric; what is left out is at the metric's own limits."""

    limits: dict[str, dict[str, LimitsOut]]


class AimIn(BaseModel):
    """What converted values are to be good for."""

    aim: Aim


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
