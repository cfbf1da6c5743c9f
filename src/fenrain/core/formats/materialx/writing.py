"""Writes documents of MaterialX 1.39, and says what they hold."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import replace
from functools import cache
from pathlib import Path
from typing import Any

import MaterialX as mx

from fenrain.core.errors import InputError
from fenrain.core.files import write_whole
from fenrain.core.formats.baking import MapFolder
from fenrain.core.formats.holding import Slot, every_parameter
from fenrain.core.formats.materialx import CATEGORIES, TURNS
from fenrain.core.formats.materialx.address_modes import ADDRESS_MODES
from fenrain.core.formats.materialx.graph_writing import is_graph, written_graph
from fenrain.core.formats.materialx.graphs import libraries
from fenrain.core.formats.placement import v_up_shift
from fenrain.core.maps.colour_spaces import LINEAR, SRGB
from fenrain.core.material import Material
from fenrain.core.models.parameter import Kind, Parameter
from fenrain.core.models.registry import Model, model_of
from fenrain.core.models.target import Exposed, Profile
from fenrain.core.paths import safe_name
from fenrain.core.rules.nodes import PREFIX
from fenrain.core.values import IDENTITY, Computed, Constant, Map, Value, Wrap, maps_of

TYPES = {"number": "float", "colour": "color3", "flag": "boolean", "choice": "integer", "normal": "vector3"}


def slots(model: Model, profile: Profile) -> dict[str, Slot]:
    """What a MaterialX document holds of a surface node: every input, as a map with any range; turns of a tangent as a number."""
    known = _inputs_of(CATEGORIES[model.id]) | (TURNS.keys() if model.id == "open_pbr" else frozenset())
    held = every_parameter(model, Slot(least=-math.inf, most=math.inf, sizes=True))
    return {name: slot for name, slot in held.items() if name in known}


def write_materialx(materials: Sequence[Material], path: Path, asset: Path | None, profile: Profile) -> list[Path]:
    """Write one document with all materials; maps lie in a folder beside it. The document passes the standard's own validation."""
    document = mx.createDocument()
    document.setDataLibrary(libraries())
    document.setColorSpace("lin_rec709")
    taken: set[str] = set()
    maps = MapFolder(path.parent / "maps", profile.maps)
    for material in materials:
        add_material(document, material, node_name(material.name, taken), maps, profile.exposed)
    valid, message = document.validate()
    if not valid:
        raise InputError(f"The document would not be valid MaterialX: {message[:200]}", place=path.name)
    write_whole(path, _well_formed(mx.writeToXmlString(document)))
    return [path, *maps.files]


def _well_formed(text: str) -> str:
    """The text with “<” in attributes as XML asks for it, which the library leaves as it is."""
    return re.sub(r'="[^"]*"', lambda found: found.group().replace("<", "&lt;"), text)


def node_name(name: str, taken: set[str]) -> str:
    """A MaterialX name: ASCII letters, digits and underscores, no digit first (MaterialX 1.39, Names)."""
    return safe_name(mx.createValidName("".join(c if c.isascii() else "_" for c in name)).strip("_") or "material", taken)


def _xml_text(name: str) -> str:
    """A name without the control characters that XML cannot hold."""
    return "".join(character for character in name if character.isprintable())


def add_material(document: mx.Document, material: Material, name: str, maps: MapFolder, exposed: Sequence[Exposed]) -> None:
    """Add a material, its surface node, and the nodes of its maps in a graph of its name; what is at its default is left out.

    exposed: inputs that say within what range they may be moved.
    """
    category = CATEGORIES[material.model]
    shader = _node(document, category, f"{name}_shader", "surfaceshader")
    graph = document.addNodeGraph(document.createValidChildName(f"NG_{name}"))
    known = _inputs_of(category)
    for parameter in model_of(material.model).parameters:
        if parameter.name in TURNS and parameter.name in material.values:
            _connect_turn(graph, shader, parameter, material.values[parameter.name], maps)
        if parameter.name not in known or parameter.name not in material.values:
            continue
        value = material.values[parameter.name]
        if value == Constant(parameter.default):
            continue
        if isinstance(value, Constant):
            if parameter.kind is Kind.FLAG:
                shader.addInput(parameter.name, "boolean").setValueString("true" if value.value else "false")
            elif parameter.kind is not Kind.NORMAL:
                shader.setInputValue(parameter.name, _typed(parameter, value), TYPES[parameter.kind])
        else:
            _connect_map(graph, shader, parameter, value, maps)
    if not graph.getNodes():
        document.removeNodeGraph(graph.getName())
    for one in exposed:
        _expose(shader, model_of(material.model).parameter(one.parameter), one)
    surface = _node(document, "surfacematerial", name, "material")
    if surface.getName() != material.name:
        surface.setAttribute("uiname", _xml_text(material.name))
    surface.setConnectedNode("surfaceshader", shader)


def _expose(shader: Any, parameter: Parameter, exposed: Exposed) -> None:
    """Say on a surface's input what range it has, under what name (MaterialX 1.39, attributes of inputs)."""
    entry = shader.getInput(parameter.name)
    if entry is None:
        shader.setInputValue(parameter.name, _typed(parameter, Constant(parameter.default)), TYPES[parameter.kind])
        entry = shader.getInput(parameter.name)
    for attribute, end in (("uimin", exposed.low), ("uimax", exposed.high)):
        entry.setAttribute(attribute, ", ".join([f"{end:g}"] * parameter.channels))
    if exposed.title:
        entry.setAttribute("uiname", _xml_text(exposed.title))


@cache
def _inputs_of(category: str) -> frozenset[str]:
    """Names of the inputs that the standard's node has."""
    definition = libraries().getMatchingNodeDefs(category)[0]
    return frozenset(entry.getName() for entry in definition.getActiveInputs())


def _connect_turn(graph: mx.NodeGraph, shader: Any, parameter: Parameter, value: Value, maps: MapFolder) -> None:
    """Turn the mesh's tangent about its normal by a number of radians, or by a map of them."""
    if value == Constant(0.0):
        return
    made = {kind: _node(graph, kind, f"{parameter.name}_{kind}", "vector3") for kind in ("tangent", "normal", "rotate3d")}
    for kind in ("tangent", "normal"):
        made[kind].setInputValue("space", "world", "string")
    made["rotate3d"].setConnectedNode("in", made["tangent"])
    if isinstance(value, Constant):
        made["rotate3d"].setInputValue("amount", -math.degrees(float(value.value)), "float")  # type: ignore[arg-type]
    else:
        degrees = Computed(f"{PREFIX}.multiply", "out", (("in1", value), ("in2", Constant(-math.degrees(1.0)))))
        made["rotate3d"].setConnectedNode("amount", _node_of(graph, parameter, degrees, maps))
    made["rotate3d"].setConnectedNode("axis", made["normal"])
    _connect(shader, TURNS[parameter.name], made["rotate3d"])


def _connect_map(graph: mx.NodeGraph, shader: Any, parameter: Parameter, value: Value, maps: MapFolder) -> None:
    """Connect a map: as the nodes that it came from, or baked to an image; through a normal map where it is one."""
    source = _node_of(graph, parameter, value, maps)
    if parameter.kind is Kind.NORMAL:
        image, source = source, _node(graph, "normalmap", f"{parameter.name}_map", "vector3")
        source.setConnectedNode("in", image)
    _connect(shader, parameter.name, source)


def _connect(shader: Any, name: str, source: Any) -> None:
    """Connect a surface's input with a node of a graph, by an output of the graph."""
    output = source.getParent().addOutput(f"{name}_out", source.getType())
    output.setConnectedNode(source)
    shader.addInput(name, source.getType()).setConnectedOutput(output)


def _node_of(graph: mx.NodeGraph, parameter: Parameter, value: Value, maps: MapFolder) -> Any:
    """The last node of what gives a value."""
    if is_graph(value) and parameter.kind in (Kind.COLOUR, Kind.NUMBER):
        return written_graph(graph, value, parameter.name, lambda leaf, at: _image(graph, _kind_of(leaf), leaf, at, maps, leaf.encoding))
    return _image(graph, parameter, value, parameter.name, maps)


def _kind_of(leaf: Map) -> Parameter:
    """What an image of a graph holds, for how it is written."""
    return Parameter("image", Kind.COLOUR if len(leaf.channels) == 3 else Kind.NUMBER, 0.0, "", "", high=1.0)


def _image(graph: mx.NodeGraph, parameter: Parameter, value: Value, name: str, maps: MapFolder, encoding: str = "") -> Any:
    """The node of an image that holds the value, with the nodes that place it."""
    placement = next((leaf.placement for leaf in maps_of(value)), IDENTITY)
    in_metres = placement.has_size and replace(placement, size=(0.0, 0.0)) == IDENTITY
    image = _node(graph, "tiledimage" if in_metres else "image", name, TYPES[parameter.kind])
    made = maps.map_of(
        value, parameter, f"{graph.getName().removeprefix('NG_')}_{image.getName()}", encoding if encoding in (LINEAR, SRGB) else ""
    )
    file = image.addInput("file", "filename")
    file.setValueString(f"{maps.name}/{made.image.name}")
    if made.encoding == SRGB:
        file.setColorSpace("srgb_texture")
    elif parameter.kind is Kind.COLOUR:
        file.setColorSpace("lin_rec709")
    if in_metres:
        _state_size(image, made.placement.size)
        return image
    if made.placement.has_size:
        made = replace(made, placement=made.placement.on_spans((METRE, METRE)))
    for axis, wrap in zip("uv", made.placement.wrap, strict=True):
        if wrap is not Wrap.REPEAT:
            image.setInputValue(f"{axis}addressmode", ADDRESS_MODES[wrap], "string")
    if not made.placement.smooth:
        image.setInputValue("filtertype", "closest", "string")
    if made.placement.moves or made.uv_set:
        image.setConnectedNode("texcoord", _placed(graph, made, name))
    return image


METRE = 1.0
"""Of a step of the UVs, where no mesh says more: as design packages lay them (common practice)."""


def _state_size(image: Any, size: tuple[float, float]) -> None:
    """The metres that an image covers, on UVs that count metres (MaterialX 1.39, tiledimage)."""
    for name, stated in (("realworldimagesize", tuple(one or METRE for one in size)), ("realworldtilesize", (METRE, METRE))):
        image.setInputValue(name, mx.Vector2(*stated), "vector2")
        image.getInput(name).setUnitType("distance")
        image.getInput(name).setUnit("meter")


def _placed(graph: mx.NodeGraph, made: Map, name: str) -> Any:
    """The nodes that place a map: uv' = R(−rotate) (uv / scale) − offset, v up (NG_place2d_vector2)."""
    coordinates = _node(graph, "texcoord", f"{name}_uv", "vector2")
    coordinates.setInputValue("index", made.uv_set, "integer")
    place = _node(graph, "place2d", f"{name}_place", "vector2")
    place.setConnectedNode("texcoord", coordinates)
    rotation, (su, sv) = made.placement.rotation, made.placement.scale
    across, up = v_up_shift(made.placement)
    place.setInputValue("scale", mx.Vector2(1.0 / (su or 1.0), 1.0 / (sv or 1.0)), "vector2")
    place.setInputValue("rotate", -math.degrees(rotation), "float")
    place.setInputValue("offset", mx.Vector2(-across, -up), "vector2")
    return place


def _node(within: mx.GraphElement, category: str, name: str, kind: str) -> Any:
    """A new node whose name nothing else in the document or graph has."""
    return within.addNode(category, within.createValidChildName(name), kind)


def _typed(parameter: Parameter, value: Constant) -> Any:
    """A constant as the standard's library takes it for this kind of parameter."""
    if parameter.kind is Kind.COLOUR:
        assert isinstance(value.value, tuple)
        return mx.Color3(*value.value)
    if parameter.kind is Kind.CHOICE:
        return int(value.value)  # type: ignore[arg-type]
    return float(value.value)  # type: ignore[arg-type]
