"""Merging: of materials that are equal or nearly so, one stands for the others in deliveries."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from sqlalchemy import select
from sqlalchemy.orm import Session

from fenrain.core.conversion.engine import Conversion
from fenrain.core.errors import ConflictError
from fenrain.services.conversions import ensure_conversion, load_conversion
from fenrain.store.rows import find_material
from fenrain.store.status_changes import mark_material_changed
from fenrain.store.tables import MaterialRow


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
