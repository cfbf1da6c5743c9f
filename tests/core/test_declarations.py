"""What every shading model must state of itself, whoever adds it: parameters, rules, and what its surface leaves out."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from fenrain.core import Material
from fenrain.core.checking.undrawn import find_undrawn_values
from fenrain.core.conversion.engine import convert
from fenrain.core.errors import ParameterError
from fenrain.core.lobes.aspects import ASPECTS
from fenrain.core.material import matters
from fenrain.core.models.parameter import Kind, Parameter
from fenrain.core.models.registry import HUB, Model, model_of, models
from fenrain.core.rules.rule import Kind as RuleKind
from fenrain.core.rules.rule import Rule, named_in

ALL = list(models().values())


def rules_of(model: Model) -> list[tuple[Rule, Model, Model]]:
    """Each rule of a model with the model whose values it reads and the one whose values it gives."""
    hub = model_of(HUB)
    to_hub = [(rule, model, hub) for rule in model.to_hub or ()]
    return to_hub + [(rule, hub, model) for rule in model.from_hub or ()]


def other_than_default(parameter: Parameter) -> Any:
    """A value that says something."""
    if parameter.kind is Kind.FLAG:
        return not parameter.default
    if parameter.kind is Kind.CHOICE:
        return next((value for value, _ in parameter.options if value != parameter.default), parameter.default)
    low, high = max(parameter.low, -10.0), min(parameter.high, 10.0)
    value = low + 0.37 * (high - low)
    return (value, value / 2 + low / 2, value) if parameter.kind is Kind.COLOUR else value


@pytest.mark.parametrize("model", ALL, ids=lambda model: model.id)
def test_parameters_are_stated_in_full(model: Model) -> None:
    assert len(model.by_name) == len(model.parameters)
    for parameter in model.parameters:
        assert parameter.says, parameter.name
        assert parameter.group in ASPECTS, parameter.name
        assert parameter.low <= parameter.high, parameter.name
        assert not parameter.under or parameter.under in model.by_name, parameter.name
        if parameter.kind is Kind.CHOICE:
            assert parameter.default in [value for value, _ in parameter.options], parameter.name
        if parameter.kind in (Kind.NUMBER, Kind.COLOUR):
            assert np.allclose(parameter.accept(parameter.default), parameter.default), parameter.name
            with pytest.raises(ParameterError):
                parameter.accept(float("nan"))


@pytest.mark.parametrize("model", ALL, ids=lambda model: model.id)
def test_rules_name_what_there_is(model: Model) -> None:
    for rule, source, target in rules_of(model):
        assert rule.id.startswith(f"{model.id}."), rule.id
        assert set(rule.sources) <= source.by_name.keys(), rule.id
        assert set(rule.targets) <= target.by_name.keys(), rule.id
        assert set(named_in(rule.text)) <= set(rule.sources), rule.id
        assert rule.source or rule.kind is RuleKind.DROP, f"{rule.id} says where it comes from"
        assert set(rule.cut) <= set(rule.targets), rule.id


@pytest.mark.parametrize("model", ALL, ids=lambda model: model.id)
def test_rule_ids_do_not_hang_on_functions(model: Model) -> None:
    # Stored ledgers hold them: each is stated once, whatever the function below it is called.
    ids = [rule.id for rule, _, _ in rules_of(model)]
    assert len(ids) == len(set(ids))
    assert all(identity.count(".") == 2 for identity in ids)


@pytest.mark.parametrize("model", [model for model in ALL if model.to_hub is not None and model.id != "mix"], ids=lambda model: model.id)
def test_every_value_reaches_the_hub_or_is_lost_by_name(model: Model) -> None:
    # No value falls through: what a material sets is behind a target value or among the losses, alone and with all others.
    for parameter in model.parameters:
        if parameter.kind in (Kind.NORMAL, Kind.SPECTRUM):
            continue
        under = model.by_name.get(parameter.under)
        if under is not None and under.kind is Kind.NORMAL:
            continue
        beside = {under.name: other_than_default(under)} if under is not None else {}
        material = Material.of("m", model.id, beside | {parameter.name: other_than_default(parameter)})
        named = {source for entry in convert(material, HUB).ledger for source in entry.sources}
        if material.values[parameter.name].value != parameter.default:  # type: ignore[union-attr]
            assert parameter.name in named or not says_anything(material, parameter.name), (model.id, parameter.name)


def says_anything(material: Material, name: str) -> bool:
    """Whether the value matters beside the others that are set."""
    return matters(material, model_of(material.model), name)


UNDRAWN = [(model.id, parameter.name) for model in ALL for parameter in model.parameters if parameter.undrawn and model.id != "mix"]


@pytest.mark.parametrize(("model", "name"), UNDRAWN)
def test_what_is_not_drawn_is_said_or_carried(model: str, name: str) -> None:
    parameter = model_of(model).parameter(name)
    if parameter.kind is Kind.NORMAL:
        pytest.skip("a normal is a map; those are tried in test_one_source_of_evidence")
    beside = {parameter.under: other_than_default(model_of(model).parameter(parameter.under))} if parameter.under else {}
    material = Material.of("m", model, beside | {name: other_than_default(parameter)})
    converted = convert(material, HUB).material
    hidden = {one.name for one in find_undrawn_values(material, converted)}
    role = model_of(HUB).by_role.get(parameter.role) if parameter.role is not None else None
    carried = role is not None and converted.value(role.name) == material.values[name]
    assert name in hidden or carried or not says_anything(material, name)


def test_nothing_is_hidden_where_nothing_undrawn_is_set() -> None:
    plain = Material.of("m", "metal_rough", {"metallic": 0.0, "roughness": 0.4})
    assert find_undrawn_values(plain, convert(plain, HUB).material) == ()
