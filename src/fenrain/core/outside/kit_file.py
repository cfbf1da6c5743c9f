"""What `kit.json` holds: all that our side needs of a kit and its other files do not say."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class TileFile(_Part):
    """A material of the kit and where it is looked at."""

    material: str
    offset: tuple[float, float, float]
    middle: tuple[float, float]
    half: float
    original: dict[str, Any]
    converted: dict[str, Any] | None = None


class StandFile(_Part):
    """What the kit's meshes do not say of the stand."""

    id: str
    title: str
    floor: float
    convex: bool
    unit: float
    metres: float
    props: list[tuple[float, float]] = Field(default_factory=list)


class FrameFile(_Part):
    """The camera; see `Frame`."""

    eye: tuple[float, float, float]
    target: tuple[float, float, float]
    field_of_view: float = Field(gt=0.0, lt=170.0)
    aspect: float = Field(gt=0.1, lt=10.0)


class CardFile(_Part):
    """A reference card; see `CardPlace`."""

    middle: tuple[float, float, float]
    edge: float = Field(gt=0.0)


class KitFile(_Part):
    """What `kit.json` holds. turn: of the light, which its picture has taken on; target: title of what was converted to; maps: file of each
    map in the folder of maps, by its digest."""

    kit: Literal[1]
    title: str
    rig: str
    rig_title: str
    turn: float
    stand: StandFile
    target: str = ""
    width: int = Field(ge=16, le=65536)
    height: int = Field(ge=16, le=65536)
    frame: FrameFile
    tiles: list[TileFile] = Field(min_length=1)
    cards: list[CardFile]
    has_ground: bool
    maps: dict[str, str] = Field(default_factory=dict)
