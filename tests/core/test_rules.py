"""Single rules of the models, each against its source."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from pytest import approx

from fenrain.core import Material, Profile, evaluate
from fenrain.core.conversion.engine import convert
from fenrain.core.errors import ParameterError
from fenrain.core.material import material_from_document, material_to_document
from fenrain.core.models.exponent.highlight import exponent_of_ggx, ggx_of_exponent
from fenrain.core.models.registry import model_of, models
from fenrain.core.optics.fresnel import f0_from_ior, fresnel_dielectric
from fenrain.core.optics.microfacet import widths_gltf, widths_openpbr
from fenrain.core.rules.fidelity import Fidelity
from fenrain.core.values import Constant, Image, Map


def converted(model: str, values: dict[str, Any], target: str, profile: Profile | None = None) -> dict[str, Any]:
    return convert(Material.of("m", model, values), target, profile).material.parameters()


def fidelity(model: str, values: dict[str, Any], target: str, name: str, profile: Profile | None = None) -> Fidelity:
    return next(e.fidelity for e in convert(Material.of("m", model, values), target, profile).ledger if e.target == name)


# Exponent materials


@pytest.mark.parametrize(("illum", "expected"), [(0, 0.0), (1, 1.0), (2, 1.0)])
def test_illum_chooses_the_terms(illum: int, expected: float) -> None:
    # MTL format 1995: 0 is colour without shading, 1 is diffuse, 2 adds the highlight.
    up = np.array([[0.0, 0.0, 1.0]])
    values = {"diffuse": (0.5, 0.5, 0.5), "specular": (0.25, 0.25, 0.25), "exponent": 20.0, "illum": illum}
    highlight = 0.25 if illum == 2 else 0.0
    assert evaluate("exponent", values, up, up)[0] == approx(np.full(3, (0.5 * expected + highlight) / np.pi))


def test_mirror_direction_exponent_is_wider_by_four() -> None:
    # optics of the trade: the mirror-direction exponent is about a quarter of the halfway one with the same width.
    halfway = converted("exponent", {"specular": (0.5,) * 3, "exponent": 80.0}, "open_pbr")
    mirrored = converted("exponent", {"specular": (0.5,) * 3, "exponent": 20.0, "highlight": 1}, "open_pbr")
    assert mirrored["specular_roughness"] == approx(halfway["specular_roughness"])


@pytest.mark.parametrize("exponent", [2.0, 10.0, 40.0, 160.0, 800.0])
def test_exponent_and_ggx_width_go_both_ways(exponent: float) -> None:
    alpha, strength = ggx_of_exponent(np.asarray(exponent))
    back, strength_back = exponent_of_ggx(alpha)
    assert back == approx(exponent, rel=0.03)
    assert strength_back == approx(strength, rel=0.03)


def test_highlight_height_is_near_that_of_the_peak() -> None:
    # Ks/π = F D(0)/4 with D(0) = 1/(π α²) and α² = 2/(n + 2) (Walter et al. 2007): F = 8 Ks/(n + 2); the fit moves it by 15 %.
    values = converted("exponent", {"diffuse": (0.3,) * 3, "specular": (0.5,) * 3, "exponent": 100.0}, "open_pbr")
    assert f0_from_ior(values["specular_ior"]) * values["specular_color"][0] == approx(8 * 0.5 / 102, rel=0.2)


def test_emission_goes_over_in_scene_units() -> None:
    # Shader code and viewers take the numbers of these models as radiance, 1 being white (common practice).
    conversion = convert(Material.of("m", "exponent", {"emission": (0.5, 0.25, 0.0)}), "open_pbr")
    entry = next(entry for entry in conversion.ledger if entry.target == "emission_luminance")
    assert conversion.material.parameters()["emission_luminance"] == 1.0
    assert conversion.material.parameters()["emission_color"] == (0.5, 0.25, 0.0)
    assert "emission (0.5, 0.25, 0)" in entry.steps[0].text


def test_unshaded_colour_becomes_light_of_its_own() -> None:
    values = converted("exponent", {"diffuse": (0.5, 0.4, 0.3), "illum": 0}, "open_pbr")
    assert (values["emission_color"], values["base_color"], values["specular_weight"]) == ((0.5, 0.4, 0.3), (0.0, 0.0, 0.0), 0.0)


@pytest.mark.parametrize("name", ["ambient", "reflection_image", "decal", "displacement"])
def test_what_has_no_place_is_lost_by_name_and_with_a_reason(name: str) -> None:
    kind = model_of("exponent").parameter(name).kind
    conversion = convert(Material.of("m", "exponent", {name: (0.5, 0.5, 0.5) if kind == "colour" else 0.5}), "open_pbr")
    entry = next(entry for entry in conversion.ledger if name in entry.sources)
    assert (entry.target, entry.fidelity) == ("", Fidelity.DROPPED)
    assert "Instead:" in entry.steps[-1].text


@pytest.mark.parametrize("illum", [3, 5])
def test_mirrored_surroundings_become_a_sharp_coat(illum: int) -> None:
    # MTL 1995: Ks times what is mirrored, at all angles in mode 3; with Fresnel, whose F0 is Ks, in mode 5.
    values = converted("exponent", {"specular": (0.04,) * 3, "illum": illum, "exponent": 30.0}, "open_pbr")
    assert values["coat_roughness"] == 0.0
    assert values["coat_weight"] * f0_from_ior(values["coat_ior"]) == approx(0.04, rel=1e-3)
    assert values["coat_weight"] == approx(1.0 if illum == 5 else 0.04 / 0.44, rel=1e-2)


# glTF


def test_anisotropy_keeps_the_pair_of_widths() -> None:
    # Convert by the pair of widths, never by copying the number (KHR_materials_anisotropy; OpenPBR 1.1).
    values = converted("metal_rough", {"roughness": 0.4, "anisotropy_strength": 0.6}, "open_pbr")
    widths = widths_openpbr(values["specular_roughness"], values["specular_roughness_anisotropy"])
    assert widths == approx(widths_gltf(0.4, 0.6))


def test_core_gltf_keeps_the_height_of_a_stretched_highlight() -> None:
    values = {"specular_roughness": 0.5, "specular_roughness_anisotropy": 0.5}
    along, across = widths_openpbr(0.5, 0.5)
    roughness = converted("open_pbr", values, "metal_rough", Profile("core"))["roughness"]
    assert roughness**2 == approx(np.sqrt(along * across))


def test_clearcoat_has_the_reflectance_of_the_coat() -> None:
    # KHR_materials_clearcoat fixes the index at 1.5; on average over the hemisphere (Fresnel equations, by quadrature) 1.3 reflects less.
    cosine = (np.arange(4000) + 0.5) / 4000
    reflected = [float((2 * cosine * fresnel_dielectric(cosine, ior)).mean()) for ior in (1.3, 1.5)]
    values = converted("open_pbr", {"coat_weight": 1.0, "coat_ior": 1.3}, "metal_rough")
    assert values["clearcoat"] == approx(reflected[0] / reflected[1], rel=0.01)


def test_specular_weight_scales_f0() -> None:
    # OpenPBR 1.1: specular_weight scales F0 through a modulated index.
    values = converted("open_pbr", {"specular_weight": 0.8}, "metal_rough")
    assert f0_from_ior(values["ior"]) * values["specular"] == approx(0.8 * 0.04)


def test_no_reflection_at_all_stays_none() -> None:
    assert converted("open_pbr", {"specular_weight": 0.0}, "metal_rough")["specular"] == 0.0


def test_mapped_reflection_is_said_by_the_tint_under_an_index_of_zero(tmp_path: Any) -> None:
    # KHR_materials_ior: 0 stands for F0 = 1, so that specularColor is the whole F0.
    from fenrain.core.maps.image import write_png

    write_png(tmp_path / "s.png", np.random.default_rng(0).random((8, 8, 3)))
    specular = Map(Image("s.png", tmp_path / "s.png"), "rgb", "srgb")
    values = convert(Material.of("m", "spec_gloss", {"specular": specular, "diffuse": (0.2, 0.2, 0.2)}), "metal_rough").material
    assert values.values["ior"] == Constant(0.0)
    assert not isinstance(values.values["specular_color"], Constant)


def test_emission_beyond_core_gltf_is_cut_and_said() -> None:
    values = {"emission_luminance": 60.0, "emission_color": (1.0, 0.5, 0.0)}
    assert converted("open_pbr", values, "metal_rough", Profile("core"))["emissive"] == (1.0, 0.5, 0.0)
    assert fidelity("open_pbr", values, "metal_rough", "emissive", Profile("core")) is Fidelity.APPROXIMATED
    assert converted("open_pbr", values, "metal_rough")["emissive_strength"] == 60.0


@pytest.mark.parametrize(("mode", "opacity", "expected"), [(0, 0.3, None), (1, 0.3, 0.0), (1, 0.7, 1.0), (2, 0.3, 0.3)])
def test_alpha_modes_reach_the_hub(mode: int, opacity: float, expected: float | None) -> None:
    # glTF 2.0 §3.9.4.
    for model, name in (("spec_gloss", "opacity"), ("metal_rough", "alpha")):
        assert converted(model, {name: opacity, "alpha_mode": mode}, "open_pbr").get("geometry_opacity") == expected


def test_unlit_shows_its_colour_whatever_the_light() -> None:
    up = np.array([[0.0, 0.0, 1.0]])
    assert evaluate("metal_rough", {"unlit": True, "base_color": (0.5, 0.4, 0.3)}, up, up).max() == 0.0
    assert converted("metal_rough", {"unlit": True, "base_color": (0.5, 0.4, 0.3)}, "open_pbr")["emission_color"] == (0.5, 0.4, 0.3)


def test_half_metal_stays_a_tinted_dielectric_where_the_target_can_say_it() -> None:
    values = converted("spec_gloss", {"diffuse": (0.5, 0.4, 0.3), "specular": (0.5, 0.4, 0.3), "glossiness": 0.6}, "open_pbr")
    assert values["base_metalness"] == 0.0
    assert values["specular_color"] == approx((1.0, 0.8, 0.6))


def test_more_light_than_there_is_is_cut_and_said() -> None:
    values = {"diffuse": (1.0, 1.0, 1.0), "specular": (0.04, 0.04, 0.04), "glossiness": 0.9}
    conversion = convert(Material.of("m", "spec_gloss", values), "open_pbr")
    entry = next(entry for entry in conversion.ledger if entry.target == "base_color")
    assert conversion.material.parameters()["base_color"] == (1.0, 1.0, 1.0)
    assert "cut to 1" in entry.steps[0].remark


# Declarations and stored forms


def test_every_parameter_is_declared_with_what_others_read() -> None:
    for model in models().values():
        assert len(model.by_name) == len(model.parameters)
        for parameter in model.parameters:
            assert parameter.says
            assert parameter.kind in ("number", "colour", "flag", "choice", "normal", "spectrum")
            assert not parameter.under or parameter.under in model.by_name
            if parameter.kind in ("number", "colour"):
                assert parameter.accept(parameter.default) == parameter.default


@pytest.mark.parametrize(
    ("model", "name", "value"),
    [
        ("open_pbr", "geometry_thin_walled", "yes"),
        ("open_pbr", "geometry_normal", 0.5),
        ("exponent", "illum", 2.5),
        ("exponent", "illum", True),
        ("open_pbr", "base_color", (1, 2)),
        ("open_pbr", "base_color", "red"),
        ("open_pbr", "base_color", (0.1, float("nan"), 0.2)),
    ],
)
def test_values_of_the_wrong_kind_are_refused(model: str, name: str, value: Any) -> None:
    with pytest.raises(ParameterError, match=name):
        Material.of("m", model, {name: value})


def test_stored_material_comes_back_with_the_same_digest(engine_house: list[Material]) -> None:
    for material in (*engine_house, *(convert(m, "metal_rough").material for m in engine_house)):
        images = material.images()
        back = material_from_document(material_to_document(material), lambda digest, _, images=images: images[digest])
        assert back.digest == material.digest
        assert back.values == material.values


def test_digest_depends_on_what_is_seen_not_on_names() -> None:
    first, other = Material.of("a", "open_pbr", {"coat_weight": 0.5}), Material.of("b", "open_pbr", {"coat_weight": 0.5})
    assert first.digest == other.digest
    assert first.digest != Material.of("a", "open_pbr", {"coat_weight": 0.6}).digest
