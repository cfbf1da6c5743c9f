"""Keeps what a rehearsal finds of one conversion, with pictures of the first few."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from fenrain.core.checking.check import refine
from fenrain.core.checking.verdict import Decision
from fenrain.core.conversion.engine import Conversion
from fenrain.services.checks import decision_document, encode_pictures
from fenrain.store import blobs
from fenrain.store.tables import RehearsalRow

PLACE = "material"
"""Under which an edit names what became of a material as a whole."""
PICTURED = 4
"""How many of those that change are shown before and after."""
PICTURE, PICTURE_RIG, PICTURE_SAMPLES = 128, "soft_studio", 64
"""Edge in pixels, light, and samples of each pixel of such a picture."""


def wants_pictures(database: Session, job_id: int) -> bool:
    return (database.scalar(select(func.count()).where(RehearsalRow.job_id == job_id)) or 0) < PICTURED


def picture_before_and_after(before: Conversion, after: Conversion) -> dict[str, str]:
    """Digests of the pictures of two looks."""
    *_, last = refine(before.material, after.material, (PICTURE_RIG,), size=PICTURE, most_samples=PICTURE_SAMPLES, shown=False)
    sides = encode_pictures(last, pixels=False)
    return {"before": blobs.save_bytes(sides["original"]), "after": blobs.save_bytes(sides["converted"])}


def is_rehearsed(database: Session, job_id: int) -> bool:
    """Whether a job has kept anything yet."""
    return database.scalar(select(RehearsalRow.id).where(RehearsalRow.job_id == job_id).limit(1)) is not None


def save_rehearsal(
    database: Session,
    job_id: int,
    conversion: tuple[int, int],
    changes: Mapping[str, Any],
    decisions: tuple[Decision, Decision],
    pictures: Mapping[str, str] = MappingProxyType({}),
) -> None:
    """Keep what would change. conversion: its id and the version that it was rehearsed on; decisions: of its figures before and after;
    changes, pictures: see `RehearsalRow`."""
    before, after = decisions
    database.add(
        RehearsalRow(
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
