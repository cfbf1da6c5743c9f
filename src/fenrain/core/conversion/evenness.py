"""When two values are one to the eye, and when a computed map says one thing everywhere."""

from __future__ import annotations

from typing import Any

import numpy as np

from fenrain.core.errors import ImageError
from fenrain.core.maps.mean import mean_of, thumbnail
from fenrain.core.models.parameter import INDICES, Parameter
from fenrain.core.optics.fresnel import f0_from_ior
from fenrain.core.values import Computed, Plain

EVEN = "The same everywhere, so a number instead of a map."
SAME_F0 = 1e-3
"""Reflectance when facing by which two indices are one."""
SAME = 5e-4
"""Difference of numbers and of channels by which two values are one: an eighth of a step of 8 bits."""
LEFT_OUT = 2.0
"""Percentiles at either end of a map that do not speak for it."""


def are_one(parameter: Parameter, one: Any, other: Any) -> bool:
    """Whether nobody sees which of two values a parameter has."""
    first, second = (np.asarray(value, dtype=float) for value in (one, other))
    if parameter.role in INDICES:
        return bool(np.all(np.abs(f0_from_ior(first) - f0_from_ior(second)) < SAME_F0))
    return bool(np.all(np.abs(first - second) < SAME))


def same_everywhere(parameter: Parameter, value: Computed) -> Plain | None:
    """The number or colour that a computed map gives wherever it is looked at, None where it varies, or cannot be looked at."""
    try:
        texels = thumbnail(value)
    except ImageError:
        return None
    low, high = np.percentile(texels.reshape(-1, texels.shape[-1]), (LEFT_OUT, 100.0 - LEFT_OUT), axis=0)
    if not are_one(parameter, low, high):
        return None
    mean = mean_of(value)
    return parameter.default if are_one(parameter, mean, parameter.default) else mean
