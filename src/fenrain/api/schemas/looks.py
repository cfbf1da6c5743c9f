"""Looks and checks, as they go over the wire."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

from fenrain.api.schemas.shared import DecisionOut, Problem, ReadingOut


class CheckPictures(BaseModel):
    """Digests of PNG files, to be had from /api/v1/files/{digest}; or data URLs. pixels: what is known of each
    pixel, empty where it is not kept: deflated half floats, plane after plane, row by row (red, green, blue of the original and of the
    converted picture, linear; ΔE2000; ΔE2000 four stops darker; relative difference; ΔE2000 of the noise; where the body is seen)."""

    original: str
    converted: str
    difference: str
    pixels: str = ""


class FiguresOut(BaseModel):
    """What can be told on directions, without a picture. reflectance: at each of the angles of view, red, green, blue; profile: brightness
    of the highlight by degrees from its middle."""

    decision: DecisionOut
    readings: list[ReadingOut]
    lobe_error: float
    angles: list[float]
    reflectance_original: list[list[float]]
    reflectance_converted: list[list[float]]
    profile_degrees: list[float]
    profile_original: list[float]
    profile_converted: list[float]


class CheckOut(BaseModel):
    """One rig's pictures and readings. size: edge of the pictures; samples: for each pixel that was measured; decision: null before
    anything is measured."""

    id: int
    rig: str
    stand: str
    turn: float
    size: int
    samples: int
    decision: DecisionOut | None
    readings: list[ReadingOut]
    pictures: CheckPictures


class LookFrame(BaseModel):
    """A view as it gets better. pictures: data URLs of PNGs by side; clear: noise cannot change the verdict any more, or no more is to be
    had; preparing: these are quick pictures, while the renderer is compiled for such materials; problem: why there is nothing; done: the
    last frame of this view."""

    size: int
    samples: int
    pictures: CheckPictures | None
    decision: DecisionOut | None
    readings: list[ReadingOut]
    figures: FiguresOut | None
    clear: bool
    preparing: bool
    problem: Problem | None
    done: bool


class LookOut(BaseModel):
    """Whose look at which side: by us or by the other renderer, of the original or of what it was converted to."""

    by: Literal["ours", "theirs"]
    shows: Literal["original", "converted"]


class CheckIn(BaseModel):
    """rigs: every one where left out."""

    rigs: list[str] | None = Field(default=None, min_length=1, max_length=32)
    stand: str = "sphere"
    turn: float = 0.0
