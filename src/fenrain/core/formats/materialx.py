"""MaterialX 1.39: materials of the four surface nodes, read and written by the standard's own library."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import cache
from pathlib import Path
from typing import Any

import defusedxml.ElementTree as safe_xml
import MaterialX as mx
from defusedxml import DefusedXmlException

from fenrain.core.errors import BrokenFileError, InputError, TooLargeError
from fenrain.core.files import write_whole
from fenrain.core.formats.holding import Slot, every_parameter
from fenrain.core.formats.registry import Format
from fenrain.core.maps.bake import baked_map
from fenrain.core.maps.mean import mean_of
from fenrain.core.material import Material, Source
from fenrain.core.models.parameter import Kind, Parameter
from fenrain.core.models.registry import Model, model_of
from fenrain.core.models.target import Profile
from fenrain.core.paths import safe_name
from fenrain.core.reading import Reading, with_shared_names
from fenrain.core.values import IDENTITY, Constant, Map, UvTransform, Value

NODES = {
    "open_pbr_surface": "open_pbr",
    "gltf_pbr": "metal_rough",
    "standard_surface": "standard_surface",
    "UsdPreviewSurface": "preview",
}
CATEGORIES = {model: node for node, model in NODES.items()}
LARGEST_DOCUMENT = 64 * 1024 * 1024
IMAGE_NODES = ("image", "tiledimage", "gltf_image", "gltf_colorimage")
TYPES = {"number": "float", "colour": "color3", "flag": "boolean", "choice": "integer", "normal": "vector3"}


@cache
def libraries() -> mx.Document:
    """The standard's node definitions, loaded once."""
    document = mx.createDocument()
    mx.loadLibraries(mx.getDefaultDataLibraryFolders(), mx.getDefaultDataSearchPath(), document)
    return document


def read_materialx(path: Path, root: Path) -> list[Material]:
    """Every surface material of a document. Raises BrokenFileError for XML that is damaged, includes files or declares entities."""
    document = _document(path)
    materials = []
    for index, node in enumerate(_material_nodes(document)):
        shader = node.getConnectedNode("surfaceshader") if node.getCategory() == "surfacematerial" else node
        if shader is None or shader.getCategory() not in NODES:
            continue
        reading = Reading(node.getName(), NODES[shader.getCategory()], node.getNamePath())
        for entry in shader.getInputs():
            _take_input(reading, entry, path, root)
        materials.append(reading.material(Source(path.name, "materialx", index, node.getNamePath())))
    if not materials:
        raise BrokenFileError(
            f"“{path.name}” holds no material that Fenrain reads.", place=path.name, remedy=f"It reads {', '.join(NODES)}."
        )
    return with_shared_names(materials)


def _document(path: Path) -> mx.Document:
    if path.stat().st_size > LARGEST_DOCUMENT:
        raise TooLargeError(f"“{path.name}” is too large for a MaterialX document.", place=path.name)
    text = path.read_bytes()
    try:
        tree = safe_xml.fromstring(text, forbid_dtd=True)
    except DefusedXmlException as reason:
        raise BrokenFileError(
            f"“{path.name}” declares a document type or entities, which are not read.", place=path.name, remedy="Remove the DOCTYPE."
        ) from reason
    except Exception as reason:
        raise BrokenFileError(
            f"“{path.name}” is not valid XML ({str(reason)[:80]}).", place=path.name, remedy="Export it again."
        ) from reason
    for element in tree.iter():
        if element.tag.rpartition("}")[2] == "include":
            raise BrokenFileError(
                f"“{path.name}” includes other files, which are not read.", place="xi:include", remedy="Write the document as one file."
            )
    document = mx.createDocument()
    options = mx.XmlReadOptions()
    options.readXIncludeFunction = None
    try:
        mx.readFromXmlString(document, text.decode("utf-8"), mx.FileSearchPath(), options)
    except Exception as reason:
        raise BrokenFileError(
            f"“{path.name}” is not a MaterialX document ({str(reason)[:80]}).", place=path.name, remedy="Export it again."
        ) from reason
    document.setDataLibrary(libraries())
    return document


def _material_nodes(document: mx.Document) -> list[Any]:
    nodes = list(document.getMaterialNodes())
    shaders = {node.getConnectedNode("surfaceshader").getNamePath() for node in nodes if node.getConnectedNode("surfaceshader")}
    return nodes + [node for node in document.getNodes() if node.getCategory() in NODES and node.getNamePath() not in shaders]


def _take_input(reading: Reading, entry: Any, path: Path, root: Path) -> None:
    name, place = entry.getName(), entry.getNamePath()
    parameter = model_of(reading.model).by_name.get(name)
    if parameter is None:
        if entry.getConnectedNode() is not None or entry.hasValueString():
            reading.remark("not-read", f"{place} was not read.", evidence=name)
        return
    source = _source_node(entry)
    if source is not None:
        _take_node(reading, parameter, source, place, path, root)
    elif entry.hasValueString():
        value = entry.getValue()
        if value is None:
            reading.remark("bad-value", f"{place}: “{entry.getValueString()[:40]}” cannot be read; the default is used.", parameter=name)
        elif parameter.kind is not Kind.NORMAL:
            reading.set(name, tuple(value) if isinstance(value, (mx.Color3, mx.Vector3)) else value, place)


def _source_node(entry: Any) -> Any:
    output = entry.getConnectedOutput()
    return output.getConnectedNode() if output is not None else entry.getConnectedNode()


def _take_node(reading: Reading, parameter: Parameter, node: Any, place: str, path: Path, root: Path) -> None:
    """An image, straight or through a normal map, a scale or a pick of a channel; anything else is named and left at its default."""
    scale, channel, strength = 1.0, "", 1.0
    for _ in range(8):
        category = node.getCategory()
        if category in IMAGE_NODES:
            _attach(reading, parameter, node, channel, strength if parameter.kind is Kind.NORMAL else scale, path, root)
            return
        if category == "constant":
            value = node.getInputValue("value")
            reading.set(parameter.name, tuple(value) if isinstance(value, (mx.Color3, mx.Vector3)) else value, place)
            return
        following = (
            _source_node(node.getInput("in" if category != "multiply" else "in1")) if node.getInput("in") or node.getInput("in1") else None
        )
        if category == "normalmap":
            strength = float(node.getInputValue("scale") or 1.0)
        elif category == "multiply" and isinstance(node.getInputValue("in2"), (int, float)):
            scale *= float(node.getInputValue("in2"))
        elif category == "extract":
            channel = "rgba"[int(node.getInputValue("index") or 0)]
        elif category not in ("convert", "separate3", "dot"):
            following = None
        if following is None:
            break
        node = following
    reading.remark(
        "not-read",
        f"{place}: the graph behind it ({node.getCategory()}) is not read; the default is used.",
        parameter=parameter.name,
        remedy="Bake it to an image.",
    )


def _attach(reading: Reading, parameter: Parameter, node: Any, channel: str, scale: float, path: Path, root: Path) -> None:
    file = node.getInput("file")
    image = reading.image(file.getResolvedValueString() if file is not None else "", path.parent, root, parameter.name)
    if image is None:
        return
    space = (file.getColorSpace() or node.getActiveColorSpace() or "") if file is not None else ""
    if parameter.kind is Kind.NORMAL:
        encoding = "normal"
    else:
        encoding = "srgb" if parameter.kind is Kind.COLOUR and space in ("srgb_texture", "") else "linear"
    tiling = node.getInputValue("uvtiling")
    transform = UvTransform((0.0, 0.0), 0.0, (tiling[0], tiling[1])) if tiling is not None else _placement(node)
    reading.attach(
        parameter.name, image, channel or ("rgb" if parameter.channels == 3 else "r"), encoding, scale=scale, transform=transform
    )


def _placement(node: Any) -> UvTransform:
    """The transform of a place2d node in front of an image, v turned to run down."""
    entry = node.getInput("texcoord")
    place = _source_node(entry) if entry is not None else None
    if place is None or place.getCategory() != "place2d":
        return IDENTITY
    scale, offset = place.getInputValue("scale") or (1.0, 1.0), place.getInputValue("offset") or (0.0, 0.0)
    su, sv = 1.0 / (scale[0] or 1.0), 1.0 / (scale[1] or 1.0)
    return UvTransform((-offset[0] * su, 1.0 - sv + offset[1] * sv), 0.0, (su, sv))


# Writing


def slots(model: Model, profile: Profile) -> dict[str, Slot]:
    """What a MaterialX document holds of a surface node: every input, as a map with any range; turns of a tangent as a number."""
    known = _inputs_of(CATEGORIES[model.id]) | (TURNS.keys() if model.id == "open_pbr" else frozenset())
    held = every_parameter(model, Slot(least=-math.inf, most=math.inf))
    return {name: Slot(map=False) if name in TURNS else slot for name, slot in held.items() if name in known}


def write_materialx(materials: Sequence[Material], path: Path, asset: Path | None, profile: Profile) -> list[Path]:
    """Write one document with all materials; maps lie in a folder beside it. The document passes the standard's own validation."""
    document = mx.createDocument()
    document.setDataLibrary(libraries())
    document.setColorSpace("lin_rec709")
    taken: set[str] = set()
    written: list[Path] = []
    for material in materials:
        _add_material(document, material, _node_name(material.name, taken), path.parent / "maps", written)
    valid, message = document.validate()
    if not valid:
        raise InputError(f"The document would not be valid MaterialX: {message[:200]}", place=path.name)
    write_whole(path, mx.writeToXmlString(document))
    return [path, *written]


def _node_name(name: str, taken: set[str]) -> str:
    """A MaterialX name: ASCII letters, digits and underscores, no digit first (MaterialX 1.39, Names)."""
    return safe_name(mx.createValidName("".join(c if c.isascii() else "_" for c in name)).strip("_") or "material", taken)


def _add_material(document: mx.Document, material: Material, name: str, maps: Path, written: list[Path]) -> None:
    category = CATEGORIES[material.model]
    shader = document.addNode(category, f"{name}_shader", "surfaceshader")
    known = _inputs_of(category)
    for parameter in model_of(material.model).parameters:
        if parameter.name in TURNS and parameter.name in material.values:
            _connect_turn(document, shader, parameter, material.values[parameter.name], name)
        if parameter.name not in known or parameter.name not in material.values:
            continue
        value = material.values[parameter.name]
        if isinstance(value, Constant):
            if parameter.kind is Kind.FLAG:
                shader.addInput(parameter.name, "boolean").setValueString("true" if value.value else "false")
            elif parameter.kind is not Kind.NORMAL:
                shader.setInputValue(parameter.name, _typed(parameter, value), TYPES[parameter.kind])
        else:
            _connect_map(document, shader, parameter, value, name, maps, written)
    surface = document.addNode("surfacematerial", name, "material")
    surface.setAttribute("doc", material.name)
    surface.setConnectedNode("surfaceshader", shader)


TURNS = {"geometry_tangent_rotation": "geometry_tangent", "geometry_coat_tangent_rotation": "geometry_coat_tangent"}
"""OpenPBR turns a highlight by its tangent: a turn of the mesh's own tangent about its normal."""


@cache
def _inputs_of(category: str) -> frozenset[str]:
    """Names of the inputs that the standard's node has."""
    definition = libraries().getMatchingNodeDefs(category)[0]
    return frozenset(entry.getName() for entry in definition.getActiveInputs())


def _connect_turn(document: mx.Document, shader: Any, parameter: Parameter, value: Value, name: str) -> None:
    turn = value.value if isinstance(value, Constant) else mean_of(value)
    if turn == 0.0:
        return
    made = {kind: document.addNode(kind, f"{name}_{parameter.name}_{kind}", "vector3") for kind in ("tangent", "normal", "rotate3d")}
    for kind in ("tangent", "normal"):
        made[kind].setInputValue("space", "world", "string")
    made["rotate3d"].setConnectedNode("in", made["tangent"])
    made["rotate3d"].setInputValue("amount", -math.degrees(float(turn)), "float")  # type: ignore[arg-type]
    made["rotate3d"].setConnectedNode("axis", made["normal"])
    shader.addInput(TURNS[parameter.name], "vector3").setNodeName(made["rotate3d"].getName())


def _connect_map(
    document: mx.Document, shader: Any, parameter: Parameter, value: Value, name: str, maps: Path, written: list[Path]
) -> None:
    encoding = {"colour": "srgb", "normal": "normal"}.get(parameter.kind, "linear")
    suffix = "png" if parameter.high <= 1.0 or encoding == "normal" else "exr"
    made = baked_map(value, parameter.channels, encoding if suffix == "png" else "linear", maps / f"{name}_{parameter.name}.{suffix}")
    assert made.image.path is not None
    written.append(made.image.path)
    image = document.addNode("image", f"{name}_{parameter.name}", TYPES[parameter.kind])
    file = image.addInput("file", "filename")
    file.setValueString(f"{maps.name}/{made.image.path.name}")
    if made.encoding == "srgb":
        file.setColorSpace("srgb_texture")
    if made.transform != IDENTITY or made.uv_set:
        image.setConnectedNode("texcoord", _placed(document, made, f"{name}_{parameter.name}"))
    source = image
    if parameter.kind is Kind.NORMAL:
        source = document.addNode("normalmap", f"{name}_{parameter.name}_map", "vector3")
        source.setConnectedNode("in", image)
    shader.addInput(parameter.name, TYPES[parameter.kind]).setNodeName(source.getName())


def _placed(document: mx.Document, made: Map, name: str) -> Any:
    coordinates = document.addNode("texcoord", f"{name}_uv", "vector2")
    coordinates.setInputValue("index", made.uv_set, "integer")
    place = document.addNode("place2d", f"{name}_place", "vector2")
    place.setConnectedNode("texcoord", coordinates)
    (ou, ov), (su, sv) = made.transform.offset, made.transform.scale
    place.setInputValue("scale", mx.Vector2(1.0 / (su or 1.0), 1.0 / (sv or 1.0)), "vector2")
    place.setInputValue("offset", mx.Vector2(-ou / (su or 1.0), (ov - 1.0 + sv) / (sv or 1.0)), "vector2")
    return place


def _typed(parameter: Parameter, value: Constant) -> Any:
    if parameter.kind is Kind.COLOUR:
        assert isinstance(value.value, tuple)
        return mx.Color3(*value.value)
    if parameter.kind is Kind.CHOICE:
        return int(value.value)  # type: ignore[arg-type]
    return float(value.value)  # type: ignore[arg-type]


FORMAT = Format(
    "materialx",
    "MaterialX",
    (".mtlx",),
    tuple(NODES.values()),
    read_materialx,
    write_materialx,
    slots,
    writes="one document for each file taken in, maps beside it",
)
