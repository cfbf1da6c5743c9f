"""What each format says, value by value."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from pytest import approx

from fenrain.core import Material, convert, read
from fenrain.core.errors import BrokenFileError, MissingFileError, UnsafePathError
from fenrain.core.formats.obj_meshes import read_meshes
from fenrain.core.maps.image import write_png
from fenrain.core.paths import Found, resolve, safe_name
from fenrain.core.values import Computed, Constant, Map, Placement


def gltf(folder: Path, material: dict[str, Any], **rest: Any) -> Material:
    """The one material of an asset whose only image is a small picture."""
    write_png(folder / "map.png", np.full((4, 4, 4), 0.5))
    document = {"asset": {"version": "2.0"}, "materials": [material], "images": [{"uri": "map.png"}], "textures": [{"source": 0}], **rest}
    (folder / "m.gltf").write_text(json.dumps(document))
    return read(folder / "m.gltf")[0]


TEXTURE = {"index": 0}


@pytest.mark.parametrize(
    ("extension", "block", "parameter", "expected"),
    [
        ("specular", {"specularFactor": 0.4}, "specular", 0.4),
        ("specular", {"specularColorFactor": [2.0, 1.0, 0.5]}, "specular_color", (2.0, 1.0, 0.5)),
        ("ior", {"ior": 1.33}, "ior", 1.33),
        ("ior", {"ior": 0}, "ior", 0.0),
        ("clearcoat", {"clearcoatFactor": 0.7}, "clearcoat", 0.7),
        ("clearcoat", {"clearcoatRoughnessFactor": 0.2}, "clearcoat_roughness", 0.2),
        ("sheen", {"sheenColorFactor": [0.1, 0.2, 0.3]}, "sheen_color", (0.1, 0.2, 0.3)),
        ("sheen", {"sheenRoughnessFactor": 0.6}, "sheen_roughness", 0.6),
        ("anisotropy", {"anisotropyStrength": 0.5}, "anisotropy_strength", 0.5),
        ("anisotropy", {"anisotropyRotation": 1.2}, "anisotropy_rotation", 1.2),
        ("emissive_strength", {"emissiveStrength": 7.0}, "emissive_strength", 7.0),
        ("transmission", {"transmissionFactor": 0.9}, "transmission", 0.9),
        ("volume", {"attenuationColor": [0.5, 0.6, 0.7]}, "attenuation_color", (0.5, 0.6, 0.7)),
        ("iridescence", {"iridescenceFactor": 0.3}, "iridescence", 0.3),
    ],
)
def test_each_ratified_extension_is_read(tmp_path: Path, extension: str, block: dict[str, Any], parameter: str, expected: Any) -> None:
    # The KHR_materials_* texts name these properties.
    material = gltf(tmp_path, {"extensions": {f"KHR_materials_{extension}": block}})
    assert material.parameters()[parameter] == approx(expected)
    assert material.model == "metal_rough"


@pytest.mark.parametrize(
    ("extension", "texture", "parameter", "channel"),
    [
        ("specular", "specularTexture", "specular", "a"),
        ("clearcoat", "clearcoatTexture", "clearcoat", "r"),
        ("clearcoat", "clearcoatRoughnessTexture", "clearcoat_roughness", "g"),
        ("sheen", "sheenRoughnessTexture", "sheen_roughness", "a"),
        ("anisotropy", "anisotropyTexture", "anisotropy_strength", "b"),
        ("transmission", "transmissionTexture", "transmission", "r"),
        ("volume", "thicknessTexture", "thickness", "g"),
    ],
)
def test_each_extension_map_is_read_from_its_channel(tmp_path: Path, extension: str, texture: str, parameter: str, channel: str) -> None:
    factor = f"{texture.removesuffix('Texture')}{'Strength' if extension == 'anisotropy' else 'Factor'}"
    block = {texture: TEXTURE, factor: 0.5}
    value = gltf(tmp_path, {"extensions": {f"KHR_materials_{extension}": block}}).values[parameter]
    assert isinstance(value, Map)
    assert (value.channels, value.encoding, value.scale) == (channel, "linear", 0.5)


@pytest.mark.parametrize(
    ("block", "parameter"),
    [
        ({"clearcoatTexture": TEXTURE}, "clearcoat"),
        ({"sheenRoughnessTexture": TEXTURE}, "sheen_roughness"),
        ({"anisotropyTexture": TEXTURE}, "anisotropy_strength"),
        ({"transmissionTexture": TEXTURE}, "transmission"),
        ({"iridescenceTexture": TEXTURE}, "iridescence"),
    ],
)
def test_a_map_whose_factor_is_left_out_is_multiplied_by_the_default_of_its_text(
    tmp_path: Path, block: dict[str, Any], parameter: str
) -> None:
    # The texts of the extensions give 0 as the default of these factors, so that the map has no effect.
    extension = parameter.split("_")[0]
    material = gltf(tmp_path, {"extensions": {f"KHR_materials_{extension}": block}})
    assert parameter not in material.values
    assert "map-without-effect" in {finding.code for finding in material.findings}


def test_thickness_of_a_film_by_its_text(tmp_path: Path) -> None:
    # KHR_materials_iridescence: 400 nm where nothing is said; with a map from the least to the largest by its green.
    plain = gltf(tmp_path, {"extensions": {"KHR_materials_iridescence": {"iridescenceFactor": 1.0}}})
    assert plain.parameters()["iridescence_thickness"] == 400.0
    limits = {"iridescenceThicknessMinimum": 150.0, "iridescenceThicknessMaximum": 250.0, "iridescenceThicknessTexture": TEXTURE}
    block = {"iridescenceFactor": 1.0, **limits}
    mapped = gltf(tmp_path, {"extensions": {"KHR_materials_iridescence": block}}).value("iridescence_thickness")
    assert isinstance(mapped, Map)
    assert (mapped.channels, mapped.scale, mapped.bias) == ("g", 100.0, 150.0)


def test_colour_maps_are_srgb_and_data_maps_linear(tmp_path: Path) -> None:
    # glTF 2.0 §3.9.2 and §3.9.3.
    core = {"baseColorTexture": TEXTURE, "metallicRoughnessTexture": TEXTURE}
    textures = dict.fromkeys(("emissiveTexture", "normalTexture", "occlusionTexture"), TEXTURE)
    material = gltf(tmp_path, {"pbrMetallicRoughness": core, **textures, "emissiveFactor": [1, 1, 1]})
    found = {name: (value.channels, value.encoding) for name, value in material.values.items() if isinstance(value, Map)}
    assert found == {
        "base_color": ("rgb", "srgb"),
        "metallic": ("b", "linear"),
        "roughness": ("g", "linear"),
        "emissive": ("rgb", "srgb"),
        "normal": ("rgb", "normal"),
        "occlusion": ("r", "linear"),
    }


def test_factors_multiply_their_maps(tmp_path: Path) -> None:
    core = {
        "baseColorTexture": TEXTURE,
        "baseColorFactor": [0.5, 0.25, 1.0, 0.5],
        "metallicRoughnessTexture": TEXTURE,
        "roughnessFactor": 0.5,
    }
    material = gltf(tmp_path, {"pbrMetallicRoughness": core, "alphaMode": "BLEND", "normalTexture": {"index": 0, "scale": 0.3}})
    scales = {name: value.scale for name, value in material.values.items() if isinstance(value, Map)}
    assert scales == {"base_color": (0.5, 0.25, 1.0), "alpha": 0.5, "metallic": 1.0, "roughness": 0.5, "normal": 0.3}


def test_occlusion_strength_is_a_level(tmp_path: Path) -> None:
    # glTF 2.0 §3.9.3: occluded = 1 + strength · (texel − 1).
    value = gltf(tmp_path, {"occlusionTexture": {"index": 0, "strength": 0.25}}).values["occlusion"]
    assert isinstance(value, Map)
    assert (value.scale, value.bias) == (0.25, 0.75)


@pytest.mark.parametrize(("mode", "number"), [("OPAQUE", 0), ("MASK", 1), ("BLEND", 2)])
def test_alpha_counts_only_where_its_mode_says_so(tmp_path: Path, mode: str, number: int) -> None:
    material = gltf(tmp_path, {"alphaMode": mode, "alphaCutoff": 0.3, "pbrMetallicRoughness": {"baseColorFactor": [1, 1, 1, 0.4]}})
    assert material.value("alpha_mode") == Constant(number)
    assert ("alpha" in material.values) == (mode != "OPAQUE")


def test_texture_transform_and_uv_set_are_kept(tmp_path: Path) -> None:
    # KHR_texture_transform; its texCoord overrides the texture's own.
    block = {"offset": [0.1, 0.2], "rotation": 0.3, "scale": [2, 3], "texCoord": 1}
    value = gltf(tmp_path, {"normalTexture": {"index": 0, "extensions": {"KHR_texture_transform": block}}}).values["normal"]
    assert isinstance(value, Map)
    assert value.placement == Placement((0.1, 0.2), 0.3, (2.0, 3.0))
    assert value.uv_set == 1


def test_specular_glossiness_is_preferred_and_the_other_version_named(tmp_path: Path) -> None:
    block = {"diffuseFactor": [0.1, 0.2, 0.3, 1], "specularFactor": [0.4, 0.5, 0.6], "glossinessFactor": 0.7}
    material = gltf(
        tmp_path, {"extensions": {"KHR_materials_pbrSpecularGlossiness": block}, "pbrMetallicRoughness": {"roughnessFactor": 0.9}}
    )
    assert material.model == "spec_gloss"
    assert material.parameters() == {"diffuse": (0.1, 0.2, 0.3), "specular": (0.4, 0.5, 0.6), "glossiness": 0.7}
    assert [finding.code for finding in material.findings] == ["second-workflow"]


def test_unknown_extension_is_named_not_skipped(tmp_path: Path) -> None:
    material = gltf(tmp_path, {"extensions": {"VENDOR_glitter": {}}})
    assert [(finding.code, finding.evidence) for finding in material.findings] == [("not-read", "VENDOR_glitter")]


def test_unlit_and_double_sided_are_flags(tmp_path: Path) -> None:
    material = gltf(tmp_path, {"doubleSided": True, "extensions": {"KHR_materials_unlit": {}}})
    assert material.geometry.double_sided
    assert material.parameters()["unlit"] is True


def test_missing_texture_entry_is_a_finding_with_its_place(tmp_path: Path) -> None:
    material = gltf(tmp_path, {"normalTexture": {"index": 9}})
    assert "textures" in material.findings[0].message
    assert material.findings[0].parameter == "normal"


def test_image_in_a_data_uri_is_read(tmp_path: Path) -> None:
    import base64

    write_png(tmp_path / "p.png", np.full((2, 2, 3), 0.5))
    uri = "data:image/png;base64," + base64.b64encode((tmp_path / "p.png").read_bytes()).decode()
    material = gltf(tmp_path, {"normalTexture": TEXTURE}, images=[{"uri": uri}])
    assert len(material.images()) == 1
    broken = gltf(tmp_path, {"normalTexture": TEXTURE}, images=[{"uri": "data:image/png;base64,@@@"}])
    assert broken.findings[0].code == "broken-map"


# MTL


def mtl(folder: Path, text: str) -> Material:
    write_png(folder / "m.png", np.full((4, 4, 4), 0.5))
    (folder / "m.mtl").write_text("newmtl a\n" + text)
    return read(folder / "m.mtl")[0]


PHYSICAL = "Kd 0.4 0.3 0.2\nPr 0.3\nPm 1\nPs 0.2\nPc 0.5\nPcr 0.1\naniso 0.4\nanisor 0.25\nNi 1.4\nKe 0 0.1 0\n"


def test_physically_based_statements_are_metallic_roughness(tmp_path: Path) -> None:
    # Common practice: Pr and Pm are roughness and metallic as glTF 2.0 has them, anisor is a share of a whole turn.
    material = mtl(tmp_path, PHYSICAL)
    assert material.model == "metal_rough"
    assert material.findings == ()
    assert material.parameters() == approx_of(
        {
            "base_color": (0.4, 0.3, 0.2), "roughness": 0.3, "metallic": 1.0, "sheen_color": (0.2, 0.2, 0.2), "clearcoat": 0.5,
            "clearcoat_roughness": 0.1, "anisotropy_strength": 0.4, "anisotropy_rotation": np.pi / 2, "ior": 1.4,
            "emissive": (0.0, 0.1, 0.0),
        }
    )  # fmt: skip


def approx_of(values: dict[str, Any]) -> dict[str, Any]:
    return {name: approx(value) for name, value in values.items()}


def test_physically_based_statements_win_over_a_highlight_beside_them(tmp_path: Path) -> None:
    material = mtl(tmp_path, "Kd 0.4 0.3 0.2\nKs 0.5 0.5 0.5\nNs 60\nillum 2\nPr 0.3\nmap_Pr m.png\nmap_d m.png\nmap_bump m.png\n")
    assert [finding.code for finding in material.findings] == ["second-workflow"]
    assert material.parameters()["metallic"] == 0.0
    roughness = material.values["roughness"]
    assert isinstance(roughness, Map)
    assert roughness.scale == 1.0  # the number stands for programs that read no maps
    assert material.parameters()["alpha_mode"] == 2
    assert isinstance(material.values["normal"], Computed)  # glTF's model has no heights
    assert convert(material, "open_pbr").material.model == "open_pbr"


def test_a_colour_by_cie_xyz(tmp_path: Path) -> None:
    # IEC 61966-2-1: the white of Rec.709 is D65, XYZ (0.9505, 1, 1.089); its red primary (0.4124, 0.2126, 0.0193).
    assert mtl(tmp_path, "Kd xyz 0.4752 0.5 0.5445\n").parameters()["diffuse"] == approx((0.5, 0.5, 0.5), abs=2e-3)
    assert mtl(tmp_path, "Kd xyz 0.4124 0.2126 0.0193\n").parameters()["diffuse"] == approx((1.0, 0.0, 0.0), abs=2e-3)


def test_transparency_is_what_dissolve_leaves_and_dissolve_holds(tmp_path: Path) -> None:
    assert mtl(tmp_path, "Tr 0.3\n").parameters()["dissolve"] == approx(0.7)
    assert mtl(tmp_path, "Tr 0.9\nd 0.4\n").parameters()["dissolve"] == mtl(tmp_path, "d 0.4\nTr 0.9\n").parameters()["dissolve"] == 0.4
    assert [finding.code for finding in mtl(tmp_path, "Tr 1\n").findings] == ["transparency-may-be-dissolve"]


@pytest.mark.parametrize(
    ("statements", "codes"),
    [
        ("d -halo 0.3\n", ["option-not-read"]),
        ("map_Kd -texres 512 m.png\n", []),
        ("map_Kd -boost 2 m.png\n", ["option-not-read"]),
        ("Pr 0.5\nrefl m.png\n", ["not-read"]),
    ],
)
def test_what_a_statement_says_beyond_what_is_read(statements: str, codes: list[str], tmp_path: Path) -> None:
    assert [finding.code for finding in mtl(tmp_path, statements).findings] == codes


def test_sharpness_says_nothing_without_a_painted_reflection(tmp_path: Path) -> None:
    assert mtl(tmp_path, "sharpness 60\n").findings == ()
    assert [finding.code for finding in mtl(tmp_path, "sharpness 60\nrefl m.png\n").findings] == ["not-read"]


@pytest.mark.parametrize(
    ("statement", "parameter", "expected"),
    [
        ("Ka 0.1 0.2 0.3", "ambient", (0.1, 0.2, 0.3)),
        ("Kd 0.5", "diffuse", (0.5, 0.5, 0.5)),
        ("Ks 1 1 1", "specular", (1.0, 1.0, 1.0)),
        ("Ke 2 0 0", "emission", (2.0, 0.0, 0.0)),
        ("Tf 0.9 0.9 1", "filter", (0.9, 0.9, 1.0)),
        ("Ns 250", "exponent", 250.0),
        ("Ni 1.45", "ior", 1.45),
        ("d 0.4", "dissolve", 0.4),
        ("Tr 0.4", "dissolve", 0.6),
        ("d -halo 0.3", "dissolve", 0.3),
        ("illum 5", "illum", 5),
        ("Kd\t0.1\t0.2\t0.3", "diffuse", (0.1, 0.2, 0.3)),
        ("Kd 0.1 \\\n 0.2 0.3", "diffuse", (0.1, 0.2, 0.3)),
        ("Ns 7 # comment", "exponent", 7.0),
    ],
)
def test_each_statement_of_the_format_is_read(tmp_path: Path, statement: str, parameter: str, expected: Any) -> None:
    # MTL material file format, 1995. Tr is 1 − d (common practice).
    assert mtl(tmp_path, statement + "\n").parameters()[parameter] == approx(expected)


@pytest.mark.parametrize(
    ("statement", "parameter", "channels", "encoding"),
    [
        ("map_Kd m.png", "diffuse", "rgb", "srgb"),
        ("map_Ks m.png", "specular", "rgb", "srgb"),
        ("map_Ns m.png", "exponent", "r", "linear"),
        ("map_d m.png", "dissolve", "a", "linear"),
        ("map_bump -bm 0.5 m.png", "bump", "r", "linear"),
        ("bump -imfchan g m.png", "bump", "g", "linear"),
        ("norm m.png", "normal", "rgb", "normal"),
        ("refl -type sphere m.png", "reflection_image", "rgb", "srgb"),
    ],
)
def test_each_map_statement_is_read(tmp_path: Path, statement: str, parameter: str, channels: str, encoding: str) -> None:
    value = mtl(tmp_path, statement + "\n").values[parameter]
    assert isinstance(value, Map)
    assert (value.channels, value.encoding) == (channels, encoding)


def test_map_without_a_stated_exponent_says_what_is_assumed(tmp_path: Path) -> None:
    material = mtl(tmp_path, "map_Ns m.png\n")
    assert [finding.code for finding in material.findings] == ["exponent-assumed"]


# Meshes and paths


def test_obj_faces_become_triangles_with_upright_uvs(tmp_path: Path) -> None:
    text = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nusemtl a\nf 1/1 2/2 3/3 4/4\nusemtl b\nf -4 -3 -2\n"
    (tmp_path / "m.obj").write_text(text)
    quad, triangle = read_meshes(tmp_path / "m.obj")
    assert (quad.material, len(quad.triangles), triangle.material, len(triangle.triangles)) == ("a", 2, "b", 1)
    np.testing.assert_allclose(quad.normals, np.tile([0, 0, 1], (4, 1)), atol=1e-6)
    corner = quad.positions.tolist().index([0.0, 0.0, 0.0])
    assert quad.uvs[corner].tolist() == [0.0, 1.0]


@pytest.mark.parametrize("face", ["f 1 2 9", "f 1 2 x", "f 1 2 0/5/"])
def test_broken_face_names_its_line(tmp_path: Path, face: str) -> None:
    (tmp_path / "m.obj").write_text(f"v 0 0 0\nv 1 0 0\nv 1 1 0\n{face}\n")
    with pytest.raises(BrokenFileError, match="line 4"):
        read_meshes(tmp_path / "m.obj")


def test_moved_maps_are_found_by_name_inside_the_upload_only(tmp_path: Path) -> None:
    home = tmp_path / "upload"
    (home / "textures").mkdir(parents=True)
    (home / "textures" / "a b.png").write_bytes(b"x")
    (tmp_path / "secret.png").write_bytes(b"x")
    assert resolve("C:\\old\\disk\\a b.png", home, home) == Found((home / "textures" / "a b.png").resolve(), moved=True)
    assert resolve("textures/a%20b.png", home, home) == Found((home / "textures" / "a b.png").resolve(), moved=False)
    with pytest.raises(UnsafePathError):
        resolve("../secret.png", home, home)
    with pytest.raises(MissingFileError):
        resolve("gone.png", home, home)


def test_a_link_out_of_the_upload_is_not_followed(tmp_path: Path) -> None:
    home = tmp_path / "upload"
    home.mkdir()
    (tmp_path / "secret.png").write_bytes(b"x")
    (home / "innocent.png").symlink_to(tmp_path / "secret.png")
    with pytest.raises((UnsafePathError, MissingFileError)):
        resolve("innocent.png", home, home)


def test_file_names_are_safe_and_never_the_same_twice() -> None:
    taken: set[str] = set()
    names = [safe_name(name, taken) for name in ("a/b", "a b", "A_B", "../..", "ツタ", "")]
    assert names == ["a_b", "a_b_2", "A_B_3", "material", "ツタ", "material_2"]


def test_materialx_graph_through_scale_and_channel_is_read(tmp_path: Path) -> None:
    write_png(tmp_path / "m.png", np.full((4, 4, 4), 0.5))
    (tmp_path / "m.mtlx").write_text("""<?xml version="1.0"?>
<materialx version="1.39">
  <image name="i" type="color3"><input name="file" type="filename" value="m.png" colorspace="srgb_texture"/></image>
  <extract name="e" type="float"><input name="in" type="color3" nodename="i"/><input name="index" type="integer" value="1"/></extract>
  <multiply name="x" type="float"><input name="in1" type="float" nodename="e"/><input name="in2" type="float" value="0.5"/></multiply>
  <noise2d name="n" type="float"/>
  <open_pbr_surface name="s" type="surfaceshader">
    <input name="base_color" type="color3" nodename="i"/>
    <input name="specular_roughness" type="float" nodename="x"/>
    <input name="coat_weight" type="float" nodename="n"/>
    <input name="base_metalness" type="float" value="0.25"/>
  </open_pbr_surface>
  <surfacematerial name="m" type="material"><input name="surfaceshader" type="surfaceshader" nodename="s"/></surfacematerial>
</materialx>""")
    material = read(tmp_path / "m.mtlx")[0]
    colour, roughness = material.values["base_color"], material.values["specular_roughness"]
    assert isinstance(colour, Map)
    assert isinstance(roughness, Map)
    assert (colour.channels, colour.encoding) == ("rgb", "srgb")
    assert (roughness.channels, roughness.scale, roughness.encoding) == ("g", 0.5, "linear")
    assert material.parameters() == {"base_metalness": 0.25}
    assert [finding.parameter for finding in material.findings] == ["coat_weight"]
