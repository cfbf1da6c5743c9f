"""Intakes, as they go over the wire."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy.orm import Session

from fenrain.api.schemas.intakes import FoundMaterial, FoundOut, IntakeOut
from fenrain.services import found_materials
from fenrain.settings import settings
from fenrain.store.tables import FoundRow, Intake

MOST_NAMED = 50
"""Files of a kind that an intake names."""


def intake_view(database: Session, intake: Intake) -> IntakeOut:
    by = found_materials.list_found_filters(database, intake.id)
    return IntakeOut(
        id=intake.id,
        project_id=intake.project_id,
        state="accepted" if intake.state == "accepted" else "found",
        files=len(intake.files),
        unused=intake.unused[:MOST_NAMED],
        unused_files=len(intake.unused),
        missing=intake.missing[:MOST_NAMED],
        missing_files=len(intake.missing),
        errors=intake.errors[:MOST_NAMED],
        refused_files=len(intake.errors),
        unit=intake.unit,
        sheets=intake.sheets,
        found=found_materials.count_found_materials(database, intake.id),
        found_in=by["files"],
        found_as=by["models"],
        search_roots=[str(root) for root in settings().search_roots],
    )


def found_view(rows: Sequence[FoundRow], total: int) -> FoundOut:
    found = [FoundMaterial(position=row.position, taken=not row.left_out, changed=row.changed, **dict(row.document)) for row in rows]
    return FoundOut(rows=found, total=total)
