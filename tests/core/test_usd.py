"""USD stages, against the standard's own library and the text of its preview surface.

The short suite misses: reading back what is written of most of the demo's materials.
"""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
from pxr import Sdf, Usd, UsdGeom, UsdShade, UsdUtils, UsdValidation
from pytest import approx

from fenrain.core import Material, convert, read, write
from fenrain.core.errors import BrokenFileError, UnsafePathError
from fenrain.core.formats.reading import read_meshes
from fenrain.core.maps.image import write_png
from fenrain.core.maps.texels import Texels, grid_of
from fenrain.core.values import Constant, Image, Map, Placement
from fenrain.demo.heron_lode import ENGINE_HOUSE, SLUICE_YARD
from tests.sizes import sized

STAGE = """#usda 1.0
(
    defaultPrim = "Pump"
    metersPerUnit = 0.01
    upAxis = "Z"
)
def Xform "Pump" (
    prepend variantSets = "finish"
    variants = {
        string finish = "worn"
    }
)
{
    variantSet "finish" = {
        "new" {
            over "Looks"
            {
                over "Brass"
                {
                    over "Surface"
                    {
                        float inputs:roughness = 0.1
                    }
                }
            }
        }
        "worn" {
            over "Looks"
            {
                over "Brass"
                {
                    over "Surface"
                    {
                        float inputs:roughness = 0.6
                    }
                }
            }
        }
    }
    def Scope "Looks"
    {
        def Material "Brass" (displayName = "gauge brass")
        {
            token outputs:surface.connect = <Surface.outputs:surface>
            def Shader "Surface"
            {
                uniform token info:id = "UsdPreviewSurface"
                color3f inputs:diffuseColor.connect = <../Base.outputs:rgb>
                float inputs:metallic = 1
                float inputs:clearcoat.connect = <../Nowhere.outputs:r>
                normal3f inputs:normal.connect = <../Relief.outputs:rgb>
                token inputs:opacityMode = "presence"
                float inputs:opacity.connect = <../Base.outputs:a>
                token outputs:surface
            }
            def Shader "Base"
            {
                uniform token info:id = "UsdUVTexture"
                asset inputs:file = @./base.png@
                token inputs:sourceColorSpace = "sRGB"
                float4 inputs:scale = (0.5, 0.25, 1, 1)
                float2 inputs:st.connect = <../Place.outputs:result>
                float3 outputs:rgb
                float outputs:a
            }
            def Shader "Relief"
            {
                uniform token info:id = "UsdUVTexture"
                asset inputs:file = @./base.png@
                token inputs:sourceColorSpace = "raw"
                float4 inputs:scale = (2, 2, 2, 1)
                float4 inputs:bias = (-1, -1, -1, 0)
                float2 inputs:st.connect = <../Second.outputs:result>
                float3 outputs:rgb
            }
            def Shader "Place"
            {
                uniform token info:id = "UsdTransform2d"
                float2 inputs:in.connect = <../First.outputs:result>
                float inputs:rotation = 30
                float2 inputs:scale = (2, 3)
                float2 inputs:translation = (0.1, 0.2)
                float2 outputs:result
            }
            def Shader "First"
            {
                uniform token info:id = "UsdPrimvarReader_float2"
                string inputs:varname = "st"
                float2 outputs:result
            }
            def Shader "Second"
            {
                uniform token info:id = "UsdPrimvarReader_float2"
                string inputs:varname = "tiled"
                float2 outputs:result
            }
        }
        def Material "Iron"
        {
            token outputs:surface.connect = <Surface.outputs:surface>
            def Shader "Surface"
            {
                uniform token info:id = "UsdPreviewSurface"
                float inputs:roughness = 2
                token outputs:surface
            }
        }
    }
    def Mesh "Dial" (prepend apiSchemas = ["MaterialBindingAPI"])
    {
        uniform bool doubleSided = 1
        int[] faceVertexCounts = [4, 3]
        int[] faceVertexIndices = [0, 1, 2, 3, 3, 2, 4]
        point3f[] points = [(0, 0, 0), (2, 0, 0), (2, 0, 1), (0, 0, 1), (1, 0, 2)]
        texCoord2f[] primvars:st = [(0, 0), (1, 0), (1, 1), (0, 1), (0, 0), (1, 0), (0.5, 1)] (interpolation = "faceVarying")
        texCoord2f[] primvars:tiled = [(0, 0), (1, 0), (1, 1), (0, 1), (0, 0)] (interpolation = "vertex")
        double3 xformOp:translate = (0, 0, 5)
        uniform token[] xformOpOrder = ["xformOp:translate"]
        rel material:binding = </Pump/Looks/Brass>
        def GeomSubset "Cap" (prepend apiSchemas = ["MaterialBindingAPI"])
        {
            uniform token elementType = "face"
            uniform token familyName = "materialBind"
            int[] indices = [1]
            rel material:binding = </Pump/Looks/Iron>
        }
    }
    def Xform "Spares" (prepend apiSchemas = ["MaterialBindingAPI", "CollectionAPI:cast"])
    {
        uniform token collection:cast:expansionRule = "expandPrims"
        rel collection:cast:includes = </Pump/Spares/Plate>
        rel material:binding:collection:cast = [</Pump/Spares.collection:cast>, </Pump/Looks/Iron>]
        def Mesh "Plate"
        {
            int[] faceVertexCounts = [3]
            int[] faceVertexIndices = [0, 1, 2]
            point3f[] points = [(0, 0, 0), (1, 0, 0), (0, 1, 0)]
        }
        def Mesh "Bare"
        {
            int[] faceVertexCounts = [3]
            int[] faceVertexIndices = [0, 1, 2]
            point3f[] points = [(0, 0, 0), (1, 0, 0), (0, 1, 0)]
        }
    }
}
"""


@pytest.fixture
def stage(tmp_path: Path) -> Path:
    chance = np.random.default_rng(3)
    write_png(tmp_path / "base.png", np.concatenate([chance.uniform(size=(16, 16, 3)), np.ones((16, 16, 1))], axis=-1))
    (tmp_path / "pump.usda").write_text(STAGE)
    return tmp_path / "pump.usda"


def test_a_stage_says_what_it_binds_where(stage: Path) -> None:
    brass, iron, bare = read(stage)
    assert [one.name for one in (brass, iron, bare)] == ["gauge brass", "Iron", "pump"]
    assert brass.model == "preview"
    # A stronger opinion, here of the variant that is chosen, is the one that holds.
    assert brass.parameters() == {"metallic": 1.0, "opacityMode": 1, "roughness": approx(0.6)}
    assert (brass.geometry.meshes, brass.geometry.double_sided) == (("Dial",), True)
    assert [finding.code for finding in brass.findings] == ["not-read"]
    # By face set, and by collection.
    assert sorted(iron.geometry.meshes) == ["Dial", "Plate"]
    assert [finding.code for finding in iron.findings] == ["out-of-range"]
    assert [finding.code for finding in bare.findings] == ["default-material"]
    assert bare.geometry.meshes == ("Bare",)
    relief = brass.values["normal"]
    assert isinstance(relief, Map)
    assert (relief.uv_set, relief.encoding, relief.scale) == (1, "normal", 1.0)
    assert brass.geometry.uv_sets == (0, 1)


def test_a_texture_lies_and_counts_as_its_text_says(stage: Path) -> None:
    # UsdPreviewSurface specification 2.6: texture · scale + bias after decoding; scale, then rotation, then translation, t running up.
    base = read(stage)[0].values["diffuseColor"]
    assert isinstance(base, Map)
    assert (base.channels, base.encoding, base.scale) == ("rgb", "srgb", (0.5, 0.25, 1.0))
    turn = math.radians(30.0)
    for s, t in ((0.0, 0.0), (0.3, 0.8), (1.0, 1.0)):
        x, y = 2.0 * s, 3.0 * t
        wanted = (x * math.cos(turn) - y * math.sin(turn) + 0.1, x * math.sin(turn) + y * math.cos(turn) + 0.2)
        (ou, ov), rotation, (su, sv) = base.placement.offset, base.placement.rotation, base.placement.scale
        # KHR_texture_transform: v runs down, the rotation is counter-clockwise as seen.
        u, v = su * s, sv * (1.0 - t)
        found = (ou + u * math.cos(rotation) + v * math.sin(rotation), ov - u * math.sin(rotation) + v * math.cos(rotation))
        assert (found[0], 1.0 - found[1]) == approx(wanted, abs=1e-6)


def test_meshes_lie_in_the_world_with_y_up(stage: Path) -> None:
    dial, cap, plate, bare = read_meshes(stage, stage.parent)
    assert [mesh.material for mesh in (dial, cap, plate, bare)] == ["gauge brass", "Iron", "Iron", "pump"]
    assert (len(dial.triangles), len(cap.triangles)) == (2, 1)
    # z up, five above the origin, in the file; y up here.
    assert dial.positions[:, 1].min() == approx(5.0)
    assert np.ptp(dial.positions, axis=0) == approx([2.0, 1.0, 0.0])
    assert sorted(map(tuple, cap.uvs.tolist())) == [(0.0, 1.0), (0.5, 0.0), (1.0, 1.0)]
    assert np.abs(dial.normals) == approx(np.tile([0.0, 0.0, 1.0], (len(dial.normals), 1)))


@pytest.mark.population
@pytest.mark.parametrize(
    ("file", "target", "suffix"),
    sized(
        [(SLUICE_YARD, "preview", ".usd"), (SLUICE_YARD, "open_pbr", ".usdz")],
        [
            (ENGINE_HOUSE, "preview", ".usda"),
            (ENGINE_HOUSE, "preview", ".usdz"),
            (ENGINE_HOUSE, "open_pbr", ".usda"),
            (ENGINE_HOUSE, "open_pbr", ".usdc"),
            (ENGINE_HOUSE, "open_pbr", ".usdz"),
            (SLUICE_YARD, "preview", ".usd"),
        ],
    ),
)
def test_what_is_written_is_read_again(file: str, target: str, suffix: str, heron_lode: Path, tmp_path: Path) -> None:
    converted = [convert(material, target).material for material in read(heron_lode / file)]
    out, *_ = write(converted, tmp_path / f"out{suffix}", "usd", heron_lode / file)
    back = read(out)
    assert [one.name for one in back] == [one.name for one in converted]
    for ours, theirs in zip(converted, back, strict=True):
        assert not theirs.findings
        for name, value in ours.values.items():
            again = theirs.value(name)
            assert texels(again) == approx(texels(value), abs=0.004 if isinstance(again, Map) else 1e-5)
    assert {mesh.material: len(mesh.triangles) for mesh in read_meshes(out, tmp_path)} == {
        mesh.material: len(mesh.triangles) for mesh in read_meshes(heron_lode / file, heron_lode)
    }


def texels(value: object) -> np.ndarray:
    """Means over a few bands of a map, in one list; a constant as often."""
    if isinstance(value, Constant):
        return np.broadcast_to(np.asarray(value.value, float), (4, 3)).ravel()
    grid = grid_of([value])  # type: ignore[list-item]
    with Texels(grid) as opened:
        whole = np.asarray(opened.at(value, 0, grid.height))  # type: ignore[arg-type]
    means = np.array([band.mean(axis=(0, 1)) for band in np.array_split(whole, 4)])
    return np.broadcast_to(means, (4, 3)).ravel()


def test_a_stage_that_references_ours_shows_the_materials_bound(heron_lode: Path, tmp_path: Path) -> None:
    materials = [convert(material, "preview").material for material in read(heron_lode / ENGINE_HOUSE)]
    out, *_ = write(materials, tmp_path / "engine.usda", "usd", heron_lode / ENGINE_HOUSE)
    shot = Usd.Stage.CreateInMemory()
    shot.DefinePrim("/Shot/Engine").GetReferences().AddReference(str(out))
    meshes = [prim for prim in shot.Traverse() if prim.IsA(UsdGeom.Mesh)]
    assert len(meshes) == len(read_meshes(heron_lode / ENGINE_HOUSE, heron_lode))
    for mesh in meshes:
        material, _ = UsdShade.MaterialBindingAPI(mesh).ComputeBoundMaterial()
        assert str(material.GetPath()).startswith("/Shot/Engine/Looks/")
    assert not validated(out)


def validated(path: Path) -> list[str]:
    """What the standard's own validators say."""
    context = UsdValidation.ValidationContext(UsdValidation.ValidationRegistry().GetOrLoadAllValidators())
    return [error.GetMessage() for error in context.Validate(Usd.Stage.Open(str(path)))]


def test_an_asset_that_is_a_stage_is_written_whole(stage: Path, tmp_path: Path) -> None:
    with stage.open("a") as text:
        text.write('def Camera "Eye"\n{\n    float focalLength = 35\n}\n')
        text.write('def DomeLight "Sky"\n{\n    asset inputs:texture:file = @./base.png@\n}\n')
    brass, iron, bare = read(stage)
    converted = [convert(one, "open_pbr").material for one in (brass, iron, bare)]
    out, *files = write(converted, tmp_path / "home" / "pump.usda", "usd", stage)
    assert [(one.name, one.model, one.geometry) for one in read(out)] == [
        (one.name, "open_pbr", one.geometry) for one in sorted((brass, iron, bare), key=lambda one: one.name == "pump")
    ]
    whole = Usd.Stage.Open(str(out))
    assert UsdGeom.Camera(whole.GetPrimAtPath("/Eye")).GetFocalLengthAttr().Get() == 35.0
    assert UsdGeom.GetStageMetersPerUnit(whole) == approx(0.01)
    assert UsdGeom.GetStageUpAxis(whole) == "Z"
    # Everything that is named lies with it, by a path that holds anywhere.
    layers, named, missing = UsdUtils.ComputeAllDependencies(Sdf.AssetPath(str(out)))
    assert missing == []
    beneath = {Path(layer.realPath).resolve() for layer in layers[1:]}
    assert {Path(one).resolve() for one in named} | beneath == {one.resolve() for one in files}
    assert str(tmp_path) not in out.read_text()
    # The asset's own layer lies beneath as it was; over it there are the materials, and what nothing was bound to, and nothing else.
    (copied,) = beneath
    assert copied.read_bytes() == stage.read_bytes()
    said = Sdf.Layer.FindOrOpen(str(out))
    assert {path.GetPrimPath().name for path in _specs(said) if path.IsPrimPath() and path.pathElementCount == 3} == {
        *("Brass", "Iron", "pump", "Bare")
    }
    # Of nodes of MaterialX the library at hand knows none; the family of the subset is the asset's own.
    assert [message for message in validated(out) if "sdrRegistry" not in message and "subset family" not in message] == []
    ours, theirs = (read_meshes(path, path.parent) for path in (stage, out))
    assert [mesh.material for mesh in ours] == [mesh.material for mesh in theirs]
    assert all(np.allclose(first.positions, second.positions) for first, second in zip(ours, theirs, strict=True))
    # What of it is not converted stays as it was.
    (alone, *_) = write(converted[:1], tmp_path / "one" / "pump.usda", "usd", stage)
    assert [one.model for one in read(alone)] == ["open_pbr", "preview", "preview"]


def _specs(layer: Sdf.Layer) -> list[Sdf.Path]:
    found: list[Sdf.Path] = []
    layer.Traverse(Sdf.Path.absoluteRootPath, found.append)
    return found


def test_variants_and_references_stay_beneath_what_is_written(stage: Path, tmp_path: Path) -> None:
    shot = Usd.Stage.CreateNew(str(tmp_path / "shot.usda"))
    pump = UsdGeom.Xform.Define(shot, "/Shot/Pump").GetPrim()
    shot.SetDefaultPrim(shot.GetPrimAtPath("/Shot"))
    UsdGeom.SetStageUpAxis(shot, UsdGeom.Tokens.z)
    pump.GetReferences().AddReference("./pump.usda", "/Pump")
    choices = pump.GetVariantSets().AddVariantSet("state")
    for name in ("new", "old"):
        choices.AddVariant(name)
        choices.SetVariantSelection(name)
        with choices.GetVariantEditContext():
            UsdGeom.Xform.Define(shot, f"/Shot/Pump/{name}")
    shot.GetRootLayer().Save()
    converted = [convert(one, "open_pbr").material for one in read(tmp_path / "shot.usda")]
    out, *files = write(converted, tmp_path / "home" / "shot.usda", "usd", tmp_path / "shot.usda")
    whole = Usd.Stage.Open(str(out))
    assert whole.GetPrimAtPath("/Shot/Pump").GetVariantSet("state").GetVariantNames() == ["new", "old"]
    assert {file.name for file in files} >= {"shot.usda", "pump.usda", "base.png"}
    assert {one.model for one in read(out)} == {"open_pbr"}
    assert UsdGeom.GetStageUpAxis(whole) == "Z"
    ours, theirs = (read_meshes(path, path.parent) for path in (tmp_path / "shot.usda", out))
    assert [mesh.material for mesh in ours] == [mesh.material for mesh in theirs]


def test_what_instances_share_is_one_material(tmp_path: Path) -> None:
    write([Material.of("m", "preview", {"roughness": 0.3})], tmp_path / "m.usda", "usd")
    stage = Usd.Stage.CreateNew(str(tmp_path / "many.usda"))
    stage.SetDefaultPrim(UsdGeom.Xform.Define(stage, "/Many").GetPrim())
    bolt = UsdGeom.Mesh.Define(stage, "/Bolt/Body")
    bolt.CreatePointsAttr([(0, 0, 0), (1, 0, 0), (0, 1, 0)])
    bolt.CreateFaceVertexCountsAttr([3])
    bolt.CreateFaceVertexIndicesAttr([0, 1, 2])
    stage.DefinePrim("/Bolt/Look").GetReferences().AddReference("./m.usda", "/m/Looks/m")
    UsdShade.MaterialBindingAPI.Apply(bolt.GetPrim()).Bind(UsdShade.Material(stage.GetPrimAtPath("/Bolt/Look")))
    stage.GetPrimAtPath("/Bolt").SetSpecifier(Sdf.SpecifierClass)
    for number in range(3):
        shown = UsdGeom.Xform.Define(stage, f"/Many/Bolt_{number}")
        shown.AddTranslateOp().Set((2.0 * number, 0.0, 0.0))
        shown.GetPrim().GetReferences().AddInternalReference("/Bolt")
        shown.GetPrim().SetInstanceable(True)
    stage.GetRootLayer().Save()
    (look,) = read(tmp_path / "many.usda")
    assert (look.name, look.parameters(), look.geometry.meshes) == ("Look", {"roughness": approx(0.3)}, ("Body",) * 3)
    assert [float(mesh.positions[:, 0].min()) for mesh in read_meshes(tmp_path / "many.usda", tmp_path)] == [0.0, 2.0, 4.0]
    (out, *_) = write([convert(look, "open_pbr").material], tmp_path / "out.usda", "usd", tmp_path / "many.usda")
    assert {(one.name, one.model) for one in read(out)} == {("Look", "open_pbr")}


def test_meshes_of_a_stage_are_carried_by_other_formats(stage: Path, tmp_path: Path) -> None:
    converted = [convert(one, "metal_rough").material for one in read(stage)]
    out, *_ = write(converted, tmp_path / "pump.glb", "gltf", stage)
    assert [(mesh.material, len(mesh.triangles)) for mesh in read_meshes(out, tmp_path)] == [
        (mesh.material, len(mesh.triangles)) for mesh in read_meshes(stage, stage.parent)
    ]


def test_nodes_in_a_stage_say_what_the_same_nodes_say_in_a_document(heron_lode: Path, tmp_path: Path) -> None:
    # One material in two of the standard's spellings: MaterialX in USD, and MaterialX alone.
    placed = Map(Image("base.png", picture(tmp_path)), "rgb", "srgb", placement=Placement((0.1, 0.2), 0.5, (2.0, 3.0)))
    values = {"base_color": placed, "specular_roughness": 0.3, "coat_weight": 0.5, "geometry_thin_walled": True}
    material = Material.of("m", "open_pbr", values)
    (alone,), (within,) = (read(write([material], tmp_path / name, kind)[0]) for name, kind in (("m.mtlx", "materialx"), ("m.usda", "usd")))
    assert within.parameters() == alone.parameters()
    ours, theirs = within.values["base_color"], alone.values["base_color"]
    assert isinstance(ours, Map)
    assert isinstance(theirs, Map)
    assert ours.image.digest == theirs.image.digest
    assert (ours.encoding, ours.placement) == (theirs.encoding, theirs.placement)
    # The library at hand knows no MaterialX nodes by itself; else its validators find nothing.
    assert all("not found in sdrRegistry" in said for said in validated(tmp_path / "m.usda"))


def test_a_layer_in_another_folder_names_its_images_from_there(tmp_path: Path) -> None:
    (tmp_path / "looks").mkdir()
    values = {"base_color": Map(Image("base.png", picture(tmp_path)), "rgb", "srgb"), "specular_roughness": 0.3}
    write([Material.of("m", "open_pbr", values)], tmp_path / "looks" / "m.usda", "usd")
    write([Material.of("p", "preview", {"diffuseColor": values["base_color"]})], tmp_path / "looks" / "p.usda", "usd")
    (tmp_path / "table.usda").write_text(
        '#usda 1.0\ndef "Looks"\n{\n    def "A" (prepend references = @./looks/m.usda@</m/Looks/m>) {}\n'
        '    def "B" (prepend references = @./looks/p.usda@</p/Looks/p>) {}\n}\n'
    )
    first, second = read(tmp_path / "table.usda")
    assert not [*first.findings, *second.findings]
    assert [type(one.values[name]) for one, name in ((first, "base_color"), (second, "diffuseColor"))] == [Map, Map]


def test_a_document_that_a_stage_names_is_read_with_it(tmp_path: Path) -> None:
    write([Material.of("Oak", "open_pbr", {"specular_roughness": 0.7})], tmp_path / "looks.mtlx", "materialx")
    stage = Usd.Stage.CreateNew(str(tmp_path / "table.usda"))
    stage.DefinePrim("/Table/Looks").GetReferences().AddReference("./looks.mtlx", "/MaterialX")
    mesh = UsdGeom.Mesh.Define(stage, "/Table/Top")
    mesh.CreatePointsAttr([(0, 0, 0), (1, 0, 0), (0, 0, 1)])
    mesh.CreateFaceVertexCountsAttr([3])
    mesh.CreateFaceVertexIndicesAttr([0, 1, 2])
    UsdShade.MaterialBindingAPI.Apply(mesh.GetPrim()).GetDirectBindingRel()
    mesh.GetPrim().CreateRelationship("material:binding").SetTargets([Sdf.Path("/Table/Looks/Materials/Oak")])
    stage.GetRootLayer().Save()
    (oak,) = read(tmp_path / "table.usda")
    assert (oak.name, oak.model, oak.geometry.meshes) == ("Oak", "open_pbr", ("Top",))
    assert [mesh.material for mesh in read_meshes(tmp_path / "table.usda", tmp_path)] == ["Oak"]


def picture(folder: Path) -> Path:
    write_png(folder / "base.png", np.random.default_rng(1).uniform(size=(16, 16, 3)))
    return folder / "base.png"


def test_nothing_is_composed_from_outside(tmp_path: Path) -> None:
    (tmp_path / "secret.usda").write_text('#usda 1.0\ndef Material "Secret" {}\n')
    inside = tmp_path / "inside"
    inside.mkdir()
    for arc in ("references", "payload"):
        (inside / "a.usda").write_text(f'#usda 1.0\ndef "A" (prepend {arc} = @../secret.usda@) {{}}\n')
        with pytest.raises(UnsafePathError):
            read(inside / "a.usda")
    (inside / "a.usda").write_text("#usda 1.0\n(subLayers = [@../secret.usda@])\n")
    with pytest.raises(UnsafePathError):
        read(inside / "a.usda")
    (inside / "a.usda").write_text('#usda 1.0\ndef Material "A" (prepend references = @./gone.usda@) {}\n')
    (found,) = read(inside / "a.usda")
    assert {finding.code for finding in found.findings} == {"missing-layer", "unknown-surface"}
    # The same from within a package.
    (tmp_path / "out.usda").write_text('#usda 1.0\ndef "A" (prepend references = @/gone/secret.usda@) {}\n')
    with Sdf.ZipFileWriter.CreateNew(str(inside / "p.usdz")) as package:
        package.AddFile(str(tmp_path / "out.usda"), "out.usda")
    with pytest.raises(UnsafePathError):
        read(inside / "p.usdz")


def test_what_is_no_stage_is_refused(tmp_path: Path) -> None:
    for name, data in (("a.usda", b"#usda 1.0\n(((("), ("a.usdc", b"PXR-USDC" + b"\xff" * 90), ("a.usdz", b"PK\x03\x04"), ("a.usd", b"")):
        (tmp_path / name).write_bytes(data)
        with pytest.raises(BrokenFileError) as refused:
            read(tmp_path / name)
        assert str(tmp_path) not in refused.value.message
    (tmp_path / "empty.usda").write_text("#usda 1.0\n")
    with pytest.raises(BrokenFileError, match="no material"):
        read(tmp_path / "empty.usda")


SHAPES = {
    "Sphere": ("double radius = 1.5", 4.0 / 3.0 * np.pi * 1.5**3),
    "Cube": ("double size = 2.5", 2.5**3),
    "Cylinder": ("double radius = 0.5\n double height = 3", np.pi * 0.25 * 3.0),
    "Cone": ('double radius = 0.5\n double height = 3\n uniform token axis = "X"', np.pi * 0.25 * 3.0 / 3.0),
    "Capsule": ('double radius = 0.5\n double height = 3\n uniform token axis = "Y"', np.pi * (0.25 * 3.0 + 4.0 / 3.0 * 0.125)),
    "Plane": ("double width = 2\n double length = 3", 0.0),
}
SHAPED = """#usda 1.0
(
    metersPerUnit = 1
    upAxis = "Y"
)
def {kind} "body" (prepend apiSchemas = ["MaterialBindingAPI"])
{{
 {sizes}
 double3 xformOp:translate = (1, 2, 3)
 float3 xformOp:scale = (1, 1, {mirror})
 uniform token[] xformOpOrder = ["xformOp:translate", "xformOp:scale"]
 rel material:binding = </gate>
}}
def Material "gate"
{{
 token outputs:surface.connect = </gate/surface.outputs:surface>
 def Shader "surface"
 {{
  uniform token info:id = "UsdPreviewSurface"
  token outputs:surface
 }}
}}
"""


@pytest.mark.parametrize("mirror", [1, -1])
@pytest.mark.parametrize("kind", SHAPES)
def test_usds_own_shapes_are_meshes_where_a_target_needs_them(kind: str, mirror: int, tmp_path: Path) -> None:
    # The bounds are the standard library's own, the volumes those of Euclid and Archimedes, by the divergence theorem.
    sizes, volume = SHAPES[kind]
    path = tmp_path / "body.usda"
    path.write_text(SHAPED.format(kind=kind, sizes=sizes, mirror=mirror))
    (mesh,) = read_meshes(path, tmp_path)
    assert (mesh.name, mesh.material) == ("body", "gate")
    stage = Usd.Stage.Open(str(path))
    box = UsdGeom.BBoxCache(Usd.TimeCode.Default(), ["default"]).ComputeWorldBound(stage.GetPrimAtPath("/body"))
    limits = box.ComputeAlignedRange()
    assert mesh.positions.min(axis=0) == approx(np.array(limits.GetMin()), abs=0.01)
    assert mesh.positions.max(axis=0) == approx(np.array(limits.GetMax()), abs=0.01)
    corners = mesh.positions[mesh.triangles] - np.array([1.0, 2.0, 3.0])
    enclosed = float(np.einsum("ij,ij->i", corners[:, 0], np.cross(corners[:, 1], corners[:, 2])).sum()) / 6.0
    assert enclosed == approx(volume, rel=0.01, abs=1e-9)
    faces = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    there = np.linalg.norm(faces, axis=1) > 1e-9
    assert (np.einsum("ij,ij->i", faces, mesh.normals[mesh.triangles[:, 0]])[there] > -1e-9).all()
    assert np.ptp(mesh.uvs, axis=0).min() > 0.5
    written = write([convert(one, "metal_rough").material for one in read(path)], tmp_path / "out.glb", "gltf", path)
    assert len(read_meshes(written[0], tmp_path)[0].triangles) == len(mesh.triangles)


def test_a_mesh_without_a_face_still_converts(tmp_path: Path) -> None:
    bare = tmp_path / "bare.obj"
    (tmp_path / "bare.mtl").write_text("newmtl gate\nKd 0.5 0.5 0.5\n")
    bare.write_text("mtllib bare.mtl\nv 0 0 0\nusemtl gate\n")
    written = write([convert(one, "metal_rough").material for one in read(bare)], tmp_path / "out.glb", "gltf", bare)
    assert [one.name for one in read(written[0])] == ["gate"]
