"""The board: every material of a project in one target, sorted, filtered and paged by the database.

What a row is sorted and filtered by is kept beside each conversion (`OutcomeRow`). It is worked out again when the board is read, where
something has marked it since; of many at once, a part, and the rest by the process that hands out jobs.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Collection, Iterable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from typing import Any

from sqlalchemy import ColumnElement, Select, and_, case, delete, func, or_, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session, contains_eager, defer

from fenrain.core.checking.edition import drawing_edition, rules_edition
from fenrain.core.checking.verdict import Decision, Tolerances, Verdict
from fenrain.core.convert.targets import ServedTarget
from fenrain.core.errors import ConflictError, InputError
from fenrain.services import reviews
from fenrain.services.checks import checks_of, decided, decided_by_figures, decided_over_all, decision_document, overview, tolerances_of
from fenrain.services.conversions import OUTLINE, outline
from fenrain.services.outside import outside_checks_of, outside_decision, standing
from fenrain.services.reviews import Standing, shared_basis, standings
from fenrain.services.targets import project_target
from fenrain.store.database import session
from fenrain.store.outcomes import mark
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

Asking = Select[*tuple[Any, ...]]
KEPT = 1
"""Edition of what is kept beside each conversion for boards; what another one kept is worked out again."""
AT_ONCE = 100
"""How many rows are worked out at most while somebody waits for the board."""
ALL, NOT_CONVERTED, NEEDS_ATTENTION, MERGED = "all", "not converted", "needs attention", "merged"
STATES = (ALL, NEEDS_ATTENTION, *(verdict.value for verdict in Verdict), NOT_CONVERTED, MERGED)
WAITING, OPEN_AGAIN = "waiting", "open again"
REVIEWS = (OPEN_AGAIN, WAITING, reviews.SENT_BACK, reviews.ACCEPTED)
"""What stands of a review, the most urgent first."""
SORTS: dict[str, ColumnElement[Any]] = {
    "came": MaterialRow.id.expression,
    "name": func.lower(MaterialRow.name),
    "model": MaterialRow.model.expression,
    "file": MaterialRow.file.expression,
    "worst": func.coalesce(OutcomeRow.worst, -1.0),
    "losses": func.coalesce(OutcomeRow.losses, -1),
    "changed": func.coalesce(ConversionRow.updated, MaterialRow.created),
    "urgency": case({OPEN_AGAIN: 0, reviews.SENT_BACK: 2, reviews.ACCEPTED: 3}, value=func.coalesce(OutcomeRow.review, ""), else_=1) * 10
    - case({"match": 0, "near": 1, "undecided": 2, "off": 3}, value=func.coalesce(OutcomeRow.verdict, ""), else_=0),
}
"""What a board can be sorted by. worst: the deciding reading as a multiple of what a match may read; urgency: as they wait for a review,
and of those that wait alike, the worst verdict first."""
OF_RIG = "rig:"
"""Before the id of a light by whose worst reading a board is sorted; before nothing, by that of the quick figures."""


@dataclass(frozen=True)
class Question:
    """Which materials of a project in a target: all that stand for themselves, but for what is said here.

    state: a verdict, NOT_CONVERTED, NEEDS_ATTENTION, which is what is converted and no match, loses something, or was doubtful at the
    door, or MERGED, what another one stands for; find: part of the name; file, model: exactly; lost: part of what was lost; reason: the
    measure that decided; review: what stands of its review, see REVIEWS; without: ids of materials that are left out.
    """

    state: str = ""
    find: str = ""
    file: str = ""
    model: str = ""
    lost: str = ""
    reason: str = ""
    review: str = ""
    without: tuple[int, ...] = ()


@dataclass(frozen=True)
class BoardPage:
    """rows: as documents; total: how many there are in all; counts: of all that the question would find but for its state, by state;
    reviews: of all that is converted of those, by what stands of the review; unsettled: how many are still to be judged again; older: how
    many of the whole board were converted by older rules."""

    rows: list[dict[str, Any]]
    total: int
    counts: dict[str, int]
    reviews: dict[str, int]
    unsettled: int
    older: int


def board_page(
    database: Session, project_id: int, aim: ServedTarget, question: Question, *, sort: str, descending: bool, offset: int, most: int
) -> BoardPage:
    """A part of the board. Raises InputError for an order that there is not, NotFoundError."""
    project = find_project(database, project_id)
    tallies = _tallies(database, project, aim, question)
    if any(one.stale for one in tallies):
        _settle_apart(project_id, aim)
        tallies = _tallies(database, project, aim, question)
    reviewed = [one for one in tallies if one.is_reviewed(question.review)]
    stated = [one for one in tallies if one.is_in(question.state)]
    counts = {state: sum(one.count for one in reviewed if one.is_in(state)) for state in STATES}
    by_review = {review: sum(one.count for one in stated if one.is_reviewed(review)) for review in REVIEWS}
    # Which rows, by what is narrow; and then what they say.
    query = _ordered(_asked(select(MaterialRow.id, ConversionRow.id), project_id, aim, question), sort, descending)
    found = [(one, other) for one, other in database.execute(query.offset(offset).limit(most))]
    return BoardPage(
        _rows(database, found),
        sum(one.count for one in reviewed if one.is_in(question.state)),
        counts,
        by_review,
        sum(one.count for one in tallies if one.stale),
        _older(database, project_id, aim),
    )


def _older(database: Session, project_id: int, aim: ServedTarget) -> int:
    count = _of(select(func.count()).select_from(ConversionRow), project_id, aim).where(ConversionRow.rules != rules_edition())
    return database.scalar(count) or 0


def around(
    database: Session, project_id: int, aim: ServedTarget, question: Question, conversion_id: int, *, sort: str, descending: bool
) -> tuple[int | None, int | None, int, int]:
    """The conversions before and after one on a board, its place there, from 1, and how many there are. Where it is not there any more, as
    an edit may have it, the first of the board comes next, and its place is 0. Raises InputError, NotFoundError."""
    find_project(database, project_id)
    query = _asked(select(ConversionRow.id), project_id, aim, question).where(ConversionRow.id.is_not(None))
    order = list(database.scalars(_ordered(query, sort, descending)))
    if conversion_id not in order:
        return None, order[0] if order else None, 0, len(order)
    at = order.index(conversion_id)
    return order[at - 1] if at > 0 else None, order[at + 1] if at + 1 < len(order) else None, at + 1, len(order)


def _ordered(query: Asking, sort: str, descending: bool) -> Asking:
    """Raises InputError."""
    by: ColumnElement[Any]
    if sort.startswith(OF_RIG):
        rig = sort.removeprefix(OF_RIG)
        of_rig = and_(OutcomeReading.conversion_id == ConversionRow.id, OutcomeReading.rig == rig)
        query, by = query.outerjoin(OutcomeReading, of_rig), func.coalesce(OutcomeReading.worst, -1.0)
    elif sort in SORTS:
        by = SORTS[sort]
    else:
        orders = ", ".join([*SORTS, f"{OF_RIG}ID"])
        raise InputError(f"Boards are not sorted by “{sort}”.", place="sort", remedy=f"Orders: {orders}.")
    return query.order_by(by.desc() if descending else by.asc(), MaterialRow.id)


def asked_for(database: Session, project_id: int, aim: ServedTarget, question: Question) -> list[int]:
    """Ids of all the materials that a question finds, in the order in which they came."""
    settle(database, find_project(database, project_id), aim, None)
    return list(database.scalars(_asked(select(MaterialRow.id), project_id, aim, question).order_by(MaterialRow.id)))


def choices(database: Session, project_id: int, aim: ServedTarget) -> dict[str, list[str]]:
    """Files, models, losses and measures that decide that a board can be filtered by."""
    of_materials = {"files": MaterialRow.file, "models": MaterialRow.model}
    of_outcomes = {"losses": OutcomeLoss.loss, "reasons": OutcomeRow.reason}
    queries: dict[str, Asking] = {name: select(one).where(MaterialRow.project_id == project_id) for name, one in of_materials.items()}
    for name, one in of_outcomes.items():
        of_board = select(one).join(ConversionRow, ConversionRow.id == one.class_.conversion_id).where(one != "")
        queries[name] = _of(of_board, project_id, aim)
    columns = {**of_materials, **of_outcomes}
    return {name: list(database.scalars(query.distinct().order_by(columns[name]))) for name, query in queries.items()}


def settle(database: Session, project: Project, aim: ServedTarget, most: int | None) -> int:
    """Work out how conversions stand that were marked since, or where what all hang on has changed; returns how many. most: of them, all
    where None. Those that another process is at are left to it."""
    shared = _shared(project, aim)
    missing = select(ConversionRow.id).outerjoin(OutcomeRow).where(OutcomeRow.conversion_id.is_(None))
    mark(database, database.scalars(_of(missing, project.id, aim).limit(most)).all())
    stale = _of(select(OutcomeRow.conversion_id, OutcomeRow.marked).join(ConversionRow), project.id, aim).where(_is_stale(shared))
    count = 0
    while most is None or count < most:
        found = database.execute(stale.limit(AT_ONCE).with_for_update(of=OutcomeRow, skip_locked=True)).all()
        if not found:
            break
        _work_out(database, project, aim, shared, {one.conversion_id: one.marked for one in found})
        count += len(found)
    return count


def _settle_apart(project_id: int, aim: ServedTarget) -> None:
    """Work some out in a transaction of its own, so that who only looks never has to give way to another change."""
    with suppress(ConflictError), session() as apart:
        settle(apart, find_project(apart, project_id), aim, AT_ONCE)


def settle_some(database: Session) -> int:
    """Of the boards that somebody has made, work out a part of what is marked; returns how many rows that were."""
    made = select(MaterialRow.project_id, ConversionRow.target, ConversionRow.profile).join(ConversionRow).distinct()
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
                "conversion_id": row.id,
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
    _put(database, OutcomeRow, outcomes)
    _put(database, OutcomeDocument, documents)
    _put_in_place(database, OutcomeReading, marked, readings)
    _put_in_place(database, OutcomeLoss, marked, losses)


LONGEST_LOSS = 200


def _put(database: Session, table: type[OutcomeRow | OutcomeDocument], rows: Sequence[Mapping[str, Any]]) -> None:
    """In place of what stands there, all in one statement."""
    if rows:
        added = insert(table).values(rows)
        database.execute(added.on_duplicate_key_update({name: added.inserted[name] for name in rows[0] if name != "conversion_id"}))


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


NOTHING_YET: dict[str, Any] = {
    "overrides": 0,
    "losses": [],
    "approximated": 0,
    "figures": None,
    "verdict": None,
    "checks": [],
    "outside": None,
    "review": None,
}


def _rows(database: Session, found: Sequence[tuple[int, int | None]]) -> list[dict[str, Any]]:
    """Rows of the board by the ids of their materials and conversions, in that order."""
    by_material = {row.id: row for row in database.scalars(select(MaterialRow).where(MaterialRow.id.in_([one for one, _ in found])))}
    query = (
        select(ConversionRow.id, ConversionRow.version, OutcomeDocument.outline, OutcomeDocument.document)
        .outerjoin(OutcomeDocument, OutcomeDocument.conversion_id == ConversionRow.id)
        .where(ConversionRow.id.in_([other for _, other in found if other is not None]))
    )
    said = {identity: (version, known or {}, document or {}) for identity, version, known, document in database.execute(query)}
    into = {row.merged_into for row in by_material.values() if row.merged_into is not None}
    named = select(MaterialRow.id, MaterialRow.name).where(MaterialRow.id.in_(into))
    names = dict(database.execute(named).all())
    rows = []
    for material_id, conversion_id in found:
        material = by_material[material_id]
        version, known, document = said.get(conversion_id or 0, (None, {}, {}))
        rows.append(
            {
                "material_id": material.id,
                "name": material.name,
                "model": material.model,
                "file": material.file,
                "merged_into": names.get(material.merged_into or 0),
                "findings": material.document["findings"],
                "conversion_id": conversion_id,
                "version": version,
                **NOTHING_YET,
                **document,
                **{name: known[name] for name in ("losses", "approximated") if name in known},
            }
        )
    return rows


def _asked(query: Asking, project_id: int, aim: ServedTarget, question: Question) -> Asking:
    """The query over materials with what they are converted to and how that stands, as far as the question asks for them."""
    narrowed = _joined(query, aim).where(MaterialRow.project_id == project_id, *_conditions(question), *_state(question.state))
    return narrowed.where(*_reviewed(question.review))


def _joined(query: Asking, aim: ServedTarget) -> Asking:
    to = and_(ConversionRow.material_id == MaterialRow.id, ConversionRow.target == aim.model.id, ConversionRow.profile == aim.profile.name)
    return query.select_from(MaterialRow).outerjoin(ConversionRow, to).outerjoin(OutcomeRow, OutcomeRow.conversion_id == ConversionRow.id)


def _conditions(question: Question) -> Iterable[ColumnElement[bool]]:
    """All but the state and the review."""
    if question.find:
        yield MaterialRow.name.icontains(question.find, autoescape=True)
    if question.file:
        yield MaterialRow.file == question.file
    if question.model:
        yield MaterialRow.model == question.model
    if question.lost:
        lost = select(OutcomeLoss.conversion_id).where(OutcomeLoss.loss.icontains(question.lost, autoescape=True))
        yield OutcomeRow.conversion_id.in_(lost)
    if question.reason:
        yield OutcomeRow.reason == question.reason
    if question.without:
        yield MaterialRow.id.not_in(question.without)


_MERGED = MaterialRow.merged_into.is_not(None)
_UNCONVERTED = ConversionRow.id.is_(None)
_ATTENTION = and_(ConversionRow.id.is_not(None), or_(OutcomeRow.verdict != "match", OutcomeRow.losses > 0, MaterialRow.doubtful))


def _reviewed(review: str) -> list[ColumnElement[bool]]:
    if review == WAITING:
        return [and_(ConversionRow.id.is_not(None), func.coalesce(OutcomeRow.review, "") == "")]
    return [OutcomeRow.review == review] if review else []


def _state(state: str) -> list[ColumnElement[bool]]:
    if state == MERGED:
        return [_MERGED]
    if state in ("", ALL):
        return [~_MERGED]
    return [~_MERGED, {NOT_CONVERTED: _UNCONVERTED, NEEDS_ATTENTION: _ATTENTION}.get(state, OutcomeRow.verdict == state)]


@dataclass(frozen=True)
class _Tally:
    """How many rows of a board are alike in all that is counted."""

    verdict: str
    merged: bool
    unconverted: bool
    attention: bool
    review: str
    stale: bool
    count: int

    def is_in(self, state: str) -> bool:
        if self.merged or state == MERGED:
            return self.merged and state == MERGED
        alone = {"": True, ALL: True, NOT_CONVERTED: self.unconverted, NEEDS_ATTENTION: self.attention}
        return alone.get(state, self.verdict == state)

    def is_reviewed(self, review: str) -> bool:
        return not review or (not self.unconverted and (self.review or WAITING) == review)


def _tallies(database: Session, project: Project, aim: ServedTarget, question: Question) -> list[_Tally]:
    """Of all that the question finds but for its state and its review."""
    stale = and_(ConversionRow.id.is_not(None), or_(OutcomeRow.conversion_id.is_(None), _is_stale(_shared(project, aim))))
    columns: list[ColumnElement[Any]] = [
        func.coalesce(OutcomeRow.verdict, ""),
        _MERGED,
        _UNCONVERTED,
        func.coalesce(_ATTENTION, False),
        func.coalesce(OutcomeRow.review, ""),
        stale,
    ]
    query = _joined(select(*columns, func.count()), aim)
    found = query.where(MaterialRow.project_id == project.id, *_conditions(question)).group_by(*columns)
    return [
        _Tally(verdict, bool(merged), bool(unconverted), bool(attention), review, bool(is_stale), count)
        for verdict, merged, unconverted, attention, review, is_stale, count in database.execute(found)
    ]


def _of(query: Asking, project_id: int, aim: ServedTarget) -> Asking:
    """Conversions of a project to a target."""
    return query.join(MaterialRow, MaterialRow.id == ConversionRow.material_id).where(
        MaterialRow.project_id == project_id, ConversionRow.target == aim.model.id, ConversionRow.profile == aim.profile.name
    )


def _is_stale(shared: str) -> ColumnElement[bool]:
    return or_(OutcomeRow.marked != OutcomeRow.settled, OutcomeRow.shared != shared)


def _shared(project: Project, aim: ServedTarget) -> str:
    """Names all that the standings of a project's conversions to a target hang on together."""
    document = [OUTLINE, KEPT, drawing_edition(), shared_basis(project, aim)]
    return hashlib.sha256(json.dumps(document, sort_keys=True).encode()).hexdigest()
