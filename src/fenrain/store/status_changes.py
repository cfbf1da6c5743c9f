"""Marks conversions whose status has to be computed again, in the transaction that changes what the status depends on."""

from __future__ import annotations

from collections.abc import Collection, Iterable

from sqlalchemy import literal, select, tuple_
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from fenrain.store.documents.boards import COLUMNS, BoardEntry, Outline
from fenrain.store.tables import ConversionRow, ConversionStatusRow, MaterialRow, StatusDocumentRow


def mark_changed(database: Session, conversion_ids: Iterable[int]) -> None:
    """Count up the changes of these conversions, in the order of their ids, so that two transactions never wait for each other. What boards
    know of the materials is written again."""
    wanted = sorted(set(conversion_ids))
    if not wanted:
        return
    columns = {
        "project_id": MaterialRow.project_id,
        "target": ConversionRow.target,
        "profile": ConversionRow.profile,
        "material_id": MaterialRow.id,
        "conversion_id": ConversionRow.id,
        "merged": MaterialRow.merged_into.is_not(None),
        "doubtful": MaterialRow.doubtful,
        "changed": ConversionRow.updated,
        **{name: literal(value).label(name) for name, value in UNKNOWN_STATUS.items()},
    }
    told = select(*columns.values()).join(MaterialRow).where(ConversionRow.id.in_(wanted)).order_by(ConversionRow.id)
    row = insert(ConversionStatusRow).from_select(list(columns), told, include_defaults=False)
    again = {name: row.inserted[name] for name in ("merged", "doubtful", "changed")}
    database.execute(row.on_duplicate_key_update(changes=ConversionStatusRow.changes + 1, **again))


UNKNOWN_STATUS = {
    "changes": 1,
    "changes_seen": 0,
    "shared_digest": "",
    **{name: value(BoardEntry()) for name, value in COLUMNS.items()},
}
"""What stands in a row of whose conversion nothing is known yet."""


def save_outline(database: Session, conversion_id: int, outline: Outline) -> None:
    """The same, with what is known of a conversion without checks, as it was just written."""
    mark_changed(database, [conversion_id])
    row = insert(StatusDocumentRow).values(conversion_id=conversion_id, outline=outline, entry=None)
    database.execute(row.on_duplicate_key_update(outline=row.inserted.outline))


def mark_pairs_changed(database: Session, pairs: Collection[tuple[str, str]]) -> None:
    """Conversions of these originals to these looks, by their digests."""
    if pairs:
        of_pairs = tuple_(MaterialRow.digest, ConversionRow.digest).in_(set(pairs))
        looks = ConversionRow.digest.in_({look for _, look in pairs})  # what the index knows
        mark_changed(database, database.scalars(select(ConversionRow.id).join(MaterialRow).where(looks, of_pairs)))


def mark_material_changed(database: Session, material: MaterialRow) -> None:
    """All that a material is converted to, where what boards know of it has changed."""
    database.flush()
    mark_changed(database, database.scalars(select(ConversionRow.id).where(ConversionRow.material_id == material.id)))
