"""A conversion, as it goes over the wire."""

from __future__ import annotations

from sqlalchemy import func, or_, select
from sqlalchemy.orm import Session

from fenrain.api.schemas.conversions import ConversionOut, VariantOut
from fenrain.api.views.looks import check_view, figures_view
from fenrain.api.views.outside import outside_check_view
from fenrain.core.findings import Finding
from fenrain.jobs.queue import OPEN
from fenrain.services.checks import decide_over_all, list_checks, load_tolerances, select_overview
from fenrain.services.conversions import aim_of, target_for
from fenrain.services.outside import outside_checks_of
from fenrain.services.surroundings import list_rigs
from fenrain.services.variants import list_variants
from fenrain.store.documents.checking import DecisionDocument
from fenrain.store.rows import find_project
from fenrain.store.tables import ConversionRow, Job, JobItem


def conversion_view(database: Session, row: ConversionRow) -> ConversionOut:
    pair = (row.material.digest, row.digest)
    checks = [check for check in list_checks(database, [pair]).get(pair, []) if check.pictures]
    project = find_project(database, row.material.project_id)
    tolerances = load_tolerances(project)
    document = row.document
    assert document is not None  # whoever asks has it refreshed
    over_all = decide_over_all(document.figures, select_overview(checks, list_rigs(project)), tolerances)
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
        source_values=document.source_values,
        findings=[*document.findings, *map(Finding.from_document, row.material.document["findings"])],
        ledger=document.ledger,
        aim=aim_of(row),
        plainness=document.plainness,
        choice=document.choice,
        figures=figures_view(document.figures, tolerances),
        verdict=DecisionDocument.from_decision(over_all),
        checks=[check_view(check, tolerances) for check in checks],
        checking=_is_being_checked(database, row),
        outside=[outside_check_view(*one, tolerances, {row.digest}) for one in outside_checks_of(database, [pair]).get(pair, [])],
    )


def _is_being_checked(database: Session, row: ConversionRow) -> bool:
    about = [
        func.json_value(JobItem.payload, f"$.{name}") == str(identity)
        for name, identity in (("conversion_id", row.id), ("material_id", row.material_id))
    ]
    about.append(func.json_contains(JobItem.payload, str(row.material_id), "$.each") == 1)
    waiting = select(JobItem.id).join(Job).where(Job.state.in_(OPEN), JobItem.state.in_(("pending", "running")), or_(*about))
    return database.scalar(waiting.limit(1)) is not None
