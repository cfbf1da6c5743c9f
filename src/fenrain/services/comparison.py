"""One material in every target, as it was converted, or as it would be."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from fenrain.core.aims.estimate import expected_decision
from fenrain.core.aims.plainness import plainness_of
from fenrain.core.checking.quick import quick_check
from fenrain.core.conversion.aim import AIM_TITLES, Aim
from fenrain.core.conversion.engine import Conversion, convert
from fenrain.core.conversion.targets import ServedTarget
from fenrain.core.descriptions import describe_as
from fenrain.core.findings import Finding
from fenrain.core.material import Material
from fenrain.core.models.registry import HUB, model_of
from fenrain.core.rules.fidelity import Fidelity
from fenrain.core.surfaces import constants_of
from fenrain.core.values import Constant
from fenrain.services.checks import load_tolerances
from fenrain.services.conversions import choose_conversion, load_conversion, target_for
from fenrain.services.source_values import list_source_values
from fenrain.services.surroundings import list_rigs
from fenrain.services.targets import project_targets
from fenrain.store.documents.checking import DecisionDocument
from fenrain.store.documents.column import Document
from fenrain.store.documents.conversions import PlainnessDocument, SourceValue
from fenrain.store.rows import find_conversion, find_material, find_project, load_material
from fenrain.store.tables import ConversionRow, Project

TIE = 5e-4
"""Lobe errors this close are the same; then the richer target, which stands first, counts as nearest."""


class TargetValue(Document):
    name: str
    group: str
    shown: str
    constant: Any
    fidelity: Fidelity


class TargetLoss(Document):
    """sources: names of values that are lost together; text: why."""

    sources: list[str]
    text: str


class ComparedTarget(Document):
    """One material in one target. key: of the target; predicted: normalised lobe error; nearest: whether none comes nearer;
    conversion_id: null while nobody converted to it."""

    key: str
    target: str
    profile: str
    title: str
    conversion_id: int | None
    predicted: float
    nearest: bool = False
    plainness: PlainnessDocument
    approximated: int
    values: list[TargetValue]
    losses: list[TargetLoss]


class ComparedAim(Document):
    """A conversion by one aim. title: what it gives, in words; expected: the verdict to expect, without pictures; error: lobe error."""

    aim: Aim
    title: str
    expected: DecisionDocument
    error: float
    plainness: PlainnessDocument
    values: list[TargetValue]


class Comparison(Document):
    """One material in every target."""

    material_id: int
    name: str
    model: str
    source_values: list[SourceValue]
    targets: list[ComparedTarget]


class TriedMaterial(Document):
    """A row of a sheet as a dialect reads it, and what it becomes in OpenPBR."""

    name: str
    model: str
    values: dict[str, str]
    converted: dict[str, str]
    colour: list[float] | None
    findings: list[Finding]


def compare_aims(database: Session, conversion_id: int) -> list[ComparedAim]:
    """A conversion as each aim makes it of its original, without what people set over it. Raises NotFoundError."""
    row = find_conversion(database, conversion_id)
    project = find_project(database, row.material.project_id)
    material, target, tolerances = load_material(row.material), target_for(row), load_tolerances(project)
    found = []
    for aim in Aim:
        conversion = choose_conversion(material, row.target, target.profile, aim)
        found.append(
            ComparedAim(
                aim=aim,
                title=AIM_TITLES[aim],
                expected=DecisionDocument.from_decision(expected_decision(conversion, list_rigs(project), tolerances)),
                error=quick_check(material, conversion.material).lobe_error,
                plainness=PlainnessDocument.from_plainness(plainness_of(conversion.material)),
                values=_values(conversion),
            )
        )
    return found


def compare_targets(database: Session, material_id: int) -> Comparison:
    """The values, losses and error to expect of each model's own targets, and of the target profiles it was converted to."""
    row = find_material(database, material_id)
    material = load_material(row)
    kept = {(stored.target, stored.profile): stored for stored in row.conversions}
    known = [(target, kept.get((target.model.id, target.profile.name))) for target in project_targets(database, row.project_id)]
    project = find_project(database, row.project_id)
    targets = [
        _compare_target(project, material, target, stored) for target, stored in known if stored is not None or target.stated is None
    ]
    least = min(target.predicted for target in targets)
    nearest = next(target for target in targets if target.predicted <= least + TIE)
    return Comparison(
        material_id=row.id,
        name=row.name,
        model=row.model,
        source_values=list_source_values(material),
        targets=[one.model_copy(update={"nearest": one is nearest}) for one in targets],
    )


def _values(conversion: Conversion) -> list[TargetValue]:
    return [
        TargetValue(
            name=entry.target,
            group=entry.group,
            shown=describe_as(conversion.target.parameter(entry.target), entry.value),
            constant=entry.value.value if isinstance(entry.value, Constant) else None,
            fidelity=entry.fidelity,
        )
        for entry in conversion.ledger
        if entry.target and entry.value is not None
    ]


def _compare_target(project: Project, material: Material, target: ServedTarget, stored: ConversionRow | None) -> ComparedTarget:
    if stored is not None:
        conversion = load_conversion(stored)
    else:
        conversion = choose_conversion(material, target.model.id, target.profile, Aim(project.aim))
    values = _values(conversion)
    return ComparedTarget(
        key=target.id,
        target=target.model.id,
        profile=target.profile.name,
        title=target.title,
        conversion_id=stored.id if stored is not None else None,
        predicted=quick_check(conversion.original, conversion.material).lobe_error,
        plainness=PlainnessDocument.from_plainness(plainness_of(conversion.material)),
        approximated=sum(value.fidelity is Fidelity.APPROXIMATED for value in values),
        values=values,
        losses=_losses(conversion),
    )


def _losses(conversion: Conversion) -> list[TargetLoss]:
    """What the target cannot carry, each set of source values once, with every reason."""
    reasons: dict[tuple[str, ...], list[str]] = {}
    for entry in conversion.ledger:
        if entry.fidelity is Fidelity.DROPPED:
            reasons.setdefault(entry.sources, []).extend(step.text for step in entry.steps[-1:])
    return [TargetLoss(sources=list(sources), text=" ".join(texts)) for sources, texts in reasons.items()]


def describe_trial(material: Material) -> TriedMaterial:
    """A row of a sheet as it was read, and its OpenPBR form."""
    hub = convert(material, HUB).material
    colour = constants_of(hub).get("transmission_color" if hub.value("transmission_weight") == Constant(1.0) else "base_color")
    return TriedMaterial(
        name=material.name,
        model=material.model,
        values={value.name: value.shown for value in list_source_values(material)},
        converted={name: describe_as(model_of(HUB).parameter(name), value) for name, value in hub.values.items()},
        colour=list(colour) if isinstance(colour, tuple) else None,
        findings=list(material.findings),
    )
