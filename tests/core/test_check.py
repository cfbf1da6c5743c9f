"""The look check: metrics against published pairs, the noise floor, and verdicts."""

from __future__ import annotations

import colour
import numpy as np
import pytest
from pytest import approx

from fenrain.core import Material, check, convert
from fenrain.core.checking.check import READ_EDGE, refine
from fenrain.core.checking.metrics.colours import delta_e_2000
from fenrain.core.checking.metrics.flip import flip
from fenrain.core.checking.metrics.linear_light import relative_error
from fenrain.core.checking.metrics.registry import Limits, Pair, Reading
from fenrain.core.checking.quick import quick_check, reflectance, response
from fenrain.core.checking.verdict import Tolerances, Verdict, decisive
from fenrain.core.colour import linear_to_lab
from fenrain.core.errors import NotFoundError, ParameterError
from fenrain.core.surfaces import mean_surface

pytestmark = pytest.mark.pictures

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
    picture, everywhere = np.random.default_rng(1).random((64, 64, 3)), np.ones((64, 64), bool)
    assert Pair(picture, picture, 0.0 * picture, everywhere, ~everywhere, False).delta_e().max() == 0.0
    assert flip(picture, picture) == approx(0.0, abs=1e-6)
    assert relative_error(picture, picture * 1.1, everywhere) == approx(0.1, rel=1e-4)


def verdicts(**values: tuple[float, float]) -> Tolerances:
    """Tolerances that only these limits differ in."""
    return Tolerances.from_document({"*": values})


def test_the_worst_reading_decides_and_is_named() -> None:
    limits = verdicts(colour=(1.0, 2.5), colour_95=(3.0, 8.0))
    pairs = [{"colour": Reading(a), "colour_95": Reading(b)} for a, b in ((0.9, 2.9), (0.9, 3.1), (2.6, 3.0))]
    decisions = [limits.decided(pair) for pair in pairs]
    assert [decision.verdict for decision in decisions] == [Verdict.MATCH, Verdict.NEAR, Verdict.OFF]
    assert [decision.metric for decision in decisions] == ["colour_95", "colour_95", "colour"]
    assert str(decisions[2]) == "off: median colour difference 2.6 ΔE2000, at most 1"


def test_what_noise_leaves_open_is_undecided_and_never_passed() -> None:
    limits = verdicts(colour=(1.0, 2.5))
    below, across = limits.decided({"colour": Reading(0.5, floor=0.4)}), limits.decided({"colour": Reading(0.9, floor=0.4)})
    assert (below.verdict, across.verdict) == (Verdict.MATCH, Verdict.UNDECIDED)
    assert (across.least, across.most) == (Verdict.MATCH, Verdict.NEAR)
    assert "match or near" in str(across)
    assert "± 0.4" in str(across)


def test_noise_in_one_reading_does_not_matter_where_another_is_worse() -> None:
    limits = verdicts(colour=(1.0, 2.5), colour_95=(3.0, 8.0))
    found = limits.decided({"colour": Reading(1.1, floor=0.4), "colour_95": Reading(5.0)})
    assert (found.verdict, found.metric) == (Verdict.NEAR, "colour_95")


def test_tolerances_hold_for_one_rig_or_for_all() -> None:
    limits = Tolerances.from_document({"*": {"colour": (2.0, 4.0)}, "low_sun": {"colour": (0.5, 1.0)}})
    reading = {"colour": Reading(1.5)}
    assert limits.decided(reading, "soft_studio").verdict is Verdict.MATCH
    assert limits.decided(reading, "low_sun").verdict is Verdict.OFF
    assert Tolerances.from_document(limits.to_document()) == limits
    assert Tolerances().decided(reading).limits == Limits(1.0, 2.5)
    over_all = decisive([limits.decided(reading, rig) for rig in ("soft_studio", "low_sun")])
    assert over_all.rig == "low_sun"


@pytest.mark.parametrize(("metric", "limits"), [("flip", (1, 2)), ("nothing", (1, 2)), ("colour", (2, 1)), ("colour", (0, 1))])
def test_tolerances_that_cannot_be_are_refused(metric: str, limits: tuple[float, float]) -> None:
    with pytest.raises(ParameterError, match=r"decide|positive"):
        Tolerances.from_document({"*": {metric: limits}})


def test_reflectance_is_the_energy_that_comes_back() -> None:
    # A Lambert surface returns its albedo at every angle (Lambert 1760).
    surface = mean_surface(Material.of("m", "exponent", {"diffuse": (0.6, 0.3, 0.1), "illum": 1}))
    np.testing.assert_allclose(reflectance(response(surface)), np.tile([0.6, 0.3, 0.1], (16, 1)), rtol=0.03)


def test_quick_check_sees_a_step_of_roughness() -> None:
    first, second = (Material.of("m", "open_pbr", {"specular_roughness": r}) for r in (0.35, 0.38))
    assert quick_check(first, first).lobe_error == 0.0
    assert quick_check(first, second).lobe_error > 0.005


@pytest.mark.parametrize("rig", ["soft_studio", "low_sun", "fine_bars"])
def test_a_look_matches_itself_and_not_another(rig: str) -> None:
    green, red = (
        Material.of("m", "spec_gloss", {"diffuse": c, "specular": (0.04,) * 3, "glossiness": 0.6})
        for c in ((0.1, 0.4, 0.1), (0.4, 0.1, 0.1))
    )
    same = check(green, green, rigs=[rig], size=64)
    assert same.verdict is Verdict.MATCH
    assert same.rigs[0].readings["colour_95"] == Reading(0.0)
    assert check(green, red, rigs=[rig], size=64).verdict is Verdict.OFF


def test_brick_converts_to_a_match_on_both_stands(engine_house: list[Material]) -> None:
    brick = engine_house[3]
    for stand in ("sphere", "turned"):
        result = check(brick, convert(brick, "metal_rough").material, stand=stand, size=64)
        assert result.verdict is Verdict.MATCH, str(result.decided_by)


def test_what_is_not_drawn_and_does_not_come_through_is_never_a_match() -> None:
    bent = Material.of("m", "channels", {"bending": 0.5, "blend": 4})
    result = check(bent, convert(bent, "open_pbr").material, rigs=["soft_studio"], size=64)
    assert result.verdict is Verdict.UNDECIDED
    assert any("bending" in reason for reason in result.unseen)
    assert "bending" in str(result.decided_by)


def test_a_larger_picture_reads_the_same() -> None:
    # Readings are taken at one size, whatever the picture's: the same ΔE to a few hundredths.
    first, second = (Material.of("m", "open_pbr", {"base_color": (0.3, c, 0.1), "specular_roughness": 0.4}) for c in (0.3, 0.35))
    small, large = (list(refine(first, second, ("soft_studio",), size=size))[-1] for size in (64, 256))
    assert large.original.shape == (256, 256, 3)
    for name in ("colour", "colour_95", "above_white"):
        assert large.readings[name].value == approx(small.readings[name].value, abs=0.1)


def test_it_gets_better_pass_by_pass_and_begins_at_once() -> None:
    first, second = (Material.of("m", "open_pbr", {"specular_roughness": r}) for r in (0.1, 0.2))
    results = list(refine(first, second, ("fine_bars",), enough=lambda _: False, most_samples=128))
    assert results[0].samples == 8
    assert results[0].readings["colour_95"].floor > 0.0
    larger = next(refine(first, second, ("fine_bars",), size=2 * READ_EDGE))
    assert larger.passes == 1
    assert not larger.readings, "shown at once, before its noise is known"
    assert [result.passes for result in results] == sorted(result.passes for result in results)
    assert results[-1].readings["colour_95"].floor < results[1].readings["colour_95"].floor


@pytest.mark.parametrize(("model", "values"), [
    ("exponent", {"diffuse": (0.4, 0.3, 0.2), "illum": 1}), ("gloss_pair", {"diffuse": (0.4, 0.3, 0.2)}),
    ("channels", {"diffuse": (0.1, 0.5, 0.3)}),
])  # fmt: skip
def test_diffuse_only_material_shows_no_difference_on_any_rig(model: str, values: dict[str, object]) -> None:
    # Common practice: upgrading a material that has only a diffuse colour shows little or no difference.
    from fenrain.core.rendering.rigs.registry import rigs

    material = Material.of("m", model, values)
    compared = check(material, convert(material, "open_pbr").material, rigs=list(rigs()), size=64)
    assert max(result.readings["worst"].value for result in compared.rigs) < 1.0


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
