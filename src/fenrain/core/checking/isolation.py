"""Looks with something taken out, on both sides at once: single inputs, or all but one map."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace

from fenrain.core.conversion.engine import Conversion, convert
from fenrain.core.errors import ParameterError
from fenrain.core.material import Material
from fenrain.core.models.parameter import Kind
from fenrain.core.models.registry import HUB, model_of
from fenrain.core.values import Constant


def without(conversion: Conversion, names: Collection[str]) -> Conversion:
    """The conversion of the original without these inputs of it; what was set over values that depend on them is taken out, too. Raises
    ParameterError for a name that the original's model does not know."""
    model = model_of(conversion.original.model)
    for name in names:
        model.parameter(name)
    left = {name: value for name, value in conversion.original.values.items() if name not in names}
    bare = convert(replace(conversion.original, values=left), conversion.target.id, conversion.profile)
    kept = {
        entry.target: entry.override for entry in conversion.ledger if entry.override is not None and not set(entry.sources) & set(names)
    }
    return bare.having(kept) if kept else bare


def map_alone(material: Material, name: str) -> Material:
    """A material that shows a value of another one and nothing else, as its own light: black where it is 0, white where it is 1. Raises
    ParameterError for a name that its model does not know, or a value that is no number and no colour."""
    parameter = model_of(material.model).parameter(name)
    value = material.value(name)
    if parameter.kind is Kind.NUMBER and isinstance(value, Constant):
        value = Constant((float(value.value),) * 3)  # type: ignore[arg-type]
    elif parameter.kind not in (Kind.COLOUR, Kind.NUMBER, Kind.NORMAL) or (parameter.kind is Kind.NORMAL and isinstance(value, Constant)):
        raise ParameterError(f"{name} is no map and no number.", place=name, remedy="Choose a colour, a number or a map.")
    dark = {"base_color": (0.0, 0.0, 0.0), "specular_weight": 0.0, "emission_luminance": 1.0}
    shown = Material.of(material.name, HUB, dark)
    return shown.having(emission_color=value)
