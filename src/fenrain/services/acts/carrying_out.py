"""Carries acts on many out, piece by piece, as jobs ask for it: rehearsed, done once, and taken back."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from fenrain.core.errors import ConflictError
from fenrain.services.acts.overriding_act import undo_overrides
from fenrain.services.acts.registry import act_from_document, act_of
from fenrain.services.acts.rehearsals import Rehearsal, find_rehearsed
from fenrain.services.history import find_act, find_edit, has_edit
from fenrain.store.database import session
from fenrain.store.rows import find_conversion_to

Payload = Mapping[str, Any]


def rehearse_act(job_id: int, payload: Payload) -> str:
    """Find what an act would change of one material, or of all chosen ones where it looks at them together, and keep that with their quick
    figures before and after. What it keeps of all, it keeps at once."""
    act, ids = act_from_document(payload["act"]), payload["material_ids"] if "material_ids" in payload else (payload["material_id"],)
    rehearsal = Rehearsal(job_id, payload["target"], payload["profile"], ids)
    if act.together:
        with session() as database:
            if rehearsal.has_kept_any(database):
                return ""
    return act.rehearse(rehearsal)


def perform_act(_: int, payload: Payload) -> str:
    """Do to one material what was rehearsed, once. Raises ConflictError where it has been changed since."""
    with session() as database:
        row = find_conversion_to(database, payload["material_id"], payload["target"], payload["profile"])
        planned = None if row is None else find_rehearsed(database, payload["rehearsal"], row.id)
        if row is None or planned is None or has_edit(database, payload["act_id"], row.id):
            return ""
        noted = find_act(database, payload["act_id"])
        act = act_of(noted)
        assert act is not None
        if row.version != planned.version and not act.keeps_overrides:
            raise ConflictError("It was changed since it was rehearsed, and is left as it is.", place=row.material.name)
        act.perform(database, row, planned.changes, noted)
    return ""


def undo_act(_: int, payload: Payload) -> str:
    """Take back what an act changed of one material. Says what stays, since it was changed again."""
    with session() as database:
        row = find_conversion_to(database, payload["material_id"], payload["target"], payload["profile"])
        done = None if row is None else find_edit(database, payload["undoes"], row.id)
        if row is None or done is None or has_edit(database, payload["act_id"], row.id):
            return ""
        undoing, act = find_act(database, payload["act_id"]), act_of(find_act(database, payload["undoes"]))
        return undo_overrides(database, done, undoing) if act is None else act.undo(database, done, undoing)
