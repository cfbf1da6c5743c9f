"""For each class of material that once went wrong: the rules do not do worse than target values chosen by hand.

The error is the quick check's: Σ |difference| ÷ Σ original over directions, transmission and own light included. The values by hand
come from the optics named beside them, rounded as a person would type them; the error they reach was measured and is stated.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import pytest
from pytest import approx

from fenrain.core import Material, evaluate
from fenrain.core.checking.quick import quick_check
from fenrain.core.conversion.engine import convert

WORSE = 1.3
"""How much worse than by hand a rule may be, beside one percent of the look."""


def of(model: str, parts: tuple[Material, ...] = (), **values: Any) -> Material:
    return Material.of("m", model, values, parts=parts)


@dataclass(frozen=True)
class Class:
    """A material, the target values chosen by hand, the error that they reach, and the error that the rules once had."""

    original: Material
    by_hand: Material
    error: float
    once: float


GREEN, LEAF = (0.3, 0.5, 0.1), {"subsurface_color": (0.3, 0.5, 0.1), "subsurface_scatter_anisotropy": 1.0, "geometry_thin_walled": True}
MATTE_LEAF = of("open_pbr", specular_weight=0.0, subsurface_weight=1.0, **LEAF)
MATTE_PAINT = of("open_pbr", specular_weight=0.0, base_color=GREEN)
RED = {"base_color": (0.6, 0.1, 0.1), "specular_roughness": 0.1}
MIRROR = of("open_pbr", base_metalness=1.0, base_color=(0.95,) * 3, specular_roughness=0.05)
MATTE_RED = of("open_pbr", base_color=(0.5, 0.1, 0.1), specular_weight=0.0)
BLUE = (0.2, 0.6, 0.9)
WINDOW = {"transmission_weight": 1.0, "transmission_color": BLUE, "transmission_depth": 1.0, "geometry_thin_walled": True}
PANE = {"transmission_weight": 1.0, "geometry_thin_walled": True, "specular_roughness": 0.2}
GOLD = (1.0, 0.77, 0.34)
BRONZE = {"base_color": (0.9, 0.7, 0.4), "base_metalness": 1.0}
EVEN = {"metallic": 0.0, "base_color": (0.2,) * 3, "roughness": 0.2}

CLASSES = {
    # Half a diffuse sheet, half one that lets light through: the same two halves in one sheet. What shows no body adds none.
    "leaf": Class(
        of("mix", (MATTE_PAINT, MATTE_LEAF), amount=0.5),
        of("open_pbr", specular_weight=0.0, base_color=GREEN, subsurface_weight=0.5, **LEAF),
        0.0,
        1.42,
    ),
    "paint and glass": Class(
        of("mix", (of("open_pbr", **RED), of("open_pbr", transmission_weight=1.0, specular_roughness=0.1)), amount=0.5),
        of("open_pbr", **RED, transmission_weight=0.5),
        0.0,
        0.28,
    ),
    # A mirror that shows as (1 − cos θ)^5 is a coat of a low index (Schlick 1994).
    "mirror over paint by view": Class(
        of("mix", (MATTE_RED, MIRROR), amount=1.0, blend_by=1, falloff=5.0),
        of(
            "open_pbr",
            base_color=(0.5, 0.1, 0.1),
            specular_weight=0.0,
            coat_weight=0.95,
            coat_ior=1.25,
            coat_roughness=0.05,
            coat_darkening=0.0,
        ),
        0.11,
        0.3,
    ),
    # A sheet tints by its colour whatever depth is said; its two surfaces reflect 2F/(1 + F) = 7.7 % (Born & Wolf §7.6), the F0 of 1.77.
    "window": Class(
        of("open_pbr", **WINDOW, specular_roughness=0.15),
        of("metal_rough", metallic=0.0, base_color=BLUE, transmission=1.0, roughness=0.15, ior=1.77),
        0.07,
        0.8,
    ),
    "pane": Class(
        of("open_pbr", **PANE), of("metal_rough", metallic=0.0, transmission=1.0, roughness=0.2, ior=1.77), 0.06,
        0.13
    ),
    # MTL 1995: Ks is the colour of what is mirrored; over no diffuse that is a metal, over paint a coat with the F0 of Ks.
    "gold of MTL": Class(
        of("exponent", diffuse=(0.0, 0.0, 0.0), specular=GOLD, exponent=200.0, illum=3),
        of("open_pbr", base_metalness=1.0, base_color=GOLD, specular_roughness=0.0),
        0.04,
        0.44,
    ),
    "gold of MTL to glTF": Class(
        of("exponent", diffuse=(0.0, 0.0, 0.0), specular=GOLD, exponent=200.0, illum=3),
        of("metal_rough", metallic=1.0, base_color=GOLD, roughness=0.0),
        0.04,
        1.63,
    ),
    "mirrored paint of MTL": Class(
        of("exponent", diffuse=(0.5, 0.3, 0.1), specular=(0.3, 0.3, 0.3), exponent=200.0, illum=5),
        of(
            "open_pbr",
            base_color=(0.8, 0.48, 0.16),
            specular_weight=0.0,
            specular_ior=3.42,
            coat_weight=1.0,
            coat_ior=3.42,
            coat_darkening=0.0,
        ),
        0.09,
        0.37,
    ),
    # OpenPBR 1.1: below a coat of roughness rc a base looks (2 rc⁴ + r⁴)^¼ rough, so that 0.05 asks for rc = 0.05/2^¼.
    "rough coat over a smooth metal": Class(
        of("metal_switch", metal=True, base_color=(0.9, 0.7, 0.4), finish=0.05, coat=1.0, coat_finish=0.4),
        of("open_pbr", **BRONZE, specular_roughness=0.0, coat_weight=1.0, coat_roughness=0.042, coat_ior=1.5, coat_darkening=0.0),
        0.19,
        1.71,
    ),
    # 30 % are reflected: 27 % by a coat and 4 % of the rest by the index that bends (Fresnel, Born & Wolf §1.5).
    "glass of sliders": Class(
        of("percent", color=(1.0, 1.0, 1.0), reflectance=30.0, translucency=100.0, roughness=10.0),
        of(
            "open_pbr",
            transmission_weight=1.0,
            specular_ior=4.75,
            specular_roughness=0.0,
            coat_weight=1.0,
            coat_ior=3.17,
            coat_roughness=0.084,
            coat_darkening=0.0,
        ),
        0.195,
        0.56,
    ),
    # A highlight without Fresnel: a high F0 and a small tint rise less; the body below gives back what the F0 takes.
    "exponent highlight": Class(
        of("exponent", diffuse=(0.2,) * 3, specular=(0.3,) * 3, exponent=50.0),
        of("open_pbr", base_color=(0.34,) * 3, specular_ior=4.75, specular_color=(0.08,) * 3, specular_roughness=0.43),
        0.08,
        0.18,
    ),
    "even reflection of 3 %": Class(
        of("gloss_pair", diffuse=(0.2,) * 3, reflection=(0.03,) * 3, reflection_glossiness=0.8, angle_dependent=False),
        of("open_pbr", base_color=(0.34,) * 3, specular_ior=4.75, specular_color=(0.07,) * 3, specular_roughness=0.2),
        0.02,
        0.14,
    ),
    "even reflection of 3 % to glTF": Class(
        of("gloss_pair", diffuse=(0.2,) * 3, reflection=(0.03,) * 3, reflection_glossiness=0.8, angle_dependent=False),
        of("metal_rough", **EVEN, specular=0.03, ior=0.0),
        0.0,
        0.14,
    ),
    # Two lobes: the sharper as coat, the broader below it.
    "two glossinesses": Class(
        of("gloss_pair", diffuse=(0.05,) * 3, reflection=(1.0,) * 3, reflection_glossiness=0.95, lamps_apart=True, lamp_glossiness=0.6),
        of(
            "open_pbr",
            base_color=(0.05,) * 3,
            specular_ior=1.8,
            specular_color=(0.52,) * 3,
            specular_roughness=0.4,
            coat_weight=0.5,
            coat_ior=1.5,
            coat_roughness=0.05,
            coat_darkening=0.0,
        ),
        0.02,
        0.7,
    ),
    "two lobes of a metal": Class(
        of(
            "facing_grazing",
            diffuse_gain=0.0,
            main_facing=(0.45,) * 3,
            main_roughness=0.1,
            main_distribution=0,
            broad_weight=1.0,
            broad_facing=(0.45,) * 3,
            broad_roughness=0.6,
            broad_distribution=0,
        ),
        of(
            "open_pbr",
            base_metalness=1.0,
            base_color=(0.55,) * 3,
            specular_roughness=0.6,
            coat_weight=0.65,
            coat_ior=4.9,
            coat_roughness=0.1,
            coat_darkening=0.0,
        ),
        0.04,
        1.06,
    ),
    # Beckmann of roughness 0.6 loses 5 % in single scattering where GGX loses 18 % (average albedo, Walter et al. 2007).
    "Beckmann metal": Class(
        of("facing_grazing", diffuse_gain=0.0, main_facing=(0.95,) * 3, main_roughness=0.6),
        of("open_pbr", base_metalness=1.0, base_color=(0.9,) * 3, specular_roughness=0.58),
        0.32,
        0.36,
    ),
    # (1 − c)^p ≈ u + v (1 − c)^5: for p = 2 F0 rises from 4 % to 13 %.
    "fall-off of 2": Class(
        of("facing_grazing", diffuse=(0.4,) * 3, main_falloff=2.0, main_roughness=0.3, main_distribution=0),
        of("open_pbr", base_color=(0.38,) * 3, specular_ior=2.14, specular_roughness=0.3),
        0.22,
        0.25,
    ),
    # MTL: d = 0.3 of a clear mode is 30 % body and 70 % glass.
    "dissolved glass of MTL": Class(
        of("exponent", diffuse=(0.1,) * 3, specular=(0.1,) * 3, illum=7, dissolve=0.3, ior=1.5, exponent=300.0),
        of(
            "open_pbr",
            base_color=(0.09,) * 3,
            transmission_weight=0.63,
            specular_ior=2.8875,
            specular_color=(0.0,) * 3,
            specular_roughness=0.01,
            coat_weight=1.0,
            coat_ior=1.925,
            coat_darkening=0.0,
        ),
        0.09,
        0.69,
    ),
    # A highlight drawn out across the tangent is wide that way: a quarter turn.
    "stretched highlight": Class(
        of("channels", diffuse=(0.1,) * 3, specular=(0.5,) * 3, exponent=50.0, lighting=3),
        of(
            "open_pbr",
            base_color=(0.15,) * 3,
            specular_ior=4.5,
            specular_color=(0.5,) * 3,
            specular_roughness=0.8,
            specular_roughness_anisotropy=0.8,
            geometry_tangent_rotation=1.5708,
        ),
        0.23,
        0.53,
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", CLASSES)
def test_no_rule_does_much_worse_than_a_hand(name: str) -> None:
    one = CLASSES[name]
    ours = quick_check(one.original, convert(one.original, one.by_hand.model).material).lobe_error
    by_hand = quick_check(one.original, one.by_hand).lobe_error
    assert by_hand == approx(one.error, abs=0.01 + 0.05 * one.error)
    assert ours <= WORSE * by_hand + 0.01
    assert ours < 0.9 * one.once


@pytest.mark.parametrize("index", [1.0, 1.05, 1.2, 1.31])
def test_a_clear_body_of_a_small_index_bends_by_it_and_reflects_by_it(index: float) -> None:
    # Born & Wolf §1.5: F0 = ((n − 1)/(n + 1))². KHR_materials_specular: F0 = min(F0(ior) · specularColor, 1) · specular, in a clear body
    # of the index that KHR_materials_ior states. Below 1.33 glTF's own grazing reflection of 1 would be too much (common practice).
    f0 = ((index - 1.0) / (index + 1.0)) ** 2
    glass = of("open_pbr", transmission_weight=1.0, specular_ior=index, specular_roughness=0.2)
    converted = convert(glass, "metal_rough").material.parameters()
    assert converted["ior"] == approx(index)
    color = converted.get("specular_color", (1.0, 1.0, 1.0))
    assert [min(part * f0, 1.0) * converted["specular"] for part in color] == approx([f0] * 3, rel=0.02, abs=1e-6)
    assert converted["specular"] == approx(min(f0 / 0.02, 1.0), rel=1e-3)
    assert quick_check(glass, convert(glass, "metal_rough").material).lobe_error < 0.02


def reflected(material: Material, cosine: float) -> float:
    """Share of light from a direction that stays on its side, by quadrature over the half space."""
    steps = 240
    height, turn = (np.arange(steps) + 0.5) / steps, (np.arange(2 * steps) + 0.5) * np.pi / steps
    z, phi = (axis.ravel() for axis in np.meshgrid(height, turn))
    across = np.sqrt(1.0 - z**2)
    lights = np.stack([across * np.cos(phi), across * np.sin(phi), z], axis=-1)
    view = np.broadcast_to([np.sqrt(1.0 - cosine**2), 0.0, cosine], lights.shape)
    values = evaluate(material.model, material.parameters(), lights, view)
    return float(values.mean() * 2.0 * np.pi)


@pytest.mark.parametrize("share", [0.05, 0.2, 0.5])
@pytest.mark.parametrize("model", ["weighted", "gloss_pair"])
def test_an_even_mirror_over_glass_leaves_the_index_to_bend(model: str, share: float) -> None:
    # Common practice: without angle dependence a reflection is as strong at all angles as its colour says. Snell: only the index bends.
    of_model: dict[str, Any] = {
        "weighted": {"diffuse_weight": 0.0, "specular_weight": share, "specular_roughness": 0.5, "refraction_roughness": 0.5}
        | {"refraction_weight": 0.9 * (1.0 - share)},
        "gloss_pair": {"diffuse": (0.0,) * 3, "reflection": (share,) * 3, "reflection_glossiness": 0.5, "refraction_glossiness": 0.5}
        | {"refraction": (0.9,) * 3},
    }
    glass = of(model, angle_dependent=False, ior=1.5, **of_model[model])
    found = convert(glass, "open_pbr").material
    assert found.parameters()["specular_ior"] == approx(1.5)
    for cosine in (1.0, 0.7, 0.4):
        assert reflected(found, cosine) == approx(share, abs=0.03 + 0.05 * share)
    # What goes through: nine tenths of what is left, as tint or weight, times what Fresnel lets through at both.
    passes = found.parameters()["transmission_weight"] * (1.0 - found.parameters()["base_metalness"])  # type: ignore[operator]
    assert passes * found.parameters()["transmission_color"][0] == approx(0.9 * (1.0 - share), abs=0.001)  # type: ignore[index]
