"""What the third migration makes of stored documents: parameters by the field's words, steps of dialects as values, emission in scene
units. The functions are taken from the migration itself."""

from __future__ import annotations

import importlib.util
from pathlib import Path
from types import ModuleType
from typing import Any

import pytest

import fenrain.store
from fenrain.core.material import Material
from fenrain.core.models.registry import model_of
from fenrain.core.values import value_from_document


@pytest.fixture(scope="module")
def migration() -> ModuleType:
    (path,) = (Path(fenrain.store.__file__).parent / "migrations" / "versions").glob("0003_*.py")
    spec = importlib.util.spec_from_file_location("migration", path)
    assert spec is not None
    assert spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


def stored(model: str, **values: Any) -> dict[str, Any]:
    return {"name": "m", "model": model, "values": {name: {"constant": value} for name, value in values.items()}}


@pytest.mark.parametrize(
    ("model", "old", "new"),
    [
        ("percent", "luminance", "emission_luminance"),
        ("percent", "filter_color", "emission_color"),
        ("gloss_pair", "highlight_apart", "lamps_apart"),
        ("gloss_pair", "highlight_glossiness", "lamp_glossiness"),
        ("weighted", "relief", "bump"),
        ("exponent", "relief_strength", "bump_strength"),
    ],
)
def test_a_parameter_has_its_new_name(migration: ModuleType, model: str, old: str, new: str) -> None:
    renamed = migration._renamed(stored(model, **{old: 0.5}))
    assert renamed["values"] == {new: {"constant": 0.5}}
    assert new in model_of(model).by_name


def test_parts_of_a_mix_are_renamed_too(migration: ModuleType) -> None:
    mix = {**stored("mix"), "parts": [stored("percent", luminance=1.0), stored("gloss_pair", relief=0.1)]}
    first, second = migration._renamed(mix)["parts"]
    assert list(first["values"]) == ["emission_luminance"]
    assert list(second["values"]) == ["bump"]


def test_a_name_of_another_model_stays(migration: ModuleType) -> None:
    assert list(migration._renamed(stored("weighted", luminance=1.0))["values"]) == ["luminance"]


def test_steps_of_a_dialect_become_a_value_that_can_be_read(migration: ModuleType) -> None:
    image = {"image": "abc", "name": "p.png", "channels": "r", "encoding": "linear", "scale": 1.0, "bias": 0.0, "uv_set": 0}
    chain = {
        "rule": "dialect.chain",
        "output": "value",
        "inputs": {
            "value": {"map": {**image, "transform": [0, 0, 0, 1, 1]}},
            "steps": {"constant": '[{"invert": true}]'},
            "factor": {"constant": 0.5},
            "channels": {"constant": 1},
        },
    }
    document = {"name": "m", "model": "weighted", "values": {"specular_roughness": {"computed": chain}}}
    value = migration._renamed(document)["values"]["specular_roughness"]
    from fenrain.core.values import Image, Stepped

    read = value_from_document(value, lambda digest, name: Image(name, Path(digest)))
    assert isinstance(read, Stepped)
    assert (read.factor, read.channels, len(read.steps)) == (0.5, 1, 1)
    assert isinstance(Material("m", "weighted", {"specular_roughness": read}).value("specular_roughness"), Stepped)


def test_emission_that_was_set_by_hand_is_in_scene_units(migration: ModuleType) -> None:
    overrides = {"emission_luminance": {"value": {"constant": 250.0}}, "specular_roughness": {"value": {"constant": 0.5}}}
    changed = migration._in_scene_units(overrides)
    assert changed["emission_luminance"]["value"]["constant"] == 2.5
    assert changed["specular_roughness"]["value"]["constant"] == 0.5
    assert migration._in_scene_units({"emissive_strength": {"value": {"map": {}}}}) == {"emissive_strength": {"value": {"map": {}}}}
