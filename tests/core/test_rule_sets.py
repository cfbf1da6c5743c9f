"""The rules of every model, looked at as data: nothing names what is not there, nothing is left without a word."""

from __future__ import annotations

import string
from typing import Any

import numpy as np
import pytest

from fenrain.core import Material
from fenrain.core.checking.quick import lobe_error, response
from fenrain.core.conversion.engine import convert
from fenrain.core.models.registry import HUB, Model, model_of, models
from fenrain.core.rules.rule import Kind, Rule, RuleSet
from fenrain.core.surfaces import mean_surface
from fenrain.core.values import Constant

SETS: list[tuple[RuleSet[Any], str, str]] = [
    *((model.to_hub, model.id, HUB) for model in models().values() if model.to_hub is not None),
    *((model.from_hub, HUB, model.id) for model in models().values() if model.from_hub is not None),
]
RULES: list[tuple[Rule, Model, Model]] = [(rule, model_of(source), model_of(target)) for rules, source, target in SETS for rule in rules]


@pytest.mark.parametrize("index", range(len(SETS)), ids=[rules.id for rules, _, _ in SETS])
def test_rules_name_only_what_their_models_have(index: int) -> None:
    rules, source, target = SETS[index]
    for rule in rules:
        assert set(rule.sources) <= set(model_of(source).by_name), rule.id
        assert set(rule.targets) <= set(model_of(target).by_name), rule.id


@pytest.mark.parametrize("index", range(len(SETS)), ids=[rules.id for rules, _, _ in SETS])
def test_every_rule_says_in_words_what_it_does_and_where_it_is_from(index: int) -> None:
    for rule in SETS[index][0]:
        fields = {name for _, name, _, _ in string.Formatter().parse(rule.text) if name}
        assert fields <= set(rule.sources), f"{rule.id} speaks of {fields - set(rule.sources)}"
        assert rule.kind is Kind.DROP or rule.source, f"{rule.id} names no source"
        assert len(rule.text) > 8, rule.id


@pytest.mark.parametrize("index", range(len(SETS)), ids=[rules.id for rules, _, _ in SETS])
def test_every_parameter_of_the_source_has_a_rule(index: int) -> None:
    rules, source, target = SETS[index]
    spoken = {name for rule in rules for name in rule.sources}
    silent = {p.name for p in model_of(source).parameters if p.name not in spoken}
    # What a lean target has no place for at all is named by the engine itself, by “no place”; legacy models must name their own.
    if target == HUB:
        assert not silent, f"{source}: {silent}"


def at_default(model: Model) -> dict[str, Any]:
    return {p.name: Constant(p.default) for p in model.parameters if p.kind != "normal"}


@pytest.mark.parametrize("model", [model.id for model in models().values() if model.to_hub is not None])
def test_saying_a_default_is_the_same_as_saying_nothing(model: str) -> None:
    silent = convert(Material(model, model), HUB).material
    spoken = convert(Material(model, model, at_default(model_of(model))), HUB).material
    assert lobe_error(response(mean_surface(silent)), response(mean_surface(spoken))) < 1e-9


@pytest.mark.parametrize("model", [model.id for model in models().values() if model.to_hub is not None])
def test_rules_give_values_that_the_hub_accepts_at_the_ends_of_every_range(model: str) -> None:
    declared, random = model_of(model), np.random.default_rng(41)
    for _ in range(40):
        values: dict[str, Any] = {}
        for parameter in declared.parameters:
            low, high = max(parameter.low, -50.0), min(parameter.high, 50.0)
            if parameter.kind == "number":
                values[parameter.name] = float(random.choice([low, high, random.uniform(low, high)]))
            elif parameter.kind == "colour":
                values[parameter.name] = tuple(float(part) for part in random.choice([max(low, 0.0), min(high, 1.0)], 3))
            elif parameter.kind == "choice":
                values[parameter.name] = int(random.choice([key for key, _ in parameter.options]))
            elif parameter.kind == "flag":
                values[parameter.name] = bool(random.random() < 0.5)
        converted = convert(Material.of("m", model, values), HUB).material
        for name, value in converted.parameters().items():
            numbers = np.asarray(value, dtype=float)
            assert np.isfinite(numbers).all(), (name, value, values)
            model_of(HUB).parameter(name).accept(list(value) if isinstance(value, tuple) else value)


@pytest.mark.parametrize("rule", [rule for rule, _, _ in RULES if rule.kind is Kind.DROP], ids=lambda rule: rule.id)
def test_what_is_dropped_comes_with_the_nearest_choice(rule: Rule) -> None:
    assert "Instead:" in rule.text
    assert not rule.targets
