"""Finds a rule by its id."""

from __future__ import annotations

from functools import cache

from fenrain.core.convert.rule import Rule
from fenrain.core.dialects.steps import CHAIN
from fenrain.core.errors import BrokenFileError
from fenrain.core.models.registry import model_of


@cache
def rule_of(rule_id: str) -> Rule:
    """The rule called `model.direction.name`. Raises BrokenFileError where there is none, as after a rule was renamed."""
    if rule_id == CHAIN.id:
        return CHAIN
    model_id, direction, *_ = rule_id.split(".")
    model = model_of(model_id)
    rules = model.to_hub if direction == "to_hub" else model.from_hub
    if rules is None or rule_id not in rules.rules:
        raise BrokenFileError(
            f"A stored conversion uses the rule {rule_id}, which is no longer there.", place=rule_id, remedy="Convert the material again."
        )
    return rules.rules[rule_id]
