"""A material's own surface: with the means of its maps, or over their texels. Nothing of it comes from a conversion."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from fenrain.core.lobes.aspects import ASPECTS, CUT_OUT
from fenrain.core.lobes.surface import Surface
from fenrain.core.maps.mean import mean_of
from fenrain.core.maps.texels import Grid, Texels
from fenrain.core.material import Material
from fenrain.core.models.extras import CELLULAR, MIDDLE_ID
from fenrain.core.models.parameter import Kind, Parameter, Role
from fenrain.core.models.registry import as_operand, model_of
from fenrain.core.steps import ValueStep
from fenrain.core.values import Constant, Drawn, Stepped, Value


def constants_of(material: Material) -> dict[str, Any]:
    """Every set value as a constant; of normal maps, none (the surface's own normal)."""
    model = model_of(material.model)
    return {
        name: value.value if isinstance(value, Constant) else mean_of(value)
        for name, value in material.values.items()
        if isinstance(value, Constant) or model.parameter(name).kind is not Kind.NORMAL
    }


def flake_numbers(material: Material) -> dict[str, float] | None:
    """What the pattern of a material's flakes is drawn from; None where it has none, or where a map says how many there are."""
    parameter = model_of(material.model).by_role.get(Role.FLAKES)
    if parameter is None or parameter.name not in material.values:
        return None
    named = {"amount": "amount", "tilt": "tilt", "size": "size", "variation": "size_variation", "seed": "seed"}
    values = {name: material.value(f"flake_{parameter}") for name, parameter in named.items()}
    numbers = {name: float(value.value) for name, value in values.items() if isinstance(value, Constant)}  # type: ignore[arg-type]
    if len(numbers) < len(values) or numbers["amount"] == 0.0 or numbers["tilt"] == 0.0:
        return None
    return {**numbers, "cellular": float(material.value("flake_shape") == Constant(CELLULAR))}


LEVEL = Constant(1e-4)
"""A slope that leaves a lobe as wide as it is."""


def with_flakes_drawn(material: Material) -> Material:
    """The material with the pattern of its flakes in place of their numbers, where it has one: each place is a flake or none. That they
    lean is left to the normals, as of any normal map."""
    numbers = flake_numbers(material)
    if numbers is None:
        return material
    mask, ids = (Drawn("flakes", picture, tuple(numbers.items())) for picture in ("mask", "ids"))
    drawn: dict[str, Value] = {"flake_amount": mask, "flake_tilt": LEVEL}
    spread = material.value("flake_spread")
    if isinstance(spread, Constant) and spread.value != 0.0:
        # The surface takes the middle of the ramp for the id, which it does not know.
        drawn["flake_spread"] = Stepped(ids, (ValueStep(scale=float(spread.value) / MIDDLE_ID),), 1.0, 1)  # type: ignore[arg-type]
    return material.having(**drawn)


def mean_surface(material: Material) -> Surface:
    """The surface of a material, its maps taken at their mean."""
    material = with_flakes_drawn(material)
    model = model_of(material.model)
    view = model.view(model.operands(constants_of(material)))
    view.parts = tuple(mean_surface(part) for part in material.parts)
    return model.surface(view)


def scatters(material: Material) -> bool:
    """Whether light scatters in the body, so that paths through it are long."""
    return mean_surface(material).scatters


LEAST_ROWS = 4
"""Three rows would look like the channels of a colour."""


def surface_over(material: Material, rows: Mapping[str, np.ndarray]) -> Surface:
    """The surface with several sets of values at once, of a material without parts. rows: by name, (n,), colours (n, 3), n of LEAST_ROWS or
    more. It answers for directions (3, 1, views, m) with (3, n, views, m)."""
    model = model_of(material.model)
    operands = {
        name: operand.reshape(3, 1, 1, 1) if isinstance(operand, np.ndarray) and operand.shape == (3, 1) else operand
        for name, operand in model.operands(constants_of(material)).items()
    }
    columns = {name: values.T[:, :, None, None] if values.ndim == 2 else values[:, None, None] for name, values in rows.items()}
    return model.surface(model.view({**operands, **columns}))


def texel_surface(material: Material, texels: Texels, groups: Collection[str] = ASPECTS) -> Surface:
    """The surface over all texels of a grid, in NumPy: components first, texels in a row.

    groups: aspects whose maps are taken texel by texel, and those that blend a mix; the others at their mean.
    """
    model = model_of(material.model)
    view = model.view(
        {p.name: _operand(p, material.value(p.name), texels if material.parts or p.group in groups else None) for p in model.parameters}
    )
    view.parts = tuple(texel_surface(part, texels, groups) for part in material.parts)
    return model.surface(view)


PLACES_EDGE = 48
"""Texels on an edge of the grid that places are picked from: a map's detail above that is averaged."""


def surfaces_at_places(material: Material, count: int) -> list[Surface]:
    """The surface at so many places of its maps, spread over them evenly: the same places for any material."""
    with Texels(Grid(PLACES_EDGE, PLACES_EDGE)) as texels:
        columns: dict[Value, np.ndarray] = {}
        material = _all_drawn(material)
        return [_surface_at(material, texels, columns, place) for place in _places(count)]


def _all_drawn(material: Material) -> Material:
    """With the flakes of all parts drawn."""
    return replace(with_flakes_drawn(material), parts=tuple(_all_drawn(part) for part in material.parts))


def open_share(material: Material) -> float:
    """How much of what lies behind shows through the surface's openings, over all places of its maps, 0…1."""
    with Texels(Grid(PLACES_EDGE, PLACES_EDGE)) as texels:
        return 1.0 - float(np.mean(np.asarray(texel_surface(material, texels, (CUT_OUT,)).opacity, dtype=float)))


def _surface_at(material: Material, texels: Texels, columns: dict[Value, np.ndarray], place: int) -> Surface:
    model = model_of(material.model)
    values: dict[str, Any] = {}
    for name, value in material.values.items():
        parameter = model.parameter(name)
        if isinstance(value, Constant):
            values[name] = value.value
        elif parameter.kind is not Kind.NORMAL:
            if value not in columns:
                columns[value] = texels.full(value, 0, PLACES_EDGE, parameter.channels).reshape(-1, parameter.channels)
            texel = columns[value][place]
            values[name] = tuple(float(part) for part in texel) if parameter.channels == 3 else float(texel[0])
    view = model.view(model.operands(values))
    view.parts = tuple(_surface_at(part, texels, columns, place) for part in material.parts)
    return model.surface(view)


def _places(count: int) -> list[int]:
    """Texels of the grid by the R2 sequence (Roberts 2018)."""
    index = np.arange(1, count + 1)
    across, down = ((0.5 + index * step) % 1.0 * PLACES_EDGE for step in (0.7548776662466927, 0.5698402909980532))
    return [int(place) for place in down.astype(int) * PLACES_EDGE + across.astype(int)]


def _operand(parameter: Parameter, value: Value, texels: Texels | None) -> Any:
    if isinstance(value, Constant):
        return as_operand(parameter, value.value)
    if texels is None:
        return as_operand(parameter, parameter.default if parameter.kind is Kind.NORMAL else mean_of(value))
    whole = texels.full(value, 0, texels.grid.height, parameter.channels)
    columns = np.moveaxis(whole, -1, 0).reshape(parameter.channels, -1)
    return columns if parameter.channels == 3 else columns[0]
