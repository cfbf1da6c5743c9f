"""The lobes and their combinations one by one, against closed forms and integrals."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from pytest import approx

from fenrain.core.lobes.diffuse import FlatDiffuse, Lambert, OrenNayar, PowerDiffuse, RoughDiffuse
from fenrain.core.lobes.exponent import BlinnHighlight, StretchedHighlight
from fenrain.core.lobes.microfacet import GGX, BeckmannMicrofacet, Conductor, Dielectric, Microfacet, ReflectanceCurve, Schlick, glossy
from fenrain.core.lobes.rotated import Rotated, rotated
from fenrain.core.lobes.surface import Interior, Part, Surface, layered, mixed, weighted
from fenrain.core.lobes.transmission import DiffuseTransmission, InnerReflection, Refraction, ThinWall, ThinWallTransmission
from fenrain.core.models.additive import base_of, presence, transmission_share, uniform, width_of_stronger
from fenrain.core.models.open_pbr.inverse import distance_of_widths
from fenrain.core.optics.diffuse import oren_nayar_albedo
from fenrain.core.optics.fresnel import f0_from_ior, fresnel_conductor, metal_of_colours
from fenrain.core.optics.microfacet import (
    beckmann_distribution,
    beckmann_lambda,
    ggx_distribution,
    ggx_of_beckmann,
    roughness_from_widths_materialx,
    widths_materialx,
)
from fenrain.core.optics.volume import (
    absorption_of,
    colour_at,
    interior_of_subsurface,
    interior_of_transmission,
    ior_at,
    shifted_absorption,
    single_scattering_albedo,
)

BODY = "body"


def over_hemisphere(steps: int = 400) -> tuple[np.ndarray, float]:
    """Directions spread evenly over the upper half, and the steradians of each."""
    z, phi = np.meshgrid((np.arange(steps) + 0.5) / steps, (np.arange(steps) + 0.5) / steps * 2 * np.pi)
    s = np.sqrt(1 - z**2)
    return np.stack([s * np.cos(phi), s * np.sin(phi), z]).reshape(3, -1), 2 * np.pi / steps**2


def view(cosine: float) -> np.ndarray:
    return np.array([[np.sqrt(1 - cosine**2)], [0.0], [cosine]])


def albedo(lobe: Any, cosine: float = 0.7) -> float:
    wi, solid = over_hemisphere()
    return float(np.sum(lobe.evaluate(wi, view(cosine))) * solid)


def test_diffuse_lobes_send_back_what_they_say() -> None:
    # Lambert 1760: albedo = colour; a power p on the fall-off: 2/(p + 1); flat: the energy of Lambert.
    assert albedo(Lambert(0.6)) == approx(0.6, abs=1e-3)
    assert albedo(PowerDiffuse(0.6, 2.0)) == approx(0.6 * 2 / 3, abs=1e-3)
    assert albedo(FlatDiffuse(0.6)) == approx(0.6, abs=1e-3)
    assert albedo(RoughDiffuse(np.asarray(1.0), np.asarray(0.8))) == approx(1.0, abs=0.01), "EON keeps all energy (Portsmouth et al. 2024)"


def test_oren_and_nayars_model_loses_what_its_albedo_says() -> None:
    # Oren & Nayar 1994, qualitative model; averaged over views with the cosine.
    cosines = (np.arange(24) + 0.5) / 24
    seen = [albedo(OrenNayar(1.0, np.asarray(0.5)), float(c)) for c in cosines]
    assert 2 * np.mean(np.array(seen) * cosines) == approx(float(oren_nayar_albedo(0.5)), abs=5e-3)
    assert albedo(OrenNayar(1.0, np.asarray(0.0))) == approx(1.0, abs=1e-3)


@pytest.mark.parametrize("alpha", [0.1, 0.4, 0.9])
def test_distributions_of_facets_cover_the_surface_once(alpha: float) -> None:
    # Walter et al. 2007, eq. 4: ∫ D(h) (h·n) dh = 1.
    half, solid = over_hemisphere(900)
    for distribution in (ggx_distribution, beckmann_distribution):
        assert float(np.sum(distribution(half, alpha, alpha) * half[2]) * solid) == approx(1.0, abs=0.02)


def test_beckmann_masking_is_the_published_fit() -> None:
    # Walter et al. 2007, eq. 27: G1 = (3.535 a + 2.181 a²)/(1 + 2.276 a + 2.577 a²) for a < 1.6, else 1; a = 1/(α tan θ).
    for cosine in (0.9, 0.5, 0.2):
        a = cosine / np.sqrt(1 - cosine**2) / 0.5
        expected = (3.535 * a + 2.181 * a**2) / (1 + 2.276 * a + 2.577 * a**2) if a < 1.6 else 1.0
        assert 1 / (1 + float(beckmann_lambda(view(cosine), 0.5, 0.5).item())) == approx(expected, rel=1e-6)


def test_beckmann_has_the_shorter_tail_and_its_nearest_ggx_is_narrower() -> None:
    mirror, off = view(0.9) * np.array([[-1], [1], [1]]), np.array([[0.6], [0.5], [np.sqrt(1 - 0.61)]])
    ggx, beckmann = (glossy(kind, 0.3, 0.3, Schlick(1.0, 1.0)) for kind in (0, 1))
    assert isinstance(beckmann, BeckmannMicrofacet)
    ratio = [(beckmann.evaluate(wi, view(0.9)) / ggx.evaluate(wi, view(0.9))).item() for wi in (mirror, off)]
    assert ratio[1] < ratio[0]
    assert 0.8 < float(ggx_of_beckmann(np.array(0.3))) / 0.3 < 1.0


@pytest.mark.parametrize(("roughness", "anisotropy"), [(0.3, 0.0), (0.5, 0.6), (0.2, 0.9)])
def test_materialx_widths_go_both_ways(roughness: float, anisotropy: float) -> None:
    back = roughness_from_widths_materialx(*widths_materialx(np.asarray(roughness), np.asarray(anisotropy)))
    np.testing.assert_allclose(back, (roughness, anisotropy), atol=1e-6)


def test_conductor_of_two_colours_reflects_the_first_when_facing() -> None:
    # Gulbrandsen 2014: r is the reflectance at normal incidence, whatever the edge.
    r = np.array([[0.9], [0.6], [0.3]])
    for edge in (0.0, 0.5, 1.0):
        n, k = metal_of_colours(r, edge)
        np.testing.assert_allclose(fresnel_conductor(1.0, n, k), r, rtol=1e-6)
        np.testing.assert_allclose(Conductor(n, k).at(1.0), r, rtol=1e-6)


def test_reflectance_curve_is_read_between_its_nodes() -> None:
    curve = ReflectanceCurve(np.array([1.0, 0.5, 0.2]), np.array([1.0, 0.6, 0.3]), np.array([1.0, 0.7, 0.4]))
    np.testing.assert_allclose(np.asarray(curve.at(np.array([0.25]))).ravel(), (0.75, 0.8, 0.85))


def test_stretched_highlight_is_a_band_across_the_tangent() -> None:
    # Kajiya & Kay 1989: bright wherever the half vector lies across the tangent.
    lobe, wo = StretchedHighlight(1.0, np.asarray(80.0)), view(1.0)
    across, along = np.array([[0.0], [0.8], [0.6]]), np.array([[0.8], [0.0], [0.6]])
    assert lobe.evaluate(across, wo).item() > 20 * lobe.evaluate(along, wo).item()
    blinn = BlinnHighlight(1.0, np.asarray(80.0))
    assert blinn.evaluate(across, wo).item() == approx(blinn.evaluate(along, wo).item())


def test_turned_lobe_is_the_lobe_in_a_turned_frame() -> None:
    lobe = Microfacet(0.1, 0.5, Schlick(1.0, 1.0))
    wi, wo = np.array([[0.5], [0.1], [0.86]]), np.array([[-0.2], [0.3], [0.93]])
    quarter = Rotated(lobe, np.asarray(np.pi / 2))
    swapped = Microfacet(0.5, 0.1, Schlick(1.0, 1.0))
    np.testing.assert_allclose(quarter.evaluate(wi, wo), swapped.evaluate(wi, wo), rtol=1e-9)
    assert rotated(lobe, 0.0) is lobe


def test_sheet_reflects_by_both_surfaces_and_passes_the_rest() -> None:
    # Born & Wolf §7.6, incoherent: R' = 2R/(1 + R), T' = 1 − R' for a lossless sheet; glass of 1.5 facing: 4 % → 7.7 %.
    single = float(Dielectric(np.asarray(1.5)).at(1.0))
    assert single == approx(0.04)
    assert float(ThinWall(np.asarray(1.5)).at(1.0)) == approx(0.08 / 1.04)
    through = ThinWallTransmission(0.2, 0.2, ThinWall(np.asarray(1.5)))
    wi, solid = over_hemisphere()
    passed = float(np.sum(through.evaluate(wi * np.array([[1], [1], [-1]]), view(0.98))) * solid)
    lossless = albedo(Microfacet(0.2, 0.2, Schlick(1.0, 1.0), compensated=False), 0.98)
    assert passed == approx((1 - 0.08 / 1.04) * lossless, abs=5e-3), "as blurred as its reflection, single scattering"


def test_what_goes_through_and_what_comes_back_make_the_whole() -> None:
    # Walter et al. 2007: at a smooth interface R + T = 1; radiance grows by n² inside (Veach 1997 §5.2). From inside, beyond the critical
    # angle of 41.8° for 1.5, all comes back.
    ior, wo = np.asarray(1.5), view(0.8)
    wi, solid = over_hemisphere(900)
    below = wi * np.array([[1], [1], [-1]])
    through = float(np.sum(Refraction(0.15, 0.15, ior).evaluate(below, wo)) * solid) * 1.5**2
    back = float(np.sum(Microfacet(0.15, 0.15, Dielectric(ior), compensated=False).evaluate(wi, wo)) * solid)
    assert through + back == approx(1.0, abs=0.01)
    inside, from_inside = InnerReflection(0.02, 0.02, ior), view(0.5) * np.array([[1], [1], [-1]])
    drawn = inside.sample(from_inside, *np.random.default_rng(0).random((2, 20_000)))
    share = inside.evaluate(drawn, from_inside) / np.maximum(inside.pdf(drawn, from_inside), 1e-12)
    assert share.mean() == approx(1.0, abs=0.01)


def test_diffuse_transmission_reaches_the_other_side_alone() -> None:
    lobe, wo = DiffuseTransmission(0.4), view(0.6)
    wi, solid = over_hemisphere()
    assert float(np.sum(lobe.evaluate(wi, wo))) == 0.0
    assert float(np.sum(lobe.evaluate(wi * np.array([[1], [1], [-1]]), wo)) * solid) == approx(0.4, abs=1e-3)


def test_parts_are_weighed_mixed_and_layered() -> None:
    red, blue = Part(Lambert(0.8), BODY), Part(Lambert(0.2), BODY)
    wi, wo = view(0.7), view(0.5)
    assert weighted((red,), 0.0) == ()
    assert mixed((red,), (blue,), 0.0) == (red,)
    assert mixed((red,), (blue,), 1.0) == (blue,)
    half = Surface(mixed((red,), (blue,), np.asarray(0.5)))
    np.testing.assert_allclose(half.evaluate(wi, wo), 0.5 / np.pi * 0.7)
    gloss = Part(Microfacet(0.3, 0.3, Dielectric(np.asarray(1.5))), "reflection")
    below = layered(gloss.lobe, gloss.aspect, (red,))[1]
    assert below.evaluate(wi, wo).item() < red.evaluate(wi, wo).item()
    assert layered(gloss.lobe, gloss.aspect, (red,), weight=0.0) == (red,)


def test_light_under_an_even_sky_is_kept_by_a_cover() -> None:
    # Kelemen & Szirmay-Kalos 2001: what the cover takes from a white body it reflects itself.
    gloss = Part(Microfacet(0.25, 0.25, Dielectric(np.asarray(1.6))), "reflection")
    surface = Surface(layered(gloss.lobe, gloss.aspect, (Part(Lambert(1.0), BODY),)))
    wi, solid = over_hemisphere(500)
    for cosine in (0.95, 0.5, 0.2):
        assert float(np.sum(surface.evaluate(wi, view(cosine))) * solid) == approx(1.0, abs=0.02)


# Volumes


def test_colour_at_a_distance_and_absorption_are_each_others_inverse() -> None:
    # Beer–Lambert, KHR_materials_volume: T(x) = C^(x/D).
    colour = np.array([[0.9], [0.4], [0.1]])
    sigma = absorption_of(colour, np.asarray(0.3))
    np.testing.assert_allclose(colour_at(sigma, np.asarray(0.3)), colour)
    np.testing.assert_allclose(colour_at(sigma, np.asarray(0.6)), colour**2)
    np.testing.assert_allclose(absorption_of(colour, np.asarray(0.0)), 0.0)
    np.testing.assert_allclose(Interior(sigma).passes(np.asarray(0.3)), colour)


def test_scattering_more_than_is_lost_raises_all_channels_alike() -> None:
    # OpenPBR 1.1: absorption below zero is shifted up by the lowest channel.
    absorption = shifted_absorption(np.array([[1.0], [0.5], [2.0]]), np.array([[1.5], [0.5], [0.5]]))
    np.testing.assert_allclose(absorption.ravel(), (0.0, 0.5, 2.0))
    sigma, scattering = interior_of_transmission(np.array([[0.5], [0.5], [0.5]]), np.asarray(2.0), np.array([[0.1], [0.2], [0.3]]))
    np.testing.assert_allclose(scattering.ravel(), (0.05, 0.1, 0.15))
    assert (sigma >= 0).all()


def test_albedo_of_one_event_goes_from_black_to_white() -> None:
    # Kulla & Conty 2017: 0 → 0, 1 → 1, growing; forward scattering needs more of it for the same colour.
    colours = np.linspace(0, 1, 21)
    found = single_scattering_albedo(colours, 0.0)
    np.testing.assert_allclose((found[0], found[-1]), (0.0, 1.0), atol=2e-3)
    assert (np.diff(found) > 0).all()
    assert single_scattering_albedo(0.5, 0.7) > single_scattering_albedo(0.5, 0.0)
    absorption, scattering = interior_of_subsurface(np.array([[0.8], [0.5], [0.2]]), np.array([[0.1], [0.1], [0.1]]), 0.0)
    np.testing.assert_allclose(absorption + scattering, 10.0, rtol=1e-9)


def test_abbe_number_is_what_parts_blue_from_red() -> None:
    # Definition: V = (n_d − 1)/(n_F − n_C) at 587.6, 486.1 and 656.3 nm.
    n_f, n_d, n_c = (float(ior_at(np.asarray(1.5168), np.asarray(64.17), wavelength)) for wavelength in (0.4861, 0.5876, 0.6563))
    assert (n_d - 1) / (n_f - n_c) == approx(64.17, rel=1e-6)
    assert n_f > n_d > n_c


# A body and a reflection in the hub's terms


@pytest.mark.parametrize("reflected", [0.02, 0.1, 0.25])
@pytest.mark.parametrize("body", [0.0, 0.3, 0.6])
def test_even_reflection_keeps_its_height_and_rises_as_little_as_the_body_allows(reflected: float, body: float) -> None:
    # Facing, tint × F0 is what it was (0.04 for glass: Born & Wolf §1.5); grazing, where every F0 rises to 1, the tint alone is left.
    base = base_of(np.full(3, body), uniform(np.full(3, reflected), GGX, np.array([0.01])))
    facing = base.specular_color * f0_from_ior(base.specular_ior)
    if base.base_metalness < 1:
        np.testing.assert_allclose(facing, reflected, rtol=0.01)
        assert base.specular_color.max() < 0.75
        assert base.base_color.max() <= 1.0, "the body still comes back whole"


def test_bright_over_black_is_a_metal_and_glass_is_not() -> None:
    bright = uniform(np.array([0.9, 0.6, 0.4]), GGX, np.array([0.1]))
    assert base_of(np.zeros(3), bright).base_metalness.item() == approx(1.0)
    assert base_of(np.zeros(3), bright, transmission=np.ones(1)).base_metalness.item() == 0.0
    assert base_of(np.full(3, 0.4), bright).base_metalness.item() == 0.0


def test_shares_of_what_goes_through() -> None:
    weight, tint, body = transmission_share(np.array([0.8, 0.4, 0.2]), np.array([0.1, 0.1, 0.1]))
    np.testing.assert_allclose(weight * tint, (0.8, 0.4, 0.2))
    np.testing.assert_allclose(body * (1 - weight), 0.1)
    assert presence(np.zeros(3), np.zeros(3)).item() == 0.0
    assert presence(np.zeros(3), np.ones(3)).item() == 1.0


def test_one_width_for_two_lobes_is_that_of_the_stronger() -> None:
    # Normalised lobes of widths a < b differ by 2 (b − a)/(a + b): the sum over both, weighted by their energy, has no least between.
    alphas, sent = [np.array([0.1]), np.array([0.3])], [np.array([3.0]), np.array([1.0])]
    between = np.linspace(0.1, 0.3, 21)
    errors = sum(share * distance_of_widths(alpha, between) for alpha, share in zip(alphas, sent, strict=True))
    assert width_of_stronger(alphas, sent).item() == between[errors.argmin()] == 0.1


def test_distance_of_widths_is_the_difference_of_the_distributions() -> None:
    # ∫ |D₁ − D₂| cos θ dω of the GGX distribution (Walter et al. 2007, eq. 33), each normalised to 1.
    z, solid = (np.arange(200_000) + 0.5) / 200_000, 2 * np.pi / 200_000
    half = np.stack([np.sqrt(1 - z**2), np.zeros_like(z), z])
    first, second = (ggx_distribution(half, alpha, alpha) for alpha in (0.1, 0.35))
    whole = float((np.abs(first - second) * z).sum() * solid)
    assert float(distance_of_widths(np.asarray(0.1), np.asarray(0.35))) == approx(whole, rel=1e-3)
