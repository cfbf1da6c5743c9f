"""Values in words: for the lines of a ledger, and for people."""

from __future__ import annotations

from typing import Any

from fenrain.core.errors import ImageError
from fenrain.core.maps.mean import mean_of
from fenrain.core.models.parameter import Kind, Parameter
from fenrain.core.values import Constant, Map, Value


def describe(value: Value) -> str:
    """A value in words, for a ledger line."""
    if isinstance(value, Constant):
        return describe_plain(value.value)
    if isinstance(value, Map):
        return f"map {value.image.name} ({value.channels.upper()}{_levels(value)})"
    return f"map{_mean(value)}"


def _mean(value: Value) -> str:
    """The mean of a worked-out map, in words."""
    try:
        return f", mean {describe_plain(mean_of(value))}"
    except ImageError:
        return " of a damaged image"


def describe_as(parameter: Parameter, value: Value) -> str:
    """The same, with the words of a choice instead of its number; of a normal map no mean, which says nothing."""
    if parameter.kind is Kind.NORMAL and not isinstance(value, (Constant, Map)):
        return "map"
    if isinstance(value, Constant) and parameter.options:
        return dict(parameter.options).get(int(value.value), describe(value))  # type: ignore[arg-type]
    return describe(value)


def describe_plain(value: Any) -> str:
    """A constant in words, as it stands in a value or in a document."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    value = tuple(value) if isinstance(value, list) else value
    if isinstance(value, tuple) and len(value) > 3:
        return f"{len(value) // 3} rows from {value[0]:g} to {value[-3]:g} nm"
    if isinstance(value, tuple):
        return f"({', '.join(_digits(part) for part in value)})"
    return _digits(value) if isinstance(value, (int, float)) else str(value)


def _digits(number: float) -> str:
    if abs(number) >= 1e4:
        return f"{number:,.0f}" if abs(number) < 1e9 else f"{number:.3g}"
    return f"{number:.3g}" if abs(number) < 1 else f"{number:.4g}"


def _levels(value: Map) -> str:
    scaled = "" if value.scale == 1.0 else f" × {describe_plain(value.scale)}"
    return scaled if value.bias == 0.0 else f"{scaled} + {describe_plain(value.bias)}"
