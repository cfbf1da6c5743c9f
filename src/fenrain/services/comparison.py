"""One material in every target, as it was converted, or as it would be."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from fenrain.core.checking.quick import quick_check
from fenrain.core.conversion.engine import Conversion, convert
from fenrain.core.conversion.targets import ServedTarget
from fenrain.core.descriptions import describe_as
from fenrain.core.material import Material
from fenrain.core.models.registry import HUB, model_of
from fenrain.core.rules.fidelity import Fidelity
from fenrain.core.surfaces import constants_of
from fenrain.core.values import Constant
from fenrain.services.conversions import load_conversion
from fenrain.services.source_values import source_values
from fenrain.services.targets import project_targets
from fenrain.store.rows import find_material, load_material
from fenrain.store.tables import ConversionRow

TIE = 5e-4
"""Lobe errors this close are the same; then the richer target, which stands first, counts as nearest."""


def compare_targets(database: Session, material_id: int) -> dict[str, Any]:
    """The values, losses and error to expect of each model's own targets, and of the target profiles it was converted to."""
    row = find_material(database, material_id)
    material = load_material(row)
    kept = {(stored.target, stored.profile): stored for stored in row.conversions}
    known = [(target, kept.get((target.model.id, target.profile.name))) for target in project_targets(database, row.project_id)]
    targets = [_compare_target(material, target, stored) for target, stored in known if stored is not None or target.stated is None]
    least = min(target["predicted"] for target in targets)
    next(target for target in targets if target["predicted"] <= least + TIE)["nearest"] = True
    return {
        "material_id": row.id,
        "name": row.name,
        "model": row.model,
        "source_values": source_values(material),
        "targets": targets,
    }


def _compare_target(material: Material, target: ServedTarget, stored: ConversionRow | None) -> dict[str, Any]:
    conversion = load_conversion(stored) if stored is not None else convert(material, target.model.id, target.profile)
    values = [
        {
            "name": entry.target,
            "group": entry.group,
            "shown": describe_as(target.model.parameter(entry.target), entry.value),
            "constant": entry.value.value if isinstance(entry.value, Constant) else None,
            "fidelity": str(entry.fidelity),
        }
        for entry in conversion.ledger
        if entry.target and entry.value is not None
    ]
    return {
        "key": target.id,
        "target": target.model.id,
        "profile": target.profile.name,
        "title": target.title,
        "conversion_id": stored.id if stored is not None else None,
        "predicted": quick_check(conversion.original, conversion.material).lobe_error,
        "approximated": sum(value["fidelity"] == Fidelity.APPROXIMATED for value in values),
        "nearest": False,
        "values": values,
        "losses": _losses(conversion),
    }


def _losses(conversion: Conversion) -> list[dict[str, Any]]:
    """What the target cannot carry, each set of source values once, with every reason."""
    reasons: dict[tuple[str, ...], list[str]] = {}
    for entry in conversion.ledger:
        if entry.fidelity is Fidelity.DROPPED:
            reasons.setdefault(entry.sources, []).extend(step.text for step in entry.steps[-1:])
    return [{"sources": list(sources), "text": " ".join(texts)} for sources, texts in reasons.items()]


def describe_trial(material: Material) -> dict[str, Any]:
    """A row of a sheet as it was read, and its OpenPBR form."""
    hub = convert(material, HUB).material
    colour = constants_of(hub).get("transmission_color" if hub.value("transmission_weight") == Constant(1.0) else "base_color")
    return {
        "name": material.name,
        "model": material.model,
        "values": {value["name"]: value["shown"] for value in source_values(material)},
        "converted": {name: describe_as(model_of(HUB).parameter(name), value) for name, value in hub.values.items()},
        "colour": list(colour) if isinstance(colour, tuple) else None,
        "findings": [finding.to_document() for finding in material.findings],
    }
