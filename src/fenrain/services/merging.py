"""Merging: of materials that are equal or nearly so, one stands for the others in deliveries."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from fenrain.core.checking.figures import figures
from fenrain.core.checking.near_duplicates import find_near_duplicates
from fenrain.core.conversion.engine import Conversion
from fenrain.core.errors import ConflictError
from fenrain.services.checks import load_tolerances
from fenrain.services.conversions import ensure_conversion, load_conversion
from fenrain.services.rehearsals import PLACE, is_rehearsed, save_rehearsal
from fenrain.store.database import session
from fenrain.store.rows import find_material, find_project
from fenrain.store.status_changes import mark_material_changed
from fenrain.store.tables import ConversionRow, MaterialRow


def find_mergeable(job_id: int, payload: Mapping[str, Any]) -> str:
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
        conversions = [load_conversion(row) for row in rows]
        tolerances = load_tolerances(find_project(database, rows[0].material.project_id)) if rows else None
        known = [(row.id, row.version, row.material_id) for row in rows]
    if tolerances is None:
        return ""
    found = find_near_duplicates([conversion.material for conversion in conversions], tolerances)
    with session() as database:
        for pair in found:
            conversion_id, version, material_id = known[pair.one]
            if material_id in standing:
                continue
            own, other = conversions[pair.one], conversions[pair.stands_for_it]
            before, after = (tolerances.decided(figures(own.original, look).readings) for look in (own.material, other.material))
            difference = "equal" if pair.decision is None else str(pair.decision)
            into = {"into": known[pair.stands_for_it][2], "name": other.original.name, "difference": difference}
            save_rehearsal(database, job_id, (conversion_id, version), {PLACE: [None, into]}, (before, after))
    return ""


def merge_material(database: Session, material: MaterialRow, into_id: int) -> None:
    """Let another material stand for this one. Raises ConflictError where that one does not stand for itself any more, or this one stands
    for others, NotFoundError."""
    into = find_material(database, into_id)
    if into.merged_into is not None or database.scalar(select(MaterialRow.id).where(MaterialRow.merged_into == material.id).limit(1)):
        raise ConflictError("Others were merged meanwhile.", place=material.name, remedy="Rehearse it again.")
    material.merged_into = into.id
    mark_material_changed(database, material)


def unmerge_material(database: Session, material: MaterialRow) -> None:
    """Let a material stand for itself again."""
    material.merged_into = None
    mark_material_changed(database, material)


def find_delivered_conversion(database: Session, row: MaterialRow, target: str, profile: str) -> Conversion:
    """What is delivered for a material: its own conversion, or under its name that of the one that stands for it."""
    if row.merged_into is None:
        return load_conversion(ensure_conversion(database, row, target, profile))
    into = find_material(database, row.merged_into)
    other, own = (load_conversion(ensure_conversion(database, one, target, profile)) for one in (into, row))
    source, geometry = own.material.source, own.material.geometry
    material = replace(other.material, name=row.name, source=source, geometry=geometry, merged_into=into.name)
    return replace(other, original=own.original, material=material)


def include_merged(database: Session, material_ids: Sequence[int]) -> list[int]:
    """These materials, and those that they stand for: the meshes of an asset still name them."""
    merged = database.scalars(select(MaterialRow.id).where(MaterialRow.merged_into.in_(material_ids)))
    return list(dict.fromkeys([*material_ids, *merged]))
