"""Writes USD stages: materials by preview networks or MaterialX nodes, and the meshes that carry them, bound."""

from __future__ import annotations

import hashlib
import math
import tempfile
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import Any

import MaterialX as mx
import numpy as np
from pxr import Ar, Gf, Sdf, Tf, Usd, UsdGeom, UsdShade, UsdUtils, Vt

from fenrain.core.errors import UnknownFormatError
from fenrain.core.files import not_written, whole_file, write_whole
from fenrain.core.formats.baking import MapFolder
from fenrain.core.formats.coordinates import projections_of, with_coordinates
from fenrain.core.formats.materialx.graphs import libraries
from fenrain.core.formats.materialx.writing import add_material, node_name
from fenrain.core.formats.placement import v_up_shift
from fenrain.core.formats.reading import read_meshes
from fenrain.core.formats.usd import SUFFIXES
from fenrain.core.formats.usd.coordinates import lay_coordinates
from fenrain.core.formats.usd.layers import Over, laid_over
from fenrain.core.formats.usd.networks import written
from fenrain.core.formats.usd.stage import Opened, bound_material, bound_path, material_name, packed_image, shared_path, told_as_broken
from fenrain.core.geometry import Mesh
from fenrain.core.material import Material, unit_of
from fenrain.core.models.parameter import Kind, Parameter
from fenrain.core.models.registry import model_of
from fenrain.core.models.target import Profile
from fenrain.core.values import Constant, Map, Value

CONVERTED = "Converted"
"""What the graph is called that a material's new network lies in, beside the one that it had."""
KINDS = {"number": Sdf.ValueTypeNames.Float, "colour": Sdf.ValueTypeNames.Color3f, "normal": Sdf.ValueTypeNames.Normal3f}


def write_usd(materials: Sequence[Material], path: Path, asset: Path | None, profile: Profile) -> list[Path]:
    """Write one stage with all materials; a stage that references it shows them bound to the meshes of the asset. Maps lie in a folder
    beside it, or with it in one package (.usdz).

    An asset that is a stage keeps its layers, variants, instances and all: they are copied beside, and what is written is a layer over
    them that holds the materials alone. In a package, and where a material lies inside of instances, it is written as one layer instead, of
    its variants those that are chosen. Raises StorageError, ImageError, and what reading the asset raises.
    """
    if path.suffix.lower() == ".usdz":
        return [_packed(materials, path, asset, profile)]
    maps = MapFolder(path.parent / "maps", profile.maps)
    if asset is None or asset.suffix.lower() not in SUFFIXES:
        stage, places = _laid_out(materials, path, asset)
        return _exported(stage, materials, places, maps, path)
    with told_as_broken(asset):
        if _can_be_laid_over(asset, materials):
            over = laid_over(asset, path)
            places = [_emptied(over.stage, made) for made in _places(over.stage, materials)]
            _bind_the_bare(over.stage, materials, places)
            lay_coordinates(over.stage, materials, places)
            return _exported(over.stage, materials, places, maps, path, over)
        stage, places = _carried(asset, materials, maps)
        lay_coordinates(stage, materials, places)
    return _exported(stage, materials, places, maps, path)


def _exported(
    stage: Any, materials: Sequence[Material], places: Sequence[UsdShade.Material], maps: MapFolder, path: Path, over: Over | None = None
) -> list[Path]:
    with whole_file(path) as temporary:
        _put(stage, materials, places, maps)
        layer = stage.GetRootLayer() if over is None else over.layer()
        try:
            layer.Export(str(temporary))
        except Tf.ErrorException as reason:
            raise not_written(path, str(reason).strip().splitlines()[0][:120]) from reason
    return [path, *maps.files, *(over.files if over is not None else [])]


def _can_be_laid_over(asset: Path, materials: Sequence[Material]) -> bool:
    """Whether a stronger layer reaches the place of every material: it does not inside of instances, and a package is one file."""
    if asset.suffix.lower() == ".usdz":
        return False
    stage = Opened(asset, asset.parent).stage
    places = [material.source.place for material in materials if Sdf.Path.IsValidPathString(material.source.place)[0]]
    return not any(prim.IsInstanceProxy() for prim in map(stage.GetPrimAtPath, places) if prim)


def _emptied(stage: Any, made: UsdShade.Material) -> UsdShade.Material:
    """The material without a say of what it had: its outputs lead nowhere."""
    for output in made.GetOutputs():
        output.GetAttr().SetConnections([])
    return made


def _laid_out(materials: Sequence[Material], path: Path, asset: Path | None) -> tuple[Any, list[UsdShade.Material]]:
    """A new stage with the meshes of an asset of another format, each bound to where its material will stand."""
    stage = Usd.Stage.CreateInMemory()
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
    UsdGeom.SetStageMetersPerUnit(stage, unit_of(materials))
    root = UsdGeom.Xform.Define(stage, f"/{Tf.MakeValidIdentifier(path.stem)}").GetPrim()
    stage.SetDefaultPrim(root)
    Usd.ModelAPI(root).SetKind("component")
    places = _places(stage, materials)
    bound: dict[str, UsdShade.Material] = {}
    for material, made in zip(materials, places, strict=True):
        bound.setdefault(material.name, made)
    for mesh in with_coordinates(_meshes_of(asset), projections_of(materials)):
        _add_mesh(stage, root.GetPath().AppendChild("Meshes"), mesh, bound.get(mesh.material), materials)
    return stage, places


def _carried(asset: Path, materials: Sequence[Material], maps: MapFolder) -> tuple[Any, list[UsdShade.Material]]:
    """The asset as one layer, without what is written again; images that the rest of it names are copied."""
    opened = Opened(asset, asset.parent)
    shown: dict[str, list[Sdf.Path]] = {}
    for prim in opened.prims():
        if prim.IsA(UsdShade.Material):
            shown.setdefault(shared_path(prim), []).append(prim.GetPath())
    while instances := [prim for prim in opened.stage.Traverse() if prim.IsInstance()]:
        with Usd.EditContext(opened.stage, opened.stage.GetSessionLayer()):
            for prim in instances:
                prim.SetInstanceable(False)
    stage = Usd.Stage.Open(opened.stage.Flatten(addSourceFileComment=False))
    roots = stage.GetPseudoRoot().GetChildren()
    if not stage.GetDefaultPrim() and roots:
        stage.SetDefaultPrim(roots[0])
    _take_together(stage, shown.values())
    places = _places(stage, materials)
    for prim in places:
        for child in prim.GetPrim().GetChildren():
            stage.RemovePrim(child.GetPath())
        for name in prim.GetPrim().GetAuthoredPropertyNames():
            if name.startswith("outputs:"):
                prim.GetPrim().RemoveProperty(name)
    _bind_the_bare(stage, materials, places)
    UsdUtils.ModifyAssetPaths(stage.GetRootLayer(), lambda named: _copied(str(named), asset, maps))
    return stage, places


def _bind_the_bare(stage: Any, materials: Sequence[Material], places: Sequence[UsdShade.Material]) -> None:
    """Bind the material of what has none to it."""
    unbound = [prim for prim in stage.Traverse() if prim.IsA(UsdGeom.Gprim) and bound_path(prim) is None]
    for material, made in zip(materials, places, strict=True):
        if (material.source.format, material.source.place) == ("usd", ""):
            for prim in unbound:
                UsdShade.MaterialBindingAPI.Apply(prim).Bind(made)


def _take_together(stage: Any, groups: Iterable[Sequence[Sdf.Path]]) -> None:
    """Bind what lay on copies of a material, one for each instance that showed it, to the first."""
    first = {copy: group[0] for group in groups for copy in group[1:]}
    for prim in stage.Traverse():
        bound = bound_material(prim) if prim.IsA(UsdGeom.Gprim) or prim.IsA(UsdGeom.Subset) else None
        if bound is not None and bound.GetPath() in first:
            UsdShade.MaterialBindingAPI.Apply(prim).Bind(UsdShade.Material(stage.GetPrimAtPath(first[bound.GetPath()])))
    for copy in first:
        stage.RemovePrim(copy)


def _copied(named: str, asset: Path, maps: MapFolder) -> str:
    """The path of a copy of what the rest of an asset names; none where that does not lie beside it."""
    if Ar.IsPackageRelativePath(named):
        image = packed_image(named)
        data = None if image is None else image.read()
    else:
        file = Path(named)
        data = file.read_bytes() if file.is_file() and file.resolve().is_relative_to(asset.parent.resolve()) else None
    if data is None:
        return ""
    target = maps.folder / f"{hashlib.sha256(data).hexdigest()[:12]}_{Path(named.rstrip(']')).name}"
    if target not in maps.files:
        write_whole(target, data)
        maps.files.append(target)
    return f"./{maps.name}/{target.name}"


def _places(stage: Any, materials: Sequence[Material]) -> list[UsdShade.Material]:
    """Where each material stands: in its own place on its asset's stage, else in a scope of new ones."""
    looks = stage.GetDefaultPrim().GetPath().AppendChild("Looks") if stage.GetDefaultPrim() else Sdf.Path("/Looks")
    there = stage.GetPrimAtPath(looks)
    taken = {child.GetName().casefold() for child in there.GetChildren()} if there else set()
    found, used = [], set[Sdf.Path]()
    for material in materials:
        place = material.source.place
        own = stage.GetPrimAtPath(place) if place.startswith("/") and Sdf.Path.IsValidPathString(place)[0] else None
        if own and own.IsA(UsdShade.Material) and own.GetPath() not in used and material_name(own) == material.name:
            made = UsdShade.Material(own)
        else:
            UsdGeom.Scope.Define(stage, looks)
            made = UsdShade.Material.Define(stage, looks.AppendChild(Tf.MakeValidIdentifier(node_name(material.name, taken))))
            if made.GetPrim().GetName() != material.name:
                made.GetPrim().SetDisplayName(material.name)
        used.add(made.GetPath())
        found.append(made)
    return found


def _packed(materials: Sequence[Material], path: Path, asset: Path | None, profile: Profile) -> Path:
    with tempfile.TemporaryDirectory(prefix="fenrain-usd-") as scratch, whole_file(path) as temporary:
        stage, *_ = write_usd(materials, Path(scratch) / f"{path.stem}.usdc", asset, profile)
        if not UsdUtils.CreateNewUsdzPackage(Sdf.AssetPath(str(stage)), str(temporary)):
            raise not_written(path, "the package could not be made")
    return path


def _meshes_of(asset: Path | None) -> list[Mesh]:
    if asset is None:
        return []
    try:
        return read_meshes(asset, asset.parent)
    except UnknownFormatError:
        return []


def _put(stage: Any, materials: Sequence[Material], places: Sequence[UsdShade.Material], maps: MapFolder) -> None:
    """Lay each material's network where it stands."""
    taken: set[str] = set()
    for material, made in zip(materials, places, strict=True):
        name = node_name(material.name, taken)
        holder = _holder(stage, made)
        place = holder.GetPath()
        if material.model == "preview":
            surface = _preview(stage, place, material, name, maps)
            _lead_out(made, holder, "", surface, "surface")
            continue
        document = mx.createDocument()
        document.setDataLibrary(libraries())
        add_material(document, material, name, maps, ())
        shader = document.getMaterialNodes()[0].getConnectedNode("surfaceshader")
        _lead_out(made, holder, "mtlx", written(stage, place, shader, {}), "out")


def _holder(stage: Any, made: UsdShade.Material) -> Any:
    """Where a material's network is laid: in itself, or, where it has one already that shines through from below, in a graph of its own."""
    if not made.GetPrim().GetChildren():
        return made
    names = {child.GetName() for child in made.GetPrim().GetAllChildren()}
    name = next(name for name in (CONVERTED, *(f"{CONVERTED}_{count}" for count in range(2, 1000))) if name not in names)
    return UsdShade.NodeGraph.Define(stage, made.GetPath().AppendChild(name))


def _lead_out(made: UsdShade.Material, holder: Any, context: str, shader: UsdShade.Shader, output: str) -> None:
    surface = made.CreateSurfaceOutput(context) if context else made.CreateSurfaceOutput()
    if holder.GetPath() != made.GetPath():
        own = holder.CreateOutput("surface", Sdf.ValueTypeNames.Token)
        own.ConnectToSource(shader.ConnectableAPI(), output)
        surface.ConnectToSource(own)
    else:
        surface.ConnectToSource(shader.ConnectableAPI(), output)


def _preview(stage: Any, place: Sdf.Path, material: Material, name: str, maps: MapFolder) -> UsdShade.Shader:
    """A preview surface with its textures (UsdPreviewSurface specification 2.6)."""
    surface = UsdShade.Shader.Define(stage, place.AppendChild("Surface"))
    surface.CreateIdAttr("UsdPreviewSurface")
    for parameter in model_of("preview").parameters:
        value = material.values.get(parameter.name)
        if value is None or value == Constant(parameter.default):
            continue
        if isinstance(value, Constant):
            _set(surface, parameter, value.value)
            continue
        texture = _texture(stage, place, parameter, value, f"{name}_{parameter.name}", maps)
        entry = surface.CreateInput(parameter.name, KINDS[parameter.kind])
        entry.ConnectToSource(texture.ConnectableAPI(), "rgb" if parameter.channels == 3 else "r")
    return surface


def _set(surface: UsdShade.Shader, parameter: Parameter, value: Any) -> None:
    if parameter.name == "opacityMode":
        surface.CreateInput(parameter.name, Sdf.ValueTypeNames.Token).Set(dict(parameter.options)[int(value)])
    elif parameter.kind is Kind.CHOICE:
        surface.CreateInput(parameter.name, Sdf.ValueTypeNames.Int).Set(int(value))
    elif parameter.kind is Kind.COLOUR:
        surface.CreateInput(parameter.name, KINDS["colour"]).Set(Gf.Vec3f(*map(float, value)))
    elif parameter.kind is not Kind.NORMAL:
        surface.CreateInput(parameter.name, KINDS["number"]).Set(float(value))


def _texture(stage: Any, place: Sdf.Path, parameter: Parameter, value: Value, name: str, maps: MapFolder) -> UsdShade.Shader:
    """A map as an image, with the nodes that place it."""
    made = maps.map_of(value, parameter, name)
    texture = UsdShade.Shader.Define(stage, place.AppendChild(f"{parameter.name}_texture"))
    texture.CreateIdAttr("UsdUVTexture")
    texture.CreateInput("file", Sdf.ValueTypeNames.Asset).Set(Sdf.AssetPath(f"./{maps.name}/{made.image.name}"))
    texture.CreateInput("sourceColorSpace", Sdf.ValueTypeNames.Token).Set("sRGB" if made.encoding == "srgb" else "raw")
    for axis, wrap in zip(("wrapS", "wrapT"), made.placement.wrap, strict=True):
        texture.CreateInput(axis, Sdf.ValueTypeNames.Token).Set(str(wrap))
    if parameter.kind is Kind.NORMAL:
        texture.CreateInput("scale", Sdf.ValueTypeNames.Float4).Set(Gf.Vec4f(2.0, 2.0, 2.0, 1.0))
        texture.CreateInput("bias", Sdf.ValueTypeNames.Float4).Set(Gf.Vec4f(-1.0, -1.0, -1.0, 0.0))
    output = ("rgb", Sdf.ValueTypeNames.Float3) if parameter.channels == 3 else ("r", Sdf.ValueTypeNames.Float)
    texture.CreateOutput(*output)
    coordinates = _placed(stage, place, parameter.name, made)
    texture.CreateInput("st", Sdf.ValueTypeNames.Float2).ConnectToSource(coordinates.ConnectableAPI(), "result")
    return texture


def _placed(stage: Any, place: Sdf.Path, name: str, made: Map) -> UsdShade.Shader:
    reader = UsdShade.Shader.Define(stage, place.AppendChild(f"{name}_uv"))
    reader.CreateIdAttr("UsdPrimvarReader_float2")
    reader.CreateInput("varname", Sdf.ValueTypeNames.String).Set(uv_name(made.uv_set))
    reader.CreateOutput("result", Sdf.ValueTypeNames.Float2)
    if not made.placement.moves:
        return reader
    transform = UsdShade.Shader.Define(stage, place.AppendChild(f"{name}_placed"))
    transform.CreateIdAttr("UsdTransform2d")
    transform.CreateInput("in", Sdf.ValueTypeNames.Float2).ConnectToSource(reader.ConnectableAPI(), "result")
    transform.CreateInput("rotation", Sdf.ValueTypeNames.Float).Set(math.degrees(made.placement.rotation))
    transform.CreateInput("scale", Sdf.ValueTypeNames.Float2).Set(Gf.Vec2f(*made.placement.scale))
    transform.CreateInput("translation", Sdf.ValueTypeNames.Float2).Set(Gf.Vec2f(*v_up_shift(made.placement)))
    transform.CreateOutput("result", Sdf.ValueTypeNames.Float2)
    return transform


def uv_name(number: int) -> str:
    return "st" if number == 0 else f"st{number}"


def _add_mesh(stage: Any, scope: Sdf.Path, mesh: Mesh, material: UsdShade.Material | None, materials: Sequence[Material]) -> None:
    parent = UsdGeom.Scope.Define(stage, scope).GetPath()
    name, count = Tf.MakeValidIdentifier(mesh.name or "mesh"), 1
    while stage.GetPrimAtPath(parent.AppendChild(name)):
        count += 1
        name = f"{Tf.MakeValidIdentifier(mesh.name or 'mesh')}_{count}"
    made = UsdGeom.Mesh.Define(stage, parent.AppendChild(name))
    made.CreatePointsAttr(_vectors(Vt.Vec3fArray, mesh.positions))
    made.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(np.full(len(mesh.triangles), 3, np.int32)))
    made.CreateFaceVertexIndicesAttr(Vt.IntArray.FromNumpy(np.ascontiguousarray(mesh.triangles.ravel(), np.int32)))
    made.CreateNormalsAttr(_vectors(Vt.Vec3fArray, mesh.normals))
    made.SetNormalsInterpolation(UsdGeom.Tokens.vertex)
    made.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
    made.CreateExtentAttr(_vectors(Vt.Vec3fArray, np.stack([mesh.positions.min(axis=0), mesh.positions.max(axis=0)])))
    kind = Sdf.ValueTypeNames.TexCoord2fArray
    UsdGeom.PrimvarsAPI(made).CreatePrimvar("st", kind, UsdGeom.Tokens.vertex).Set(
        _vectors(Vt.Vec2fArray, mesh.uvs * [1.0, -1.0] + [0.0, 1.0])
    )
    if any(one.geometry.double_sided for one in materials if one.name == mesh.material):
        made.CreateDoubleSidedAttr(True)
    if material is not None:
        UsdShade.MaterialBindingAPI.Apply(made.GetPrim()).Bind(material)


def _vectors(kind: Any, values: np.ndarray) -> Any:
    return kind.FromNumpy(np.ascontiguousarray(values, np.float32))
