"""What a viewer of the target must have switched on, or cannot show, for the features that a look uses: a checklist, from data.

`viewing.yaml` beside this file says it for kinds of viewers; a target profile may say otherwise for its own.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import numpy as np
import yaml

from fenrain.core.lobes.aspects import COAT, FUZZ
from fenrain.core.lobes.surface import Surface
from fenrain.core.material import Material, matters
from fenrain.core.models.parameter import Role
from fenrain.core.models.registry import model_of
from fenrain.core.models.target import Profile, ViewerNote
from fenrain.core.surfaces import mean_surface
from fenrain.core.values import Constant

ABOVE_WHITE = 1.0 + 1e-6
SMOOTHEST = 0.05
"""Roughness below which many viewers draw no sharper (common practice)."""
Test = Callable[[Material, Surface], bool]


@dataclass(frozen=True)
class Feature:
    """Something of a look that a viewer may treat in its own way."""

    id: str
    title: str
    used_by: Test


def _role(material: Material, role: Role) -> bool:
    parameter = model_of(material.model).by_role.get(role)
    return parameter is not None and matters(material, model_of(material.model), parameter.name)


def _named(*names: str) -> Test:
    """Whether a value of one of these names has an effect."""

    def used(material: Material, _: Surface) -> bool:
        model = model_of(material.model)
        return any(name in model.by_name and matters(material, model, name) for name in names)

    return used


def _largest(value: object) -> float:
    return float(np.max(np.asarray(value, dtype=float)))


def _is_smooth(material: Material, _: Surface) -> bool:
    parameter = model_of(material.model).by_role.get(Role.ROUGHNESS)
    value = material.value(parameter.name) if parameter is not None else None
    return isinstance(value, Constant) and not isinstance(value.value, (tuple, str)) and float(value.value) < SMOOTHEST


def _is_metal(material: Material, _: Surface) -> bool:
    parameter = model_of(material.model).by_role.get(Role.METALNESS)
    value = material.value(parameter.name) if parameter is not None else Constant(0.0)
    return not isinstance(value, Constant) or (not isinstance(value.value, (tuple, str)) and float(value.value) > 0.0)


def _absorbs(_: Material, surface: Surface) -> bool:
    return surface.interior is not None and surface.transmits and _largest(surface.interior.absorption) > 0.0


FEATURES = (
    Feature("transmission", "light goes through a body", lambda _, surface: surface.transmits and not surface.thin_walled),
    Feature("thin_sheet", "light goes through a thin sheet", lambda _, surface: surface.transmits and surface.thin_walled),
    Feature("tint_by_depth", "the tint deepens with thickness", _absorbs),
    Feature("scattering", "light scatters inside", lambda _, surface: surface.scatters),
    Feature("openings", "openings or fading by opacity", lambda material, _: _role(material, Role.OPACITY)),
    Feature("coat", "a clear coat", lambda _, surface: any(part.aspect == COAT for part in surface.parts)),
    Feature("fuzz", "fuzz or sheen", lambda _, surface: any(part.aspect == FUZZ for part in surface.parts)),
    Feature("glow_above_white", "own light brighter than white", lambda _, surface: _largest(surface.emission) > ABOVE_WHITE),
    Feature("glow", "own light", lambda _, surface: 0.0 < _largest(surface.emission) <= ABOVE_WHITE),
    Feature("metal", "metal, which shows nothing but what is around it", _is_metal),
    Feature("smooth", f"a mirror smoother than roughness {SMOOTHEST:g}", _is_smooth),
    Feature("stretched", "stretched highlights", lambda material, _: _role(material, Role.ANISOTROPY)),
    Feature("film", "a thin film", _named("thin_film_weight", "thin_film_thickness", "iridescence")),
    Feature("dispersion", "dispersion", _named("dispersion", "transmission_dispersion_scale", "transmission_dispersion")),
    Feature("relief", "normals bent by a map", lambda material, _: _role(material, Role.NORMAL)),
    Feature("moved_surface", "a displaced surface", lambda material, _: _role(material, Role.DISPLACEMENT)),
    Feature("both_sides", "both sides are drawn", lambda material, _: material.geometry.double_sided),
)


@dataclass(frozen=True)
class CheckItem:
    """A line of the checklist. feature, title: what is used; says: what to do about it; shown: whether the viewer can show it at all;
    materials: names of those that use it."""

    feature: str
    title: str
    says: str
    shown: bool
    materials: tuple[str, ...]


def features_of(material: Material) -> tuple[str, ...]:
    """Ids of the features that a material's look uses."""
    surface = mean_surface(material)
    return tuple(feature.id for feature in FEATURES if feature.used_by(material, surface))


def checklist(used: Iterable[tuple[str, Sequence[str]]], profile: Profile) -> list[CheckItem]:
    """What a viewer of this profile needs. used: (name, features) of each material."""
    by_feature: dict[str, list[str]] = {}
    for name, features in used:
        for feature in features:
            by_feature.setdefault(feature, []).append(name)
    notes = {**standing_notes().get(profile.viewer, {}), **{note.feature: note for note in profile.viewer_notes}}
    return [
        CheckItem(feature.id, feature.title, notes[feature.id].says, notes[feature.id].shown, tuple(by_feature[feature.id]))
        for feature in FEATURES
        if feature.id in by_feature and feature.id in notes
    ]


@cache
def standing_notes() -> dict[str, dict[str, ViewerNote]]:
    """By the kind of viewer, then by the feature."""
    stated = yaml.safe_load(Path(__file__).with_name("viewing.yaml").read_text("utf-8"))
    return {
        kind: {feature: ViewerNote(feature, str(note.get("needs") or note["cannot"]), "needs" in note) for feature, note in notes.items()}
        for kind, notes in stated.items()
    }
