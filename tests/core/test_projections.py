"""Texture coordinates for meshes that have none: known answers on a cube and a sphere, and every file that carries meshes."""

from __future__ import annotations

import json
import struct
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from pxr import Usd, UsdGeom
from typer.testing import CliRunner

from fenrain.cli import app
from fenrain.core import convert, read, write
from fenrain.core.checking.input_findings.registry import with_findings
from fenrain.core.corrections import Correction, apply_corrections
from fenrain.core.errors import InputError
from fenrain.core.formats.reading import read_meshes
from fenrain.core.geometry import Mesh, box, sphere
from fenrain.core.maps.image import write_png
from fenrain.core.material import Material
from fenrain.core.projections import Projection, ProjectionKind, corner_coordinates, projected
from fenrain.core.rendering.own_mesh import open_mesh
from tests.core.test_formats import validator_issues

CUBE = [(x, y, z) for z in (-1.0, 1.0) for y in (-1.0, 1.0) for x in (-1.0, 1.0)]
"""Corners of a cube of edge 2, by bits: 1 is x, 2 is y, 4 is z."""
SIDES = {"+x": (1, 3, 7, 5), "-x": (0, 4, 6, 2), "+y": (2, 6, 7, 3), "-y": (0, 1, 5, 4), "+z": (4, 5, 7, 6), "-z": (0, 2, 3, 1)}
"""Its faces, anticlockwise as seen from without."""


def cube() -> Mesh:
    triangles = [(a, b, c) for a, b, c, _ in SIDES.values()] + [(a, c, d) for a, _, c, d in SIDES.values()]
    places = np.array(CUBE)
    return Mesh("cube", places, places / np.sqrt(3.0), np.zeros((8, 2)), np.array(triangles), "gate", has_uvs=False)


def shown_at(mesh: Mesh, side: str) -> dict[tuple[float, float], tuple[float, float]]:
    """What lies on the corners of a side as one looks at it: (right, up) of −1 or 1 → (u, v)."""
    axis, sign = "xyz".index(side[1]), 1.0 if side[0] == "+" else -1.0
    # One looks against the outward direction; up is +y, for what lies level −z seen from above and +z from below.
    up = np.array({"x": (0, 1, 0), "z": (0, 1, 0), "y": (0, 0, -sign)}[side[1]])
    right = np.cross(up, sign * np.eye(3)[axis])
    found = {}
    for triangle in mesh.triangles:
        corners = mesh.positions[triangle]
        if (corners[:, axis] == sign).all():
            for corner, uv in zip(corners, mesh.uvs[triangle], strict=True):
                found[float(corner @ right), float(corner @ up)] = (round(float(uv[0]), 6), round(float(uv[1]), 6))
    return found


UPRIGHT = {(-1.0, 1.0): (0.0, 0.0), (1.0, 1.0): (1.0, 0.0), (-1.0, -1.0): (0.0, 1.0), (1.0, -1.0): (1.0, 1.0)}
"""An image that is seen upright and not mirrored: its first row, v = 0, lies above, u runs to the right (glTF 2.0 §3.8.1)."""


@pytest.mark.parametrize("side", SIDES)
def test_a_box_shows_the_image_upright_on_each_side(side: str) -> None:
    assert shown_at(projected(cube(), Projection(ProjectionKind.BOX)), side) == UPRIGHT
    twice = shown_at(projected(cube(), Projection(ProjectionKind.BOX, 1.0)), side)
    assert {place: (u - twice[-1.0, 1.0][0], v - twice[-1.0, 1.0][1]) for place, (u, v) in twice.items()} == {
        place: (2.0 * u, 2.0 * v) for place, (u, v) in UPRIGHT.items()
    }


def test_a_plane_looks_at_the_thinnest_side() -> None:
    for axis, side in enumerate(("+x", "+y", "+z")):
        thin = replace(cube(), positions=cube().positions * np.where(np.arange(3) == axis, 0.01, 1.0))
        laid = projected(thin, Projection(ProjectionKind.PLANE))
        stretched = replace(laid, positions=laid.positions / np.where(np.arange(3) == axis, 0.01, 1.0))
        assert shown_at(stretched, side) == UPRIGHT


@pytest.mark.parametrize("kind", [ProjectionKind.SPHERE, ProjectionKind.CYLINDER])
def test_longitude_runs_round_once_without_a_torn_face(kind: ProjectionKind) -> None:
    # Plate carrée: ½ at the front, a quarter of a turn to the right is +x; latitude from the top pole down.
    bare = sphere("globe", 24, 48)
    laid = projected(bare, Projection(kind))
    spans = np.ptp(laid.uvs[laid.triangles][..., 0], axis=1)
    assert spans.max() < 0.05
    for place, u in (((0, 0, 1), 0.5), ((1, 0, 0), 0.75), ((-1, 0, 0), 0.25)):
        at = np.linalg.norm(laid.positions - place, axis=1) < 1e-6
        assert laid.uvs[at][:, 0] == pytest.approx(np.full(at.sum(), u), abs=1e-6)
        assert laid.uvs[at][:, 1] == pytest.approx(np.full(at.sum(), 0.5), abs=1e-6)
    height = laid.positions[:, 1]
    expected = np.arccos(np.clip(height, -1, 1)) / np.pi if kind is ProjectionKind.SPHERE else 0.5 - 0.5 * height
    assert laid.uvs[:, 1] == pytest.approx(expected, abs=1e-6)
    assert laid.positions[laid.triangles] == pytest.approx(bare.positions[bare.triangles]), "no corner has moved"


def test_steps_have_the_length_that_was_asked_for() -> None:
    # Round a cylinder of radius 1 and height 2, a step of 0.5 closes best with 13 (4π = 12.57), and fits 4 times upright.
    ring = projected(sphere("globe", 24, 48), Projection(ProjectionKind.CYLINDER, 0.5))
    assert np.ptp(ring.uvs, axis=0) == pytest.approx([13.0, 4.0], abs=0.01)


def test_an_unwrapped_mesh_lies_flat_without_overlap() -> None:
    laid = projected(box("gate", (-1.0, -1.0, -0.5), (1.0, 1.0, 0.5)), Projection(ProjectionKind.UNWRAP))
    a, b, c = np.moveaxis(laid.uvs[laid.triangles], 1, 0)
    areas = 0.5 * np.abs((b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0])
    corners = laid.positions[laid.triangles]
    solid = 0.5 * np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    assert solid.sum() == pytest.approx(16.0), "2 · (2·2 + 2·1 + 2·1)"
    assert areas / solid == pytest.approx(np.full(len(areas), (areas / solid).mean()), rel=0.02), "evenly, as a box can be"
    assert laid.uvs.min() >= 0.0
    assert laid.uvs.max() <= 1.0
    # Seen from above, no place of a fine grid lies in two triangles.
    places = (np.stack(np.meshgrid(*[np.arange(60)] * 2), axis=-1).reshape(-1, 2) + 0.53) / 60.0

    def side(p: np.ndarray, q: np.ndarray) -> np.ndarray:
        return (q - p)[:, None, 0] * (places[None, :, 1] - p[:, None, 1]) - (q - p)[:, None, 1] * (places[None, :, 0] - p[:, None, 0])

    turns = np.stack([side(a, b), side(b, c), side(c, a)])
    assert ((turns > 1e-9).all(axis=0) | (turns < -1e-9).all(axis=0)).sum(axis=0).max() == 1


def test_faces_of_more_than_three_corners_are_whole() -> None:
    places = np.array([CUBE[corner] for corners in SIDES.values() for corner in corners])
    uvs = corner_coordinates(places, np.repeat(np.arange(6), 4), Projection(ProjectionKind.BOX))
    assert {tuple(np.round(uv, 6)) for uv in uvs} == {(0.0, 0.0), (0.0, 1.0), (1.0, 0.0), (1.0, 1.0)}


# Files


def obj(folder: Path) -> Path:
    write_png(folder / "body.png", np.random.default_rng(3).random((8, 8, 3)))
    (folder / "gate.mtl").write_text("newmtl gate\nmap_Kd body.png\n")
    lines = ["mtllib gate.mtl", *(f"v {x} {y} {z}" for x, y, z in CUBE), "usemtl gate"]
    lines += ["f " + " ".join(str(corner + 1) for corner in corners) for corners in SIDES.values()]
    (folder / "gate.obj").write_text("\n".join(lines) + "\n")
    return folder / "gate.obj"


def gltf(folder: Path, *, morphs: bool = False) -> Path:
    write_png(folder / "body.png", np.random.default_rng(3).random((8, 8, 3)))
    bare = cube()
    colours = np.arange(24, dtype="<u1").reshape(8, 3)
    padded = np.c_[colours, np.zeros(8, "<u1")].astype("<u1")
    parts = [bare.positions.astype("<f4").tobytes(), bare.triangles.astype("<u2").tobytes(), padded.tobytes()]
    offsets = np.cumsum([0, *map(len, parts)])
    views: list[dict[str, Any]] = [
        {"buffer": 0, "byteOffset": int(at), "byteLength": len(part)} for at, part in zip(offsets, parts, strict=False)
    ]
    views[2]["byteStride"] = 4
    position = {"bufferView": 0, "componentType": 5126, "count": 8, "type": "VEC3", "min": [-1, -1, -1], "max": [1, 1, 1]}
    primitive: dict[str, Any] = {"attributes": {"POSITION": 0, "COLOR_0": 2}, "indices": 1, "material": 0}
    if morphs:
        primitive["targets"] = [{"POSITION": 0}]
    document = {
        "asset": {"version": "2.0"},
        "buffers": [{"byteLength": int(offsets[-1]), "uri": "gate.bin"}],
        "bufferViews": views,
        "accessors": [
            position,
            {"bufferView": 1, "componentType": 5123, "count": 36, "type": "SCALAR"},
            {"bufferView": 2, "componentType": 5121, "normalized": True, "count": 8, "type": "VEC3"},
        ],
        "images": [{"uri": "body.png"}],
        "textures": [{"source": 0}],
        "materials": [{"name": "gate", "pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}],
        "meshes": [{"primitives": [primitive]}],
        "nodes": [{"mesh": 0}],
        "scenes": [{"nodes": [0]}],
        "scene": 0,
    }
    (folder / "gate.bin").write_bytes(b"".join(parts))
    (folder / "gate.gltf").write_text(json.dumps(document))
    return folder / "gate.gltf"


def usda(folder: Path) -> Path:
    write_png(folder / "body.png", np.random.default_rng(3).random((8, 8, 3)))
    faces = [corner for corners in SIDES.values() for corner in corners]
    (folder / "gate.usda").write_text(f"""#usda 1.0
(
    metersPerUnit = 1
    upAxis = "Y"
)
def Material "gate"
{{
    token outputs:surface.connect = </gate/surface.outputs:surface>
    def Shader "surface"
    {{
        uniform token info:id = "UsdPreviewSurface"
        color3f inputs:diffuseColor.connect = </gate/body.outputs:rgb>
        token outputs:surface
    }}
    def Shader "body"
    {{
        uniform token info:id = "UsdUVTexture"
        asset inputs:file = @body.png@
        float3 outputs:rgb
    }}
}}
def Mesh "cube"
{{
    int[] faceVertexCounts = [4, 4, 4, 4, 4, 4]
    int[] faceVertexIndices = {faces}
    point3f[] points = {CUBE}
    rel material:binding = </gate>
}}
""")
    return folder / "gate.usda"


ASSETS = {"obj": obj, "gltf": gltf, "usd": usda}
WRITTEN = {"metal_rough": ("gltf", ".glb"), "preview": ("usd", ".usda"), "exponent": ("mtl", ".mtl")}
BY_BOX = [Correction(projection=ProjectionKind.BOX)]


def chosen(path: Path) -> Material:
    (material,) = read(path)
    bare = with_findings(material)
    assert [finding.code for finding in bare.findings if finding.unread] == ["missing-uv-set"]
    laid = with_findings(apply_corrections(material, BY_BOX))
    assert [finding.code for finding in laid.findings if finding.unread] == []
    return laid


@pytest.mark.parametrize("kind", ASSETS)
@pytest.mark.parametrize("target", WRITTEN)
def test_written_meshes_have_the_coordinates(kind: str, target: str, tmp_path: Path) -> None:
    (tmp_path / "out").mkdir()
    asset = ASSETS[kind](tmp_path)
    format_id, suffix = WRITTEN[target]
    conversion = convert(chosen(asset), target)
    files = write([conversion.material], tmp_path / "out" / f"gate{suffix}", format_id, asset)
    carrier = next(file for file in files if file.suffix in (".obj", ".glb", ".usda"))
    (mesh,) = read_meshes(carrier, carrier.parent)
    assert mesh.has_uvs
    for side in SIDES:
        assert shown_at(mesh, side) == {place: pytest.approx(uv, abs=1e-5) for place, uv in UPRIGHT.items()}


def test_on_a_stage_they_lie_by_corners_of_faces(tmp_path: Path) -> None:
    asset = usda(tmp_path)
    (tmp_path / "out").mkdir()
    write([convert(chosen(asset), "preview").material], tmp_path / "out" / "gate.usda", "usd", asset)
    stage = Usd.Stage.Open(str(tmp_path / "out" / "gate.usda"))
    (mesh,) = [prim for prim in stage.Traverse() if prim.IsA(UsdGeom.Mesh)]
    primvar = UsdGeom.PrimvarsAPI(mesh).GetPrimvar("st")
    assert primvar.GetInterpolation() == "faceVarying"
    # v runs up in USD: the first corner of the front, lower left, is (0, 0).
    assert np.asarray(primvar.Get())[16:20] == pytest.approx(np.array([(0, 0), (1, 0), (1, 1), (0, 1)]), abs=1e-6)


def test_what_vertices_of_gltf_carry_goes_with_them(tmp_path: Path) -> None:
    asset = gltf(tmp_path, morphs=True)
    (tmp_path / "out").mkdir()
    path = tmp_path / "out" / "gate.glb"
    write([convert(chosen(asset), "metal_rough").material], path, "gltf", asset)
    assert validator_issues(path)["numErrors"] == 0
    data = path.read_bytes()
    length = struct.unpack("<I", data[12:16])[0]
    document, binary = json.loads(data[20 : 20 + length]), data[28 + length :]

    def rows(index: int, number: str, width: int) -> np.ndarray:
        accessor = document["accessors"][index]
        view = document["bufferViews"][accessor["bufferView"]]
        stride = view.get("byteStride", width * np.dtype(number).itemsize)
        return np.ndarray((accessor["count"], width), number, binary, view["byteOffset"], (stride, np.dtype(number).itemsize))

    primitive = document["meshes"][0]["primitives"][0]
    positions = rows(primitive["attributes"]["POSITION"], "<f4", 3)
    colours = rows(primitive["attributes"]["COLOR_0"], "<u1", 3)
    moved = rows(primitive["targets"][0]["POSITION"], "<f4", 3)
    assert 8 < len(positions) <= 24, "three sides meet at each of eight corners"
    for position, colour, by in zip(positions, colours, moved, strict=True):
        corner = CUBE.index(tuple(position))  # type: ignore[arg-type]
        assert list(colour) == [3 * corner, 3 * corner + 1, 3 * corner + 2]
        assert list(by) == list(position)


def test_a_node_that_is_turned_is_drawn_as_it_is_written(tmp_path: Path) -> None:
    # A quarter turn about x brings the front of the mesh below: what one sees from the front is what lay on top.
    asset = gltf(tmp_path)
    turned = json.loads(asset.read_text())
    turned["nodes"][0] |= {"rotation": [float(np.sqrt(0.5)), 0, 0, float(np.sqrt(0.5))], "scale": [3, 3, 3]}
    asset.write_text(json.dumps(turned))
    (tmp_path / "out").mkdir()
    path = tmp_path / "out" / "gate.glb"
    write([convert(chosen(asset), "metal_rough").material], path, "gltf", asset)
    (mesh,) = read_meshes(path, path.parent)
    assert shown_at(replace(mesh, positions=np.round(mesh.positions / 3.0, 6)), "+z") == {
        place: pytest.approx(uv, abs=1e-5) for place, uv in UPRIGHT.items()
    }


def test_a_file_without_meshes_says_what_they_must_get(tmp_path: Path) -> None:
    conversion = convert(chosen(obj(tmp_path)), "open_pbr")
    assert any("lie by box" in step.text for entry in conversion.ledger for step in entry.steps)


def test_it_is_drawn_on_the_asset_as_it_is_written(tmp_path: Path) -> None:
    material = chosen(gltf(tmp_path))
    stand = open_mesh(tmp_path / "gate.gltf", tmp_path, "gate", "gate", 1.0, material.geometry.projection)
    assert shown_at(replace(stand.mesh(), positions=np.sign(stand.mesh().positions)), "+z") == UPRIGHT
    other = open_mesh(tmp_path / "gate.gltf", tmp_path, "gate", "gate", 1.0, Projection(ProjectionKind.SPHERE))
    assert other.id != stand.id


def test_the_command_line_takes_it(tmp_path: Path) -> None:
    asset = obj(tmp_path)

    def run(*options: str) -> Any:
        return CliRunner().invoke(app, ["convert", str(asset), "--to", "metal_rough", "-o", str(tmp_path / "out"), *options])

    assert "UV set 0" in run("--allow", "all").output
    assert "UV set 0" not in run("--uv", "box:0.5").output
    assert isinstance(run("--uv", "cone").exception, InputError)
    (mesh,) = read_meshes(tmp_path / "out" / "gate.glb", tmp_path / "out")
    assert np.ptp(mesh.uvs, axis=0) == pytest.approx([4.0, 4.0])
