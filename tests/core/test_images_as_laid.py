"""Images beyond their edges: repeated, mirrored, clamped, placed once; blended or not. Read, drawn, converted and written."""

from __future__ import annotations

import json
import re
import struct
from dataclasses import replace
from itertools import product
from pathlib import Path
from typing import Any

import MaterialX as mx
import numpy as np
import pytest
from pxr import Usd, UsdShade

from fenrain.core import convert, read, write
from fenrain.core.conversion.engine import Conversion
from fenrain.core.maps import openimageio as oiio
from fenrain.core.maps.image import inspect, write_linear, write_png
from fenrain.core.maps.texels import Grid, sampled
from fenrain.core.material import Material
from fenrain.core.models.target import Profile
from fenrain.core.rendering.engine import dr, mi
from fenrain.core.rendering.textures import Texture
from fenrain.core.values import Image, Map, Placement, Wrap

ROW = (0.1, 0.3, 0.6, 0.9)
"""Four texels in a row, a, b, c, d."""
BEYOND = {
    # OpenGL 4.6 §8.14.2: which texel of a row of four is seen at each of twelve steps, from one image before the first texel on.
    Wrap.REPEAT: "abcdabcdabcd",
    Wrap.MIRROR: "dcbaabcddcba",
    Wrap.CLAMP: "aaaaabcddddd",
    Wrap.BLACK: "....abcd....",
}
CODES = {10497: Wrap.REPEAT, 33648: Wrap.MIRROR, 33071: Wrap.CLAMP}
"""glTF 2.0 §5.26."""


def row_of(wrap: Wrap) -> list[float]:
    return [dict(zip("abcd.", (*ROW, 0.0), strict=True))[letter] for letter in BEYOND[wrap]]


@pytest.mark.parametrize("wrap", Wrap)
def test_texels_beyond_the_edges_are_those_that_the_standard_names(wrap: Wrap) -> None:
    x = (np.arange(12) + 0.5) / 4 - 1.0
    texels = np.array(ROW, np.float32).reshape(1, 4, 1)
    for smooth in (True, False):  # at the middle of a texel both are the texel
        across = sampled(texels, Placement(wrap=(wrap, Wrap.CLAMP), smooth=smooth), x, np.full(12, 0.5))
        assert across[:, 0] == pytest.approx(row_of(wrap), abs=1e-6)
        down = sampled(texels.reshape(4, 1, 1), Placement(wrap=(Wrap.CLAMP, wrap), smooth=smooth), np.full(12, 0.5), x)
        assert down[:, 0] == pytest.approx(row_of(wrap), abs=1e-6)


def test_texels_are_blended_or_the_nearest_is_seen() -> None:
    texels = np.array([0.0, 1.0], np.float32).reshape(1, 2, 1)
    x, y = np.array([0.25, 0.4, 0.5, 0.6]), np.full(4, 0.5)
    assert sampled(texels, Placement(wrap=(Wrap.CLAMP, Wrap.CLAMP)), x, y)[:, 0] == pytest.approx([0.0, 0.3, 0.5, 0.7])
    assert list(sampled(texels, Placement(smooth=False), x, y)[:, 0]) == [0.0, 0.0, 1.0, 1.0]


def drawn(value: Placement, u: np.ndarray, v: np.ndarray, texels: np.ndarray) -> np.ndarray:
    place = dr.zeros(mi.SurfaceInteraction3f, len(u))
    place.uv = mi.Point2f(mi.Float(u.astype(np.float32)), mi.Float(v.astype(np.float32)))
    return np.array(Texture(texels, Grid(texels.shape[1], texels.shape[0], value)).eval_1(place))


@pytest.mark.parametrize(("across", "down"), list(product((Wrap.REPEAT, Wrap.MIRROR, Wrap.CLAMP), repeat=2)))
def test_pictures_go_on_as_the_standard_says_along_both_axes(across: Wrap, down: Wrap) -> None:
    texels = np.outer(ROW, ROW).astype(np.float32)[..., None]
    places = (np.arange(12) + 0.5) / 4 - 1.0
    u, v = (axis.ravel() for axis in np.meshgrid(places, places))
    for smooth in (True, False):
        found = drawn(Placement(wrap=(across, down), smooth=smooth), u, v, texels).reshape(12, 12)
        assert found == pytest.approx(np.outer(row_of(down), row_of(across)), abs=1e-5)


def test_a_placed_picture_goes_on_where_its_image_ends() -> None:
    # KHR_texture_transform: uv' = offset + R(rotation) · (scale · uv); a quarter turn brings u to −v.
    texels = np.tile(np.array(ROW, np.float32), (4, 1))[..., None]
    u = (np.arange(12) + 0.5) / 4 - 1.0
    tiled = Placement((0.25, 0.0), 0.0, (2.0, 1.0), (Wrap.CLAMP, Wrap.REPEAT))
    shown = drawn(tiled, (u - 0.25) / 2.0, np.full(12, 0.3), texels)
    assert shown == pytest.approx(row_of(Wrap.CLAMP), abs=1e-5)
    turned = Placement(rotation=np.pi / 2, wrap=(Wrap.MIRROR, Wrap.CLAMP))
    assert drawn(turned, np.full(12, 0.3), u, texels) == pytest.approx(row_of(Wrap.MIRROR), abs=1e-5)


# Files


def picture(folder: Path, name: str = "row.png", *, exr: bool = False) -> Image:
    path = folder / name
    texels = np.tile(np.array(ROW, np.float32)[None, :, None], (4, 1, 3))
    (write_linear if exr else write_png)(path, texels)
    return Image(name, path)


def glb(path: Path) -> tuple[dict[str, Any], bytes]:
    data = path.read_bytes()
    length = struct.unpack("<I", data[12:16])[0]
    return json.loads(data[20 : 20 + length]), data[28 + length :]


def words_of(conversion: Conversion) -> str:
    return " ".join(step.text for entry in conversion.ledger for step in entry.steps)


def base_map(path: Path, name: str) -> Map:
    (material,) = read(path)
    value = material.value(name)
    assert isinstance(value, Map)
    return value


def base_placement(path: Path, name: str) -> Placement:
    return base_map(path, name).placement


BASE = {
    "open_pbr": "base_color",
    "standard_surface": "base_color",
    "metal_rough": "base_color",
    "preview": "diffuseColor",
    "exponent": "diffuse",
}
WAYS = (*product((Wrap.REPEAT, Wrap.MIRROR, Wrap.CLAMP), repeat=2), (Wrap.BLACK, Wrap.BLACK), (Wrap.BLACK, Wrap.REPEAT))
FORMATS = {".mtlx": "materialx", ".glb": "gltf", ".usda": "usd", ".mtl": "mtl"}
FILES = {"open_pbr": ".mtlx", "standard_surface": ".mtlx", "metal_rough": ".glb", "preview": ".usda", "exponent": ".mtl"}


@pytest.mark.parametrize("model", FILES)
def test_files_keep_how_an_image_goes_on_or_say_that_they_cannot(model: str, tmp_path: Path) -> None:
    for across, down in WAYS:
        asked = Placement(wrap=(across, down))
        value = Map(picture(tmp_path), "rgb", "srgb", placement=asked)
        conversion = convert(Material.of("gate", "open_pbr", {"base_color": value}), model)
        said = "beyond" in words_of(conversion)
        path = tmp_path / f"{across}_{down}{FILES[model]}"
        write([conversion.material], path, FORMATS[path.suffix])
        found, info = base_placement(path, BASE[model]), inspect(base_map(path, BASE[model]).image)
        if FILES[model] == ".mtl" and {across, down} not in ({Wrap.REPEAT}, {Wrap.CLAMP}, {Wrap.BLACK}):
            assert said
            assert found.wrap == (Wrap.REPEAT, Wrap.REPEAT)
            continue
        assert not said
        for asks, has, size in zip(asked.wrap, found.wrap, (info.width, info.height), strict=True):
            # What is placed once may be clamped instead, with a black texel around it.
            assert (has, size) == (asks, 4) or (asks, has, size) == (Wrap.BLACK, Wrap.CLAMP, 6)


def test_texels_that_stay_apart_do_so_in_files_or_are_said_not_to(tmp_path: Path) -> None:
    value = Map(picture(tmp_path), "rgb", "srgb", placement=Placement(smooth=False))
    for model, suffix in FILES.items():
        conversion = convert(Material.of("gate", "open_pbr", {"base_color": value}), model)
        path = tmp_path / f"apart{suffix}"
        write([conversion.material], path, FORMATS[path.suffix])
        said = "blends the texels" in words_of(conversion)
        assert base_placement(path, BASE[model]).smooth is said is (suffix in (".usda", ".mtl"))


def test_formats_own_libraries_find_what_was_written(tmp_path: Path) -> None:
    placement = Placement(wrap=(Wrap.MIRROR, Wrap.CLAMP), smooth=False)
    value = Map(picture(tmp_path), "rgb", "srgb", placement=placement)
    for model in ("open_pbr", "preview", "metal_rough"):
        write(
            [convert(Material.of("gate", "open_pbr", {"base_color": value}), model).material],
            tmp_path / f"own{FILES[model]}",
            FORMATS[FILES[model]],
        )
    document = mx.createDocument()
    mx.readFromXmlFile(document, str(tmp_path / "own.mtlx"))
    (node,) = document.getNodeGraphs()[0].getNodes("image")
    assert [node.getInputValue(name) for name in ("uaddressmode", "vaddressmode", "filtertype")] == ["mirror", "clamp", "closest"]
    stage = Usd.Stage.Open(str(tmp_path / "own.usda"))
    (texture,) = [shader for prim in stage.Traverse() if (shader := UsdShade.Shader(prim)).GetShaderId() == "UsdUVTexture"]
    assert [texture.GetInput(name).Get() for name in ("wrapS", "wrapT")] == ["mirror", "clamp"]
    sampler = glb(tmp_path / "own.glb")[0]["samplers"][0]
    assert (CODES[sampler["wrapS"]], CODES[sampler["wrapT"]], sampler["magFilter"]) == (Wrap.MIRROR, Wrap.CLAMP, 9728)


def test_what_is_placed_once_ends_in_gltf_too(tmp_path: Path) -> None:
    # A sticker over the left half, the upper third: glTF has no border, so that black texels around the image go on instead.
    once = Placement((0.0, 0.0), 0.0, (2.0, 3.0), (Wrap.BLACK, Wrap.BLACK))
    material = Material.of("gate", "metal_rough", {"emissive": Map(picture(tmp_path), "rgb", "srgb", placement=once)})
    path = tmp_path / "sticker.glb"
    write([material], path, "gltf")
    document, binary = glb(path)
    view = document["bufferViews"][document["images"][0]["bufferView"]]
    (tmp_path / "found.png").write_bytes(binary[view["byteOffset"] : view["byteOffset"] + view["byteLength"]])
    texels = oiio.ImageBuf(str(tmp_path / "found.png")).get_pixels(oiio.FLOAT)[..., 0]
    height, width = texels.shape
    sampler = document["samplers"][document["textures"][0]["sampler"]]
    assert sampler["wrapS"] == sampler["wrapT"] == 33071
    block = document["materials"][0]["emissiveTexture"]["extensions"]["KHR_texture_transform"]
    for u, v, expected in (
        (0.3125, 0.1, ROW[2]),
        (0.4375, 0.3, ROW[3]),
        (0.6, 0.1, 0.0),
        (0.9, 0.1, 0.0),
        (0.2, 0.5, 0.0),
        (-0.3, 0.1, 0.0),
    ):
        x, y = block["offset"][0] + block["scale"][0] * u, block["offset"][1] + block["scale"][1] * v
        column, line = np.clip(int(np.floor(x * width)), 0, width - 1), np.clip(int(np.floor(y * height)), 0, height - 1)
        assert texels[line, column] == pytest.approx(expected, abs=0.003)


def test_words_and_numbers_that_mean_nothing_are_said(tmp_path: Path) -> None:
    picture(tmp_path)
    document: dict[str, Any] = {
        "asset": {"version": "2.0"},
        "images": [{"uri": "row.png"}],
        "textures": [{"source": 0, "sampler": 0}],
        "materials": [{"name": "gate", "pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}],
    }

    def unread(name: str, text: str) -> set[str]:
        (tmp_path / name).write_text(text)
        (material,) = read(tmp_path / name)
        return {finding.code for finding in material.findings if finding.unread}

    for sampler, expected in (({"wrapS": 33071}, set()), ({"wrapS": 1}, {"bad-value"}), ({"magFilter": "soft"}, {"bad-value"})):
        assert unread("gate.gltf", json.dumps(document | {"samplers": [sampler]})) == expected
    assert unread("gate.gltf", json.dumps(document)) != set(), "there is no such sampler"

    write(
        [Material.of("gate", "open_pbr", {"base_color": Map(Image("row.png", tmp_path / "row.png"), "rgb", "srgb")})],
        tmp_path / "gate.mtlx",
        "materialx",
    )
    text = (tmp_path / "gate.mtlx").read_text()
    file = re.search(r'<input name="file"[^>]*/>', text)
    assert file is not None
    for mode, expected in (("clamp", set()), ("cramp", {"bad-value"})):
        wrapped = text.replace(file[0], f'{file[0]}<input name="uaddressmode" type="string" value="{mode}"/>')
        assert unread("gate.mtlx", wrapped) == expected
    outside = '<input name="uaddressmode" type="string" value="constant"/><input name="default" type="color3" value="1, 0, 0"/>'
    assert unread("gate.mtlx", text.replace(file[0], file[0] + outside)) == {"wrap-not-read"}

    for option, expected in (("-clamp on", set()), ("-clamp off", set()), ("-clamp maybe", {"option-not-read"})):
        assert unread("gate.mtl", f"newmtl gate\nmap_Kd {option} row.png\n") == expected
    (material,) = read(tmp_path / "gate.mtl")
    assert isinstance(material.value("diffuse"), Map)


def test_gltf_without_transforms_says_what_its_edges_do(tmp_path: Path) -> None:
    once = Map(picture(tmp_path), "rgb", "srgb", placement=Placement(wrap=(Wrap.BLACK, Wrap.BLACK)))
    conversion = convert(Material.of("gate", "open_pbr", {"base_color": once}), "metal_rough", profile=Profile("core"))
    assert "by its outermost texels, not in black" in words_of(conversion)
    assert replace(once.placement, wrap=(Wrap.CLAMP, Wrap.CLAMP)) == conversion.material.value("base_color").placement  # type: ignore[union-attr]
