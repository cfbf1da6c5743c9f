"""A value times a number or a colour, in the form that says it best."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from fenrain.core.maps.mean import thumbnail
from fenrain.core.values import Constant, Map, Plain, Stepped, Value

Factor = float | tuple[float, ...]


def times(value: Value, factor: Factor) -> Value:
    """The value times a factor, texel by texel. An image stays the image that it is, with a factor on it."""

    def scaled(number: Plain) -> Factor:
        product = np.asarray(number, dtype=float) * np.asarray(factor, dtype=float)
        return float(product) if product.ndim == 0 else tuple(map(float, product))

    if isinstance(value, Constant):
        return Constant(scaled(value.value))
    if isinstance(value, Map) and (not isinstance(factor, tuple) or len(value.channels) == len(factor)):
        return replace(value, scale=scaled(value.scale), bias=scaled(value.bias))
    if isinstance(value, Stepped):
        return replace(value, factor=scaled(value.factor))
    channels = 3 if isinstance(factor, tuple) or thumbnail(value).shape[-1] == 3 else 1
    return Stepped(value, (), factor, channels)
