"""Acts on many: rehearsed first, with what they would change; then done as one act of the history, which one undo takes back."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, joinedload

from fenrain.core.checking.figures import figures
from fenrain.core.checking.fitting.fit import fit
from fenrain.core.conversion.many import COPY, FIT, GRADE, OF_TEXTS, PROFILE, RENEW, VARIANT, ManyAct
from fenrain.core.errors import ConflictError, InputError, NotFoundError
from fenrain.core.steps import ValueStep
from fenrain.services.checks import decide_by_figures, load_tolerances
from fenrain.services.conversions import accept_grade, apply_overrides, load_conversion, outline
from fenrain.services.history import find_act, list_changes
from fenrain.services.merging import merge_material, unmerge_material
from fenrain.services.reconversion import reconvert, rehearse_profile, rehearse_renewal, undo_reconversion
from fenrain.services.rehearsals import PLACE, picture_before_and_after, save_rehearsal, wants_pictures
from fenrain.services.surroundings import list_rigs, open_surroundings
from fenrain.services.variants import list_variants, make_variant, remove_variant
from fenrain.store.database import session
from fenrain.store.rows import find_conversion, find_conversion_to, find_project
from fenrain.store.tables import ActRow, ConversionRow, EditRow, RehearsalRow, SavedActRow

KEEPS_WHAT_IS_SET = (RENEW, *OF_TEXTS)
"""Acts that leave what stands over derived values as it is, whoever has set it meanwhile."""


def act_of(document: Mapping[str, Any]) -> ManyAct:
    """An act as a job or a kept one holds it."""
    steps = tuple(ValueStep.model_validate(step) for step in document["steps"])
    text = document.get("text", "")
    return ManyAct(document["kind"], tuple(document["groups"]), document["values"], document["name"], steps, text)


def said_act(database: Session, document: Mapping[str, Any]) -> str:
    """What it does, in words. Raises NotFoundError for a conversion to copy from that is not there."""
    source = find_conversion(database, document["from_id"]).material.name if document["kind"] == COPY else ""
    return act_of(document).in_words(source)


def rehearse(job_id: int, payload: Mapping[str, Any]) -> str:
    """Find what an act would change of one material, and keep what its quick figures say before and after."""
    document = payload["act"]
    with session() as database:
        row = _find_conversion(database, payload)
        if row is None or database.scalar(_rehearsal_of(job_id, row.id)) is not None:
            return ""
        act = act_of(document)
        if act.kind == VARIANT:
            _rehearse_variant(database, job_id, row, act)
            return ""
        if act.kind == RENEW:
            rehearse_renewal(database, job_id, row)
            return ""
        if act.kind == PROFILE:
            rehearse_profile(database, job_id, row, act.text)
            return ""
        conversion, standing = load_conversion(row), dict(row.overrides)
        if act.kind == GRADE:
            act = ManyAct(GRADE, name=act.name, steps=accept_grade(conversion.target.parameter(act.name), act.steps))
        source = load_conversion(find_conversion(database, document["from_id"])) if act.kind == COPY else None
        project = find_project(database, row.material.project_id)
        tolerances, rigs, version, conversion_id = load_tolerances(project), list_rigs(project), row.version, row.id
        open_surroundings(database, rigs)
        pictured = wants_pictures(database, job_id)
    if act.kind == FIT:
        after = fit(conversion, rigs=rigs, tolerances=tolerances).conversion
    else:
        after = conversion.having(act.after(conversion, source))
    changes = list_changes(standing, {name: override.to_document() for name, override in after.overrides.items()})
    if not changes:
        return ""
    first, second = (tolerances.decided(figures(one.original, one.material).readings) for one in (conversion, after))
    pictures = picture_before_and_after(conversion, after) if pictured else {}
    with session() as database:
        save_rehearsal(database, job_id, (conversion_id, version), changes, (first, second), pictures)
    return ""


def _rehearse_variant(database: Session, job_id: int, row: ConversionRow, act: ManyAct) -> None:
    """A variant looks as what it is made of."""
    known = decide_by_figures(outline(row.document)["figures"], load_tolerances(find_project(database, row.material.project_id)))
    assert known is not None
    changes = {PLACE: [None, {"variant": f"{row.material.name} {act.name.strip()}"}]}
    save_rehearsal(database, job_id, (row.id, row.version), changes, (known, known))


def rehearsal(database: Session, job_id: int, most: int) -> dict[str, Any]:
    """What an act would change, as far as it was rehearsed: how many, their verdicts by quick figures before and after, and those that
    would become worst by the most, with the ones that have pictures first."""
    of_job = RehearsalRow.job_id == job_id
    verdicts: dict[str, dict[str, int]] = {}
    for side in ("before", "after"):
        verdict = func.json_value(getattr(RehearsalRow, side), "$.verdict")
        verdicts[side] = dict(database.execute(select(verdict, func.count()).where(of_job).group_by(verdict)).all())
    worse = select(func.count()).where(of_job, RehearsalRow.excess_after > RehearsalRow.excess_before * WORSE)
    order = (func.json_length(RehearsalRow.pictures) > 0).desc(), (RehearsalRow.excess_after - RehearsalRow.excess_before).desc()
    rows = database.scalars(
        select(RehearsalRow)
        .options(joinedload(RehearsalRow.conversion).joinedload(ConversionRow.material))
        .where(of_job)
        .order_by(*order)
        .limit(most)
    )
    return {"changed": sum(verdicts["before"].values()), **verdicts, "worse": database.scalar(worse) or 0, "rows": list(rows)}


WORSE = 1.05
"""By how much the deciding reading grows where a material is called worse."""


def perform(_: int, payload: Mapping[str, Any]) -> str:
    """Do to one material what was rehearsed, once. Raises ConflictError where it has been changed since."""
    with session() as database:
        row = _find_conversion(database, payload)
        planned = None if row is None else database.scalar(_rehearsal_of(payload["rehearsal"], row.id))
        if row is None or planned is None or _is_done(database, payload["act_id"], row.id):
            return ""
        act = find_act(database, payload["act_id"])
        if row.version != planned.version and act.rule["act"]["kind"] not in KEEPS_WHAT_IS_SET:
            raise ConflictError("It was changed since it was rehearsed, and is left as it is.", place=row.material.name)
        if PLACE in planned.changes:
            _perform_whole(database, row, act, planned)
            return ""
        laid = {name: after for name, (_, after) in planned.changes.items() if after is not None}
        others = {name: stored for name, stored in row.overrides.items() if name not in planned.changes}
        apply_overrides(database, row, {**others, **laid}, act.kind, act)
    return ""


def _perform_whole(database: Session, row: ConversionRow, act: ActRow, planned: RehearsalRow) -> None:
    """What is done to a material as a whole: it is converted again, merged into another, or gets a variant."""
    _, after = planned.changes[PLACE]
    noted, said = row, planned.changes[PLACE]
    if "into" in after:
        merge_material(database, row.material, after["into"])
    elif "variant" in after:
        made = _new_variant(database, row, act, after["variant"])
        if made is None:
            return
        noted = made
    else:
        said = reconvert(database, row, after)
    database.add(EditRow(act_id=act.id, conversion_id=noted.id, version=noted.version, changes={PLACE: said}))


def _new_variant(database: Session, row: ConversionRow, act: ActRow, name: str) -> ConversionRow | None:
    """The variant's conversion, None where this act has made it already."""
    made = any(one.material.name == name and _is_done(database, act.id, one.id) for one in list_variants(database, row))
    return None if made else make_variant(database, row.id, name)


def _undo_whole(database: Session, done: EditRow, act_id: int) -> str:
    """Take back what was done to a material as a whole. Says why where it stays."""
    row = find_conversion(database, done.conversion_id)
    before, after = done.changes[PLACE]
    if "variant" in after:
        return "" if remove_variant(database, done) else f"“{row.material.name}” was worked on since, and stays."
    if "into" in after:
        unmerge_material(database, row.material)
    elif stays := undo_reconversion(database, row, before, after):
        return stays
    changes = {PLACE: list(reversed(done.changes[PLACE]))}
    database.add(EditRow(act_id=act_id, conversion_id=row.id, version=row.version, changes=changes))
    return ""


def undo(_: int, payload: Mapping[str, Any]) -> str:
    """Take back what an act changed of one material, but for values that were changed again since, which are named."""
    with session() as database:
        row = _find_conversion(database, payload)
        done = None if row is None else database.scalar(_edit(payload["undoes"], row.id))
        if row is None or done is None or _is_done(database, payload["act_id"], row.id):
            return ""
        if PLACE in done.changes:
            return _undo_whole(database, done, payload["act_id"])
        still = {name: pair for name, pair in done.changes.items() if row.overrides.get(name) == pair[1]}
        stays = [name for name in done.changes if name not in still]
        before = {name: pair[0] for name, pair in still.items() if pair[0] is not None}
        others = {name: stored for name, stored in row.overrides.items() if name not in still}
        if still:
            act = find_act(database, payload["act_id"])
            apply_overrides(database, row, {**others, **before}, act.kind, act)
        return f"{', '.join(stays)} of “{row.material.name}” was changed again since, and stays." if stays else ""


def save_act(database: Session, project_id: int, name: str, rule: Mapping[str, Any]) -> SavedActRow:
    """Keep a way of choosing materials and what is done to them. Raises InputError for a name that is empty or taken."""
    find_project(database, project_id)
    if not name.strip():
        raise InputError("A saved act has a name.", place="name", remedy="Say what it is for.")
    row = SavedActRow(project_id=project_id, name=name.strip(), rule=dict(rule))
    try:
        with database.begin_nested():
            database.add(row)
    except IntegrityError as taken:
        raise InputError(f"There is already an act “{name}”.", place="name", remedy="Choose another name.") from taken
    return row


def list_saved_acts(database: Session, project_id: int) -> list[SavedActRow]:
    return list(database.scalars(select(SavedActRow).where(SavedActRow.project_id == project_id).order_by(SavedActRow.name)))


def delete_saved_act(database: Session, saved_id: int) -> None:
    """Raises NotFoundError."""
    row = database.get(SavedActRow, saved_id)
    if row is None:
        raise NotFoundError("There is no such saved act.", place=f"saved-acts/{saved_id}")
    database.delete(row)


def _find_conversion(database: Session, payload: Mapping[str, Any]) -> ConversionRow | None:
    """The material's conversion; None where it is not converted, of which nothing is changed."""
    return find_conversion_to(database, payload["material_id"], payload["target"], payload["profile"])


def _rehearsal_of(job_id: int, conversion_id: int) -> Any:
    return select(RehearsalRow).where(RehearsalRow.job_id == job_id, RehearsalRow.conversion_id == conversion_id)


def _edit(act_id: int, conversion_id: int) -> Any:
    return select(EditRow).where(EditRow.act_id == act_id, EditRow.conversion_id == conversion_id)


def _is_done(database: Session, act_id: int, conversion_id: int) -> bool:
    return database.scalar(_edit(act_id, conversion_id)) is not None
