"""Targets and their profiles, as they go over the wire."""

from __future__ import annotations

from pydantic import BaseModel, Field

from fenrain.core.conversion.profiles import LARGEST_FILE, ProfileFile


class TargetOut(BaseModel):
    """One way of being converted to. key: short, for addresses; narrows: the target that a target profile narrows, "" for a model's own;
    extensions: of the format, that it may use; format: in which it is written, "" where nothing here writes it; writes: what a delivery
    is made of."""

    key: str
    model: str
    profile: str
    title: str
    says: str
    narrows: str
    extensions: list[str]
    format: str
    format_title: str
    writes: str


class ProfileOut(BaseModel):
    """A target profile. version: 0 for one that comes with Fenrain."""

    stated: ProfileFile
    version: int


class ProfileTextIn(BaseModel):
    """A target profile as its YAML or JSON text."""

    text: str = Field(max_length=LARGEST_FILE)
