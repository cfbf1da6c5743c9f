"""How conversions stand on boards: their verdict, what they lose and what was said of them, kept beside each (`OutcomeRow`).

It is worked out again when a board is read, where something has marked it since; of many at once, a part, and the rest by the process
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

from fenrain.core.checking.edition import drawing_edition
from fenrain.core.checking.verdict import Decision, Tolerances
from fenrain.core.conversion.targets import ServedTarget
from fenrain.core.errors import ConflictError
from fenrain.services import reviews
from fenrain.services.checks import checks_of, decided, decided_by_figures, decided_over_all, decision_document, overview, tolerances_of
from fenrain.services.conversions import OUTLINE, outline
from fenrain.services.outside import outside_checks_of, outside_decision, standing
from fenrain.services.reviews import Standing, shared_basis, standings
from fenrain.services.targets import project_target
from fenrain.store.database import session
from fenrain.store.rows import find_project
from fenrain.store.tables import (
    CheckRow,
    ConversionRow,
    KitRow,
    MaterialRow,
    OutcomeDocument,
    OutcomeLoss,
    OutcomeReading,
    OutcomeRow,
    OutsideCheckRow,
    Project,
)

KEPT = 1
"""Edition of what is kept beside each conversion for boards; what another one kept is worked out again."""
AT_ONCE = 100
"""How many rows are worked out at most while somebody waits for the board."""
OPEN_AGAIN = "open again"


def of_board(project_id: int, aim: ServedTarget) -> ColumnElement[bool]:
    """What names the outcomes of a project's conversions to a target."""
    return and_(OutcomeRow.project_id == project_id, OutcomeRow.target == aim.model.id, OutcomeRow.profile == aim.profile.name)


def settle(database: Session, project: Project, aim: ServedTarget, most: int | None) -> int:
    """Work out how conversions stand that were marked since, or where what all hang on has changed; returns how many. most: of them, all
    where None. Those that another process is at are left to it."""
    shared = shared_by_all(project, aim)
    stale = select(OutcomeRow.conversion_id, OutcomeRow.marked).where(of_board(project.id, aim), is_stale(shared))
    count = 0
    while most is None or count < most:
        found = database.execute(stale.limit(AT_ONCE).with_for_update(skip_locked=True)).all()
        if not found:
            break
        _work_out(database, project, aim, shared, {one.conversion_id: one.marked for one in found})
        count += len(found)
    return count


def settle_apart(project_id: int, aim: ServedTarget) -> None:
    """Work some out in a transaction of its own, so that who only looks never has to give way to another change."""
    with suppress(ConflictError), session() as apart:
        settle(apart, find_project(apart, project_id), aim, AT_ONCE)


def settle_some(database: Session) -> int:
    """Of the boards that somebody has made, work out a part of what is marked; returns how many rows that were."""
    made = select(OutcomeRow.project_id, OutcomeRow.target, OutcomeRow.profile).distinct()
    for project_id, target, profile in database.execute(made).all():
        project = find_project(database, project_id)
        done = settle(database, project, project_target(database, project_id, target, profile), AT_ONCE)
        if done:
            return done
    return 0


def _work_out(database: Session, project: Project, aim: ServedTarget, shared: str, marked: Mapping[int, int]) -> None:
    """marked: how often each was marked, by its id."""
    query = (
        select(ConversionRow)
        .join(MaterialRow)
        .options(contains_eager(ConversionRow.material).defer(MaterialRow.document), defer(ConversionRow.document))
        .where(ConversionRow.id.in_(marked))
    )
    rows = database.scalars(query).all()
    pairs = [(row.material.digest, row.digest) for row in rows]
    checks, outside, said = checks_of(database, pairs), outside_checks_of(database, pairs), standings(database, rows, project, aim)
    outlines, tolerances = _outlines(database, marked), tolerances_of(project)
    outcomes, documents, readings, losses = [], [], [], []
    for row, pair in zip(rows, pairs, strict=True):
        known, review = outlines[row.id], said.get(row.id)
        shown, elsewhere = overview(checks.get(pair, [])), standing(outside.get(pair, []))
        over_all = decided_over_all(known["figures"], shown, tolerances)
        outcomes.append(
            {
                "project_id": project.id,
                "target": row.target,
                "profile": row.profile,
                "material_id": row.material_id,
                "conversion_id": row.id,
                "merged": row.material.merged_into is not None,
                "doubtful": row.material.doubtful,
                "changed": row.updated,
                "marked": marked[row.id],
                "settled": marked[row.id],
                "shared": shared,
                "verdict": over_all.verdict.value if over_all is not None else "",
                "worst": over_all.excess if over_all is not None else 0.0,
                "reason": over_all.metric if over_all is not None else "",
                "losses": len(known["losses"]),
                "review": _stage(review),
            }
        )
        document = _document(row, known, shown, elsewhere, over_all, review, tolerances)
        documents.append({"conversion_id": row.id, "outline": known, "document": document})
        decisions = {"": document["figures"], **{check["rig"]: check["decision"] for check in document["checks"]}}
        readings += [{"conversion_id": row.id, "rig": rig, "worst": one["excess"]} for rig, one in decisions.items() if one is not None]
        losses += [{"conversion_id": row.id, "loss": loss} for loss in dict.fromkeys(loss[:LONGEST_LOSS] for loss in known["losses"])]
    _put(database, OutcomeRow, outcomes, STANDING)
    _put(database, OutcomeDocument, documents, ("outline", "document"))
    _put_in_place(database, OutcomeReading, marked, readings)
    _put_in_place(database, OutcomeLoss, marked, losses)


LONGEST_LOSS = 200


STANDING = ("marked", "settled", "shared", "verdict", "worst", "reason", "losses", "review")


def _put(database: Session, table: type[OutcomeRow | OutcomeDocument], rows: Sequence[Mapping[str, Any]], columns: Collection[str]) -> None:
    """These columns in place of what stands there, all in one statement."""
    if rows:
        added = insert(table).values(rows)
        database.execute(added.on_duplicate_key_update({name: added.inserted[name] for name in columns}))


def _put_in_place(
    database: Session,
    table: type[OutcomeReading | OutcomeLoss],
    conversion_ids: Collection[int],
    rows: Sequence[Mapping[str, Any]],
) -> None:
    """All rows of these conversions, in place of those that stand there."""
    database.execute(delete(table).where(table.conversion_id.in_(conversion_ids)))
    if rows:
        database.execute(insert(table), rows)


def _outlines(database: Session, conversion_ids: Collection[int]) -> dict[int, dict[str, Any]]:
    """What is known of each without checks, worked out anew where another edition of the code kept it."""
    kept = database.execute(
        select(OutcomeDocument.conversion_id, OutcomeDocument.outline).where(OutcomeDocument.conversion_id.in_(conversion_ids))
    )
    found = {identity: known for identity, known in kept if known.get("edition") == OUTLINE}
    missing = [identity for identity in conversion_ids if identity not in found]
    written = database.execute(select(ConversionRow.id, ConversionRow.document).where(ConversionRow.id.in_(missing)))
    return found | {identity: outline(document) for identity, document in written}


def _stage(said: Standing | None) -> str:
    if said is None or (said.state == reviews.OPEN and not said.changed):
        return ""
    return OPEN_AGAIN if said.changed else said.state


def _document(
    row: ConversionRow,
    known: Mapping[str, Any],
    shown: Sequence[CheckRow],
    elsewhere: tuple[OutsideCheckRow, KitRow] | None,
    over_all: Decision | None,
    said: Standing | None,
    tolerances: Tolerances,
) -> dict[str, Any]:
    figures = decided_by_figures(known["figures"], tolerances)
    return {
        "overrides": len(row.overrides),
        "figures": figures and decision_document(figures),
        "verdict": over_all and decision_document(over_all),
        "checks": [
            {
                "rig": check.rig,
                "samples": check.numbers["samples"],
                "decision": decision_document(decided(check, tolerances)) if check.numbers["readings"] else None,
                "pictures": check.pictures,
            }
            for check in shown
        ],
        "outside": elsewhere and decision_document(outside_decision(elsewhere[0], elsewhere[1].rig, tolerances)),
        "review": said and review_document(said),
    }


def review_document(found: Standing) -> dict[str, Any]:
    last = found.last
    said = {"said": last.state, "by": last.by, "note": last.note, "place": last.place or None, "created": last.created.isoformat()}
    return {"state": found.state, "changed": list(found.changed), **said}


def is_stale(shared: str) -> ColumnElement[bool]:
    return or_(OutcomeRow.marked != OutcomeRow.settled, OutcomeRow.shared != shared)


def shared_by_all(project: Project, aim: ServedTarget) -> str:
    """Names all that the standings of a project's conversions to a target hang on together."""
    document = [OUTLINE, KEPT, drawing_edition(), shared_basis(project, aim)]
    return hashlib.sha256(json.dumps(document, sort_keys=True).encode()).hexdigest()
