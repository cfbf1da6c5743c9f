"""Finds the shading models: every folder beside this file that declares a `MODEL`."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cache, cached_property
from types import SimpleNamespace
from typing import Any

import numpy as np

from fenrain.core.convert.rule import RuleSet
from fenrain.core.discovery import declarations
from fenrain.core.errors import ParameterError, UnknownModelError
from fenrain.core.lobes.look import Look
from fenrain.core.models.parameter import Parameter
from fenrain.core.optics.arrays import is_colour

HUB = "open_pbr"
"""The model through which every conversion goes."""


@dataclass(frozen=True)
class Model:
    """id: stable name; title: for people; look: from a namespace of values to lobes; source: where it is defined."""

    id: str
    title: str
    parameters: tuple[Parameter, ...]
    look: Callable[[Any], Look]
    source: str
    to_hub: RuleSet | None = None
    from_hub: RuleSet | None = None

    @cached_property
    def by_name(self) -> Mapping[str, Parameter]:
        return {parameter.name: parameter for parameter in self.parameters}

    @cached_property
    def order(self) -> Mapping[str, int]:
        """The place of each parameter among them, by name."""
        return {name: index for index, name in enumerate(self.by_name)}

    def parameter(self, name: str) -> Parameter:
        """Raises ParameterError where the model has no such parameter."""
        if name not in self.by_name:
            raise ParameterError(
                f"The model {self.id} has no parameter “{name}”.",
                place=name,
                remedy=f"It has: {', '.join(self.by_name)}.",
            )
        return self.by_name[name]

    def namespace(self, values: Mapping[str, Any]) -> SimpleNamespace:
        """Defaults and given values as lobes take them: scalars of any shape, colours components first."""
        filled = {p.name: as_operand(p, values.get(p.name, p.default)) for p in self.parameters}
        return SimpleNamespace(**filled)


def as_operand(parameter: Parameter, value: Any) -> Any:
    """A constant as lobes take it; arrays and traced values as they are. A number that is 0 or 1 stays a plain one, so that a
    look can leave out what is not there (see `arrays.is_absent`)."""
    if parameter.is_plain or not isinstance(value, (int, float, tuple, list)):
        return value
    if parameter.channels == 3 or isinstance(value, (tuple, list)):
        return np.asarray(value, dtype=float).reshape(3, 1)
    return float(value) if value in (0, 1) else np.asarray(float(value))


@cache
def models() -> Mapping[str, Model]:
    """Every model by id, in the order of their ids."""
    from fenrain.core import models as package

    return {model.id: model for model in declarations(package, "MODEL")}


def model_of(model_id: str) -> Model:
    """Raises UnknownModelError."""
    if model_id not in models():
        raise UnknownModelError(f"There is no shading model “{model_id}”.", place=model_id, remedy=f"Known: {', '.join(models())}.")
    return models()[model_id]


def evaluate(model: str, parameters: Mapping[str, Any], wi: np.ndarray, wo: np.ndarray) -> np.ndarray:
    """The model's BRDF times cos θ_i for pairs of unit directions.

    model: id; parameters: constants by name, or arrays (n,) and (n, 3); wi: to the light, wo: to the viewer, arrays (n, 3), in the
    frame with normal +z and tangent +x. Returns (n, 3), 1/sr, linear Rec.709. Raises UnknownModelError, ParameterError.
    """
    declared = model_of(model)
    operands: dict[str, Any] = {}
    for name, value in parameters.items():
        parameter = declared.parameter(name)
        array = isinstance(value, np.ndarray) and value.ndim == (2 if parameter.channels == 3 else 1) and value.size > 3
        operands[name] = value.T if array and parameter.channels == 3 else value if array else parameter.accept(_plain(value))
    look = declared.look(declared.namespace(operands))
    light, view = np.asarray(wi, dtype=float).T, np.asarray(wo, dtype=float).T
    return np.array(np.broadcast_to(spread(look.evaluate(light, view)), light.shape).T)


def spread(value: Any) -> Any:
    """A scalar as a grey colour."""
    return value if is_colour(value) else np.stack([value, value, value])


def _plain(value: Any) -> Any:
    return value.tolist() if isinstance(value, (np.ndarray, np.generic)) else value
