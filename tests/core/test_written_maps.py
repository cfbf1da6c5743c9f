"""What maps look like when they are written: kept as they are where they fit, baked where they do not."""

from __future__ import annotations

import json
import struct
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio
import pytest
from pytest import approx

from fenrain.core import MapLimits, Material, Profile, convert, read, write
from fenrain.core.maps.bake import Channel, Picture, bake, baked_map
from fenrain.core.maps.image import inspect, write_png
from fenrain.core.maps.texels import Grid, Texels, grid_of, small_grid, transformed
from fenrain.core.values import Constant, Image, Map, Placement


def picture(folder: Path, name: str = "p.png", size: int = 16, channels: int = 3, seed: int = 0) -> Image:
    write_png(folder / name, np.random.default_rng(seed).random((size, size, channels)))
    return Image(name, folder / name)


def document_of(path: Path) -> tuple[dict[str, Any], bytes]:
    data = path.read_bytes()
    length = struct.unpack("<I", data[12:16])[0]
    return json.loads(data[20 : 20 + length]), data[28 + length :]


def image_bytes(document: dict[str, Any], binary: bytes, texture: dict[str, Any]) -> bytes:
    view = document["bufferViews"][document["images"][document["textures"][texture["index"]]["source"]]["bufferView"]]
    return binary[view["byteOffset"] : view["byteOffset"] + view["byteLength"]]


def pixels(path: Path) -> np.ndarray:
    return np.asarray(oiio.ImageBuf(str(path)).get_pixels(oiio.FLOAT))


def test_a_map_that_fits_is_not_touched(tmp_path: Path) -> None:
    base, normal = picture(tmp_path, "base.png"), picture(tmp_path, "normal.png", seed=1)
    material = Material.of(
        "m",
        "metal_rough",
        {"base_color": Map(base, "rgb", "srgb", scale=(0.5, 0.6, 0.7)), "normal": Map(normal, "rgb", "normal", scale=0.4)},
    )
    document, binary = document_of(write([material], tmp_path / "o.glb", "gltf")[0])
    entry = document["materials"][0]
    assert image_bytes(document, binary, entry["pbrMetallicRoughness"]["baseColorTexture"]) == base.read()
    assert entry["pbrMetallicRoughness"]["baseColorFactor"] == [0.5, 0.6, 0.7, 1.0]
    assert image_bytes(document, binary, entry["normalTexture"]) == normal.read()
    assert entry["normalTexture"]["scale"] == 0.4


def test_one_packed_image_serves_every_slot_that_it_holds(tmp_path: Path) -> None:
    packed = picture(tmp_path)
    values = {"occlusion": Map(packed, "r"), "roughness": Map(packed, "g"), "metallic": Map(packed, "b")}
    document, binary = document_of(write([Material.of("m", "metal_rough", values)], tmp_path / "o.glb", "gltf")[0])
    entry = document["materials"][0]
    assert len(document["images"]) == 1
    assert entry["occlusionTexture"]["index"] == entry["pbrMetallicRoughness"]["metallicRoughnessTexture"]["index"]
    assert image_bytes(document, binary, entry["occlusionTexture"]) == packed.read()


def test_two_materials_with_one_map_share_it(tmp_path: Path) -> None:
    image = picture(tmp_path)
    materials = [Material.of(name, "spec_gloss", {"diffuse": Map(image, "rgb", "srgb"), "specular": (0.04,) * 3}) for name in ("a", "b")]
    document, _ = document_of(write([convert(m, "metal_rough").material for m in materials], tmp_path / "o.glb", "gltf")[0])
    assert len(document["images"]) == 1


def test_tiling_is_kept_as_a_transform_or_baked_where_there_is_none(tmp_path: Path) -> None:
    # KHR_texture_transform; core glTF has no transform, so the tiles are drawn out.
    tiled = Map(picture(tmp_path), "rgb", "srgb", placement=Placement(scale=(3.0, 2.0)))
    material = Material.of("m", "metal_rough", {"base_color": tiled})
    document, _ = document_of(write([material], tmp_path / "a.glb", "gltf")[0])
    reference = document["materials"][0]["pbrMetallicRoughness"]["baseColorTexture"]
    assert reference["extensions"]["KHR_texture_transform"]["scale"] == [3.0, 2.0]
    assert document["extensionsUsed"] == ["KHR_texture_transform"]
    core = write([material], tmp_path / "b.glb", "gltf", None, Profile("core"))[0]
    value = read(core)[0].values["base_color"]
    assert isinstance(value, Map)
    assert (inspect(value.image).width, inspect(value.image).height) == (48, 32)
    document, _ = document_of(core)
    assert "extensionsUsed" not in document


def test_profile_limits_the_edge_of_maps(tmp_path: Path) -> None:
    # Common practice: a lean real-time target takes maps up to 512 × 512.
    material = Material.of("m", "metal_rough", {"base_color": Map(picture(tmp_path, size=64), "rgb", "srgb")})
    value = read(write([material], tmp_path / "o.glb", "gltf", None, Profile("lean", maps=MapLimits(16)))[0])[0].values["base_color"]
    assert isinstance(value, Map)
    assert inspect(value.image).width == 16


def test_the_asset_keeps_its_meshes_and_loses_what_it_no_longer_needs(heron_lode: Path, tmp_path: Path) -> None:
    from fenrain.demo.heron_lode import ENGINE_HOUSE

    before, _ = document_of(heron_lode / ENGINE_HOUSE)
    plain = [Material(m.name, "metal_rough", {}, m.geometry, m.source) for m in read(heron_lode / ENGINE_HOUSE)]
    after, _ = document_of(write(plain, tmp_path / "o.glb", "gltf", heron_lode / ENGINE_HOUSE)[0])
    assert [mesh["name"] for mesh in after["meshes"]] == [mesh["name"] for mesh in before["meshes"]]
    assert [node.get("translation") for node in after["nodes"]] == [node.get("translation") for node in before["nodes"]]
    assert "images" not in after
    assert len(after["bufferViews"]) == len(after["accessors"])


def test_deep_maps_stay_deep(tmp_path: Path) -> None:
    spec = oiio.ImageSpec(8, 8, 3, "uint16")
    output = oiio.ImageOutput.create("png")
    output.open(str(tmp_path / "deep.png"), spec)
    output.write_image(np.arange(192, dtype=np.uint16).reshape(8, 8, 3) * 300)
    output.close()
    material = Material.of("m", "open_pbr", {"specular_roughness": Map(Image("deep.png", tmp_path / "deep.png"), "r")})
    written = write([material], tmp_path / "o.mtlx", "materialx")
    assert inspect(Image(written[1].name, written[1])).depth == "uint16"


def test_values_beyond_one_are_written_as_half_floats(tmp_path: Path) -> None:
    index = Map(picture(tmp_path), "r", scale=1.5, bias=1.0)
    written = write([Material.of("m", "open_pbr", {"specular_ior": index})], tmp_path / "o.mtlx", "materialx")
    assert written[1].suffix == ".exr"
    grid = grid_of([index])
    with Texels(grid) as texels:
        np.testing.assert_allclose(pixels(written[1])[..., 0], np.asarray(texels.at(index, 0, grid.height))[..., 0], atol=2e-3)


def test_normal_strength_scales_slopes_and_keeps_length(tmp_path: Path) -> None:
    # glTF 2.0 §3.9.3: scaledNormal = normalise((sampled · 2 − 1) · (s, s, 1)); 0 is flat, below 0 turns the relief inside out.
    write_png(tmp_path / "n.png", np.full((2, 2, 3), [0.8, 0.5, 0.9]))
    image = Image("n.png", tmp_path / "n.png")
    slopes = []
    for strength in (1.0, 0.5, 0.0, -1.0):
        with Texels(Grid(2, 2)) as texels:
            normal = texels.at(Map(image, "rgb", "normal", scale=strength), 0, 2)[0, 0]
        assert np.linalg.norm(normal) == approx(1.0, abs=1e-6)
        slopes.append(normal[0] / normal[2])
    assert slopes[1] == approx(slopes[0] / 2, rel=1e-5)
    assert slopes[2] == approx(0.0, abs=1e-6)
    assert slopes[3] == approx(-slopes[0], rel=1e-5)


def test_baked_channels_come_out_in_their_order(tmp_path: Path) -> None:
    channels = tuple(Channel(Constant(value)) for value in (0.2, 0.4, 0.6, 0.8))
    bake([Picture(tmp_path / "o.png", channels)], Grid(3, 2))
    assert pixels(tmp_path / "o.png").shape == (2, 3, 4)
    raw = Map(Image("o.png", tmp_path / "o.png"), "rgb")
    with Texels(Grid(3, 2)) as texels:
        assert texels.at(raw, 0, 2)[1, 2] == approx([0.2, 0.4, 0.6], abs=0.002)
        assert texels.at(Map(raw.image, "a"), 0, 2)[0, 0] == approx([0.8], abs=0.002)


def test_gain_is_undone_by_the_factor_beside_the_map(tmp_path: Path) -> None:
    exponent = Map(picture(tmp_path), "r", scale=1000.0)
    made = baked_map(exponent, 1, "linear", tmp_path / "e.png", gain=1 / 1000.0)
    with Texels(Grid(16, 16)) as texels:
        ours, theirs = texels.at(made, 0, 16), texels.at(exponent, 0, 16)
    np.testing.assert_allclose(ours * 1000.0, theirs, atol=2.5)


def test_levels_apply_after_decoding(tmp_path: Path) -> None:
    write_png(tmp_path / "g.png", np.full((2, 2, 3), 0.5))
    inverted = Map(Image("g.png", tmp_path / "g.png"), "r", scale=-1.0, bias=1.0)
    with Texels(Grid(2, 2)) as texels:
        assert texels.at(inverted, 0, 2)[0, 0, 0] == approx(0.5, abs=0.002)


def test_grey_image_serves_every_colour_channel_and_has_an_opaque_alpha(tmp_path: Path) -> None:
    write_png(tmp_path / "g.png", np.full((2, 2, 1), 0.25))
    image = Image("g.png", tmp_path / "g.png")
    with Texels(Grid(2, 2)) as texels:
        assert texels.at(Map(image, "rgb"), 0, 2)[0, 0] == approx([0.25] * 3, abs=0.003)
        assert texels.at(Map(image, "a"), 0, 2)[0, 0] == approx([1.0])


@pytest.mark.parametrize(("rotation", "expected"), [(0.0, (0.25, 0.5)), (np.pi / 2, (0.5, -0.25)), (np.pi, (-0.25, -0.5))])
def test_transform_turns_as_the_extension_says(rotation: float, expected: tuple[float, float]) -> None:
    # KHR_texture_transform: uv' = T · R · S · uv with R = [[c, s], [−s, c]].
    assert transformed(Placement(rotation=rotation), 0.25, 0.5) == approx(expected, abs=1e-12)


def test_maps_of_different_sizes_meet_on_the_larger_grid(tmp_path: Path) -> None:
    small, large = Map(picture(tmp_path, "s.png", 8), "r"), Map(picture(tmp_path, "l.png", 32), "r")
    assert (grid_of([small, large]).width, grid_of([small, large], 16).width) == (32, 16)
    assert small_grid([large]).width == 32
    assert grid_of([Constant(1.0)]) == Grid(1, 1)


def test_averaging_is_done_in_linear_light(tmp_path: Path) -> None:
    # A checker of black and white averages to 0.5 linear, which is encoded as 188, not as 128.
    checker = np.indices((16, 16)).sum(axis=0) % 2
    write_png(tmp_path / "c.png", np.repeat(checker[..., None], 3, axis=2).astype(float))
    with Texels(Grid(4, 4)) as texels:
        centre = texels.at(Map(Image("c.png", tmp_path / "c.png"), "rgb", "srgb"), 0, 4)[1:3, 1:3]
    assert centre.mean() == approx(0.5, abs=0.02)
