"""What holds of every shading model whatever its values: each parameter counts, a default said aloud changes nothing, and the plain
directions in which a value moves a look."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from bench.production import MAKERS, production_like
from fenrain.core import Material, evaluate
from fenrain.core.checking.quick import lobe_error, quick_check, reflectance, response
from fenrain.core.conversion.engine import convert
from fenrain.core.models.parameter import Parameter
from fenrain.core.models.registry import model_of, models, target_models
from fenrain.core.surfaces import mean_surface
from fenrain.core.values import Constant
from tests.core.test_conversion import random_material

TARGETS = tuple(model.id for model in target_models())

SINGLE = [model for model in models() if model != "mix"]
ELSEWHERE = (
    "bump", "displacement", "strength", "detail", "flake", "tile", "vertex", "occlusion", "decal", "reflection_image", "ambient",
    "bending", "subsurface_radius", "subsurface_scale", "scatter_anisotropy", "subsurface_anisotropy", "thickness", "opacitymode",
)  # fmt: skip
"""Parts of names of what acts through maps, on the mesh, on the picture behind, or inside a body, and so not on a look at directions."""
COUNTED = [
    (model, parameter)
    for model in SINGLE
    for parameter in models()[model].parameters
    if parameter.kind in ("number", "colour", "flag", "choice")
    and not parameter.extra
    and not any(part in parameter.name.lower() for part in ELSEWHERE)
]


FEW = 16
"""One direction of so many tells whether anything changes at all."""


def moved(parameter: Parameter, value: Any, random: np.random.Generator) -> Any:
    """Another value that the parameter allows."""
    if parameter.kind == "flag":
        return not value
    if parameter.kind == "choice":
        return int(random.choice([key for key, _ in parameter.options if key != value]))
    low, high = parameter.usual or (max(parameter.low, 0.0), min(parameter.high, 1.0))
    other = random.uniform(low, high, parameter.channels)
    return tuple(other.tolist()) if parameter.channels == 3 else float(other[0])


@pytest.mark.parametrize(("model", "parameter"), COUNTED, ids=[f"{model} {parameter.name}" for model, parameter in COUNTED])
def test_every_parameter_counts_somewhere(model: str, parameter: Parameter) -> None:
    random = np.random.default_rng(3)
    for _ in range(40):
        material = random_material(model, random, extras=False)
        value = material.value(parameter.name)
        assert isinstance(value, Constant)
        other = material.having(**{parameter.name: Constant(moved(parameter, value.value, random))})
        if lobe_error(*(response(mean_surface(one), FEW) for one in (material, other))) > 1e-6:
            return
    pytest.fail(f"{parameter.name} of {model} never changed the look")


@pytest.mark.parametrize("model", [model for model in MAKERS if model != "mix"])
def test_a_default_said_aloud_changes_nothing(model: str) -> None:
    declared = model_of(model)
    for material in production_like(model, 4, seed=41):
        unsaid = {p.name: Constant(p.default) for p in declared.parameters if p.name not in material.values and p.kind != "normal"}
        aloud = material.having(**unsaid)
        assert quick_check(material, aloud).lobe_error < 1e-9
        for target in TARGETS:
            quiet, spoken = (convert(each, target).material for each in (material, aloud))
            assert quick_check(quiet, spoken).lobe_error < 1e-9, target


PERMUTED = [model for model in MAKERS if model not in ("measured", "mix")]


@pytest.mark.parametrize("model", PERMUTED)
@pytest.mark.parametrize("target", ["open_pbr", "standard_surface", "preview"])
def test_red_green_and_blue_are_treated_alike(model: str, target: str) -> None:
    declared = model_of(model)
    for material in production_like(model, 8, seed=43):
        rotated = material.having(**{
            name: Constant((value.value[1], value.value[2], value.value[0]))
            for name, value in material.values.items()
            if isinstance(value, Constant) and isinstance(value.value, tuple) and declared.parameter(name).kind == "colour"
        })  # fmt: skip
        plain, other = (convert(each, target).material.parameters() for each in (material, rotated))
        assert plain.keys() == other.keys()
        for name, value in plain.items():
            expected = (value[1], value[2], value[0]) if isinstance(value, tuple) else value
            assert np.allclose(np.asarray(other[name], dtype=float), np.asarray(expected, dtype=float), rtol=1e-6, atol=1e-9), name


PHYSICAL = [target for target in TARGETS if target != "exponent"]


def facing(model: str, values: dict[str, Any]) -> float:
    """Reflectance of the strongest channel, looked at nearly facing."""
    return float(reflectance(response(mean_surface(Material.of("m", model, values))))[0].max())


def peak(model: str, values: dict[str, Any]) -> float:
    """Height of the highlight: BRDF × cosine towards the mirror direction at 30°."""
    sine, cosine = np.sin(np.pi / 6), np.cos(np.pi / 6)
    wi, wo = np.array([[-sine, 0.0, cosine]]), np.array([[sine, 0.0, cosine]])
    return float(evaluate(model, values, wi, wo).max())


ROUGH = [
    ("spec_gloss", {"diffuse": (0, 0, 0), "specular": (0.8,) * 3}, "glossiness", (0.2, 0.5, 0.8)),
    ("gloss_pair", {"diffuse": (0, 0, 0), "reflection": (0.8,) * 3}, "reflection_glossiness", (0.4, 0.7, 0.9)),
    ("weighted", {"diffuse_weight": 0.0, "specular_weight": 1.0}, "specular_roughness", (0.8, 0.5, 0.2)),
    ("facing_grazing", {"diffuse_gain": 0.0, "main_facing": (0.8,) * 3}, "main_roughness", (0.8, 0.5, 0.2)),
    ("metal_switch", {"metal": True, "base_color": (0.8,) * 3}, "finish", (0.8, 0.5, 0.2)),
    ("measured", {}, "roughness", (80.0, 50.0, 20.0)),
    ("percent", {"color": (0, 0, 0), "reflectance": 60.0}, "roughness", (80.0, 50.0, 20.0)),
    ("metal_rough", {"metallic": 1.0, "base_color": (0.8,) * 3}, "roughness", (0.8, 0.5, 0.2)),
    ("preview", {"metallic": 1.0, "diffuseColor": (0.8,) * 3}, "roughness", (0.8, 0.5, 0.2)),
    ("standard_surface", {"metalness": 1.0, "base_color": (0.8,) * 3}, "specular_roughness", (0.8, 0.5, 0.2)),
    ("open_pbr", {"base_metalness": 1.0, "base_color": (0.8,) * 3}, "specular_roughness", (0.8, 0.5, 0.2)),
]


@pytest.mark.parametrize(("model", "values", "name", "from_dull_to_sharp"), ROUGH, ids=[case[0] for case in ROUGH])
def test_sharper_means_a_higher_highlight_before_and_after(
    model: str, values: dict[str, Any], name: str, from_dull_to_sharp: tuple[float, ...]
) -> None:
    # Common practice: glossiness sharpens, roughness dulls. A highlight by exponent has one height for every width, so it is left out.
    for target in (model, *PHYSICAL):
        converted = [convert(Material.of("m", model, values | {name: value}), target).material for value in from_dull_to_sharp]
        heights = [peak(material.model, material.parameters()) for material in converted]
        assert heights == sorted(heights), target
        assert heights[-1] > 2.0 * heights[0], target


INDEXED = [
    ("gloss_pair", {"reflection": (1.0,) * 3}, "ior"), ("weighted", {"specular_weight": 1.0}, "ior"), ("metal_switch", {}, "ior"),
    ("metal_rough", {"metallic": 0.0}, "ior"), ("preview", {}, "ior"), ("standard_surface", {}, "specular_IOR"),
    ("open_pbr", {}, "specular_ior"),
]  # fmt: skip


@pytest.mark.parametrize(("model", "values", "name"), INDEXED, ids=[case[0] for case in INDEXED])
def test_a_higher_index_reflects_more_before_and_after(model: str, values: dict[str, Any], name: str) -> None:
    # Fresnel equations at normal incidence (Born & Wolf §1.5): F0 grows with the index above 1. An exponent says no index.
    black = {p.name: (0.0, 0.0, 0.0) for p in model_of(model).parameters if p.kind == "colour" and p.name in BODIES}
    for target in (model, *PHYSICAL):
        converted = [convert(Material.of("m", model, black | values | {name: index}), target).material for index in (1.3, 1.5, 1.8, 2.4)]
        heights = [facing(material.model, material.parameters()) for material in converted]
        assert heights == sorted(heights), target
        assert heights[-1] > 1.5 * heights[0], target


BODIES = ("diffuse", "diffuse_color", "base_color", "diffuseColor")


@pytest.mark.parametrize("share", [0.0, 0.3, 1.0])
@pytest.mark.parametrize("model", ["spec_gloss", "weighted", "metal_switch", "open_pbr"])
def test_a_mix_of_a_material_with_itself_is_that_material(model: str, share: float) -> None:
    for material in production_like(model, 4, seed=47):
        mixed = Material.of("mixed", "mix", {"amount": share}, parts=(material, material))
        assert quick_check(material, mixed).lobe_error < 1e-9
        for target in TARGETS:
            alone, together = (convert(each, target).material for each in (material, mixed))
            assert quick_check(alone, together).lobe_error < 1e-9, target
