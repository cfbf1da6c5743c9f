"""What several kinds of requests and answers share."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field

from fenrain.core.models.registry import HUB

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
    """A verdict, the metric that it depends on, and both in words. least, most: at best and at worst, where noise leaves it open;
    excess: the reading as a multiple of what a match may read; unseen: what is set and was not drawn."""

    verdict: VerdictName
    least: VerdictName
    most: VerdictName
    metric: str
    rig: str
    text: str
    excess: float
    unseen: list[str]


Share = tuple[Annotated[float, Field(ge=0, le=1)], Annotated[float, Field(ge=0, le=1)]]
"""A place on a photograph, across and down."""


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


class Selection(BaseModel):
    """Materials by their ids, or those that a question to the board finds; all of the project where neither is said."""

    material_ids: list[int] | None = None
    question: QuestionIn | None = None
