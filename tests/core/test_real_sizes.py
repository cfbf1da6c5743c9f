"""Real sizes of maps reach the target: as a transform where a mesh says how long its UVs are, as real-world sizes in MaterialX."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import MaterialX as mx
import numpy as np
import pytest
from pytest import approx

from fenrain.core import Material, check, convert, read, write
from fenrain.core.formats.obj_meshes import write_meshes
from fenrain.core.geometry import Mesh
from fenrain.core.maps.image import write_png
from fenrain.core.slopes import drawn_on_meshes
from fenrain.core.values import Image, Map, Placement, maps_of


@pytest.fixture
def board(tmp_path: Path) -> Material:
    """A sheet's board, whose picture is 0.3 m wide and 0.2 m high."""
    write_png(tmp_path / "board.png", np.random.default_rng(5).random((16, 16, 3)))
    picture = Map(Image("board.png", tmp_path / "board.png"), "rgb", "srgb")
    return Material.of("board", "percent", {"color": picture, "tile_width": 0.3, "tile_height": 0.2, "reflectance": 4.0})


def wall(width: float, height: float) -> Mesh:
    """Upright, its UVs over all of it."""
    places = np.array([(0, 0, 0), (width, 0, 0), (width, height, 0), (0, height, 0)], float)
    uvs = np.array([(0, 1), (1, 1), (1, 0), (0, 0)], float)
    return Mesh("wall", places, np.tile([0.0, 0.0, 1.0], (4, 1)), uvs, np.array([(0, 1, 2), (0, 2, 3)]), "board")


WRITTEN = {
    "metal_rough": ("gltf", ".glb", "base_color"),
    "preview": ("usd", ".usda", "diffuseColor"),
    "exponent": ("mtl", ".mtl", "diffuse"),
}


@pytest.mark.parametrize("model", WRITTEN)
@pytest.mark.parametrize("unit", [1.0, 0.01])
def test_a_mesh_in_metres_or_centimetres_says_how_often_it_lies(model: str, unit: float, board: Material, tmp_path: Path) -> None:
    # Six metres by two and a half, of boards of 0.3 × 0.2 m: 20 side by side, 12.5 one above another.
    asset = tmp_path / "wall.obj"
    write_meshes(asset, [wall(6.0 / unit, 2.5 / unit)])
    counted = replace(board, geometry=replace(board.geometry, unit=unit))
    (carried,) = drawn_on_meshes([counted], [wall(6.0 / unit, 2.5 / unit)])
    format_id, suffix, name = WRITTEN[model]
    (tmp_path / "out").mkdir()
    conversion = convert(carried, model)
    written = write([conversion.material], tmp_path / "out" / f"wall{suffix}", format_id, asset)[0]
    (back,) = [one for one in read(written) if not isinstance(one.value(name), (float, tuple)) and one.name == "board"]
    value = back.value(name)
    assert isinstance(value, Map)
    assert value.placement.scale == approx((20.0, 12.5), rel=1e-4)
    assert not [entry for entry in conversion.losses if "tile_width" in entry.sources]
    assert any("0.3 × 0.2 m" in step.text for entry in conversion.ledger for step in entry.steps)


def test_without_a_mesh_materialx_states_the_size_and_others_say_that_they_do_not(board: Material, tmp_path: Path) -> None:
    conversion = convert(board, "open_pbr")
    write([conversion.material], tmp_path / "board.mtlx", "materialx")
    document = mx.createDocument()
    mx.readFromXmlFile(document, str(tmp_path / "board.mtlx"))
    (node,) = document.getNodeGraphs()[0].getNodes("tiledimage")
    size = node.getInput("realworldimagesize")
    assert (tuple(size.getValue()), size.getUnitType(), size.getUnit()) == (approx((0.3, 0.2)), "distance", "meter")
    (back,) = read(tmp_path / "board.mtlx")
    value = back.value("base_color")
    assert isinstance(value, Map)
    assert value.placement.scale == approx((1 / 0.3, 1 / 0.2), rel=1e-4), "MaterialX 1.39, NG_tiledimage: uv × tile ÷ image"
    for model in WRITTEN:
        converted = convert(board, model)
        assert any("holds no size of a map" in step.text for entry in converted.ledger for step in entry.steps)
        assert {leaf.placement for leaf in maps_of(converted.material.value(WRITTEN[model][2]))} == {Placement()}


def test_both_sides_are_drawn_by_the_size(board: Material) -> None:
    # A tenth of a metre a scene unit: on the sphere, two radians of a hand's breadth; both sides show as many boards.
    found = check(board, convert(board, "open_pbr").material, rigs=("even_white",), stand="sphere")
    assert found.verdict in ("match", "near")
    without = replace(board, values={name: value for name, value in board.values.items() if not name.startswith("tile")})
    assert check(board, convert(without, "open_pbr").material, rigs=("even_white",), stand="sphere").verdict == "off"


def test_a_size_without_maps_is_no_loss() -> None:
    plain = Material.of("board", "percent", {"color": (0.5, 0.4, 0.3), "tile_width": 0.3, "tile_height": 0.2})
    assert not convert(plain, "open_pbr").losses
