"""What a target profile takes of a material: maps made smaller, alpha modes and culling it does not know replaced by the nearest."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from functools import lru_cache

import numpy as np

from fenrain.core.errors import ImageError
from fenrain.core.formats.holding import Holder, Shortfall, held
from fenrain.core.maps.texels import averaged, grid_of
from fenrain.core.material import Material
from fenrain.core.models.parameter import Kind, Role
from fenrain.core.models.registry import model_of
from fenrain.core.models.target import AS_AUTHORED, BACK_CULLED, NONE_CULLED, Profile
from fenrain.core.rules.fidelity import APPROXIMATED
from fenrain.core.values import Averaging, Constant, Resized, Value, placements_of, tiling_of

PROFILE = "profile"
"""Stands where a shortfall names its format: it is the target profile that asks for it."""
SEEN_WIDENING = 0.02
"""Roughness that normals give up when they are averaged; where 19 of 20 texels lose less, a constant roughness stays one."""
NEAREST_MODES: Mapping[str, tuple[str, ...]] = {"cut-out": ("blended", "opaque"), "blended": ("cut-out", "opaque")}
ROLES_OF_NORMALS = ((Role.NORMAL, Role.ROUGHNESS), (Role.COAT_NORMAL, Role.COAT_ROUGHNESS))


def fitted(material: Material, holder: Holder | None, profile: Profile) -> tuple[Material, tuple[Shortfall, ...]]:
    """The material as the format can hold it and as the profile takes it, and what that changes. Done again, it changes nothing."""
    kept, shortfalls = held(material, holder, profile)
    found = list(shortfalls)
    return _with_known_modes(_with_small_maps(_culled(kept, profile), profile, found), profile, found), tuple(found)


def _culled(material: Material, profile: Profile) -> Material:
    if profile.culling == AS_AUTHORED:
        return material
    return replace(material, geometry=replace(material.geometry, double_sided=profile.culling == NONE_CULLED))


def loses_its_back(material: Material, profile: Profile) -> bool:
    """Whether faces that are seen from both sides are drawn from their front alone at the target."""
    return profile.culling == BACK_CULLED and material.geometry.double_sided


def _with_known_modes(material: Material, profile: Profile, found: list[Shortfall]) -> Material:
    """The material with an alpha mode that the profile knows."""
    model = model_of(material.model)
    if "alpha_mode" not in model.by_name:
        return material
    words = dict(model.by_name["alpha_mode"].options)
    mode = material.value("alpha_mode")
    assert isinstance(mode, Constant)
    asked = words[int(mode.value)]  # type: ignore[arg-type]
    if asked in profile.alpha_modes:
        return material
    nearest = next(one for one in NEAREST_MODES[asked] if one in profile.alpha_modes)
    text = f"The target profile takes no {asked} surfaces; it is {nearest}."
    found.append(Shortfall(PROFILE, "alpha_mode", text, APPROXIMATED))
    return material.having(alpha_mode=Constant(next(number for number, word in words.items() if word == nearest)))


def _with_small_maps(material: Material, profile: Profile, found: list[Shortfall]) -> Material:
    """The material with maps no larger than the profile takes. Roughness is widened by what averaged normals give up."""
    limits, model = profile.maps, model_of(material.model)
    if not (limits.largest or limits.square or limits.power_of_two):
        return material
    smaller: dict[str, Value] = {}
    for name, value in material.values.items():
        parameter = model.parameter(name)
        if isinstance(value, Constant) or parameter.is_plain:
            continue
        try:
            grid, (columns, lines) = grid_of([value]), tiling_of(value)
            tile = limits.size_for(grid.width // columns, grid.height // lines)
            size = tile[0] * columns, tile[1] * lines
            if size == (grid.width, grid.height):
                continue
            averaging = (
                Averaging.NORMALS
                if parameter.kind is Kind.NORMAL
                else Averaging.ROUGHNESS
                if parameter.role in (Role.ROUGHNESS, Role.COAT_ROUGHNESS)
                else Averaging.MEAN
            )
            smaller[name] = Resized(value, *size, averaging)
            text = f"Made {size[0]} × {size[1]} texels of {grid.width} × {grid.height}, as large as the target profile takes; "
            found.append(Shortfall(PROFILE, name, text + AVERAGED[averaging], APPROXIMATED))
        except ImageError:
            continue  # a damaged map is said where it is read, and again where it is written
    for normal_role, roughness_role in ROLES_OF_NORMALS:
        if normal_role in model.by_role and roughness_role in model.by_role:
            _widen(material, model.by_role[normal_role].name, model.by_role[roughness_role].name, smaller, found)
    return replace(material, values={**material.values, **smaller})


AVERAGED = {
    Averaging.MEAN: "averaged in linear light.",
    Averaging.NORMALS: "averaged, and of unit length again.",
    Averaging.ROUGHNESS: "squared widths of its lobes averaged.",
}


def _widen(material: Material, normal: str, roughness: str, smaller: dict[str, Value], found: list[Shortfall]) -> None:
    """Widen a roughness by what its normals give up, where both lie in the same place and it can be seen."""
    made = smaller.get(normal)
    if not isinstance(made, Resized):
        return
    source = material.value(roughness)
    if not isinstance(source, Constant) and placements_of(source) != placements_of(made.source):
        return
    widened = Resized(source, made.width, made.height, Averaging.ROUGHNESS, made.source)
    if isinstance(source, Constant) and not _is_seen(widened):
        return
    smaller[roughness] = widened
    found.append(
        Shortfall(PROFILE, roughness, f"Widened by what {normal} gives up where its texels are averaged (Toksvig 2005).", APPROXIMATED)
    )


@lru_cache(maxsize=64)
def _is_seen(widened: Resized) -> bool:
    assert isinstance(widened.source, Constant)
    return float(np.percentile(averaged(widened), 95)) - float(widened.source.value) > SEEN_WIDENING  # type: ignore[arg-type]
