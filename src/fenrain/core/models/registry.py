"""Finds the shading models: every folder beside this file, and every installed package, that declares a `MODEL`."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cache, cached_property
from typing import Any

import numpy as np

from fenrain.core.discovery import declarations
from fenrain.core.errors import BrokenFileError, ParameterError, UnknownModelError
from fenrain.core.lobes.surface import Surface
from fenrain.core.models.flakes import RULES as FLAKES
from fenrain.core.models.parameter import Parameter, Parameters, Role
from fenrain.core.models.target import Profile, Target
from fenrain.core.optics.arrays import is_colour
from fenrain.core.rules.case import Case, When
from fenrain.core.rules.nodes import NODES, node_rule
from fenrain.core.rules.nodes import PREFIX as NODES_PREFIX
from fenrain.core.rules.rule import Rule, RuleSet
from fenrain.core.values import Constant, Plain, Value

HUB = "open_pbr"
"""The model through which every conversion goes."""


@dataclass(frozen=True)
class Undrawn:
    """Parameters that the surface does not draw in some cases, and why."""

    names: tuple[str, ...]
    why: str
    when: When


@dataclass(frozen=True)
class Model:
    """All that is known of a shading model.

    id: stable name; title: for people; view: its parameters, typed; surface: from a view of all of them to lobes, emission, opacity and
    relief; source: where it is defined; to_hub, from_hub: rules; targets: how it can be converted to, the fullest profile first;
    restated, meant: of the hub, sets of rules that say a material of it again, with usual values, each a candidate, and as its author may
    have meant it, as a dielectric and as a metal; undrawn: what the surface leaves out in some cases, beside the parameters that say so of
    themselves; called: by what other name a person may ask for it as a target.
    """

    id: str
    title: str
    view: type[Parameters]
    surface: Callable[[Any], Surface]
    source: str
    to_hub: RuleSet[Any] | None = None
    from_hub: RuleSet[Any] | None = None
    restated: tuple[RuleSet[Any], ...] = ()
    meant: tuple[RuleSet[Any], ...] = ()
    targets: tuple[Target, ...] = ()
    undrawn: tuple[Undrawn, ...] = ()
    called: str = ""

    @property
    def parameters(self) -> tuple[Parameter, ...]:
        return self.view.declared

    @cached_property
    def by_name(self) -> Mapping[str, Parameter]:
        return {parameter.name: parameter for parameter in self.parameters}

    @cached_property
    def by_role(self) -> Mapping[Role, Parameter]:
        """The parameter that has each role; of several the first."""
        return {parameter.role: parameter for parameter in reversed(self.parameters) if parameter.role is not None}

    @cached_property
    def order(self) -> Mapping[str, int]:
        """The place of each parameter among them, by name."""
        return {name: index for index, name in enumerate(self.by_name)}

    @cached_property
    def _defaults(self) -> Mapping[str, Plain]:
        return {parameter.name: parameter.default for parameter in self.parameters}

    @cached_property
    def _turned(self) -> tuple[Parameter, ...]:
        return tuple(parameter for parameter in self.parameters if parameter.turned_by is not None)

    def defaults(self, values: Mapping[str, Any]) -> Mapping[str, Plain]:
        """Every parameter's default beside these values (plain or not), of which some turn others round: a roughness of 0 that is stated
        as a glossiness is 1."""
        turned = {parameter.name: 1.0 - float(parameter.default) for parameter in self._turned if _is_turned(self, parameter, values)}  # type: ignore[arg-type]
        return {**self._defaults, **turned} if turned else self._defaults

    def parameter(self, name: str) -> Parameter:
        """Raises ParameterError where the model has no such parameter."""
        if name not in self.by_name:
            raise ParameterError(
                f"The model {self.id} has no parameter “{name}”.",
                place=name,
                remedy=f"It has: {', '.join(self.by_name)}.",
            )
        return self.by_name[name]

    def operands(self, values: Mapping[str, Any]) -> dict[str, Any]:
        """Defaults and given values as lobes take them: scalars of any shape, colours components first."""
        defaults = self.defaults(values)
        return {p.name: as_operand(p, values.get(p.name, defaults[p.name])) for p in self.parameters}

    def case(self, values: Mapping[str, Value], profile: Profile | None = None) -> Case:
        """What rules may ask of these values."""
        return Case(values, self.defaults(values), profile.extensions if profile is not None else frozenset())

    def not_drawn(self, values: Mapping[str, Value]) -> dict[str, str]:
        """Names of the parameters that the surface does not draw with these values, and why."""
        found = {parameter.name: parameter.undrawn for parameter in self.parameters if parameter.undrawn}
        case = self.case(values)
        for undrawn in self.undrawn:
            if undrawn.when(case):
                found |= dict.fromkeys(undrawn.names, undrawn.why)
        return found


def _is_turned(model: Model, parameter: Parameter, values: Mapping[str, Any]) -> bool:
    assert parameter.turned_by is not None
    choice, option = parameter.turned_by
    chosen = values.get(choice, model.by_name[choice].default)
    return bool((chosen.value if isinstance(chosen, Constant) else chosen) == option)


def as_operand(parameter: Parameter, value: Any) -> Any:
    """A constant as lobes take it; arrays and traced values as they are. A number that is 0 or 1 stays a plain one, so that a
    surface can leave out what is not there (see `arrays.is_absent`)."""
    if parameter.is_plain or not isinstance(value, (int, float, tuple, list)):
        return value
    if parameter.channels == 3 or isinstance(value, (tuple, list)):
        return np.asarray(value, dtype=float).reshape(3, 1)
    return float(value) if value in (0, 1) else np.asarray(float(value))


@cache
def models() -> Mapping[str, Model]:
    """Every model by id, in the order of their ids."""
    found: list[Model] = declarations("fenrain.core.models", "MODEL", "fenrain.models")
    return {model.id: model for model in sorted(found, key=lambda model: model.id)}


def model_of(model_id: str) -> Model:
    """Raises UnknownModelError."""
    if model_id not in models():
        raise UnknownModelError(f"There is no shading model “{model_id}”.", place=model_id, remedy=f"Known: {', '.join(models())}.")
    return models()[model_id]


@cache
def rule_of(rule_id: str) -> Rule:
    """The rule called `model.direction.name`, or a node of a graph, `nodes.category`. Raises BrokenFileError where there is none."""
    if rule_id.partition(".")[0] == NODES_PREFIX and rule_id.partition(".")[2] in NODES:
        return node_rule(rule_id.partition(".")[2])
    model = models().get(rule_id.split(".")[0])
    for rules in (model.to_hub, model.from_hub, *model.restated, *model.meant) if model is not None else (FLAKES,):
        if rules is not None and rule_id in rules.rules:
            return rules.rules[rule_id]
    raise BrokenFileError(
        f"A stored conversion uses the rule {rule_id}, which is no longer there.", place=rule_id, remedy="Convert the material again."
    )


def target_models() -> Sequence[Model]:
    """The models that can be converted to, the hub first, then by what their first target is called."""
    found = (model for model in models().values() if model.targets)
    return sorted(found, key=lambda model: (model.id != HUB, model.targets[0].title.casefold()))


def evaluate(model: str, parameters: Mapping[str, Any], wi: np.ndarray, wo: np.ndarray) -> np.ndarray:
    """The model's BRDF times cos θ_i for pairs of unit directions.

    model: id; parameters: constants by name, or arrays (n,) and (n, 3); wi: to the light, wo: to the viewer, arrays (n, 3), in the
    frame with normal +z and tangent +x. Returns (n, 3), 1/sr, linear Rec.709. Raises UnknownModelError, ParameterError.
    """
    declared = model_of(model)
    given: dict[str, Any] = {}
    for name, value in parameters.items():
        parameter = declared.parameter(name)
        array = isinstance(value, np.ndarray) and value.ndim == (2 if parameter.channels == 3 else 1) and value.size > 3
        given[name] = value.T if array and parameter.channels == 3 else value if array else parameter.accept(_plain(value))
    surface = declared.surface(declared.view(declared.operands(given)))
    light, view = np.asarray(wi, dtype=float).T, np.asarray(wo, dtype=float).T
    return np.array(np.broadcast_to(spread(surface.evaluate(light, view)), light.shape).T)


def spread(value: Any) -> Any:
    """A scalar as a grey colour."""
    return value if is_colour(value) else np.stack([value, value, value])


def _plain(value: Any) -> Any:
    return value.tolist() if isinstance(value, (np.ndarray, np.generic)) else value
