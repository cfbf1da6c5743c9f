"""How plain a target material is: what it sets, which layers and extensions it needs, and which values no artist would expect.

Of two materials that look the same, the plainer is the one that a person would keep (see `aims`).
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass
from typing import Any

import numpy as np

from fenrain.core.errors import ImageError
from fenrain.core.lobes.aspects import COAT, FUZZ, TRANSMISSION, VOLUME
from fenrain.core.maps.flat import flattened
from fenrain.core.maps.mean import mean_of, thumbnail
from fenrain.core.maps.texels import grid_of
from fenrain.core.material import Material, is_idle, matters
from fenrain.core.models.metal_rough.extensions import needed_by
from fenrain.core.models.parameter import Parameter, Role
from fenrain.core.models.registry import Model, model_of
from fenrain.core.models.usual import (
    BRIGHTEST_BODY,
    DARKEST_BODY,
    INDEX_OF_CLEAR,
    INDEX_OF_OPAQUE,
    MOST_TINT,
    NO_METAL,
    ROUGHEST,
    SMOOTHEST,
    WHOLE_METAL,
)
from fenrain.core.values import Constant

OF_THE_REFLECTION = (Role.ROUGHNESS, Role.INDEX, Role.SPECULAR_COLOR)
MOST_BETWEEN = 0.5
"""Share of a map up to which half-metals are edges between a metal and none."""
LAYERS = (COAT, FUZZ, TRANSMISSION, VOLUME)


@dataclass(frozen=True)
class Unusual:
    """A value outside what is usual: whose, what it is, and why in words."""

    parameter: str
    role: Role
    text: str


@dataclass(frozen=True)
class Plainness:
    """set_values: names of parameters away from their defaults that have an effect; layers: optical aspects beside the body and its
    reflection; extensions: those that the target's format needs; maps, texels: of what is written."""

    unusual: tuple[Unusual, ...]
    layers: tuple[str, ...]
    extensions: tuple[str, ...]
    set_values: tuple[str, ...]
    maps: int
    texels: int

    @property
    def avoidable(self) -> tuple[Unusual, ...]:
        """Unusual values that another answer may not have: how bright a body is, the source says."""
        return tuple(one for one in self.unusual if one.role is not Role.BASE_COLOR)

    @property
    def rank(self) -> tuple[int, int, int, int]:
        """To sort by, the plainest first: unusual values count most, then layers and extensions, then maps, then values."""
        return len(self.avoidable), len(self.layers) + len(self.extensions), self.maps, len(self.set_values)

    def __str__(self) -> str:
        """In words: “2 unusual values, 1 layer, 3 maps”; “plain” where nothing is to be said."""
        counted = (
            (len(self.unusual), "unusual value"),
            (len(self.layers), "layer"),
            (len(self.extensions), "extension"),
            (self.maps, "map"),
        )
        return ", ".join(f"{count} {noun}{'' if count == 1 else 's'}" for count, noun in counted if count) or "plain"


def plainness_of(material: Material) -> Plainness:
    """The plainness of a material of a model that is a target."""
    model = model_of(material.model)
    names = tuple(parameter.name for parameter in model.parameters if matters(material, model, parameter.name))
    groups = {model.parameter(name).group for name in names}
    sizes = _sizes_of_maps(material)
    return Plainness(
        tuple(_unusual(material, model)),
        tuple(layer for layer in LAYERS if layer in groups),
        tuple(sorted({extension for name in names if (extension := _extension(model, name))})),
        names,
        len(sizes),
        sum(sizes),
    )


def _extension(model: Model, name: str) -> str | None:
    return needed_by(name) if model.id == "metal_rough" else None


def _sizes_of_maps(material: Material) -> list[int]:
    found = []
    for value in material.values.values():
        try:
            written = flattened(value)
        except ImageError:
            continue
        if not isinstance(written, Constant):
            grid = grid_of([written])
            found.append(grid.width * grid.height)
    return found


def _unusual(material: Material, model: Model) -> Iterator[Unusual]:
    values = _Values(material, model)
    for role, judge in _JUDGES.items():
        if role in OF_THE_REFLECTION and not values.reflects:
            continue
        parameter = model.by_role.get(role)
        if parameter is None or not matters(material, model, parameter.name):
            continue
        text = judge(values, values.of(parameter))
        if text:
            yield Unusual(parameter.name, role, f"{parameter.name} {_shown(values.of(parameter))}: {text}")


class _Values:
    """A material's values, of maps their means, asked by role."""

    def __init__(self, material: Material, model: Model) -> None:
        self._material, self._model, self._means = material, model, _means(material)
        self.says_metalness = Role.METALNESS in model.by_role
        self.metalness = self.number(Role.METALNESS)
        self.is_metal = self.metalness > WHOLE_METAL
        self.half_metal = self._share_between(Role.METALNESS, NO_METAL, WHOLE_METAL)
        self.is_clear = self.number(Role.TRANSMISSION) > 0.5
        self.reflects = bool(self.is_metal or self.is_clear or self.number(Role.SPECULAR_WEIGHT, 1.0))
        self.is_emissive = bool(self.number(Role.EMISSION_COLOR) * (self.number(Role.EMISSION_WEIGHT, 1.0)))

    def of(self, parameter: Parameter) -> np.ndarray:
        value = self._material.value(parameter.name)
        found = value.value if isinstance(value, Constant) else self._means.get(parameter.name, parameter.default)
        return np.atleast_1d(np.asarray(found, dtype=float))

    def _share_between(self, role: Role, low: float, high: float) -> float:
        """How much of the surface has a number between these, 0…1."""
        parameter = self._model.by_role.get(role)
        if parameter is None:
            return 0.0
        value = self._material.value(parameter.name)
        texels = self.of(parameter)
        if not isinstance(value, Constant):
            with suppress(ImageError):
                texels = thumbnail(value)
        return float(np.mean((texels > low) & (texels < high)))

    def number(self, role: Role, without: float = 0.0) -> float:
        """The largest channel of the value with this role; `without` where the model has none or it has no effect."""
        parameter = self._model.by_role.get(role)
        if parameter is None or is_idle(self._material, self._model, parameter.name):
            return without
        return float(self.of(parameter).max())


def _means(material: Material) -> dict[str, Any]:
    """Of values that are maps, by name; none of what is damaged."""
    found = {}
    for name, value in material.values.items():
        if not isinstance(value, Constant):
            with suppress(ImageError):
                found[name] = mean_of(value)
    return found


def _index(values: _Values, found: np.ndarray) -> str:
    if values.is_metal:
        return ""
    low, high = INDEX_OF_CLEAR if values.is_clear else INDEX_OF_OPAQUE
    return "" if low <= round(float(found[0]), 4) <= high else f"{'clear' if values.is_clear else 'opaque'} bodies have {low:g} to {high:g}"


def _index_of_coat(values: _Values, found: np.ndarray) -> str:
    low, high = INDEX_OF_OPAQUE
    return "" if low <= round(float(found[0]), 4) <= high else f"coats have {low:g} to {high:g}"


def _metalness(values: _Values, found: np.ndarray) -> str:
    return "a surface is a metal or it is none" if values.half_metal > MOST_BETWEEN else ""


def _tint(values: _Values, found: np.ndarray) -> str:
    tinted = found.max() - found.min() > MOST_TINT * found.max()
    is_dielectric = values.says_metalness and values.metalness < NO_METAL
    return "only metals reflect in colour" if tinted and is_dielectric else ""


def _roughness(values: _Values, found: np.ndarray) -> str:
    smoothest = 0.0 if values.is_clear else SMOOTHEST
    return "" if smoothest <= found[0] <= ROUGHEST else f"surfaces have {smoothest:g} to {ROUGHEST:g}"


def _roughness_of_coat(values: _Values, found: np.ndarray) -> str:
    return "" if found[0] <= ROUGHEST else f"coats have 0 to {ROUGHEST:g}"


def _albedo(values: _Values, found: np.ndarray) -> str:
    if values.is_clear:
        return ""
    if found.max() < DARKEST_BODY and values.says_metalness and not values.is_emissive:
        return f"bodies have {DARKEST_BODY:g} and more"
    return f"bodies have at most {BRIGHTEST_BODY:g}" if found.min() > BRIGHTEST_BODY and not values.is_metal else ""


_JUDGES = {
    Role.BASE_COLOR: _albedo,
    Role.METALNESS: _metalness,
    Role.ROUGHNESS: _roughness,
    Role.INDEX: _index,
    Role.SPECULAR_COLOR: _tint,
    Role.COAT_ROUGHNESS: _roughness_of_coat,
    Role.COAT_INDEX: _index_of_coat,
}


def _shown(found: np.ndarray) -> str:
    return f"{found[0]:.3g}" if len(found) == 1 else "(" + ", ".join(f"{part:.3g}" for part in found) + ")"
