"""Keeps what a rehearsal finds of one conversion."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from fenrain.core.checking.verdict import Decision
from fenrain.services.checks import decision_document
from fenrain.store.tables import RehearsedRow

PLACE = "material"
"""Under which an edit names what became of a material as a whole."""


def is_rehearsed(database: Session, job_id: int) -> bool:
    """Whether a job has kept anything yet."""
    return database.scalar(select(RehearsedRow.id).where(RehearsedRow.job_id == job_id).limit(1)) is not None


def keep_rehearsed(
    database: Session,
    job_id: int,
    conversion: tuple[int, int],
    changes: Mapping[str, Any],
    decisions: tuple[Decision, Decision],
    pictures: Mapping[str, str] = MappingProxyType({}),
) -> None:
    """Keep what would change. conversion: its id and the version that it was rehearsed on; decisions: of its figures before and after;
    changes, pictures: see `RehearsedRow`."""
    before, after = decisions
    database.add(
        RehearsedRow(
            job_id=job_id,
            conversion_id=conversion[0],
            version=conversion[1],
            changes=dict(changes),
            before=decision_document(before),
            after=decision_document(after),
            excess_before=before.excess,
            excess_after=after.excess,
            pictures=dict(pictures),
        )
    )
