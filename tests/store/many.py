"""A project with many materials, as rows alone: copies of a few that were really converted and checked, under other names and digests."""

from __future__ import annotations

import hashlib
import json
from dataclasses import replace
from typing import Any

import numpy as np
from sqlalchemy import insert, select
from sqlalchemy.orm import Session

from fenrain.store.database import session
from fenrain.store.documents.checking import PictureMeasurements
from fenrain.store.status_changes import mark_changed
from fenrain.store.tables import CheckRow, ConversionRow, MaterialRow, Project

AT_ONCE = 500


def copied(project_id: int, count: int, title: str, seed: int = 1) -> int:
    """A new project with so many copies of the materials of another one, their conversions and checks; readings are scattered, so that
    verdicts differ. Returns its id."""
    random = np.random.default_rng(seed)
    with session() as database:
        made = Project(name=title, tolerances={})
        database.add(made)
        database.flush()
        models = database.scalars(select(MaterialRow).where(MaterialRow.project_id == project_id)).all()
        for begin in range(0, count, AT_ONCE):
            numbers = range(begin, min(begin + AT_ONCE, count))
            _copy(database, made.id, [(number, models[number % len(models)]) for number in numbers], random)
        return made.id


def _copy(database: Session, project_id: int, wanted: list[tuple[int, MaterialRow]], random: np.random.Generator) -> None:
    materials = [
        {
            **_columns(row, "id", "created"),
            "project_id": project_id,
            "name": f"{row.name} {number:05}",
            "digest": _digest(project_id, number, "original"),
        }
        for number, row in wanted
    ]
    ids = list(database.scalars(insert(MaterialRow).returning(MaterialRow.id, sort_by_parameter_order=True), materials))
    conversions, checks = [], []
    for (number, row), identity, material in zip(wanted, ids, materials, strict=True):
        for conversion in row.conversions:
            digest = _digest(project_id, number, conversion.target, conversion.profile)
            conversions.append({**_columns(conversion, "id", "updated"), "material_id": identity, "digest": digest})
            of_pair = CheckRow.original == row.digest, CheckRow.converted == conversion.digest
            checks += [
                {
                    **_columns(check, "id", "created"),
                    "key": _digest(digest, check.rig, check.stand, check.turn),
                    "original": material["digest"],
                    "converted": digest,
                    "numbers": _scattered(check.numbers, float(random.lognormal(-0.5, 1.0))),
                }
                for check in database.scalars(select(CheckRow).where(*of_pair))
            ]
    mark_changed(database, database.scalars(insert(ConversionRow).returning(ConversionRow.id), conversions))
    if checks:
        database.execute(insert(CheckRow), checks)


def _columns(row: Any, *but: str) -> dict[str, Any]:
    return {column.key: getattr(row, column.key) for column in row.__table__.columns if column.key not in but}


def _scattered(numbers: PictureMeasurements, factor: float) -> PictureMeasurements:
    readings = {name: replace(reading, value=reading.value * factor) for name, reading in numbers.readings.items()}
    return numbers.model_copy(update={"readings": readings})


def _digest(*parts: Any) -> str:
    return hashlib.sha256(json.dumps(parts).encode()).hexdigest()
