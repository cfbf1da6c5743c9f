"""Acts on many and the history, as they go over the wire."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import BaseModel, Field

from fenrain.api.schemas.shared import FIRST_PROFILE, FIRST_TARGET, DecisionOut, ModelId, ProfileName, QuestionIn, Selection
from fenrain.core.steps import ValueStep


class ManyActIn(BaseModel):
    """What is done to each of many conversions. kind: replaces values of optical groups, copies groups from another conversion (from_id),
    grades one value (name, steps), puts groups back to what was derived, lets the computer tune, merges those that are alike, makes
    variants (name: what is put after each name), or converts again: by today's rules, by what a target profile would say (text), or as a
    dialect would read the sheets (text). The profile or the dialect (name: as people call it; version: that it was made from) is kept
    when it is done."""

    kind: Literal["set", "copy", "grade", "put back", "fit", "merge", "variant", "renew", "profile", "dialect"]
    groups: list[str] = Field(default=[], max_length=20)
    values: dict[str, float | bool | str | list[float]] = Field(default={}, max_length=100)
    from_id: int = 0
    name: str = Field(default="", max_length=80)
    steps: list[ValueStep] = Field(default=[], max_length=20)
    text: str = Field(default="", max_length=1_000_000)
    version: int = 0


class RehearsalIn(Selection):
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


class SavedActIn(BaseModel):
    """An act on many that is to be done again: which materials, and what."""

    name: str = Field(min_length=1, max_length=200)
    question: QuestionIn
    act: ManyActIn


class SavedActOut(BaseModel):
    id: int
    name: str
    by: str
    words: str
    question: QuestionIn
    act: ManyActIn
