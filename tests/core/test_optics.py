"""The equations against published values."""

from __future__ import annotations

import numpy as np
import pytest
from pytest import approx

from fenrain.core.optics import albedo, bump, fresnel, microfacet
from fenrain.core.optics.energy import metallic_and_base


def test_glass_reflects_four_percent() -> None:
    # Born & Wolf §1.5: n = 1.5 → 4 %.  Common practice: plate glass 1.517 → 4.2 %, plastic 1.46 → 3.5 %, air 1 → nothing.
    assert fresnel.f0_from_ior(1.5) == approx(0.04)
    assert fresnel.f0_from_ior(1.517) == approx(0.0422, abs=5e-5)
    assert fresnel.f0_from_ior(1.46) == approx(0.0350, abs=5e-5)
    assert fresnel.f0_from_ior(1.0) == 0.0


def test_index_and_reflectance_are_each_others_inverse() -> None:
    ior = np.linspace(1.01, 6.0, 40)
    np.testing.assert_allclose(fresnel.ior_from_f0(fresnel.f0_from_ior(ior)), ior, rtol=1e-9)


def test_dielectric_is_dark_for_parallel_light_at_brewster_angle() -> None:
    # Born & Wolf §1.5.3: at tan θ = n the parallel part vanishes, so F is half the perpendicular part, ((n²−1)/(n²+1))²/2.
    n = 1.5
    brewster = np.cos(np.arctan(n))
    assert fresnel.fresnel_dielectric(brewster, n) == approx(0.5 * ((n**2 - 1) / (n**2 + 1)) ** 2)
    assert fresnel.fresnel_dielectric(0.0, n) == approx(1.0)


def test_total_reflection_begins_at_the_critical_angle() -> None:
    # Snell's law: sin θc = 1/1.5 seen from inside glass, 41.8°.
    critical = np.cos(np.arcsin(1 / 1.5))
    assert fresnel.fresnel_dielectric(critical * 0.999, 1 / 1.5) == 1.0
    assert fresnel.fresnel_dielectric(critical * 1.01, 1 / 1.5) < 1.0


def test_metal_tint_is_what_it_says_at_82_degrees() -> None:
    # Kutz et al. 2021: at cos θ = 1/7 the reflectance is the tint times Schlick's, and white at grazing whatever the tint.
    f0, tint = np.array([[0.9], [0.6], [0.4]]), np.array([[0.8], [0.7], [0.5]])
    schlick = fresnel.fresnel_schlick1994(1 / 7, f0)
    np.testing.assert_allclose(fresnel.metal_tint_kutz2021(1 / 7, f0, tint), tint * schlick, rtol=1e-9)
    np.testing.assert_allclose(fresnel.metal_tint_kutz2021(0.0, f0, tint), 1.0, rtol=1e-9)


def test_conductor_without_absorption_is_a_dielectric() -> None:
    cosine = np.linspace(0.05, 1.0, 12)
    np.testing.assert_allclose(fresnel.fresnel_conductor(cosine, 1.5, 0.0), fresnel.fresnel_dielectric(cosine, 1.5), rtol=1e-6)


def test_exponent_and_width_share_the_peak() -> None:
    # Walter et al. 2007: α = √(2/(n + 2)); memory: n = 30 is α = 0.25.
    assert microfacet.alpha_from_exponent(30.0) == approx(0.25)
    assert microfacet.exponent_from_alpha(0.25) == approx(30.0)


@pytest.mark.parametrize(("roughness", "anisotropy"), [(0.3, 0.0), (0.5, 0.4), (0.8, 0.9)])
def test_widths_go_both_ways(roughness: float, anisotropy: float) -> None:
    along, across = microfacet.widths_openpbr(roughness, anisotropy)
    assert microfacet.roughness_from_widths_openpbr(along, across) == approx((roughness, anisotropy), abs=1e-6)
    assert microfacet.widths_gltf(*microfacet.roughness_from_widths_gltf(along, across)) == approx((along, across), abs=1e-6)


def test_visible_normals_are_drawn_with_their_density() -> None:
    # Heitz 2014: the visible normals' densities integrate to one; the mean of 1/p over the drawn ones is the hemisphere's share.
    wo = np.array([[0.6], [0.0], [0.8]])
    u1, u2 = np.random.default_rng(1).random((2, 400_000))
    wi = microfacet.reflect(wo, microfacet.sample_visible_ggx(wo, 0.5, 0.3, u1, u2))
    z, phi = np.meshgrid((np.arange(800) + 0.5) / 400 - 1, (np.arange(800) + 0.5) / 800 * 2 * np.pi)
    s = np.sqrt(1 - z**2)
    sphere = np.stack([s * np.cos(phi), s * np.sin(phi), z]).reshape(3, -1)
    half = microfacet.safe_half(sphere, wo)
    pdf = np.where(half[2] > 0, microfacet.visible_ggx_pdf(wo, half, 0.5, 0.3), 0.0)
    up = sphere[2] > 0.3
    assert pdf.mean() * 4 * np.pi == approx(1.0, abs=0.01)
    assert (pdf * up).mean() * 4 * np.pi == approx((wi[2] > 0.3).mean(), abs=0.005)


def test_albedo_tables_are_what_they_are_made_of() -> None:
    # A few nodes integrated again by brute force over the hemisphere, independently of how the tables were made.
    z, phi = np.meshgrid((np.arange(600) + 0.5) / 600, (np.arange(600) + 0.5) / 600 * 2 * np.pi)
    s = np.sqrt(1 - z**2)
    wi = np.stack([s * np.cos(phi), s * np.sin(phi), z]).reshape(3, -1)
    for cosine, alpha in ((0.8, 0.3), (0.4, 0.5), (0.9, 0.9)):
        wo = np.array([[np.sqrt(1 - cosine**2)], [0.0], [cosine]])
        half = microfacet.safe_half(wi, wo)
        shape = microfacet.ggx_distribution(half, alpha, alpha) * microfacet.smith_masking(wi, wo, alpha, alpha) / (4 * cosine)
        gain = albedo.compensation(wi[2], alpha) * albedo.compensation(cosine, alpha)
        assert (shape * gain).mean() * 2 * np.pi == approx(1.0, abs=0.01)
        reflected = fresnel.fresnel_dielectric((wo * half).sum(axis=0), 1.5)
        whole = (shape * reflected * (1 + reflected * (gain - 1))).mean() * 2 * np.pi
        assert albedo.dielectric_albedo(cosine, alpha, 1.5) == approx(whole, abs=0.003)


@pytest.mark.parametrize(("diffuse", "specular", "metallic", "base"), [
    # Worked by hand from the equation of KHR_materials_pbrSpecularGlossiness ("Converting between workflows").
    ((0.5, 0.5, 0.5), (0.04, 0.04, 0.04), 0.0, (0.5, 0.5, 0.5)),
    ((0.0, 0.0, 0.0), (1.0, 1.0, 1.0), 1.0, (1.0, 1.0, 1.0)),
    ((0.0, 0.0, 0.0), (0.9, 0.9, 0.9), 1.0, (0.9, 0.9, 0.9)),
    ((0.3, 0.3, 0.3), (0.0, 0.0, 0.0), 0.0, (0.3125, 0.3125, 0.3125)),
])  # fmt: skip
def test_published_conversion_to_metallic(
    diffuse: tuple[float, ...], specular: tuple[float, ...], metallic: float, base: tuple[float, ...]
) -> None:
    body = np.array(diffuse) * (1 - max(specular))
    found, colour = metallic_and_base(body, np.array(specular), np.array([0.96]))
    assert found[0] == approx(metallic, abs=1e-6)
    np.testing.assert_allclose(colour, base, atol=1e-6)


def test_half_metal_solves_the_published_equation() -> None:
    # ρ m² + (d k/(1−ρ) + s − 2ρ) m + ρ − s = 0 with ρ = 0.04 (KHR_materials_pbrSpecularGlossiness).
    m, _ = metallic_and_base(np.array([0.2, 0.2, 0.2]), np.array([0.3, 0.3, 0.3]), np.array([0.96]))
    d, s = 0.2 / 0.96, 0.3
    assert 0.04 * m[0] ** 2 + (d + s - 0.08) * m[0] + 0.04 - s == approx(0.0, abs=1e-9)


def test_a_ramp_leans_against_its_slope() -> None:
    # Height h = u/2 in texels rises to the right: n = normalise(−1/2, 0, 1).
    height = np.tile(np.arange(64) / 2.0, (64, 1))[..., None]
    normal = bump.normals_from_height(height)[32, 32]
    np.testing.assert_allclose(normal, np.array([-0.5, 0.0, 1.0]) / np.sqrt(1.25), atol=1e-9)


def test_flat_detail_leaves_the_normal_as_it_is() -> None:
    # Barré-Brisebois & Hill 2012: reoriented normal mapping has the flat normal as its neutral element, on both sides.
    normal, flat = np.array([[0.36, 0.48, 0.8]]), np.array([[0.0, 0.0, 1.0]])
    np.testing.assert_allclose(bump.blend_normals(normal, flat), normal, atol=1e-9)
    np.testing.assert_allclose(bump.blend_normals(flat, normal), normal, atol=1e-9)
