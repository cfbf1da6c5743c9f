"""What several kinds of requests and answers share."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, Field

from fenrain.core.models.registry import HUB
from fenrain.services.board import BoardQuery
from fenrain.store.documents.checking import VerdictName

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


Share = tuple[Annotated[float, Field(ge=0, le=1)], Annotated[float, Field(ge=0, le=1)]]
"""A place on a photograph, across and down."""


class Selection(BaseModel):
    """Materials by their ids, or those that a question to the board finds; all of the project where neither is said."""

    material_ids: list[int] | None = None
    question: BoardQuery | None = None
