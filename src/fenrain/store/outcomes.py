"""Marks conversions whose standing on the board is to be worked out again, in the transaction that gives the reason."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from typing import Any

from sqlalchemy import literal, select, tuple_
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from fenrain.store.tables import ConversionRow, MaterialRow, OutcomeDocument, OutcomeRow


def mark(database: Session, conversion_ids: Iterable[int]) -> None:
    """In the order of their ids, so that two who mark the same never wait for each other. What boards know of a material is told anew."""
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
        **{name: literal(value).label(name) for name, value in UNSETTLED.items()},
    }
    told = select(*columns.values()).join(MaterialRow).where(ConversionRow.id.in_(wanted)).order_by(ConversionRow.id)
    row = insert(OutcomeRow).from_select(list(columns), told, include_defaults=False)
    again = {name: row.inserted[name] for name in ("merged", "doubtful", "changed")}
    database.execute(row.on_duplicate_key_update(marked=OutcomeRow.marked + 1, **again))


UNSETTLED = {"marked": 1, "settled": 0, "shared": "", "verdict": "", "worst": 0.0, "reason": "", "losses": 0, "review": ""}


def mark_outline(database: Session, conversion_id: int, outline: dict[str, Any]) -> None:
    """The same, with what is known of a conversion without checks, as it was just written."""
    mark(database, [conversion_id])
    row = insert(OutcomeDocument).values(conversion_id=conversion_id, outline=outline, document={})
    database.execute(row.on_duplicate_key_update(outline=row.inserted.outline))


def mark_pairs(database: Session, pairs: Collection[tuple[str, str]]) -> None:
    """Conversions of these originals to these looks, by their digests."""
    if pairs:
        of_pairs = tuple_(MaterialRow.digest, ConversionRow.digest).in_(set(pairs))
        looks = ConversionRow.digest.in_({look for _, look in pairs})  # what the index knows
        mark(database, database.scalars(select(ConversionRow.id).join(MaterialRow).where(looks, of_pairs)))


def mark_material(database: Session, material: MaterialRow) -> None:
    """All that a material is converted to, where what boards know of it has changed."""
    database.flush()
    mark(database, database.scalars(select(ConversionRow.id).where(ConversionRow.material_id == material.id)))
