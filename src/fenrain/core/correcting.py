"""What a person corrects of how a file was understood: polarity, encoding and channel of a map. The file itself is never changed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict

from fenrain.core.errors import ParameterError
from fenrain.core.findings import note
from fenrain.core.material import Material
from fenrain.core.models.parameter import Kind, Parameter
from fenrain.core.models.registry import model_of
from fenrain.core.values import Map, as_plain


class Correction(BaseModel):
    """How a map of one value is to be read instead: turned (white for black), in another encoding, from another channel."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    parameter: str
    invert: bool = False
    encoding: Literal["linear", "srgb"] | None = None
    channel: Literal["r", "g", "b", "a"] | None = None


def require_fitting(correction: Correction, parameter: Parameter) -> None:
    """Raises ParameterError for a correction that makes no sense for this parameter."""
    if correction.channel is not None and parameter.channels != 1:
        raise ParameterError(f"{parameter.name} takes a colour, not one channel.", place=parameter.name)
    if correction.invert and parameter.kind is Kind.NORMAL:
        raise ParameterError(f"{parameter.name} holds directions, which have no polarity.", place=parameter.name)


def corrected(material: Material, corrections: Sequence[Correction]) -> Material:
    """The material as a person understands it, which is said among its findings. Raises ParameterError for what cannot be corrected so."""
    for one in corrections:
        require_fitting(one, model_of(material.model).parameter(one.parameter))
        value = material.values.get(one.parameter)
        if not isinstance(value, Map):
            raise ParameterError(f"{one.parameter} of “{material.name}” is no map.", place=one.parameter, remedy="Correct the maps alone.")
        said = _said(one)
        found = note("corrected", f"{one.parameter}: “{value.image.name}” {said}, by hand.", parameter=one.parameter, evidence=said)
        material = replace(material.having(**{one.parameter: _read_as(value, one)}), findings=(*material.findings, found))
    return material


def _read_as(value: Map, correction: Correction) -> Map:
    if correction.channel is not None:
        value = replace(value, channels=correction.channel)
    if correction.encoding is not None:
        value = replace(value, encoding=correction.encoding)
    if correction.invert:
        # f · v becomes f · (1 − v): the largest that the map gave stays the largest.
        scale, bias = np.asarray(value.scale, dtype=float), np.asarray(value.bias, dtype=float)
        value = replace(value, scale=as_plain(-scale), bias=as_plain(bias + scale))
    return value


def _said(correction: Correction) -> str:
    words = []
    if correction.channel is not None:
        words.append(f"read from its channel {correction.channel}")
    if correction.encoding is not None:
        words.append("read as sRGB" if correction.encoding == "srgb" else "read as data")
    if correction.invert:
        words.append("turned, white for black")
    return " and ".join(words) or "left as it is"
