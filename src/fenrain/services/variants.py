"""Second versions of a material: the same original under another name, tuned beside the first."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from fenrain.core.errors import InputError
from fenrain.services.conversions import ensure_conversion
from fenrain.store.rows import find_conversion
from fenrain.store.tables import ConversionRow, EditRow, MaterialRow, ReviewRow


def make_variant(database: Session, conversion_id: int, name: str) -> ConversionRow:
    """A variant of the conversion's material, converted to the same target with the same values set over the derived ones. Raises
    NotFoundError, InputError where a variant of this material has that name already."""
    first = find_conversion(database, conversion_id)
    original = first.material
    if name in {row.material.name for row in list_variants(database, first)}:
        raise InputError(f"There is already a “{name}” of this material.", place="name", remedy="Choose another name.")
    row = MaterialRow(
        project_id=original.project_id,
        intake_id=original.intake_id,
        name=name,
        model=original.model,
        digest=original.digest,
        document={**original.document, "name": name},
        file=original.file,
        doubtful=original.doubtful,
        variant_of=original.variant_of or original.id,
    )
    database.add(row)
    database.flush()
    made = ensure_conversion(database, row, first.target, first.profile, first.overrides, first.aim)
    database.flush()
    return made


def remove_variant(database: Session, made: EditRow) -> bool:
    """Take a variant away that an act made, unless somebody has worked on it since, in whatever target; returns whether it went."""
    row = find_conversion(database, made.conversion_id)
    of_variant = select(ConversionRow.id).where(ConversionRow.material_id == row.material_id)
    reviewed = select(ReviewRow.id).where(ReviewRow.conversion_id.in_(of_variant))
    edited_elsewhere = select(EditRow.id).where(EditRow.conversion_id.in_(of_variant), EditRow.conversion_id != row.id)
    stands_for = select(MaterialRow.id).where(MaterialRow.merged_into == row.material_id)
    worked_on = (reviewed, edited_elsewhere, stands_for)
    if row.version != made.version or any(database.scalar(one.limit(1)) is not None for one in worked_on):
        return False
    database.delete(row.material)
    return True


def list_variants(database: Session, row: ConversionRow) -> list[ConversionRow]:
    """The conversions to the same target of a material and of its variants, itself among them, the first one first."""
    root = row.material.variant_of or row.material.id
    query = (
        select(ConversionRow)
        .join(MaterialRow)
        .where(
            (MaterialRow.id == root) | (MaterialRow.variant_of == root),
            ConversionRow.target == row.target,
            ConversionRow.profile == row.profile,
        )
    )
    return list(database.scalars(query.order_by(MaterialRow.id)))
