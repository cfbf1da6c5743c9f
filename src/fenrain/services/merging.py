"""Merging: of materials that are equal or nearly so, one stands for the others in deliveries."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from fenrain.core.checking.figures import figures
from fenrain.core.checking.likeness import alike
from fenrain.core.conversion.engine import Conversion
from fenrain.core.errors import ConflictError
from fenrain.services.checks import tolerances_of
from fenrain.services.conversions import conversion_of, ensure_conversion
from fenrain.services.rehearsing import PLACE, is_rehearsed, keep_rehearsed
from fenrain.store.database import session
from fenrain.store.outcomes import mark_material
from fenrain.store.rows import find_material, find_project
from fenrain.store.tables import ConversionRow, MaterialRow


def find_alike(job_id: int, payload: Mapping[str, Any]) -> str:
    """Find which of many materials could be merged, and keep what their quick figures say of each as it is now and with the other one's
    look. Those that stand for another one already, or that another one stands for, are left out."""
    with session() as database:
        if is_rehearsed(database, job_id):
            return ""
        query = (
            select(ConversionRow).join(MaterialRow).where(MaterialRow.id.in_(payload["material_ids"]), MaterialRow.merged_into.is_(None))
        )
        query = query.where(ConversionRow.target == payload["target"], ConversionRow.profile == payload["profile"])
        rows = database.scalars(query.order_by(MaterialRow.id)).all()
        standing = set(database.scalars(select(MaterialRow.merged_into).where(MaterialRow.merged_into.is_not(None)).distinct()))
        conversions = [conversion_of(row) for row in rows]
        tolerances = tolerances_of(find_project(database, rows[0].material.project_id)) if rows else None
        known = [(row.id, row.version, row.material_id) for row in rows]
    if tolerances is None:
        return ""
    found = alike([conversion.material for conversion in conversions], tolerances)
    with session() as database:
        for pair in found:
            conversion_id, version, material_id = known[pair.one]
            if material_id in standing:
                continue
            own, other = conversions[pair.one], conversions[pair.stands_for_it]
            before, after = (tolerances.decided(figures(own.original, look).readings) for look in (own.material, other.material))
            difference = "equal" if pair.decision is None else str(pair.decision)
            into = {"into": known[pair.stands_for_it][2], "name": other.original.name, "difference": difference}
            keep_rehearsed(database, job_id, (conversion_id, version), {PLACE: [None, into]}, (before, after))
    return ""


def merge(database: Session, material: MaterialRow, into_id: int) -> None:
    """Let another material stand for this one. Raises ConflictError where that one does not stand for itself any more, or this one stands
    for others, NotFoundError."""
    into = find_material(database, into_id)
    if into.merged_into is not None or database.scalar(select(MaterialRow.id).where(MaterialRow.merged_into == material.id).limit(1)):
        raise ConflictError("Others were merged meanwhile.", place=material.name, remedy="Rehearse it again.")
    material.merged_into = into.id
    mark_material(database, material)


def part(database: Session, material: MaterialRow) -> None:
    """Let a material stand for itself again."""
    material.merged_into = None
    mark_material(database, material)


def delivered(database: Session, row: MaterialRow, target: str, profile: str) -> Conversion:
    """What is delivered for a material: its own conversion, or under its name that of the one that stands for it."""
    if row.merged_into is None:
        return conversion_of(ensure_conversion(database, row, target, profile))
    into = find_material(database, row.merged_into)
    other, own = (conversion_of(ensure_conversion(database, one, target, profile)) for one in (into, row))
    source, geometry = own.material.source, own.material.geometry
    material = replace(other.material, name=row.name, source=source, geometry=geometry, merged_into=into.name)
    return replace(other, original=own.original, material=material)


def with_merged(database: Session, material_ids: Sequence[int]) -> list[int]:
    """These materials, and those that they stand for: the meshes of an asset still name them."""
    merged = database.scalars(select(MaterialRow.id).where(MaterialRow.merged_into.in_(material_ids)))
    return list(dict.fromkeys([*material_ids, *merged]))
