"""Rigs and stands, as they go over the wire."""

from __future__ import annotations

from dataclasses import asdict

from fenrain.api.schemas.surroundings import CameraOut, HeightsOut, HourOut, RigOut, StandOut
from fenrain.core.rendering.rigs.registry import HIGHEST, LOWEST, Rig
from fenrain.core.rendering.stands.registry import CAMERAS, Stand
from fenrain.services.surroundings import ASSET
from fenrain.store.tables import Surroundings


def rig_view(rig: Rig) -> RigOut:
    heights = None if rig.height is None else HeightsOut(lowest=LOWEST, usual=rig.height, highest=HIGHEST)
    hours = [HourOut(**asdict(hour)) for hour in rig.hours]
    return RigOut(id=rig.id, title=rig.title, says=rig.says, stands_by=rig.stands_by, heights=heights, hours=hours)


def own_rig_view(row: Surroundings) -> RigOut:
    return RigOut(id=row.key, title=row.name, says=row.says, stands_by=True, own=True)


def stand_view(stand: Stand) -> StandOut:
    return StandOut(id=stand.id, title=stand.title, says=stand.says, cameras=_cameras())


def own_stand_view(row: Surroundings) -> StandOut:
    return StandOut(id=row.key, title=row.name, says=row.says, cameras=_cameras(), own=True)


def asset_view() -> StandOut:
    return StandOut(id=ASSET, title="Its own asset", says="all materials where its file has them", cameras=_cameras(), own=True)


def _cameras() -> list[CameraOut]:
    return [CameraOut(id=name, title=where) for name, (_, where) in CAMERAS.items()]
