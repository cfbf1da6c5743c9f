"""What is odd about materials as they are read, by the evidence of their maps; and corrections of how they are understood."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from pytest import approx

from fenrain.core import Material
from fenrain.core import read as read_file
from fenrain.core.checking.input_findings.registry import with_findings
from fenrain.core.checking.quick_picture import quick_picture
from fenrain.core.corrections import Correction, apply_corrections
from fenrain.core.errors import ParameterError, UnknownModelError
from fenrain.core.maps.image import write_png
from fenrain.core.maps.texels import Texels, grid_of
from fenrain.core.material import Geometry, Source
from fenrain.core.models.registry import models
from fenrain.core.optics.bump import normalised
from fenrain.core.values import Image, Map

Drawn = Callable[..., Image]
RANDOM = np.random.default_rng(11)
NORMALS = normalised(np.concatenate([RANDOM.normal(0, 0.2, (16, 16, 2)), np.ones((16, 16, 1))], axis=-1)) * 0.5 + 0.5
COLOURS = RANDOM.uniform(0.1, 0.9, (16, 16, 3))
GREY = RANDOM.uniform(0.1, 0.9, (16, 16, 1))


@pytest.fixture
def drawn(tmp_path: Path) -> Drawn:
    def draw(name: str, texels: np.ndarray) -> Image:
        write_png(tmp_path / name, texels)
        return Image(name, tmp_path / name)

    return draw


def codes(model: str, **values: Any) -> dict[str, str]:
    """What is found, with the value that it is about."""
    return {finding.code: finding.parameter for finding in with_findings(Material.of("m", model, values)).findings}


def test_maps_in_their_places_are_not_remarked_on(drawn: Drawn) -> None:
    leaf = drawn("brick.png", np.concatenate([COLOURS, GREY], axis=-1))
    found = codes(
        "metal_rough",
        base_color=Map(drawn("brick_albedo.png", COLOURS), "rgb", "srgb"), normal=Map(drawn("brick_normal.png", NORMALS), "rgb", "normal"),
        roughness=Map(drawn("brick_orm.png", COLOURS), "g"), alpha_mode=2, alpha=Map(leaf, "a"),
    )  # fmt: skip
    assert found == {}


def test_a_normal_map_in_a_scalar_slot_is_told_by_its_unit_vectors(drawn: Drawn) -> None:
    assert codes("metal_rough", roughness=Map(drawn("a.png", NORMALS), "g"))["normal-map-in-wrong-slot"] == "roughness"
    assert "normal-map-in-wrong-slot" not in codes("metal_rough", roughness=Map(drawn("b.png", COLOURS), "g"))


def test_what_is_no_normal_map_is_told_too(drawn: Drawn) -> None:
    material = Material.of("m", "metal_rough", {"normal": Map(drawn("relief.png", np.repeat(GREY, 3, -1)), "rgb", "normal")})
    (finding,) = with_findings(material).findings
    assert finding.code == "not-a-normal-map"
    assert "a relief perhaps" in finding.message
    assert finding.severity == "problem"


def test_data_read_as_colour_and_colour_read_as_data(drawn: Drawn) -> None:
    assert codes("metal_rough", roughness=Map(drawn("r.png", GREY), "r", "srgb"))["data-read-as-colour"] == "roughness"
    assert codes("metal_rough", base_color=Map(drawn("c.png", COLOURS), "rgb", "linear"))["colour-read-as-data"] == "base_color"


def test_an_alpha_that_hides_nothing(drawn: Drawn) -> None:
    whole = np.concatenate([COLOURS, np.ones((16, 16, 1))], axis=-1)
    assert codes("metal_rough", alpha_mode=1, alpha=Map(drawn("w.png", whole), "a"))["opaque-alpha"] == "alpha"
    assert codes("metal_rough", alpha_mode=1, alpha=Map(drawn("n.png", COLOURS), "a"))["opaque-alpha"] == "alpha"
    assert codes("metal_rough", alpha_mode=2)["blending-without-alpha"] == "alpha"
    assert "blending-without-alpha" not in codes("metal_rough", alpha_mode=0)


def test_a_map_whose_texels_are_damaged_is_said_and_breaks_nothing(drawn: Drawn) -> None:
    image = drawn("torn.png", COLOURS)
    assert image.path is not None
    data = bytearray(image.path.read_bytes())
    data[len(data) // 2] ^= 0xFF
    image.path.write_bytes(bytes(data))
    found = codes(
        "spec_gloss", diffuse=Map(image, "rgb", "srgb"), specular=(0.08, 0.04, 0.02), glossiness=Map(drawn("g.png", GREY), "r", "srgb")
    )
    assert found == {"damaged-map": "diffuse", "data-read-as-colour": "glossiness"}


def test_a_map_of_one_value(drawn: Drawn) -> None:
    assert codes("metal_rough", base_color=Map(drawn("flat.png", np.full((8, 8, 3), 0.5)), "rgb", "srgb"))["flat-map"] == "base_color"


@pytest.mark.parametrize(
    ("name", "model", "parameter", "turned"),
    [
        ("wall_gloss.png", "metal_rough", "roughness", True),
        ("WallSmoothness.png", "metal_rough", "roughness", True),
        ("wall-roughness.png", "spec_gloss", "glossiness", True),
        ("wall_normal.png", "metal_rough", "base_color", False),
    ],
)
def test_a_name_that_says_otherwise(drawn: Drawn, name: str, model: str, parameter: str, turned: bool) -> None:
    channels = "rgb" if parameter == "base_color" else "r"
    material = with_findings(
        Material.of("m", model, {parameter: Map(drawn(name, COLOURS), channels, "srgb" if channels == "rgb" else "linear")})
    )
    (finding,) = [one for one in material.findings if one.code == "name-says-otherwise"]
    assert finding.evidence == name
    assert finding.fix == ({"invert": True} if turned else None)


def test_a_name_says_one_of_the_values_that_an_image_serves_on_purpose(drawn: Drawn) -> None:
    image = drawn("lamp_diffuse.png", COLOURS)
    both = {"base_color": Map(image, "rgb", "srgb"), "emissive": Map(image, "rgb", "srgb")}
    assert "name-says-otherwise" not in codes("metal_rough", **both)
    assert codes("metal_rough", emissive=Map(image, "rgb", "srgb"))["name-says-otherwise"] == "emissive"


def test_a_map_on_a_uv_set_that_the_meshes_lack(drawn: Drawn) -> None:
    material = Material.of("m", "metal_rough", {"base_color": Map(drawn("c.png", COLOURS), "rgb", "srgb", uv_set=1)})
    placed = replace(material, geometry=Geometry(meshes=("wall",), uv_sets=(0,)), source=Source("a.glb", "gltf"))
    assert [one.code for one in with_findings(placed).findings] == ["missing-uv-set"]
    there = replace(placed, geometry=Geometry(meshes=("wall",), uv_sets=(0, 1)))
    assert with_findings(there).findings == ()


def test_tints_and_bodies_that_no_surface_has() -> None:
    # Common practice: most non-metals have a very dark grey specular colour; only metals are tinted.
    assert codes("spec_gloss", specular=(0.08, 0.04, 0.02))["tinted-non-metal"] == "specular"
    assert "tinted-non-metal" not in codes("spec_gloss", specular=(0.9, 0.6, 0.2))
    assert "tinted-non-metal" not in codes("spec_gloss", specular=(0.05, 0.05, 0.05))
    # Common practice: clear glass has a black body; an even reflection over a clear body looks false.
    glass = {"refraction": (1.0, 1.0, 1.0), "reflection": (0.9, 0.9, 0.9)}
    assert codes("gloss_pair", diffuse=(0.5, 0.5, 0.5), **glass)["body-under-refraction"] == "diffuse"
    assert "body-under-refraction" not in codes("gloss_pair", diffuse=(0.0, 0.0, 0.0), **glass)
    assert codes("gloss_pair", diffuse=(0.0, 0.0, 0.0), angle_dependent=False, **glass)["even-reflection-on-glass"] == "angle_dependent"


def test_a_map_is_turned_read_from_another_channel_and_in_another_encoding(drawn: Drawn) -> None:
    material = Material.of("m", "metal_rough", {"roughness": Map(drawn("orm.png", COLOURS), "g", scale=0.5)})
    made = apply_corrections(material, [Correction(parameter="roughness", invert=True, channel="b")])
    value = made.value("roughness")
    with Texels(grid_of([value])) as texels:
        assert texels.full(value, 0, 16, 1) == approx(0.5 * (1.0 - COLOURS[..., 2:]), abs=0.003)
    assert made.findings[-1].message == "roughness: “orm.png” read from its channel b and turned, white for black, by hand."
    # Turned twice it is as it was.
    twice = apply_corrections(made, [Correction(parameter="roughness", invert=True, channel="g")]).value("roughness")
    assert isinstance(twice, Map)
    assert (twice.scale, twice.bias, twice.channels) == (approx(0.5), approx(0.0), "g")
    colour = Material.of("m", "metal_rough", {"base_color": Map(drawn("c.png", COLOURS), "rgb", "linear")})
    assert apply_corrections(colour, [Correction(parameter="base_color", encoding="srgb")]).value("base_color").encoding == "srgb"  # type: ignore[union-attr]


@pytest.mark.parametrize(
    "correction",
    [
        Correction(parameter="alpha_mode", invert=True),
        Correction(parameter="roughness", invert=True),
        Correction(parameter="base_color", channel="r"),
        Correction(parameter="normal", invert=True),
    ],
)
def test_what_cannot_be_corrected_so_is_refused(drawn: Drawn, correction: Correction) -> None:
    material = Material.of("m", "metal_rough", {
        "base_color": Map(drawn("c.png", COLOURS), "rgb", "srgb"), "normal": Map(drawn("n.png", NORMALS), "rgb", "normal"), "alpha_mode": 1,
    })  # fmt: skip
    with pytest.raises(ParameterError):
        apply_corrections(material, [correction])


def test_a_number_is_read_by_another_convention(tmp_path: Path) -> None:
    # Common practice: the same number means gloss or roughness, 0–1 or 0–100, sRGB or linear, squared or not.
    material = Material.of("m", "metal_rough", {"roughness": 0.36, "base_color": (0.5, 0.5, 0.5)})

    def roughness(**how: Any) -> Any:
        return apply_corrections(material, [Correction(parameter="roughness", **how)]).parameters()["roughness"]

    assert (roughness(invert=True), roughness(power=0.5), roughness(scale=0.5)) == (approx(0.64), approx(0.6), approx(0.18))
    # IEC 61966-2-1: sRGB 0.5 is 0.2140 in linear light.
    decoded = apply_corrections(material, [Correction(parameter="base_color", encoding="srgb")])
    assert decoded.parameters()["base_color"] == approx((0.2140,) * 3, abs=1e-4)
    back = apply_corrections(decoded, [Correction(parameter="base_color", encoding="linear")])
    assert back.parameters()["base_color"] == approx((0.5,) * 3, abs=1e-6)
    # What was cut to 1 when it was read is counted from what the file says.
    (tmp_path / "m.json").write_text('[{"Surface": "m", "Polish": 8000}]')
    (read,) = read_file(tmp_path / "m.json", dialect="sedge")
    name = next(found.parameter for found in read.findings if found.code == "out-of-range")
    assert read.parameters()[name] == 1.0
    mended = apply_corrections(read, [Correction(parameter=name, scale=0.01)])
    assert mended.parameters()[name] == approx(0.8)
    assert "out-of-range" not in [found.code for found in mended.findings]


def test_a_material_is_read_as_of_another_model(drawn: Drawn) -> None:
    gloss = Map(drawn("gloss.png", COLOURS), "g")
    read = Material.of("m", "spec_gloss", {"diffuse": (0.2, 0.3, 0.4), "specular": (0.04,) * 3, "glossiness": gloss, "opacity": 0.5})
    (other,) = [apply_corrections(read, [Correction(model="metal_rough")])]
    assert other.model == "metal_rough"
    assert other.parameters()["base_color"] == (0.2, 0.3, 0.4)
    assert other.parameters()["alpha"] == 0.5
    rough = other.value("roughness")
    with Texels(grid_of([rough])) as texels:
        assert texels.full(rough, 0, 16, 1) == approx(1.0 - COLOURS[..., 1:2], abs=0.003)
    assert "by hand" in other.findings[-1].message
    percents = apply_corrections(read, [Correction(model="percent")])
    assert percents.parameters()["opacity"] == approx(50.0)
    assert "left out: specular, glossiness" in percents.findings[-1].message
    with pytest.raises(ParameterError):
        apply_corrections(read, [Correction(model="mix")])
    with pytest.raises(UnknownModelError):
        apply_corrections(read, [Correction(model="shiny")])
    with pytest.raises(ValueError, match="of one value, of the model, or of the texture coordinates"):
        Correction(model="percent", parameter="diffuse")


def test_a_quick_picture_shows_what_a_material_is(drawn: Drawn) -> None:
    def middle(model: str, **values: Any) -> np.ndarray:
        return quick_picture(Material.of("m", model, values), 32)[12:20, 12:20].reshape(-1, 3).mean(axis=0)

    red = middle("metal_rough", base_color=(0.8, 0.02, 0.02), metallic=0.0, roughness=1.0)
    assert red[0] > 3 * max(red[1], red[2])
    assert middle("metal_rough", emissive=(0.0, 1.0, 0.0), base_color=(0.0, 0.0, 0.0), metallic=0.0)[1] > 0.95
    # What is open shows the ground, which is the corner of any picture.
    ground = quick_picture(Material.of("m", "metal_rough", {}), 32)[0, 0]
    assert middle("metal_rough", alpha=0.0, alpha_mode=2) == approx(ground, abs=0.02)
    halves = np.zeros((16, 16, 3))
    halves[:, 8:] = 1.0
    picture = quick_picture(
        Material.of("m", "metal_rough", {"base_color": Map(drawn("h.png", halves), "rgb"), "metallic": 0.0, "roughness": 1.0}), 32
    )
    assert picture[16, 20:28].mean() > picture[16, 4:12].mean() + 0.3


@pytest.mark.parametrize("model", list(models()))
def test_every_model_has_a_quick_picture(model: str) -> None:
    parts = (Material.of("a", "gloss_pair", {}), Material.of("b", "percent", {})) if model == "mix" else ()
    picture = quick_picture(Material.of("m", model, {}, parts), 16)
    assert np.isfinite(picture).all()
    assert (picture.min() >= 0.0, picture.max() <= 1.0) == (True, True)
    assert np.ptp(picture) > 0.02, "it is no even plate"


GLASS = {"diffuse": (0.0,) * 3, "specular": (1.0,) * 3, "dissolve": 0.1, "illum": 7, "ior": 1.5, "exponent": 900.0}


def test_glass_that_is_written_as_a_mirror_is_doubted_and_taken_as_glass() -> None:
    # Common practice: clear glass reflects about what its index says. Fresnel at n = 1.5: ((n − 1)/(n + 1))² = 4 %.
    written = with_findings(Material.of("pane", "exponent", GLASS))
    (doubt,) = [finding for finding in written.findings if finding.code == "glass-as-mirror"]
    assert doubt.fix == {"scale": approx(0.04)}
    taken = apply_corrections(written, [Correction(parameter=doubt.parameter, **doubt.fix)])
    assert taken.parameters()["specular"] == approx((0.04,) * 3)
    assert "glass-as-mirror" not in {finding.code for finding in with_findings(replace(taken, findings=())).findings}
    mirror, glass = (quick_picture(material) for material in (written, taken))
    assert np.abs(mirror - glass).mean() > 0.05, "two looks to choose from"
    for other in ({"dissolve": 1.0}, {"specular": (0.05,) * 3}, {"illum": 2}, {"dissolve": 0.9}):
        assert "glass-as-mirror" not in codes("exponent", **(GLASS | other)), other
