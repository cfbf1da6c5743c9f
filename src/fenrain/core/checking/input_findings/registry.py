"""Finds the findings at the door: each module beside this file, and of installed packages, that declares `FIND`."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import cache

import numpy as np

from fenrain.core.discovery import declarations
from fenrain.core.errors import FenrainError
from fenrain.core.findings import Finding
from fenrain.core.maps.caching import kept
from fenrain.core.maps.image import decode, opened, rows
from fenrain.core.maps.texels import BAND_TEXELS
from fenrain.core.material import Material
from fenrain.core.models.parameter import Kind, Parameter, Role
from fenrain.core.models.registry import Model, model_of
from fenrain.core.surfaces import constants_of
from fenrain.core.values import Constant, Image, Map, images_of

PRACTICE = "common practice"
EDGE = 64
"""Of the small copies that maps are judged by."""


@dataclass(frozen=True)
class Read:
    """A material as it was read, asked by roles."""

    material: Material

    @property
    def model(self) -> Model:
        return model_of(self.material.model)

    def maps(self) -> Iterator[tuple[Parameter, Map]]:
        """The parameters that are plain maps, which can be read to their end."""
        return ((parameter, value) for parameter, value in self.all_maps() if damage_of(value.image) is None)

    def all_maps(self) -> Iterator[tuple[Parameter, Map]]:
        """The same, the damaged ones too."""
        for name, value in self.material.values.items():
            if isinstance(value, Map):
                yield self.model.parameter(name), value

    def constant(self, role: Role) -> float | tuple[float, ...] | None:
        """The number or colour with this role, of a map its mean; None where the model has none or nothing is set."""
        parameter = self.model.by_role.get(role)
        if parameter is None or parameter.name not in self.material.values:
            return None
        if any(damage_of(image) is not None for value in self.material.all_values() for image in images_of(value)):
            return None
        found = constants_of(self.material)[parameter.name]
        return found if isinstance(found, (int, float, tuple)) else None

    def number(self, role: Role) -> float | None:
        found = self.constant(role)
        return float(found) if isinstance(found, (int, float)) else None

    def colour(self, role: Role) -> np.ndarray | None:
        found = self.constant(role)
        return np.asarray(found, dtype=float) if isinstance(found, tuple) else None

    def named(self, role: Role) -> str:
        return self.model.by_role[role].name

    def choice(self, name: str) -> str:
        """The word of a choice, "" where the model has none of this name."""
        if name not in self.model.by_name:
            return ""
        value = self.material.value(name)
        return dict(self.model.by_name[name].options).get(int(value.value), "") if isinstance(value, Constant) else ""  # type: ignore[arg-type]


Finder = Callable[[Read], Iterator[Finding]]


@cache
def _finders() -> tuple[Finder, ...]:
    return tuple(declarations("fenrain.core.checking.input_findings", "FIND", "fenrain.input_findings"))


def with_findings(material: Material) -> Material:
    """The material with everything odd about it among its findings, its parts with theirs."""
    read = Read(material)
    found = tuple(finding for find in _finders() for finding in find(read))
    return replace(material, findings=(*material.findings, *found), parts=tuple(with_findings(part) for part in material.parts))


@kept(64 << 20)
def small_texels(image: Image) -> np.ndarray:
    """Texels of an image as they are stored, evenly picked from all of it, at most about 64 × 64, (h, w, channels)."""
    with opened(image) as (source, info):
        step = max(1, -(-max(info.width, info.height) // EDGE))
        at_once = max(step, BAND_TEXELS // info.width // step * step)
        picked = [
            rows(source, info, begin, min(begin + at_once, info.height), image.name)[::step, ::step]
            for begin in range(0, info.height, at_once)
        ]
    return decode(np.concatenate(picked), info.depth, "linear")


def damage_of(image: Image) -> FenrainError | None:
    """Why an image cannot be read to its end, None where it can."""
    try:
        small_texels(image)
    except FenrainError as refused:
        return refused
    return None


def is_normal_map(texels: np.ndarray) -> tuple[bool, float]:
    """Whether RGB texels are unit vectors that lean away from the surface, and the share of them that are."""
    if texels.shape[-1] < 3:
        return False, 0.0
    vectors = texels[..., :3] * 2.0 - 1.0
    unit = np.abs(np.linalg.norm(vectors, axis=-1) - 1.0) < 0.15
    share = float((unit & (vectors[..., 2] > 0.2)).mean())
    return share > 0.9, share


def is_grey(texels: np.ndarray) -> bool:
    return texels.shape[-1] < 3 or float(np.abs(texels[..., :3] - texels[..., :1]).max()) < 0.02


def is_normal(parameter: Parameter) -> bool:
    return parameter.kind is Kind.NORMAL
