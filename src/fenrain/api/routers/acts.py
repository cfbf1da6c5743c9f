"""Acts on many, and the history of all that was done."""

from typing import Any

from fastapi import APIRouter
from sqlalchemy.orm import Session

from fenrain.api.schemas.acts import ActOut, EditOut, RehearsalIn, RehearsalOut, RehearsedOut, SavedActIn, SavedActOut
from fenrain.api.schemas.jobs import JobOut
from fenrain.api.selection import selected_ids
from fenrain.api.views.jobs import job_view
from fenrain.core.errors import NotFoundError
from fenrain.jobs.plans import plan_act, plan_rehearsal, plan_undo
from fenrain.jobs.queue import find_job, first_payload
from fenrain.services import history
from fenrain.services.acts import saved_acts
from fenrain.services.acts.registry import act_from_document, can_be_undone
from fenrain.services.acts.rehearsals import summarise_rehearsal
from fenrain.services.board import BoardQuery
from fenrain.store.database import session
from fenrain.store.rows import find_project
from fenrain.store.tables import SavedActRow

router = APIRouter(tags=["acts"])
MOST_ROWS, MOST_ACTS = 60, 100


@router.post("/projects/{project_id}/rehearsals", status_code=202)
def rehearse(project_id: int, body: RehearsalIn) -> JobOut:
    """Find what an act on many would change, as a job; nothing is changed by it."""
    with session() as database:
        chosen = selected_ids(database, project_id, body.target, body.profile, body)
        return job_view(database, plan_rehearsal(database, project_id, chosen, body.target, body.profile, body.act))


@router.get("/jobs/{job_id}/rehearsal")
def show_rehearsal(job_id: int) -> RehearsalOut:
    """What an act would change, as far as it was rehearsed."""
    with session() as database:
        job = find_job(database, job_id)
        if job.kind != "rehearse":
            raise NotFoundError("This job rehearses nothing.", place=f"jobs/{job_id}")
        found = summarise_rehearsal(database, job_id, MOST_ROWS)
        rows = [
            RehearsedOut(
                conversion_id=row.conversion_id,
                name=row.conversion.material.name,
                changes=history.describe_changes(row.changes),
                before=row.before,
                after=row.after,
                pictures=row.pictures,
            )
            for row in found.rows
        ]
        words = act_from_document(first_payload(database, job_id)["act"]).describe(database)
        return RehearsalOut(words=words, changed=found.changed, before=found.before, after=found.after, worse=found.worse, rows=rows)


@router.post("/jobs/{job_id}/rehearsal/act", status_code=202)
def perform_rehearsed(job_id: int) -> JobOut:
    """Do what was rehearsed, as one act; what was changed since is left as it is."""
    with session() as database:
        return job_view(database, plan_act(database, job_id))


@router.post("/acts/{act_id}/undo", status_code=202)
def undo_act(act_id: int) -> JobOut:
    """Take an act back, as a job; what was changed again since stays, and is named."""
    with session() as database:
        return job_view(database, plan_undo(database, act_id))


@router.get("/projects/{project_id}/acts")
def list_acts(project_id: int, before: int | None = None) -> list[ActOut]:
    """What was done in a project, newest first. before: the number of an act, for those that came before it."""
    with session() as database:
        find_project(database, project_id)
        found = history.list_acts(database, project_id, before, MOST_ACTS)
        counts = history.count_edits(database, [act.id for act in found])
        return [ActOut.model_validate({**_columns(act), "edits": counts.get(act.id, 0), "undoable": can_be_undone(act)}) for act in found]


@router.get("/conversions/{conversion_id}/history")
def list_edits(conversion_id: int) -> list[EditOut]:
    """What was done to a conversion, newest first."""
    with session() as database:
        return [
            EditOut(**_columns(edit.act, "title", "id"), act_id=edit.act_id, said=history.describe_changes(edit.changes))
            for edit in history.list_edits(database, conversion_id)
        ]


@router.get("/projects/{project_id}/saved-acts")
def list_saved_acts(project_id: int) -> list[SavedActOut]:
    """Acts on many that are kept to be done again."""
    with session() as database:
        return [_saved_act(database, row) for row in saved_acts.list_saved_acts(database, project_id)]


@router.post("/projects/{project_id}/saved-acts", status_code=201)
def save_many_act(project_id: int, body: SavedActIn) -> SavedActOut:
    """Keep which materials are chosen and what is done to them, for the next delivery."""
    with session() as database:
        rule = {"question": body.question.model_dump(), "act": body.act.model_dump(mode="json")}
        return _saved_act(database, saved_acts.save_act(database, project_id, body.name, rule))


@router.delete("/saved-acts/{saved_id}", status_code=204)
def delete_saved_act(saved_id: int) -> None:
    with session() as database:
        saved_acts.delete_saved_act(database, saved_id)


def _saved_act(database: Session, row: SavedActRow) -> SavedActOut:
    question, act = BoardQuery(**row.rule["question"]), act_from_document(row.rule["act"])
    return SavedActOut(id=row.id, name=row.name, by=row.by, words=act.describe(database), question=question, act=act)


def _columns(row: Any, *but: str) -> dict[str, Any]:
    return {name: getattr(row, name) for name in ("id", "by", "kind", "title", "undone", "created") if name not in but}
