"""Many materials, and many texels, in one go: what stands beside a value must not change what becomes of it.

The short suite misses: most random materials.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio
import pytest

from bench.production import MAKERS, production_like
from fenrain.core import Conversion, Material
from fenrain.core.conversion.engine import convert, convert_all
from fenrain.core.models.parameter import Parameter
from fenrain.core.models.registry import model_of, models, target_models
from fenrain.core.rules.rule import Kind as RuleKind
from fenrain.core.rules.rule import Rule
from fenrain.core.values import Constant, Image, Map
from tests.core.test_conversion import random_material
from tests.sizes import sized

TARGETS = tuple(model.id for model in target_models())

COMPUTED = [
    (rule, model.id if rules is model.to_hub else "open_pbr")
    for model in models().values()
    for rules in (model.to_hub, model.from_hub)
    for rule in rules or ()
    if rule.kind is RuleKind.COMPUTE and not rule.whole
]


def materials_of(model: str) -> list[Material]:
    random = np.random.default_rng(31)
    count = sized(2, 5)
    return production_like(model, count) + ([] if model == "mix" else [random_material(model, random) for _ in range(count)])


def in_words(conversion: Conversion) -> list[Any]:
    return [
        (entry.target, entry.sources, entry.fidelity, [(step.rule, step.text, step.remark) for step in entry.steps])
        for entry in conversion.ledger
    ]


@pytest.mark.population
@pytest.mark.parametrize("model", list(MAKERS))
def test_many_materials_at_once_become_what_each_becomes_alone(model: str) -> None:
    materials = materials_of(model)
    for target in TARGETS:
        for material, conversion in zip(materials, convert_all(materials, target), strict=True):
            alone = convert(material, target)
            assert in_words(conversion) == in_words(alone)
            together, expected = conversion.material.parameters(), alone.material.parameters()
            assert together.keys() == expected.keys()
            for name, value in together.items():
                assert np.allclose(np.asarray(value, dtype=float), np.asarray(expected[name], dtype=float), rtol=1e-9, atol=1e-12), name


def test_materials_of_several_models_keep_their_order() -> None:
    materials = [material for pair in zip(production_like("weighted", 3), production_like("mix", 3), strict=True) for material in pair]
    assert [conversion.original for conversion in convert_all(materials, "metal_rough")] == materials
    assert convert_all([], "metal_rough") == []


def arguments(parameter: Parameter, random: np.random.Generator, count: int) -> Any:
    """Values of the whole range, both ends and the default among them; what must be one for all is one."""
    if parameter.is_plain:
        return parameter.default if parameter.kind == "spectrum" else int(random.choice([key for key, _ in parameter.options] or [0, 1]))
    low, high = parameter.usual or (0.0, 1.0)
    low = parameter.low if np.isfinite(parameter.low) else low
    high = parameter.high if np.isfinite(parameter.high) else high
    values = random.uniform(low, high, (count, parameter.channels))
    ends = random.choice([low, high], (count, 1)) * np.ones(parameter.channels)
    default = np.broadcast_to(np.asarray(parameter.default, dtype=float), values.shape)
    return np.select([random.random((count, 1)) < 0.3, random.random((count, 1)) < 0.3], [ends, default], values)


@pytest.mark.parametrize(("rule", "model"), COMPUTED, ids=[rule.id for rule, _ in COMPUTED])
def test_a_rule_gives_a_texel_the_same_whatever_stands_beside_it(rule: Rule, model: str) -> None:
    random, count = np.random.default_rng(7), 24
    declared = model_of(model)
    for _ in range(4):
        taken = {name: arguments(declared.parameter(name), random, count) for name in rule.sources}
        together = rule.results(taken)
        for index in range(count):
            alone = rule.results({name: value[index] if isinstance(value, np.ndarray) else value for name, value in taken.items()})
            for name, value in together.items():
                row = np.broadcast_to(value, (count, np.shape(alone[name])[-1]))[index] if np.ndim(value) else value
                assert np.allclose(row, alone[name], rtol=1e-9, atol=1e-12), name


@pytest.mark.parametrize(("clear_rows", "share"), [(6, "75 %"), (2, "25 %")])
def test_a_sheet_in_part_of_a_map_decides_for_the_whole_and_the_ledger_says_how_much(tmp_path: Path, clear_rows: int, share: str) -> None:
    amount = np.ones((8, 8, 1), np.float32)
    amount[:clear_rows] = 0.0
    oiio.ImageBuf(amount).write(str(tmp_path / "amount.exr"), "float")
    sheet = Material.of("sheet", "open_pbr", {"geometry_thin_walled": True, "transmission_weight": 1.0})
    wall = Material.of("wall", "spec_gloss", {"diffuse": (0.3, 0.2, 0.1)})
    mixed = Material.of("mixed", "mix", {"amount": Map(Image("amount.exr", tmp_path / "amount.exr"), "r")}, parts=(sheet, wall))
    conversion = convert(mixed, "open_pbr")
    assert conversion.material.value("geometry_thin_walled") == Constant(True)
    entry = next(entry for entry in conversion.ledger if entry.target == "geometry_thin_walled")
    assert share in entry.steps[-1].remark
    assert entry.fidelity == "approximated"
