"""Photographs and what is picked from them, as they go over the wire."""

from __future__ import annotations

from pydantic import BaseModel, Field

from fenrain.api.schemas.shared import Share


class PhotographOut(BaseModel):
    id: str
    title: str
    says: str


class PickIn(BaseModel):
    """area: two corners of what is averaged; grey: two corners of an even grey with its reflectance, or chart: four corners of a chart of
    24 patches, clockwise from the first patch, by which exposure and white are set."""

    area: tuple[Share, Share]
    space: str = Field(default="", max_length=80)
    grey: tuple[Share, Share] | None = None
    reflectance: float = Field(default=0.18, gt=0.001, le=1)
    chart: tuple[Share, Share, Share, Share] | None = None


class PickedOut(BaseModel):
    """colour: linear Rec.709; spread: ΔE2000 that 95 % of the area are within of it; space: in which the photograph was read; exposure:
    stops that a grey or a chart took out; off: ΔE2000 of the chart's patches after that, on average and at most."""

    colour: tuple[float, float, float]
    spread: float
    clipped: float
    pixels: int
    space: str
    exposure: float | None
    off: tuple[float, float] | None


class DifferenceOut(BaseModel):
    """ΔE2000 that half, and that 95 %, of what is seen differ by less than."""

    half: float
    most: float
