"""The steps by which a renderer's value becomes a model's: declared, never executed code.

On constants they run at once; on maps, what can be is folded into the map's own channel, encoding, scale and bias, and the rest
becomes a rule that runs texel by texel.
"""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, model_validator

from fenrain.core.colour import relative_luminance, srgb_to_linear
from fenrain.core.convert.rule import EXACT, Rule
from fenrain.core.material import Computed, Constant, Map, Plain, Value

CHANNELS = {"r": 0, "g": 1, "b": 2}


class Step(BaseModel):
    """One step; exactly one of its fields is set."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    scale: float | None = None
    offset: float | None = None
    invert: Literal[True] | None = None
    power: float | None = None
    decode: Literal["srgb"] | None = None
    clamp: tuple[float, float] | None = None
    pick: Literal["r", "g", "b", "a", "luminance"] | None = None
    choose: Mapping[str, float | int | bool] | None = None

    @model_validator(mode="before")
    @classmethod
    def _bare_word(cls, given: Any) -> Any:
        if isinstance(given, str) and given != "invert":
            raise ValueError(f"“{given}” is not a step; there are {', '.join(cls.model_fields)}")
        return {given: True} if given == "invert" else given

    @model_validator(mode="after")
    def _exactly_one(self) -> Step:
        if len(self.model_fields_set) != 1:
            raise ValueError("a step says exactly one thing, such as “scale: 0.01”")
        if self.clamp is not None and self.clamp[0] > self.clamp[1]:
            raise ValueError("clamp names its lower end first")
        return self

    @property
    def said(self) -> tuple[str, Any]:
        name = next(iter(self.model_fields_set))
        return name, getattr(self, name)


def apply_steps(steps: Sequence[Step], value: Any) -> Any:
    """The steps on a constant (a number, a word, or an array with channels last) or on texels."""
    for step in steps:
        value = _apply(step, value)
    return value


def steps_on_map(steps: Sequence[Step], source: Map, channels: int, factor: Plain = 1.0) -> Value:
    """A map with the steps folded in, and a rule for those that cannot be. channels: 3 for a colour, 1 for a number; factor: what the
    result is multiplied by."""
    left = list(steps)
    while left and (folded := _fold(left[0], source)) is not None:
        source = folded
        left.pop(0)
    if not left and len(source.channels) == channels:
        return _scaled(source, factor)
    said = json.dumps([dict([step.said]) for step in left])
    inputs = (("value", source), ("steps", Constant(said)), ("factor", Constant(factor)), ("channels", Constant(channels)))
    return Computed(CHAIN.id, "value", inputs)


def _scaled(source: Map, factor: Plain) -> Map:
    scale, bias = np.asarray(source.scale) * np.asarray(factor), np.asarray(source.bias) * np.asarray(factor)
    return replace(source, scale=_plain(scale), bias=_plain(bias) if np.any(bias) else 0.0)


def _plain(array: np.ndarray) -> float | tuple[float, ...]:
    return tuple(float(part) for part in array) if array.ndim else float(array)


def _apply(step: Step, value: Any) -> Any:
    name, argument = step.said
    if name == "choose":
        return argument.get(str(value), value)
    array = np.asarray(value, dtype=float)
    if name == "pick":
        return _picked(array, argument)
    if name == "scale":
        return array * argument
    if name == "offset":
        return array + argument
    if name == "invert":
        return 1.0 - array
    if name == "power":
        return np.power(np.maximum(array, 0.0), argument)
    if name == "decode":
        return srgb_to_linear(array)
    return np.clip(array, *argument)


def _picked(array: np.ndarray, channel: str) -> np.ndarray:
    if array.ndim == 0:
        return array
    return relative_luminance(array)[..., 0] if channel == "luminance" else array[..., CHANNELS.get(channel, 0)]


def _fold(step: Step, source: Map) -> Map | None:
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


def _chain(value: Any, steps: str, factor: Any, channels: int) -> Any:
    chosen = [Step.model_validate(step) for step in json.loads(steps)]
    result = np.asarray(apply_steps(chosen, value))
    kept = result if result.ndim == np.ndim(value) else result[..., None]
    return np.broadcast_to(kept, (*kept.shape[:-1], channels)) * factor


CHAIN = Rule(
    "dialect.chain",
    "compute",
    ("value",),
    ("value", "steps", "factor", "channels"),
    EXACT,
    "{value} by the dialect's steps",
    "the dialect",
    _chain,
)
"""The steps of a dialect on the texels of a map."""
