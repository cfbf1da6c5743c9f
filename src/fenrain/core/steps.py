"""The steps by which a renderer's value becomes a model's: declared, never executed code. They run on constants and on texels alike."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, model_validator

from fenrain.core.colour import relative_luminance, srgb_to_linear

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
        """The one field that is set, and what it says."""
        name = next(iter(self.model_fields_set))
        return name, getattr(self, name)


def apply_steps(steps: Sequence[Step], value: Any) -> Any:
    """The steps on a constant (a number, a word, or an array with channels last) or on texels."""
    for step in steps:
        value = _apply(step, value)
    return value


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
