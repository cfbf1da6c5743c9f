"""From rows to what goes over the wire."""

from __future__ import annotations

import math
from base64 import b64encode
from collections.abc import Collection, Mapping, Sequence
from dataclasses import asdict
from typing import Any, Literal

from sqlalchemy import func, or_, select
from sqlalchemy.orm import Session

from fenrain.api.problems import problem_of
from fenrain.api.schemas.board import LimitsOut, ProjectOut
from fenrain.api.schemas.conversions import ConversionOut, LedgerEntry, SourceValue, VariantOut
from fenrain.api.schemas.intakes import FileError, FoundCounts, FoundMaterial, FoundOut, IntakeOut, SheetOut
from fenrain.api.schemas.jobs import JobOut
from fenrain.api.schemas.knowledge import MetricOut, ModelOut, OptionOut, ParameterOut
from fenrain.api.schemas.looks import CheckOut, CheckPictures, FiguresOut, LookFrame, LookOut
from fenrain.api.schemas.outside import KitDetail, KitOut, OutsideCheckOut, OutsidePair, OutsidePictureOut, ResponseOut, StatementOut
from fenrain.api.schemas.reviews import ReviewOut
from fenrain.api.schemas.shared import DecisionOut, FindingOut, ReadingOut
from fenrain.api.schemas.surroundings import CameraOut, HeightsOut, HourOut, RigOut, StandOut
from fenrain.api.schemas.targets import TargetOut
from fenrain.core.checking.metrics.registry import Metric, Reading, metrics
from fenrain.core.checking.verdict import Decision, Tolerances, decisive
from fenrain.core.conversion.targets import ServedTarget
from fenrain.core.models.parameter import Role
from fenrain.core.models.registry import Model
from fenrain.core.outside.compare import THEIRS
from fenrain.core.rendering.rigs.registry import HIGHEST, LOWEST, Rig
from fenrain.core.rendering.stands.registry import CAMERAS, Stand
from fenrain.jobs.queue import OPEN
from fenrain.services import found_materials
from fenrain.services.checks import (
    decide_check,
    decide_over_all,
    decision_document,
    list_checks,
    load_tolerances,
    parse_readings,
    select_overview,
)
from fenrain.services.conversion_status import review_document
from fenrain.services.conversions import target_for
from fenrain.services.outside import WEB_SCENE, outside_checks_of, outside_decision
from fenrain.services.picture_frames import PictureFrame
from fenrain.services.reviews import ReviewState
from fenrain.services.surroundings import ASSET, list_rigs
from fenrain.services.variants import list_variants
from fenrain.store.rows import find_project
from fenrain.store.tables import (
    CheckRow,
    ConversionRow,
    FoundRow,
    Intake,
    Job,
    JobItem,
    KitRow,
    MaterialRow,
    OutsideCheckRow,
    OutsidePictureRow,
    Project,
    Surroundings,
)

MOST_ERRORS_SHOWN = 20


def project_view(database: Session, project: Project) -> ProjectOut:
    count = database.scalar(select(func.count()).select_from(MaterialRow).where(MaterialRow.project_id == project.id))
    limits = {
        rig: {metric: LimitsOut(match=match, near=near) for metric, (match, near) in by_metric.items()}
        for rig, by_metric in project.tolerances.items()
    }
    return ProjectOut(id=project.id, name=project.name, tolerances=limits, rigs=list(list_rigs(project)), materials=count or 0)


def rig_view(rig: Rig) -> RigOut:
    heights = None if rig.height is None else HeightsOut(lowest=LOWEST, usual=rig.height, highest=HIGHEST)
    hours = [HourOut(**asdict(hour)) for hour in rig.hours]
    return RigOut(id=rig.id, title=rig.title, says=rig.says, stands_by=rig.stands_by, heights=heights, hours=hours)


def own_rig_view(row: Surroundings) -> RigOut:
    return RigOut(id=row.key, title=row.name, says=row.says, stands_by=True, own=True)


def stand_view(stand: Stand) -> StandOut:
    return StandOut(id=stand.id, title=stand.title, says=stand.says, cameras=_cameras())


def own_stand_view(row: Surroundings) -> StandOut:
    return StandOut(id=row.key, title=row.name, says=row.says, cameras=_cameras(), own=True)


def asset_view() -> StandOut:
    return StandOut(id=ASSET, title="Its own asset", says="all materials where its file has them", cameras=_cameras(), own=True)


def _cameras() -> list[CameraOut]:
    return [CameraOut(id=name, title=where) for name, (_, where) in CAMERAS.items()]


MOST_NAMED = 50
"""Files of a kind that an intake names."""


def intake_view(database: Session, intake: Intake) -> IntakeOut:
    by = found_materials.list_found_filters(database, intake.id)
    return IntakeOut(
        id=intake.id,
        project_id=intake.project_id,
        state="accepted" if intake.state == "accepted" else "found",
        files=len(intake.files),
        unused=intake.unused[:MOST_NAMED],
        unused_files=len(intake.unused),
        missing=intake.missing[:MOST_NAMED],
        missing_files=len(intake.missing),
        errors=[FileError(**error) for error in intake.errors[:MOST_NAMED]],
        refused_files=len(intake.errors),
        unit=intake.unit,
        sheets=[SheetOut(**sheet) for sheet in intake.sheets],
        found=FoundCounts(**asdict(found_materials.count_found_materials(database, intake.id))),
        found_in=by["files"],
        found_as=by["models"],
    )


def found_view(rows: Sequence[FoundRow], total: int) -> FoundOut:
    return FoundOut(
        rows=[FoundMaterial(position=row.position, taken=not row.left_out, changed=row.changed, **row.document) for row in rows],
        total=total,
    )


def check_view(row: CheckRow, tolerances: Tolerances) -> CheckOut:
    readings = parse_readings(row.numbers["readings"])
    return CheckOut(
        id=row.id,
        rig=row.rig,
        stand=row.stand,
        turn=row.turn,
        size=row.size,
        samples=row.numbers["samples"],
        decision=decision_view(decide_check(row, tolerances)) if readings else None,
        readings=reading_views(readings, row.rig, tolerances),
        pictures=CheckPictures(**row.pictures),
    )


def decision_view(decision: Decision) -> DecisionOut:
    return DecisionOut(**decision_document(decision))


def reading_views(readings: Mapping[str, Reading], rig: str, tolerances: Tolerances) -> list[ReadingOut]:
    """Each in the order of its metric, with what it would decide by itself."""
    found = []
    for metric in metrics().values():
        if metric.id not in readings:
            continue
        reading, limits = readings[metric.id], tolerances.limits_of(metric, rig)
        alone = tolerances.decided({metric.id: reading}, rig) if limits is not None else None
        found.append(
            ReadingOut(
                metric=metric.id,
                value=reading.value,
                floor=reading.floor,
                original=reading.original,
                converted=reading.converted,
                verdict=alone.verdict.value if alone is not None else None,
                match=limits.match if limits is not None else None,
                near=limits.near if limits is not None else None,
            )
        )
    return found


CURVES = (
    "lobe_error",
    "angles",
    "reflectance_original",
    "reflectance_converted",
    "profile_degrees",
    "profile_original",
    "profile_converted",
)


def figures_view(document: Mapping[str, Any], tolerances: Tolerances) -> FiguresOut:
    readings = parse_readings(document["readings"])
    curves = {name: document[name] for name in CURVES}
    decision = tolerances.decided(readings, "", tuple(document["unseen"]))
    return FiguresOut(decision=decision_view(decision), readings=reading_views(readings, "", tolerances), **curves)


def look_view(frame: PictureFrame, rig: str, tolerances: Tolerances) -> LookFrame:
    readings = parse_readings(frame.readings)
    return LookFrame(
        size=frame.size,
        samples=frame.samples,
        pictures=CheckPictures(**{side: _data_url(data) for side, data in frame.pictures.items()}) if frame.pictures else None,
        decision=decision_view(tolerances.decided(readings, rig, frame.unseen)) if readings else None,
        readings=reading_views(readings, rig, tolerances),
        figures=figures_view(frame.figures, tolerances) if frame.figures else None,
        clear=frame.clear,
        preparing=frame.preparing,
        problem=problem_of(frame.problem) if frame.problem is not None else None,
        done=frame.done,
    )


def _data_url(data: bytes) -> str:
    return f"data:image/png;base64,{b64encode(data).decode()}"


def metric_view(metric: Metric) -> MetricOut:
    limits = LimitsOut(match=metric.limits.match, near=metric.limits.near) if metric.limits is not None else None
    return MetricOut(id=metric.id, title=metric.title, says=metric.says, of=metric.of.value, unit=metric.unit, limits=limits)


def review_view(found: ReviewState) -> ReviewOut:
    return ReviewOut.model_validate(review_document(found))


def conversion_view(database: Session, row: ConversionRow) -> ConversionOut:
    pair = (row.material.digest, row.digest)
    checks = [check for check in list_checks(database, [pair]).get(pair, []) if check.pictures]
    tolerances = load_tolerances(find_project(database, row.material.project_id))
    over_all = decide_over_all(row.document["figures"], select_overview(checks), tolerances)
    assert over_all is not None
    return ConversionOut(
        id=row.id,
        version=row.version,
        project_id=row.material.project_id,
        material_id=row.material_id,
        name=row.material.name,
        model=row.material.model,
        target=row.target,
        target_title=target_for(row).title,
        profile=row.profile,
        variants=[VariantOut(conversion_id=one.id, name=one.material.name) for one in list_variants(database, row)],
        file=row.material.document["source"]["file"],
        source_values=[SourceValue(**value) for value in row.document["source_values"]],
        findings=[FindingOut(**finding) for finding in (*row.document["findings"], *row.material.document["findings"])],
        ledger=[LedgerEntry(**entry) for entry in row.document["ledger"]],
        figures=figures_view(row.document["figures"], tolerances),
        verdict=decision_view(over_all),
        checks=[check_view(check, tolerances) for check in checks],
        checking=_is_being_checked(database, row),
        outside=[outside_check_view(*one, tolerances, {row.digest}) for one in outside_checks_of(database, [pair]).get(pair, [])],
    )


def outside_check_view(row: OutsideCheckRow, kit: KitRow, tolerances: Tolerances, current: Collection[str]) -> OutsideCheckOut:
    """current: digests of conversions as they are now."""
    tile = kit.tiles[row.tile]
    return OutsideCheckOut(
        kit_id=kit.id,
        kit=kit.title,
        rig=kit.rig,
        material=tile["name"],
        material_id=tile["material_id"],
        current=row.converted in current,
        first=LookOut.model_validate(row.first),
        second=LookOut.model_validate(row.second),
        decision=decision_view(outside_decision(row, kit.rig, tolerances)),
        readings=reading_views(parse_readings(row.numbers["readings"]), kit.rig, tolerances),
        statements=row.numbers["statements"],
        pictures=OutsidePair(**row.pictures),
    )


def kit_view(kit: KitRow, tolerances: Tolerances) -> KitOut:
    columns = {name: getattr(kit, name) for name in KitOut.model_fields if name not in ("materials", "on_the_web", "pictures", "verdict")}
    decisions = [outside_decision(row, kit.rig, tolerances) for row in kit.checks if row.second["by"] == THEIRS]
    return KitOut(
        **columns,
        materials=[tile["name"] for tile in kit.tiles],
        on_the_web=WEB_SCENE in kit.files,
        pictures=[_outside_picture(row) for row in kit.pictures],
        verdict=decision_view(decisive(decisions)) if decisions else None,
    )


def kit_detail(database: Session, kit: KitRow) -> KitDetail:
    tolerances = load_tolerances(find_project(database, kit.project_id))
    now = database.scalars(
        select(ConversionRow.digest).where(
            ConversionRow.material_id.in_([tile["material_id"] for tile in kit.tiles]),
            ConversionRow.target == kit.target,
            ConversionRow.profile == kit.profile,
        )
    )
    current = set(now)
    checks = [outside_check_view(row, kit, tolerances, current) for row in kit.checks]
    return KitDetail(**kit_view(kit, tolerances).model_dump(), checks=checks)


def _outside_picture(row: OutsidePictureRow) -> OutsidePictureOut:
    known = row.document
    if not known:
        return OutsidePictureOut(shows=row.shows, name=row.name, space=row.space, compared=False)  # type: ignore[arg-type]
    return OutsidePictureOut(
        shows=row.shows,  # type: ignore[arg-type]
        name=row.name,
        space=known["space"],
        compared=True,
        width=known["size"][0],
        height=known["size"][1],
        noise=known["noise"],
        residual=known["alignment"]["residual"],
        statements=[StatementOut(**statement) for statement in known["statements"]],
        responses=[ResponseOut(**response) for response in known["responses"]],
    )


def _is_being_checked(database: Session, row: ConversionRow) -> bool:
    about = [
        func.json_value(JobItem.payload, f"$.{name}") == str(identity)
        for name, identity in (("conversion_id", row.id), ("material_id", row.material_id))
    ]
    about.append(func.json_contains(JobItem.payload, str(row.material_id), "$.each") == 1)
    waiting = select(JobItem.id).join(Job).where(Job.state.in_(OPEN), JobItem.state.in_(("pending", "running")), or_(*about))
    return database.scalar(waiting.limit(1)) is not None


def job_view(database: Session, job: Job) -> JobOut:
    errors = database.scalars(select(JobItem.error).where(JobItem.job_id == job.id, JobItem.error != "").limit(MOST_ERRORS_SHOWN)).all()
    result = job.result or {}
    columns = {name: getattr(job, name) for name in JobOut.model_fields if hasattr(job, name)}
    written = {name: result.get(name, empty) for name, empty in (("archive", None), ("folder", ""), ("files", []), ("validations", []))}
    written["report"] = result.get("name") if "report" in result else None
    return JobOut.model_validate({**columns, **written, "errors": list(errors)})


def recent_jobs(database: Session, project_id: int, most: int = 50) -> list[JobOut]:
    rows = database.scalars(select(Job).where(Job.project_id == project_id).order_by(Job.id.desc()).limit(most))
    return [job_view(database, job) for job in rows]


LOOKED_UP_IN: dict[Role, Literal["", "indices", "finishes", "metal colours", "metal tints"]] = {
    Role.INDEX: "indices",
    Role.COAT_INDEX: "indices",
    Role.FILM_INDEX: "indices",
    Role.ROUGHNESS: "finishes",
    Role.COAT_ROUGHNESS: "finishes",
    Role.BASE_COLOR: "metal colours",
    Role.SPECULAR_COLOR: "metal tints",
}
"""The look-up table that belongs to a role."""


def target_view(target: ServedTarget) -> TargetOut:
    written = target.format
    return TargetOut(
        key=target.id,
        model=target.model.id,
        profile=target.profile.name,
        title=target.title,
        says=target.says,
        narrows=target.stated.target if target.stated is not None else "",
        extensions=sorted(target.profile.extensions),
        format=written.id if written is not None else "",
        format_title=written.title if written is not None else "",
        writes=written.writes if written is not None else "",
    )


def model_view(model: Model) -> ModelOut:
    parameters = [
        ParameterOut(
            name=p.name,
            kind=p.kind,
            group=p.group,
            says=p.says,
            unit=p.unit,
            default=p.default,
            low=_finite(p.low),
            high=_finite(p.high),
            options=[OptionOut(value=value, label=label) for value, label in p.options],
            role=str(p.role or ""),
            looked_up_in=LOOKED_UP_IN.get(p.role, "") if p.role is not None else "",
            undrawn=p.undrawn,
        )
        for p in model.parameters
    ]
    return ModelOut(id=model.id, title=model.title, source=model.source, parameters=parameters)


def _finite(limit: float) -> Any:
    return limit if math.isfinite(limit) else None
