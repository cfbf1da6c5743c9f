"""Steps on a value: declared, never executed code. They run on constants and on texels alike.

By them a renderer's value becomes a model's, and a person grades a map or a colour. Hue, saturation and lightness are those of CIE L*a*b*
(CIE 15:2018), in which equal steps look equal.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import takewhile
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, model_serializer, model_validator

from fenrain.core.colour import lab_to_linear, linear_to_lab, relative_luminance, srgb_to_linear
from fenrain.core.optics.volume import diffuse_albedo

CHANNELS = {"r": 0, "g": 1, "b": 2}


Finite = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]
Factor = Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)]
Triple = tuple[Finite, Finite, Finite]
OF_COLOURS = frozenset({"gain", "lift", "hue", "saturation", "lightness"})
"""Steps that only a colour can take."""
IN_LAB = frozenset({"hue", "saturation", "lightness"})
GRADES = OF_COLOURS | {"scale", "offset", "invert", "power", "clamp", "remap"}
"""Steps that a person takes on a map or a colour; the others say how a file spells it."""


LEAST = 1e-6
"""Of what a reciprocal is taken of."""
BARE = frozenset({"invert", "reciprocal", "diffuse_albedo"})
"""Steps that say all by their name."""


class Ids(BaseModel):
    """Which texels of an id map are meant: those nearest to one of the chosen colours, of all that stand for something."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    colours: tuple[Triple, ...] = Field(min_length=2, max_length=64)
    chosen: tuple[int, ...] = Field(min_length=1)

    def weights_of(self, texels: np.ndarray) -> np.ndarray:
        """1 where a texel (…, 3) is nearest to a chosen colour, else 0; (…, 1)."""
        known = np.asarray(self.colours, dtype=texels.dtype)
        # |t − c|² without |t|², which is the same for all colours.
        nearest = (np.square(known).sum(axis=1) - 2.0 * (texels @ known.T)).argmin(axis=-1)
        return np.isin(nearest, self.chosen).astype(texels.dtype)[..., None]


class ValueStep(BaseModel):
    """One step; exactly one of its fields is set."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    scale: Annotated[float | None, Field(description="multiplies by a number")] = None
    offset: Annotated[float | None, Field(description="adds a number")] = None
    invert: Annotated[Literal[True] | None, Field(description="1 less the value")] = None
    power: Annotated[float | None, Field(description="raises to a power")] = None
    reciprocal: Annotated[Literal[True] | None, Field(description="1 divided by the value: a density as a mean free path")] = None
    diffuse_albedo: Annotated[
        Literal[True] | None, Field(description="from what one scattering event keeps to the colour that comes out of a thick body")
    ] = None
    decode: Annotated[Literal["srgb"] | None, Field(description="from the sRGB curve to linear light")] = None
    clamp: Annotated[tuple[float, float] | None, Field(description="[least, most]: cuts off at both ends")] = None
    pick: Annotated[Literal["r", "g", "b", "a", "luminance"] | None, Field(description="takes one channel, or the luminance")] = None
    choose: Annotated[Mapping[str, float | int | bool] | None, Field(description="a value for each word of the sheet")] = None
    gain: Annotated[Triple | None, Field(description="[r, g, b]: multiplies each channel")] = None
    lift: Annotated[Triple | None, Field(description="[r, g, b]: adds to each channel")] = None
    hue: Annotated[float | None, Field(ge=-360, le=360, allow_inf_nan=False, description="turns the hue of CIE L*a*b* by degrees")] = None
    saturation: Annotated[Factor | None, Field(description="multiplies the chroma of CIE L*a*b*")] = None
    lightness: Annotated[Factor | None, Field(description="multiplies the lightness of CIE L*a*b*")] = None
    remap: Annotated[
        tuple[float, float, float, float] | None, Field(description="[from, from, to, to]: stretches one range onto another")
    ] = None
    ids: Annotated[Ids | None, Field(description="1 where an id map has one of the chosen colours, else 0")] = None

    @model_validator(mode="before")
    @classmethod
    def _bare_word(cls, given: Any) -> Any:
        if isinstance(given, str) and given not in BARE:
            raise ValueError(f"“{given}” is not a step; there are {', '.join(cls.model_fields)}")
        return {given: True} if isinstance(given, str) else given

    @model_validator(mode="after")
    def _exactly_one(self) -> ValueStep:
        if len(self.model_fields_set) != 1:
            raise ValueError("a step says exactly one thing, such as “scale: 0.01”")
        if self.clamp is not None and self.clamp[0] > self.clamp[1]:
            raise ValueError("clamp names its lower end first")
        if self.remap is not None and self.remap[0] == self.remap[1]:
            raise ValueError("remap starts from two different ends: [from, from, to, to]")
        return self

    @model_serializer
    def _as_stated(self) -> dict[str, Any]:
        name, argument = self.said
        return {name: argument.model_dump() if isinstance(argument, BaseModel) else argument}

    @property
    def said(self) -> tuple[str, Any]:
        """The one field that is set, and what it says."""
        name = next(iter(self.model_fields_set))
        return name, getattr(self, name)


def apply_steps(steps: Sequence[ValueStep], value: Any) -> Any:
    """The steps on a constant (a number, a word, or an array with channels last) or on texels."""
    left = list(steps)
    while left:
        in_lab = list(takewhile(lambda step: step.said[0] in IN_LAB, left))
        value = _in_lab(_as_numbers(value), in_lab) if in_lab else _apply(left[0], value)
        del left[: max(len(in_lab), 1)]
    return value


def _as_numbers(value: Any) -> np.ndarray:
    """Texels stay in single precision, of which there are many; all else is in double."""
    given = np.asarray(value)
    return given if given.dtype == np.float32 else np.asarray(value, dtype=float)


def _apply(step: ValueStep, value: Any) -> Any:
    name, argument = step.said
    if name == "choose":
        return argument.get(str(value), value)
    array = _as_numbers(value)
    if name == "pick":
        return _picked(array, argument)
    if name == "ids":
        return argument.weights_of(array)
    if name == "scale":
        return array * argument
    if name == "offset":
        return array + argument
    if name == "invert":
        return 1.0 - array
    if name == "reciprocal":
        return 1.0 / np.maximum(array, LEAST)
    if name == "diffuse_albedo":
        return diffuse_albedo(np.clip(array, 0.0, 1.0))
    if name == "power":
        return np.power(np.maximum(array, 0.0), argument)
    if name == "decode":
        return srgb_to_linear(array)
    if name == "remap":
        low, high, to_low, to_high = argument
        return to_low + (array - low) * ((to_high - to_low) / (high - low))
    if name == "gain":
        return array * np.asarray(argument)
    if name == "lift":
        return array + np.asarray(argument)
    return np.clip(array, *argument)


def _in_lab(colour: np.ndarray, steps: Sequence[ValueStep]) -> np.ndarray:
    """A colour with another hue, chroma or lightness; of what leaves the gamut, the nearest by channels."""
    lightness, chroma, turn = 1.0, 1.0, 0.0
    for step in steps:
        lightness *= 1.0 if step.lightness is None else step.lightness
        chroma *= 1.0 if step.saturation is None else step.saturation
        turn += step.hue or 0.0
    c, s = chroma * np.cos(np.radians(turn)), chroma * np.sin(np.radians(turn))
    change = np.array([[lightness, 0.0, 0.0], [0.0, c, s], [0.0, -s, c]], colour.dtype)
    return np.maximum(lab_to_linear(linear_to_lab(colour) @ change), 0.0)


def _picked(array: np.ndarray, channel: str) -> np.ndarray:
    if array.ndim == 0:
        return array
    return relative_luminance(array)[..., 0] if channel == "luminance" else array[..., CHANNELS.get(channel, 0)]
