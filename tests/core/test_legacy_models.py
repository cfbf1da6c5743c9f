"""The legacy models: their own looks by published equations and common practice, and what becomes of them."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from pytest import approx

from bench.production import MAKERS, production_like
from fenrain.core import Material, Profile, evaluate
from fenrain.core.checking.quick import lobe_error, quick_check, response
from fenrain.core.conversion.engine import convert
from fenrain.core.models.registry import model_of, models
from fenrain.core.surfaces import mean_surface
from fenrain.core.tables import metals


def look_of(model: str, values: dict[str, Any]) -> Any:
    return mean_surface(Material.of("m", model, values))


def facing(model: str, values: dict[str, Any], cosine: float = 1.0) -> np.ndarray:
    """BRDF × cos at the mirror direction."""
    sine = np.sqrt(1 - cosine**2)
    return evaluate(model, values, np.array([[-sine, 0, cosine]]), np.array([[sine, 0, cosine]]))[0]


def test_every_family_has_a_model_and_a_way_to_the_hub() -> None:
    families = {
        "spec_gloss",
        "exponent",
        "gloss_pair",
        "weighted",
        "facing_grazing",
        "metal_switch",
        "channels",
        "measured",
        "percent",
        "mix",
    }
    assert families | {"metal_rough", "preview", "standard_surface", "open_pbr"} == set(models())
    assert all(models()[family].to_hub is not None for family in families)


# How far the conversions are from the originals, over the materials that the bench uses. The limits are what was measured, with room; the
# closed forms reach no further, for the reasons that the ledger gives (Beckmann against GGX, energy that is gained).
LIMITS = {
    "channels": 0.11,
    "exponent": 0.09,
    "facing_grazing": 0.1,
    "gloss_pair": 0.03,
    "measured": 0.01,
    "metal_switch": 0.005,
    "mix": 0.13,
    "percent": 0.03,
    "spec_gloss": 0.07,
    "weighted": 0.09,
}


@pytest.mark.parametrize("model", LIMITS)
def test_production_like_materials_keep_their_look(model: str) -> None:
    errors = [quick_check(material, convert(material, "open_pbr").material).lobe_error for material in production_like(model, 30)]
    assert np.median(errors) < LIMITS[model]


def test_every_model_has_a_maker_for_the_bench() -> None:
    assert set(MAKERS) == set(models())


@pytest.mark.parametrize(("model", "limit"), [("standard_surface", 0.03), ("preview", 0.03), ("metal_rough", 0.03), ("exponent", 0.12)])
def test_a_round_trip_through_the_hub_gives_the_look_back(model: str, limit: float) -> None:
    # What both models can say comes back; the limits leave room for what the hub says otherwise (its coat spreads the base).
    errors = []
    for material in production_like(model, 25, seed=7):
        there = convert(material, "open_pbr").material
        errors.append(quick_check(material, convert(there, model).material).lobe_error)
    assert np.median(errors) < limit


DIFFUSE_ONLY: list[tuple[str, dict[str, Any]]] = [
    ("gloss_pair", {"diffuse": (0.4, 0.3, 0.2)}),
    ("weighted", {"diffuse_color": (0.5, 0.4, 0.25)}),
    ("facing_grazing", {"diffuse": (0.4, 0.3, 0.2), "main_weight": 0.0}),
    ("channels", {"diffuse": (0.4, 0.3, 0.2)}),
    ("percent", {"color": (0.4, 0.3, 0.2)}),
]


@pytest.mark.parametrize(("model", "values"), DIFFUSE_ONLY)
@pytest.mark.parametrize("target", ["open_pbr", "metal_rough", "standard_surface", "exponent"])
def test_diffuse_only_material_converts_with_no_visible_difference(model: str, values: dict[str, Any], target: str) -> None:
    # Common practice: upgrading a material that has only a diffuse colour shows little or no difference.
    material = Material.of("m", model, values)
    assert quick_check(material, convert(material, target).material).lobe_error < 0.01


@pytest.mark.parametrize(("model", "values", "depth"), [
    ("gloss_pair", {"refraction": (1, 1, 1), "volume_color": (0.8, 0.5, 0.3), "volume_strength": 2.0}, 0.5),
    ("weighted", {"refraction_weight": 1.0, "transmittance": (0.8, 0.5, 0.3)}, 1.0),
    ("metal_switch", {"refraction": 1.0, "absorption_color": (0.8, 0.5, 0.3), "absorption_distance": 3.0}, 3.0),
])  # fmt: skip
def test_light_has_the_stated_colour_at_the_stated_distance(model: str, values: dict[str, Any], depth: float) -> None:
    # Beer–Lambert; common practice: a tint with strength k over unit u is reached after u/k, and further in it is darker.
    interior = look_of(model, values).interior
    np.testing.assert_allclose(interior.passes(depth).ravel(), (0.8, 0.5, 0.3), rtol=1e-9)
    assert (interior.passes(2 * depth) < interior.passes(depth)).all()
    converted = convert(Material.of("m", model, values), "open_pbr").material
    assert converted.parameters()["transmission_depth"] == approx(depth)
    np.testing.assert_allclose(mean_surface(converted).interior.passes(depth).ravel(), (0.8, 0.5, 0.3), rtol=1e-6)


def test_frosted_and_clear_glass_keep_their_glossiness() -> None:
    # Common practice: clear glass has black diffuse and near-white reflection and refraction; frosted glass is about 0.8.
    for gloss, index in ((0.8, 1.5), (0.99, 1.517)):
        values = {
            "diffuse": (0, 0, 0), "reflection": (0.97,) * 3, "refraction": (0.97,) * 3, "ior": index,
            "reflection_glossiness": gloss, "refraction_glossiness": gloss,
        }  # fmt: skip
        converted = convert(Material.of("m", "gloss_pair", values), "open_pbr").material.parameters()
        assert converted["specular_roughness"] == approx(1 - gloss)
        assert converted["specular_ior"] == approx(index)
        assert converted["transmission_weight"] == approx(0.97)


def test_two_glossinesses_become_one_between_them_with_its_error() -> None:
    values = {"reflection": (1, 1, 1), "reflection_glossiness": 0.9, "lamps_apart": True, "lamp_glossiness": 0.6}
    conversion = convert(Material.of("m", "gloss_pair", values), "open_pbr")
    assert 0.1 < conversion.material.parameters()["specular_roughness"] < 0.4
    entry = next(entry for entry in conversion.ledger if entry.target == "specular_roughness")
    assert entry.fidelity == "approximated"
    assert {"reflection_glossiness", "lamp_glossiness"} <= set(entry.sources)


def test_reflection_without_angle_dependence_is_the_same_at_all_angles() -> None:
    # Common practice: switched off, the reflection is uniform and looks false; the original's look keeps that.
    values = {"diffuse": (0, 0, 0), "reflection": (0.3,) * 3, "reflection_glossiness": 0.6, "angle_dependent": False}
    rising = {**values, "angle_dependent": True}
    ratio = [facing("gloss_pair", values, c)[0] / facing("gloss_pair", {**values, "reflection": (1, 1, 1)}, c)[0] for c in (1.0, 0.5, 0.1)]
    np.testing.assert_allclose(ratio, 0.3, rtol=1e-9)
    growth = [facing("gloss_pair", given, 0.1)[0] / facing("gloss_pair", given)[0] for given in (rising, values)]
    assert growth[0] > 2 * growth[1]


def test_weights_are_added_without_regard_to_energy() -> None:
    # Common practice: the weights may add up to more than one and then look too white.
    wi = wo = np.array([[0.0, 0.6, 0.8]])
    both = evaluate("weighted", {"diffuse_weight": 0.9, "specular_weight": 0.8}, wi, wo)
    alone = [evaluate("weighted", {"diffuse_weight": d, "specular_weight": s}, wi, wo) for d, s in ((0.9, 0.0), (0.0, 0.8))]
    np.testing.assert_allclose(both, alone[0] + alone[1], rtol=1e-12)


@pytest.mark.parametrize(("falloff", "share"), [(0.0, 1.0), (5.0, 0.5**5), (10.0, 0.5**10)])
def test_falloff_goes_from_grazing_alone_to_almost_facing_alone(falloff: float, share: float) -> None:
    # Schlick 1994 for p = 5; common practice: 0 leaves only the grazing colour, 10 almost only the facing one.
    values = {"diffuse_gain": 0.0, "main_distribution": 0, "main_facing": (0.2, 0, 0), "main_grazing": (0, 0, 0.6), "main_falloff": falloff}
    cosine = 0.5
    white = facing("facing_grazing", {**values, "main_facing": (1, 1, 1), "main_grazing": (1, 1, 1)}, cosine)
    seen = facing("facing_grazing", values, cosine) / white
    np.testing.assert_allclose(seen, (0.2 * (1 - share), 0, 0.6 * share), rtol=1e-5, atol=1e-9)


def test_sign_of_the_anisotropy_is_a_quarter_turn() -> None:
    wi, wo = np.array([[0.3, 0.1, 0.949]]), np.array([[-0.1, 0.2, 0.975]])
    rotated = (wi[:, [1, 0, 2]] * [1, -1, 1], wo[:, [1, 0, 2]] * [1, -1, 1])
    values = {"diffuse_gain": 0.0, "main_roughness": 0.4, "main_distribution": 0}
    minus = evaluate("facing_grazing", {**values, "main_anisotropy": -0.6}, wi, wo)
    np.testing.assert_allclose(minus, evaluate("facing_grazing", {**values, "main_anisotropy": 0.6}, *rotated), rtol=1e-9)
    converted = convert(Material.of("m", "facing_grazing", {**values, "main_anisotropy": -0.6}), "open_pbr").material
    np.testing.assert_allclose(abs(converted.parameters()["geometry_tangent_rotation"]), np.pi / 2, rtol=1e-9)


def test_metal_by_index_and_extinction_is_the_conductor_that_they_name() -> None:
    # Born & Wolf §14.2: ((n − 1)² + k²)/((n + 1)² + k²).
    n, k = np.array([0.2, 0.9, 1.1]), np.array([3.9, 2.5, 2.3])
    values = {"diffuse_gain": 0.0, "main_by_index": True, "main_index": tuple(n), "main_extinction": tuple(k), "main_distribution": 0}
    converted = convert(Material.of("m", "facing_grazing", {**values, "main_roughness": 0.05}), "open_pbr").material.parameters()
    expected = ((n - 1) ** 2 + k**2) / ((n + 1) ** 2 + k**2)
    assert converted["base_metalness"] == approx(1.0)
    np.testing.assert_allclose(converted["base_color"], expected, rtol=5e-3)


def test_switch_makes_a_metal_or_none() -> None:
    for metal in (True, False):
        material = Material.of("m", "metal_switch", {"metal": metal, "base_color": (0.8, 0.5, 0.3), "finish": 0.7, "stated_as": 1})
        converted = convert(material, "open_pbr").material
        assert converted.parameters()["base_metalness"] == float(metal)
        assert converted.parameters()["specular_roughness"] == approx(0.3)
        assert quick_check(material, converted).lobe_error < 1e-4


@pytest.mark.parametrize("opacity", [0.0, 0.4, 1.0])
def test_a_highlight_stays_where_the_body_fades_below_it(opacity: float) -> None:
    # Premultiplied alpha (Porter & Duff 1984): the body counts by the opacity, the highlight and own light as they are.
    values = {"diffuse": (0.4, 0.1, 0.1), "exponent": 60.0, "specular": (0.3,) * 3, "emission": (0.2,) * 3}
    kept = {**values, "blend": 5, "opacity": opacity}
    surface = look_of("channels", kept)
    for cosine in (1.0, 0.5):
        body, highlight = (facing("channels", {**values, name: (0.0,) * 3}, cosine) for name in ("specular", "diffuse"))
        assert facing("channels", kept, cosine) * surface.opacity == approx(body * opacity + highlight, rel=1e-6)
    assert np.ravel(surface.emission * surface.opacity) == approx(0.2)
    assert float(surface.opacity) == approx(opacity, abs=0.021)


@pytest.mark.parametrize(("blend", "word"), [(3, "additive"), (4, "multiplied")])
def test_blending_that_a_target_lacks_is_named_with_the_nearest_choice(blend: int, word: str) -> None:
    conversion = convert(Material.of("m", "channels", {"diffuse": (0.5, 0.6, 0.7), "blend": blend}), "open_pbr")
    said = " ".join(step.text for entry in conversion.ledger for step in entry.steps)
    assert word in said
    if word == "multiplied":
        assert quick_check(conversion.original, conversion.material).lobe_error < 0.02


def test_game_channels_name_what_no_target_can_carry() -> None:
    values = {"bending": 0.4, "vertex_offset": (0.1, 0, 0), "reflection_image": (1, 1, 1), "lighting": 1}
    conversion = convert(Material.of("m", "channels", values), "metal_rough")
    lost = {name for entry in conversion.ledger if not entry.target for name in entry.sources}
    assert {"bending", "vertex_offset", "reflection_image"} <= lost
    assert all("Instead:" in entry.steps[-1].text for entry in conversion.ledger if not entry.target)


def test_power_on_the_falloff_and_light_through_thin_parts() -> None:
    wi, wo, below = np.array([[0.8, 0, 0.6]]), np.array([[0, 0, 1.0]]), np.array([[0.8, 0, -0.6]])
    power = evaluate("channels", {"diffuse": (1, 1, 1), "diffuse_falloff": 2.0}, wi, wo)
    np.testing.assert_allclose(power, 0.6**2 / np.pi, rtol=1e-6)
    leaf = {"diffuse": (0.2, 0.3, 0.1), "bleed": (0.3, 0.5, 0.1), "bleed_mask": 0.5}
    np.testing.assert_allclose(evaluate("channels", leaf, below, wo)[0], np.array([0.15, 0.25, 0.05]) * 0.6 / np.pi, rtol=1e-6)
    converted = convert(Material.of("m", "channels", leaf), "open_pbr").material
    np.testing.assert_allclose(
        evaluate("open_pbr", converted.parameters(), below, wo)[0], np.array([0.15, 0.25, 0.05]) * 0.6 / np.pi, rtol=0.1
    )


def test_body_that_leaves_no_room_for_what_bleeds_through_is_said_to_be_cut() -> None:
    def remark(diffuse: float) -> str:
        values = {"diffuse": (diffuse,) * 3, "bleed": (0.6, 0.6, 0.6)}
        ledger = convert(Material.of("m", "channels", values), "open_pbr").ledger
        return next(entry for entry in ledger if entry.target == "base_color").steps[-1].remark

    assert "cut to 1" in remark(0.8)  # 0.8 back and 0.6 through: more than there is
    assert remark(0.2) == ""


def test_sticker_lies_over_the_body_where_its_mask_is() -> None:
    values = {"color": (0.1, 0.1, 0.1), "sticker_color": (0.8, 0.2, 0.1), "sticker_mask": 0.5}
    converted = convert(Material.of("m", "percent", values), "open_pbr").material
    np.testing.assert_allclose(converted.parameters()["base_color"], (0.45, 0.15, 0.1), rtol=1e-6)


def test_sliders_of_a_hundred_are_ones() -> None:
    # Common practice: on a 0–100 roughness scale the useful range is 1 to about 97.
    converted = convert(
        Material.of("m", "percent", {"roughness": 35, "emission_luminance": 250, "emission_color": (1, 0.8, 0.4)}), "open_pbr"
    ).material
    assert converted.parameters()["specular_roughness"] == approx(0.35)
    assert converted.parameters()["emission_luminance"] == 2.5  # display white taken for 100 cd/m²
    usual = model_of("measured").parameter("roughness").usual
    assert usual == (1.0, 97.0)


def test_measured_metal_keeps_its_look_and_only_its_finish_is_free() -> None:
    material = Material.of("m", "measured", {"table": metals()["copper"].table, "roughness": 30.0})
    converted = convert(material, "open_pbr").material
    assert quick_check(material, converted).lobe_error < 0.01
    assert converted.parameters()["specular_roughness"] == approx(0.3)
    gold = convert(Material.of("m", "measured", {"table": metals()["gold"].table}), "open_pbr")
    remarks = " ".join(step.remark for entry in gold.ledger for step in entry.steps)
    assert "outside of Rec.709" in remarks, "gold is more saturated than Rec.709 under D65"


@pytest.mark.parametrize("bad", [(1.0, 2.0), (500.0, 1.0, 2.0, 400.0, 1.0, 2.0), (400.0, -1.0, 2.0, 500.0, 1.0, 2.0), "copper"])
def test_broken_tables_are_refused(bad: Any) -> None:
    from fenrain.core.errors import ParameterError

    with pytest.raises(ParameterError, match="the table"):
        model_of("measured").parameter("table").accept(bad)


def test_extras_reach_the_hub_from_every_model_that_carries_them() -> None:
    def converted(model: str, target: str = "open_pbr", **values: Any) -> dict[str, Any]:
        body = next(p.name for p in model_of(model).parameters if p.kind == "colour" and p.group == "body" and "detail" not in p.name)
        reflection = {"specular": (0.04, 0.04, 0.04)} if model == "spec_gloss" else {}
        return convert(Material.of("m", model, {body: (0.4, 0.4, 0.4), **reflection, **values}), target).material.parameters()

    for model in ("spec_gloss", "gloss_pair", "weighted", "facing_grazing", "metal_switch", "channels", "percent"):
        detailed = converted(model, detail_color=(0.5, 0.5, 0.5), detail_mask=0.5)
        assert converted(model, "metal_rough", occlusion=0.7)["occlusion"] == approx(0.7), "through the hub, which has no place for it"
        np.testing.assert_allclose(detailed["base_color"], np.asarray(converted(model)["base_color"]) * 0.75, rtol=1e-6)


def test_flakes_widen_what_is_seen_of_many_and_tint_it() -> None:
    # Beckmann & Spizzichino 1963: many leaning facets are as rough as their slopes; a share of them tints as much of the reflection.
    wi = wo = np.array([[0.0, 0.0, 1.0]])
    plain = {"metal": True, "base_color": (0.8, 0.8, 0.8), "finish": 0.05}

    def straight_back(**flakes: Any) -> np.ndarray:
        return np.asarray(evaluate("metal_switch", plain | flakes, wi, wo)[0])

    leaning = straight_back(flake_amount=1.0, flake_tilt=0.4)
    assert leaning[0] < 0.05 * straight_back()[0]
    tinted = straight_back(flake_amount=1.0, flake_tilt=0.4, flake_color=(1.0, 0.5, 0.25))
    np.testing.assert_allclose(tinted / leaning, [1.0, 0.5, 0.25], rtol=1e-6)
    ramp = {"flake_color": (1.0, 0.0, 0.0), "flake_second_color": (0.0, 0.0, 1.0), "flake_spread": 1.0}
    np.testing.assert_allclose(straight_back(flake_amount=1.0, flake_tilt=0.4, **ramp) / leaning, [0.5, 0.0, 0.5], rtol=1e-6)


# Mixes


def paint(color: tuple[float, float, float]) -> Material:
    return Material.of("paint", "gloss_pair", {"diffuse": color, "reflection": (1, 1, 1), "reflection_glossiness": 0.7})


def steel() -> Material:
    return Material.of("steel", "metal_switch", {"metal": True, "base_color": (0.6, 0.6, 0.6), "finish": 0.3})


@pytest.mark.parametrize("amount", [0.0, 0.35, 1.0])
def test_look_of_a_mix_is_the_share_of_both_looks(amount: float) -> None:
    first, second = paint((0.5, 0.1, 0.1)), steel()
    mixed = response(mean_surface(Material.of("m", "mix", {"amount": amount}, parts=(first, second)))).above
    expected = (1 - amount) * response(mean_surface(first)).above + amount * response(mean_surface(second)).above
    np.testing.assert_allclose(mixed, expected, rtol=1e-9, atol=1e-12)


@pytest.mark.parametrize("how", [{"amount": 0.5}, {"amount": 0.3}, {"amount": 0.8, "blend_by": 1, "falloff": 2.0}], ids=str)
@pytest.mark.parametrize("opacities", [(1.0, 0.0), (0.0, 1.0), (0.25, 0.75), (1.0, 1.0)])
def test_what_is_open_has_no_share_in_a_mix(how: dict[str, float], opacities: tuple[float, float]) -> None:
    # Porter & Duff 1984: what is seen of two that lie beside each other is the sum of what is seen of each, openings with it.
    parts = tuple(
        Material.of("m", "open_pbr", {"base_color": color, "geometry_opacity": opacity, "specular_weight": 0.0})
        for color, opacity in zip(((0.8, 0.1, 0.1), (0.1, 0.1, 0.8)), opacities, strict=True)
    )
    mixed, (first, second) = mean_surface(Material.of("m", "mix", how, parts=parts)), map(mean_surface, parts)
    wi, wo = (np.array([[0.3, 0.0], [0.1, -0.6], [0.9487, 0.8]]), np.array([[-0.2, 0.8], [0.0, 0.0], [0.9798, 0.6]]))
    share = how["amount"] * ((1.0 - wo[2]) ** how["falloff"] if "blend_by" in how else 1.0)
    seen = (1.0 - share) * opacities[0] * first.evaluate(wi, wo) + share * opacities[1] * second.evaluate(wi, wo)
    np.testing.assert_allclose(mixed.opacity * mixed.evaluate(wi, wo), seen, rtol=1e-9, atol=1e-12)


def test_half_white_and_half_nothing_is_white_at_half_opacity() -> None:
    white, nothing = ({"base_color": (1.0, 1.0, 1.0)}, {"base_color": (0.2, 0.0, 0.0), "geometry_opacity": 0.0})
    parts = tuple(Material.of("m", "open_pbr", {**values, "specular_weight": 0.0}) for values in (white, nothing))
    conversion = convert(Material.of("m", "mix", {"amount": 0.5}, parts=parts), "open_pbr")
    converted = conversion.material.parameters()
    assert (converted["geometry_opacity"], converted.get("base_color", (0.8, 0.8, 0.8))) == (approx(0.5), approx((1.0, 1.0, 1.0)))
    assert quick_check(conversion.original, conversion.material).lobe_error == approx(0.0, abs=1e-6)


def test_mix_of_a_material_with_itself_is_that_material() -> None:
    material = paint((0.2, 0.4, 0.1))
    mixed = convert(Material.of("m", "mix", {"amount": 0.4}, parts=(material, material)), "open_pbr")
    assert mixed.material.parameters() == convert(material, "open_pbr").material.parameters()
    assert quick_check(mixed.original, mixed.material).lobe_error == approx(
        quick_check(material, convert(material, "open_pbr").material).lobe_error
    )


def test_facing_angle_mix_shows_the_second_at_grazing_angles() -> None:
    mixed = Material.of("m", "mix", {"amount": 1.0, "blend_by": 1, "falloff": 2.0}, parts=(paint((0.8, 0, 0)), paint((0, 0, 0.8))))
    surface = mean_surface(mixed)

    def hue(cosine: float) -> np.ndarray:
        seen = surface.evaluate(np.array([[0.1], [0.2], [0.97]]), np.array([[np.sqrt(1 - cosine**2)], [0.0], [cosine]])).ravel()
        return seen / seen.sum()

    assert hue(0.99)[0] > 0.8
    assert hue(0.15)[2] > hue(0.15)[0]


def test_facing_angle_mix_of_metals_becomes_one_metal_with_a_tint() -> None:
    # Kutz et al. 2021: reflectance when facing, and near 82°.
    colours = ((0.9, 0.6, 0.5), (0.6, 0.6, 0.6))
    parts = tuple(Material.of("m", "metal_switch", {"metal": True, "base_color": colour, "finish": 0.3}) for colour in colours)
    mixed = Material.of("m", "mix", {"amount": 1.0, "blend_by": 1, "falloff": 1.5}, parts=parts)
    conversion = convert(mixed, "open_pbr")
    assert conversion.material.parameters()["base_color"] == approx((0.9, 0.6, 0.5))
    assert quick_check(mixed, conversion.material).lobe_error < 0.06
    entry = next(entry for entry in conversion.ledger if entry.target == "specular_color")
    assert {"first_base_color", "second_base_color", "falloff"} <= set(entry.sources)


def test_mix_is_flattened_with_its_error_measured_and_its_sources_told_apart() -> None:
    mixed = Material.of("m", "mix", {"amount": 0.5}, parts=(paint((0.7, 0.1, 0.1)), paint((0.1, 0.1, 0.7))))
    conversion = convert(mixed, "metal_rough", Profile("core"))
    entry = next(entry for entry in conversion.ledger if entry.target == "base_color")
    assert {"first_diffuse", "second_diffuse", "amount"} <= set(entry.sources)
    assert 0.0 < quick_check(mixed, conversion.material).lobe_error < 0.1
    nested = Material.of("n", "mix", {"amount": 0.5}, parts=(mixed, steel()))
    assert lobe_error(response(mean_surface(nested)), response(mean_surface(convert(nested, "open_pbr").material))) < 0.4
    assert any(name.startswith("first_second_") for entry in convert(nested, "open_pbr").ledger for name in entry.sources)


def test_mix_comes_back_from_its_document_with_its_parts() -> None:
    from fenrain.core.material import material_from_document, material_to_document

    mixed = Material.of("m", "mix", {"amount": 0.25}, parts=(paint((0.7, 0.1, 0.1)), steel()))
    back = material_from_document(material_to_document(mixed), lambda digest, name: pytest.fail("no image"))
    assert (back.digest, back.parts[1].model) == (mixed.digest, "metal_switch")
    other = Material.of("m", "mix", {"amount": 0.25}, parts=(paint((0.7, 0.1, 0.2)), steel()))
    assert other.digest != mixed.digest


def test_glow_brighter_than_one_keeps_its_light_in_gltf() -> None:
    # glTF 2.0 §3.9.3: emissiveFactor is at most 1; KHR_materials_emissive_strength carries the rest.
    flame = Material.of("m", "channels", {"lighting": 2, "emission": (2.4, 1.2, 0.6)})
    converted = convert(flame, "metal_rough").material.parameters()
    np.testing.assert_allclose(converted["emissive"], (1.0, 0.5, 0.25))
    assert converted["emissive_strength"] == approx(2.4)


# MTL in its clear and mirroring modes


def test_fresnel_of_modes_five_and_seven_is_on_the_highlight_too() -> None:
    # MTL 1995 (from memory of its text): illum 5 and 7 put Fr on (H·H_j)^Ns as well as on what is mirrored; Schlick 1994 from Ks stands
    # for Fr. Off the mirror direction only the highlight is seen.
    wo, wi = np.array([[0.0, 0.6, 0.8]]), np.array([[0.6, 0.0, 0.8]])
    half = (wo + wi)[0] / np.linalg.norm(wo + wi)
    cosine = float(wo[0] @ half)
    values = {"diffuse": (0.0,) * 3, "specular": (0.2,) * 3, "exponent": 4.0}
    for illum, expected in ((3, 0.2), (5, 0.2 + 0.8 * (1 - cosine) ** 5)):
        seen = evaluate("exponent", {**values, "illum": illum}, wi, wo)[0]
        np.testing.assert_allclose(seen, expected * half[2] ** 4.0 / np.pi, rtol=1e-3)


@pytest.mark.parametrize("illum", [4, 6, 7, 9])
def test_dissolve_of_a_clear_mode_is_its_transmission_and_the_highlight_stays(illum: int) -> None:
    # Common practice: d is the body's share; the highlight lies on the whole surface.
    values = {"diffuse": (0.4,) * 3, "specular": (0.1,) * 3, "exponent": 20.0, "illum": illum, "ior": 1.5}
    whole, half = (look_of("exponent", {**values, "dissolve": d}) for d in (1.0, 0.25))
    assert half.opacity == 1.0
    wi, wo = np.array([[0.3], [0.0], [0.954]]), np.array([[-0.2], [0.1], [0.975]])
    body = 0.4 / np.pi * 0.954
    difference = float((whole.evaluate(wi, wo) - half.evaluate(wi, wo)).ravel()[0])
    assert difference == approx(0.75 * body, rel=1e-3), "only the body fades"
    converted = convert(Material.of("m", "exponent", {**values, "dissolve": 0.25}), "open_pbr").material.parameters()
    assert converted["transmission_weight"] == approx(0.9 * 0.75)
    assert "geometry_opacity" not in converted


def test_remark_on_energy_knows_the_form_of_the_highlight() -> None:
    # A mirror-direction exponent is a quarter of the halfway one of equal width, so n = 4 reflects what n = 16 does: 8/18, not 8/6.
    def remark(highlight: int) -> str:
        values = {"diffuse": (0.05,) * 3, "specular": (1.0,) * 3, "exponent": 4.0, "highlight": highlight}
        ledger = convert(Material.of("m", "exponent", values), "open_pbr").ledger
        return next(entry for entry in ledger if entry.target == "base_color").steps[0].remark

    assert "times what it receives" in remark(0)
    assert "times what it receives" not in remark(1)


# Defaults, openings and own light


def test_a_finish_that_is_not_set_is_smooth_however_it_is_stated() -> None:
    # The default roughness of refraction and coat is 0, which stated as a glossiness is 1.
    glass = {"refraction": 1.0, "finish": 1.0, "stated_as": 1}
    assert convert(Material.of("m", "metal_switch", glass), "open_pbr").material.parameters()["specular_roughness"] == approx(0.0)
    coated = convert(Material.of("m", "metal_switch", {"coat": 1.0, "finish": 0.5, "stated_as": 1}), "open_pbr").material.parameters()
    assert coated["coat_roughness"] == approx(0.0)
    same = [Material.of("m", "metal_switch", {"coat": 1.0, **values}) for values in ({}, {"stated_as": 1})]
    assert quick_check(*same).lobe_error < 1e-12


def test_an_additive_unlit_surface_leaves_what_lies_behind_and_adds_its_light() -> None:
    # Common practice: additive is the picture behind plus the colour, so that black changes nothing and nothing is dimmed.
    spark = Material.of("spark", "channels", {"lighting": 2, "blend": 3, "emission": (0.5, 0.2, 0.1), "diffuse": (0.9, 0.9, 0.9)})
    conversion = convert(spark, "open_pbr")
    converted = mean_surface(conversion.material)
    assert (float(np.mean(converted.opacity)), converted.thin_walled) == (1.0, True)
    assert converted.emission == approx((0.5, 0.2, 0.1))
    seen, there = (response(mean_surface(one)) for one in (conversion.material, spark))
    np.testing.assert_allclose(seen.above, 0.0, atol=1e-6)
    assert seen.behind is not None
    assert there.behind is not None
    np.testing.assert_allclose(seen.behind, there.behind, rtol=1e-3, atol=1e-6)
    assert quick_check(spark, conversion.material).lobe_error < 1e-3


@pytest.mark.parametrize("diffuse", [0.0, 0.3])
def test_a_lit_additive_surface_keeps_its_own_light_whole(diffuse: float) -> None:
    glow = Material.of("glow", "channels", {"blend": 3, "emission": (0.5, 0.2, 0.1), "diffuse": (diffuse,) * 3})
    converted = mean_surface(convert(glow, "open_pbr").material)
    assert np.ravel(np.asarray(converted.emission) * converted.opacity) == approx(np.array((0.5, 0.2, 0.1)))


def test_smallest_beckmann_lobe_keeps_its_width() -> None:
    # Beckmann is drawn no narrower than α = 0.002; the GGX lobe for it is as wide (here without the 8 % that fits the tails).
    converted = convert(Material.of("m", "facing_grazing", {"diffuse_gain": 0.0, "main_roughness": 0.0}), "open_pbr").material.parameters()
    assert converted["specular_roughness"] ** 2 == approx(0.002, rel=0.1)


@pytest.mark.parametrize(("model", "values"), [
    ("exponent", {"illum": 5, "specular": (0.3,) * 3, "emission": (0.5, 0.4, 0.3)}),
    ("metal_switch", {"coat": 1.0, "coat_ior": 1.8, "emission": (0.5, 0.4, 0.3)}),
    ("facing_grazing", {"top_weight": 1.0, "top_facing": (0.2,) * 3, "emission": (0.5, 0.4, 0.3)}),
    ("gloss_pair", {"reflection": (1, 1, 1), "reflection_glossiness": 0.9, "lamps_apart": True, "lamp_glossiness": 0.5,
                    "emission": (0.5, 0.4, 0.3)}),
])  # fmt: skip
def test_own_light_is_as_bright_through_a_coat_that_came_with_the_conversion(model: str, values: dict[str, Any]) -> None:
    # OpenPBR 1.1: emission lies below the coat, which takes its F0; these models' own light knows of no coat.
    for target in ("open_pbr", "metal_rough", "preview", "standard_surface", "exponent"):
        if target != model:
            converted = convert(Material.of("m", model, values), target).material
            seen = np.broadcast_to(np.asarray(mean_surface(converted).emission, dtype=float).ravel(), 3)
            np.testing.assert_allclose(seen, (0.5, 0.4, 0.3), rtol=2e-3, err_msg=target)
