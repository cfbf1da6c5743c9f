"""The history: who changed what, and when; and what is said to whoever comes second."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session, joinedload

from fenrain.core.descriptions import describe_plain
from fenrain.core.errors import ConflictError, NotFoundError
from fenrain.store.rows import find_conversion
from fenrain.store.tables import ActRow, ConversionRow, EditRow

MOST_NAMED = 3
Changes = Mapping[str, Sequence[Any]]
"""By name of a value, what stood over the derived one before and after, see `EditRow`."""


def find_conversion_at_version(database: Session, conversion_id: int, version: int) -> ConversionRow:
    """A conversion that is to be edited as it stood at this version. Raises NotFoundError, ConflictError where somebody was first, with
    who that was and what they set."""
    row = find_conversion(database, conversion_id)
    if row.version == version:
        return row
    query = select(EditRow).options(joinedload(EditRow.act)).where(EditRow.conversion_id == conversion_id, EditRow.version > version)
    edits = database.scalars(query.order_by(EditRow.version)).all()
    told = [f"{edit.act.by or 'Fenrain'} at {edit.act.created:%H:%M} UTC: {describe_changes(edit.changes)}" for edit in edits]
    raise ConflictError(
        f"Somebody else was first. {'; '.join(told)}." if told else "This conversion was computed again meanwhile.",
        place=f"conversions/{conversion_id}",
        remedy="What stands now is loaded; repeat yours if it is still wanted.",
    )


def record_edit(database: Session, row: ConversionRow, before: Mapping[str, Any], kind: str, act: ActRow | None = None) -> None:
    """Add an edit to the history. before: what stood over derived values; act: which it is part of, an act of its own where None."""
    changes = list_changes(before, row.overrides)
    if not changes:
        return
    if act is None:
        act = ActRow(project_id=row.material.project_id, kind=kind, title=f"{row.material.name[:150]}: {describe_changes(changes)}"[:400])
        database.add(act)
    database.flush()
    database.add(EditRow(act_id=act.id, conversion_id=row.id, version=row.version, changes=changes))


def list_changes(before: Mapping[str, Any], after: Mapping[str, Any]) -> dict[str, list[Any]]:
    """By name of a value what stands over the derived one before and after, where that differs."""
    names = [*after, *(name for name in before if name not in after)]
    return {name: [before.get(name), after.get(name)] for name in names if before.get(name) != after.get(name)}


def find_act(database: Session, act_id: int, *, lock: bool = False) -> ActRow:
    """lock: whether others wait with it until the transaction ends. Raises NotFoundError."""
    row = database.get(ActRow, act_id, with_for_update=lock, populate_existing=lock)
    if row is None:
        raise NotFoundError("There is no such act.", place=f"acts/{act_id}")
    return row


def find_edit(database: Session, act_id: int, conversion_id: int) -> EditRow | None:
    """What an act did to a conversion."""
    return database.scalar(select(EditRow).where(EditRow.act_id == act_id, EditRow.conversion_id == conversion_id))


def has_edit(database: Session, act_id: int, conversion_id: int) -> bool:
    return find_edit(database, act_id, conversion_id) is not None


def list_acts(database: Session, project_id: int, before: int | None, most: int) -> list[ActRow]:
    """What was done in a project, newest first; before: the number of an act, for those that came before it."""
    query = select(ActRow).where(ActRow.project_id == project_id).order_by(ActRow.id.desc()).limit(most)
    return list(database.scalars(query if before is None else query.where(ActRow.id < before)))


def count_edits(database: Session, act_ids: Sequence[int]) -> dict[int, int]:
    """How many conversions each of some acts changed."""
    query = select(EditRow.act_id, func.count()).where(EditRow.act_id.in_(act_ids)).group_by(EditRow.act_id)
    return dict(database.execute(query).all())


def list_edits(database: Session, conversion_id: int) -> list[EditRow]:
    """What was done to a conversion, newest first. Raises NotFoundError."""
    find_conversion(database, conversion_id)
    query = select(EditRow).options(joinedload(EditRow.act)).where(EditRow.conversion_id == conversion_id)
    return list(database.scalars(query.order_by(EditRow.id.desc())))


def list_authors(database: Session, conversion_id: int) -> dict[str, str]:
    """Who set what stands over the derived values, by name of the value."""
    authors: dict[str, str] = {}
    for edit in list_edits(database, conversion_id):
        for name in edit.changes:
            authors.setdefault(name, edit.act.by)
    return authors


def describe_changes(changes: Changes) -> str:
    """What was changed, in words."""
    return name_some([f"{name} {_describe_change(after)}" for name, (_, after) in changes.items()])


def name_some(names: Sequence[str]) -> str:
    """The first few, and how many more there are."""
    more = len(names) - MOST_NAMED
    return ", ".join(names[:MOST_NAMED]) + (f" and {more} more" if more > 0 else "")


def _describe_change(after: Mapping[str, Any] | None) -> str:
    """after: an override, see `Override.to_document`, or what became of a material as a whole, which says so itself."""
    if after is None:
        return "reset"
    if "says" in after:
        return str(after["says"])
    value = after.get("value")
    if value is None:
        return "graded"
    return f"set to {describe_plain(value['constant'])}" if "constant" in value else "set to a map"
