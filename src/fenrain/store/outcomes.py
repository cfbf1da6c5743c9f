"""Marks conversions whose standing on the board is to be worked out again, in the transaction that gives the reason."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from typing import Any

from sqlalchemy import select, tuple_
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from fenrain.store.tables import ConversionRow, MaterialRow, OutcomeDocument, OutcomeRow


def mark(database: Session, conversion_ids: Iterable[int]) -> None:
    """In the order of their ids, so that two who mark the same never wait for each other."""
    fresh = [_fresh(identity) for identity in sorted(set(conversion_ids))]
    if fresh:
        database.execute(insert(OutcomeRow).values(fresh).on_duplicate_key_update(marked=OutcomeRow.marked + 1))


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


def _fresh(conversion_id: int) -> dict[str, Any]:
    empty = {"shared": "", "verdict": "", "worst": 0.0, "reason": "", "losses": 0, "review": ""}
    return {"conversion_id": conversion_id, "marked": 1, "settled": 0, **empty}
