"""What jobs are made for which wish."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from fenrain.core.errors import ConflictError, InputError, NotFoundError
from fenrain.core.outside.kit import CONVERTED, SIDES
from fenrain.core.outside.layout import layout_of
from fenrain.core.rendering.stands.registry import stand_of
from fenrain.core.reports.writing import WRITERS
from fenrain.jobs.queue import (
    ACT,
    CHECK,
    COMPARE,
    CONVERT,
    DELIVER,
    KIT,
    LOOK,
    OPEN,
    PAUSED,
    REHEARSE,
    REHEARSE_ON_ALL,
    REPORT,
    SETTLE,
    STAND_IN,
    UNDO,
    WEB_VIEW,
    bundle,
    cancel,
    find_job,
    first_payload,
    submit,
)
from fenrain.services.acts.act import Act
from fenrain.services.acts.registry import act_from_document, act_of, can_be_undone
from fenrain.services.checks import OVERVIEW_STAND, OVERVIEW_TURN
from fenrain.services.history import find_act
from fenrain.services.outside import WEB_SCENE, find_kit, list_materials
from fenrain.services.surroundings import known_rig, known_stand, list_rigs
from fenrain.services.targets import project_target
from fenrain.store.rows import find_project
from fenrain.store.tables import ActRow, ConversionRow, EditRow, Job, KitRow, MaterialRow, RehearsalRow
from fenrain.webviewer import VIEWERS

View = tuple[str, str, float]
"""Rig, stand and turn of the light."""


def plan_conversion(database: Session, project_id: int, material_ids: Sequence[int] | None, target: str, profile: str) -> Job:
    """Convert materials of a project, all where none are named; look at them one by one; then settle what that left open."""
    query = select(MaterialRow.id).where(MaterialRow.project_id == project_id).order_by(MaterialRow.id)
    if material_ids is not None:
        query = query.where(MaterialRow.id.in_(material_ids))
    served = project_target(database, project_id, target, profile)
    ids, request = list(database.scalars(query)), {"target": target, "profile": profile}
    pieces = [*bundle(CONVERT, ids, request), *_looks(ids, request)]
    return submit(database, project_id, "convert", f"Convert {len(ids)} to {served.title} and check", pieces)


def plan_rehearsal(database: Session, project_id: int, material_ids: Sequence[int] | None, target: str, profile: str, act: Act) -> Job:
    """Find what an act on many would change, without changing anything. Raises InputError, ParameterError for one that does not fit the
    target, NotFoundError."""
    act.check(database, project_id, project_target(database, project_id, target, profile))
    converted = select(ConversionRow.material_id).join(MaterialRow).where(MaterialRow.project_id == project_id)
    converted = converted.where(ConversionRow.target == target, ConversionRow.profile == profile).order_by(MaterialRow.id)
    ids = list(database.scalars(converted if material_ids is None else converted.where(MaterialRow.id.in_(material_ids))))
    if not ids:
        raise InputError("None of them is converted yet.", place="material_ids", remedy="Convert them first.")
    request = {"target": target, "profile": profile, "act": act.model_dump(mode="json")}
    pieces = [(REHEARSE_ON_ALL, {**request, "material_ids": ids})] if act.together else bundle(REHEARSE, ids, request)
    return submit(database, project_id, "rehearse", f"Rehearse on {len(ids)}: {act.describe(database)}"[:200], pieces)


ACTED_BY, UNDONE_BY = "acted by", "undone by"
"""Where a rehearsal and an act keep which job does it, or takes it back: two clicks make one."""


def plan_act(database: Session, job_id: int) -> Job:
    """Do what was rehearsed, and look at what it changed; asked again, the same job. Raises ConflictError while that is not done, or where
    it would change nothing."""
    rehearsed = find_job(database, job_id, lock=True)
    if ACTED_BY in rehearsed.result:
        return find_job(database, rehearsed.result[ACTED_BY])
    if rehearsed.kind != "rehearse" or rehearsed.state in (*OPEN, PAUSED):
        raise ConflictError("This is not rehearsed to the end.", place=f"jobs/{job_id}", remedy="Wait until it is done.")
    of_job = select(ConversionRow.material_id).join(RehearsalRow, RehearsalRow.conversion_id == ConversionRow.id)
    ids = list(database.scalars(of_job.where(RehearsalRow.job_id == job_id).order_by(ConversionRow.material_id)))
    if not ids:
        raise ConflictError("It would change nothing.", place=f"jobs/{job_id}", remedy="Choose other materials, or other values.")
    first = first_payload(database, job_id)
    act = act_from_document(first["act"])
    title = f"{act.describe(database)} on {len(ids)}"
    noted = ActRow(project_id=rehearsed.project_id, kind="many", title=title[:400], rule={"act": first["act"], "rehearsal": job_id})
    database.add(noted)
    database.flush()
    act.begin(database, rehearsed.project_id)
    request = {"target": first["target"], "profile": first["profile"]}
    others = set(act.also_converted(database, rehearsed.project_id, first["profile"])) - set(ids)
    pieces = [
        *bundle(ACT, ids, {**request, "act_id": noted.id, "rehearsal": job_id}),
        *bundle(CONVERT, sorted(others), request),
        *(_looks(ids, request) if act.changes_looks else []),
    ]
    made = submit(database, rehearsed.project_id, "act", f"Do: {title}"[:200], pieces)
    rehearsed.result = {**rehearsed.result, ACTED_BY: made.id}
    return made


def plan_undo(database: Session, act_id: int) -> Job:
    """Take an act back, but for what was changed again since; asked again while that is done, the same job. Raises ConflictError where it
    was done, NotFoundError."""
    done = find_act(database, act_id, lock=True)
    if done.undone:
        under_way = database.get(Job, done.rule.get(UNDONE_BY, 0))
        if under_way is not None and under_way.state in OPEN:
            return under_way
        raise ConflictError("This was taken back already.", place=f"acts/{act_id}", remedy="Load the history again.")
    act = act_of(done)
    if not can_be_undone(done):
        raise ConflictError("What was taken back is done again by another rehearsal.", place=f"acts/{act_id}", remedy="Rehearse it again.")
    done.undone = True
    edited = select(ConversionRow.target, ConversionRow.profile, ConversionRow.material_id).join(EditRow).where(EditRow.act_id == act_id)
    undoing = ActRow(project_id=done.project_id, kind=UNDO, title=f"Undo: {done.title}"[:400])
    undoing.rule = {"undoes": act_id, **({} if act is None else {"act": act.model_dump(mode="json")})}
    database.add(undoing)
    database.flush()
    by_aim: dict[tuple[str, str], list[int]] = {}
    for target, profile, material_id in database.execute(edited.order_by(EditRow.id)):
        by_aim.setdefault((target, profile), []).append(material_id)
    pieces = []
    for (target, profile), ids in by_aim.items():
        request = {"target": target, "profile": profile}
        looks = _looks(ids, request) if act is None or act.changes_looks else []
        pieces += [*bundle(UNDO, ids, {**request, "act_id": undoing.id, "undoes": act_id}), *looks]
    made = submit(database, done.project_id, "undo", undoing.title[:200], pieces)
    done.rule = {**done.rule, UNDONE_BY: made.id}
    return made


def _looks(ids: Sequence[int], request: dict[str, Any]) -> list[tuple[str, dict[str, Any]]]:
    return [piece for work in (LOOK, SETTLE) for piece in bundle(work, ids, request)]


def plan_check(database: Session, row: ConversionRow, rigs: Sequence[str] | None, stand: str, turn: float) -> Job:
    """Check one conversion, under the project's rigs where None. Raises NotFoundError for an unknown rig or stand."""
    project = find_project(database, row.material.project_id)
    known_stand(database, project.id, stand)
    chosen = list_rigs(project) if rigs is None else [known_rig(database, project.id, rig) for rig in rigs]
    payload = {"conversion_id": row.id, "rigs": list(chosen), "stand": stand, "turn": turn}
    return submit(database, row.material.project_id, "check", f"Check {row.material.name[:120]}", [(CHECK, payload)])


def plan_check_again(database: Session, row: ConversionRow) -> Job:
    """Check an edited conversion under the project's rigs; what was still to be checked of it as it was before is dropped."""
    older = select(Job).where(Job.project_id == row.material.project_id, Job.kind == "check", Job.state.in_(OPEN))
    for job in database.scalars(older).all():
        if all(item.payload.get("conversion_id") == row.id for item in job.items):
            cancel(database, job.id)
    return plan_check(database, row, None, OVERVIEW_STAND, OVERVIEW_TURN)


def plan_delivery(
    database: Session, project_id: int, material_ids: Sequence[int], target: str, profile: str, *, to_folder: bool = False
) -> Job:
    """Write materials in the target's format; to_folder: into a folder of the server as well. Raises NotFoundError for an unknown target,
    InputError where nothing here writes it."""
    served = project_target(database, project_id, target, profile)
    if served.format is None:
        raise InputError(f"Nothing here writes {served.title}.", place="target", remedy="Install the package that brings its format.")
    list_materials(database, project_id, material_ids)
    payload = {"material_ids": list(material_ids), "target": target, "profile": profile, "to_folder": to_folder}
    return submit(database, project_id, "deliver", f"Write {len(material_ids)} for {served.title}", [(DELIVER, payload)])


def plan_report(database: Session, project_id: int, material_ids: Sequence[int] | None, target: str, profile: str, kind: str) -> Job:
    """Write a report of conversions as they stand. material_ids: all of the project where None; kind: html, pdf, csv or json. Raises
    NotFoundError, InputError for another kind."""
    find_project(database, project_id)
    served = project_target(database, project_id, target, profile)
    if f".{kind}" not in WRITERS:
        raise InputError(f"A report is not written as “{kind}”.", place="kind", remedy=f"Kinds: {', '.join(WRITERS)}.")
    request = {"project_id": project_id, "target": target, "profile": profile, "kind": kind}
    chosen = None if material_ids is None else [row.id for row in list_materials(database, project_id, material_ids)]
    title = f"Report for {served.title} ({kind.upper()})"
    return submit(database, project_id, "report", title, [(REPORT, {**request, "material_ids": chosen})])


def plan_kit(database: Session, project_id: int, material_ids: Sequence[int], target: str, profile: str, view: View) -> Job:
    """Write a check kit of materials. Raises NotFoundError for an unknown target, rig or stand, InputError where so many cannot share
    it."""
    served = project_target(database, project_id, target, profile)
    rows = list_materials(database, project_id, material_ids)
    rig, stand, turn = known_rig(database, project_id, view[0]), known_stand(database, project_id, view[1]), view[2]
    if len(rows) != 1:
        layout_of(stand_of(stand), len(rows))
    request = {"material_ids": [row.id for row in rows], "target": target, "profile": profile, "rig": rig, "stand": stand, "turn": turn}
    return submit(
        database, project_id, "kit", f"Check kit of {len(rows)} for {served.title}", [(KIT, {"project_id": project_id, **request})]
    )


def plan_comparison(database: Session, kit: KitRow) -> Job:
    """Compare what came back for a kit; what was still to be compared of it before is dropped."""
    _drop(database, kit)
    return submit(database, kit.project_id, "compare", f"Compare pictures of {kit.title[:120]}", [(COMPARE, {"kit_id": kit.id})])


def plan_stand_in(database: Session, kit_id: int, shows: str, wrong: str) -> Job:
    """Render a kit with the stand-in for another renderer, and compare the picture. wrong: what is set wrong, "" for nothing. Raises
    NotFoundError, InputError."""
    kit = find_kit(database, kit_id)
    if shows not in SIDES:
        raise InputError(f"A picture shows {' or '.join(SIDES)}, not “{shows}”.", place="shows")
    _drop(database, kit)
    said = "the converted" if shows == CONVERTED else "the originals"
    payload = {"kit_id": kit.id, "shows": shows, "wrong": wrong}
    return submit(database, kit.project_id, "compare", f"Stand-in renders {said} of {kit.title[:120]}", [(STAND_IN, payload)])


def plan_web_view(database: Session, kit_id: int, viewer: str) -> Job:
    """Have a web viewer draw the converted materials of a kit, and compare the picture. Raises NotFoundError for an unknown kit or viewer,
    InputError for a kit that holds no glTF."""
    if viewer not in VIEWERS:
        raise NotFoundError(f"There is no web viewer “{viewer}”.", place="viewer", remedy=f"There are {', '.join(VIEWERS)}.")
    kit = find_kit(database, kit_id)
    if WEB_SCENE not in kit.files:
        raise InputError("This kit holds no glTF to show.", place=f"kits/{kit_id}", remedy="Make a kit whose target is written as glTF.")
    _drop(database, kit)
    payload = {"kit_id": kit.id, "viewer": viewer}
    return submit(database, kit.project_id, "compare", f"{VIEWERS[viewer]} draws {kit.title[:120]}", [(WEB_VIEW, payload)])


def _drop(database: Session, kit: KitRow) -> None:
    open_jobs = select(Job).where(Job.project_id == kit.project_id, Job.kind == "compare", Job.state.in_(OPEN))
    for job in database.scalars(open_jobs).all():
        if all(item.payload.get("kit_id") == kit.id for item in job.items):
            cancel(database, job.id)
