"""Readings on directions against closed forms and the standards they are named after."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from pytest import approx

from fenrain.core import Material
from fenrain.core.checking.angular import Angular, area
from fenrain.core.checking.figures import figures
from fenrain.core.checking.metrics.gloss import RECEPTORS, distinctness, gloss, half_width
from fenrain.core.checking.metrics.mirror_image import detail_through, mirrored_detail
from fenrain.core.checking.metrics.registry import Surfaces
from fenrain.core.optics.fresnel import fresnel_dielectric
from fenrain.core.surfaces import mean_surface

BLACK_GLASS = {"base_color": (0.0, 0.0, 0.0), "specular_ior": 1.567, "specular_roughness": 0.0}


def asked(**values: Any) -> Angular:
    return Angular(mean_surface(Material.of("m", "open_pbr", values)))


def pair(first: Angular, second: Angular) -> Surfaces:
    return Surfaces(first, second, (0.0, 0.0))


@pytest.mark.parametrize("angle", list(RECEPTORS))
def test_polished_black_glass_reads_a_hundred(angle: int) -> None:
    # ISO 2813: a polished black glass of index 1.567 is 100 gloss units at each angle.
    assert gloss(asked(**BLACK_GLASS).around_mirror(angle), angle) == approx(100.0, abs=0.5)


@pytest.mark.parametrize("index", [1.4, 1.5, 1.7])
def test_gloss_of_polished_glass_follows_fresnel(index: float) -> None:
    # Born & Wolf §1.5: what a polished surface reflects depends on its index alone.
    for angle in (20, 60):
        cosine = np.cos(np.radians(angle))
        expected = 100.0 * float(fresnel_dielectric(cosine, index)) / float(fresnel_dielectric(cosine, 1.567))
        assert gloss(asked(**BLACK_GLASS | {"specular_ior": index}).around_mirror(angle), angle) == approx(expected, rel=0.02)


@pytest.mark.parametrize("angle", [20, 60])
def test_gloss_of_a_matt_white_surface_is_its_share_of_the_receptor(angle: int) -> None:
    # A Lambert surface sends cos θ/π per steradian everywhere (Lambert 1760); the receptor is a small rectangle about the mirror direction.
    matt = Angular(mean_surface(Material.of("m", "metal_rough", {"metallic": 0.0, "specular": 0.0, "roughness": 1.0})))
    wide, high = (np.radians(side) for side in RECEPTORS[angle])
    cosine = np.cos(np.radians(angle))
    expected = 100.0 * wide * high * cosine / np.pi / float(fresnel_dielectric(cosine, 1.567))
    assert gloss(matt.around_mirror(angle), angle) == approx(expected, rel=0.1)
    assert matt.around_mirror(angle).total == approx([1.0] * 3, rel=0.02)


def test_distinctness_is_a_hundred_for_a_mirror_and_nothing_for_a_matt_one() -> None:
    assert distinctness(asked(**BLACK_GLASS).around_mirror(30.0)) == approx(100.0, abs=1.0)
    assert distinctness(asked(**BLACK_GLASS | {"specular_roughness": 0.5}).around_mirror(30.0)) == approx(0.0, abs=0.5)


@pytest.mark.parametrize("roughness", [0.1, 0.2, 0.3])
def test_width_of_a_highlight_is_that_of_its_facets(roughness: float) -> None:
    # GGX (Walter et al. 2007, eq. 33) falls to half where tan²θ = α²(√2 − 1); a facet leaning by θ turns the mirrored ray by 2θ.
    facet = np.degrees(np.arctan(roughness**2 * np.sqrt(np.sqrt(2.0) - 1.0)))
    assert half_width(asked(**BLACK_GLASS | {"specular_roughness": roughness}).around_mirror(20.0)) == approx(2.0 * facet, rel=0.12)


def test_areas_of_cells_add_up_to_what_they_cover() -> None:
    # A cap of 10° is 2π(1 − cos 10°) steradians.
    surface = asked(**BLACK_GLASS)
    cells = area(20.0, lambda x, y: np.hypot(x, y) <= 10.0)
    around = surface.around_mirror(20.0)
    assert cells.max() == 1.0
    assert float(around.within(cells[None]).mean()) == approx(float(around.total.mean()), rel=0.01)


def test_mirrored_detail_is_nothing_for_equal_surfaces_grows_and_has_no_direction() -> None:
    sharp = asked(specular_roughness=0.05)
    found = [mirrored_detail(pair(sharp, asked(specular_roughness=roughness))) for roughness in (0.05, 0.055, 0.06, 0.08, 0.12, 0.2)]
    assert found[0] == 0.0
    assert found == sorted(found)
    assert found[-1] > 20.0
    soft = asked(specular_roughness=0.12)
    assert mirrored_detail(pair(sharp, soft)) == mirrored_detail(pair(soft, sharp))


def test_a_stretched_highlight_is_told_from_a_round_one() -> None:
    gold = {"base_color": (0.9, 0.8, 0.4), "base_metalness": 1.0, "specular_roughness": 0.3}
    assert mirrored_detail(pair(asked(**gold), asked(**gold, specular_roughness_anisotropy=0.6))) > 6.0


def test_detail_seen_through_is_of_what_lets_light_through() -> None:
    clear = {"transmission_weight": 1.0, "specular_roughness": 0.01}
    opaque, sharp = asked(), asked(**clear)
    assert detail_through(pair(opaque, asked(specular_roughness=0.6))) == 0.0
    assert detail_through(pair(sharp, asked(**clear))) == 0.0
    assert detail_through(pair(sharp, asked(**clear | {"specular_roughness": 0.1}))) > 20.0
    assert detail_through(pair(sharp, opaque)) > 20.0


def test_openings_are_read_in_percent() -> None:
    half, whole = (Material.of("m", "open_pbr", {"geometry_opacity": opacity}) for opacity in (0.5, 1.0))
    reading = figures(half, whole).readings["opening"]
    assert (reading.value, reading.original, reading.converted) == (50.0, 50.0, 0.0)
