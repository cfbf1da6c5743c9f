"""Deliveries, what they would hold and what changed, as they go over the wire."""

from __future__ import annotations

from pydantic import BaseModel

from fenrain.api.schemas.shared import FIRST_PROFILE, ModelId, ProfileName, Selection


class DeliveryIn(Selection):
    """to_folder: write into a folder of the server as well, beside the archive."""

    target: ModelId
    profile: ProfileName = FIRST_PROFILE
    to_folder: bool = False


class PlanIn(Selection):
    """What a delivery of these materials would hold."""

    target: ModelId
    profile: ProfileName = FIRST_PROFILE


class AboutMaterials(BaseModel):
    """A line about some materials: how many, and the names of the first of them."""

    text: str
    count: int
    materials: list[str]


class AdviceOut(AboutMaterials):
    code: str
    remedy: str


class CheckItemOut(BaseModel):
    """What a viewer of the target needs for a feature that is used, or cannot show (shown); count, materials: of those that use it."""

    feature: str
    title: str
    says: str
    shown: bool
    count: int
    materials: list[str]


class PlanOut(BaseModel):
    """unconverted: how many are not converted yet, of which nothing else is known; memory, most_memory: bytes of maps in a renderer's
    memory, and what the target profile allows, 0 for no limit; doubtful: how many do not match, or are not checked; doubts: some of them,
    with what they are."""

    doubtful: int
    doubts: list[str]
    materials: int
    unconverted: int
    maps: int
    memory: int
    most_memory: int
    advice: list[AdviceOut]
    losses: list[AboutMaterials]
    checklist: list[CheckItemOut]


class ChangedValueOut(BaseModel):
    name: str
    before: str
    after: str


class ChangedMaterialOut(BaseModel):
    """was, now: the verdicts of the earlier and of the later delivery, "" where none was known."""

    name: str
    source: str
    values: list[ChangedValueOut]
    was: str
    now: str


class DeliveryDifferenceOut(BaseModel):
    """What the later of two deliveries holds otherwise. same: how many materials both hold alike."""

    titles: tuple[str, str]
    targets: tuple[str, str]
    same: int
    changed: list[ChangedMaterialOut]
    added: list[str]
    removed: list[str]
    files_changed: list[str]
    files_added: list[str]
    files_removed: list[str]
