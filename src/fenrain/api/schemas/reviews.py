"""Reviews and reports, as they go over the wire."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import BaseModel, Field

from fenrain.api.schemas.shared import ModelId, ProfileName, Selection


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


class ReportIn(Selection):
    target: ModelId
    profile: ProfileName
    kind: Literal["html", "pdf", "csv", "json"] = "html"
