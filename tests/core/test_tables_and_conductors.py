"""Look-up tables, and measured metals against other measurements, other software and published colours."""

from __future__ import annotations

import warnings
from pathlib import Path

import numpy as np
import pytest
from pytest import approx

from fenrain.core import Material, convert
from fenrain.core.checking.quick import quick_check
from fenrain.core.models.open_pbr import MODEL as OPEN_PBR
from fenrain.core.optics.conductor import linear_reflectance, metal_tint_of, reflectance_curve
from fenrain.core.optics.fresnel import GRAZING_COSINE, f0_from_ior, ior_from_f0, metal_tint_kutz2021
from fenrain.core.tables import finishes, indices, metals, presets

INDEX = {entry.id: entry.value for entry in indices()}


@pytest.mark.parametrize(("name", "index"), [
    # Common practice: plastic 1.46, glass 1.5, plate glass 1.517, air 1.0. Hale & Querry 1973: water 1.333; from memory: diamond 2.417.
    ("plastic", 1.46), ("glass", 1.5), ("plate_glass", 1.517), ("air", 1.0), ("water", 1.333), ("diamond", 2.417),
])  # fmt: skip
def test_indices_are_the_known_ones(name: str, index: float) -> None:
    assert INDEX[name] == approx(index, abs=5e-4)
    assert ior_from_f0(f0_from_ior(index)) == approx(index)


def test_air_bends_nothing_and_reflects_nothing() -> None:
    # Common practice.
    assert f0_from_ior(INDEX["air"]) == 0.0


def test_roughness_by_finish_is_what_practice_says() -> None:
    # Common practice: shiny plastic about 0.05, see-through 0.02, glass 0.01; glossiness of frosted glass 0.8, of aluminium 0.5.
    value = {entry.id: entry.value for entry in finishes()}
    assert (value["shiny_plastic"], value["clear_plastic"], value["glass"]) == (0.05, 0.02, 0.01)
    assert value["frosted_glass"] == approx(1 - 0.8)
    assert value["rolled_aluminium"] == approx(1 - 0.5)
    assert all(entry.low <= entry.value <= entry.high for entry in finishes())  # type: ignore[operator]


def palik(metal: str) -> np.ndarray:
    """Rows of nm, n, k as the rendering engine ships them (Palik 1985 and others)."""
    import mitsuba

    folder = Path(mitsuba.__file__).parent / "data" / "ior"
    eta, k = (np.loadtxt(folder / f"{metal}.{kind}.spd", comments="#", encoding="latin-1") for kind in ("eta", "k"))
    inside = (eta[:, 0] > 340) & (eta[:, 0] < 850)
    return np.column_stack([eta[inside], np.interp(eta[inside, 0], k[:, 0], k[:, 1])])


@pytest.mark.parametrize(("name", "element", "tolerance"), [
    ("copper", "Cu", 0.03), ("gold", "Au", 0.06), ("silver", "Ag", 0.07), ("aluminium", "Al", 0.01), ("chromium", "Cr", 0.16),
])  # fmt: skip
def test_measured_colours_are_near_paliks(name: str, element: str, tolerance: float) -> None:
    # Two laboratories: Johnson & Christy and Rakić against Palik's collection, which Mitsuba ships; films of chromium differ the most.
    np.testing.assert_allclose(
        linear_reflectance(np.asarray(metals()[name].table), 1.0), linear_reflectance(palik(element), 1.0), atol=tolerance
    )


def test_colour_of_a_spectrum_is_that_of_the_colour_library() -> None:
    # colour-science 0.4.7 is an independent implementation of CIE 015:2018 and IEC 61966-2-1.
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        import colour
    table = np.asarray(metals()["copper"].table).reshape(-1, 3)
    wavelengths = np.arange(360, 831, 5)
    n, k = (np.interp(wavelengths, table[:, 0], table[:, column]) for column in (1, 2))
    reflectance = colour.SpectralDistribution(((n - 1) ** 2 + k**2) / ((n + 1) ** 2 + k**2), wavelengths)
    xyz = colour.sd_to_XYZ(reflectance, illuminant=colour.SDS_ILLUMINANTS["D65"], method="Integration") / 100
    rgb = colour.XYZ_to_RGB(xyz, "sRGB", apply_cctf_encoding=False)
    np.testing.assert_allclose(linear_reflectance(table, 1.0), rgb, atol=2e-3)


@pytest.mark.parametrize("name", list(metals()))
def test_tint_meets_the_measured_curve_facing_and_near_82_degrees(name: str) -> None:
    # Kutz et al. 2021: the two angles at which the curve is stated; between them it may differ by a little.
    table = np.asarray(metals()[name].table)
    facing, tint = metal_tint_of(table)
    for cosine, tolerance in ((1.0, 1e-6), (GRAZING_COSINE, 0.015), (0.5, 0.03)):
        measured = np.clip(linear_reflectance(table, cosine), 0, 1)
        np.testing.assert_allclose(metal_tint_kutz2021(cosine, facing, tint), measured, atol=tolerance)


def test_a_perfect_mirror_is_white_at_every_angle() -> None:
    curve = np.stack(reflectance_curve((360.0, 1e-6, 50.0, 830.0, 1e-6, 50.0)))
    np.testing.assert_allclose(curve, 1.0, atol=1e-3)


def test_every_metal_says_where_it_was_measured_and_is_bright() -> None:
    # Common practice: metals are bright, and only metals are tinted.
    assert len(metals()) >= 12
    for metal in metals().values():
        assert any(year in metal.source for year in ("1972", "1974", "1981", "1982", "1985", "1987", "1995"))
        assert 0.45 < linear_reflectance(np.asarray(metal.table), 1.0).max() < 1.1


@pytest.mark.parametrize("key", list(presets()))
def test_presets_are_materials_that_every_target_takes(key: str) -> None:
    preset = presets()[key]
    material = Material.of(preset.title, "open_pbr", preset.values)
    assert preset.color in preset.values or preset.color in OPEN_PBR.by_name
    assert quick_check(material, convert(material, "metal_rough").material).lobe_error < 0.6
