"""Intakes, as they go over the wire."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

from fenrain.api.schemas.shared import FIRST_PROFILE, FIRST_TARGET, FindingOut, ModelId, ProfileName


class FoundMaterial(BaseModel):
    """A material in an intake, before it enters the board. values: by parameter, in words; mapped: those of them that are maps; counted:
    those that are numbers or colours; picture: digest of a small one, "" where there is none; corrections: how many a person made; unit:
    metres of its unit of length, 0 where nobody knows."""

    position: int
    file: str
    name: str
    model: str
    place: str
    meshes: list[str]
    maps: list[str]
    mapped: list[str] = []
    counted: list[str] = []
    picture: str = ""
    corrections: int = 0
    unit: float = 0.0
    values: dict[str, str]
    findings: list[FindingOut]


class FileError(BaseModel):
    file: str
    code: str
    message: str
    place: str
    remedy: str


class SheetOut(BaseModel):
    """A parameter sheet. dialect: by which it was read, "" where the sheet names its own; says: how that was found, or why it was
    refused."""

    file: str
    dialect: str
    says: str
    refused: bool = False


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
    """unused: names of files that no material came from or reads; unit: metres that a person said for files that state none, 0 for none."""

    id: int
    project_id: int
    state: Literal["found", "accepted"]
    files: list[str]
    unused: list[str]
    unit: float
    sheets: list[SheetOut]
    found: list[FoundMaterial]
    errors: list[FileError]


class DialectChoiceIn(BaseModel):
    """The dialect that a parameter sheet of an intake is read by."""

    file: str
    dialect: str


class AcceptIn(BaseModel):
    """positions: of the found materials that enter; all where it is left out."""

    positions: list[int] | None = None
    target: ModelId = FIRST_TARGET
    profile: ProfileName = FIRST_PROFILE
