"""Maps, as they go over the wire."""

from __future__ import annotations

from pydantic import BaseModel, Field

from fenrain.core.steps import ValueStep


class SourceMapOut(BaseModel):
    """A source value that is a map. says: the image files it reads, with their sizes and depths, in words."""

    name: str
    shown: str
    says: list[str]


class MapOut(BaseModel):
    """A converted value that is a map. width, height: as it will be written; sources: the maps it comes from; steps: what was done in
    between, in words; grade: steps that a person takes on it."""

    name: str
    group: str
    kind: str
    width: int
    height: int
    sources: list[SourceMapOut]
    steps: list[str]
    grade: list[ValueStep]


class MapPictureOut(BaseModel):
    """A map to look at. width, height: of the map; picture: a smaller PNG as a data address, colours as sRGB, normals and numbers as they
    are; most: what white stands for; bins: how many of 10,000 texels lie in each of equal steps from black to white, by channel; least,
    mean, largest: by channel, linear."""

    width: int
    height: int
    kind: str
    picture: str
    most: float
    bins: list[list[float]]
    least: list[float]
    mean: list[float]
    largest: list[float]


class MapIn(BaseModel):
    """Which map to look at. source: a source value in place of the converted one, "" for none; steps: a grade to try, the kept one where
    left out."""

    source: str = ""
    steps: list[ValueStep] | None = Field(default=None, max_length=32)
