"""Each rig and each stand tells what it is for: of all, it reads most of the change that it is meant to show.

The short suite misses: bodies that light goes through or scatters in, and the stands made for them.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest

from fenrain.core import Material
from fenrain.core.checking.check import refine
from fenrain.core.checking.verdict import Tolerances
from fenrain.core.maps.image import write_png
from fenrain.core.rendering.rigs.registry import rigs
from fenrain.core.rendering.stands.registry import stands
from fenrain.core.values import Image, Map
from tests.sizes import sized

pytestmark = pytest.mark.population

SAMPLES = 64
"""For each pixel that is measured, where nothing else is said."""
FEWER = {"back_light": 8, "lamp_shell": 8, "cup": 8, "wedge": 8, "layer": 32, "turned": 32, "tile": 32}
"""Where one stands well before the others."""
DARK = {"base_color": (0.1, 0.1, 0.1), "specular_roughness": 0.2}
PLASTIC = {"base_color": (0.5, 0.16, 0.08), "specular_roughness": 0.25}
METAL = {"base_color": (0.9, 0.7, 0.45), "base_metalness": 1.0}
WATER = {"transmission_weight": 1.0, "specular_roughness": 0.02, "specular_ior": 1.33}
PEAT_WATER = WATER | {"transmission_color": (0.5, 0.3, 0.12)}
GREEN_WATER = WATER | {"transmission_color": (0.6, 0.9, 0.75), "transmission_depth": 1.0}
CLOUDY = {"transmission_weight": 1.0, "specular_roughness": 0.1, "transmission_color": (0.8,) * 3, "transmission_depth": 1.0}
WAX = {"base_color": (0.8, 0.6, 0.4), "subsurface_weight": 1.0, "subsurface_color": (0.8, 0.6, 0.4), "specular_roughness": 0.4}

Change = tuple[dict[str, Any], dict[str, Any]]
TOLD_BY_RIGS: dict[str, tuple[str, Change]] = {
    # a satin finish, by the shape of broad highlights
    "soft_studio": ("sphere", ({"base_color": (0.02,) * 3, "specular_roughness": 0.4}, {"specular_roughness": 0.6})),
    # how sharp a mirror is
    "fine_bars": ("sphere", (METAL | {"specular_roughness": 0.05}, {"specular_roughness": 0.1})),
    # how far light goes within
    "back_light": ("sphere", (WAX | {"subsurface_radius": 0.3}, {"subsurface_radius": 0.1})),
    # how strongly a shape mirrors
    "bright_window": ("turned", (DARK, {"specular_ior": 1.7})),
    # how a highlight is drawn out
    "single_lamp": ("sphere", (METAL | {"specular_roughness": 0.3}, {"specular_roughness_anisotropy": 0.5})),
    # what of the light is kept
    "even_white": ("sphere", (PLASTIC, {"specular_ior": 1.7})),
}
TOLD_BY_STANDS: dict[str, tuple[str, Change]] = {
    # what a deep body scatters
    "sphere": ("soft_studio", (CLOUDY | {"transmission_scatter": (0.3,) * 3}, {"transmission_scatter": (0.15,) * 3})),
    # how strongly edges and hollows mirror
    "turned": ("soft_studio", (PLASTIC, {"specular_ior": 1.7})),
    # how a thin wall colours
    "cup": ("soft_studio", (PEAT_WATER | {"transmission_depth": 0.12}, {"transmission_depth": 0.084})),
    # how light bends and is thrown back within
    "bubble": ("bright_window", (GREEN_WATER, {"specular_ior": 1.4})),
    # where a deep tint becomes too deep to see through
    "wedge": ("even_white", (PEAT_WATER | {"transmission_depth": 0.25}, {"transmission_depth": 0.175})),
    # how depth colours a bottom
    "layer": ("soft_studio", (PEAT_WATER | {"transmission_depth": 0.5}, {"transmission_depth": 0.35})),
    # how far light goes within a wall
    "lamp_shell": ("soft_studio", (WAX | {"subsurface_radius": 0.3}, {"subsurface_radius": 0.1})),
    # what is mirrored along a surface
    "tile": ("soft_studio", (METAL | {"specular_roughness": 0.05}, {"specular_color": (0.7, 0.7, 0.7)})),
}


@pytest.mark.parametrize("rig", sized(["fine_bars", "single_lamp", "even_white"], list(TOLD_BY_RIGS)))
def test_a_rig_tells_what_it_is_for(rig: str) -> None:
    stand, change = TOLD_BY_RIGS[rig]
    read = most_read(*change, list(rigs()), stand, FEWER.get(rig, SAMPLES))
    assert max(read, key=lambda one: read[one]) == rig, read


@pytest.mark.parametrize("stand", sized(["tile"], list(TOLD_BY_STANDS)))
def test_a_stand_tells_what_it_is_for(stand: str) -> None:
    rig, change = TOLD_BY_STANDS[stand]
    read = {one: most_read(*change, [rig], one, FEWER.get(stand, SAMPLES))[rig] for one in stands()}
    assert max(read, key=lambda one: read[one]) == stand, read


def test_the_low_sun_tells_relief(tmp_path: Path) -> None:
    # Common practice: relief is looked at in light that grazes it.
    across, down = np.meshgrid(*(2.0 * np.pi * (np.arange(256) + 0.5) / 256,) * 2)

    def waves(height: float) -> Map:
        path = tmp_path / f"waves-{height}.png"
        slopes = height * np.stack([np.cos(3 * across) * np.sin(4 * down), np.sin(3 * across) * np.cos(4 * down)], axis=-1)
        normals = np.concatenate([-slopes, np.ones((256, 256, 1))], axis=-1)
        write_png(path, 0.5 + 0.5 * normals / np.linalg.norm(normals, axis=-1, keepdims=True))
        return Map(Image(path.name, path), "rgb", "normal")

    plaster = {"base_color": (0.5, 0.16, 0.08), "specular_weight": 0.0, "geometry_normal": waves(0.1)}
    change = plaster, {"geometry_normal": waves(0.2)}
    read = most_read(*change, ["low_sun:8", *rigs()], "tile", SAMPLES)
    assert max(read, key=lambda one: read[one]) == "low_sun:8", read


def test_every_rig_and_stand_has_something_to_tell() -> None:
    assert {*TOLD_BY_RIGS, "low_sun"} == set(rigs())
    assert set(TOLD_BY_STANDS) == set(stands())


def most_read(values: dict[str, Any], change: dict[str, Any], under: list[str], stand: str, samples: int) -> dict[str, float]:
    """By rig, the deciding reading that is furthest beyond its limit, as a multiple of it."""
    original, changed = (Material.of("m", "open_pbr", {**values, **extra}) for extra in ({}, change))
    results = refine(original, changed, under, stand, most_samples=samples, shown=False, enough=lambda _: False)
    last = {result.rig: result.readings for result in results}
    deciding = {rig: Tolerances().deciding(readings, rig) for rig, readings in last.items()}
    return {rig: max(reading.value / limits.match for _, reading, limits in found) for rig, found in deciding.items()}
