"""What stands in files that are written and read, statement by statement: MTL, and graphs of MaterialX."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio
import pytest
from pytest import approx

from fenrain.core import Material, read, write
from fenrain.core.maps.image import inspect, write_png
from fenrain.core.maps.texels import Texels, grid_of, transformed
from fenrain.core.values import Constant, Image, Map, Placement

DOCUMENT = (
    '<?xml version="1.0"?><materialx version="1.39">{nodes}<open_pbr_surface name="s" type="surfaceshader">{inputs}</open_pbr_surface>'
    '<surfacematerial name="m" type="material"><input name="surfaceshader" type="surfaceshader" nodename="s"/></surfacematerial>'
    "</materialx>"
)
IMAGE = '<image name="i" type="{kind}"><input name="file" type="filename" value="p.png"/></image>'


@pytest.fixture
def image(tmp_path: Path) -> Image:
    write_png(tmp_path / "p.png", np.random.default_rng(0).random((8, 8, 3)))
    return Image("p.png", tmp_path / "p.png")


def statements(material: Material, folder: Path) -> dict[str, str]:
    """The statements of a written MTL by keyword."""
    text = write([material], folder / "o.mtl", "mtl")[0].read_text()
    lines = [line.split(" ", 1) for line in text.splitlines() if line and not line.startswith("#")]
    return {line[0]: line[1] for line in lines}


def graph(folder: Path, nodes: str, inputs: str) -> Material:
    """A material of a document with these nodes, and these inputs of its surface."""
    (folder / "m.mtlx").write_text(DOCUMENT.format(nodes=nodes, inputs=inputs))
    return read(folder / "m.mtlx")[0]


# MTL


def test_an_exponent_map_has_sixteen_bits_of_the_largest_exponent(image: Image, tmp_path: Path) -> None:
    # 8 bits of 1000 are steps of 4; highlights of 10 and 14 are not the same.
    found = statements(Material.of("m", "exponent", {"exponent": Map(image, "r", scale=400.0)}), tmp_path)
    assert float(found["Ns"]) <= 400.0
    assert inspect(Image("n", tmp_path / found["map_Ns"])).depth == "uint16"


def test_bump_and_displacement_carry_their_strength(image: Image, tmp_path: Path) -> None:
    heights = Map(image, "r", scale=0.5)
    found = statements(Material.of("m", "exponent", {"bump": heights, "bump_strength": 3.0, "displacement": heights}), tmp_path)
    option, bump, _ = found["map_bump"].split()
    assert option == "-bm"
    assert float(bump) == approx(1.5, rel=0.1)
    assert float(found["disp"].split()[1]) == approx(0.5, rel=0.1)


def test_decal_and_painted_reflection_are_written(image: Image, tmp_path: Path) -> None:
    found = statements(Material.of("m", "exponent", {"decal": Map(image, "r"), "reflection_image": Map(image, "rgb", "srgb")}), tmp_path)
    assert found["refl"].startswith("-type sphere ")
    assert (tmp_path / found["decal"]).exists()


def test_tiles_are_options_and_a_rotation_is_worked_in(image: Image, tmp_path: Path) -> None:
    tiled = Placement((0.25, 0.5), 0.0, (2.0, 3.0))
    found = statements(Material.of("m", "exponent", {"diffuse": Map(image, "rgb", "srgb", placement=tiled)}), tmp_path)
    # v runs up in the format: 1 − 3 − 0.5.
    assert found["map_Kd"].startswith("-s 2 3 1 -o 0.25 -2.5 0 ")
    turned = Placement((0.0, 0.0), 0.7, (1.0, 1.0))
    found = statements(Material.of("m", "exponent", {"diffuse": Map(image, "rgb", "srgb", placement=turned)}), tmp_path)
    assert "-s" not in found["map_Kd"]


def test_a_name_that_is_changed_stands_beside(tmp_path: Path) -> None:
    text = write([Material.of("gauge / brass", "exponent", {})], tmp_path / "o.mtl", "mtl")[0].read_text()
    assert "# called “gauge / brass”" in text
    assert "newmtl gauge_brass" in text


# MaterialX


def test_a_colour_factor_scales_its_image(image: Image, tmp_path: Path) -> None:
    nodes = IMAGE.format(kind="color3") + (
        '<multiply name="f" type="color3"><input name="in1" type="color3" nodename="i"/>'
        '<input name="in2" type="color3" value="0.5, 0.25, 1"/></multiply>'
    )
    value = graph(tmp_path, nodes, '<input name="base_color" type="color3" nodename="f"/>').value("base_color")
    assert isinstance(value, Map)
    assert value.scale == approx((0.5, 0.25, 1.0))


@pytest.mark.parametrize("first", ["in1", "in2"])
def test_factor_and_summand_on_either_side(image: Image, tmp_path: Path, first: str) -> None:
    second = "in2" if first == "in1" else "in1"
    nodes = IMAGE.format(kind="float") + (
        f'<multiply name="f" type="float"><input name="{first}" type="float" nodename="i"/>'
        f'<input name="{second}" type="float" value="0.5"/></multiply>'
        f'<add name="a" type="float"><input name="{first}" type="float" nodename="f"/>'
        f'<input name="{second}" type="float" value="0.25"/></add>'
    )
    value = graph(tmp_path, nodes, '<input name="specular_roughness" type="float" nodename="a"/>').value("specular_roughness")
    assert isinstance(value, Map)
    assert (value.scale, value.bias) == approx((0.5, 0.25))


def test_a_summand_before_a_factor_is_scaled_by_it(image: Image, tmp_path: Path) -> None:
    nodes = IMAGE.format(kind="float") + (
        '<add name="a" type="float"><input name="in1" type="float" nodename="i"/><input name="in2" type="float" value="0.5"/></add>'
        '<multiply name="f" type="float"><input name="in1" type="float" nodename="a"/>'
        '<input name="in2" type="float" value="0.5"/></multiply>'
    )
    value = graph(tmp_path, nodes, '<input name="specular_roughness" type="float" nodename="f"/>').value("specular_roughness")
    assert isinstance(value, Map)
    assert (value.scale, value.bias) == approx((0.5, 0.25))


def test_a_channel_of_a_tinted_image_has_its_component_of_the_tint(image: Image, tmp_path: Path) -> None:
    nodes = IMAGE.format(kind="color3") + (
        '<multiply name="f" type="color3"><input name="in1" type="color3" nodename="i"/>'
        '<input name="in2" type="color3" value="0.5, 0.25, 1"/></multiply>'
        '<extract name="e" type="float"><input name="in" type="color3" nodename="f"/>'
        '<input name="index" type="integer" value="1"/></extract>'
    )
    value = graph(tmp_path, nodes, '<input name="specular_roughness" type="float" nodename="e"/>').value("specular_roughness")
    assert isinstance(value, Map)
    assert (value.channels, value.scale) == ("g", 0.25)


def test_a_constant_behind_factor_and_pick_is_worked_out(tmp_path: Path) -> None:
    nodes = (
        '<constant name="c" type="color3"><input name="value" type="color3" value="0.1, 0.4, 0.3"/></constant>'
        '<multiply name="f" type="color3"><input name="in1" type="color3" nodename="c"/>'
        '<input name="in2" type="color3" value="0.5, 0.5, 1"/></multiply>'
        '<extract name="e" type="float"><input name="in" type="color3" nodename="f"/>'
        '<input name="index" type="integer" value="1"/></extract>'
    )
    found = graph(tmp_path, nodes, '<input name="specular_roughness" type="float" nodename="e"/>')
    assert found.parameters()["specular_roughness"] == approx(0.2)


def test_tiles_of_a_tiledimage(image: Image, tmp_path: Path) -> None:
    # NG_tiledimage of the standard's library: texcoord × uvtiling − uvoffset, v up.
    nodes = (
        '<tiledimage name="i" type="color3"><input name="file" type="filename" value="p.png"/>'
        '<input name="uvtiling" type="vector2" value="3, 2"/><input name="uvoffset" type="vector2" value="0.25, 0.5"/></tiledimage>'
    )
    value = graph(tmp_path, nodes, '<input name="base_color" type="color3" nodename="i"/>').value("base_color")
    assert isinstance(value, Map)
    u, v = transformed(value.placement, 0.3, 1.0 - 0.7)
    assert (u, 1.0 - v) == approx((3 * 0.3 - 0.25, 2 * 0.7 - 0.5))


def test_a_constant_node_is_its_value(tmp_path: Path) -> None:
    nodes = '<constant name="c" type="color3"><input name="value" type="color3" value="0.1, 0.2, 0.3"/></constant>'
    material = graph(tmp_path, nodes, '<input name="base_color" type="color3" nodename="c"/>')
    assert material.parameters()["base_color"] == approx((0.1, 0.2, 0.3))


@pytest.mark.parametrize(
    ("nodes", "inputs", "code"),
    [
        ('<noise2d name="n" type="float"/>', '<input name="specular_roughness" type="float" nodename="n"/>', "not-read"),
        ("", '<input name="nonsense" type="float" value="1"/>', "not-read"),
        (
            '<geompropvalue name="g" type="vector2"/><image name="i" type="color3"><input name="file" type="filename" value="p.png"/>'
            '<input name="texcoord" type="vector2" nodename="g"/></image>',
            '<input name="base_color" type="color3" nodename="i"/>',
            "placement-not-read",
        ),
        (
            '<image name="i" type="color3"><input name="file" type="filename" value="gone.png"/></image>',
            '<input name="base_color" type="color3" nodename="i"/>',
            "missing-map",
        ),
    ],
)
def test_what_is_not_read_is_said(image: Image, tmp_path: Path, nodes: str, inputs: str, code: str) -> None:
    assert code in {finding.code for finding in graph(tmp_path, nodes, inputs).findings}


def test_a_sheared_map_is_said_and_lies_as_the_uv_set_has_it(image: Image, tmp_path: Path) -> None:
    nodes = (
        '<texcoord name="t" type="vector2"/><place2d name="p" type="vector2"><input name="texcoord" type="vector2" nodename="t"/>'
        '<input name="scale" type="vector2" value="1, 3"/><input name="rotate" type="float" value="30"/>'
        '<input name="operationorder" type="integer" value="1"/></place2d>'
        '<image name="i" type="color3"><input name="file" type="filename" value="p.png"/>'
        '<input name="texcoord" type="vector2" nodename="p"/></image>'
    )
    material = graph(tmp_path, nodes, '<input name="base_color" type="color3" nodename="i"/>')
    value = material.value("base_color")
    assert isinstance(value, Map)
    assert value.placement == Placement()
    assert "placement-not-read" in {finding.code for finding in material.findings}


@pytest.mark.parametrize(("name", "value"), [("geometry_tangent_rotation", 0.4), ("geometry_coat_tangent_rotation", -1.2)])
def test_a_turned_tangent_comes_back(tmp_path: Path, name: str, value: Any) -> None:
    (back,) = read(write([Material.of("m", "open_pbr", {name: value})], tmp_path / "o.mtlx", "materialx")[0])
    stated = back.value(name)
    assert isinstance(stated, Constant)
    assert stated.value == approx(value, rel=1e-5)


def test_one_texel_far_above_the_rest_is_not_cut(tmp_path: Path) -> None:
    # The factor beside a written map is the largest of all texels, not of a small copy of the map.
    for name, least, most in (("exponent", 20.0, 900.0), ("thickness", 0.1, 3.0)):
        texels = np.full((256, 256, 1), least, np.float32)
        texels[17, 200] = most
        oiio.ImageBuf(texels).write(str(tmp_path / f"{name}.exr"), "float")
        model, suffix = ("exponent", "mtl") if name == "exponent" else ("metal_rough", "glb")
        values = {name: Map(Image(f"{name}.exr", tmp_path / f"{name}.exr"), "r"), **({"transmission": 0.5} if suffix == "glb" else {})}
        (back,) = read(write([Material.of("m", model, values)], tmp_path / f"{name}.{suffix}", {"glb": "gltf"}.get(suffix, suffix))[0])
        value = back.value(name)
        with Texels(grid_of([value])) as found:
            assert float(np.max(found.at(value, 0, found.grid.height))) == approx(most, rel=0.01)
