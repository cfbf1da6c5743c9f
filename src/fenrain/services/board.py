"""The board: every material of a project in one target, sorted, filtered and paged by the database."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from pydantic import Field
from sqlalchemy import JSON, ColumnElement, Select, and_, case, func, or_, select, type_coerce
from sqlalchemy.orm import InstrumentedAttribute, Session

from fenrain.core.checking.code_version import rules_version
from fenrain.core.checking.verdict import Verdict
from fenrain.core.conversion.targets import ServedTarget
from fenrain.core.errors import InputError
from fenrain.core.findings import Finding
from fenrain.services.conversion_status import is_stale, on_board, shared_digest, update_statuses, update_statuses_apart
from fenrain.store.documents.boards import COLUMNS, OPEN_AGAIN, BoardEntry, Outline
from fenrain.store.documents.column import Document
from fenrain.store.documents.reviews import ACCEPTED, SENT_BACK
from fenrain.store.rows import find_project
from fenrain.store.tables import (
    ConversionRow,
    ConversionStatusRow,
    MaterialRow,
    Project,
    StatusDocumentRow,
    StatusLossRow,
    StatusReadingRow,
)

Asking = Select[*tuple[Any, ...]]
ALL, NOT_CONVERTED, NEEDS_ATTENTION, MERGED = "all", "not converted", "needs attention", "merged"
STATES = (ALL, NEEDS_ATTENTION, *(verdict.value for verdict in Verdict), NOT_CONVERTED, MERGED)
WAITING = "waiting"
REVIEWS = (OPEN_AGAIN, WAITING, SENT_BACK, ACCEPTED)
"""What stands of a review, the most urgent first."""
CAME = "came"
OF_MATERIALS: dict[str, ColumnElement[Any]] = {
    "name": func.lower(MaterialRow.name),
    "model": MaterialRow.model.expression,
    "file": MaterialRow.file.expression,
}
OF_OUTCOMES: dict[str, ColumnElement[Any]] = {
    **{name: getattr(ConversionStatusRow, name).expression for name in COLUMNS},
    "changed": ConversionStatusRow.changed.expression,
    "urgency": case({OPEN_AGAIN: 0, SENT_BACK: 2, ACCEPTED: 3}, value=ConversionStatusRow.review, else_=1) * 10
    - case({"match": 0, "near": 1, "undecided": 2, "off": 3}, value=ConversionStatusRow.verdict, else_=0),
}
"""What a board can be sorted by; by what is of conversions, what is not converted comes last either way. worst: the deciding reading as a
multiple of what a match may read; urgency: as they wait for a review, and of those that wait alike, the worst verdict first."""
OF_RIG = "rig:"
"""Before the id of a light by whose worst reading a board is sorted; before nothing, by that of the quick figures."""
SORTS = (CAME, *OF_MATERIALS, *OF_OUTCOMES)


class BoardQuery(Document):
    """Which materials of a project in a target: all that stand for themselves, but for what is said here.

    state: a verdict, NOT_CONVERTED, NEEDS_ATTENTION, which is what is converted and no match, loses something, or was doubtful at the
    door, or MERGED, what another one stands for; find: part of the name; file, model: exactly; lost: part of what was lost; reason: the
    measure that decided; review: what stands of its review, see REVIEWS; without: ids of materials that are left out.
    """

    state: str = Field(default="", max_length=40)
    find: str = Field(default="", max_length=400)
    file: str = Field(default="", max_length=400)
    model: str = Field(default="", max_length=40)
    lost: str = Field(default="", max_length=400)
    reason: str = Field(default="", max_length=40)
    review: str = Field(default="", max_length=40)
    without: list[int] = Field(default=[], max_length=10_000)

    @property
    def finds_unconverted(self) -> bool:
        return not (self.lost or self.reason or self.review) and self.state in ("", ALL, MERGED, NOT_CONVERTED)

    @property
    def finds_converted(self) -> bool:
        return self.state != NOT_CONVERTED


class BoardRow(BoardEntry):
    """One material on the board. conversion_id, version: null while it is not converted; merged_into: the name of the one that stands for
    it."""

    material_id: int
    name: str
    model: str
    file: str
    merged_into: str | None
    findings: list[Finding]
    conversion_id: int | None
    version: int | None


class BoardPage(Document):
    """A part of a board. total: how many were asked for in all; counts: how many there would be in each state; reviews: of those that were
    asked for, how many in each state of review; unsettled: how many are still being judged again, by what they depend on now; older: how
    many of the whole board were converted by older rules."""

    rows: list[BoardRow]
    total: int
    counts: dict[str, int]
    reviews: dict[str, int]
    unsettled: int
    older: int


def board_page(
    database: Session, project_id: int, target: ServedTarget, question: BoardQuery, *, sort: str, descending: bool, offset: int, most: int
) -> BoardPage:
    """A part of the board. Raises InputError for an order that there is not, NotFoundError."""
    project = find_project(database, project_id)
    tallies = _tallies(database, project, target, question)
    if any(one.stale for one in tallies):
        update_statuses_apart(project_id, target)
        tallies = _tallies(database, project, target, question)
    reviewed = [one for one in tallies if one.is_reviewed(question.review)]
    stated = [one for one in tallies if one.is_in(question.state)]
    found = [one for one in reviewed if one.is_in(question.state)]
    converted = sum(one.count for one in found if not one.unconverted)
    page = _Page(sort, descending, offset, most)
    # Which rows, by what is narrow; and then what they say.
    return BoardPage(
        rows=_load_rows(database, target, _page_of_ids(database, project_id, target, question, page, converted)),
        total=sum(one.count for one in found),
        counts={state: sum(one.count for one in reviewed if one.is_in(state)) for state in STATES},
        reviews={review: sum(one.count for one in stated if one.is_reviewed(review)) for review in REVIEWS},
        unsettled=sum(one.count for one in tallies if one.stale),
        older=_count_older(database, project_id, target),
    )


def _count_older(database: Session, project_id: int, target: ServedTarget) -> int:
    of_target = ConversionRow.target == target.model.id, ConversionRow.profile == target.profile.name
    older = select(func.count()).select_from(ConversionRow).where(*of_target, ConversionRow.rules != rules_version())
    return database.scalar(older.join(MaterialRow).where(MaterialRow.project_id == project_id)) or 0


def find_neighbours(
    database: Session, project_id: int, target: ServedTarget, question: BoardQuery, conversion_id: int, *, sort: str, descending: bool
) -> tuple[int | None, int | None, int, int]:
    """The conversions before and after one on a board, its place there, from 1, and how many there are. Where it is not there any more, as
    an edit may have it, the first of the board comes next, and its place is 0. Raises InputError, NotFoundError."""
    find_project(database, project_id)
    query = _converted_materials(project_id, target, question, sort).with_only_columns(ConversionStatusRow.conversion_id)
    order = list(database.scalars(_order_by(query, ConversionStatusRow.material_id, sort, descending))) if question.finds_converted else []
    if conversion_id not in order:
        return None, order[0] if order else None, 0, len(order)
    at = order.index(conversion_id)
    return order[at - 1] if at > 0 else None, order[at + 1] if at + 1 < len(order) else None, at + 1, len(order)


def find_material_ids(database: Session, project_id: int, target: ServedTarget, question: BoardQuery) -> list[int]:
    """Ids of all the materials that a question finds, in the order in which they came."""
    update_statuses(database, find_project(database, project_id), target, None)
    if question.finds_unconverted:
        query = _materials(project_id, target, question, converted=question.finds_converted)
    else:
        query = _converted_materials(project_id, target, question, CAME)
    return sorted(database.scalars(query))


def list_filters(database: Session, project_id: int, target: ServedTarget) -> dict[str, list[str]]:
    """Files, models, losses and measures that decide that a board can be filtered by."""
    of_project, of_board = MaterialRow.project_id == project_id, on_board(project_id, target)
    losses = select(StatusLossRow.loss).join(ConversionStatusRow, ConversionStatusRow.conversion_id == StatusLossRow.conversion_id)
    queries: dict[str, Select[str]] = {
        "files": select(MaterialRow.file).where(of_project).order_by(MaterialRow.file),
        "models": select(MaterialRow.model).where(of_project).order_by(MaterialRow.model),
        "losses": losses.where(of_board).order_by(StatusLossRow.loss),
        "reasons": select(ConversionStatusRow.reason)
        .where(of_board, ConversionStatusRow.reason != "")
        .order_by(ConversionStatusRow.reason),
    }
    return {name: list(database.scalars(query.distinct())) for name, query in queries.items()}


@dataclass(frozen=True)
class _Page:
    sort: str
    descending: bool
    offset: int
    most: int

    def limit(self, query: Asking, skipped: int = 0, taken: int = 0) -> Asking:
        """The query's part of the page. skipped: how many others come before what it finds; taken: how many of the page they are."""
        return query.offset(max(0, self.offset - skipped)).limit(self.most - taken)


def _page_of_ids(database: Session, project_id: int, target: ServedTarget, question: BoardQuery, page: _Page, converted: int) -> list[int]:
    """Ids of a page's materials. converted: how many of all that the question finds are."""
    if question.finds_unconverted and page.sort in (CAME, *OF_MATERIALS):
        every = _materials(project_id, target, question, converted=question.finds_converted)
        return list(database.scalars(page.limit(_order_by(every, MaterialRow.id, page.sort, page.descending))))
    query = _order_by(
        _converted_materials(project_id, target, question, page.sort), ConversionStatusRow.material_id, page.sort, page.descending
    )
    found = list(database.scalars(page.limit(query))) if question.finds_converted else []
    if question.finds_unconverted and len(found) < page.most:
        rest = _materials(project_id, target, question, converted=False).order_by(MaterialRow.id)
        found += database.scalars(page.limit(rest, converted, len(found)))
    return found


def _order_by(query: Asking, identity: InstrumentedAttribute[int], sort: str, descending: bool) -> Asking:
    """identity: of the materials. Raises InputError."""
    by: ColumnElement[Any]
    if sort.startswith(OF_RIG):
        of_rig = and_(
            StatusReadingRow.conversion_id == ConversionStatusRow.conversion_id, StatusReadingRow.rig == sort.removeprefix(OF_RIG)
        )
        query, by = query.outerjoin(StatusReadingRow, of_rig), func.coalesce(StatusReadingRow.worst, -1.0)
    elif sort in SORTS:
        by = {CAME: identity.expression, **OF_MATERIALS, **OF_OUTCOMES}[sort]
    else:
        orders = ", ".join([*SORTS, f"{OF_RIG}ID"])
        raise InputError(f"Boards are not sorted by “{sort}”.", place="sort", remedy=f"Orders: {orders}.")
    return query.order_by(by.desc() if descending else by.asc(), identity)


def _load_rows(database: Session, target: ServedTarget, material_ids: Sequence[int]) -> list[BoardRow]:
    """Rows of the board by the ids of their materials, in that order."""
    findings = type_coerce(func.json_extract(MaterialRow.document, "$.findings"), JSON).label("findings")
    columns = (MaterialRow.id, MaterialRow.name, MaterialRow.model, MaterialRow.file, MaterialRow.merged_into, findings)
    by_material = {row.id: row for row in database.execute(select(*columns).where(MaterialRow.id.in_(material_ids)))}
    of_target = ConversionRow.target == target.model.id, ConversionRow.profile == target.profile.name
    query = (
        select(ConversionRow.material_id, ConversionRow.id, ConversionRow.version, StatusDocumentRow.outline, StatusDocumentRow.entry)
        .outerjoin(StatusDocumentRow, StatusDocumentRow.conversion_id == ConversionRow.id)
        .where(ConversionRow.material_id.in_(material_ids), *of_target)
    )
    known = {
        material_id: (conversion_id, version, _newest(entry, outline))
        for material_id, conversion_id, version, outline, entry in database.execute(query)
    }
    into = {row.merged_into for row in by_material.values() if row.merged_into is not None}
    named = select(MaterialRow.id, MaterialRow.name).where(MaterialRow.id.in_(into))
    names = dict(database.execute(named).all()) if into else {}
    rows = []
    for material in map(by_material.__getitem__, material_ids):
        conversion_id, version, entry = known.get(material.id, (None, None, BoardEntry()))
        rows.append(
            BoardRow(
                material_id=material.id,
                name=material.name,
                model=material.model,
                file=material.file,
                merged_into=names.get(material.merged_into or 0),
                findings=material.findings,
                conversion_id=conversion_id,
                version=version,
                **dict(entry),
            )
        )
    return rows


def _newest(entry: BoardEntry | None, outline: Outline | None) -> BoardEntry:
    """What is known of a conversion; what needs no checks is known at once, before the rest is judged again."""
    known = entry or BoardEntry()
    return known if outline is None else known.model_copy(update={"losses": outline.losses, "approximated": outline.approximated})


def _materials(project_id: int, target: ServedTarget, question: BoardQuery, *, converted: bool) -> Asking:
    """Ids of the materials that a question finds which asks nothing of their conversions. converted: those that are converted, too."""
    merged = MaterialRow.merged_into.is_not(None) if question.state == MERGED else MaterialRow.merged_into.is_(None)
    query: Asking = select(MaterialRow.id).where(MaterialRow.project_id == project_id, merged, *_of_material(question))
    if converted:
        return query
    of_target = ConversionRow.target == target.model.id, ConversionRow.profile == target.profile.name
    return query.where(~select(ConversionRow.id).where(ConversionRow.material_id == MaterialRow.id, *of_target).exists())


def _converted_materials(project_id: int, target: ServedTarget, question: BoardQuery, sort: str) -> Asking:
    """Ids of the materials that a question finds among what is converted."""
    query = _outcomes((ConversionStatusRow.material_id,), project_id, target, question, of_material=sort in OF_MATERIALS)
    return query.where(*_state_conditions(question.state), *_review_conditions(question.review))


def _outcomes(columns: Sequence[Any], project_id: int, target: ServedTarget, question: BoardQuery, *, of_material: bool = False) -> Asking:
    """How the conversions stand that a question finds but for its state and its review. The materials themselves are looked up only where
    something is asked of them; then first, since nothing else tells the database how few they are."""
    asked = list(_of_material(question))
    query: Asking = select(*columns)
    if asked or of_material:
        query = (
            query.select_from(MaterialRow)
            .join(ConversionStatusRow, ConversionStatusRow.material_id == MaterialRow.id)
            .prefix_with("STRAIGHT_JOIN")
        )
        query = query.where(MaterialRow.project_id == project_id, *asked)
    return query.where(on_board(project_id, target), *_of_outcome(question))


def _of_material(question: BoardQuery) -> Iterable[ColumnElement[bool]]:
    if question.find:
        yield MaterialRow.name.icontains(question.find, autoescape=True)
    if question.file:
        yield MaterialRow.file == question.file
    if question.model:
        yield MaterialRow.model == question.model
    if question.without:
        yield MaterialRow.id.not_in(question.without)


def _of_outcome(question: BoardQuery) -> Iterable[ColumnElement[bool]]:
    """All that is asked of a conversion but the state and the review."""
    if question.lost:
        lost = select(StatusLossRow.conversion_id).where(StatusLossRow.loss.icontains(question.lost, autoescape=True))
        yield ConversionStatusRow.conversion_id.in_(lost)
    if question.reason:
        yield ConversionStatusRow.reason == question.reason


_ATTENTION = or_(ConversionStatusRow.verdict != "match", ConversionStatusRow.losses > 0, ConversionStatusRow.doubtful)


def _review_conditions(review: str) -> list[ColumnElement[bool]]:
    return [ConversionStatusRow.review == ("" if review == WAITING else review)] if review else []


def _state_conditions(state: str) -> list[ColumnElement[bool]]:
    if state == MERGED:
        return [ConversionStatusRow.merged.expression]
    if state in ("", ALL):
        return [~ConversionStatusRow.merged]
    return [~ConversionStatusRow.merged, _ATTENTION if state == NEEDS_ATTENTION else ConversionStatusRow.verdict == state]


@dataclass(frozen=True)
class _Tally:
    """How many rows of a board are alike in all that is counted."""

    merged: bool
    count: int
    unconverted: bool = False
    verdict: str = ""
    attention: bool = False
    review: str = ""
    stale: bool = False

    def is_in(self, state: str) -> bool:
        if self.merged or state == MERGED:
            return self.merged and state == MERGED
        alone = {"": True, ALL: True, NOT_CONVERTED: self.unconverted, NEEDS_ATTENTION: self.attention}
        return alone.get(state, self.verdict == state)

    def is_reviewed(self, review: str) -> bool:
        return not review or (not self.unconverted and (self.review or WAITING) == review)


def _tallies(database: Session, project: Project, target: ServedTarget, question: BoardQuery) -> list[_Tally]:
    """Of all that the question finds but for its state and its review."""
    any_state = question.model_copy(update={"state": "", "review": ""})
    columns = (
        ConversionStatusRow.verdict,
        ConversionStatusRow.merged,
        _ATTENTION,
        ConversionStatusRow.review,
        is_stale(shared_digest(project, target)),
    )
    query = _outcomes((*columns, func.count()), project.id, target, question).group_by(*columns)
    converted = [
        _Tally(bool(merged), count, verdict=verdict, attention=bool(attention), review=review, stale=bool(stale))
        for verdict, merged, attention, review, stale, count in database.execute(query)
    ]
    if not any_state.finds_unconverted:
        return converted
    is_merged = MaterialRow.merged_into.is_not(None)
    every = select(is_merged, func.count()).where(MaterialRow.project_id == project.id, *_of_material(question)).group_by(is_merged)
    rest = {bool(merged): count for merged, count in database.execute(every)}
    for one in converted:
        rest[one.merged] -= one.count
    return converted + [_Tally(merged, count, unconverted=True) for merged, count in rest.items() if count > 0]
