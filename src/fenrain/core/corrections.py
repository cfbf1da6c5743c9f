"""What a person corrects of how a file was understood: the model of a material, the convention of a value. The file is never changed."""

from __future__ import annotations

import ast
from collections.abc import Sequence
from dataclasses import replace
from typing import Annotated, Literal

import numpy as np
from pydantic import AfterValidator, BaseModel, ConfigDict, Field, model_validator

from fenrain.core.colour import linear_to_srgb
from fenrain.core.errors import ParameterError
from fenrain.core.findings import Finding, note
from fenrain.core.maps.colour_spaces import LINEAR, SRGB, config, encoding_called, to_linear
from fenrain.core.material import Material
from fenrain.core.models.parameter import OPPOSITES, Kind, Parameter
from fenrain.core.models.registry import Model, model_of
from fenrain.core.projections import Projection, ProjectionKind
from fenrain.core.steps import ValueStep, apply_steps
from fenrain.core.values import Constant, Map, Stepped, Value, as_plain


def _known_encoding(space: str) -> str:
    found = encoding_called(space)
    if found is None:
        raise ValueError(f"there is no colour space “{space[:60]}”; known are linear, srgb, {', '.join(config().getColorSpaceNames())}")
    return found


class Correction(BaseModel):
    """How one value is to be read instead: turned (1 − x, white for black), in another encoding, from another channel of its map, times a
    factor, to a power; or, without a parameter, which model the material is of, or how meshes without texture coordinates get some, with
    the length of a step of them, none where an image covers the mesh once."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    parameter: str = ""
    invert: bool = False
    encoding: Annotated[str, AfterValidator(_known_encoding)] | None = None
    channel: Literal["r", "g", "b", "a"] | None = None
    scale: float | None = Field(default=None, gt=0, le=1e6, allow_inf_nan=False)
    power: float | None = Field(default=None, gt=0, le=10, allow_inf_nan=False)
    model: str | None = None
    projection: ProjectionKind | None = None
    size: float | None = Field(default=None, gt=0, le=1e9, allow_inf_nan=False)

    @model_validator(mode="after")
    def _about_one(self) -> Correction:
        if sum((self.parameter != "", self.model is not None, self.projection is not None)) != 1:
            raise ValueError("a correction is of one value, of the model, or of the texture coordinates")
        return self


def apply_corrections(material: Material, corrections: Sequence[Correction]) -> Material:
    """The material as a person understands it, which is said among its findings. Raises ParameterError for what cannot be corrected so,
    UnknownModelError."""
    for one in corrections:
        if one.model is not None:
            material = _of_model(material, one.model)
        elif one.projection is not None:
            material = _with_projection(material, Projection(one.projection, one.size or 0.0))
        else:
            material = _with_value(material, one)
    return material


def _with_projection(material: Material, projection: Projection) -> Material:
    words = f"Meshes without texture coordinates get some by {projection}, by hand."
    found = note("projected", words, evidence=str(projection))
    others = tuple(one for one in material.findings if one.code != "projected")
    return replace(material, geometry=replace(material.geometry, projection=projection), findings=(*others, found))


# A value


def _with_value(material: Material, correction: Correction) -> Material:
    parameter = model_of(material.model).parameter(correction.parameter)
    _require_fitting(correction, parameter)
    value = material.values.get(parameter.name)
    if value is None:
        raise ParameterError(f"{parameter.name} of “{material.name}” is not set.", place=parameter.name, remedy="Correct what is there.")
    findings = material.findings
    if isinstance(value, Constant):
        value, findings = _as_typed(material, parameter, value)
        read: Value = Constant(parameter.accept(_within(parameter, _constant_as(value, correction))))
    elif isinstance(value, Map):
        read = _map_as(value, correction, parameter.channels)
    else:
        read = Stepped(value, _steps(correction), 1.0, parameter.channels)
    said = _said(correction, isinstance(value, Constant))
    where = f"“{value.image.name}” " if isinstance(value, Map) else ""
    found = note("corrected", f"{parameter.name}: {where}{said}, by hand.", parameter=parameter.name, evidence=said)
    return replace(material.having(**{parameter.name: read}), findings=(*findings, found))


def _require_fitting(correction: Correction, parameter: Parameter) -> None:
    if parameter.is_plain:
        raise ParameterError(f"{parameter.name} is a {parameter.kind}, which has no convention.", place=parameter.name)
    if correction.channel is not None and parameter.channels != 1:
        raise ParameterError(f"{parameter.name} takes a colour, not one channel.", place=parameter.name)
    of_numbers = correction.invert or correction.scale is not None or correction.power is not None
    if of_numbers and parameter.kind is Kind.NORMAL:
        raise ParameterError(f"{parameter.name} holds directions, which have no polarity.", place=parameter.name)


def _as_typed(material: Material, parameter: Parameter, value: Constant) -> tuple[Constant, tuple[Finding, ...]]:
    """The constant as the file says it, before it was brought into the parameter's range, and the findings without that."""
    cut = next((found for found in material.findings if (found.code, found.parameter) == ("out-of-range", parameter.name)), None)
    if cut is None:
        return value, material.findings
    try:
        typed = ast.literal_eval(cut.evidence)
    except (ValueError, SyntaxError):
        return value, material.findings
    return Constant(typed), tuple(found for found in material.findings if found is not cut)


def _constant_as(value: Constant, correction: Correction) -> np.ndarray:
    number = np.asarray(value.value, dtype=float)
    if correction.encoding == LINEAR:
        number = linear_to_srgb(np.clip(number, 0.0, 1.0))
    elif correction.encoding not in (None, SRGB) and number.size == 3:
        number = to_linear(number[None], correction.encoding)[0]
    return np.asarray(apply_steps(_steps(correction), number))


def _steps(correction: Correction) -> tuple[ValueStep, ...]:
    """In the order in which a file spells it: scaled to 0…1 first, then decoded, then turned."""
    steps = []
    if correction.scale is not None:
        steps.append(ValueStep(scale=correction.scale))
    if correction.encoding == SRGB:
        steps.append(ValueStep(decode="srgb"))
    if correction.power is not None:
        steps.append(ValueStep(power=correction.power))
    if correction.invert:
        steps.append(ValueStep(invert=True))
    return tuple(steps)


def _within(parameter: Parameter, number: np.ndarray) -> float | tuple[float, ...]:
    return as_plain(np.clip(number, parameter.low, parameter.high))


def _map_as(value: Map, correction: Correction, channels: int) -> Value:
    if correction.channel is not None:
        value = replace(value, channels=correction.channel)
    if correction.encoding is not None:
        value = replace(value, encoding=correction.encoding)
    scale, bias = np.asarray(value.scale, dtype=float), np.asarray(value.bias, dtype=float)
    if correction.scale is not None:
        scale, bias = scale * correction.scale, bias * correction.scale
    if correction.invert and correction.power is None:
        # f · v becomes f · (1 − v): the largest that the map gave stays the largest.
        scale, bias = -scale, bias + scale
    value = replace(value, scale=as_plain(scale), bias=as_plain(bias))
    if correction.power is None:
        return value
    turned = (ValueStep(invert=True),) if correction.invert else ()
    return Stepped(value, (ValueStep(power=correction.power), *turned), 1.0, channels)


def _said(correction: Correction, is_constant: bool) -> str:
    words = []
    if correction.channel is not None:
        words.append(f"read from its channel {correction.channel}")
    if correction.encoding is not None:
        words.append({SRGB: "read as sRGB", LINEAR: "read as data"}.get(correction.encoding, f"read as {correction.encoding}"))
    if correction.scale is not None:
        words.append(f"times {correction.scale:g}")
    if correction.power is not None:
        words.append(f"to the power {correction.power:g}")
    if correction.invert:
        words.append("turned, 1 − x" if is_constant else "turned, white for black")
    return " and ".join(words) or "left as it is"


# The model


def _of_model(material: Material, model_id: str) -> Material:
    """The same values under another model: each by its name, or by what it is; a gloss as what is missing of a roughness."""
    source, model = model_of(material.model), model_of(model_id)
    if material.parts or model.id == "mix":
        raise ParameterError(f"“{material.name}” is a mix, or would be one.", place=model_id, remedy="Change the models of its parts.")
    values: dict[str, Value] = {}
    left = []
    for name, value in material.values.items():
        found = _counterpart(source.parameter(name), model)
        kept = None if found is None or found.name in values else _carried(source.parameter(name), value, found)
        if kept is None or found is None:
            left.append(name)
        else:
            values[found.name] = kept
    without = f"; left out: {', '.join(left)}" if left else ""
    found_note = note("model-chosen", f"Read as {model.title} instead of {source.title}, by hand{without}.", evidence=model_id)
    return replace(material, model=model_id, values=values, findings=(*material.findings, found_note))


def _counterpart(parameter: Parameter, model: Model) -> Parameter | None:
    if parameter.name in model.by_name and model.by_name[parameter.name].kind is parameter.kind:
        return model.by_name[parameter.name]
    if parameter.role is None:
        return None
    opposite = OPPOSITES.get(parameter.role)
    return model.by_role.get(parameter.role) or (model.by_role.get(opposite) if opposite is not None else None)


def _carried(parameter: Parameter, value: Value, found: Parameter) -> Value | None:
    """None where one is a colour and the other a number, or a plain choice."""
    if found.channels != parameter.channels or found.is_plain is not parameter.is_plain:
        return None
    scale = found.high / parameter.high if {found.high, parameter.high} == {1.0, 100.0} else None
    turned = parameter.role is not found.role and OPPOSITES.get(parameter.role) is found.role if parameter.role is not None else False
    if scale is None and not turned:
        if not isinstance(value, Constant) or found.is_plain:
            return value
        return Constant(found.accept(_within(found, np.asarray(value.value, dtype=float))))
    change = Correction(parameter=found.name, scale=scale, invert=turned)
    if isinstance(value, Constant):
        return Constant(found.accept(_within(found, _constant_as(value, change))))
    return _map_as(value, change, found.channels) if isinstance(value, Map) else Stepped(value, _steps(change), 1.0, found.channels)
