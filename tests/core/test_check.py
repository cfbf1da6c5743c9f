"""The look check: metrics against published pairs, the noise floor, and verdicts."""

from __future__ import annotations

import colour
import numpy as np
import pytest
from pytest import approx

from fenrain.core import Material, check, convert
from fenrain.core.checking.metrics.delta_e import delta_e_2000, picture_delta_e
from fenrain.core.checking.metrics.flip import flip
from fenrain.core.checking.metrics.relative_error import relative_error
from fenrain.core.checking.quick import quick_check, reflectance, response
from fenrain.core.checking.verdict import Tolerances, Verdict
from fenrain.core.colour import linear_to_lab
from fenrain.core.errors import NotFoundError
from fenrain.core.surfaces import mean_surface

SHARMA = (
    # Sharma, Wu, Dalal 2005, table 1, rows 1–12, 17–20, 25–28 and 31–34: L a b, L a b, ΔE2000.
    (50.0, 2.6772, -79.7751, 50.0, 0.0, -82.7485, 2.0425), (50.0, 3.1571, -77.2803, 50.0, 0.0, -82.7485, 2.8615),
    (50.0, 2.8361, -74.0200, 50.0, 0.0, -82.7485, 3.4412), (50.0, -1.3802, -84.2814, 50.0, 0.0, -82.7485, 1.0000),
    (50.0, -1.1848, -84.8006, 50.0, 0.0, -82.7485, 1.0000), (50.0, -0.9009, -85.5211, 50.0, 0.0, -82.7485, 1.0000),
    (50.0, 0.0, 0.0, 50.0, -1.0, 2.0, 2.3669), (50.0, -1.0, 2.0, 50.0, 0.0, 0.0, 2.3669),
    (50.0, 2.4900, -0.0010, 50.0, -2.4900, 0.0009, 7.1792), (50.0, 2.4900, -0.0010, 50.0, -2.4900, 0.0010, 7.1792),
    (50.0, 2.4900, -0.0010, 50.0, -2.4900, 0.0011, 7.2195), (50.0, 2.4900, -0.0010, 50.0, -2.4900, 0.0012, 7.2195),
    (50.0, 2.5, 0.0, 73.0, 25.0, -18.0, 27.1492), (50.0, 2.5, 0.0, 61.0, -5.0, 29.0, 22.8977),
    (50.0, 2.5, 0.0, 56.0, -27.0, -3.0, 31.9030), (50.0, 2.5, 0.0, 58.0, 24.0, 15.0, 19.4535),
    (60.2574, -34.0099, 36.2677, 60.4626, -34.1751, 39.4387, 1.2644), (63.0109, -31.0961, -5.8663, 62.8187, -29.7946, -4.0864, 1.2630),
    (61.2901, 3.7196, -5.3901, 61.4292, 2.2480, -4.9620, 1.8731), (35.0831, -44.1164, 3.7933, 35.0232, -40.0716, 1.5901, 1.8645),
    (36.4612, 47.8580, 18.3852, 36.2715, 50.5065, 21.2231, 1.4146), (90.8027, -2.0831, 1.4410, 91.1528, -1.6435, 0.0447, 1.4441),
    (90.9257, -0.5406, -0.9208, 88.6381, -0.8985, -0.7239, 1.5381), (6.7747, -0.2908, -2.4247, 5.8714, -0.0985, -2.2286, 0.6377),
)  # fmt: skip


def test_colour_difference_gives_the_published_pairs() -> None:
    table = np.array(SHARMA)
    np.testing.assert_allclose(delta_e_2000(table[:, :3], table[:, 3:6]), table[:, 6], atol=5e-5)


def test_lab_and_difference_agree_with_colour_science() -> None:
    random = np.random.default_rng(6)
    first, second = random.random((2, 200, 3))
    xyz = colour.RGB_to_XYZ(first, "sRGB", apply_cctf_decoding=False)
    np.testing.assert_allclose(linear_to_lab(first), colour.XYZ_to_Lab(xyz, [0.3127, 0.3290]), atol=0.02)
    ours = delta_e_2000(linear_to_lab(first), linear_to_lab(second))
    np.testing.assert_allclose(ours, colour.delta_E(linear_to_lab(first), linear_to_lab(second), method="CIE 2000"), atol=1e-6)


def test_equal_pictures_differ_in_nothing() -> None:
    picture = np.random.default_rng(1).random((32, 32, 3)).astype(np.float32)
    assert picture_delta_e(picture, picture).max() == 0.0
    assert flip(picture, picture) == approx(0.0, abs=1e-6)
    assert relative_error(picture, picture * 1.1, np.ones((32, 32), bool)) == approx(0.1, rel=1e-4)


def test_verdict_follows_the_tolerances() -> None:
    limits = Tolerances(1.0, 3.0, 2.5, 8.0)
    pairs = [{"median": median, "p95": p95} for median, p95 in ((0.9, 2.9), (0.9, 3.1), (2.6, 3.0))]
    assert [limits.verdict(pair) for pair in pairs] == [Verdict.MATCH, Verdict.NEAR, Verdict.OFF]
    assert [limits.decided_by(pair) for pair in pairs] == ["p95", "p95", "median"]
    assert limits.is_clear({"median": 0.2, "p95": 1.0}, 0.5)
    assert not limits.is_clear({"median": 0.2, "p95": 3.2}, 0.5)


def test_reflectance_is_the_energy_that_comes_back() -> None:
    # A Lambert surface returns its albedo at every angle (Lambert 1760).
    surface = mean_surface(Material.of("m", "exponent", {"diffuse": (0.6, 0.3, 0.1), "illum": 1}))
    np.testing.assert_allclose(reflectance(response(surface)), np.tile([0.6, 0.3, 0.1], (16, 1)), rtol=0.03)


def test_quick_check_sees_a_step_of_roughness() -> None:
    first, second = (Material.of("m", "open_pbr", {"specular_roughness": r}) for r in (0.35, 0.38))
    assert quick_check(first, first).lobe_error == 0.0
    assert quick_check(first, second).lobe_error > 0.005


@pytest.mark.parametrize("rig", ["soft_studio", "low_sun"])
def test_a_look_matches_itself_and_not_another(rig: str) -> None:
    green, red = (
        Material.of("m", "spec_gloss", {"diffuse": c, "specular": (0.04,) * 3, "glossiness": 0.6})
        for c in ((0.1, 0.4, 0.1), (0.4, 0.1, 0.1))
    )
    same = check(green, green, rigs=[rig], size=48, samples=16).rigs[0]
    assert (same.verdict, same.readings["p95"], same.floor) == (Verdict.MATCH, 0.0, 0.0)
    assert check(green, red, rigs=[rig], size=48, samples=16).verdict is Verdict.OFF


def test_brick_converts_to_a_match_on_both_stands(engine_house: list[Material]) -> None:
    brick = engine_house[3]
    for stand in ("sphere", "turned"):
        result = check(brick, convert(brick, "metal_rough").material, stand=stand, size=64, samples=32)
        assert result.verdict is Verdict.MATCH
        assert all(rig.floor < 3.0 for rig in result.rigs)


def test_what_is_not_drawn_and_does_not_come_through_is_never_a_match(engine_house: list[Material]) -> None:
    # Its occlusion has a place in glTF, but none in OpenPBR, and no surface draws it.
    brick = engine_house[3]
    result = check(brick, convert(brick, "open_pbr").material, rigs=["soft_studio"], size=48, samples=16, most_samples=16)
    assert result.verdict is Verdict.UNDECIDED
    assert any("occlusion" in reason for reason in result.unseen)
    assert result.decided_by == ""


@pytest.mark.parametrize(("model", "values"), [
    ("exponent", {"diffuse": (0.4, 0.3, 0.2), "illum": 1}), ("gloss_pair", {"diffuse": (0.4, 0.3, 0.2)}),
    ("channels", {"diffuse": (0.1, 0.5, 0.3)}),
])  # fmt: skip
def test_diffuse_only_material_shows_no_difference_on_any_rig(model: str, values: dict[str, object]) -> None:
    # Common practice: upgrading a material that has only a diffuse colour shows little or no difference.
    from fenrain.core.rendering.rigs.registry import rigs

    material = Material.of("m", model, values)
    compared = check(material, convert(material, "open_pbr").material, rigs=list(rigs()), size=64, samples=32, most_samples=32)
    assert max(result.readings["worst"] for result in compared.rigs) < 1.0


def test_unknown_rig_or_stand_is_refused_with_the_choices() -> None:
    material = Material.of("m", "open_pbr", {})
    with pytest.raises(NotFoundError, match="soft_studio"):
        check(material, material, rigs=["moon"])
    with pytest.raises(NotFoundError, match="sphere"):
        check(material, material, stand="cube")


def test_the_function_check_is_not_hidden_by_a_module() -> None:
    import fenrain.core
    import fenrain.core.checking.check

    assert callable(fenrain.core.check)
    assert fenrain.core.check is check
