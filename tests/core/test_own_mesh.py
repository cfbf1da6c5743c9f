"""Meshes that people bring as stands, and how they are read.

The short suite misses: light through openings from a lamp alone.
"""

from __future__ import annotations

import json
import struct
from pathlib import Path

import numpy as np
import pytest
from pytest import approx

from fenrain.core import Material, read
from fenrain.core.errors import BrokenFileError, InputError, MissingFileError, UnknownFormatError
from fenrain.core.formats.reading import read_meshes
from fenrain.core.geometry import Mesh
from fenrain.core.rendering.own_mesh import open_mesh
from fenrain.core.rendering.pictures import PairShot, render
from fenrain.core.rendering.stage import View, coverage
from fenrain.core.rendering.stands.registry import OPENED, Prop, Stand
from fenrain.core.values import Constant
from fenrain.demo.heron_lode import ENGINE_HOUSE, SLUICE_YARD
from tests.sizes import sized

pytestmark = pytest.mark.pictures

SQUARE = np.array([[0, 0, 0], [2, 0, 0], [2, 1, 0], [0, 1, 0]], "<f4")


def asset(folder: Path, *, node: dict[str, object] | None = None, primitive: dict[str, object] | None = None, **more: object) -> Path:
    """A glTF with one square of two triangles, as the specification lays it out."""
    data = SQUARE.tobytes() + np.array([0, 1, 2, 0, 2, 3], "<u2").tobytes()
    (folder / "square.bin").write_bytes(data)
    document = {
        "asset": {"version": "2.0"},
        "buffers": [{"uri": "square.bin", "byteLength": len(data)}],
        "bufferViews": [{"buffer": 0, "byteLength": 48}, {"buffer": 0, "byteOffset": 48, "byteLength": 12}],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": 4, "type": "VEC3"},
            {"bufferView": 1, "componentType": 5123, "count": 6, "type": "SCALAR"},
        ],
        "materials": [{"name": "paint"}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1, "material": 0, **(primitive or {})}]}],
        "nodes": [{"mesh": 0, **(node or {})}],
        "scenes": [{"nodes": [0]}],
        **more,
    }
    (folder / "square.gltf").write_text(json.dumps(document))
    return folder / "square.gltf"


def test_a_node_places_its_mesh(tmp_path: Path) -> None:
    # glTF 2.0 §3.5.3: scale, then rotation, then translation; a quarter turn about z, (0, 0, √½, √½), takes x to y.
    half = float(np.sqrt(0.5))
    path = asset(tmp_path, node={"translation": [0, 0, 5], "rotation": [0, 0, half, half], "scale": [2, 1, 1]})
    (mesh,) = read_meshes(path, tmp_path)
    assert mesh.material == "paint"
    np.testing.assert_allclose(mesh.positions, [[0, 0, 5], [0, 4, 5], [-1, 4, 5], [-1, 0, 5]], atol=1e-6)
    np.testing.assert_allclose(mesh.normals, np.tile([0, 0, 1], (4, 1)), atol=1e-6)


@pytest.mark.parametrize(
    ("more", "said"),
    [
        ({"primitive": {"attributes": {"POSITION": 1}}}, "something else than is wanted"),
        ({"primitive": {"attributes": {"POSITION": 7}}}, "no entry 7"),
        ({"nodes": [{"children": [0]}]}, "in itself"),
        ({"nodes": [{"children": 0}]}, "no list of indices"),
        ({"scenes": [{"nodes": ["a"]}]}, "no list of indices"),
        ({"meshes": [{"primitives": {}}]}, "without primitives"),
        ({"accessors": [{"componentType": 5126, "count": 10**12, "type": "VEC3"}] * 2}, "something else than is wanted"),
        ({"node": {"rotation": ["a", 0, 0, 1]}}, "something else than numbers"),
        ({"extensionsRequired": ["KHR_draco_mesh_compression"]}, "needs KHR_draco"),
        ({"accessors": [{"bufferView": 0, "componentType": 5126, "count": 400, "type": "VEC3"}] * 2}, "beyond its buffer view"),
    ],
)
def test_what_is_no_mesh_is_refused_with_its_place(more: dict[str, object], said: str, tmp_path: Path) -> None:
    with pytest.raises(BrokenFileError, match=said):
        read_meshes(asset(tmp_path, **more), tmp_path)  # type: ignore[arg-type]


def test_strips_and_fans_are_triangles(tmp_path: Path) -> None:
    # glTF 2.0 §3.7.2.1: strip {0 1 2}, {2 1 3}-wise; fan about the first.
    for mode, order in ((5, [0, 1, 3, 2]), (6, [0, 1, 2, 3])):
        folder = tmp_path / str(mode)
        folder.mkdir()
        path = asset(folder, primitive={"mode": mode})
        data = (folder / "square.bin").read_bytes()[:48] + struct.pack("<4H", *order)
        (folder / "square.bin").write_bytes(data + bytes(4))
        document = json.loads(path.read_text())
        document["accessors"][1]["count"] = 4
        path.write_text(json.dumps(document))
        (mesh,) = read_meshes(path, folder)
        corners = mesh.positions[mesh.triangles]
        area = 0.5 * np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        np.testing.assert_allclose(area.sum(axis=0), [0, 0, 2], atol=1e-6)


@pytest.mark.parametrize("file", [ENGINE_HOUSE, SLUICE_YARD])
def test_the_demo_s_bodies_are_no_inside_out_ones(file: str, heron_lode: Path) -> None:
    # The volume inside a closed body is positive where its triangles run anticlockwise seen from outside (the divergence theorem).
    for mesh in read_meshes(heron_lode / file, heron_lode):
        corners = mesh.positions[mesh.triangles] - mesh.positions.mean(axis=0)
        assert (corners[:, 0] * np.cross(corners[:, 1], corners[:, 2])).sum() > 0.0, mesh.material


@pytest.mark.parametrize("file", [ENGINE_HOUSE, SLUICE_YARD])
def test_a_material_lies_where_its_asset_has_it(file: str, heron_lode: Path) -> None:
    material = read(heron_lode / file)[1]
    meshes = read_meshes(heron_lode / file, heron_lode)
    assert {mesh.material for mesh in meshes} == {one.name for one in read(heron_lode / file)}
    stand = open_mesh(heron_lode / file, heron_lode, file, material.name)
    assert len(stand.mesh().triangles) == sum(len(mesh.triangles) for mesh in meshes if mesh.material == material.name)
    around = sum(len(prop.mesh.triangles) for prop in stand.props())
    assert around + len(stand.mesh().triangles) == sum(len(mesh.triangles) for mesh in meshes)
    # It fills a good part of its picture, and only there the look shows.
    seen = coverage(stand.id, 64)
    assert 0.05 < seen.mean() < 0.8
    red, blue = (
        render(Material.of("m", "metal_rough", {"base_color": colour, "metallic": 0.0}), View("even_white", stand.id, size=64), 16, 0)
        for colour in ((0.8, 0.02, 0.02), (0.02, 0.02, 0.8))
    )
    assert np.abs(red - blue)[seen].mean() > 0.2
    assert np.abs(red - blue)[~seen].mean() < 0.1


def test_all_materials_of_an_asset_are_drawn_in_their_places(heron_lode: Path) -> None:
    # One picture of two bodies is each body's own picture where that body is seen: here both are lit by the same even light.
    file = heron_lode / ENGINE_HOUSE
    materials = read(file)
    stand = open_mesh(file, heron_lode, ENGINE_HOUSE, materials[2].name)
    red = Material.of(materials[2].name, "metal_rough", {"base_color": (0.8, 0.02, 0.02), "metallic": 0.0})
    others = [
        (Material.of(one.name, model, {"base_color": colour}), Material.of(one.name, "open_pbr", {"base_color": colour}))
        for one, model, colour in ((materials[4], "metal_rough", (0.02, 0.6, 0.02)), (materials[5], "open_pbr", (0.02, 0.02, 0.8)))
    ]
    view = View("even_white", stand.id, size=64)
    shot = PairShot(red, red, view, others)
    first, second = (np.mean([shot.taken(16, seed)[side] for seed in range(4)], axis=0) for side in (0, 1))
    brightest = first.argmax(axis=-1)
    seen = shot.coverage(64)
    assert (brightest[seen] == 0).mean() > 0.95
    coloured = np.ptp(first, axis=-1) > 0.15
    assert {0, 1, 2} == set(np.unique(brightest[coloured]))
    # What is not handed over stays grey, and the look itself is the same on both sides.
    alone = render(red, view, 16, 0)
    assert (np.ptp(alone, axis=-1)[~seen] > 0.3).mean() < 0.02
    assert np.abs(first - second)[seen].mean() < 0.02


@pytest.mark.parametrize("rig", sized(["even_white"], ["even_white", "single_lamp"]))
def test_light_comes_through_the_openings_of_what_lies_around(rig: str) -> None:
    # Below a black pane that is wider than anything, as much light arrives as the pane is open.
    def level(name: str, height: float, reach: float) -> Mesh:
        corners = np.array([[-1.0, 0, 1], [1, 0, 1], [1, 0, -1], [-1, 0, -1]]) * reach + [0.0, height, 0.0]
        return Mesh(name, corners, np.tile([0.0, 1.0, 0.0], (4, 1)), np.zeros((4, 2)), np.array([[0, 1, 2], [0, 2, 3]]), name)

    camera = ((0.0, 0.5, 0.01), (0.0, 0.0, 0.0))
    pane = Prop(level("pane", 0.6, 200.0), 0.3)
    stand = Stand("roofed", "Roofed", "", lambda: level("look", 0.0, 1.0), -1e6, camera, 100, props=lambda: (pane,))
    view = View(rig, OPENED.keep(stand).id, size=64)
    matt = Material.of("look", "metal_rough", {"base_color": (0.5,) * 3, "metallic": 0.0, "specular": 0.0, "roughness": 1.0})

    def lit(opacity: float) -> float:
        black = Material.of("pane", "spec_gloss", {"diffuse": (0.0,) * 3, "specular": (0.0,) * 3, "opacity": opacity, "alpha_mode": 2})
        shot = PairShot(matt, matt, view, [(black, black)])
        return float(np.mean([shot.taken(16, seed)[0] for seed in range(4)]))

    without = lit(0.0)
    assert lit(0.4) == approx(0.6 * without, rel=0.03)
    assert lit(1.0) < 0.01 * without
    if rig == "even_white":
        assert without == approx(0.5, rel=0.02)


def test_a_mesh_that_names_the_material_nowhere_carries_it_all_over(tmp_path: Path) -> None:
    stand = open_mesh(asset(tmp_path), tmp_path, "square", "another")
    assert len(stand.mesh().triangles) == 2
    assert not stand.props()
    size = np.linalg.norm(np.ptp(stand.mesh().positions, axis=0)) / 2.0
    assert size == approx(1.15)


def test_a_file_without_triangles_is_no_stand(tmp_path: Path) -> None:
    with pytest.raises(InputError, match="no triangles"):
        open_mesh(asset(tmp_path, primitive={"mode": 0}), tmp_path, "points", "paint")
    (tmp_path / "notes.txt").write_text("no mesh")
    with pytest.raises(MissingFileError, match="no file"):
        open_mesh(tmp_path / "gone.glb", tmp_path, "gone", "paint")
    with pytest.raises(UnknownFormatError, match="no meshes"):
        open_mesh(tmp_path / "notes.txt", tmp_path, "notes", "paint")


def test_a_body_absorbs_over_the_lengths_of_its_own_file(tmp_path: Path) -> None:
    """The same block, drawn once in metres and once in centimetres, with its depth counted alike, is the same picture."""
    pictures = []
    for size in (1.0, 100.0):
        corners = [(x * size, y * size, z * size) for x in (0, 1) for y in (0, 1) for z in (0, 1)]
        faces = ("1 2 4 3", "5 7 8 6", "1 5 6 2", "3 4 8 7", "1 3 7 5", "2 6 8 4")
        text = "".join(f"v {x} {y} {z}\n" for x, y, z in corners) + "usemtl glass\n" + "".join(f"f {face}\n" for face in faces)
        (tmp_path / f"block{size:g}.obj").write_text(text)
        path = tmp_path / f"block{size:g}.obj"
        values = {"transmission_weight": 1.0, "transmission_color": (0.2, 0.6, 0.5), "transmission_depth": 0.5 * size}
        glass = Material.of("glass", "open_pbr", values)
        stand = open_mesh(path, tmp_path, path.name, "glass").id
        pictures.append(render(glass, View("even_white", stand, size=64), 16, 0))
        shallow = render(glass.having(transmission_depth=Constant(50.0 * size)), View("even_white", stand, size=64), 16, 0)
        assert shallow[..., 0].mean() > 1.02 * pictures[-1][..., 0].mean()
    np.testing.assert_allclose(pictures[0], pictures[1], atol=0.02)


def test_tiles_are_as_large_as_the_unit_of_the_file_says(tmp_path: Path) -> None:
    path = asset(tmp_path)
    (mesh,) = read_meshes(path, tmp_path)
    for unit in (1.0, 0.01):
        stand = open_mesh(path, tmp_path, "square", "paint", unit)
        # Two units wide and one high, in metres.
        width = np.ptp(stand.mesh().positions[:, 0]) * stand.metres
        assert width == approx(np.ptp(mesh.positions[:, 0]) * unit)
