"""How conversions stand on boards: their verdict, what they lose and what was said of them, kept beside each (`ConversionStatusRow`).

It is computed again when a board is read, where something has changes it since; of many at once, a part, and the rest by the process
that hands out jobs.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Collection, Mapping, Sequence
from contextlib import suppress
from typing import Any

from sqlalchemy import ColumnElement, and_, delete, or_, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session, contains_eager, defer

from fenrain.core.checking.code_version import drawing_version
from fenrain.core.checking.verdict import Tolerances
from fenrain.core.conversion.targets import ServedTarget
from fenrain.core.errors import ConflictError, NotFoundError
from fenrain.services.checks import decide_check, decide_over_all, list_checks, load_tolerances, select_overview
from fenrain.services.conversions import outline
from fenrain.services.outside import outside_checks_of, select_standing_check
from fenrain.services.reviews import list_review_states, shared_basis
from fenrain.services.surroundings import list_rigs
from fenrain.services.targets import project_target
from fenrain.store.database import session
from fenrain.store.documents.boards import COLUMNS, BoardCheck, BoardEntry, Outline
from fenrain.store.documents.checking import DecisionDocument
from fenrain.store.documents.reviews import ReviewDocument
from fenrain.store.rows import find_project
from fenrain.store.tables import (
    CheckRow,
    ConversionRow,
    ConversionStatusRow,
    KitRow,
    MaterialRow,
    OutsideCheckRow,
    Project,
    StatusDocumentRow,
    StatusLossRow,
    StatusReadingRow,
)

AT_ONCE = 100
"""How many rows are computed at most while somebody waits for the board."""


def on_board(project_id: int, target: ServedTarget) -> ColumnElement[bool]:
    """The condition that selects the statuses of a project's conversions to a target."""
    return and_(
        ConversionStatusRow.project_id == project_id,
        ConversionStatusRow.target == target.model.id,
        ConversionStatusRow.profile == target.profile.name,
    )


def update_statuses(database: Session, project: Project, target: ServedTarget, most: int | None) -> int:
    """Compute the statuses that are out of date, since a conversion or what all of them depend on has changed; returns how many. most: of
    them, all where None. Rows that another process has locked are left to it."""
    shared = shared_digest(project, target)
    stale = select(ConversionStatusRow.conversion_id, ConversionStatusRow.changes).where(on_board(project.id, target), is_stale(shared))
    count = 0
    while most is None or count < most:
        found = database.execute(stale.limit(AT_ONCE).with_for_update(skip_locked=True)).all()
        if not found:
            break
        _update(database, project, target, shared, {one.conversion_id: one.changes for one in found})
        count += len(found)
    return count


def update_statuses_apart(project_id: int, target: ServedTarget) -> None:
    """Compute some statuses in a transaction of their own, so that a reader never has to be rolled back for another change."""
    with suppress(ConflictError), session() as apart:
        update_statuses(apart, find_project(apart, project_id), target, AT_ONCE)


def update_some_statuses(database: Session) -> int:
    """Compute a part of the statuses that are out of date on any board; returns how many. A board whose target is gone, as a package that
    was taken away has one, stays as it is."""
    made = select(ConversionStatusRow.project_id, ConversionStatusRow.target, ConversionStatusRow.profile).distinct()
    for project_id, target, profile in database.execute(made).all():
        project = find_project(database, project_id)
        try:
            served = project_target(database, project_id, target, profile)
        except NotFoundError:
            continue
        done = update_statuses(database, project, served, AT_ONCE)
        if done:
            return done
    return 0


def _update(database: Session, project: Project, target: ServedTarget, shared: str, changes: Mapping[int, int]) -> None:
    """changes: the count of changes of each conversion, by its id."""
    query = (
        select(ConversionRow)
        .join(MaterialRow)
        .options(contains_eager(ConversionRow.material).defer(MaterialRow.document), defer(ConversionRow.document))
        .where(ConversionRow.id.in_(changes))
    )
    rows = database.scalars(query).all()
    pairs = [(row.material.digest, row.digest) for row in rows]
    checks, outside, said = (
        list_checks(database, pairs),
        outside_checks_of(database, pairs),
        list_review_states(database, rows, project, target),
    )
    outlines, tolerances, rigs = _outlines(database, changes), load_tolerances(project), list_rigs(project)
    statuses, documents, readings, losses = [], [], [], []
    for row, pair in zip(rows, pairs, strict=True):
        elsewhere = select_standing_check(outside.get(pair, []))
        entry = _entry(row, outlines[row.id], select_overview(checks.get(pair, []), rigs), elsewhere, said.get(row.id), tolerances)
        statuses.append(
            {
                "project_id": project.id,
                "target": row.target,
                "profile": row.profile,
                "material_id": row.material_id,
                "conversion_id": row.id,
                "merged": row.material.merged_into is not None,
                "doubtful": row.material.doubtful,
                "changed": row.updated,
                "changes": changes[row.id],
                "changes_seen": changes[row.id],
                "shared_digest": shared,
                **{name: value(entry) for name, value in COLUMNS.items()},
            }
        )
        documents.append({"conversion_id": row.id, "outline": outlines[row.id], "entry": entry})
        readings += [{"conversion_id": row.id, "rig": rig, "worst": excess} for rig, excess in entry.excess_by_rig().items()]
        losses += [{"conversion_id": row.id, "loss": loss} for loss in dict.fromkeys(loss[:LONGEST_LOSS] for loss in entry.losses)]
    _upsert(database, ConversionStatusRow, statuses, ("changes", "changes_seen", "shared_digest", *COLUMNS))
    _upsert(database, StatusDocumentRow, documents, ("outline", "entry"))
    _replace_rows(database, StatusReadingRow, changes, readings)
    _replace_rows(database, StatusLossRow, changes, losses)


LONGEST_LOSS = 200


def _upsert(
    database: Session, table: type[ConversionStatusRow | StatusDocumentRow], rows: Sequence[Mapping[str, Any]], columns: Collection[str]
) -> None:
    """These columns in place of what stands there, all in one statement."""
    if rows:
        added = insert(table).values(rows)
        stored = [getattr(table, name).property.columns[0].name for name in columns]
        database.execute(added.on_duplicate_key_update({name: added.inserted[name] for name in stored}))


def _replace_rows(
    database: Session,
    table: type[StatusReadingRow | StatusLossRow],
    conversion_ids: Collection[int],
    rows: Sequence[Mapping[str, Any]],
) -> None:
    """All rows of these conversions, in place of those that stand there."""
    database.execute(delete(table).where(table.conversion_id.in_(conversion_ids)))
    if rows:
        database.execute(insert(table), rows)


def _outlines(database: Session, conversion_ids: Collection[int]) -> dict[int, Outline]:
    """What is known of each without checks, computed again where another edition of the code kept it."""
    kept = database.execute(
        select(StatusDocumentRow.conversion_id, StatusDocumentRow.outline).where(StatusDocumentRow.conversion_id.in_(conversion_ids))
    )
    found = {identity: known for identity, known in kept if known is not None}
    missing = [identity for identity in conversion_ids if identity not in found]
    written = database.execute(select(ConversionRow.id, ConversionRow.document).where(ConversionRow.id.in_(missing)))
    return found | {identity: outline(document) for identity, document in written}


def _entry(
    row: ConversionRow,
    known: Outline,
    shown: Sequence[CheckRow],
    elsewhere: tuple[OutsideCheckRow, KitRow] | None,
    review: ReviewDocument | None,
    tolerances: Tolerances,
) -> BoardEntry:
    over_all = decide_over_all(known.figures, shown, tolerances)
    return BoardEntry(
        overrides=len(row.overrides),
        losses=known.losses,
        approximated=known.approximated,
        plainness=known.plainness,
        unusual=known.unusual,
        figures=None if known.figures is None else DecisionDocument.from_decision(known.figures.decide(tolerances)),
        verdict=None if over_all is None else DecisionDocument.from_decision(over_all),
        checks=[
            BoardCheck(
                rig=check.rig,
                samples=check.numbers.samples,
                decision=DecisionDocument.from_decision(decide_check(check, tolerances)) if check.numbers.readings else None,
                pictures=check.pictures,
            )
            for check in shown
            if check.pictures is not None
        ],
        outside=None if elsewhere is None else DecisionDocument.from_decision(elsewhere[0].numbers.decide(tolerances, elsewhere[1].rig)),
        review=review,
    )


def is_stale(shared: str) -> ColumnElement[bool]:
    return or_(ConversionStatusRow.changes != ConversionStatusRow.changes_seen, ConversionStatusRow.shared_digest != shared)


def shared_digest(project: Project, target: ServedTarget) -> str:
    """Names all that the standings of a project's conversions to a target depend on together."""
    document = [Outline.EDITION, BoardEntry.EDITION, drawing_version(), shared_basis(project, target), list_rigs(project)]
    return hashlib.sha256(json.dumps(document, sort_keys=True).encode()).hexdigest()
