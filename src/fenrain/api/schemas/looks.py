"""Looks and checks, as they go over the wire."""

from __future__ import annotations

from pydantic import BaseModel, Field

from fenrain.api.schemas.shared import Problem, ReadingOut
from fenrain.store.documents.checking import CheckPictures, Curves, DecisionDocument


class FiguresOut(Curves):
    """What can be told on directions, without a picture."""

    decision: DecisionDocument
    readings: list[ReadingOut]


class CheckOut(BaseModel):
    """One rig's pictures and readings. size: edge of the pictures; samples: for each pixel that was measured; decision: null before
    anything is measured."""

    id: int
    rig: str
    stand: str
    turn: float
    size: int
    samples: int
    decision: DecisionDocument | None
    readings: list[ReadingOut]
    pictures: CheckPictures


class LookFrame(BaseModel):
    """A view as it gets better. pictures: data URLs of PNGs by side; clear: noise cannot change the verdict any more, or no more is to be
    had; preparing: these are quick pictures, while the renderer is compiled for such materials; problem: why there is nothing; done: the
    last frame of this view."""

    size: int
    samples: int
    pictures: CheckPictures | None
    decision: DecisionDocument | None
    readings: list[ReadingOut]
    figures: FiguresOut | None
    clear: bool
    preparing: bool
    problem: Problem | None
    done: bool


class CheckIn(BaseModel):
    """rigs: every one where left out."""

    rigs: list[str] | None = Field(default=None, min_length=1, max_length=32)
    stand: str = "sphere"
    turn: float = 0.0
