"""An OpenPBR material said again with usual values: as a dielectric, as one that reflects evenly, as a metal, or below a usual coat.

Each set of rules is a candidate of its own; which of them serves is decided elsewhere, by how they look (see `aims`). They keep what is
reflected when facing, and the albedo of the body below. NumPy, channels last.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from fenrain.core.models.open_pbr.cases import has_subsurface, is_coated, is_thin_walled, is_transmissive
from fenrain.core.models.open_pbr.inverse import base_reflection_for
from fenrain.core.models.open_pbr.parameters import OpenPbr
from fenrain.core.models.open_pbr.surface import (
    SEEN_THROUGH_COAT,
    darkened_by_coat,
    ior_below_coat,
    roughness_below_coat,
    seen_through_coat,
)
from fenrain.core.models.usual import COMMON_INDEX, INDEX_OF_OPAQUE
from fenrain.core.optics.energy import left_below
from fenrain.core.optics.fresnel import f0_from_ior, ior_from_f0
from fenrain.core.rules.case import Case
from fenrain.core.rules.fidelity import APPROXIMATED
from fenrain.core.rules.rule import RuleSet
from fenrain.core.values import Plain, Value

AS_DIELECTRIC = RuleSet("open_pbr.as_dielectric", OpenPbr)
AS_EVEN_DIELECTRIC = RuleSet("open_pbr.as_even_dielectric", OpenPbr)
AS_METAL = RuleSet("open_pbr.as_metal", OpenPbr)
BELOW_USUAL_COAT = RuleSet("open_pbr.below_usual_coat", OpenPbr)
RESTATED = (AS_DIELECTRIC, AS_EVEN_DIELECTRIC, AS_METAL, BELOW_USUAL_COAT)

COMMON_F0, HIGHEST_F0 = float(f0_from_ior(COMMON_INDEX)), float(f0_from_ior(INDEX_OF_OPAQUE[1]))
NEEDED = (
    *("base_weight", "base_color", "base_metalness", "specular_weight", "specular_color", "specular_ior", "specular_roughness"),
    *(*SEEN_THROUGH_COAT, "coat_roughness"),
)
SOURCE = "Fresnel equations at normal incidence; OpenPBR 1.1: the body is scaled by 1 − E of the reflection; index tables"


def is_opaque(case: Case) -> bool:
    return not (is_transmissive(case) or is_thin_walled(case) or has_subsurface(case))


def is_bare(case: Case) -> bool:
    return is_opaque(case) and not is_coated(case)


def is_opaque_under_coat(case: Case) -> bool:
    return is_opaque(case) and is_coated(case)


def is_dielectric_under_coat(case: Case) -> bool:
    return is_opaque_under_coat(case) and case.is_at("base_metalness", 0.0)


def base_as_seen(p: OpenPbr) -> tuple[Any, Any]:
    """(facing reflectance, albedo of the body) of the base, colours, without what lies above."""
    f0 = f0_from_ior(ior_below_coat(p))
    metal = p.base_color * p.base_weight * p.specular_weight
    facing = (1.0 - p.base_metalness) * f0 * p.specular_color + p.base_metalness * metal
    return facing, (1.0 - p.base_metalness) * p.base_color * p.base_weight * left_below(f0, np.square(roughness_below_coat(p)))


def _whole(p: OpenPbr) -> tuple[Any, Any, Any]:
    """(facing reflectance, albedo of the body, roughness) of coat and base as one, of which the stronger gives the roughness."""
    facing, body = base_as_seen(p)
    f0 = f0_from_ior(p.coat_ior)
    passed = 1.0 - p.coat_weight * (1.0 - left_below(f0, np.square(p.coat_roughness)))
    seen = np.square(passed) * seen_through_coat(p)
    coat, below = p.coat_weight * f0, facing * seen
    roughness = np.where(coat > below.mean(axis=-1, keepdims=True), p.coat_roughness, roughness_below_coat(p))
    return coat + below, body * seen, roughness


def _dielectric(facing: Any, body: Any, roughness: Any) -> tuple[Any, Any, Any]:
    """(base colour, index, weight): up to the common index its weight alone tells how much is reflected, beyond it the index does."""
    f0 = np.clip(facing.mean(axis=-1, keepdims=True), 0.0, HIGHEST_F0)
    return body / left_below(f0, np.square(roughness)), ior_from_f0(np.maximum(f0, COMMON_F0)), np.minimum(f0 / COMMON_F0, 1.0)


def add_constant(rules: RuleSet[OpenPbr], name: str, value: Plain, text: str, when: Any) -> None:
    """A value that is the same for all."""

    def constant(_: Value) -> Plain:
        return value

    rules.choose(name, name, id=name, fidelity=APPROXIMATED, text=text, source="common practice", when=when)(constant)


# As a dielectric

DIELECTRIC = (
    "{base_color} ({base_metalness} metal) below the usual index, or share of it, that reflects as much when facing as {specular_ior}, "
    "{specular_weight}, {specular_color}"
)


@AS_DIELECTRIC.rule(
    "base_color",
    "specular_ior",
    "specular_weight",
    id="base",
    needs=NEEDED,
    fidelity=APPROXIMATED,
    text=DIELECTRIC,
    source=SOURCE,
    when=is_bare,
    cut=("base_color",),
)
def dielectric(p: OpenPbr) -> Any:
    return _dielectric(*base_as_seen(p), p.specular_roughness)


@AS_DIELECTRIC.rule(
    "base_color",
    "specular_ior",
    "specular_weight",
    "specular_roughness",
    id="base_with_coat",
    needs=NEEDED,
    fidelity=APPROXIMATED,
    text=DIELECTRIC + " and {coat_weight} of coat ({coat_ior}) together, as rough as the stronger of both",
    source=SOURCE,
    when=is_opaque_under_coat,
    cut=("base_color",),
)
def dielectric_with_coat(p: OpenPbr) -> Any:
    facing, body, roughness = _whole(p)
    return *_dielectric(facing, body, roughness), roughness


add_constant(AS_DIELECTRIC, "base_metalness", 0.0, "no metal", is_opaque)
add_constant(AS_DIELECTRIC, "specular_color", (1.0, 1.0, 1.0), "untinted, as all but metals reflect", is_opaque)
add_constant(AS_DIELECTRIC, "coat_weight", 0.0, "no coat of its own", is_opaque_under_coat)
add_constant(AS_DIELECTRIC, "base_weight", 1.0, "the base colour says it all", is_opaque)


# As a dielectric that reflects evenly

SHARE_OF_ENERGY = 0.75
"""Between a reflection that is as strong at grazing angles (0) and one that sends back as much in all (1), where the verdicts of highlights
without Fresnel are best (measured, see `bench`)."""


def is_even_dielectric(case: Case) -> bool:
    return is_bare(case) and case.is_at("base_metalness", 0.0)


@AS_EVEN_DIELECTRIC.rule(
    "base_color",
    "specular_ior",
    "specular_color",
    id="base",
    needs=("base_color", "specular_color", "specular_ior", "specular_roughness"),
    fidelity=APPROXIMATED,
    text="{base_color} below the highest usual index, with a grey {specular_color} that makes up for what {specular_ior} reflects more",
    source=SOURCE,
    when=is_even_dielectric,
    cut=("base_color",),
)
def even_dielectric(p: OpenPbr) -> Any:
    f0, alpha = f0_from_ior(p.specular_ior), np.square(p.specular_roughness)
    usual = np.minimum(f0, HIGHEST_F0)
    ratio = (f0 + (1.0 - f0) / 21.0) / (usual + (1.0 - usual) / 21.0)
    grey = p.specular_color.mean(axis=-1, keepdims=True) * np.power(ratio, SHARE_OF_ENERGY)
    body = p.base_color * left_below(f0, alpha) / left_below(usual, alpha)
    return body, ior_from_f0(usual), np.clip(grey, 0.0, 1.0) * np.ones(3)


# As a metal

METAL = "what {base_color} ({base_metalness} metal), {specular_ior}, {specular_weight} and {specular_color} send back when facing"


@AS_METAL.rule(
    "base_color", id="base", needs=NEEDED, fidelity=APPROXIMATED, text=METAL, source="OpenPBR 1.1: metal", when=is_bare, cut=("base_color",)
)
def metal(p: OpenPbr) -> Any:
    facing, body = base_as_seen(p)
    return facing + body


@AS_METAL.rule(
    "base_color",
    "specular_roughness",
    id="base_with_coat",
    needs=NEEDED,
    fidelity=APPROXIMATED,
    text=METAL + " with {coat_weight} of coat ({coat_ior}), as rough as the stronger of both",
    source="OpenPBR 1.1: metal",
    when=is_opaque_under_coat,
    cut=("base_color",),
)
def metal_with_coat(p: OpenPbr) -> Any:
    facing, body, roughness = _whole(p)
    return facing + body, roughness


add_constant(AS_METAL, "base_metalness", 1.0, "all metal", is_opaque)
add_constant(AS_METAL, "specular_color", (1.0, 1.0, 1.0), "untinted near 82°", is_opaque)
add_constant(AS_METAL, "specular_weight", 1.0, "the base colour says it all", is_opaque)
add_constant(AS_METAL, "coat_weight", 0.0, "no coat of its own", is_opaque_under_coat)
add_constant(AS_METAL, "base_weight", 1.0, "the base colour says it all", is_opaque)


# Below a usual coat


def usual_coat_of(p: OpenPbr) -> tuple[Any, Any]:
    """(weight, index) of the coat that reflects as much when facing."""
    f0 = np.clip(p.coat_weight * f0_from_ior(p.coat_ior), 0.0, HIGHEST_F0)
    return np.minimum(f0 / COMMON_F0, 1.0), ior_from_f0(np.maximum(f0, COMMON_F0))


@BELOW_USUAL_COAT.rule(
    "coat_weight",
    "coat_ior",
    id="coat",
    fidelity=APPROXIMATED,
    text="the usual index, or share of it, that reflects as much when facing as {coat_weight} of coat ({coat_ior})",
    source=SOURCE,
    when=is_opaque_under_coat,
)
def usual_coat(p: OpenPbr) -> Any:
    return usual_coat_of(p)


@BELOW_USUAL_COAT.rule(
    "base_color",
    "specular_ior",
    "specular_weight",
    id="base_below_usual_coat",
    needs=NEEDED,
    fidelity=APPROXIMATED,
    text=DIELECTRIC + " below {coat_weight} of coat ({coat_ior})",
    source=SOURCE,
    when=is_dielectric_under_coat,
    cut=("base_color",),
)
def base_belowusual_coat_of(p: OpenPbr) -> Any:
    facing, body = base_as_seen(p)
    weight, index = usual_coat_of(p)
    lets_through = (1.0 - p.coat_weight * f0_from_ior(p.coat_ior)) / (1.0 - weight * f0_from_ior(index))
    color, wanted, share = _dielectric(facing * lets_through, body * np.square(lets_through), roughness_below_coat(p))
    ior, reached = base_reflection_for(wanted, weight, index)
    below = OpenPbr({**vars(p), "coat_weight": weight, "coat_ior": index, "base_color": np.clip(color, 0.0, 1.0)})
    return color * darkened_by_coat(p) / darkened_by_coat(below), np.minimum(ior, INDEX_OF_OPAQUE[1]), reached * share


add_constant(BELOW_USUAL_COAT, "specular_color", (1.0, 1.0, 1.0), "untinted, as all but metals reflect", is_dielectric_under_coat)
