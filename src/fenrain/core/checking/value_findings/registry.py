"""Finds the findings: each module beside this file, and of installed packages, that declares `FIND`."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np

from fenrain.core.conversion.engine import Conversion
from fenrain.core.discovery import declarations
from fenrain.core.findings import Finding
from fenrain.core.material import Material
from fenrain.core.models.parameter import Parameter, Role
from fenrain.core.models.registry import Model
from fenrain.core.models.usual import WHOLE_METAL
from fenrain.core.surfaces import constants_of
from fenrain.core.values import Constant, Plain

PRACTICE = "common practice"


@dataclass(frozen=True)
class Subject:
    """A conversion, asked by roles, whatever its target calls the values."""

    conversion: Conversion

    @property
    def material(self) -> Material:
        return self.conversion.material

    @property
    def model(self) -> Model:
        return self.conversion.target

    def parameter(self, role: Role) -> Parameter | None:
        return self.model.by_role.get(role)

    def number(self, role: Role) -> float | None:
        """The value with this role where it is a plain number that has an effect."""
        parameter = self.parameter(role)
        if parameter is None or (parameter.under and self.material.value(parameter.under) == Constant(0.0)):
            return None
        value = self.material.value(parameter.name)
        return float(value.value) if isinstance(value, Constant) and isinstance(value.value, (int, float)) else None

    def is_set(self, role: Role) -> bool:
        parameter = self.parameter(role)
        return parameter is not None and parameter.name in self.material.values

    def color(self, role: Role) -> np.ndarray | None:
        """The colour with this role where it is set, of a map its mean, (3,)."""
        parameter = self.parameter(role)
        if parameter is None or parameter.name not in self.material.values:
            return None
        return np.broadcast_to(np.asarray(constants_of(self.material)[parameter.name], dtype=float), (3,))

    def is_constant(self, role: Role) -> bool:
        parameter = self.parameter(role)
        return parameter is not None and isinstance(self.material.value(parameter.name), Constant)

    @property
    def is_metal(self) -> bool:
        return (self.number(Role.METALNESS) or 0.0) > WHOLE_METAL

    @property
    def is_mostly_clear(self) -> bool:
        return (self.number(Role.TRANSMISSION) or 0.0) > 0.5

    @property
    def is_emissive(self) -> bool:
        strength, color = self.number(Role.EMISSION_WEIGHT), self.color(Role.EMISSION_COLOR)
        return (strength is None or strength > 0.0) and color is not None and bool(color.any())


Finder = Callable[[Subject], Iterator[Finding]]


@cache
def _finders() -> tuple[Finder, ...]:
    return tuple(declarations("fenrain.core.checking.value_findings", "FIND", "fenrain.findings"))


def findings_of(conversion: Conversion) -> tuple[Finding, ...]:
    """Everything odd about a conversion."""
    subject = Subject(conversion)
    return tuple(finding for find in _finders() for finding in find(subject))


def with_strongest(color: np.ndarray, strongest: float) -> Plain:
    """The same hue with this strongest channel; black becomes grey."""
    if color.max() <= 0.0:
        return (strongest,) * 3
    return tuple(float(round(part, 6)) for part in color * (strongest / color.max()))


def shown(color: Any) -> str:
    return "(" + ", ".join(f"{part:.3g}" for part in color) + ")"
