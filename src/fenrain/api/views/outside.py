"""Check kits and what came back for them, as they go over the wire."""

from __future__ import annotations

from collections.abc import Collection

from sqlalchemy import select
from sqlalchemy.orm import Session

from fenrain.api.schemas.outside import KitDetail, KitOut, OutsideCheckOut, OutsidePictureOut
from fenrain.api.views.looks import reading_views
from fenrain.core.checking.verdict import Tolerances, decisive
from fenrain.core.outside.compare import THEIRS
from fenrain.services.checks import load_tolerances
from fenrain.services.outside import WEB_SCENE
from fenrain.store.documents.checking import DecisionDocument
from fenrain.store.rows import find_project
from fenrain.store.tables import ConversionRow, KitRow, OutsideCheckRow, OutsidePictureRow


def outside_check_view(row: OutsideCheckRow, kit: KitRow, tolerances: Tolerances, current: Collection[str]) -> OutsideCheckOut:
    """current: digests of conversions as they are now."""
    tile = kit.tiles[row.tile]
    return OutsideCheckOut(
        kit_id=kit.id,
        kit=kit.title,
        rig=kit.rig,
        material=tile.name,
        material_id=tile.material_id,
        current=row.converted in current,
        first=row.first,
        second=row.second,
        decision=DecisionDocument.from_decision(row.numbers.decide(tolerances, kit.rig)),
        readings=reading_views(row.numbers.readings, kit.rig, tolerances),
        statements=list(row.numbers.statements),
        pictures=row.pictures,
    )


def kit_view(kit: KitRow, tolerances: Tolerances) -> KitOut:
    columns = {name: getattr(kit, name) for name in KitOut.model_fields if name not in ("materials", "on_the_web", "pictures", "verdict")}
    decisions = [row.numbers.decide(tolerances, kit.rig) for row in kit.checks if row.second.by == THEIRS]
    return KitOut(
        **columns,
        materials=[tile.name for tile in kit.tiles],
        on_the_web=WEB_SCENE in kit.files,
        pictures=[_outside_picture(row) for row in kit.pictures],
        verdict=DecisionDocument.from_decision(decisive(decisions)) if decisions else None,
    )


def kit_detail(database: Session, kit: KitRow) -> KitDetail:
    tolerances = load_tolerances(find_project(database, kit.project_id))
    now = database.scalars(
        select(ConversionRow.digest).where(
            ConversionRow.material_id.in_([tile.material_id for tile in kit.tiles]),
            ConversionRow.target == kit.target,
            ConversionRow.profile == kit.profile,
        )
    )
    current = set(now)
    checks = [outside_check_view(row, kit, tolerances, current) for row in kit.checks]
    return KitDetail(**kit_view(kit, tolerances).model_dump(), checks=checks)


def _outside_picture(row: OutsidePictureRow) -> OutsidePictureOut:
    known = row.document
    if known is None:
        return OutsidePictureOut(shows=row.shows, name=row.name, space=row.space, compared=False)  # type: ignore[arg-type]
    return OutsidePictureOut(
        shows=row.shows,  # type: ignore[arg-type]
        name=row.name,
        space=known.space,
        compared=True,
        width=known.size[0],
        height=known.size[1],
        noise=known.noise,
        residual=known.alignment.residual,
        statements=known.statements,
        responses=known.responses,
    )
