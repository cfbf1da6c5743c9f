"""Acts on many that are saved to be done again on the next delivery."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from fenrain.core.errors import InputError, NotFoundError
from fenrain.store.rows import find_project
from fenrain.store.tables import SavedActRow


def save_act(database: Session, project_id: int, name: str, rule: Mapping[str, Any]) -> SavedActRow:
    """Save a way of choosing materials and what is done to them. Raises InputError for a name that is empty or taken."""
    find_project(database, project_id)
    if not name.strip():
        raise InputError("A saved act has a name.", place="name", remedy="Say what it is for.")
    row = SavedActRow(project_id=project_id, name=name.strip(), rule=dict(rule))
    try:
        with database.begin_nested():
            database.add(row)
    except IntegrityError as taken:
        raise InputError(f"There is already an act “{name}”.", place="name", remedy="Choose another name.") from taken
    return row


def list_saved_acts(database: Session, project_id: int) -> list[SavedActRow]:
    """By name. Raises NotFoundError."""
    find_project(database, project_id)
    return list(database.scalars(select(SavedActRow).where(SavedActRow.project_id == project_id).order_by(SavedActRow.name)))


def delete_saved_act(database: Session, saved_id: int) -> None:
    """Raises NotFoundError."""
    row = database.get(SavedActRow, saved_id)
    if row is None:
        raise NotFoundError("There is no such saved act.", place=f"saved-acts/{saved_id}")
    database.delete(row)
