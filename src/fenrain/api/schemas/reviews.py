"""Reviews and reports, as they go over the wire."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

from fenrain.api.schemas.shared import ModelId, ProfileName, Selection
from fenrain.store.documents.reviews import ReviewName, ReviewPlace


class ReviewIn(BaseModel):
    state: ReviewName
    note: str = Field(default="", max_length=2000)
    place: ReviewPlace | None = None


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
