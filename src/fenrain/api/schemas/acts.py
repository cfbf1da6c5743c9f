"""Acts on many and the history, as they go over the wire."""

from __future__ import annotations

from datetime import datetime

from pydantic import BaseModel, Field

from fenrain.api.schemas.shared import FIRST_PROFILE, FIRST_TARGET, ModelId, ProfileName, Selection
from fenrain.services.acts.registry import AnyAct
from fenrain.services.board import BoardQuery
from fenrain.store.documents.checking import DecisionDocument


class RehearsalIn(Selection):
    """An act on many that is to be looked at before it is done."""

    act: AnyAct
    target: ModelId = FIRST_TARGET
    profile: ProfileName = FIRST_PROFILE


class RehearsedOut(BaseModel):
    """changes: in words; pictures: digests by “before” and “after”, of a few."""

    conversion_id: int
    name: str
    changes: str
    before: DecisionDocument
    after: DecisionDocument
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
    """An entry of the history. edits: how many conversions it changed; undone: whether it was taken back as a whole; undoable: whether it
    can be."""

    id: int
    by: str
    kind: str
    title: str
    edits: int
    undone: bool
    undoable: bool
    created: datetime


class EditOut(BaseModel):
    """What an act did to one conversion, in words."""

    act_id: int
    by: str
    kind: str
    said: str
    undone: bool
    created: datetime


class SavedActIn(BaseModel):
    """An act on many that is to be done again: which materials, and what."""

    name: str = Field(min_length=1, max_length=200)
    question: BoardQuery
    act: AnyAct


class SavedActOut(BaseModel):
    id: int
    name: str
    by: str
    words: str
    question: BoardQuery
    act: AnyAct
