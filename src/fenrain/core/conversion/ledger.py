"""The ledger: for every converted value, which source values it came from, by which rule, and how faithful it is."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import cached_property
from typing import Any

import numpy as np

from fenrain.core.descriptions import describe_as
from fenrain.core.maps.mean import thumbnail
from fenrain.core.material import Material
from fenrain.core.models.registry import Model, model_of
from fenrain.core.rules.fidelity import Fidelity, worst
from fenrain.core.steps import ValueStep, apply_steps
from fenrain.core.values import Constant, Stepped, Value, as_plain, value_to_document


@dataclass(frozen=True, eq=False)
class LedgerStep:
    """One rule at work. Its words are put together when they are first asked for.

    template: what the rule says, with the names of values in braces; source: where the rule comes from; names: of the values that went
    in, from the material.
    """

    rule: str
    template: str
    source: str
    fidelity: Fidelity
    remark: str = ""
    names: tuple[str, ...] = ()
    material: Material | None = None

    @cached_property
    def inputs(self) -> tuple[tuple[str, str], ...]:
        """What went in, by name, in words."""
        if self.material is None:
            return ()
        model = model_of(self.material.model)
        return tuple((name, describe_as(model.parameter(name), self.material.value(name))) for name in self.names)

    @property
    def text(self) -> str:
        """What the rule says, with the numbers filled in."""
        return self.template.format_map({name: f"{name} {words}" for name, words in self.inputs})

    def to_document(self) -> dict[str, Any]:
        return {
            "rule": self.rule,
            "text": self.text,
            "source": self.source,
            "fidelity": str(self.fidelity),
            "inputs": [{"name": name, "value": value} for name, value in self.inputs],
            "remark": self.remark,
        }


class By(StrEnum):
    """Who set a value over the derived one: a person, the fit, a finding's remedy, or a copy of another value."""

    HAND = "hand"
    FIT = "fit"
    REMEDY = "remedy"
    COPY = "copy"


@dataclass(frozen=True)
class Override:
    """A value that stands over the derived one, who set it, and why in words. value: None where it is the derived one, graded; grade: steps
    that a person takes on the value, in their order."""

    value: Value | None
    by: By = By.HAND
    why: str = ""
    grade: tuple[ValueStep, ...] = ()

    def over(self, derived: Value | None) -> Value:
        """What stands over a derived value; there must be one, or a value here."""
        base = derived if self.value is None else self.value
        assert base is not None
        return graded(base, self.grade)

    def to_document(self) -> dict[str, Any]:
        value = None if self.value is None else value_to_document(self.value)
        grade = {"grade": [step.model_dump() for step in self.grade]} if self.grade else {}
        return {"value": value, "by": str(self.by), "why": self.why, **grade}


def graded(value: Value, steps: tuple[ValueStep, ...]) -> Value:
    """A value with steps on it."""
    if not steps:
        return value
    if not isinstance(value, Constant):
        return Stepped(value, steps, 1.0, thumbnail(value).shape[-1])
    return Constant(as_plain(np.asarray(apply_steps(steps, np.asarray(value.value, dtype=float)))))


@dataclass(frozen=True)
class Entry:
    """One line of the ledger.

    target: the converted parameter, or "" for something dropped; group: its optical aspect; derived: what the rules gave;
    override: what stands over it; sources: names of the original's values; steps: from the original to the target; nearest: what the
    nearest answer would be, None where the rules gave it.
    """

    target: str
    group: str
    derived: Value | None
    sources: tuple[str, ...]
    steps: tuple[LedgerStep, ...]
    override: Override | None = None
    nearest: Value | None = None

    @property
    def fidelity(self) -> Fidelity:
        return worst(Fidelity.EXACT, *(step.fidelity for step in self.steps))

    @property
    def value(self) -> Value | None:
        return self.derived if self.override is None else self.override.over(self.derived)

    def to_document(self, target: Model) -> dict[str, Any]:
        """The line as JSON can hold it. target: the model converted to."""

        def shown(value: Value | None) -> str:
            return "" if value is None else describe_as(target.parameter(self.target), value)

        return {
            "target": self.target,
            "group": self.group,
            "fidelity": str(self.fidelity),
            "sources": list(self.sources),
            "derived": None if self.derived is None else value_to_document(self.derived),
            "override": None if self.override is None or self.value is None else value_to_document(self.value),
            "grade": [] if self.override is None else [step.model_dump() for step in self.override.grade],
            "override_by": "" if self.override is None else str(self.override.by),
            "override_why": "" if self.override is None else self.override.why,
            "shown": shown(self.value),
            "shown_derived": shown(self.derived),
            "shown_nearest": shown(self.nearest),
            "steps": [step.to_document() for step in self.steps],
        }


def overridden(entries: tuple[Entry, ...], overrides: Mapping[str, Override], target: Model) -> tuple[Entry, ...]:
    """The entries with values laid over them; a value no rule had set gets an entry of its own."""
    known = {entry.target for entry in entries}
    laid = tuple(replace(entry, override=overrides.get(entry.target)) if entry.target else entry for entry in entries)
    added = (name for name in overrides if name not in known)
    return laid + tuple(Entry(name, target.parameter(name).group, None, (), (), override=overrides[name]) for name in added)
