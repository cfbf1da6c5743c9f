"""Constants in place of maps: the mean over the surface, for checks on directions."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np

from fenrain.core.lobes.look import Look
from fenrain.core.maps.texels import Texels, small_grid
from fenrain.core.material import Constant, Material, Value
from fenrain.core.models.registry import model_of


def constants_of(material: Material) -> dict[str, Any]:
    """Every set value as a constant; of normal maps, none (the surface's own normal)."""
    model = model_of(material.model)
    return {
        name: value.value if isinstance(value, Constant) else mean_of(value)
        for name, value in material.values.items()
        if isinstance(value, Constant) or model.parameter(name).kind != "normal"
    }


def mean_look(material: Material) -> Look:
    """The look of a material, its maps taken at their mean."""
    model = model_of(material.model)
    operands = model.namespace(constants_of(material))
    operands.parts = tuple(mean_look(part) for part in material.parts)
    return model.look(operands)


@lru_cache(maxsize=512)
def mean_of(value: Value) -> float | tuple[float, ...]:
    """The mean of a map, in linear light."""
    mean = thumbnail(value).reshape(-1, thumbnail(value).shape[-1]).mean(axis=0)
    return tuple(float(part) for part in mean) if mean.size == 3 else float(mean[0])


@lru_cache(maxsize=128)
def thumbnail(value: Value) -> np.ndarray:
    """The value on a small grid, (edge, edge, channels)."""
    small = small_grid([value])
    with Texels(small) as texels:
        result = np.asarray(texels.at(value, 0, small.height))
    return np.broadcast_to(result, (small.height, small.width, result.shape[-1]))
