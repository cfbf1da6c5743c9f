"""Dialects, named surfaces, and one material in every target, as they go over the wire."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, Field

from fenrain.api.schemas.shared import FIRST_PROFILE, FIRST_TARGET, ModelId, ProfileName
from fenrain.services.comparison import TriedMaterial


class DialectOut(BaseModel):
    """version: 0 for a dialect that was shipped."""

    id: str
    name: str
    model: str
    says: str
    version: int


class DialectTextOut(BaseModel):
    id: str
    text: str
    version: int


class DialectIn(BaseModel):
    text: str = Field(max_length=1 << 20)


class DialectNameIn(BaseModel):
    id: str = Field(min_length=1, max_length=40)


class TryIn(BaseModel):
    """A dialect, finished or not, and a sheet to read by it; an empty dialect asks which known one fits."""

    dialect: str = Field(max_length=1 << 20)
    sheet: str = Field(max_length=4 << 20)
    kind: Literal[".json", ".yaml", ".csv"] = ".json"


class LineProblem(BaseModel):
    line: int
    message: str


class GuessOut(BaseModel):
    id: str
    name: str
    confidence: float
    reasons: list[str]


class TryOut(BaseModel):
    """problems: of the dialect, by line; refused: why the sheet could not be read."""

    problems: list[LineProblem]
    refused: str
    guesses: list[GuessOut]
    materials: list[TriedMaterial]


class PresetOut(BaseModel):
    """color: the value that takes the colour it is started with, or ""; own: somebody saved it."""

    id: str
    name: str
    says: str
    color: str
    values: dict[str, Any]
    own: bool


class PresetIn(BaseModel):
    name: str = Field(min_length=1, max_length=200)
    says: str = Field(default="", max_length=400)
    color: str = "base_color"
    values: dict[str, Any] = Field(min_length=1)


class PresetNameIn(BaseModel):
    name: str = Field(min_length=1, max_length=200)
    says: str = Field(default="", max_length=400)


class StartIn(BaseModel):
    """A new material that starts from a preset, with one colour (linear Rec.709)."""

    preset: str
    name: str = Field(min_length=1, max_length=400)
    color: tuple[float, float, float] | None = None
    target: ModelId = FIRST_TARGET
    profile: ProfileName = FIRST_PROFILE
