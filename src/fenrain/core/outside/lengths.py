"""Lengths of a kit: in the units of its scene, so that meshes, camera and materials count alike in any renderer."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from fenrain.core.maps.scaling import times
from fenrain.core.material import LEFT_AFTER_ONE, Material, is_idle
from fenrain.core.models.registry import model_of
from fenrain.core.rendering.stands.registry import spans_of
from fenrain.core.steps import ValueStep
from fenrain.core.values import Constant, Stepped, Value, as_plain


def in_scene_units(material: Material, stand: str) -> Material:
    """The material as it lies on a stand, its lengths in scene units."""
    scaled = _scaled(material, spans_of(stand, material.geometry.unit).unit)
    return replace(scaled, geometry=replace(scaled.geometry, unit=0.0))


def _scaled(material: Material, unit: float) -> Material:
    if unit == 1.0:
        return material
    model, values = model_of(material.model), dict(material.values)
    for parameter in model.parameters:
        if parameter.length and not is_idle(material, model, parameter.name):
            values[parameter.name] = times(material.value(parameter.name), unit**parameter.length)
    for name in LEFT_AFTER_ONE:
        if name in values:
            values[name] = _to_the_power(values[name], 1.0 / unit)
    return replace(material, values=values, parts=tuple(_scaled(part, unit) for part in material.parts))


def _to_the_power(value: Value, exponent: float) -> Value:
    if isinstance(value, Constant):
        return Constant(as_plain(np.power(np.asarray(value.value, dtype=float), exponent)))
    return Stepped(value, (ValueStep(power=exponent),), 1.0, 3)
