"""Writes materials to a file of a format, as the format holds them and the target's renderer counts them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from fenrain.core.errors import ImageError, InputError, UnknownFormatError
from fenrain.core.formats.format import Format
from fenrain.core.formats.limits import fitted
from fenrain.core.formats.registry import format_for, formats, holder_of, written_format
from fenrain.core.maps.flat import flattened
from fenrain.core.maps.scaling import times
from fenrain.core.material import Material
from fenrain.core.models.parameter import Kind, Parameter, Role
from fenrain.core.models.registry import Model, model_of
from fenrain.core.models.target import Profile
from fenrain.core.values import Constant, Value, as_plain, with_maps


def write(
    materials: Sequence[Material], path: Path | str, format: str, asset: Path | None = None, profile: Profile | None = None
) -> list[Path]:
    """Write materials, with their maps, to a file of this format.

    asset: the file whose meshes carry them, where there is one. Returns the files written, the main one first. The files
    appear whole or not at all; what the format cannot hold of a value is left out or stands as its mean, as `formats.holding.held`
    says beforehand. Raises InputError where the format cannot hold a material's model.
    """
    if format not in formats() or formats()[format].write is None:
        writable = ", ".join(name for name, candidate in formats().items() if candidate.write)
        raise UnknownFormatError(f"Nothing can be written as “{format}”.", place=format, remedy=f"Formats: {writable}.")
    chosen = formats()[format]
    for material in materials:
        if material.model not in chosen.models:
            raise InputError(
                f"{chosen.title} cannot hold the model {material.model}.",
                place=material.name,
                remedy=f"Convert to {' or '.join(chosen.models)} first.",
            )
    assert chosen.write is not None
    limits = profile or _fullest_profile(materials)
    return chosen.write([_as_written(material, chosen, limits) for material in materials], Path(path), asset, limits)


def _fullest_profile(materials: Sequence[Material]) -> Profile:
    targets = model_of(materials[0].model).targets if materials else ()
    return targets[0].profile if targets else Profile()


def _as_written(material: Material, chosen: Format, profile: Profile) -> Material:
    """The material as the format holds it and the profile takes it: flat maps as constants, values as the target's renderer counts them."""
    kept, _ = fitted(material, holder_of(chosen), profile)
    model = model_of(material.model)
    values = {name: value if model.parameter(name).kind is Kind.NORMAL else _flat(value) for name, value in kept.values.items()}
    for name, (factor, _) in responses(model, profile, material.geometry.unit).items():
        values[name] = _within(model.parameter(name), times(replace(kept, values=values).value(name), factor))
    if kept.geometry.spans != (0.0, 0.0):
        spans = kept.geometry.spans
        values = {
            name: with_maps(value, lambda leaf: replace(leaf, placement=leaf.placement.on_spans(spans))) for name, value in values.items()
        }
    return replace(kept, values=values)


def _within(parameter: Parameter, value: Value) -> Value:
    """A constant no larger than the parameter may be; texels are cut where they are written."""
    if not isinstance(value, Constant):
        return value
    return Constant(as_plain(np.minimum(np.asarray(value.value, dtype=float), parameter.high)))


def responses(model: Model, profile: Profile, unit: float) -> dict[str, tuple[float, str]]:
    """What values are multiplied by when they are written, so that the target's renderer shows them as they are meant, and why in words.
    unit: metres of the asset's unit of length, 0 where it states none."""
    holder = format_for(model, profile)
    slots = {parameter.name for parameter in model.parameters} if holder is None else holder.slots(model, profile).keys()

    def named(*roles: Role) -> str:
        return next((model.by_role[role].name for role in roles if role in model.by_role and model.by_role[role].name in slots), "")

    emission, metal = named(Role.EMISSION_WEIGHT, Role.EMISSION_COLOR), named(Role.METALNESS)
    found: dict[str, tuple[float, str]] = {}
    photometric, answered = profile.white_luminance, profile.emission_response
    if emission and (photometric or answered != 1.0):
        reasons = ["since the target's renderer counts emission in cd/m²"] if photometric else []
        reasons += [f"since the target's renderer shows own light {answered:g} times too strong"] if answered != 1.0 else []
        found[emission] = (photometric or 1.0) / answered, " and ".join(reasons)
    if metal and profile.metal_response != 1.0:
        found[metal] = 1.0 / profile.metal_response, f"since the target's renderer shows metal {profile.metal_response:g} times too strong"
    written = written_format(model, profile)
    if written is not None and written.metres and unit and unit != written.metres:
        why = f"since the asset counts in units of {unit:g} m and {written.title} in metres"
        lengths = [parameter for parameter in model.parameters if parameter.length and parameter.name in slots]
        found |= {parameter.name: ((unit / written.metres) ** parameter.length, why) for parameter in lengths}
    return found


def _flat(value: Value) -> Value:
    try:
        return flattened(value)
    except ImageError:
        return value
