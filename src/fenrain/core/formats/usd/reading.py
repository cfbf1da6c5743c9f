"""USD (usda, usdc, usdz): materials by preview networks or by MaterialX nodes, read and written by the standard's own library."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import numpy as np
from pxr import Gf, Sdf, Usd, UsdGeom, UsdShade

from fenrain.core.errors import BrokenFileError
from fenrain.core.findings import Finding, note, unread
from fenrain.core.formats.holding import Slot, every_parameter
from fenrain.core.formats.materialx import NODES, unknown_surface
from fenrain.core.formats.materialx.reading import read_materialx, take_input
from fenrain.core.formats.materialx.writing import slots as slots_of_nodes
from fenrain.core.formats.placement import v_down
from fenrain.core.formats.usd.networks import Network
from fenrain.core.formats.usd.stage import Opened, bound_path, material_name, shared_path, told_as_broken, uv_names, uv_number
from fenrain.core.formats.usd.survey import list_meaningless
from fenrain.core.maps.colour_spaces import LINEAR, SRGB
from fenrain.core.material import Geometry, Material, Source
from fenrain.core.material_parser import MaterialParser, with_shared_names
from fenrain.core.models.parameter import Kind, Parameter
from fenrain.core.models.registry import Model, model_of
from fenrain.core.models.target import Profile
from fenrain.core.values import IDENTITY, Image, Placement, Wrap

PREVIEW = "UsdPreviewSurface"
UV_READER = "UsdPrimvarReader_float2"
WRAPS = {str(wrap): wrap for wrap in Wrap} | {"useMetadata": Wrap.REPEAT}
"""Of textures, what does not repeat (UsdPreviewSurface 2.6, Texture Reader)."""
OUTPUTS = ("r", "g", "b", "a", "rgb")
"""Of a texture, called as our maps call their channels."""


@dataclass
class _Use:
    """Where a material lies: meshes, the names of their UV sets, whether some are seen from both sides."""

    meshes: list[str] = field(default_factory=list)
    uv_sets: list[str] = field(default_factory=list)
    double_sided: bool = False

    def geometry(self) -> Geometry:
        return Geometry(self.double_sided, tuple(self.meshes), tuple(range(len(self.uv_sets))))


@dataclass
class _Packed(MaterialParser):
    """A reading whose images may lie in the package that is read."""

    images: dict[str, Image] = field(default_factory=dict)

    def image(self, reference: str, base: Path, root: Path, parameter: str) -> Image | None:
        return self.images.get(reference) or super().image(reference, base, root, parameter)


def read_usd(path: Path, root: Path) -> list[Material]:
    """Every material of a stage, and a default one where meshes have none.

    Raises BrokenFileError, UnsafePathError for a layer or package that reaches outside of `root`.
    """
    with told_as_broken(path):
        opened = Opened(path, root)
        metres = float(UsdGeom.GetStageMetersPerUnit(opened.stage))
        return [replace(material, geometry=replace(material.geometry, unit=metres)) for material in _materials(opened)]


def _materials(opened: Opened) -> list[Material]:
    path = opened.path
    uses, unbound = _uses(opened)
    prims = _materials_of(opened)
    materials = [_read_material(opened, prim, index, uses.pop(shared_path(prim), _Use())) for index, prim in enumerate(prims)]
    for document in opened.documents:
        for material in read_materialx(document, opened.root):
            use = next((uses.pop(target) for target in list(uses) if Sdf.Path(target).name == material.name), _Use())
            source = Source(path.name, "usd", len(materials), material.source.place)
            materials.append(replace(material, geometry=use.geometry(), source=source))
    materials += [_undefined(opened, target, use, len(materials)) for target, use in uses.items()]
    if unbound.meshes:
        materials.append(_default(opened, unbound, len(materials)))
    if not materials:
        raise BrokenFileError(f"“{path.name}” holds no material and no mesh.", place=path.name, remedy="Export it with its materials.")
    first = materials[0]
    return with_shared_names([replace(first, findings=(*first.findings, *opened.findings)), *materials[1:]])


def _materials_of(opened: Opened) -> list[Usd.Prim]:
    """Each once, whatever instances show it."""
    found: dict[str, Usd.Prim] = {}
    for prim in opened.prims():
        if prim.IsA(UsdShade.Material):
            found.setdefault(shared_path(prim), prim)
    return list(found.values())


def _uses(opened: Opened) -> tuple[dict[str, _Use], _Use]:
    """By the path of what is bound, whether it is there or not; and of meshes to which nothing is bound."""
    found: dict[str, _Use] = {}
    unbound = _Use()
    for prim in opened.prims():
        if not prim.IsA(UsdGeom.Gprim):
            continue
        subsets = [one.GetPrim() for one in UsdShade.MaterialBindingAPI(prim).GetMaterialBindSubsets()]
        for part in [*subsets, prim]:
            target = bound_path(part)
            if target is None and (part is not prim or subsets):
                continue
            use = unbound if target is None else found.setdefault(target, _Use())
            use.meshes.append(prim.GetName())
            use.uv_sets += [name for name in uv_names(prim) if name not in use.uv_sets]
            use.double_sided |= bool(UsdGeom.Gprim(prim).GetDoubleSidedAttr().Get())
    return found, unbound


def _undefined(opened: Opened, target: str, use: _Use, index: int) -> Material:
    """A default for what is bound and nowhere defined."""
    finding = unread(
        "undefined-material",
        f"Meshes are bound to “{target}”, which is nowhere defined; a default stands for it.",
        evidence=opened.path.name,
        remedy="Upload the layer that defines it.",
    )
    return _plain(opened, Sdf.Path(target).name, target, use, index, finding)


def _default(opened: Opened, use: _Use, index: int) -> Material:
    finding = note(
        "default-material",
        f"“{opened.path.name}” has meshes to which no material is bound; a default stands for it.",
        evidence=", ".join(use.meshes[:4]),
        remedy="Set its values, or bind a material.",
    )
    return _plain(opened, opened.path.stem, "", use, index, finding)


def _plain(opened: Opened, name: str, place: str, use: _Use, index: int, finding: Finding) -> Material:
    return Material(name, "preview", {}, use.geometry(), Source(opened.path.name, "usd", index, place), (finding,))


def _read_material(opened: Opened, prim: Usd.Prim, index: int, use: _Use) -> Material:
    """By its MaterialX surface where it has one, else by its preview surface."""
    place, material = str(prim.GetPath()), UsdShade.Material(prim)
    shader = material.ComputeSurfaceSource("mtlx")[0]
    source = Source(opened.path.name, "usd", index, place)
    identifier = str(shader.GetShaderId() or "") if shader else ""
    if identifier == PREVIEW:
        reading = _Packed(material_name(prim), "preview", place)
        for entry in shader.GetInputs():
            _take_preview_input(reading, opened, entry, use)
        _leave_meaningless(reading, shader)
        return reading.material(source, use.geometry())
    network = Network(opened, use.uv_sets)
    node = network.node_of(shader) if shader else None
    if node is not None and node.getCategory() in NODES:
        reading = _Packed(material_name(prim), NODES[node.getCategory()], place, images=network.images)
        for entry in node.getInputs():
            take_input(reading, entry, opened.path, opened.root)
        _leave_meaningless(reading, shader)
        return reading.material(source, use.geometry())
    return _plain(opened, material_name(prim), place, use, index, unknown_surface(place, identifier))


def _leave_meaningless(reading: MaterialParser, shader: UsdShade.Shader) -> None:
    """Name what of the network means nothing, but for what is said already of the same place."""
    said = " ".join(finding.message for finding in reading.findings)
    for meaningless in dict.fromkeys(list_meaningless(shader)):
        if meaningless.split(" ", 1)[0].rstrip(":") not in said:
            reading.leave_unread("bad-value", f"{meaningless}; it was not read.")


def _take_preview_input(reading: _Packed, opened: Opened, entry: UsdShade.Input, use: _Use) -> None:
    """A constant, or a texture of the preview nodes; all else is named and left at its default."""
    name, place = entry.GetBaseName(), str(entry.GetAttr().GetPath())
    parameter = model_of("preview").by_name.get(name)
    if parameter is None:
        reading.leave_unread("not-read", f"{place} was not read.", evidence=name)
        return
    producing = UsdShade.Utils.GetValueProducingAttributes(entry)
    if not producing:
        if entry.GetAttr().GetConnections():
            reading.leave_unread("not-read", f"{place} is connected to what is not there; the default is used.", parameter=name)
        return
    attribute = producing[0]
    if not UsdShade.Output.IsOutput(attribute):
        value = attribute.Get()
        if value is not None and parameter.kind is not Kind.NORMAL:
            reading.set(name, _plain_value(parameter, value), place)
        return
    shader = UsdShade.Shader(attribute.GetPrim())
    if str(shader.GetShaderId() or "") == "UsdUVTexture":
        _take_texture(reading, opened, parameter, shader, UsdShade.Output(attribute).GetBaseName(), use)
        return
    reading.leave_unread(
        "not-read",
        f"{place}: what stands behind it ({shader.GetShaderId() or 'unknown'}) is not read; the default is used.",
        parameter=name,
        remedy="Bake it to an image.",
    )


def _plain_value(parameter: Parameter, value: Any) -> Any:
    """A value of the standard's library as plain numbers, a choice by its number."""
    if isinstance(value, str):
        return {word: number for number, word in parameter.options}.get(value, value)
    return tuple(value) if isinstance(value, (Gf.Vec3f, Gf.Vec3d, Gf.Vec3h)) else value


def _input(shader: UsdShade.Shader, name: str) -> Usd.Attribute | None:
    """The attribute that gives an input its value, wherever it stands."""
    entry = shader.GetInput(name)
    producing = UsdShade.Utils.GetValueProducingAttributes(entry) if entry else []
    return producing[0] if producing else None


def _stated(shader: UsdShade.Shader, name: str, default: Any) -> Any:
    attribute = _input(shader, name)
    value = attribute.Get() if attribute is not None and not UsdShade.Output.IsOutput(attribute) else None
    return default if value is None else value


def _take_texture(reading: _Packed, opened: Opened, parameter: Parameter, shader: UsdShade.Shader, output: str, use: _Use) -> None:
    """A `UsdUVTexture` (UsdPreviewSurface specification 2.6, Texture Reader)."""
    file, fallback = _input(shader, "file"), _stated(shader, "fallback", None)
    reference = str(file.Get().path) if file is not None and file.Get() is not None else ""
    channels = "rgb" if parameter.channels == 3 else output if output in OUTPUTS else "r"
    image = None
    if file is not None and reference:
        image = opened.packed(file, reference) or reading.image(reference, opened.folder_of(file), opened.root, parameter.name)
    if image is None:
        if not reference:
            reading.leave_unread("not-read", f"{shader.GetPath()} names no file; what stands for it is used.", parameter=parameter.name)
        if fallback is not None and parameter.kind is not Kind.NORMAL:
            stated = tuple(fallback)[:3] if channels == "rgb" else fallback["rgba".index(channels)]
            reading.set(parameter.name, stated, str(shader.GetPath()))
        return
    scale, bias = (tuple(map(float, _stated(shader, name, Gf.Vec4f(usual)))) for name, usual in (("scale", 1.0), ("bias", 0.0)))
    placement, uv_set = _placement(reading, shader, parameter, use)
    across, down = (
        reading.wrap(_stated(shader, name, ""), WRAPS, parameter.name, f"{shader.GetPath()}, {name}") for name in ("wrapS", "wrapT")
    )
    placement = replace(placement, wrap=(across, down))
    normal = parameter.kind is Kind.NORMAL
    reading.attach(
        parameter.name,
        image,
        channels,
        "normal" if normal else _encoding(reading, file, str(_stated(shader, "sourceColorSpace", "auto")), parameter, image.name),
        scale=scale[0] / 2.0 if normal else _of_channels(scale, channels),
        bias=0.0 if normal else _of_channels(bias, channels),  # type: ignore[arg-type]
        placement=placement,
        uv_set=uv_set,
    )


def _encoding(reading: MaterialParser, file: Usd.Attribute | None, space: str, parameter: Parameter, name: str) -> str:
    """As the texture says, or the attribute that names its file. What is left to the file is sRGB where it holds eight bits of a colour."""
    if parameter.kind is not Kind.COLOUR:
        return SRGB if space == "sRGB" else LINEAR
    if file is not None and file.GetColorSpace():
        return reading.encoding(str(file.GetColorSpace()), parameter.name)
    is_float = Path(name).suffix.lower() in (".exr", ".hdr")
    return SRGB if space == "sRGB" or (space == "auto" and not is_float) else LINEAR


def _of_channels(four: tuple[float, ...], channels: str) -> float | tuple[float, ...]:
    if channels != "rgb":
        return four["rgba".index(channels)]
    return four[0] if len(set(four[:3])) == 1 else four[:3]


def _placement(reading: _Packed, shader: UsdShade.Shader, parameter: Parameter, use: _Use) -> tuple[Placement, int]:
    """How a texture lies: by a `UsdTransform2d`, uv' = R(rotation) · (scale · uv) + translation with v up, and the UV set that it asks
    for."""
    before, placement = _input(shader, "st"), IDENTITY
    node = UsdShade.Shader(before.GetPrim()) if before is not None and UsdShade.Output.IsOutput(before) else None
    if node is not None and str(node.GetShaderId()) == "UsdTransform2d":
        turn = math.radians(float(_stated(node, "rotation", 0.0)))
        scale, shift = np.array(_stated(node, "scale", (1.0, 1.0)), float), np.array(_stated(node, "translation", (0.0, 0.0)), float)
        rotation = np.array([[math.cos(turn), -math.sin(turn)], [math.sin(turn), math.cos(turn)]])
        placement = v_down(rotation @ np.diag(scale), shift) or IDENTITY
        before = _input(node, "in")
        node = UsdShade.Shader(before.GetPrim()) if before is not None and UsdShade.Output.IsOutput(before) else None
    if node is None:
        return placement, 0
    if str(node.GetShaderId()) != UV_READER:
        reading.leave_unread(
            "placement-not-read",
            f"The placement of the map of {parameter.name} by {node.GetShaderId()} is not read; the map lies as the UV set has it.",
            parameter=parameter.name,
            remedy="Place it by UsdTransform2d.",
        )
        return placement, 0
    return placement, uv_number(str(_stated(node, "varname", "st")), use.uv_sets)


def slots(model: Model, profile: Profile) -> dict[str, Slot]:
    """What a stage holds of a material: of a preview surface every input; of others what MaterialX holds."""
    if model.id == "preview":
        return every_parameter(model, Slot(least=-math.inf, most=math.inf, nearest=False))
    return slots_of_nodes(model, profile)
