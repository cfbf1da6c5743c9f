"""What a rehearsal finds: kept of each conversion, with pictures of the first few, and summed up."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import InstrumentedAttribute, Session, joinedload

from fenrain.core.checking.check import refine
from fenrain.core.checking.verdict import Decision
from fenrain.core.conversion.engine import Conversion
from fenrain.services.checks import encode_pictures
from fenrain.store import blobs
from fenrain.store.documents.checking import DecisionDocument
from fenrain.store.tables import ConversionRow, MaterialRow, RehearsalRow

PICTURED = 4
"""How many of those that change are shown before and after."""
PICTURE, PICTURE_RIG, PICTURE_SAMPLES = 128, "soft_studio", 64
"""Edge in pixels, light, and samples of each pixel of such a picture."""
WORSE = 1.05
"""By how much the deciding reading grows where a material is called worse."""


@dataclass(frozen=True)
class RehearsalResult:
    """What would change of a conversion as it stood at version: see `RehearsalRow`. before, after: decisions by its quick figures."""

    conversion_id: int
    version: int
    changes: Mapping[str, Any]
    before: Decision
    after: Decision
    pictures: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Rehearsal:
    """A job that rehearses, and the materials that a piece of it is about."""

    job_id: int
    target: str
    profile: str
    material_ids: Sequence[int]

    def find_conversions(self, database: Session) -> list[ConversionRow]:
        """The chosen conversions, with their materials, but for those that are gone or rehearsed already."""
        done = select(RehearsalRow.conversion_id).where(RehearsalRow.job_id == self.job_id)
        query = select(ConversionRow).join(MaterialRow).options(joinedload(ConversionRow.material))
        query = query.where(MaterialRow.id.in_(self.material_ids), ConversionRow.id.not_in(done))
        query = query.where(ConversionRow.target == self.target, ConversionRow.profile == self.profile)
        return list(database.scalars(query.order_by(MaterialRow.id)))

    def has_kept_any(self, database: Session) -> bool:
        return database.scalar(select(RehearsalRow.id).where(RehearsalRow.job_id == self.job_id).limit(1)) is not None

    def wants_pictures(self, database: Session) -> bool:
        return (database.scalar(select(func.count()).where(RehearsalRow.job_id == self.job_id)) or 0) < PICTURED

    def keep(self, database: Session, found: RehearsalResult) -> None:
        database.add(
            RehearsalRow(
                job_id=self.job_id,
                conversion_id=found.conversion_id,
                version=found.version,
                changes=dict(found.changes),
                before=DecisionDocument.from_decision(found.before),
                after=DecisionDocument.from_decision(found.after),
                excess_before=found.before.excess,
                excess_after=found.after.excess,
                pictures=dict(found.pictures),
            )
        )


def picture_before_and_after(before: Conversion, after: Conversion) -> dict[str, str]:
    """Digests of the pictures of two looks."""
    *_, last = refine(before.material, after.material, (PICTURE_RIG,), size=PICTURE, most_samples=PICTURE_SAMPLES, shown=False)
    sides = encode_pictures(last, pixels=False)
    return {"before": blobs.save_bytes(sides["original"]), "after": blobs.save_bytes(sides["converted"])}


def find_rehearsed(database: Session, job_id: int, conversion_id: int) -> RehearsalRow | None:
    return database.scalar(select(RehearsalRow).where(RehearsalRow.job_id == job_id, RehearsalRow.conversion_id == conversion_id))


@dataclass(frozen=True)
class RehearsalSummary:
    """What an act would change, as far as it was rehearsed. changed: how many; before, after: how many have which verdict by quick figures;
    worse: how many would read worse; rows: those that would become worse by the most, with the ones that have pictures first."""

    changed: int
    before: dict[str, int]
    after: dict[str, int]
    worse: int
    rows: Sequence[RehearsalRow]


def summarise_rehearsal(database: Session, job_id: int, most: int) -> RehearsalSummary:
    """most: rows."""
    of_job = RehearsalRow.job_id == job_id
    before, after = (_count_verdicts(database, job_id, side) for side in (RehearsalRow.before, RehearsalRow.after))
    worse = select(func.count()).where(of_job, RehearsalRow.excess_after > RehearsalRow.excess_before * WORSE)
    order = (func.json_length(RehearsalRow.pictures) > 0).desc(), (RehearsalRow.excess_after - RehearsalRow.excess_before).desc()
    found = select(RehearsalRow).options(joinedload(RehearsalRow.conversion).joinedload(ConversionRow.material))
    rows = database.scalars(found.where(of_job).order_by(*order).limit(most)).all()
    return RehearsalSummary(sum(before.values()), before, after, database.scalar(worse) or 0, rows)


def _count_verdicts(database: Session, job_id: int, side: InstrumentedAttribute[DecisionDocument]) -> dict[str, int]:
    verdict = func.json_value(side, "$.verdict")
    return dict(database.execute(select(verdict, func.count()).where(RehearsalRow.job_id == job_id).group_by(verdict)).all())
