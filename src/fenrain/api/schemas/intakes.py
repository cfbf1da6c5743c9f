"""Intakes, as they go over the wire."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

from fenrain.api.schemas.shared import FIRST_PROFILE, FIRST_TARGET, ModelId, ProfileName
from fenrain.services.found_materials import FoundCounts
from fenrain.store.documents.intakes import FileError, FoundDocument, SheetReading

Doubts = Literal["", "doubtful", "sound"]


class FoundMaterial(FoundDocument):
    """A material in an intake, before it enters the board. taken: whether it enters; changed: whether it is understood otherwise than
    before the last act."""

    position: int
    taken: bool
    changed: bool


class FoundOut(BaseModel):
    """A part of what was found. total: how much there is in all of what was asked for."""

    rows: list[FoundMaterial]
    total: int


class MarkTakenIn(BaseModel):
    """Which of the found materials enter the board, or do not. find: part of the name; positions: these, where it is not left out."""

    taken: bool
    find: str = Field("", max_length=400)
    file: str = Field("", max_length=400)
    model: str = Field("", max_length=40)
    doubts: Doubts = ""
    positions: list[int] | None = Field(None, max_length=100_000)


class NamesakeIn(BaseModel):
    """name: of a file that several are called like; path: of the one that is meant."""

    name: str
    path: str


class SearchIn(BaseModel):
    """folder: of the server."""

    folder: str = Field(max_length=4000)


class DialectFit(BaseModel):
    """How well a dialect fits a sheet: how many of its columns it knows; misspelt: those that it does not, with the one of its own that is
    spelled nearly so; unknown: the others."""

    id: str
    name: str
    recognised: int
    columns: int
    misspelt: dict[str, str]
    unknown: list[str]
    confidence: float


class SheetFitOut(BaseModel):
    """fits: of the known dialects, the likeliest first; rows: the first of the sheet, as JSON; draft: a dialect to begin from, YAML."""

    fits: list[DialectFit]
    rows: str
    draft: str


class UnitIn(BaseModel):
    """metres: of a unit of length, 0 for nobody knows."""

    metres: float = Field(ge=0.0, le=1e6, allow_inf_nan=False)


class IntakeOut(BaseModel):
    """What was uploaded. files: how many; unused: names of the first files that no material came from or reads; missing: names of the
    first that materials refer to and that were not uploaded; errors: of the first that could not be read; so many there are in all as
    `unused_files`, `missing_files` and `refused_files` say; unit: metres that a person said for files that state none, 0 for none; found:
    how many materials there are; found_in, found_as: files and models of them; search_roots: folders of the server below which missing
    maps may be looked for."""

    id: int
    project_id: int
    state: Literal["found", "accepted"]
    files: int
    unused: list[str]
    unused_files: int
    missing: list[str]
    missing_files: int
    errors: list[FileError]
    refused_files: int
    unit: float
    sheets: list[SheetReading]
    found: FoundCounts
    found_in: list[str]
    found_as: list[str]
    search_roots: list[str]


class DialectChoiceIn(BaseModel):
    """The dialect that a parameter sheet of an intake is read by."""

    file: str
    dialect: str


class AcceptIn(BaseModel):
    """positions: of the found materials that enter; all that were not left out by hand, where it is left out."""

    positions: list[int] | None = None
    target: ModelId = FIRST_TARGET
    profile: ProfileName = FIRST_PROFILE
