"""Thin films: an antireflection coating by the book, exact interference seen by the CIE observer, and the models that carry them."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from pytest import approx

from fenrain.core import Material, convert, evaluate
from fenrain.core.checking.quick import quick_check
from fenrain.core.colour import XYZ_TO_RGB
from fenrain.core.optics.conductor import _observer
from fenrain.core.optics.fresnel import f0_from_ior
from fenrain.core.optics.thin_film import dielectric_below, film_reflectance


def film(thickness: float, film_ior: float, base_ior: float, cosine: float = 1.0) -> np.ndarray:
    base = np.asarray(base_ior)
    found = film_reflectance(
        np.asarray(cosine), np.asarray(film_ior), np.asarray(thickness), base, dielectric_below(np.asarray(film_ior), base)
    )
    return np.asarray(found).ravel()


def exact(thickness: float, film_ior: float, base_ior: float) -> np.ndarray:
    """Airy's formula at normal incidence for each wavelength (Born & Wolf §7.6, eq. 15), through the CIE 1931 observer under D65."""
    observer = _observer()
    first, second = (1 - film_ior) / (1 + film_ior), (film_ior - base_ior) / (film_ior + base_ior)
    turn = np.exp(4j * np.pi * film_ior * thickness / observer["wavelength"])
    reflected = np.abs((first + second * turn) / (1 + first * second * turn)) ** 2
    white = XYZ_TO_RGB @ observer["xyz"].sum(axis=0)
    return XYZ_TO_RGB @ (reflected @ observer["xyz"]) / white


def test_quarter_wave_of_magnesium_fluoride_quenches_the_reflection_of_glass() -> None:
    # Hecht, Optics §9.7: ((n_s − n_f²)/(n_s + n_f²))² at the design wavelength; n_f = 1.38, n_s = 1.52: 1.3 %, where bare glass has 4.3 %.
    quarter = 550 / (4 * 1.38)
    assert film(quarter, 1.38, 1.52)[1] == approx(0.013, abs=0.003)
    assert film(quarter, 1.38, 1.52).max() < 0.6 * f0_from_ior(1.52)


@pytest.mark.parametrize("thickness", [120.0, 250.0, 400.0, 700.0])
def test_colours_of_a_film_are_those_of_exact_interference(thickness: float) -> None:
    # Belcour & Barla 2017 fit the observer by Gaussians and stop after two reflections; the illuminant is even instead of D65.
    np.testing.assert_allclose(film(thickness, 1.33, 1.8), exact(thickness, 1.33, 1.8), atol=0.02)


def test_film_of_the_bases_own_index_is_not_there() -> None:
    np.testing.assert_allclose(film(400.0, 1.5, 1.5), f0_from_ior(1.5), atol=1e-3)
    np.testing.assert_allclose(film(1e-3, 1.33, 1.5), f0_from_ior(1.5), atol=4e-3)


def test_film_turns_white_again_where_it_is_thick() -> None:
    assert np.ptp(film(400.0, 1.5, 2.0)) > 0.02
    assert np.ptp(film(20_000.0, 1.5, 2.0)) < 0.005


@pytest.mark.parametrize(("model", "values"), [
    ("open_pbr", {"thin_film_weight": 1.0, "thin_film_thickness": 0.3, "specular_roughness": 0.2}),
    ("standard_surface", {"thin_film_thickness": 300.0, "thin_film_IOR": 1.33, "specular_roughness": 0.2}),
    ("metal_rough", {"metallic": 0.0, "iridescence": 1.0, "iridescence_thickness": 300.0, "roughness": 0.2}),
    ("open_pbr", {"thin_film_weight": 1.0, "base_metalness": 1.0, "base_color": (0.8, 0.7, 0.6), "specular_roughness": 0.3}),
])  # fmt: skip
def test_models_with_a_film_show_its_colours_and_hand_them_on(model: str, values: dict[str, Any]) -> None:
    wi, wo = np.array([[-0.6, 0.0, 0.8]]), np.array([[0.6, 0.0, 0.8]])
    bare = {name: value for name, value in values.items() if not name.startswith(("thin_film", "iridescence"))}
    shown, plain = (evaluate(model, given, wi, wo)[0] for given in (values, bare))
    assert np.ptp(shown / plain) > 0.05
    material = Material.of("m", model, values)
    assert quick_check(material, convert(material, "open_pbr" if model != "open_pbr" else "standard_surface").material).lobe_error < 0.12


def test_film_is_the_same_in_the_engine_and_in_numpy() -> None:
    from tests.core.test_engine import directions
    from tests.core.tracing import traced_values

    values = {"thin_film_weight": 1.0, "thin_film_thickness": 0.35, "specular_roughness": 0.4, "base_color": (0.2, 0.2, 0.2)}
    wi, wo = directions(300)
    traced = traced_values(Material.of("m", "open_pbr", values), wi, wo)
    np.testing.assert_allclose(traced, evaluate("open_pbr", values, wi.T, wo.T), rtol=1e-2, atol=5e-4)
