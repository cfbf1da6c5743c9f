"""From rows to what goes over the wire."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Sequence
from typing import Any

from sqlalchemy import func, select, tuple_
from sqlalchemy.orm import Session

from fenrain.api.schemas import (
    BoardCheck,
    BoardRow,
    CheckOut,
    ComparedTarget,
    ComparisonOut,
    ConversionOut,
    FindingOut,
    FoundMaterial,
    IntakeOut,
    JobOut,
    LedgerEntry,
    LossOut,
    ModelOut,
    OptionOut,
    ParameterOut,
    ProjectOut,
    SourceValue,
    TargetValueOut,
    TriedMaterial,
)
from fenrain.core.checking.quick import quick_check
from fenrain.core.checking.verdict import Verdict, worst
from fenrain.core.convert.engine import Conversion, convert, targets
from fenrain.core.convert.ledger import describe_as
from fenrain.core.convert.rule import Fidelity
from fenrain.core.maps.mean import constants_of
from fenrain.core.material import PART_PREFIXES, Constant, Material
from fenrain.core.models.registry import HUB, Model, model_of
from fenrain.jobs.queue import OPEN
from fenrain.store.materials import PROFILES, conversion_of, material_of
from fenrain.store.tables import CheckRow, ConversionRow, Intake, Job, JobItem, MaterialRow, Project

MOST_ERRORS_SHOWN = 20


def project_view(database: Session, project: Project) -> ProjectOut:
    count = database.scalar(select(func.count()).select_from(MaterialRow).where(MaterialRow.project_id == project.id))
    return ProjectOut(id=project.id, name=project.name, tolerances=project.tolerances, materials=count or 0)


def intake_view(intake: Intake) -> IntakeOut:
    found = [FoundMaterial(position=position, **summary) for position, summary in enumerate(intake.found)]
    return IntakeOut.model_validate(
        {
            "id": intake.id,
            "project_id": intake.project_id,
            "state": intake.state,
            "files": list(intake.files),
            "found": found,
            "errors": intake.errors,
        }
    )


def check_view(row: CheckRow) -> CheckOut:
    return CheckOut.model_validate(row, from_attributes=True)


def board_view(database: Session, project_id: int, target: str, profile: str) -> list[BoardRow]:
    """One row a material, in the order in which they came; three queries whatever the number."""
    materials = database.scalars(select(MaterialRow).where(MaterialRow.project_id == project_id).order_by(MaterialRow.id)).all()
    conversions = {
        row.material_id: row
        for row in database.scalars(
            select(ConversionRow)
            .join(MaterialRow)
            .where(MaterialRow.project_id == project_id, ConversionRow.target == target, ConversionRow.profile == profile)
        )
    }
    checks = _checks_of(database, [(row.digest, conversions[row.id].digest) for row in materials if row.id in conversions])
    return [_board_row(row, conversions.get(row.id), checks) for row in materials]


def _checks_of(database: Session, pairs: Sequence[tuple[str, str]]) -> dict[tuple[str, str], list[CheckRow]]:
    found: dict[tuple[str, str], list[CheckRow]] = defaultdict(list)
    if pairs:
        query = select(CheckRow).where(tuple_(CheckRow.original, CheckRow.converted).in_(set(pairs))).order_by(CheckRow.id)
        for row in database.scalars(query):
            found[row.original, row.converted].append(row)
    return found


def _board_row(material: MaterialRow, conversion: ConversionRow | None, checks: dict[tuple[str, str], list[CheckRow]]) -> BoardRow:
    shown = _latest_by_rig(checks.get((material.digest, conversion.digest), []) if conversion else [])
    ledger = conversion.document["ledger"] if conversion else []
    return BoardRow(
        material_id=material.id,
        name=material.name,
        model=material.model,
        file=material.document["source"]["file"],
        findings=[FindingOut(**finding) for finding in material.document["findings"]],
        conversion_id=conversion.id if conversion else None,
        overrides=len(conversion.overrides) if conversion else 0,
        losses=list(dict.fromkeys(", ".join(entry["sources"]) for entry in ledger if not entry["target"])),
        approximated=sum(entry["fidelity"] == "approximated" for entry in ledger if entry["target"]),
        verdict=worst([Verdict(check.numbers["verdict"]) for check in shown]).value if shown else None,
        worst=max((check.numbers["p95"] for check in shown), default=None),
        checks=[_board_check(check) for check in shown],
    )


def _board_check(row: CheckRow) -> BoardCheck:
    numbers = {name: row.numbers[name] for name in ("verdict", "median", "p95")}
    return BoardCheck.model_validate({"rig": row.rig, "pictures": row.pictures, **numbers})


def _latest_by_rig(checks: Sequence[CheckRow]) -> list[CheckRow]:
    """For each rig the check with the largest picture, the newest of those."""
    best: dict[str, CheckRow] = {}
    for check in checks:
        if check.rig not in best or check.size >= best[check.rig].size:
            best[check.rig] = check
    return list(best.values())


def conversion_view(database: Session, row: ConversionRow) -> ConversionOut:
    sources = _source_values(material_of(row.material))
    checks = _checks_of(database, [(row.material.digest, row.digest)]).get((row.material.digest, row.digest), [])
    return ConversionOut(
        id=row.id,
        version=row.version,
        material_id=row.material_id,
        name=row.material.name,
        model=row.material.model,
        target=row.target,
        profile=row.profile,
        file=row.material.document["source"]["file"],
        source_values=sources,
        findings=[FindingOut(**finding) for finding in (*row.document["findings"], *row.material.document["findings"])],
        ledger=[LedgerEntry(**entry) for entry in row.document["ledger"]],
        checks=[check_view(check) for check in checks],
        checking=_is_being_checked(database, row),
    )


def _source_values(material: Material, prefix: str = "") -> list[SourceValue]:
    """The values that are set, those of a mix's parts after them."""
    model = model_of(material.model)
    own = [
        SourceValue(
            name=prefix + parameter.name,
            group=parameter.group,
            says=parameter.says,
            shown=describe_as(parameter, value),
            constant=value.value if isinstance(value, Constant) else None,
        )
        for parameter in model.parameters
        if (value := material.values.get(parameter.name)) is not None
    ]
    parts = zip(PART_PREFIXES, material.parts, strict=False)
    return own + [value for name, part in parts for value in _source_values(part, prefix + name)]


COMPARED = (
    ("open_pbr", "extensions"),
    ("standard_surface", "extensions"),
    ("metal_rough", "extensions"),
    ("metal_rough", "core"),
    ("preview", "extensions"),
    ("exponent", "extensions"),
)
"""The targets that are shown side by side, the richest first."""


def comparison_view(row: MaterialRow) -> ComparisonOut:
    """One material in every target, as it was converted, or as it would be."""
    material = material_of(row)
    kept = {(stored.target, stored.profile): stored for stored in row.conversions}
    compared = []
    for target, profile in COMPARED:
        stored = kept.get((target, profile))
        conversion = conversion_of(stored) if stored is not None else convert(material, target, PROFILES[profile])
        compared.append(_compared(conversion, target, profile, stored))
    return ComparisonOut(material_id=row.id, name=row.name, model=row.model, source_values=_source_values(material), targets=compared)


def _compared(conversion: Conversion, target: str, profile: str, stored: ConversionRow | None) -> ComparedTarget:
    model = model_of(target)
    values = [
        TargetValueOut(
            name=entry.target,
            group=entry.group,
            shown=describe_as(model.parameter(entry.target), entry.value),
            constant=entry.value.value if isinstance(entry.value, Constant) else None,
            fidelity=str(entry.fidelity),
        )
        for entry in conversion.ledger
        if entry.target and entry.value is not None
    ]
    return ComparedTarget(
        target=target,
        profile=profile,
        conversion_id=stored.id if stored is not None else None,
        predicted=quick_check(conversion.original, conversion.material).lobe_error,
        approximated=sum(value.fidelity == Fidelity.APPROXIMATED for value in values),
        values=values,
        losses=_losses(conversion),
    )


def _losses(conversion: Conversion) -> list[LossOut]:
    """What the target cannot carry, each set of source values once, with every reason."""
    reasons: dict[tuple[str, ...], list[str]] = {}
    for entry in conversion.ledger:
        if entry.fidelity is Fidelity.DROPPED:
            reasons.setdefault(entry.sources, []).extend(step.text for step in entry.steps[-1:])
    return [LossOut(sources=list(sources), text=" ".join(texts)) for sources, texts in reasons.items()]


def tried_material(material: Material) -> TriedMaterial:
    """A row of a sheet as it was read, and its OpenPBR form."""
    hub = convert(material, HUB).material
    colour = constants_of(hub).get("transmission_color" if hub.value("transmission_weight") == Constant(1.0) else "base_color")
    return TriedMaterial(
        name=material.name,
        model=material.model,
        values={value.name: value.shown for value in _source_values(material)},
        converted={name: describe_as(model_of(HUB).parameter(name), value) for name, value in hub.values.items()},
        colour=list(colour) if isinstance(colour, tuple) else None,
        findings=[FindingOut(**finding.to_document()) for finding in material.findings],
    )


def _is_being_checked(database: Session, row: ConversionRow) -> bool:
    payloads = database.scalars(select(JobItem.payload).join(Job).where(Job.state.in_(OPEN), JobItem.state.in_(("pending", "running"))))
    return any(payload.get("conversion_id") == row.id or payload.get("material_id") == row.material_id for payload in payloads)


def job_view(database: Session, job: Job) -> JobOut:
    errors = database.scalars(select(JobItem.error).where(JobItem.job_id == job.id, JobItem.error != "").limit(MOST_ERRORS_SHOWN)).all()
    result = job.result or {}
    columns = {name: getattr(job, name) for name in JobOut.model_fields if hasattr(job, name)}
    return JobOut.model_validate({**columns, "errors": list(errors), "archive": result.get("archive"), "files": result.get("files", [])})


def recent_jobs(database: Session, project_id: int, most: int = 50) -> list[JobOut]:
    rows = database.scalars(select(Job).where(Job.project_id == project_id).order_by(Job.id.desc()).limit(most))
    return [job_view(database, job) for job in rows]


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
        )
        for p in model.parameters
    ]
    return ModelOut(id=model.id, title=model.title, source=model.source, target=model.id in targets(), parameters=parameters)


def _finite(limit: float) -> Any:
    return limit if math.isfinite(limit) else None
