"""Colour spaces by tag, by name and by slot, against colour-science (IEC 61966-2-1, ACES S-2014-004, SMPTE EG 432-1)."""

from __future__ import annotations

from pathlib import Path

import colour
import MaterialX as mx
import numpy as np
import OpenImageIO as oiio
import pytest
from pxr import Sdf, Usd, UsdShade
from pytest import approx

from fenrain.core import Material, read
from fenrain.core.checking.input_findings.registry import with_findings
from fenrain.core.corrections import Correction, apply_corrections
from fenrain.core.maps.colour_spaces import encoding_called, named_in, to_linear
from fenrain.core.maps.texels import Texels, grid_of
from fenrain.core.values import Image, Map, Value

COLOURS = np.random.default_rng(5).uniform(0.05, 0.95, (8, 8, 3)).astype(np.float32)
SPACES = {
    "acescg": ("ACEScg", False),
    "lin_p3d65": ("Display P3", False),
    "lin_rec2020": ("ITU-R BT.2020", False),
    "srgb_texture": ("sRGB", True),
}


def expected(space: str) -> np.ndarray:
    name, decode = SPACES[space]
    return np.asarray(
        colour.RGB_to_RGB(COLOURS, colour.RGB_COLOURSPACES[name], colour.RGB_COLOURSPACES["sRGB"], "Bradford", apply_cctf_decoding=decode)
    )


def written(path: Path, colours: np.ndarray = COLOURS) -> Image:
    output = oiio.ImageOutput.create(str(path))
    assert output.open(str(path), oiio.ImageSpec(8, 8, 3, "float"))
    assert output.write_image(colours)
    output.close()
    return Image(path.name, path)


def texels_of(value: Value) -> np.ndarray:
    with Texels(grid_of([value])) as texels:
        return np.asarray(texels.at(value, 0, 8))


@pytest.mark.parametrize("space", SPACES)
def test_colours_of_a_space_are_those_of_colour_science(space: str) -> None:
    encoding = encoding_called(space)
    assert encoding is not None
    np.testing.assert_allclose(to_linear(COLOURS, encoding), expected(space), atol=2e-3)


def test_a_power_of_2_2_is_no_srgb() -> None:
    encoding = encoding_called("g22_rec709")
    assert encoding not in ("srgb", "linear", None)
    np.testing.assert_allclose(to_linear(COLOURS, str(encoding)), COLOURS**2.2, rtol=1e-3)


def test_only_a_name_that_ends_with_a_space_says_one() -> None:
    assert named_in("rust_lin_rec709.exr") == "linear"
    assert named_in("rust-g22_rec709.png") == encoding_called("g22_rec709")
    assert [named_in(name) for name in ("straw.png", "acescg_notes.exr", "drawing_raw.exr", "plain")] == [None] * 4


def test_materialx_says_the_space_of_images_and_of_typed_colours(tmp_path: Path) -> None:
    image = written(tmp_path / "rust.exr")
    document = mx.createDocument()
    document.setDataLibrary(_libraries())
    graph = document.addNodeGraph("g")
    node = graph.addNode("image", "i", "color3")
    node.setInputValue("file", image.name, "filename")
    node.getInput("file").setColorSpace("acescg")
    graph.addOutput("out", "color3").setConnectedNode(node)
    shader = document.addNode("open_pbr_surface", "s", "surfaceshader")
    shader.addInput("base_color", "color3").setConnectedOutput(graph.getOutput("out"))
    typed = shader.setInputValue("specular_color", mx.Color3(*map(float, COLOURS[0, 0])), "color3")
    typed.setColorSpace("lin_rec2020")
    odd = shader.setInputValue("coat_color", mx.Color3(0.2, 0.3, 0.4), "color3")
    odd.setColorSpace("of_nobody")
    document.addMaterialNode("m", shader)
    mx.writeToXmlFile(document, str(tmp_path / "m.mtlx"))
    (material,) = read(tmp_path / "m.mtlx")
    value = material.value("base_color")
    assert isinstance(value, Map)
    np.testing.assert_allclose(texels_of(value), expected("acescg"), atol=2e-3)
    assert material.parameters()["specular_color"] == approx(np.clip(expected("lin_rec2020")[0, 0], 0, 1), abs=2e-3)
    assert material.parameters()["coat_color"] == approx((0.2, 0.3, 0.4))
    assert [(one.code, one.parameter) for one in material.findings] == [("unknown-colour-space", "coat_color")]


def _libraries() -> mx.Document:
    found = mx.createDocument()
    mx.loadLibraries(mx.getDefaultDataLibraryFolders(), mx.getDefaultDataSearchPath(), found)
    return found


def test_usd_says_the_space_of_a_texture_by_its_attribute(tmp_path: Path) -> None:
    image = written(tmp_path / "rust.exr")
    stage = Usd.Stage.CreateNew(str(tmp_path / "m.usda"))
    made = UsdShade.Material.Define(stage, "/m")
    surface, texture = UsdShade.Shader.Define(stage, "/m/s"), UsdShade.Shader.Define(stage, "/m/t")
    surface.CreateIdAttr("UsdPreviewSurface")
    texture.CreateIdAttr("UsdUVTexture")
    file = texture.CreateInput("file", Sdf.ValueTypeNames.Asset)
    file.Set(Sdf.AssetPath(image.name))
    file.GetAttr().SetColorSpace("lin_ap1_scene")
    texture.CreateOutput("rgb", Sdf.ValueTypeNames.Float3)
    surface.CreateInput("diffuseColor", Sdf.ValueTypeNames.Color3f).ConnectToSource(texture.ConnectableAPI(), "rgb")
    made.CreateSurfaceOutput().ConnectToSource(surface.ConnectableAPI(), "surface")
    stage.Save()
    (material,) = read(tmp_path / "m.usda")
    np.testing.assert_allclose(texels_of(material.value("diffuseColor")), expected("acescg"), atol=2e-3)


def test_a_sheet_names_the_space_of_a_map(tmp_path: Path) -> None:
    written(tmp_path / "rust.exr")
    (tmp_path / "m.json").write_text('[{"Surface": "m", "Body picture": {"file": "rust.exr", "space": "ACEScg"}}]')
    (material,) = read(tmp_path / "m.json", dialect="sedge")
    np.testing.assert_allclose(texels_of(material.value("diffuse")), expected("acescg"), atol=2e-3)


def test_a_file_that_says_its_space_by_its_name_is_read_so_in_one_action(tmp_path: Path) -> None:
    image = written(tmp_path / "rust_acescg.exr")
    read_so = with_findings(Material.of("m", "metal_rough", {"base_color": Map(image, "rgb", "linear")}))
    (found,) = [one for one in read_so.findings if one.code == "colour-space-in-name"]
    assert found.fix == {"encoding": "ACEScg"}
    mended = apply_corrections(read_so, [Correction(parameter="base_color", encoding="ACEScg")])
    np.testing.assert_allclose(texels_of(mended.value("base_color")), expected("acescg"), atol=2e-3)
    with pytest.raises(ValueError, match="no colour space"):
        Correction(parameter="base_color", encoding="of nobody")
