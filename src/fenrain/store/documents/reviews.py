"""What somebody said of a look, and whether it still stands."""

from __future__ import annotations

from datetime import datetime
from typing import Final, Literal

from pydantic import Field

from fenrain.store.documents.column import Document

ReviewName = Literal["open", "accepted", "sent back"]
OPEN: Final = "open"
ACCEPTED: Final = "accepted"
SENT_BACK: Final = "sent back"


class ReviewPlace(Document):
    """Where in a picture a note points: which picture, and shares of its width and height."""

    rig: str = Field(max_length=40)
    stand: str = Field(max_length=60)
    turn: float = Field(default=0.0, ge=-360, le=360)
    side: Literal["original", "converted"] = "converted"
    x: float = Field(ge=0, le=1)
    y: float = Field(ge=0, le=1)


class ReviewDocument(Document):
    """state: what stands today, open where something has changed since; changed: what has, in words; said: what was said then."""

    state: ReviewName
    changed: list[str]
    said: ReviewName
    by: str
    note: str
    place: ReviewPlace | None
    created: datetime
