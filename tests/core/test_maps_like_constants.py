"""A map of values becomes, texel by texel, what each of the values becomes as a constant: for every model, to every target."""

from __future__ import annotations

from collections import defaultdict
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio
import pytest

from bench.production import MAKERS, production_like
from fenrain.core import Material, Profile
from fenrain.core.checking.quick import quick_check
from fenrain.core.conversion.engine import convert, converted_by_rules, matters
from fenrain.core.maps.texels import Grid, Texels
from fenrain.core.models.registry import model_of, target_models
from fenrain.core.values import Computed, Constant, Image, Map, images_of

TARGETS = tuple(model.id for model in target_models())

TEXELS = 5
MODELS = [model for model in MAKERS if model != "mix"]
ONE_FOR_ALL = {
    ("metal_rough", "gloss_pair"): "the index of refraction is no map in glTF, and a clear glass shows the smallest change of it",
    ("preview", "facing_grazing"): "a tint by map asks for the specular workflow, whose coat has one index",
    **{(target, "channels"): "a body through which light bleeds somewhere is a sheet everywhere" for target in TARGETS},
    **{("exponent", model): "MTL says for a whole material whether it is clear" for model in ("gloss_pair", "metal_switch", "weighted")},
}
"""Where one value must stand for all texels, and why."""


def alike(model: str) -> list[list[Material]]:
    """Production-like materials that agree in flags, choices and tables, which no map can hold."""
    declared, groups = model_of(model), defaultdict(list)
    for material in production_like(model, 120, seed=77):
        groups[tuple(material.value(p.name) for p in declared.parameters if p.is_plain)].append(material)
    return [group[:TEXELS] for group in groups.values() if len(group) >= TEXELS][:3]


def as_maps(materials: list[Material], folder: Path) -> Material:
    """One material whose texels are these; where all agree in a value it stays a constant."""
    values: dict[str, Any] = {}
    for parameter in model_of(materials[0].model).parameters:
        said = [constant(material, parameter.name) for material in materials]
        if parameter.kind == "normal" or all(value == parameter.default for value in said):
            continue
        if all(value == said[0] for value in said):
            values[parameter.name] = Constant(said[0])
            continue
        path = folder / f"{parameter.name}.exr"
        oiio.ImageBuf(np.array(said, np.float32).reshape(1, TEXELS, -1)).write(str(path), "float")
        values[parameter.name] = Map(Image(path.name, path), "rgb" if parameter.channels == 3 else "r")
    return Material("maps", materials[0].model, values)


def constant(material: Material, name: str) -> Any:
    value = material.value(name)
    assert isinstance(value, Constant)
    return value.value


def at_texels(material: Material) -> list[Material]:
    """The material of each texel."""
    declared, found = model_of(material.model), [dict[str, Any]() for _ in range(TEXELS)]
    with Texels(Grid(TEXELS, 1)) as texels:
        for name, value in material.values.items():
            channels = declared.parameter(name).channels
            rows = [value.value] * TEXELS if isinstance(value, Constant) else texels.full(value, 0, 1, channels)[0].tolist()
            for each, row in zip(found, rows, strict=True):
                each[name] = Constant(tuple(row) if channels == 3 else row[0] if isinstance(row, list) else row)
    return [Material("texel", material.model, values) for values in found]


@pytest.mark.parametrize("model", MODELS)
def test_every_texel_is_as_near_as_its_value_alone(model: str, tmp_path: Path) -> None:
    for number, originals in enumerate(alike(model)):
        folder = tmp_path / str(number)
        folder.mkdir()
        mapped = as_maps(originals, folder)
        for target in TARGETS:
            if target == model or (target, model) in ONE_FOR_ALL:
                continue
            # By the rules alone: a format may hold one number where a map was, and says so in the ledger.
            declared = model_of(target)
            (by_rules,) = converted_by_rules([mapped], declared, declared.targets[0].profile)
            for original, texel in zip(originals, at_texels(by_rules.material), strict=True):
                alone = quick_check(original, convert(original, target).material).lobe_error
                assert quick_check(original, texel).lobe_error <= alone + 0.01, (target, original.parameters())


@pytest.mark.parametrize("model", MODELS)
def test_a_value_worked_out_from_maps_names_the_images_of_its_sources(model: str, tmp_path: Path) -> None:
    mapped = as_maps(alike(model)[0], tmp_path)
    conversion = convert(mapped, "standard_surface" if model == "open_pbr" else "open_pbr")
    by_map = [(entry, entry.derived) for entry in conversion.ledger if isinstance(entry.derived, (Map, Computed))]
    assert by_map
    for entry, derived in by_map:
        images = {image for name in entry.sources for image in images_of(mapped.value(name))}
        assert images.issuperset(images_of(derived)), entry.target
        assert list(images_of(derived)), entry.target


@pytest.mark.parametrize("model", MODELS)
def test_no_map_that_matters_is_lost_unsaid(model: str, tmp_path: Path) -> None:
    mapped = as_maps(alike(model)[0], tmp_path)
    for target in (target for target in TARGETS if target != model):
        for profile in (None, Profile("core")):
            mentioned = {name for entry in convert(mapped, target, profile).ledger for name in entry.sources}
            unsaid = {name for name in mapped.values if matters(mapped, model_of(model), name)} - mentioned
            assert not unsaid, (target, profile.name)
