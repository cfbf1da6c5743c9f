"""The asset's unit of length: read where a file states it, given where not, and kept to when lengths are written."""

from __future__ import annotations

import json
import subprocess
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from pxr import Usd, UsdGeom
from pytest import approx

from fenrain.core import Material, convert, read, write
from fenrain.core.conversion.targets import served_target
from fenrain.core.dialects.dialect import dialect_of, examine, shipped, shipped_texts
from fenrain.core.dialects.spelling import spelled
from fenrain.core.formats.reading import read_meshes
from fenrain.core.geometry import mean_depth, sphere
from fenrain.core.maps.image import write_png
from fenrain.core.material import Geometry
from fenrain.core.outside.kit import write_kit
from fenrain.core.outside.lengths import in_scene_units
from fenrain.core.rendering.pictures import render
from fenrain.core.rendering.stage import View, coverage
from fenrain.core.values import Constant
from tests.conftest import fenrain

OBJ = "mtllib pane.mtl\nv 0 0 0\nv 200 0 0\nv 0 100 0\nvt 0 0\nvt 1 0\nvt 0 1\nusemtl pane\nf 1/1 2/2 3/3\n"


def stage(folder: Path, metres: float) -> Path:
    """A pane of glass whose colour is reached five units deep, on a triangle two hundred units wide."""
    made = Usd.Stage.CreateNew(str(folder / "pane.usda"))
    UsdGeom.SetStageMetersPerUnit(made, metres)
    made.Save()
    text = (folder / "pane.usda").read_text()
    (folder / "pane.usda").write_text(
        text
        + """
def Material "glass" {
    token outputs:mtlx:surface.connect = </glass/s.outputs:out>
    def Shader "s" {
        uniform token info:id = "ND_open_pbr_surface_surfaceshader"
        float inputs:transmission_weight = 1
        color3f inputs:transmission_color = (0.2, 0.6, 0.5)
        float inputs:transmission_depth = 5
        token outputs:out
    }
}
def Mesh "pane" (prepend apiSchemas = ["MaterialBindingAPI"]) {
    int[] faceVertexCounts = [3]
    int[] faceVertexIndices = [0, 1, 2]
    point3f[] points = [(0, 0, 0), (200, 0, 0), (0, 100, 0)]
    rel material:binding = </glass>
}
"""
    )
    return folder / "pane.usda"


@pytest.mark.parametrize("metres", [0.01, 0.0254, 1.0])
def test_a_stage_states_its_unit_and_gltf_is_written_in_metres(tmp_path: Path, metres: float) -> None:
    # glTF 2.0 §3.4: the unit of all linear distances is the metre. UsdGeom: metersPerUnit.
    path = stage(tmp_path, metres)
    (glass,) = [one for one in read(path) if one.name == "glass"]
    assert glass.geometry.unit == approx(metres)
    conversion = convert(glass, "metal_rough")
    written = write([conversion.material], tmp_path / "pane.glb", "gltf", path)[0]
    back = read(written)[0]
    assert back.parameters()["attenuation_distance"] == approx(5.0 * metres)
    (mesh,) = read_meshes(written, tmp_path)
    assert float(mesh.positions[:, 0].max()) == approx(200.0 * metres)
    said = next(entry for entry in conversion.ledger if entry.target == "attenuation_distance").steps[-1].text
    assert ("the asset counts in units of" in said) == (metres != 1.0)
    # In a target that keeps the asset's own unit nothing is multiplied.
    kept = write([convert(glass, "open_pbr").material], tmp_path / "home" / "pane.usda", "usd", path)[0]
    assert UsdGeom.GetStageMetersPerUnit(Usd.Stage.Open(str(kept))) == approx(metres)
    assert next(one for one in read(kept) if one.name == "glass").parameters()["transmission_depth"] == approx(5.0)


def test_a_unit_that_is_given_holds_where_a_file_states_none(tmp_path: Path) -> None:
    (tmp_path / "pane.mtl").write_text("newmtl pane\nKd 0.5 0.5 0.5\n")
    (tmp_path / "pane.obj").write_text(OBJ)
    (pane,) = read(tmp_path / "pane.obj", unit=0.01)
    assert pane.geometry.unit == 0.01
    assert read(stage(tmp_path, 0.0254), unit=0.5)[0].geometry.unit == approx(0.0254)
    out = write([convert(pane, "open_pbr").material], tmp_path / "out" / "pane.usda", "usd", tmp_path / "pane.obj")[0]
    assert UsdGeom.GetStageMetersPerUnit(Usd.Stage.Open(str(out))) == approx(0.01)


def test_the_command_line_takes_a_unit_and_a_folder_of_maps(tmp_path: Path) -> None:
    (tmp_path / "asset").mkdir()
    (tmp_path / "asset" / "pane.mtl").write_text("newmtl pane\nmap_Kd lost/rust.png\n")
    (tmp_path / "asset" / "pane.obj").write_text(OBJ)
    (tmp_path / "maps" / "old").mkdir(parents=True)
    write_png(tmp_path / "maps" / "old" / "rust.png", np.random.default_rng(1).random((8, 8, 3)))

    def run(*arguments: object) -> subprocess.CompletedProcess[str]:
        return fenrain("convert", tmp_path / "asset" / "pane.obj", "--to", "metal_rough", "-o", tmp_path / "o", *arguments)

    assert "missing" in run().stdout
    done = run("--unit", "cm", "--map-folder", tmp_path / "maps")
    assert (done.returncode, done.stderr) == (0, "")
    (mesh,) = read_meshes(tmp_path / "o" / "pane.glb", tmp_path)
    assert float(mesh.positions[:, 0].max()) == approx(2.0)
    assert read(tmp_path / "o" / "pane.glb")[0].images()
    wrong = run("--unit", "furlongs")
    assert wrong.returncode == 2
    assert wrong.stderr.count("\n") == 1


def test_a_volume_is_as_thick_as_the_mesh_that_carries_it(tmp_path: Path) -> None:
    # Cauchy 1841: the mean chord of a convex body is 4 V/A, of a sphere 4/3 of its radius.
    assert mean_depth([sphere()]) == approx(4.0 / 3.0, rel=0.01)
    corners = [(x, y, z) for x in (0, 20) for y in (0, 20) for z in (0, 20)]
    faces = ("1 2 4 3", "5 7 8 6", "1 5 6 2", "3 4 8 7", "1 3 7 5", "2 6 8 4")
    block = "".join(f"v {x} {y} {z}\n" for x, y, z in corners) + "".join(f"f {face}\n" for face in faces)
    (tmp_path / "glass.mtl").write_text("newmtl glass\nKd 0 0 0\nKs 1 1 1\nNs 900\nNi 1.5\nd 0.1\nTf 0.5 0.8 0.7\nillum 7\n")
    (tmp_path / "block.obj").write_text("mtllib glass.mtl\nusemtl glass\n" + block)
    (glass,) = read(tmp_path / "block.obj", unit=0.01)
    assert glass.geometry.depth == approx(20.0 * 2.0 / 3.0)
    clear = {"diffuse": (0, 0, 0), "reflection": (1, 1, 1), "refraction": (1, 1, 1)}
    conversion = convert(replace(Material.of("glass", "gloss_pair", clear), geometry=glass.geometry), "metal_rough")
    assert conversion.material.parameters()["thickness"] == approx(20.0 * 2.0 / 3.0)
    said = next(entry for entry in conversion.ledger if entry.target == "thickness").steps
    assert any("mean depth" in step.text for step in said)
    # glTF counts in metres.
    written = write([conversion.material], tmp_path / "block.glb", "gltf", tmp_path / "block.obj")[0]
    assert read(written)[0].parameters()["thickness"] == approx(0.2 * 2.0 / 3.0)
    # A pane without a back has no inside.
    (tmp_path / "block.obj").write_text("mtllib glass.mtl\nusemtl glass\n" + block.replace("f 2 6 8 4\n", ""))
    assert read(tmp_path / "block.obj")[0].geometry.depth == 0.0


@pytest.mark.parametrize("unit", [0.0, 0.01, 0.0254, 1.0])
def test_what_a_dialect_states_in_centimetres_is_as_long_in_every_file(unit: float, tmp_path: Path) -> None:
    # Nine millimetres are nine millimetres: glTF 2.0 §3.4 counts in metres, a stage in its metersPerUnit.
    row = {"name": "lens", "Metal": False, "Clear": 100, "Depth": 0.9, "Depth colour": [200, 120, 30], "Optical density": 1.5}
    (tmp_path / "lens.json").write_text(json.dumps([row]))
    (lens,) = read(tmp_path / "lens.json", dialect="quern", unit=unit)
    assert lens.geometry.unit == (unit or 1.0)
    assert lens.parameters()["absorption_distance"] == approx(0.009 / (unit or 1.0))
    (tmp_path / "out").mkdir()
    written = write([convert(lens, "metal_rough").material], tmp_path / "out" / "lens.glb", "gltf")[0]
    assert read(written)[0].parameters()["attenuation_distance"] == approx(0.009)
    stage_file = write([convert(lens, "open_pbr").material], tmp_path / "out" / "lens.usda", "usd")[0]
    metres = UsdGeom.GetStageMetersPerUnit(Usd.Stage.Open(str(stage_file)))
    depths = [one.parameters()["transmission_depth"] for one in read(stage_file) if "transmission_depth" in one.parameters()]
    assert [float(depth) * metres for depth in depths] == approx([0.009])  # type: ignore[arg-type]
    # And back in the dialect's own words: centimetres.
    assert spelled(lens, dialect_of("quern", shipped()))["Depth"] == approx(0.9)


@pytest.mark.parametrize(("unit", "metres"), [(0.0, 0.25), (0.01, 0.0025)])
def test_what_counts_in_scene_units_is_multiplied_once(unit: float, metres: float, tmp_path: Path) -> None:
    # Beer–Lambert with a strength k per unit u: D = u / k. Here k = 4.
    row = {"Label": "pane", "Mirror share": [255] * 3, "Glass share": [255] * 3, "Inner tint": [100, 200, 150], "Inner tint strength": 4}
    (tmp_path / "pane.json").write_text(json.dumps([row]))
    (pane,) = read(tmp_path / "pane.json", dialect="osier", unit=unit)
    assert (pane.geometry.unit, pane.parameters()["volume_strength"]) == (unit, 4.0)
    (tmp_path / "out").mkdir()
    written = write([convert(pane, "metal_rough").material], tmp_path / "out" / "pane.glb", "gltf")[0]
    assert read(written)[0].parameters()["attenuation_distance"] == approx(metres)


def test_a_length_where_there_is_none_is_refused_with_its_line() -> None:
    text = shipped_texts()["quern"].replace("{name: Clear, feeds: refraction,", "{name: Clear, feeds: refraction, length: mm,")
    _, problems = examine(text)
    assert ["does not depend on a unit of length" in problem.message for problem in problems] == [True]


def amber(unit: float, depth: float) -> Material:
    glass = {"transmission_weight": 1.0, "transmission_color": (0.8, 0.4, 0.1), "transmission_depth": depth, "specular_roughness": 0.3}
    return replace(Material.of("lens", "open_pbr", glass), geometry=Geometry(unit=unit))


@pytest.mark.pictures
def test_a_depth_is_as_deep_in_every_picture_whatever_its_unit() -> None:
    # Beer–Lambert: C after D. The stands of a tenth of a metre a unit: a sphere of 0.2 m; 20 mm, 2 cm and 0.2 units are one depth.
    view = View("soft_studio", "sphere", 0.0, 48)
    metres, centimetres, units, deeper = (
        render(amber(unit, depth), view, 16, 1) for unit, depth in ((1.0, 0.02), (0.01, 2.0), (0.0, 0.2), (1.0, 0.2))
    )
    assert metres == approx(centimetres, abs=1e-4)
    assert metres == approx(units, abs=1e-4)
    seen = coverage("sphere", 48)
    assert (deeper[seen] - metres[seen]).mean() > 0.02, "the deeper the colour, the paler it is"
    assert amber(1.0, 0.02).digest != amber(0.01, 0.02).digest
    assert (
        amber(1.0, 0.02).having(transmission_weight=Constant(0.0)).digest
        == amber(0.0, 0.02).having(transmission_weight=Constant(0.0)).digest
    )


@pytest.mark.pictures
@pytest.mark.parametrize("unit", [1.0, 0.01])
def test_a_kit_counts_meshes_and_lengths_in_one_unit(unit: float, tmp_path: Path) -> None:
    # Two centimetres on a sphere of 0.2 m are a fifth of its radius, in a scene whose sphere has a radius of 1.
    conversion = convert(amber(unit, 0.02 / unit), "metal_rough")
    kit = write_kit([conversion], tmp_path / "kit", title="lens", target=served_target("metal_rough", "extensions"))
    written = next((tmp_path / "kit").rglob("converted*.glb"))
    (mesh,) = [one for one in read_meshes(written, written.parent) if one.material == "lens"]
    assert float(np.abs(mesh.positions).max()) == approx(1.0, abs=0.01)
    (lens,) = [one for one in read(written) if one.name == "lens"]
    assert lens.parameters()["attenuation_distance"] == approx(0.2)
    assert kit.pairs[0].original.parameters()["transmission_depth"] == approx(0.2)
    # What the kit draws is what is drawn without it.
    ours = render(amber(unit, 0.02 / unit), View("soft_studio", "sphere", 0.0, 48), 16, 1)
    assert render(kit.pairs[0].original, View("soft_studio", "sphere", 0.0, 48), 16, 1) == approx(ours, abs=1e-4)


def test_what_is_left_after_a_unit_is_counted_in_it_too() -> None:
    # T(x) = C^x: after a tenth of a unit the tenth root.
    clear = {"diffuse_weight": 0.0, "refraction_weight": 1.0, "transmittance": (0.5, 0.25, 1.0)}
    pane = replace(Material.of("pane", "weighted", clear), geometry=Geometry(unit=1.0))
    assert in_scene_units(pane, "sphere").parameters()["transmittance"] == approx((0.5**0.1, 0.25**0.1, 1.0))
