"""Check kits and the pictures that came back, as they go over the wire."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import BaseModel, Field

from fenrain.api.schemas.shared import FIRST_PROFILE, FIRST_TARGET, ModelId, ProfileName, ReadingOut, Selection
from fenrain.store.documents.checking import DecisionDocument
from fenrain.store.documents.outside import LearnedResponse, OutsideLook, OutsidePair, Statement


class OutsideCheckOut(BaseModel):
    """Two looks at a material, of which at least one came from another renderer. material_id: null where it is gone; current: whether the
    conversion is still as it was then; statements: what explains the difference; kit_id, rig: by which kit, and under which light."""

    kit_id: int
    kit: str
    rig: str
    material: str
    material_id: int | None
    current: bool
    first: OutsideLook
    second: OutsideLook
    decision: DecisionDocument
    readings: list[ReadingOut]
    statements: list[str]
    pictures: OutsidePair


class OutsidePictureOut(BaseModel):
    """A picture that came back. compared: whether it has been compared yet; noise: ΔE2000 of a pixel that is measured; residual: pixels
    that marks lie beside each other after aligning."""

    shows: Literal["original", "converted"]
    name: str
    space: str
    compared: bool
    width: int = 0
    height: int = 0
    noise: float = 0.0
    residual: float = 0.0
    statements: list[Statement] = []
    responses: list[LearnedResponse] = []


class KitIn(Selection):
    """A check kit that is wanted, of one material on its stand, or of several on one sheet."""

    target: ModelId = FIRST_TARGET
    profile: ProfileName = FIRST_PROFILE
    rig: str = Field(default="soft_studio", max_length=40)
    stand: str = Field(default="sphere", max_length=60)
    turn: float = Field(default=0.0, ge=-360, le=360)


class KitOut(BaseModel):
    """A check kit. materials: names of those that it holds; on_the_web: whether it holds glTF that a web viewer can show; verdict: over
    all that came back for it, null before anything did."""

    id: int
    title: str
    target: str
    profile: str
    rig: str
    stand: str
    turn: float
    width: int
    height: int
    created: datetime
    materials: list[str]
    on_the_web: bool
    pictures: list[OutsidePictureOut]
    verdict: DecisionDocument | None


class KitDetail(KitOut):
    checks: list[OutsideCheckOut]


class StandInIn(BaseModel):
    """The stand-in's picture that is wanted. wrong: what is set wrong, "" for nothing."""

    shows: Literal["original", "converted"] = "original"
    wrong: str = Field(default="", max_length=40)
