"""Rigs, stands and what was uploaded for them, as they go over the wire."""

from __future__ import annotations

from pydantic import BaseModel, Field


class HeightsOut(BaseModel):
    """Of a rig's lamp, in degrees above the ground."""

    lowest: float
    usual: float
    highest: float


class HourOut(BaseModel):
    """Where a rig's lamp stands at an hour of the day: how far the light is turned, and how high the lamp is, in degrees."""

    hour: float
    turn: float
    height: float


class RigOut(BaseModel):
    """stands_by: looked through only where somebody asks for it, unless a project chooses it; heights: where its lamp can be moved;
    own: uploaded by somebody."""

    id: str
    title: str
    says: str
    stands_by: bool
    heights: HeightsOut | None = None
    hours: list[HourOut] = []
    own: bool = False


class CameraOut(BaseModel):
    """Follows a stand's id after a colon."""

    id: str
    title: str


class StandOut(BaseModel):
    """own: uploaded by somebody."""

    id: str
    title: str
    says: str
    cameras: list[CameraOut]
    own: bool = False


class SurroundingsOut(BaseModel):
    """What was uploaded to look at materials by. kind: rig or stand; id: of that."""

    kind: str
    id: str
    title: str
    says: str


class RigsIn(BaseModel):
    """Rigs under which everything of a project is looked at; none for those that stand."""

    rigs: list[str] = Field(max_length=32)
