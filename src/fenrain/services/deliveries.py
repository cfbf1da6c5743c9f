"""What a delivery will hold and cost, before it is written, from what conversions keep of themselves."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session

from fenrain.core.checking.cost import Cost, Priced, advice
from fenrain.core.conversion.targets import ServedTarget
from fenrain.core.conversion.viewing import checklist
from fenrain.core.errors import NotFoundError
from fenrain.core.reports.difference import Difference, delivered, difference
from fenrain.services.conversion_status import AT_ONCE, update_statuses
from fenrain.store import blobs
from fenrain.store.rows import find_project
from fenrain.store.tables import ConversionRow, ConversionStatusRow, Job, MaterialRow, Project, StatusDocumentRow

MOST_NAMED, MOST_DOUBTS = 50, 4
"""Materials that a line names; it says how many there are."""


def plan_contents(database: Session, project_id: int, material_ids: Sequence[int] | None, target: ServedTarget) -> dict[str, Any]:
    """Counts, memory, what is lost, what would make it cheaper, and what a viewer needs for it. material_ids: all of the project where
    None. Nothing is converted for it: of what is not converted yet, only the number is known. What another material stands for costs
    nothing of its own."""
    update_statuses(database, find_project(database, project_id), target, AT_ONCE)
    chosen = select(MaterialRow.id).where(MaterialRow.project_id == project_id, MaterialRow.merged_into.is_(None))
    if material_ids is not None:
        chosen = chosen.where(MaterialRow.id.in_(material_ids))
    total = database.scalar(select(func.count()).select_from(chosen.subquery())) or 0
    rows = database.execute(
        select(
            MaterialRow.name,
            ConversionRow.digest,
            func.json_extract(ConversionRow.document, "$.cost"),
            func.json_extract(ConversionRow.document, "$.losses"),
            func.json_extract(ConversionRow.document, "$.features"),
        )
        .join(ConversionRow, ConversionRow.material_id == MaterialRow.id)
        .where(MaterialRow.id.in_(chosen), ConversionRow.target == target.model.id, ConversionRow.profile == target.profile.name)
        .order_by(MaterialRow.id)
    ).all()
    known = [(name, digest, Cost.from_document(json.loads(cost)), json.loads(losses)) for name, digest, cost, losses, _ in rows if cost]
    needed = checklist([(name, json.loads(features)) for name, *_, features in rows if features], target.profile)
    lost: dict[str, list[str]] = {}
    for name, _, _, losses in known:
        for text in dict.fromkeys(losses):
            lost.setdefault(text, []).append(name)
    priced = [Priced(name, cost, digest) for name, digest, cost, _ in known]
    judged = _decide_all(database, chosen, target)
    return {
        "doubtful": sum(verdict != "match" for verdict, _ in judged) + total - len(judged),
        "doubts": [f"{name} ({verdict or 'not checked'})" for verdict, name in judged if verdict != "match"][:MOST_DOUBTS],
        "materials": total,
        "unconverted": total - len(known),
        "maps": sum(len(one.cost.maps) for one in priced),
        "memory": sum(one.cost.memory for one in priced),
        "most_memory": target.profile.maps.total_bytes,
        "advice": [
            {
                "code": one.code,
                "text": one.text,
                "count": len(one.materials),
                "materials": list(one.materials[:MOST_NAMED]),
                "remedy": one.remedy,
            }
            for one in advice(priced, target.profile)
        ],
        "losses": [
            {"text": text, "count": len(names), "materials": names[:MOST_NAMED]}
            for text, names in sorted(lost.items(), key=lambda found: -len(found[1]))
        ],
        "checklist": [{**asdict(item), "count": len(item.materials), "materials": list(item.materials[:MOST_NAMED])} for item in needed],
    }


def describe_looks(
    database: Session, project: Project, material_ids: Sequence[int], target: ServedTarget
) -> dict[tuple[str, str], dict[str, Any]]:
    """The verdict on each look that is delivered, what decided it, and the review that stands, by the digests of both sides."""
    update_statuses(database, project, target, None)
    query = (
        select(MaterialRow.digest, ConversionRow.digest, StatusDocumentRow.entry)
        .join(ConversionRow, ConversionRow.material_id == MaterialRow.id)
        .join(StatusDocumentRow, StatusDocumentRow.conversion_id == ConversionRow.id)
        .where(MaterialRow.id.in_(material_ids), ConversionRow.target == target.model.id, ConversionRow.profile == target.profile.name)
    )
    found = {}
    for original, converted, entry in database.execute(query):
        verdict, review = (None, None) if entry is None else (entry.verdict, entry.review)
        found[original, converted] = {
            "verdict": verdict.verdict if verdict else "",
            "decided_by": verdict.text if verdict else "",
            "review": review and review.model_dump(mode="json", include={"state", "by", "note", "created"}),
        }
    return found


def compare_deliveries(database: Session, earlier_id: int, later_id: int) -> Difference:
    """What the later of two deliveries holds otherwise, by their jobs. Raises NotFoundError where one has written nothing."""
    return difference(*(delivered(blobs.path_of(find_archive(database, job))) for job in (earlier_id, later_id)))


def find_archive(database: Session, job_id: int) -> str:
    """The digest of the archive that a delivery wrote. Raises NotFoundError."""
    job = database.get(Job, job_id)
    archive: str | None = None if job is None else (job.result or {}).get("archive")
    if archive is None:
        raise NotFoundError("This job has written no archive.", place=f"jobs/{job_id}", remedy="Wait until it is done.")
    return archive


def _decide_all(database: Session, chosen: Select[int], target: ServedTarget) -> list[tuple[str, str]]:
    """The verdict on each that is converted, and its name."""
    query = (
        select(ConversionStatusRow.verdict, MaterialRow.name)
        .join(MaterialRow, MaterialRow.id == ConversionStatusRow.material_id)
        .where(
            MaterialRow.id.in_(chosen), ConversionStatusRow.target == target.model.id, ConversionStatusRow.profile == target.profile.name
        )
        .order_by(MaterialRow.id)
    )
    return [(verdict, name) for verdict, name in database.execute(query)]
