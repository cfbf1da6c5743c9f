"""Reviews: who accepted a look or sent it back, and whether that still stands.

What was said belongs to a look. It stands while all that the look depends on is as it was; rules are asked for by what they make: a new
version of them that makes the same look changes nothing.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Collection, Mapping, Sequence
from dataclasses import asdict
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from fenrain.core.checking.code_version import rules_version
from fenrain.core.checking.verdict import Verdict
from fenrain.core.conversion.targets import ServedTarget
from fenrain.core.errors import InputError
from fenrain.services.checks import decide_over_all, list_checks, load_tolerances, select_overview
from fenrain.services.history import find_conversion_at_version
from fenrain.services.surroundings import list_rigs
from fenrain.services.targets import project_target
from fenrain.store.current_person import current_person
from fenrain.store.documents.reviews import ACCEPTED, OPEN, SENT_BACK, ReviewDocument, ReviewName, ReviewPlace
from fenrain.store.rows import find_conversion, find_project, list_conversions_to
from fenrain.store.status_changes import mark_changed
from fenrain.store.tables import ConversionRow, Project, ReviewRow

PARTS = {
    "original": "the original",
    "overrides": "values set over derived ones",
    "target": "the target profile",
    "tolerances": "the tolerances",
}
"""What a look depends on beside the rules, by its part of a basis, in words."""
MATCHES_AND_LOSES_NOTHING = "match on all rigs, nothing lost"


def add_review(
    database: Session, conversion_id: int, state: ReviewName, note: str, place: ReviewPlace | None, *, expected: int
) -> ReviewDocument:
    """Say something of a conversion as it was seen. Raises ConflictError where it has changed since, InputError for a review that sends
    back without a word, NotFoundError."""
    row = find_conversion_at_version(database, conversion_id, expected)
    if state == SENT_BACK and not note.strip():
        raise InputError("What is sent back needs a note.", place="note", remedy="Say what is to be changed.")
    project = find_project(database, row.material.project_id)
    shared = shared_basis(project, project_target(database, project.id, row.target, row.profile))
    basis = _basis(row, shared)
    return _describe(_add(database, row, state, note.strip(), place, basis), basis)


def accept_all(database: Session, project_id: int, target: str, profile: str) -> int:
    """Accept all that wait, match on every rig of the project, and lose nothing; returns how many. What was sent back waits for whoever
    reads its note. Raises NotFoundError."""
    project = find_project(database, project_id)
    served = project_target(database, project_id, target, profile)
    rows = list_conversions_to(database, project_id, target, profile)
    said = list_review_states(database, rows, project, served)
    waiting = [row for row in rows if row.id not in said or (said[row.id].state == OPEN and said[row.id].said != SENT_BACK)]
    checks = list_checks(database, [(row.material.digest, row.digest) for row in waiting])
    tolerances, rigs = load_tolerances(project), set(list_rigs(project))
    shared, count = shared_basis(project, served), 0
    for row in waiting:
        shown = select_overview(checks.get((row.material.digest, row.digest), []), rigs)
        decision = decide_over_all(None if row.document is None else row.document.figures, shown, tolerances)
        measured = {check.rig for check in shown if check.numbers.readings}
        loses = row.document is None or row.document.losses
        if decision is not None and decision.verdict is Verdict.MATCH and rigs <= measured and not loses:
            _add(database, row, ACCEPTED, MATCHES_AND_LOSES_NOTHING, None, _basis(row, shared))
            count += 1
    return count


def list_review_states(
    database: Session, rows: Sequence[ConversionRow], project: Project, target: ServedTarget
) -> dict[int, ReviewDocument]:
    """What stands of conversions to one target, by their ids; those of which nothing was said are not there."""
    by_id, shared = {row.id: row for row in rows}, shared_basis(project, target)
    newest = _last_of(database, by_id)
    return {last.conversion_id: _describe(last, _basis(by_id[last.conversion_id], shared)) for last in newest}


def list_reviews(database: Session, conversion_id: int) -> list[ReviewDocument]:
    """All that was said of a conversion, newest first. Raises NotFoundError."""
    row = find_conversion(database, conversion_id)
    project = find_project(database, row.material.project_id)
    basis = _basis(row, shared_basis(project, project_target(database, project.id, row.target, row.profile)))
    said = database.scalars(select(ReviewRow).where(ReviewRow.conversion_id == conversion_id).order_by(ReviewRow.id.desc()))
    return [_describe(one, basis) for one in said]


def shared_basis(project: Project, target: ServedTarget) -> dict[str, str]:
    """What looks of a project depend on in one target, whatever the material, by part."""
    return {"target": _digest(asdict(target.profile)), "tolerances": _digest(project.tolerances), "rules": rules_version()}


def _basis(row: ConversionRow, shared: Mapping[str, str]) -> dict[str, str]:
    """What a look depends on, by part."""
    return {"original": row.material.digest, "converted": row.digest, "overrides": _digest(row.overrides), **shared}


def _describe(last: ReviewRow, basis: Mapping[str, str]) -> ReviewDocument:
    """A review, and whether it stands: it is open where something has changed since."""
    changed = [words for part, words in PARTS.items() if last.basis[part] != basis[part]]
    if not changed and last.basis["converted"] != basis["converted"]:
        changed = ["the rules"] if last.basis["rules"] != basis["rules"] else ["the converted look"]
    return ReviewDocument(
        state=OPEN if changed else last.state,
        changed=changed,
        said=last.state,
        by=last.by,
        note=last.note,
        place=last.place,
        created=last.created,
    )


def _last_of(database: Session, conversions: Collection[int]) -> Sequence[ReviewRow]:
    """The newest review of each."""
    if not conversions:
        return []
    newest = select(func.max(ReviewRow.id)).where(ReviewRow.conversion_id.in_(conversions)).group_by(ReviewRow.conversion_id)
    return database.scalars(select(ReviewRow).where(ReviewRow.id.in_(newest))).all()


def _add(
    database: Session, row: ConversionRow, state: ReviewName, note: str, place: ReviewPlace | None, basis: Mapping[str, str]
) -> ReviewRow:
    made = ReviewRow(conversion_id=row.id, state=state, by=current_person(), note=note, place=place, basis=dict(basis))
    database.add(made)
    database.flush()
    mark_changed(database, [row.id])
    return made


def _digest(document: Any) -> str:
    text = json.dumps(document, sort_keys=True, default=lambda parts: sorted(str(part) for part in parts))
    return hashlib.sha256(text.encode()).hexdigest()
