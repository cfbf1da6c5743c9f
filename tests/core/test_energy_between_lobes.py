"""What each lobe reflects in all, what it leaves for what lies below, and that both together are what arrived."""

from __future__ import annotations

from typing import Any

import drjit as dr
import numpy as np
import pytest
from pytest import approx

from fenrain.core import Material
from fenrain.core.checking.quick import facing_total
from fenrain.core.models.registry import spread
from fenrain.core.optics import albedo, fresnel, microfacet
from fenrain.core.rendering.engine import mi
from fenrain.core.surfaces import mean_surface

SAMPLES = 200_000


def view(cosine: float) -> np.ndarray:
    return np.array([[np.sqrt(1 - cosine**2)], [0.0], [cosine]])


def back_and_through(model: str, cosine: float, **values: Any) -> tuple[float, float]:
    """Shares of light from this angle that leave above and below, by samples of the surface's own pdf, counted as they leave."""
    surface, lit = mean_surface(Material.of("m", model, values)), view(cosine)
    leaving = np.asarray(surface.sample(lit, *np.random.default_rng(3).random((3, SAMPLES))))
    pdf = np.broadcast_to(surface.pdf(leaving, lit), leaving.shape[1:])
    sent = spread(surface.evaluate(lit, leaving)).max(axis=0) * np.abs(leaving[2]) / cosine
    share = np.where((pdf > 1e-9) & (np.abs(leaving).sum(axis=0) > 0), sent / np.maximum(pdf, 1e-9), 0.0)
    return float(np.where(leaving[2] > 0, share, 0.0).mean()), float(np.where(leaving[2] < 0, share, 0.0).mean())


@pytest.mark.parametrize("distribution", ["ggx", "beckmann"])
@pytest.mark.parametrize(("cosine", "alpha"), [(0.9, 0.36), (0.5, 0.36), (0.5, 0.2), (0.25, 0.2)])
def test_what_single_scattering_keeps_is_what_an_independent_renderer_keeps(distribution: str, cosine: float, alpha: float) -> None:
    # Mitsuba's own lossless rough conductor: the mean weight of its samples is the directional albedo. It masks both directions
    # separately, ours by height together (Heitz 2014, §6.4.2), which tells at greater widths than these.
    reference = mi.load_dict(
        {"type": "roughconductor", "material": "none", "distribution": distribution, "alpha": alpha, "sample_visible": False}
    )
    si = dr.zeros(mi.SurfaceInteraction3f, SAMPLES)
    si.wi = mi.Vector3f(*(dr.full(mi.Float, float(axis[0]), SAMPLES) for axis in view(cosine)))
    random = np.random.default_rng(2).random((3, SAMPLES)).astype(np.float32)
    _, weight = reference.sample(mi.BSDFContext(), si, mi.Float(random[0]), mi.Point2f(mi.Float(random[1]), mi.Float(random[2])))
    kept = float(np.array(weight)[0].mean())
    kind = albedo.Scattering.BECKMANN_ONCE if distribution == "beckmann" else albedo.Scattering.GGX_ONCE
    assert float(albedo.schlick_albedo(cosine, alpha, 1.0, 1.0, scattering=kind)) == approx(kept, abs=0.012)


def test_beckmann_loses_less_than_ggx() -> None:
    # Walter et al. 2007: GGX has the longer tail; at roughness 0.6 it loses 18 % on average where Beckmann loses 5 %.
    ggx, beckmann = (
        float(albedo.average_of_single_scattering(np.asarray(0.36), kind))
        for kind in (albedo.Scattering.GGX_ONCE, albedo.Scattering.BECKMANN_ONCE)
    )
    assert (1 - beckmann) < 0.4 * (1 - ggx)


@pytest.mark.parametrize("distribution", [0, 1])
@pytest.mark.parametrize("falloff", [0.5, 2.0, 5.0, 10.0])
@pytest.mark.parametrize("cosine", [0.95, 0.6, 0.25])
def test_a_white_body_below_any_fall_off_stays_white(distribution: int, falloff: float, cosine: float) -> None:
    # White furnace: what the lobe reflects is missing below, whatever its curve (conservation of energy).
    values = {"diffuse": (1.0,) * 3, "main_falloff": falloff, "main_roughness": 0.4, "main_distribution": distribution}
    assert back_and_through("facing_grazing", cosine, **values)[0] == approx(1.0, abs=0.025)


@pytest.mark.parametrize("falloff", [0.0, 0.49, 0.5, 2.0, 5.0, 12.0])
def test_the_schlick_curve_nearest_to_a_fall_off_has_its_average(falloff: float) -> None:
    # Least squares with a constant term keep the mean: u + v/21 = 2/((p + 1)(p + 2)); p = 0 is grazing alone, p = 5 the curve itself.
    u, v = fresnel.schlick_of_falloff(np.asarray(falloff))
    assert u + v / 21.0 == approx(2.0 / ((falloff + 1.0) * (falloff + 2.0)), abs=1e-12)
    if falloff in (0.0, 5.0):
        assert (float(u), float(v)) == approx((1.0, 0.0) if falloff == 0.0 else (0.0, 1.0), abs=1e-12)


def test_hue_does_not_jump_between_neighbouring_fall_offs() -> None:
    from fenrain.core import convert

    shared = {"diffuse_gain": 0.0, "main_facing": (0.9, 0.2, 0.1), "main_grazing": (0.1, 0.2, 0.9)}
    seen = [
        convert(Material.of("m", "facing_grazing", {**shared, "main_falloff": p}), "open_pbr").material.parameters()["base_color"]
        for p in (0.49, 0.5)
    ]
    np.testing.assert_allclose(*seen, atol=0.01)


@pytest.mark.parametrize("cosine", [0.95, 0.6, 0.25])
def test_glass_of_sliders_keeps_its_energy(cosine: float) -> None:
    # Conservation of energy: R + T = 1 for a clear lossless body, whatever the slider says beside the index.
    back, through = back_and_through("percent", cosine, color=(1.0,) * 3, reflectance=30.0, translucency=100.0, roughness=10.0)
    assert back + through == approx(1.0, abs=0.02)
    assert back == approx(0.3 + 0.7 * (1 - cosine) ** 5, abs=0.03), "Schlick 1994 of the slider, not the 4 % of the index"


def test_the_energy_finding_counts_what_leaves_on_the_far_side() -> None:
    # Radiance that leaves a body is spread by n² (Veach 1997, §5.2): 0.96 arrives as 0.43 in the viewer's units, and is 0.96 all the same.
    assert facing_total(Material.of("m", "open_pbr", {"transmission_weight": 1.0})) == approx(1.0, abs=0.01)
    both = {"specular_weight": 1.0, "refraction_weight": 1.0, "diffuse_weight": 0.3}
    assert facing_total(Material.of("m", "weighted", both)) == approx(1.3, abs=0.02)


@pytest.mark.parametrize("ior", [0.7, 0.9])
def test_below_an_index_of_one_everything_is_thrown_back_past_the_critical_angle(ior: float) -> None:
    # Total reflection from cos θ = √(1 − n²) on (Born & Wolf §1.5.4).
    critical = np.sqrt(1.0 - ior**2)
    values = {"specular_ior": ior, "transmission_weight": 1.0, "specular_roughness": 0.02}
    back, through = back_and_through("open_pbr", critical * 0.9, **values)
    assert (back, through) == approx((1.0, 0.0), abs=0.01)
    back, through = back_and_through("open_pbr", min(critical * 1.3, 0.98), **values)
    assert back + through == approx(1.0, abs=0.02)
    assert back < 0.5


def test_two_lobes_stretched_crosswise_are_round_together() -> None:
    # Second moments of slopes add up as tensors, whatever the frame: the mean of equal crossed ellipses is a circle.
    lobes = [(np.asarray(0.3), np.asarray(0.1), np.asarray(angle)) for angle in (0.2, 0.2 + np.pi / 2)]
    along, across, _ = microfacet.mean_of_widths(lobes, [np.ones(()), np.ones(())])
    assert float(along / across) == approx(1.0)
    along, across, angle = microfacet.mean_of_widths(lobes[:1], [np.ones(())])
    assert (float(along), float(across), float(angle)) == approx((0.3, 0.1, 0.2))


def test_a_sheet_reflects_with_both_surfaces_and_back() -> None:
    # Born & Wolf §7.6, all orders of an incoherent plate: 2F/(1 + F) is the sum F + F (1 − F)² (1 + F² + F⁴ + …).
    one = 0.04
    series = one + one * (1 - one) ** 2 * sum(one ** (2 * order) for order in range(20))
    assert float(fresnel.both_surfaces(one)) == approx(series)
    assert float(fresnel.of_one_surface(fresnel.both_surfaces(one))) == approx(one)
