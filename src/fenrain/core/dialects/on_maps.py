"""A dialect's steps on a map: what can be is folded into the map's own channel, encoding, scale and bias, the rest runs on its texels."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from fenrain.core.steps import ValueStep
from fenrain.core.values import Map, Plain, Stepped, Value, as_plain


def steps_on_map(steps: Sequence[ValueStep], source: Map, channels: int, factor: Plain = 1.0) -> Value:
    """A map with the steps folded in, or with those on it that cannot be. channels: 3 for a colour, 1 for a number; factor: what the
    result is multiplied by."""
    left = list(steps)
    while left and (folded := _fold(left[0], source)) is not None:
        source = folded
        left.pop(0)
    if not left and len(source.channels) == channels:
        return _scaled(source, factor)
    return Stepped(source, tuple(left), factor, channels)


def _scaled(source: Map, factor: Plain) -> Map:
    scale, bias = np.asarray(source.scale) * np.asarray(factor), np.asarray(source.bias) * np.asarray(factor)
    return replace(source, scale=as_plain(scale), bias=as_plain(bias) if np.any(bias) else 0.0)


def _fold(step: ValueStep, source: Map) -> Map | None:
    name, argument = step.said
    untouched = source.scale == 1.0 and source.bias == 0.0
    if name == "pick" and untouched and argument != "luminance":
        return replace(source, channels=argument)
    if name == "decode" and untouched:
        return replace(source, encoding="srgb")
    if isinstance(source.scale, tuple) or isinstance(source.bias, tuple):
        return None
    if name == "scale":
        return replace(source, scale=source.scale * argument, bias=source.bias * argument)
    if name == "offset":
        return replace(source, bias=source.bias + argument)
    if name == "invert":
        return replace(source, scale=-source.scale, bias=1.0 - source.bias)
    return None
